"""Revolve: the regions of a sketch turned about an axis in its plane."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.frame import Frame, Vector, cross, dot
from ..kernel.naming import FaceName
from ..kernel.tools import Revolved, Tool, TurnedToNext
from ..model import FormulaText, Identifier, OneLine
from ..process.lens import LensView
from ..quantity import ANGLE
from ..sketch.drawing import X_AXIS, Y_AXIS
from ..sketch.mapping import XY
from ..sketch.radial import moved_from_axis
from ..sketch.regions import Region
from ..words import say_name, sentence
from .base import Slot, Step
from .choosing import chosen_regions, say_regions, sides_of, sketch_of
from .figure_spots import bounds_of
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    LinePiece,
    PlacePiece,
    Sentence,
    SentencePiece,
    StepPiece,
    Words,
)
from .workshop import Feature, Outlines, StepError, Workshop


class Revolve(Step):
    """Turns a half section about an axis: one of the sheet's own, or a line of the drawing, helpers
    included."""

    order = 22
    in_stencils = True
    title = "Revolve"
    purpose = "Turn a half section about an axis"
    also = "turn lathe rotate"
    repeatable = True
    refers = ("sketch",)
    places = ("upto",)

    kind: Literal["revolve"] = "revolve"
    sketch: Identifier | Literal[""] = ""
    shapes: Annotated[tuple[Identifier, ...], Field(max_length=500)] = ()
    regions: Annotated[tuple[OneLine, ...], Field(max_length=500)] = ()
    mode: Literal["add", "cut", "common"] = "add"
    about: Identifier = Y_AXIS
    extent: Literal["full", "by", "both", "uneven", "upto", "next"] = "full"
    upto: OneLine = ""
    by: FormulaText = "180 deg"
    back_by: FormulaText = "30 deg"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        drawing = drawings.get(self.sketch)
        if drawing is None or "by" not in values:
            return []
        x0, y0, x1, _ = bounds_of(drawing)
        return [("by", drawing.frame.at((x0 + x1) / 2, y0))]

    def slots(self) -> tuple[Slot, ...]:
        slots = (
            [Slot("by", self.by, "angle", ANGLE)] if self.extent in ("by", "both", "uneven") else []
        )
        if self.extent == "uneven":
            slots.append(Slot("back_by", self.back_by, "angle backwards", ANGLE))
        return tuple(slots)

    def sentence(self) -> Sentence:
        first: list[SentencePiece] = [
            ChoicePiece(
                "mode",
                {"add": "turn", "cut": "cut by turning", "common": "keep only what lies within"},
            ),
            StepPiece("sketch", ("sketch",)),
            Words("about"),
            LinePiece("about", "sketch"),
            ChoicePiece(
                "extent",
                {
                    "full": "all the way round",
                    "by": "by",
                    "both": "to both sides, in all",
                    "uneven": "forwards by",
                    "upto": "up to",
                    "next": "up to the next face",
                },
            ),
        ]
        if self.extent in ("by", "both", "uneven"):
            first.append(FormulaPiece("by"))
        elif self.extent == "upto":
            first.append(PlacePiece("upto"))
        if self.extent == "uneven":
            first += [Words("and backwards by"), FormulaPiece("back_by")]
        return (tuple(first), *say_regions(self))

    def turns_about(self, drawing: Outlines) -> tuple[XY, XY] | None:
        return axis_in(drawing, self.about)

    def sections(self, shop: Workshop) -> Mapping[str, tuple[Region, ...]]:
        drawing = sketch_of(shop, self.sketch)
        at, way = axis_in(drawing, self.about)
        sections = []
        for region in chosen_regions(drawing, self, raised=self.mode == "add"):
            _beside(region, at, way, self.about)
            sections.append(_with_gains(region, at, way, self.mode, shop.view))
        return {self.sketch: tuple(sections)}

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        at, way = axis_in(drawing, self.about)
        first, last = 0.0, 360.0
        if self.extent == "upto":
            last = self._up_to(shop, drawing, at, way)
        elif self.extent == "next":
            last = 359.0
        elif self.extent != "full":
            by = shop.values["by"]
            if not 0 < by <= 360:
                raise StepError(
                    f"The angle is {by:g}° (from “{self.by}”); it must "
                    "lie above 0° and up to 360°.",
                    f"Change “{self.by}”.",
                    "by",
                )
            first, last = (0.0, by) if self.extent == "by" else (-by / 2, by / 2)
            if self.extent == "uneven":
                back = shop.values["back_by"]
                if back <= 0 or by + back > 360:
                    raise StepError(
                        f"{by:g}° forwards and {back:g}° backwards (from “{self.back_by}”) "
                        "must both lie above 0° and be 360° together at most.",
                        f"Change “{self.back_by}”.",
                        "back_by",
                    )
                first, last = -back, by
        tools: list[Tool] = []
        for region in self.sections(shop)[self.sketch]:
            start, end = FaceName(self.name, "start"), FaceName(self.name, "end")
            turned = Revolved(
                drawing.frame, region, at, way, first, last, start, end, sides_of(region, self.name)
            )
            tools.append(TurnedToNext(turned) if self.extent == "next" else turned)
        return Feature(self.mode, self.part, tools)

    def _up_to(self, shop: Workshop, drawing: Outlines, at: XY, way: XY) -> float:
        """How far it is from the sketch to a flat face through the axis, degrees.

        Raises:
            StepError: where the axis does not lie in the face.
        """
        _, face, name = shop.face(self.upto, "upto")
        root, tip = drawing.frame.at(*at), drawing.frame.at(at[0] + way[0], at[1] + way[1])
        if max(abs(face.coordinates(root)[2]), abs(face.coordinates(tip)[2])) > 1e-6:
            raise StepError(
                f"The axis does not lie in the {name.words()}; nothing "
                "can be turned flat against it.",
                "Pick a face through the axis, or choose “up to the next face”.",
                "upto",
            )
        axis = (tip[0] - root[0], tip[1] - root[1], tip[2] - root[2])
        # Of the two half planes of the face, the first that is met.
        sheet = drawing.frame.normal
        turn = (
            math.degrees(
                math.atan2(
                    dot(cross(sheet, face.normal), axis) / math.sqrt(dot(axis, axis)),
                    dot(sheet, face.normal),
                )
            )
            % 180.0
        )
        if turn < 1e-6:
            raise StepError(
                f"The sketch lies in the {name.words()}; there is no way up to it.",
                "Pick another face.",
                "upto",
            )
        return turn


def axis_in(drawing: Outlines, name: str) -> tuple[tuple[float, float], tuple[float, float]]:
    """A point, mm, and the direction of an axis of the sheet or of a line that is drawn on it.

    Raises:
        StepError: where there is no such line.
    """
    if name in (X_AXIS, Y_AXIS):
        return (0.0, 0.0), ((1.0, 0.0) if name == X_AXIS else (0.0, 1.0))
    line = drawing.lines.get(name)
    if line is None:
        known = [X_AXIS, Y_AXIS, *drawing.lines]
        raise StepError(
            f"There is no line “{say_name(name)}” on the sketch.",
            "Choose another axis.",
            "about",
            known,
        )
    (ax, ay), (bx, by) = line
    if math.hypot(bx - ax, by - ay) < 1e-9:
        raise StepError(f"The line “{name}” has no length.", "Choose another axis.", "about")
    return (ax, ay), (bx - ax, by - ay)


def _with_gains(region: Region, at: XY, way: XY, mode: str, view: LensView) -> Region:
    """The half section with the machine's gains on it: what faces away from the axis is outside of
    a part, what faces it is a bore; the other way round for what is cut.

    Raises:
        StepError: where it closes up.
    """
    outward, inward = ("inside", "outside") if mode == "cut" else ("outside", "inside")
    if not any(view.gain(side, across) for side in (outward, inward) for across in (0.0, 10.0)):
        return region

    def by(away: bool, across: float) -> float:
        side = outward if away else inward
        return view.gain(side, across) / 2

    try:
        return moved_from_axis(region, at, way, by)
    except ValueError as error:
        text = str(error)
        raise StepError(sentence(text), "Change the sketch.", "sketch") from None


def _beside(region: Region, at: tuple[float, float], way: tuple[float, float], name: str) -> None:
    """Refuse a region that lies on both sides of the axis: it would run into itself."""
    points = region.outer.points(0.01)
    aside = (way[0] * (points[:, 1] - at[1]) - way[1] * (points[:, 0] - at[0])) / math.hypot(*way)
    if aside.min() < -1e-6 and aside.max() > 1e-6:
        words = {X_AXIS: "the x axis", Y_AXIS: "the y axis"}.get(name, say_name(name))
        raise StepError(
            f"The section lies on both sides of {words}, by {-aside.min():.3g} mm and "
            f"{aside.max():.3g} mm.",
            "Draw only one half of it.",
            "sketch",
        )
