"""A sketch: closed shapes on a plane, every position and size a formula."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from ..formula.value_table import Working
from ..kernel.edges import edges_on, faces_of_edge, say_edge
from ..kernel.frame import Frame, Vector
from ..model import FormulaText, Frozen, Identifier, OneLine
from ..quantity import ANGLE, LENGTH
from ..sketch.arrangement import arrange
from ..sketch.curves import Curve, Segment
from ..sketch.drawing import Drawing
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..sketch.offsetting import moved_outline
from ..sketch.sentences import say_dimension
from ..sketch.settled import NotSettled, Settled
from ..sketch.tracing import LostEdge, Trace, edges_followed
from ..words import say_name, sentence
from .base import Slot, Step
from .closed_shapes import AnyShape
from .drawn import drawing_slots, say_drawing, settled_drawing
from .figure_spots import spots_of_sketch
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    PlacePiece,
    Sentence,
    SentencePiece,
    Words,
)
from .workshop import Outlines, StepError, Workshop, above_zero


class Wall(Frozen):
    """A second outline at a distance from those that are drawn, inwards or outwards of them."""

    name: Identifier
    by: FormulaText = "3 mm"
    to: Literal["inwards", "outwards"] = "inwards"
    corners: Literal["sharp", "round"] = "sharp"


class Sketch(Step):
    """Outlines on a plane: closed shapes, a drawing with constraints, and walls along them."""

    order = 10
    in_stencils = True
    title = "Sketch"
    purpose = "Draw outlines on a plane or on a face"
    also = "draw outline region text"
    asks = "drawing"
    places = ("plane",)

    kind: Literal["sketch"] = "sketch"
    plane: OneLine = "ground"
    lift: FormulaText = "0 mm"
    shapes: Annotated[tuple[AnyShape, ...], Field(max_length=500)] = ()
    drawing: Drawing = Drawing()
    walls: Annotated[tuple[Wall, ...], Field(max_length=20)] = ()

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        drawing = drawings.get(self.name)
        return spots_of_sketch(self.shapes, self.drawing.dimensions, drawing) if drawing else []

    def slots(self) -> tuple[Slot, ...]:
        own = [Slot("lift", self.lift, "height above the plane", LENGTH, "", "normal")]
        shapes = [
            slot for i, shape in enumerate(self.shapes) for slot in shape.slots(f"shapes.{i}")
        ]
        walls = [
            Slot(f"walls.{i}.by", wall.by, say_name(wall.name)) for i, wall in enumerate(self.walls)
        ]
        return (*own, *shapes, *drawing_slots(self.drawing), *walls)

    def sentence(self) -> Sentence:
        first: tuple[SentencePiece, ...] = (Words("sketch on"), PlacePiece("plane", planes=True))
        if self.lift.strip() not in ("0", "0 mm"):
            first += (Words("lifted by"), FormulaPiece("lift"))
        lines = [first, *(shape.line(f"shapes.{i}") for i, shape in enumerate(self.shapes))]
        if self.drawing.elements:
            lines.append((Words(say_drawing(self.drawing)),))
        for i, dimension in enumerate(self.drawing.dimensions):
            if dimension.reads:
                lines.append(
                    (
                        Words(
                            f"{say_dimension(dimension)}, read off as {self.name}.{dimension.name}"
                        ),
                    )
                )
            else:
                lines.append(
                    (
                        Words(say_dimension(dimension)),
                        FormulaPiece(f"drawing.dimensions.{i}.formula"),
                    )
                )
        for i, wall in enumerate(self.walls):
            lines.append(
                (
                    Words(f"{say_name(wall.name)}, a second outline"),
                    FormulaPiece(f"walls.{i}.by"),
                    ChoicePiece(f"walls.{i}.to", {"inwards": "inwards", "outwards": "outwards"}),
                    Words("with"),
                    ChoicePiece(
                        f"walls.{i}.corners", {"sharp": "sharp corners", "round": "round corners"}
                    ),
                )
            )
        return tuple(lines)

    def working(self) -> Working | None:
        """What the drawing reads off, usable as ``sketch.dimension``."""
        reads = {
            d.name: ANGLE if d.kind == "angle" else LENGTH
            for d in self.drawing.dimensions
            if d.reads
        }
        if not reads:
            return None
        slots = drawing_slots(self.drawing)
        formulas = {slot.path: slot.formula for slot in slots}
        wanted = {slot.path: slot.kind for slot in slots}
        over = {slot.path: slot.over for slot in slots if slot.over is not None}

        def work(values: Mapping[str, float]) -> Mapping[str, float]:
            return settled_drawing(self.drawing, values).readings()

        return Working(self.name, formulas, wanted, reads, work, over)

    def outlines(self, shop: Workshop) -> Outlines:
        if not self.shapes and not self.drawing.elements:
            raise StepError(
                "The sketch is empty.",
                "Draw on it, or add a rectangle, circle, slot or line.",
                asks=True,
            )
        frame = shop.plane(self.plane, "plane").lifted(shop.values["lift"])
        loops: dict[str, Loop] = {}
        for i, shape in enumerate(self.shapes):
            if any(name.partition(".")[0] == shape.name for name in loops):
                raise StepError(
                    f"Two shapes are called “{shape.name}”.", "Rename one.", f"shapes.{i}.name"
                )
            try:
                loops |= {loop.name: loop for loop in self.loops_of(i, shop.values)}
            except ValueError as error:
                text = str(error)
                raise StepError(sentence(text), "Change its formulas.", f"shapes.{i}") from None
        traces = self._traces(shop, frame)
        settled = self._settled(shop.values, traces)
        drawn = settled.curves() if settled else []
        lines: dict[str, tuple[XY, XY]] = {}
        for curve in [*drawn, *(settled.curves(helpers=True) if settled else [])]:
            if isinstance(curve, Segment):
                lines[curve.name] = (curve.start, curve.end)
        shaped = [curve for loop in loops.values() for curve in loop.curves]
        walls = self.walls_along([*shaped, *drawn], shop.values)
        places = {p.name: p.xy for p in settled.drawing.points} if settled else {}
        used = {name for curve in self.drawing.curves for name in curve.uses()}
        alone = [p.name for p in self.drawing.points if not p.helper and p.name not in used]
        marks = {name: places[name] for name in alone if name in places}
        return Outlines(frame, loops, [*drawn, *walls], traces, lines, places, marks)

    def _traces(self, shop: Workshop, frame: Frame) -> Mapping[str, Trace]:
        """Where the edges that the drawing follows are now: those of the part as it is wanted."""
        followed = edges_followed(self.drawing)
        if not followed:
            return {}
        if shop.view.lens != "wanted":
            return shop.traced.get(self.name, {})
        there = edges_on(shop.bodies, frame)
        return {edge: Trace.of(there[edge]) for edge in followed if edge in there}

    def needs(self) -> tuple[str, ...]:
        steps = [
            face.split("/")[0]
            for edge in edges_followed(self.drawing)
            for face in faces_of_edge(edge)
        ]
        return tuple(dict.fromkeys([*super().needs(), *steps]))

    def with_step_renamed(self, old: str, new: str) -> Step:
        renamed = super().with_step_renamed(old, new)
        if not any(e.follows for e in self.drawing.elements):
            return renamed
        faces_of = re.compile(rf"(^|\| ){re.escape(old)}(?=[/.])")
        elements = tuple(
            e.model_copy(update={"follows": faces_of.sub(rf"\g<1>{new}", e.follows)})
            for e in self.drawing.elements
        )
        drawing = self.drawing.model_copy(update={"elements": elements})
        return renamed.model_copy(update={"drawing": drawing})

    def loops_of(self, number: int, values: Mapping[str, float]) -> tuple[Loop, ...]:
        """The outline of one of its closed shapes; ``values`` are those of all its formulas, mm and
        degrees.

        Raises:
            ValueError: where there is no such shape, as of no width.
        """
        prefix = f"shapes.{number}."
        own = {
            path.removeprefix(prefix): value
            for path, value in values.items()
            if path.startswith(prefix)
        }
        return self.shapes[number].loops(own)

    def walls_along(self, curves: list[Curve], values: Mapping[str, float]) -> list[Curve]:
        """The outlines of its walls along what the curves enclose.

        Raises:
            StepError: where a wall leaves nothing, or nothing is enclosed.
        """
        walls: list[Curve] = []
        for i, wall in enumerate(self.walls):
            path = f"walls.{i}.by"
            by = above_zero(values.get(path, 0.0), "wall", wall.by, path)
            try:
                walls += wall_curves(wall, curves, by)
            except ValueError as error:
                text = str(error)
                raise StepError(
                    sentence(text), f"Change “{wall.by}” or the outline.", path
                ) from None
        return walls

    def _settled(self, values: Mapping[str, float], traces: Mapping[str, Trace]) -> Settled | None:
        if not self.drawing.elements:
            return None
        try:
            return settled_drawing(self.drawing, values, traces)
        except LostEdge as error:
            raise StepError(
                f"The {say_edge(error.edge)} is not there any more.",
                "Open the drawing, remove what followed it and bring in another.",
                "drawing",
            ) from None
        except NotSettled as error:
            raise StepError(
                f"In the drawing {error.what}.",
                "Open the drawing and change or remove one of them.",
                "drawing",
            ) from None
        except ValueError as error:
            raise StepError(
                f"In the drawing {error}.", "Open the drawing and change it.", "drawing"
            ) from None


def wall_curves(wall: Wall, curves: list[Curve], by: float) -> list[Curve]:
    """The outlines of a wall ``by`` mm from those that the curves enclose, holes included.

    Raises:
        ValueError: where nothing is enclosed, or the wall leaves nothing.
    """
    arrangement = arrange(curves)
    regions = arrangement.regions(arrangement.material())
    if not regions:
        raise ValueError(f"there is no closed outline for “{say_name(wall.name)}” yet")
    sign = -1.0 if wall.to == "inwards" else 1.0
    moved: list[Curve] = []
    for region in regions:
        for loop, way in ((region.outer, sign), *((hole, -sign) for hole in region.holes)):
            for piece in moved_outline(loop, way * by, round_corners=wall.corners == "round"):
                moved += [
                    replace(c, name=f"{wall.name}.{c.name}")
                    for ring in piece.loops
                    for c in ring.curves
                ]
    return moved
