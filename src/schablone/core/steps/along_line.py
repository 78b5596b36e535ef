"""What the steps have in common that bend a sheet along a drawn line."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal

from ..kernel.folding import Fold, Folded, Turn, fold_there, folded_along
from ..kernel.motion import Motion
from ..model import FormulaText, Identifier
from ..process.bending import set_back
from .base import Slot, Step
from .choosing import sketch_of
from .sentence import ChoicePiece, LinePiece, SentencePiece, StepPiece, Words
from .sheet_work import (
    angle_in,
    angle_slot,
    asked_radius,
    bend_for,
    change_of_sheet,
    line_on,
    radius_pieces,
    radius_slot,
    relief_of,
    relief_pieces,
    relief_slots,
    sheet_of,
)
from .workshop import Feature, Workshop

LineIs = Literal["outside", "inside", "start", "middle"]
#: What a drawn line is to a bend, in words.
LINE_IS = {
    "outside": "where the outer faces would meet",
    "inside": "where the inner faces would meet",
    "start": "where the bend starts",
    "middle": "the middle of the bend on the blank",
}


class AlongLine(Step):
    """Bends a sheet along a straight line that is drawn on one of its panels."""

    refers = ("sketch",)
    repeatable = True
    #: The angle stays below this, degrees, and what to do instead.
    most: ClassVar[tuple[float, str]] = (180.0, "")

    sketch: Identifier | Literal[""] = ""
    about: str = ""
    moves: Literal["left", "right"] = "left"
    way: Literal["up", "down"] = "up"
    angle: FormulaText = "90 deg"
    line_is: LineIs = "outside"
    radius_by: Literal["machine", "formula"] = "machine"
    radius: FormulaText = "1 mm"
    across: Literal["all", "line"] = "all"
    relief: Literal["none", "square", "round", "torn"] = "square"
    relief_by: Literal["machine", "formula"] = "machine"
    relief_width: FormulaText = "1 mm"
    relief_depth: FormulaText = "2 mm"
    part: Identifier = "part"

    def bent_to(self) -> Mapping[str, str]:
        return {"angle": "angle"}

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        slots = (angle_slot(self.angle), *radius_slot(self.radius_by, self.radius))
        if self.across == "all":
            return slots
        return (
            *slots,
            *relief_slots(self.relief_by, self.relief, self.relief_width, self.relief_depth),
        )

    def chain(
        self, shop: Workshop, sheet: Folded, turn: Turn, off: float
    ) -> tuple[tuple[Turn | float, ...], float]:
        """The bends with the flats between, and how much of the sheet beyond the line they take the
        place of, mm. ``turn`` is the first bend; it starts ``off`` mm on this side of the line."""
        raise TypeError(f"{type(self).__name__} bends nothing")

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        sheet = sheet_of(shop.bodies, self.part)
        line = line_on(sheet, drawing, self.about, self.moves)
        angle = angle_in(shop, self.angle, *self.most)
        signed = angle if (self.way == "up") == line.up else -angle
        radius = asked_radius(shop, self.radius_by, self.radius)
        bend = bend_for(shop, self.part, sheet.thickness, signed, radius)
        turn = bend.turn
        off = {
            "outside": set_back(angle, turn.radius + sheet.thickness),
            "inside": set_back(angle, turn.radius),
            "start": 0.0,
            "middle": turn.length / 2,
        }[self.line_is]
        chain, after = self.chain(shop, sheet, turn, off)
        span = line.span if self.across == "line" else None
        fold = Fold(line.panel, line.at, line.out, off, after, chain, span)
        said = self.relief_by, self.relief, self.relief_width, self.relief_depth
        relief = relief_of(shop, self.part, said, sheet, turn.radius)

        def make(folded: Folded, name: str) -> Folded:
            return folded_along(folded, name, fold, relief)

        def again(folded: Folded, name: str, motion: Motion) -> Folded:
            there = fold_there(folded, sheet.frames[fold.panel], fold, motion)
            return folded_along(folded, name, there, relief)

        return change_of_sheet("add", self.part, make, again, self.name, bend.remarks)

    # Pieces of their sentences

    def say_line(self) -> tuple[SentencePiece, ...]:
        """The line, in its sentence."""
        return (LinePiece("about", "sketch"), Words("of"), StepPiece("sketch", ("sketch",)))

    def say_way(self) -> ChoicePiece:
        """Upwards or downwards, in its sentence."""
        return ChoicePiece("way", {"up": "upwards", "down": "downwards"})

    def say_side(self) -> ChoicePiece:
        """Which side moves, in its sentence."""
        return ChoicePiece("moves", {"left": "left", "right": "right"})

    def say_rest(self) -> tuple[tuple[SentencePiece, ...], ...]:
        """The lines that end the sentence: radius, how far, relief."""
        far = ChoicePiece("across", {"all": "all across", "line": "only as far as the line goes"})
        lines: tuple[tuple[SentencePiece, ...], ...] = (radius_pieces(self.radius_by), (far,))
        if self.across == "line":
            lines = (*lines, relief_pieces(self.relief_by, self.relief))
        return lines
