"""A grid of any step that adds or cuts: rows of rows, every second one staggered if wanted."""

from __future__ import annotations

from typing import Literal

from ..kernel.motion import Motion
from ..model import FormulaText
from ..quantity import COUNT
from .base import Slot
from .repeating import MOST_MEMBERS, Repeats, whole
from .sentence import ChoicePiece, FormulaPiece, Sentence, Words
from .workshop import Feature, StepError, Workshop


class Grid(Repeats):
    """Repeats a step over the x/y plane, spread evenly about where that step stands.

    In a staggered grid every second row is shifted by half a pitch and has one member less, so that
    it stays within the width of the others.
    """

    order = 42
    in_stencils = True
    title = "Grid"
    purpose = "Repeat a step in rows and columns"
    also = "repeat rows columns staggered array"
    repeatable = True

    kind: Literal["grid"] = "grid"
    columns: FormulaText = "3"
    column_pitch: FormulaText = "10 mm"
    rows: FormulaText = "2"
    row_pitch: FormulaText = "10 mm"
    form: Literal["square", "staggered"] = "square"
    place: Literal["about", "on"] = "about"

    def slots(self) -> tuple[Slot, ...]:
        return (
            Slot("columns", self.columns, "count along x", COUNT),
            Slot("column_pitch", self.column_pitch, "pitch along x", along="part x"),
            Slot("rows", self.rows, "count along y", COUNT),
            Slot("row_pitch", self.row_pitch, "pitch along y", along="part y"),
            *self.omit_slots(("column", "columns"), ("row", "rows")),
        )

    def sentence(self) -> Sentence:
        return (
            (
                Words("grid of"),
                *self.say_what(),
                FormulaPiece("columns"),
                Words("along x, one every"),
                FormulaPiece("column_pitch"),
            ),
            (
                Words("and"),
                FormulaPiece("rows"),
                Words("along y, one every"),
                FormulaPiece("row_pitch"),
                ChoicePiece(
                    "form", {"square": "in line", "staggered": "every second row staggered"}
                ),
            ),
            (
                ChoicePiece(
                    "place", {"about": "about where it is", "on": "going on from where it is"}
                ),
            ),
            *self.say_omit(),
        )

    def feature(self, shop: Workshop) -> Feature:
        columns = whole(shop.values["columns"], "count along x", self.columns, "columns")
        rows = whole(shop.values["rows"], "count along y", self.rows, "rows")
        dx, dy = shop.values["column_pitch"], shop.values["row_pitch"]
        if columns * rows > MOST_MEMBERS:
            raise StepError(
                f"The grid would have {columns * rows:,} members; {MOST_MEMBERS:,} are the most.",
                "Make the counts smaller.",
                "rows",
            )
        motions: dict[tuple[int, ...], Motion] = {}
        for j in range(rows):
            inset = self.form == "staggered" and j % 2 == 1
            count = columns - 1 if inset else columns
            # About the step its middle stays where the step is; going on, its first corner does.
            along, across = (
                ((count - 1) / 2, (rows - 1) / 2)
                if self.place == "about"
                else (-0.5 if inset else 0.0, 0.0)
            )
            for i in range(count):
                motions[(i + 1, j + 1)] = Motion.move(((i - along) * dx, (j - across) * dy, 0.0))
        return self.repeat(shop, motions)
