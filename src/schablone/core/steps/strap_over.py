"""Strap over: a bridge that holds what was placed."""

from __future__ import annotations

from typing import Literal

from ..bought import Thing
from ..bought.resolved import rectangle
from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..kernel.tools import ToNext, Tool
from ..model import FormulaText
from ..sketch.regions import Region
from .around_things import AroundThings, plan_of
from .base import Slot
from .choosing import sides_of, with_gains
from .sentence import ChoicePiece, FormulaPiece, Sentence, StepPiece, Words
from .workshop import Feature, Workshop, above_zero


class StrapOver(AroundThings):
    """Puts a bridge over the middle of each bought part that a step placed, on two legs."""

    order = 84
    title = "Strap over a bought part"
    purpose = "A bridge over it that holds it down"
    also = "clip clamp bridge bar retain hold"

    kind: Literal["strap_over"] = "strap_over"
    goes: Literal["x", "y"] = "y"
    width: FormulaText = "8 mm"
    thick: FormulaText = "2 mm"
    leg: FormulaText = "3 mm"
    gap: FormulaText = "0.3 mm"
    above: FormulaText = "0.2 mm"

    def slots(self) -> tuple[Slot, ...]:
        return (
            Slot("width", self.width, "width of the strap", side="outside"),
            Slot("thick", self.thick, "thickness of the strap"),
            Slot("leg", self.leg, "thickness of its legs", side="outside"),
            Slot("gap", self.gap, "gap beside it"),
            Slot("above", self.above, "gap above it"),
        )

    def sentence(self) -> Sentence:
        return (
            (
                Words("strap over"),
                StepPiece("of", ("place",)),
                ChoicePiece("goes", {"x": "along its x", "y": "along its y"}),
                Words("wide"),
                FormulaPiece("width"),
                Words("thick"),
                FormulaPiece("thick"),
            ),
            (
                Words("on legs of"),
                FormulaPiece("leg"),
                Words("with a gap of"),
                FormulaPiece("gap"),
                Words("beside and"),
                FormulaPiece("above"),
                Words("above"),
            ),
        )

    def feature(self, shop: Workshop) -> Feature:
        tools: list[Tool] = []
        for thing in self.things(shop):
            tools += self._strap(shop, thing)
        return Feature("add", self.part, tools)

    def _strap(self, shop: Workshop, thing: Thing) -> list[Tool]:
        plan, v = plan_of(thing), shop.values
        wide = above_zero(v["width"], "width of the strap", self.width, "width")
        thick = above_zero(v["thick"], "thickness of the strap", self.thick, "thick")
        leg = above_zero(v["leg"], "thickness of its legs", self.leg, "leg")
        x0, y0, x1, y1 = plan.region.outer.bounds()
        cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
        low = plan.height + v["above"]
        if self.goes == "y":
            a, b = y0 - v["gap"], y1 + v["gap"]
            boxes = [
                (cx - wide / 2, a - leg, cx + wide / 2, b + leg),
                (cx - wide / 2, a - leg, cx + wide / 2, a),
                (cx - wide / 2, b, cx + wide / 2, b + leg),
            ]
        else:
            a, b = x0 - v["gap"], x1 + v["gap"]
            boxes = [
                (a - leg, cy - wide / 2, b + leg, cy + wide / 2),
                (a - leg, cy - wide / 2, a, cy + wide / 2),
                (b, cy - wide / 2, b + leg, cy + wide / 2),
            ]
        deep = shop.reach(self.part)
        tools: list[Tool] = []
        for k, (role, box) in enumerate(zip(("bar", "leg", "other_leg"), boxes, strict=True)):
            for region in with_gains((Region(rectangle(*box)),), "add", shop.view):
                sides = {
                    curve: FaceName(self.name, role, face.element).of_member(thing.number)
                    for curve, face in sides_of(region, self.name).items()
                }
                end = FaceName(self.name, f"{role}_top").of_member(thing.number)
                start = FaceName(self.name, f"{role}_foot").of_member(thing.number)
                frame = plan.frame.lifted(low)
                prism = Prism(frame, region, 0.0 if k == 0 else -deep, thick if k == 0 else 0.0,
                              start, end, sides)  # fmt: skip
                tools.append(ToNext(prism) if k else prism)
        return tools
