"""Fold along a line: what lies beyond a drawn line of a sheet is turned up or down."""

from __future__ import annotations

from typing import Literal

from ..kernel.body import Body
from ..kernel.folding import Fold, folded_along
from ..model import FormulaText, Identifier
from ..process.bending import set_back
from .base import Slot, Step
from .choosing import sketch_of
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    LinePiece,
    Sentence,
    SentencePiece,
    StepPiece,
    Words,
)
from .sheet_work import (
    angle_in,
    angle_slot,
    asked_radius,
    bend_for,
    line_on,
    radius_pieces,
    radius_slot,
    relief_of,
    relief_pieces,
    relief_slots,
    sheet_of,
)
from .workshop import Feature, Workshop

#: What a drawn line is to a bend, in words.
LINE_IS = {
    "outside": "where the outer faces would meet",
    "inside": "where the inner faces would meet",
    "start": "where the bend starts",
    "middle": "the middle of the bend on the blank",
}


class FoldAlong(Step):
    """Bends a sheet along a straight line that is drawn on one of its panels."""

    order = 112
    title = "Fold along a line"
    purpose = "Bend a panel of a sheet along a drawn line"
    also = "bend sheet metal crease score line"
    refers = ("sketch",)

    kind: Literal["fold"] = "fold"
    sketch: Identifier | Literal[""] = ""
    about: str = ""
    moves: Literal["left", "right"] = "left"
    way: Literal["up", "down"] = "up"
    angle: FormulaText = "90 deg"
    line_is: Literal["outside", "inside", "start", "middle"] = "outside"
    radius_by: Literal["machine", "formula"] = "machine"
    radius: FormulaText = "1 mm"
    across: Literal["all", "line"] = "all"
    relief: Literal["none", "square", "round", "torn"] = "square"
    relief_by: Literal["machine", "formula"] = "machine"
    relief_width: FormulaText = "1 mm"
    relief_depth: FormulaText = "2 mm"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        found = [angle_slot(self.angle), *radius_slot(self.radius_by, self.radius)]
        if self.across == "line":
            found += relief_slots(self.relief_by, self.relief, self.relief_width, self.relief_depth)
        return tuple(found)

    def sentence(self) -> Sentence:
        lines: list[tuple[SentencePiece, ...]] = [
            (
                Words("fold along"),
                LinePiece("about", "sketch"),
                Words("of"),
                StepPiece("sketch", ("sketch",)),
                ChoicePiece("way", {"up": "upwards", "down": "downwards"}),
                Words("by"),
                FormulaPiece("angle"),
            ),
            (
                Words("what lies"),
                ChoicePiece("moves", {"left": "left", "right": "right"}),
                Words("of it moves; the line is"),
                ChoicePiece("line_is", LINE_IS),
            ),
            radius_pieces(self.radius_by),
            (ChoicePiece("across", {"all": "all across", "line": "only as far as the line goes"}),),
        ]
        if self.across == "line":
            lines.append(relief_pieces(self.relief_by, self.relief))
        return tuple(lines)

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        sheet = sheet_of(shop.bodies, self.part)
        line = line_on(sheet, drawing, self.about, self.moves)
        angle = angle_in(shop, self.angle, 180.0, "Use the step “Hem” to fold an edge right over.")
        signed = angle if (self.way == "up") == line.up else -angle
        radius = asked_radius(shop, self.radius_by, self.radius)
        bend = bend_for(shop, self.part, sheet.thickness, signed, radius)
        off = {
            "outside": set_back(angle, bend.turn.radius + sheet.thickness),
            "inside": set_back(angle, bend.turn.radius),
            "start": 0.0,
            "middle": bend.turn.length / 2,
        }[self.line_is]
        fold = Fold(
            line.panel, line.at, line.out, off, off, (bend.turn,),
            line.span if self.across == "line" else None,
        )  # fmt: skip
        relief = relief_of(
            shop, self.relief_by, self.relief, self.relief_width, self.relief_depth, sheet,
            bend.turn.radius,
        )  # fmt: skip

        def change(body: Body) -> Body:
            assert body.folded is not None
            made = folded_along(body.folded, self.name, fold, relief)
            return Body((), None, {**body.frames, **made.face_frames()}, made)

        return Feature("add", self.part, change=change, remarks=bend.remarks)
