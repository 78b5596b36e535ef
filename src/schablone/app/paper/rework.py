"""What is made of what is chosen on the sheet: copies, a wall along it, pieces of it."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QPointF
from PySide6.QtGui import QCursor
from PySide6.QtWidgets import QMenu

from ...core.design import edit as edits
from ...core.quantity import LENGTH
from ...core.sketch.copying import mirrored, repeated, ringed
from ...core.sketch.drawing import ORIGIN, X_AXIS, Y_AXIS, Drawing, Line, Point
from ...core.sketch.offset_copy import offset_copy
from ...core.sketch.revise import split, trimmed
from ...core.steps.sketch import Wall
from ...core.words import sentence
from .desk import Desk
from .paper import Paper

#: A minus before nothing but a name or a number with its unit, which may go.
_LESS = re.compile(r"\s*-\s*([\w.]+(?: *[^\W\d]+)?)\s*")


def _turned(formula: str) -> str:
    """The same length the other way: with more behind the minus it is not just left out."""
    alone = _LESS.fullmatch(formula)
    return alone[1] if alone else f"-({formula.strip()})"


class Rework:
    """What a command above the sheet does to what is chosen, or to what is clicked from then on."""

    def __init__(self, desk: Desk, paper: Paper) -> None:
        self.desk, self.paper, self.session = desk, paper, desk.session

    def _chosen(self) -> list[str]:
        return [name for name in self.desk.chosen if name in self.desk.drawing.by_name]

    def _try(self, make: Callable[[], Any], did: str) -> None:
        try:
            changed = make()
        except ValueError as error:
            self.desk.said.emit(sentence(str(error)))
            return
        self.desk.put(changed, did)

    def how_many(self, repeat: Callable[[int], None]) -> None:
        """Ask for a count, the first included, then repeat."""
        if not self._chosen():
            self.desk.said.emit("Choose what to repeat first.")
            return
        menu = QMenu(self.paper)
        for count in (2, 3, 4, 5, 6, 8, 10, 12, 16, 24):
            menu.addAction(f"{count} in all", lambda count=count: repeat(count))
        menu.exec(QCursor.pos())

    def mirror(self) -> None:
        """Mirror about the line or axis that was chosen last."""
        chosen = list(self.desk.chosen)
        about = chosen[-1] if chosen else ""
        is_line = about in (X_AXIS, Y_AXIS) or isinstance(self.desk.drawing.element(about), Line)
        if len(chosen) < 2 or not is_line:
            self.desk.said.emit(
                "Choose what to mirror, then with Shift the line or axis to mirror about."
            )
            return
        names = [name for name in chosen[:-1] if name in self.desk.drawing.by_name]
        self._try(lambda: mirrored(self.desk.settled_drawing(), names, about), "mirror")

    def repeat(self, count: int) -> None:
        chosen = self._chosen()
        if not chosen:
            self.desk.said.emit("Choose what to repeat first.")
            return
        curves = [c for name in chosen for c in self.desk.curves.get(name, [])]
        xs = [p[0] for c in curves for p in (c.start, c.end)] or [0.0]
        step = (round(1.5 * max(max(xs) - min(xs), 5.0), 1), 0.0)
        self._try(lambda: repeated(self.desk.settled_drawing(), chosen, count, step), "row")

    def ring(self, count: int) -> None:
        chosen = self._chosen()
        last = chosen[-1] if chosen else ""
        centre = (
            last
            if len(chosen) > 1 and isinstance(self.desk.drawing.element(last), Point)
            else ORIGIN
        )
        names = [name for name in chosen if name != centre]
        if not names:
            self.desk.said.emit("Choose what to repeat, then with Shift the point to go around.")
            return
        self._try(lambda: ringed(self.desk.settled_drawing(), names, count, centre), "ring")

    def offset(self) -> None:
        """Ask for a distance, then copy what is chosen at that distance."""
        if not self._chosen():
            self.desk.said.emit("Choose lines and arcs that close, or a circle, first.")
            return
        middle = self.paper.rect().center()
        self.paper.number.open("", "distance, such as 3 mm or -wall", self.offset_by, middle)

    def offset_by(self, formula: str) -> None:
        """Copy what is chosen at the distance that a formula gives; below zero it goes inwards."""
        table = self.session.table
        value = table.compile(formula, LENGTH).value(table.env()).value
        self.paper.number.close()
        positive = formula if value >= 0 else _turned(formula)
        names, drawing = self._chosen(), self.desk.settled_drawing()
        made: list[str] = []

        def copy() -> Drawing:
            assert self.desk.settled is not None
            shapes = self.desk.settled.system.shapes
            changed, new = offset_copy(drawing, self.desk.curves, names, value, positive, shapes)
            made.extend(new)
            return changed

        self._try(copy, "offset")
        if made:
            self.desk.choose(made)

    def wall(self) -> None:
        """A second outline along all that is drawn; its size and direction stand in the sketch's
        card."""
        step = self.desk.step
        if step is None:
            return
        taken = {wall.name for wall in step.walls}
        name = next(f"wall_{k}" for k in range(1, 99) if f"wall_{k}" not in taken)
        walls = (*step.walls, Wall(name=name))
        self.session.edit(
            lambda design: edits.change_step(design, step.name, "walls", walls), "wall"
        )

    def split(self) -> None:
        chosen = self._chosen()
        points = [name for name in chosen if isinstance(self.desk.drawing.element(name), Point)]
        curves = [name for name in chosen if name not in points]
        if len(curves) != 1:
            self.desk.said.emit("Choose a line or arc to split, and if you like a point on it.")
            return
        pieces = self.desk.curves[curves[0]]
        from ...core.sketch.crossing import Span

        at = self.desk.xy(points[0]) if points else Span(pieces[0]).at(0.5)
        self._try(lambda: split(self.desk.settled_drawing(), curves[0], at), "split")

    def begin_trim(self) -> None:
        """From now on a click takes away a piece, until Escape."""
        self.paper.begin("trim", "Click on the pieces to take away. Escape ends it.")

    def trim_at(self, q: QPointF) -> None:
        name = self.paper.hit(q)
        if name in self.desk.curves:
            drawing = self.desk.settled_drawing()
            self._try(
                lambda: trimmed(drawing, self.desk.curves, name, self.paper.to_paper(q)), "trim"
            )
