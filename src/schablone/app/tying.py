"""Tying the faces of a plain solid: picks go to the panel, the worker says what can be tied and
what is not, and what is free is shown moving."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PySide6.QtCore import QObject, QTimer

from ..core.problem import Problem
from ..core.solids.ties import EDGE
from ..worker import talk
from ..worker.messages import Arrays
from .part_on_screen import PartOnScreen
from .places.shape import ShapePlace
from .session import Session
from .view3d.shown import ShownPart, part_from
from .worker_client import WorkerClient

#: How long one picture of a swing is shown, ms, and how many swings there are.
_BEAT, _SWINGS = 90, 3


class Tying(QObject):
    """Begins with ``ShapePlace.tie_wanted``, ends with Escape, *Done* or another place."""

    def __init__(
        self, session: Session, worker: WorkerClient, shape: ShapePlace, part: PartOnScreen
    ) -> None:
        super().__init__(shape)
        self.session, self.worker, self.shape, self.part = session, worker, shape, part
        self.panel = shape.ties
        self._asking = self._wiggling = 0
        self._frames: list[list[ShownPart]] = []
        self._beat = 0
        self._timer = QTimer(self, interval=_BEAT)
        self._timer.timeout.connect(self._show_next)
        shape.tie_wanted.connect(self.begin)
        shape.tie_picked.connect(self._take)
        self.panel.done.connect(self.end)
        self.panel.picked.connect(self._picked)
        self.panel.lit.connect(self._light)
        self.panel.wiggled.connect(self.wiggle)
        session.changed.connect(self._changed)
        session.taken.connect(self.end)
        part.told.connect(self._told)

    @property
    def is_on(self) -> bool:
        return self.shape.is_tying

    def begin(self, step: str) -> None:
        """Tie the faces of the part that a step gives sizes."""
        self.shape.stop_drawing()
        self.shape.stop_picking()
        self.panel.open_on(step)
        self.session.work_at(step)
        self.shape.show_tying(on=True)
        self.ask()
        if self.part.report is not None:
            self._told(self.part.report)

    def end(self) -> None:
        """Back to the steps."""
        if not self.is_on:
            return
        self._stop_swing()
        self.worker.forget(self._asking)
        self.shape.show_tying(on=False)
        if self.session.until == self.panel.name:
            self.session.work_at("")

    def _take(self, face: Mapping[str, Any]) -> None:
        """A click in the view: an edge near it, or the face under it; beside everything lets go."""
        self._stop_swing()
        if not face:
            self.panel.let_go()
        elif "edge" in face:
            self.panel.take_pick(EDGE.join(face["edge"]))
        else:
            self.panel.take_pick(str(face["name"]))

    def _picked(self) -> None:
        faces = {face for place in self.panel.picks for face in place.split(EDGE)}
        self.shape.view.mark(faces=frozenset(faces))
        self.ask()

    def _light(self, faces: frozenset[str]) -> None:
        """Faces of the row under the pointer; without one those that are picked, or nobody tied."""
        if not faces:
            picked = {face for place in self.panel.picks for face in place.split(EDGE)}
            told = self.panel.told
            loose = {face for one in told.loose for face in one["faces"]} if told else set()
            self.shape.view.mark(faces=frozenset(picked or loose), striped=not picked)
            return
        self.shape.view.mark(faces=faces)

    def _changed(self) -> None:
        if not self.is_on:
            return
        self._stop_swing()
        if self.panel.step is None:
            self.end()
            return
        self.panel.refresh()
        self.ask()

    def _told(self, report: talk.Report) -> None:
        if self.is_on:
            self.panel.show_problems(map(Problem.model_validate, report["problems"]))

    def ask(self) -> None:
        """Ask the worker; of those asked for before it has answered only the last counts."""
        self.worker.forget(self._asking)
        about = talk.TyingAsked(step=self.panel.name, picks=tuple(self.panel.picks))
        session = self.session

        def answered(answer: talk.TiesTold | talk.Refused, _: Arrays) -> None:
            self._asking = 0
            if isinstance(answer, talk.TiesTold) and self.is_on:
                self.panel.show_told(answer)
                self._light(frozenset())

        self._asking = self.worker.ask(
            "tie faces", about.model_dump_json(), session.design, session.lens, session.process,
            answered,
        )  # fmt: skip

    # Wiggling

    def wiggle(self, face: str) -> None:
        """Show how a face can still move."""
        self._stop_swing()
        about = talk.TyingAsked(step=self.panel.name, picks=(face,))
        session = self.session
        frames: list[list[ShownPart]] = []

        def answered(answer: talk.Wiggled | talk.Refused, arrays: Arrays) -> None:
            if isinstance(answer, talk.Refused):
                session.said.emit(answer.text)
                return
            frames.append(
                [part_from(one, arrays, n) for n, one in enumerate(answer.report["parts"])]
            )
            if answer.last and self.is_on:
                self._frames, self._beat = frames, 0
                self._timer.start()

        self._wiggling = self.worker.ask(
            "wiggle", about.model_dump_json(), session.design, session.lens, session.process,
            answered,
        )  # fmt: skip

    def _show_next(self) -> None:
        if self._beat >= _SWINGS * len(self._frames):
            self._stop_swing()
            return
        self.shape.show_other(self._frames[self._beat % len(self._frames)], self.session.lens)
        self._beat += 1

    def _stop_swing(self) -> None:
        self.worker.forget(self._wiggling)
        if self._timer.isActive():
            self._timer.stop()
            self.part.show_known()
