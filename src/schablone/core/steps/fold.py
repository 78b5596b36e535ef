"""Fold along a line: what lies beyond a drawn line of a sheet is turned up or down."""

from __future__ import annotations

from typing import Literal

from ..kernel.folding import Folded, Turn
from .along_line import LINE_IS, AlongLine
from .sentence import ChoicePiece, FormulaPiece, Sentence, Words
from .workshop import Workshop


class FoldAlong(AlongLine):
    """Bends a sheet along a straight line that is drawn on one of its panels."""

    order = 112
    title = "Fold along a line"
    purpose = "Bend a panel of a sheet along a drawn line"
    also = "bend sheet metal crease score line"
    most = (180.0, "Use the step “Hem” to fold an edge right over.")

    kind: Literal["fold"] = "fold"

    def sentence(self) -> Sentence:
        return (
            (
                Words("fold along"),
                *self.say_line(),
                self.say_way(),
                Words("by"),
                FormulaPiece("angle"),
            ),
            (
                Words("what lies"),
                self.say_side(),
                Words("of it moves; the line is"),
                ChoicePiece("line_is", LINE_IS),
            ),
            *self.say_rest(),
        )

    def chain(
        self, shop: Workshop, sheet: Folded, turn: Turn, off: float
    ) -> tuple[tuple[Turn | float, ...], float]:
        return (turn,), off
