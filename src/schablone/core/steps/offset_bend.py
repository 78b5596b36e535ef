"""Offset bend: two bends that lift what lies beyond a line, parallel to where it was."""

from __future__ import annotations

import math
from typing import Literal

from ..kernel.body import Body
from ..kernel.folding import Fold, Turn, folded_along
from ..model import FormulaText, Identifier
from ..process.bending import set_back
from .base import Slot, Step
from .choosing import sketch_of
from .fold import LINE_IS
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
from .workshop import Feature, StepError, Workshop, above_zero

#: The least flat between the two bends, mm.
_LEAST_WEB = 0.02


class OffsetBend(Step):
    """Lifts what lies beyond a drawn line by a height; seen from above everything keeps its
    place."""

    order = 113
    title = "Offset bend"
    purpose = "Lift part of a sheet beyond a line: two bends, a lap seam"
    also = "joggle step lap seam sheet metal raise z bend"
    refers = ("sketch",)

    kind: Literal["offset_bend"] = "offset_bend"
    sketch: Identifier | Literal[""] = ""
    about: str = ""
    moves: Literal["left", "right"] = "left"
    way: Literal["up", "down"] = "up"
    height: FormulaText = "2 mm"
    measured: Literal["middle", "between", "over"] = "middle"
    angle: FormulaText = "45 deg"
    line_is: Literal["outside", "inside", "start", "middle"] = "start"
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
        found = [
            Slot("height", self.height, "height of the offset"),
            angle_slot(self.angle),
            *radius_slot(self.radius_by, self.radius),
        ]
        if self.across == "line":
            found += relief_slots(self.relief_by, self.relief, self.relief_width, self.relief_depth)
        return tuple(found)

    def sentence(self) -> Sentence:
        lines: list[tuple[SentencePiece, ...]] = [
            (
                Words("lift what lies"),
                ChoicePiece("moves", {"left": "left", "right": "right"}),
                Words("of"),
                LinePiece("about", "sketch"),
                Words("of"),
                StepPiece("sketch", ("sketch",)),
                ChoicePiece("way", {"up": "upwards", "down": "downwards"}),
                Words("by"),
                FormulaPiece("height"),
                ChoicePiece(
                    "measured",
                    {
                        "middle": "from middle to middle",
                        "between": "of room between the two levels",
                        "over": "in all, over both",
                    },
                ),
            ),
            (
                Words("at"),
                FormulaPiece("angle"),
                Words("; the line is"),
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
        angle = angle_in(shop, self.angle, 150.0, "An offset goes to below 150°.")
        height = above_zero(shop.values["height"], "height of the offset", self.height, "height")
        thick = sheet.thickness
        lift = height + {"middle": 0.0, "between": thick, "over": -thick}[self.measured]
        if lift <= 1e-6:
            raise StepError(
                f"{height:.6g} mm over both levels is no more than the sheet is thick, "
                f"{thick:.4g} mm.",
                "Make it higher, or measure from middle to middle.",
                "height",
            )
        up = (self.way == "up") == line.up
        radius = asked_radius(shop, self.radius_by, self.radius)
        bend = bend_for(shop, self.part, thick, angle if up else -angle, radius)
        web, run = self._web(lift, angle, bend.turn.radius + thick / 2, thick)
        back = replace_angle(bend.turn)
        off = {
            "outside": set_back(angle, bend.turn.radius + thick),
            "inside": set_back(angle, bend.turn.radius),
            "start": 0.0,
            "middle": bend.turn.length / 2,
        }[self.line_is]
        fold = Fold(
            line.panel, line.at, line.out, off, run - off, (bend.turn, web, back),
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

    def _web(self, lift: float, angle: float, middle: float, thick: float) -> tuple[float, float]:
        """How long the flat between the bends is, and how much of the plan the whole takes, mm.
        ``middle`` is the radius of the middle of the sheet in the bends."""
        turn = math.radians(angle)
        web = (lift - 2 * middle * (1 - math.cos(turn))) / math.sin(turn)
        if web < _LEAST_WEB:
            least = 2 * middle * (1 - math.cos(turn)) + _LEAST_WEB * math.sin(turn)
            hint = f"Make “{self.height}” larger, or the radius smaller."
            if lift < 2 * middle:
                most = math.degrees(math.acos(1 - lift / (2 * middle)))
                fits = math.floor(most * 10) / 10 - 0.1
                hint = f"An angle of {fits:.1f}° fits. {hint}"
            raise StepError(
                f"Two bends of {angle:.4g}° with a radius of {middle - thick / 2:.4g} mm lift by "
                f"{least:.4g} mm at least; this asks for {lift:.4g} mm.",
                hint,
                "angle",
            )
        return web, 2 * middle * math.sin(turn) + web * math.cos(turn)


def replace_angle(turn: Turn) -> Turn:
    """The same bend the other way."""
    return Turn(-turn.angle, turn.radius, turn.length)
