"""Offset bend: two bends that lift what lies beyond a line, parallel to where it was."""

from __future__ import annotations

import math
from typing import Literal

from ..kernel.folding import Folded, Turn
from ..model import FormulaText
from .along_line import LINE_IS, AlongLine, LineIs
from .base import Slot
from .sentence import ChoicePiece, FormulaPiece, Sentence, Words
from .workshop import StepError, Workshop, above_zero

#: The least flat between the two bends, mm.
_LEAST_WEB = 0.02


class OffsetBend(AlongLine):
    """Lifts what lies beyond a drawn line by a height; seen from above everything keeps its
    place."""

    order = 113
    title = "Offset bend"
    purpose = "Lift part of a sheet beyond a line: two bends, a lap seam"
    also = "joggle step lap seam sheet metal raise z bend"
    most = (150.0, "An offset goes to below 150°.")

    kind: Literal["offset_bend"] = "offset_bend"
    height: FormulaText = "2 mm"
    measured: Literal["middle", "between", "over"] = "middle"
    angle: FormulaText = "45 deg"
    line_is: LineIs = "start"

    def slots(self) -> tuple[Slot, ...]:
        return (Slot("height", self.height, "height of the offset"), *super().slots())

    def sentence(self) -> Sentence:
        measured = {
            "middle": "from middle to middle",
            "between": "of room between the two levels",
            "over": "in all, over both",
        }
        return (
            (
                Words("lift what lies"),
                self.say_side(),
                Words("of"),
                *self.say_line(),
                self.say_way(),
                Words("by"),
                FormulaPiece("height"),
                ChoicePiece("measured", measured),
            ),
            (
                Words("at"),
                FormulaPiece("angle"),
                Words("; the line is"),
                ChoicePiece("line_is", LINE_IS),
            ),
            *self.say_rest(),
        )

    def chain(
        self, shop: Workshop, sheet: Folded, turn: Turn, off: float
    ) -> tuple[tuple[Turn | float, ...], float]:
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
        web, run = self._web(lift, abs(turn.angle), turn.radius + thick / 2, thick)
        back = Turn(-turn.angle, turn.radius, turn.length)
        return (turn, web, back), run - off

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
