"""A thin wall along drawn lines: a rib that goes down to the part, or a wall of a height."""

from __future__ import annotations

from typing import Literal

from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..kernel.tools import ToNext, Tool
from ..model import FormulaText, Identifier
from ..sketch.chain import chained
from ..sketch.regions import Region
from ..sketch.thick import thickened
from ..words import sentence
from .base import Slot, Step
from .choosing import sketch_of
from .sentence import ChoicePiece, FormulaPiece, Sentence, SentencePiece, StepPiece, Words
from .workshop import Feature, StepError, Workshop, above_zero


class Rib(Step):
    """Makes the lines and arcs of a sketch as thick as a wall, and raises them, or fills down to
    the part."""

    order = 28
    in_stencils = True
    title = "Wall or rib"
    purpose = "A thin wall along drawn lines, of a height or down to the part"
    also = "stiffen web thin fin groove"
    repeatable = True
    refers = ("sketch",)

    kind: Literal["rib"] = "rib"
    mode: Literal["add", "cut"] = "add"
    sketch: Identifier | Literal[""] = ""
    thickness: FormulaText = "2 mm"
    side: Literal["middle", "left", "right"] = "middle"
    extent: Literal["by", "next"] = "by"
    by: FormulaText = "10 mm"
    direction: Literal["up", "down"] = "up"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return self.extent == "by"

    def slots(self) -> tuple[Slot, ...]:
        side = "outside" if self.mode == "add" else "inside"
        slots = [Slot("thickness", self.thickness, "thickness", side=side, along="plane")]
        if self.extent == "by":
            slots.append(Slot("by", self.by, "height", along="normal"))
        return tuple(slots)

    def sentence(self) -> Sentence:
        first: tuple[SentencePiece, ...] = (
            ChoicePiece("mode", {"add": "a wall", "cut": "a groove"}),
            FormulaPiece("thickness"),
            Words("thick along"),
            StepPiece("sketch", ("sketch",)),
            ChoicePiece(
                "side",
                {
                    "middle": "in the middle of the line",
                    "left": "to its left",
                    "right": "to its right",
                },
            ),
        )
        second: list[SentencePiece] = [
            ChoicePiece("extent", {"by": "by", "next": "to the next face"})
        ]
        if self.extent == "by":
            second.append(FormulaPiece("by"))
        second.append(ChoicePiece("direction", {"up": "upwards", "down": "downwards"}))
        return (first, tuple(second))

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        thickness = above_zero(shop.values["thickness"], "thickness", self.thickness, "thickness")
        thickness += shop.view.gain("outside" if self.mode == "add" else "inside")
        try:
            path, closed = chained(drawing.curves)
            left = {"middle": 0.5, "left": 1.0, "right": 0.0}[self.side]
            loops = thickened(path, thickness, left, closed=closed)
        except ValueError as error:
            text = str(error)
            raise StepError(
                sentence(text),
                "Draw lines and arcs that follow each other.",
                "sketch",
            ) from None
        known = self.extent == "by"
        by = (
            above_zero(shop.values["by"], "height", self.by, "by")
            if known
            else shop.reach(self.part)
        )
        low, high = (0.0, by) if self.direction == "up" else (-by, 0.0)
        start, end = FaceName(self.name, "start"), FaceName(self.name, "end")
        if self.direction == "down":
            start, end = end, start
        tools: list[Tool] = []
        for loop in loops:
            sides = {curve.name: FaceName(self.name, "side", curve.name) for curve in loop.curves}
            prism = Prism(drawing.frame, Region(loop), low, high, start, end, sides)
            tools.append(ToNext(prism) if self.extent == "next" else prism)
        return Feature(self.mode, self.part, tools, frame=drawing.frame)
