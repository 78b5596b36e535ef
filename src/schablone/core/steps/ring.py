"""A ring of any step that adds or cuts, evenly about an upright axis."""

from __future__ import annotations

from typing import Literal

from ..kernel.motion import Motion
from ..model import FormulaText
from ..quantity import ANGLE, COUNT
from .base import Slot
from .repeating import Repeats, whole
from .sentence import ChoicePiece, FormulaPiece, Sentence, Words
from .workshop import Feature, StepError, Workshop


class Ring(Repeats):
    """Repeats a step about an axis through a point: over the full turn, or from the first to the
    last over an angle."""

    order = 44
    in_stencils = True
    title = "Ring"
    purpose = "Repeat a step around an axis"
    also = "repeat circle around array"
    repeatable = True

    kind: Literal["ring"] = "ring"
    count: FormulaText = "6"
    over: Literal["full", "angle"] = "full"
    angle: FormulaText = "180 deg"
    axis: Literal["x", "y", "z"] = "z"
    first: FormulaText = "0 mm"
    second: FormulaText = "0 mm"

    def slots(self) -> tuple[Slot, ...]:
        a, b = {"z": ("x", "y"), "x": ("y", "z"), "y": ("x", "z")}[self.axis]
        slots = [Slot("count", self.count, "count", COUNT)]
        if self.over == "angle":
            slots.append(Slot("angle", self.angle, "angle", ANGLE))
        return (
            *slots,
            Slot("first", self.first, f"{a} of the axis", along=f"part {a}"),
            Slot("second", self.second, f"{b} of the axis", along=f"part {b}"),
            *self.omit_slots(("number", "count")),
        )

    def sentence(self) -> Sentence:
        a, b = {"z": ("x", "y"), "x": ("y", "z"), "y": ("x", "z")}[self.axis]
        start = (
            Words("ring of"),
            *self.say_what(),
            FormulaPiece("count"),
            Words("in all,"),
            ChoicePiece("over", {"full": "over the full turn", "angle": "over an angle of"}),
            *((FormulaPiece("angle"),) if self.over == "angle" else ()),
        )
        where = (
            Words("about an axis along"),
            ChoicePiece("axis", {"z": "z", "x": "x", "y": "y"}),
            Words(f"through {a}"),
            FormulaPiece("first"),
            Words(b),
            FormulaPiece("second"),
        )
        return (start, where, *self.say_omit())

    def feature(self, shop: Workshop) -> Feature:
        count = whole(shop.values["count"], "count", self.count, "count")
        total = 360.0 if self.over == "full" else shop.values["angle"]
        if self.over == "angle" and not 0 < abs(total) < 360:
            raise StepError(
                f"The angle is {total:g}°; it must lie within a full turn.",
                f"Change “{self.angle}”.",
                "angle",
            )
        pitch = total / max(count, 1) if self.over == "full" else total / max(count - 1, 1)
        p, q = shop.values["first"], shop.values["second"]
        about = {"z": (p, q, 0.0), "x": (0.0, p, q), "y": (p, 0.0, q)}[self.axis]
        way = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}[self.axis]
        return self.repeat(
            shop, {(k + 1,): Motion.turn(about, way, k * pitch) for k in range(count)}
        )
