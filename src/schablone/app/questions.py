"""What is asked of the worker beside rebuilds: what follows a size, values to try, distances, small
pictures."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, QPoint, QTimer, Signal

from ..core.design import edit as edits
from ..core.quantity import LENGTH, Quantity, plain
from ..core.steps.measure import Measure
from ..core.words import say_name
from ..worker import talk
from ..worker.messages import Arrays
from .part_on_screen import PartOnScreen
from .places.glance import GlanceCard
from .places.shape import ShapePlace
from .session import Session
from .view3d.gauge import GaugeTool
from .view3d.shown import ShownPart, part_from
from .worker_client import WorkerClient

#: How long, ms, the pointer must rest on a step before its picture is asked for.
_REST = 550


class Questions(QObject):
    """Asks, and shows the answers at the part. ``place_wanted`` names the place that must be seen
    for that."""

    place_wanted = Signal(str)

    def __init__(
        self, session: Session, worker: WorkerClient, shape: ShapePlace, part: PartOnScreen
    ) -> None:
        super().__init__(shape)
        self.session, self.worker, self.shape, self.part = session, worker, shape, part
        self._trying = self._glancing = self._gauging = self._off = self._following = 0
        self._bending, self._bend_next = 0, -1.0
        self.glance = GlanceCard()
        self._glance_at = ""
        self._rest = QTimer(self, singleShot=True, interval=_REST)
        self._rest.timeout.connect(self._ask_glance)
        self.gauge = GaugeTool(shape.view)
        self.gauge.wanted.connect(self._ask_gauge)
        self.gauge.told.connect(shape.prompt)
        shape.follow_wanted.connect(self.ask_follows)
        shape.try_wanted.connect(self.try_values)
        shape.bar.gauge_wanted.connect(self.measure)
        shape.bar.off_wanted.connect(self.ask_off)
        shape.blank.bend_wanted.connect(self.bend_to)
        shape.steps.pointed.connect(self._rest_on)
        shape.strip.looked_at.connect(
            lambda card: shape.show_other(card.parts, session.lens, card.report)
        )
        shape.other_seen.connect(self._other_seen)
        shape.as_is_seen.connect(self.ask_off)
        shape.strip.closed.connect(self._show_known)
        session.changed.connect(shape.strip.close_strip)
        session.changed.connect(self._changed)
        part.told.connect(self.ask_off)
        part.drawn.connect(self._gauge_anew)

    def _changed(self) -> None:
        """What was asked of the design before is not wanted any more."""
        self.glance.hide()
        for asked in (self._glancing, self._following):
            self.worker.forget(asked)

    # Folded parts on their way

    def bend_to(self, share: float) -> None:
        """Show folded parts bent by a share; of those asked for while one is worked out only the
        last counts."""
        self._bend_next = share
        if not self._bending:
            self._ask_bent()

    def _ask_bent(self) -> None:
        share, self._bend_next = self._bend_next, -1.0
        if share >= 1.0:
            self.part.show_known()
            return

        def answered(answer: talk.BentTo | talk.Refused, arrays: Arrays) -> None:
            self._bending = 0
            if self._bend_next >= 0:
                self._ask_bent()
            elif isinstance(answer, talk.BentTo) and self.shape.blank.bent.value() < 100:
                told = answer.report["parts"]
                parts = [part_from(one, arrays, number) for number, one in enumerate(told)]
                self.shape.show_other(parts, self.session.lens)

        self._bending = self._ask("bend_to", repr(share), answered)

    # What follows a size, and values to try

    def _chosen_size(self) -> str:
        name = self.shape.chosen_size
        if self.session.design.size(name) is None:
            self.session.said.emit("Choose a size first.")
            return ""
        self.place_wanted.emit("shape")
        self.shape.stop_drawing()
        return name

    def ask_follows(self) -> None:
        """Light up the faces that move with the chosen size."""
        name = self._chosen_size()
        if name:
            self.session.said.emit(f"Looking what follows {say_name(name)} …")
            self.worker.forget(self._following)
            self._following = self._ask(
                "follow", name, lambda found, _: self.shape.show_follows(found)
            )

    def _other_seen(self, _: object) -> None:
        """What is measured, and how far faces are off, is so on the part as it is only."""
        self.stop_measuring()
        self.worker.forget(self._off)
        self.shape.view.show_off({})

    def _ask(self, what: str, about: str, answered: Any) -> int:
        session = self.session
        return self.worker.ask(what, about, session.design, session.lens, session.process, answered)

    def try_values(self) -> None:
        """The part for values of the chosen size that are worth trying."""
        name = self._chosen_size()
        if not name:
            return
        self.worker.forget(self._trying)
        self.shape.see_as_it_is()
        strip = self.shape.strip
        strip.begin(name)

        def take(answer: talk.Tried | talk.Refused | talk.GivenUp, arrays: Arrays) -> None:
            if strip.size_name == name:
                strip.take(answer, arrays)

        self._trying = self._ask("try", name, take)

    def _show_known(self) -> None:
        self.worker.forget(self._trying)
        self.part.show_known()

    # Measuring by picking

    def measure(self) -> None:
        """Measure between two spots picked in the view; again to stop."""
        view = self.shape.view
        if view.tool is not None:
            self.stop_measuring()
            return
        self.place_wanted.emit("shape")
        self.shape.stop_drawing()
        self.shape.stop_picking()
        self.shape.see_as_it_is()
        self.gauge.picked, self.gauge.reading, self.gauge.ends = [], "", None
        view.use_tool(self.gauge)
        view.setFocus()
        self.shape.bar.show_measuring(True)
        self.shape.prompt("Pick a corner, a middle, a centre or a face (Esc gives up)")

    def stop_measuring(self) -> bool:
        """Give the pointer back; True if it was measuring."""
        if self.shape.view.tool is None:
            return False
        self.worker.forget(self._gauging)
        self.shape.view.use_tool(None)
        self.shape.bar.show_measuring(False)
        self.shape.prompt("")
        return True

    def _gauge_anew(self) -> None:
        if self.shape.view.tool is self.gauge:
            self.gauge.follow()

    def _ask_gauge(self, first: str, second: str) -> None:
        self.worker.forget(self._gauging)  # what was picked before is not asked about any more

        def answered(answer: talk.Gauged | talk.Refused, _: Arrays) -> None:
            if isinstance(answer, talk.Refused):
                self.shape.prompt(answer.text)
                return
            a, b = answer.ends
            apart = [abs(p - q) for p, q in zip(a, b, strict=True)]
            length = sum(c * c for c in apart) ** 0.5
            along = [
                f"{axis} {plain(c, 3)}" for axis, c in zip("xyz", apart, strict=True) if c > 5e-4
            ]
            reading = self.session.say(Quantity(length, LENGTH))
            self.gauge.take(f"{reading}  ({', '.join(along)})" if len(along) > 1 else reading, a, b)

        self._gauging = self._ask("gauge", f"{first} | {second}", answered)

    def keep_measure(self) -> bool:
        """Keep what was measured as a note that follows the part; True if there was something to
        keep."""
        if self.shape.view.tool is None or self.gauge.ends is None:
            return False
        first, second = (spot.name for spot in self.gauge.picked)
        name = edits.free_name(self.session.design, "note")
        step = Measure(name=name, first=first, second=second)
        self.stop_measuring()
        if self.session.edit(lambda design: edits.put_step(design, step), f"keep {name}"):
            self.session.said.emit(f"Kept as {name}: use it in formulas as {name}.value")
        return True

    # How far what is expected lies from what is wanted

    def ask_off(self) -> None:
        """The map of deviations, where it is wanted and the lens is *Expected*; else none."""
        self.worker.forget(self._off)  # the map of another part, or of one that nobody asks for
        wanted = self.shape.bar.off.isChecked() and self.session.lens == "expected"
        if not wanted or self.shape.sees_other:
            self.shape.view.show_off({})
            return
        self._off = self._ask(
            "deviate", "", lambda found, _: self.shape.view.show_off(getattr(found, "parts", {}))
        )

    # What a step changed, as a small picture

    def _rest_on(self, step: str) -> None:
        self.glance.hide()
        self._glance_at = step
        self._rest.start() if step else self._rest.stop()

    def _ask_glance(self) -> None:
        """Ask for the part after the step that the pointer rests on, unless it is known."""
        step, panel = self._glance_at, self.shape.steps
        if step not in panel.cards or not self.part.is_up_to_date() or self.shape.is_drawing:
            return
        state = panel.cards[step].state.get("state", "")
        if state not in ("built", "carried"):
            return
        self.worker.forget(self._glancing)

        def answered(answer: talk.Glanced | talk.Refused, arrays: Arrays) -> None:
            if isinstance(answer, talk.Glanced) and self._glance_at == step:
                parts = [
                    part_from(part, arrays, k) for k, part in enumerate(answer.report["parts"])
                ]
                self._show_glance(step, parts)

        self._glancing = self._ask("glance", step, answered)

    def _show_glance(self, step: str, parts: list[ShownPart]) -> None:
        panel = self.shape.steps
        if not parts or step not in panel.cards:
            return
        made = self.shape.made_by(frozenset({step}))
        self.glance.show_parts(parts, made)
        card = panel.cards[step]
        corner = card.mapToGlobal(QPoint(0, 0))
        window = self.shape.window()
        low = window.mapToGlobal(QPoint(0, window.height())).y() - self.glance.height() - 8
        self.glance.move(corner.x() - self.glance.width() - 10, min(corner.y(), low))
        self.glance.show()
