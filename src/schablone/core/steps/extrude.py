"""Extrude: the regions of a sketch, raised by a size, to both sides, through everything or up to a
face; with sides that may lean."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.frame import Frame, Vector
from ..kernel.naming import FaceName
from ..kernel.prism import Prism, moved_prism
from ..kernel.tools import Leaned, ToNext, Tool
from ..model import FormulaText, Identifier, OneLine
from ..quantity import ANGLE
from ..sketch.regions import Region
from .base import Slot, Step
from .choosing import chosen_regions, say_regions, sides_of, sketch_of, with_gains
from .figure_spots import bounds_of
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    PlacePiece,
    Sentence,
    SentencePiece,
    StepPiece,
    Words,
)
from .span import Span, between
from .workshop import Feature, Outlines, StepError, Workshop, above_zero


class Extrude(Step):
    """Raises the regions of a sketch into a part, or cuts them from it."""

    order = 20
    in_stencils = True
    title = "Extrude"
    purpose = "Raise the outlines of a sketch, or cut them out"
    also = "raise pull pocket boss cut"
    repeatable = True
    refers = ("sketch",)
    places = ("upto",)

    kind: Literal["extrude"] = "extrude"
    sketch: Identifier | Literal[""] = ""
    shapes: Annotated[tuple[Identifier, ...], Field(max_length=500)] = ()
    regions: Annotated[tuple[OneLine, ...], Field(max_length=500)] = ()
    mode: Literal["add", "cut", "common"] = "add"
    extent: Literal["by", "both", "uneven", "through", "upto", "next"] = "by"
    direction: Literal["up", "down"] = "up"
    by: FormulaText = "10 mm"
    down_by: FormulaText = "5 mm"
    upto: OneLine = ""
    sides: Literal["straight", "leaning"] = "straight"
    lean: FormulaText = "3 deg"
    part: Identifier = "part"

    @property
    def leans(self) -> bool:
        """Whether its sides lean."""
        return self.sides == "leaning" and self.extent not in ("through", "next")

    def thickens_by(self) -> str:
        return "by" if self.mode == "add" else ""

    def goes_down(self) -> bool:
        return self.direction == "down" and self.extent in ("by", "next")

    def only_prisms(self) -> bool:
        return not self.leans and self.extent != "next"

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        drawing = drawings.get(self.sketch)
        if drawing is None or "by" not in values:
            return []
        _, y0, x1, _ = bounds_of(drawing)
        by = values["by"]
        down = self.extent == "by" and self.direction == "down"
        middle = 0.0 if self.extent == "both" else -by / 2 if down else by / 2
        spots = [("by", drawing.frame.at(x1, y0, middle))]
        if "down_by" in values:
            spots.append(("down_by", drawing.frame.at(x1, y0, -values["down_by"] / 2)))
        return spots

    def spans(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[Span]:
        drawing = drawings.get(self.sketch)
        if drawing is None or "by" not in values:
            return []
        _, y0, x1, _ = bounds_of(drawing)
        by = values["by"]
        low, high = (-by / 2, by / 2) if self.extent == "both" else (0.0, by)
        if self.extent == "by" and self.direction == "down":
            low, high = -by, 0.0
        ends = [("by", low, high)]
        if "down_by" in values:
            ends.append(("down_by", -values["down_by"], 0.0))
        across = drawing.frame.x
        spans = (
            between(path, drawing.frame.at(x1, y0, a), drawing.frame.at(x1, y0, b), across)
            for path, a, b in ends
        )
        return [span for span in spans if span is not None]

    def slots(self) -> tuple[Slot, ...]:
        slots = []
        if self.extent in ("by", "both", "uneven"):
            slots.append(Slot("by", self.by, "length", along="normal"))
        if self.extent == "uneven":
            slots.append(Slot("down_by", self.down_by, "length downwards", along="normal"))
        if self.leans:
            slots.append(Slot("lean", self.lean, "lean of the sides", ANGLE))
        return tuple(slots)

    def sentence(self) -> Sentence:
        first: list[SentencePiece] = [
            ChoicePiece(
                "mode", {"add": "extrude", "cut": "cut", "common": "keep only what lies within"}
            ),
            StepPiece("sketch", ("sketch",)),
            ChoicePiece(
                "extent",
                {
                    "by": "by",
                    "both": "to both sides, in all",
                    "uneven": "upwards by",
                    "through": "through everything",
                    "upto": "up to",
                    "next": "up to the next face",
                },
            ),
        ]
        if self.extent == "upto":
            first.append(PlacePiece("upto"))
        elif self.extent not in ("through", "next"):
            first.append(FormulaPiece("by"))
        if self.extent in ("by", "next"):
            first.append(ChoicePiece("direction", {"up": "upwards", "down": "downwards"}))
        elif self.extent == "uneven":
            first += [Words("and downwards by"), FormulaPiece("down_by")]
        lines = [tuple(first)]
        if self.extent not in ("through", "next"):
            words = {"straight": "with straight sides", "leaning": "with sides leaning inwards by"}
            lines.append(
                (ChoicePiece("sides", words), *((FormulaPiece("lean"),) if self.leans else ()))
            )
        lines += say_regions(self)
        return tuple(lines)

    def sections(self, shop: Workshop) -> Mapping[str, tuple[Region, ...]]:
        drawing = sketch_of(shop, self.sketch)
        lying = shop.view.is_lying(drawing.frame.normal)
        regions = chosen_regions(drawing, self, raised=self.mode == "add")
        return {self.sketch: with_gains(regions, self.mode, shop.view, lying=lying)}

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        low, high = self._heights(shop, drawing)
        tools: list[Tool] = []
        for region in self.sections(shop)[self.sketch]:
            sides = sides_of(region, self.name)
            start, end = FaceName(self.name, "start"), FaceName(self.name, "end")
            if self.direction == "down" and self.extent in ("by", "next"):
                start, end = end, start
            prism = Prism(drawing.frame, region, low, high, start, end, sides)
            if self.extent == "next":
                tools.append(ToNext(prism))
            else:
                tools += self._leaning(prism, shop.values["lean"]) if self.leans else [prism]
        lying = shop.view.is_lying(drawing.frame.normal)
        return Feature(
            self.mode,
            self.part,
            tools,
            frame=drawing.frame,
            lying=lying,
            through=self.extent == "through",
        )

    def _heights(self, shop: Workshop, drawing: Outlines) -> tuple[float, float]:
        if self.extent == "through":
            reach = shop.reach(self.part)
            return -reach, reach
        if self.extent == "next":
            reach = shop.reach(self.part)
            return (0.0, reach) if self.direction == "up" else (-reach, 0.0)
        if self.extent == "upto":
            return self._up_to(shop, drawing)
        by = above_zero(shop.values["by"], "length of the extrusion", self.by, "by")
        if self.extent == "both":
            return -by / 2, by / 2
        if self.extent == "uneven":
            return -above_zero(
                shop.values["down_by"], "length downwards", self.down_by, "down_by"
            ), by
        return (0.0, by) if self.direction == "up" else (-by, 0.0)

    def _leaning(self, prism: Prism, lean: float) -> list[Tool]:
        """The prism with sides that lean from the sketch's plane on, to both sides where it goes to
        both."""
        if not -60 <= lean <= 60:
            raise StepError(
                f"The sides lean by {lean:g}°; it must lie from −60° to 60°.",
                f"Change “{self.lean}”.",
                "lean",
            )
        if lean == 0:
            return [prism]
        leaned: list[Leaned] = []
        if prism.high > 0:
            leaned.append(Leaned(replace(prism, low=max(prism.low, 0.0)), lean))
        if prism.low < 0:
            leaned.append(Leaned(replace(prism, high=min(prism.high, 0.0)), lean, from_top=True))
        for tool in leaned:
            self._meets_itself(tool.prism, lean)
        return [*leaned]

    def _meets_itself(self, prism: Prism, lean: float) -> None:
        """Refuse sides that lean so far inwards that they meet before the end.

        Raises:
            StepError: with the height at which they meet.
        """
        slope = math.tan(math.radians(lean))

        def stands(height: float) -> bool:
            try:
                return len(moved_prism(prism, -height * slope)) == 1
            except ValueError:
                return False

        if lean < 0 or stands(prism.height):
            return
        low, high = 0.0, prism.height
        for _ in range(40):
            middle = (low + high) / 2
            low, high = (middle, high) if stands(middle) else (low, middle)
        raise StepError(
            f"Sides that lean by {lean:g}° meet {low:.4g} mm from the sketch; this goes on for "
            f"{prism.height:.6g} mm.",
            f"Change “{self.lean}” or “{self.by}”.",
            "lean",
        )

    def _up_to(self, shop: Workshop, drawing: Outlines) -> tuple[float, float]:
        """From the sketch to a face that lies level with it."""
        _, frame, name = shop.face(self.upto, "upto")
        height = drawing.frame.coordinates(frame.origin)[2]
        along = sum(a * b for a, b in zip(frame.normal, drawing.frame.normal, strict=True))
        if abs(abs(along) - 1) > 1e-9:
            raise StepError(
                f"The {name.words()} does not lie level with the sketch.",
                "Pick a face that does.",
                "upto",
                shop.flat_faces(),
            )
        if abs(height) < 1e-9:
            raise StepError(
                f"The sketch lies in the {name.words()}; there is no way up to it.",
                "Pick another face.",
                "upto",
            )
        return (0.0, height) if height > 0 else (height, 0.0)
