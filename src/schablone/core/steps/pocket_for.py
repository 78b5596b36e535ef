"""Pocket for: room for what was placed, cut from a part, open upwards."""

from __future__ import annotations

from typing import Literal

from ..bought import Thing
from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..kernel.tools import Tool
from ..model import FormulaText
from ..sketch.mapping import Mapping2D
from ..sketch.regions import Region
from .around_things import AroundThings, Fit, disc, fit_slots, plan_of, room_around, say_fit
from .base import Slot
from .choosing import sides_of, with_gains
from .sentence import ChoicePiece, FormulaPiece, Sentence, SentencePiece, StepPiece, Words
from .workshop import Feature, StepError, Workshop, above_zero


class PocketFor(AroundThings):
    """Cuts a pocket around each bought part that a step placed, from its underside upwards."""

    order = 81
    title = "Pocket for a bought part"
    purpose = "Room for what was placed, with a fit, and notches for fingers"
    also = "recess nest seat cut-out cavity insert"

    kind: Literal["pocket_for"] = "pocket_for"
    fit: Fit = "formula"
    gap: FormulaText = "0.3 mm"
    below: FormulaText = "0 mm"
    reaches: Literal["all", "height", "depth"] = "all"
    depth: FormulaText = "10 mm"
    notches: Literal["none", "sides", "ends"] = "none"
    notch: FormulaText = "18 mm"

    def slots(self) -> tuple[Slot, ...]:
        slots = [*fit_slots(self.fit, self.gap), Slot("below", self.below, "room below it")]
        if self.reaches == "depth":
            slots.append(Slot("depth", self.depth, "depth of the pocket"))
        if self.notches != "none":
            slots.append(Slot("notch", self.notch, "width of a notch", side="inside", round=True))
        return tuple(slots)

    def sentence(self) -> Sentence:
        reaches: list[SentencePiece] = [
            Words("with"),
            FormulaPiece("below"),
            Words("of room below,"),
            ChoicePiece(
                "reaches",
                {
                    "all": "up through everything",
                    "height": "as high as it is",
                    "depth": "up from there by",
                },
            ),
        ]
        if self.reaches == "depth":
            reaches.append(FormulaPiece("depth"))
        notches: list[SentencePiece] = [
            ChoicePiece(
                "notches",
                {
                    "none": "without notches for fingers",
                    "sides": "with notches at its long sides, wide",
                    "ends": "with notches at its ends, wide",
                },
            )
        ]
        if self.notches != "none":
            notches.append(FormulaPiece("notch"))
        return (
            (Words("pocket for"), StepPiece("of", ("place",)), *say_fit(self.fit)),
            tuple(reaches),
            tuple(notches),
        )

    def feature(self, shop: Workshop) -> Feature:
        below = shop.values["below"]
        tools: list[Tool] = []
        for thing in self.things(shop):
            tools += self._pocket(shop, thing, below)
        return Feature("cut", self.part, tools)

    def _pocket(self, shop: Workshop, thing: Thing, below: float) -> list[Tool]:
        plan = plan_of(thing)
        if self.reaches == "all":
            top = shop.reach(self.part)
        elif self.reaches == "height":
            top = plan.height
        else:
            top = above_zero(shop.values["depth"], "depth of the pocket", self.depth, "depth")
        if top + below <= 1e-6:
            raise StepError(
                f"The pocket would be {top + below:.4g} mm high.", "Make it deeper.", "below"
            )
        regions = room_around(plan.region, self.fit, shop.values.get("gap", 0.0), shop.view)
        name = self.name
        tools: list[Tool] = []
        for region in [*regions, *self._notches(shop, regions[0])]:
            sides = {
                curve: face.of_member(thing.number)
                for curve, face in sides_of(region, name).items()
            }
            floor = FaceName(name, "floor").of_member(thing.number)
            mouth = FaceName(name, "mouth").of_member(thing.number)
            tools.append(Prism(plan.frame, region, -below, top, floor, mouth, sides))
        return tools

    def _notches(self, shop: Workshop, region: Region) -> list[Region]:
        """Round notches in the middle of two sides that face each other."""
        if self.notches == "none":
            return []
        across = above_zero(shop.values["notch"], "width of a notch", self.notch, "notch")
        x0, y0, x1, y1 = region.outer.bounds()
        along_x = (x1 - x0 >= y1 - y0) == (self.notches == "sides")
        room = x1 - x0 if along_x else y1 - y0
        if across > room + 1e-9:
            raise StepError(
                f"A notch of {across:.4g} mm is wider than the side of {room:.4g} mm that it "
                "is to lie in.",
                f"Change “{self.notch}”.",
                "notch",
            )
        middle = ((x0 + x1) / 2, (y0 + y1) / 2)
        spots = (
            [(middle[0], y0), (middle[0], y1)] if along_x else [(x0, middle[1]), (x1, middle[1])]
        )
        discs = tuple(
            disc((0.0, 0.0), across, f"notch_{k}").mapped(Mapping2D(e=x, f=y))
            for k, (x, y) in enumerate(spots, 1)
        )
        return list(with_gains(discs, "cut", shop.view))
