"""Dimensions that stand on the part: those of the chosen step, what was measured, what is said at a
place; and the field that a formula is typed into there."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject

from ...core.design import edit as edits
from ...core.formula import FormulaError
from ...core.quantity import LENGTH, Quantity
from ...core.steps.base import Slot
from ...core.words import say_name
from ..session import Session
from ..view3d.figures import Figure
from ..view3d.view import PartView
from ..widgets.field_over import FieldOver
from ..widgets.formula_edit import FormulaEdit
from .steps_panel import StepsPanel

#: How wide the field is, pixels.
_WIDE = 240


class PartFigures(QObject):
    """Tells the view which dimensions to show, and lets them be edited where they stand."""

    def __init__(self, session: Session, view: PartView, steps: StepsPanel) -> None:
        super().__init__(view)
        self.session, self.view, self.steps = session, view, steps
        self.on, self._rests = True, False
        self.field = FieldOver(view)
        self._anchors: dict[str, list[Any]] = {}
        self._notes: dict[str, tuple[Any, Any, float]] = {}
        self._said_at: tuple[str, tuple[float, float, float]] | None = None
        steps.went_to.connect(self.refresh)
        steps.went_to.connect(self.unsay)
        session.changed.connect(self.unsay)
        view.figure_clicked.connect(self.edit)
        view.figure_clicked.connect(self.unsay)

    def show(
        self, anchors: dict[str, list[Any]], notes: dict[str, tuple[Any, Any, float]] | None = None
    ) -> None:
        """Where dimensions lie on the part, and between which points what was measured, as the
        worker said."""
        self._anchors, self._notes = anchors, notes or {}
        self.refresh()

    def refresh(self) -> None:
        """The dimensions of the chosen step, and of the sketch that it uses."""
        if self._rests:
            self.view.show_figures([])
            return
        design = self.session.design
        chosen = design.step(self.steps.chosen)
        names = (
            [chosen.name, str(getattr(chosen, "sketch", "")), chosen.carries()] if chosen else []
        )
        figures = []
        for step in (design.step(name) for name in dict.fromkeys(names) if name):
            slots = {slot.path: slot for slot in step.slots()} if step is not None else {}
            parts = design.parts_of(step) if step is not None else ()
            part = min(parts, default="")
            for path, at in (
                self._anchors.get(step.name, []) if step is not None and self.on else []
            ):
                if path in slots:
                    figures.append(
                        Figure(
                            self._figure_text(slots[path]), tuple(at), step.name, path, part=part
                        )
                    )
        if self._said_at is not None:
            figures.append(Figure(self._said_at[0], self._said_at[1], "", ""))
        for name, (a, b, length) in self._notes.items() if self.on else ():
            said = f"{say_name(name)} = {self.session.say(Quantity(length, LENGTH))}"
            figures.append(Figure(said, tuple(a), name, "", tuple(b)))
        self.view.show_figures(figures)

    def rest(self, on: bool) -> None:
        """None at all while another part is seen, which has other dimensions."""
        if on != self._rests:
            self._rests = on
            self.field.close()
            self.refresh()

    def toggle(self) -> None:
        """Dimensions on the part, or not."""
        self.on = not self.on
        self.refresh()

    def say_at(self, words: str, at: tuple[float, float, float]) -> None:
        """Say something at a point of the part, with parts seen through, until something is
        chosen or changed."""
        self._said_at = (words, at)
        self.view.see_through(True)
        self.refresh()

    def unsay(self) -> bool:
        """Say it no longer; True if there was something said."""
        if self._said_at is None:
            return False
        self._said_at = None
        self.view.see_through(False)
        self.refresh()
        return True

    def _figure_text(self, slot: Slot) -> str:
        """A formula with its value: ``board = 4 mm``."""
        table = self.session.table
        try:
            said = self.session.say(table.compile(slot.formula, slot.kind).value(table.env()))
        except FormulaError:
            return slot.formula
        text = slot.formula if len(slot.formula) <= 22 else f"{slot.formula[:20]}…"
        return said if text.replace(" ", "") == said.replace(" ", "") else f"{text} = {said}"

    def edit(self, step: str, path: str) -> None:
        """Type another formula where the dimension stands on the part."""
        self.field.close()
        if not path:
            self.steps.choose(step)
            return
        box, current = self.view.box_of(step, path), self.session.design.step(step)
        slot = next((s for s in current.slots() if s.path == path), None) if current else None
        if box is None or slot is None:
            return
        session = self.session
        field = FormulaEdit(
            slot.formula,
            lambda: session.table,
            wanted=slot.kind,
            units=session.units(),
            as_it_is=slot.formula,
        )
        field.line.tabs_on = True
        field.onward.connect(lambda way: self._edit_next(step, path, way))

        def take(text: str) -> None:
            self.field.close()
            session.edit(
                lambda design: edits.change_step(design, step, path, text), f"{slot.label} = {text}"
            )

        field.committed.connect(take)
        field.made.connect(session.make_size)
        self.field.show(field, box.topLeft().toPoint(), _WIDE)
        field.begin()

    def _edit_next(self, step: str, path: str, way: int) -> None:
        """The next figure on the part, or the one before; after the last comes the first."""
        there = [(figure.step, figure.path) for figure in self.view.figures if figure.path]
        if (step, path) in there:
            self.edit(*there[(there.index((step, path)) + way) % len(there)])
