"""A grid of any step that adds or cuts: rows of rows, every second one staggered if wanted."""

from __future__ import annotations

from typing import Literal

from ..kernel.motion import Motion
from ..model import FormulaText, Identifier
from ..quantity import COUNT
from .base import (
    REPEATABLE,
    ChoicePiece,
    Feature,
    FormulaPiece,
    Sentence,
    Slot,
    Step,
    StepError,
    StepPiece,
    Words,
    Workshop,
)
from .repeating import MOST_MEMBERS, repeated, seed_of, whole


class Grid(Step):
    """Repeats a step over the x/y plane, spread evenly about where that step stands.

    In a staggered grid every second row is shifted by half a pitch and has one member less, so that it stays
    within the width of the others.
    """

    order = 42
    title = "Grid"
    purpose = "Repeat a step in rows and columns"
    refers = ("of",)

    kind: Literal["grid"] = "grid"
    of: Identifier | Literal[""] = ""
    columns: FormulaText = "3"
    column_pitch: FormulaText = "10 mm"
    rows: FormulaText = "2"
    row_pitch: FormulaText = "10 mm"
    form: Literal["square", "staggered"] = "square"

    def carries(self) -> str:
        return self.of

    def slots(self) -> tuple[Slot, ...]:
        return (
            Slot("columns", self.columns, "count along x", COUNT),
            Slot("column_pitch", self.column_pitch, "pitch along x", along="part x"),
            Slot("rows", self.rows, "count along y", COUNT),
            Slot("row_pitch", self.row_pitch, "pitch along y", along="part y"),
        )

    def sentence(self) -> Sentence:
        return (
            (
                Words("grid of"), StepPiece("of", REPEATABLE), FormulaPiece("columns"), Words("along x, one every"),
                FormulaPiece("column_pitch"),
            ),
            (
                Words("and"), FormulaPiece("rows"), Words("along y, one every"), FormulaPiece("row_pitch"),
                ChoicePiece("form", {"square": "in line", "staggered": "every second row staggered"}),
            ),
        )  # fmt: skip

    def feature(self, shop: Workshop) -> Feature:
        seed = seed_of(shop, self.of)
        columns = whole(shop.values["columns"], "count along x", self.columns, "columns")
        rows = whole(shop.values["rows"], "count along y", self.rows, "rows")
        dx, dy = shop.values["column_pitch"], shop.values["row_pitch"]
        if columns * rows > MOST_MEMBERS:
            raise StepError(
                f"The grid would have {columns * rows:,} members; {MOST_MEMBERS:,} are the most.",
                "Make the counts smaller.",
                "rows",
            )
        motions = []
        for j in range(rows):
            inset = self.form == "staggered" and j % 2 == 1
            count = columns - 1 if inset else columns
            for i in range(count):
                motions.append(Motion.move(((i - (count - 1) / 2) * dx, (j - (rows - 1) / 2) * dy, 0.0)))
        return repeated(seed, motions)
