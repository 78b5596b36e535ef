"""Looking at the design as it would be at other sizes, and small pictures of that: a way of
looking, not an edit."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QPixmap

from ..core.design import Design
from ..core.design import edit as edits
from ..core.design.evaluate import table_of
from ..core.formula.value_table import Cell
from ..core.process import Process
from ..core.quantity import formula_of
from ..worker import talk
from ..worker.messages import Arrays
from .part_on_screen import PartOnScreen
from .places.cause_card import PICTURE
from .places.glance import small_picture
from .places.shape import ShapePlace
from .session import Session
from .view3d.shown import part_from
from .worker_client import Answered, WorkerClient

if TYPE_CHECKING:
    from ..core.prove.ranges.told import PointTold


class Elsewhere(QObject):
    """Points are as the prover tells them. ``place_wanted`` names the place that must be seen."""

    place_wanted = Signal(str)

    def __init__(
        self, session: Session, worker: WorkerClient, shape: ShapePlace, part: PartOnScreen
    ) -> None:
        super().__init__(shape)
        self.session, self.worker, self.shape, self.part = session, worker, shape, part
        self._point: PointTold | None = None
        self._looking = 0
        shape.look.closed.connect(self._back)
        shape.look.kept.connect(self._keep)
        session.changed.connect(shape.look.close_strip)

    def look(self, point: PointTold, where: str, why: str) -> None:
        """Show the part at a point, and say where that is."""
        self.shape.strip.close_strip()
        self.shape.blank.bent.setValue(self.shape.blank.bent.maximum())
        self.shape.stop_drawing()
        self.place_wanted.emit("shape")
        self.shape.look.begin(f"{where} (building …)", why)
        self._point = point

        def answered(answer: talk.BuiltAt | talk.Refused, arrays: Arrays) -> None:
            if self._point is not point:
                return
            if isinstance(answer, talk.Refused):
                self.shape.look.begin(where, answer.text)
                return
            told = answer.report["parts"]
            parts = [part_from(one, arrays, number) for number, one in enumerate(told)]
            self.shape.look.begin(where if parts else f"{where}: no part can be seen", why)
            if parts:
                self.shape.show_other(parts, "wanted", answer.report)

        self._looking = self._ask(point, small=False, answered=answered)

    def picture(self, point: PointTold, then: Callable[[QPixmap], None]) -> None:
        """A small picture of the part at a point, as soon as there is one."""

        def answered(answer: talk.BuiltAt | talk.Refused, arrays: Arrays) -> None:
            if isinstance(answer, talk.Refused):
                return
            told = answer.report["parts"]
            parts = [part_from(one, arrays, number) for number, one in enumerate(told)]
            if parts:
                try:
                    then(small_picture(parts, PICTURE))
                except RuntimeError:
                    pass  # its card is gone

        self._ask(point, small=True, answered=answered)

    def _ask(self, point: PointTold, *, small: bool, answered: Answered) -> int:
        asked = talk.AtAsked(given=self._given(point), small=small)
        return self.worker.ask(
            "at", asked.model_dump_json(), self._in_row(point), "wanted", self._process(point),
            answered,
        )  # fmt: skip

    def _in_row(self, point: PointTold) -> Design:
        design, row = self.session.design, str(point["row"])
        return edits.choose_row(design, row) if design.table.row(row) is not None else design

    def _process(self, point: PointTold) -> Process:
        return self.session.library.process(point["process"]) or self.session.process

    def _given(self, point: PointTold) -> dict[str, str]:
        cells = self.session.table.cells
        return {
            name: formula_of(float(value), cells[name].wanted.kind)
            for name, value in point["values"].items()
            if name in cells
        }

    def _back(self) -> None:
        self._point = None
        self.worker.forget(self._looking)
        self.part.show_known()

    def _keep(self) -> None:
        """Make the sizes those that are seen: one edit."""
        point = self._point
        if point is None:
            return
        given, base = self._given(point), self._in_row(point)
        # What a size is before it is set: a row of the size table says that of its columns.
        cells = table_of(base, self.session.process, measured=self.session.measured).cells

        def change(_: Design) -> Design:
            changed = base
            for name, formula in given.items():
                if changed.size(name) is not None and (
                    name not in cells or _differ(cells[name], point["values"][name])
                ):
                    changed = edits.set_formula(changed, name, formula)
            return changed

        self.shape.look.close_strip()
        self.session.edit(change, "sizes as they were looked at")


def _differ(cell: Cell, value: float) -> bool:
    return abs(cell.wanted.value - float(value)) > 1e-9
