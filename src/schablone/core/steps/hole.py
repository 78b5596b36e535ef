"""Holes in a flat face: plain, countersunk, counterbored, long, roofed, or narrowing so that a
screw bites."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Literal

from ..kernel.frame import Frame, Vector, dot
from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..kernel.tools import Revolved, ToNext, Tool
from ..model import FormulaText, Identifier, OneLine
from ..process.lens import LensView
from ..process.lying import upwards
from ..quantity import ANGLE
from ..sketch import shapes
from ..sketch.curves import EllipticArc, Segment
from ..sketch.loops import Loop
from ..sketch.mapping import Mapping2D
from ..sketch.regions import Region
from .base import Slot, Step
from .bores import refuse_breaking_out
from .choosing import sketch_of
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    PlacePiece,
    Sentence,
    SentencePiece,
    StepPiece,
    Words,
)
from .span import Span, between, round_span
from .workshop import COVER, Feature, Outlines, StepError, Workshop, above_zero

#: Forms whose section is the same at every depth.
STRAIGHT = ("plain", "long", "pointed", "flat")


class Hole(Step):
    """A hole of a diameter, through, to a depth or to the next face, at a position on a named face.

    The position is measured in the face's own x and y: on the ends of an extrusion those of its
    sketch, on a side from the middle of its lower edge. With a sketch there is a hole at each of
    its points that stand alone.

    A roof replaces the upper quarter of a hole that lies while it is printed by planes at 45°,
    pointed or cut off flat at the height of the circle, so that it needs no support. A hole that
    stands stays round.
    """

    order = 30
    in_stencils = True
    title = "Hole"
    purpose = "Round or long holes in a flat face, for screws and dowels"
    also = "drill bore countersunk screw pilot"
    repeatable = True
    asks = "face"
    places = ("face",)
    refers = ("sketch",)

    kind: Literal["hole"] = "hole"
    face: OneLine = ""
    diameter: FormulaText = "5 mm"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    where: Literal["here", "points"] = "here"
    sketch: Identifier | Literal[""] = ""
    extent: Literal["through", "depth", "next"] = "through"
    depth: FormulaText = "5 mm"
    form: Literal["plain", "countersunk", "counterbored", "tapered", "long", "pointed", "flat"] = (
        "plain"
    )
    head: FormulaText = "10 mm"
    head_angle: FormulaText = "90 deg"
    head_depth: FormulaText = "3 mm"
    tip: FormulaText = "3 mm"
    length: FormulaText = "12 mm"
    turn: FormulaText = "0 deg"

    def only_prisms(self) -> bool:
        return self.form in STRAIGHT and self.extent != "next"

    def needs(self) -> tuple[str, ...]:
        return tuple(
            name for name in super().needs() if self.where == "points" or name != self.sketch
        )

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        frame = frame_of(self.face)
        if frame is None or not {"x", "y", "diameter"} <= values.keys():
            return []
        x, y = values["x"], values["y"]
        spots = [("diameter", frame.at(x + values["diameter"] / 2, y))]
        if "depth" in values:
            spots.append(("depth", frame.at(x, y, -values["depth"])))
        return spots

    def spans(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[Span]:
        frame = frame_of(self.face)
        if frame is None or not {"x", "y", "diameter"} <= values.keys() or self.where != "here":
            return []
        x, y, half = values["x"], values["y"], values["diameter"] / 2
        spans: list[Span | None] = [round_span("diameter", frame, (x, y), half)]
        if "depth" in values:
            rim, floor = (frame.at(x + half, y, w) for w in (0.0, -values["depth"]))
            spans.append(between("depth", rim, floor, frame.y))
        spans.append(between("x", frame.origin, frame.at(x, 0.0), frame.normal))
        spans.append(between("y", frame.origin, frame.at(0.0, y), frame.normal))
        return [span for span in spans if span is not None]

    def slots(self) -> tuple[Slot, ...]:
        slots = [
            Slot(
                "diameter",
                self.diameter,
                "diameter",
                side="inside",
                along="plane",
                round=self.form != "long",
            ),
        ]
        if self.where == "here":
            slots += [
                Slot("x", self.x, "x on the face", along="x"),
                Slot("y", self.y, "y on the face", along="y"),
            ]
        if self.extent == "depth":
            slots.append(Slot("depth", self.depth, "depth", along="normal"))
        if self.form in ("countersunk", "counterbored"):
            slots.append(
                Slot(
                    "head",
                    self.head,
                    "diameter for the head",
                    side="inside",
                    along="plane",
                    round=True,
                )
            )
        if self.form == "countersunk":
            slots.append(Slot("head_angle", self.head_angle, "angle of the head", ANGLE))
        elif self.form == "counterbored":
            slots.append(Slot("head_depth", self.head_depth, "depth for the head", along="normal"))
        elif self.form == "long":
            slots += [
                Slot("length", self.length, "length", side="inside", along="plane"),
                Slot("turn", self.turn, "turn", ANGLE),
            ]
        elif self.form == "tapered":
            slots.append(
                Slot(
                    "tip", self.tip, "diameter at the tip", side="inside", along="plane", round=True
                )
            )
        return tuple(slots)

    def sentence(self) -> Sentence:
        pieces: list[SentencePiece] = [
            Words("hole ø"),
            FormulaPiece("diameter"),
            Words("in"),
            PlacePiece("face"),
            ChoicePiece(
                "extent",
                {"through": "through", "depth": "to a depth of", "next": "to the next face"},
            ),
        ]
        if self.extent == "depth":
            pieces.append(FormulaPiece("depth"))
        forms = {
            "plain": "plain",
            "countersunk": "countersunk for a head of ø",
            "counterbored": "counterbored for a head of ø",
            "tapered": "narrowing to ø",
            "long": "long, from end to end",
            "pointed": "with a pointed roof where it lies",
            "flat": "with a flat roof where it lies",
        }
        form: list[SentencePiece] = [ChoicePiece("form", forms)]
        if self.form == "countersunk":
            form += [FormulaPiece("head"), Words("at"), FormulaPiece("head_angle")]
        elif self.form == "counterbored":
            form += [FormulaPiece("head"), FormulaPiece("head_depth"), Words("deep")]
        elif self.form == "tapered":
            form.append(FormulaPiece("tip"))
        elif self.form == "long":
            form += [FormulaPiece("length"), Words("turned by"), FormulaPiece("turn")]
        at: list[SentencePiece] = [
            ChoicePiece("where", {"here": "at x", "points": "at the points of"})
        ]
        at += (
            [FormulaPiece("x"), Words("y"), FormulaPiece("y")]
            if self.where == "here"
            else [StepPiece("sketch", ("sketch",))]
        )
        return (tuple(pieces), tuple(form), tuple(at))

    def knows_up(self) -> bool:
        return self.form in ("pointed", "flat")

    def feature(self, shop: Workshop) -> Feature:
        body, frame, level = shop.face(self.face, "face")
        part = next(name for name, other in shop.bodies.items() if other is body)
        wanted = above_zero(shop.values["diameter"], "diameter", self.diameter, "diameter")
        across = wanted if self.form != "long" else 0.0
        diameter = wanted + shop.view.gain("inside", across, lying=shop.view.is_lying(frame.normal))
        if diameter <= 0:
            raise StepError(
                f"A hole of {wanted:g} mm closes up altogether on this machine.",
                "Make it larger.",
                "diameter",
            )
        if self.extent == "depth":
            bottom = -above_zero(shop.values["depth"], "depth", self.depth, "depth")
        else:
            bottom = -shop.reach(part)
        if self.extent == "next" and self.form not in STRAIGHT:
            raise StepError(
                "A hole with a head or a narrowing one cannot go to the next face.",
                "Choose “through” or a depth.",
                "extent",
            )
        tools: list[Tool] = []
        for mark, (x, y) in self._positions(shop, frame).items():
            made = self._one(shop, Frame(frame.at(x, y), frame.x, frame.y), diameter, bottom)
            tools.append(_named_after(made, mark) if mark else made)
        stretch = shop.stretch
        return Feature(
            "cut",
            part,
            tools,
            lambda body, used: refuse_breaking_out(body, used, diameter, frame, level, stretch),
            frame=frame,
            lying=shop.view.is_lying(frame.normal),
            through=self.extent == "through",
        )

    def _positions(self, shop: Workshop, frame: Frame) -> dict[str, tuple[float, float]]:
        """Where the holes are on the face, by the name of their point."""
        if self.where == "here":
            return {"": (shop.values["x"], shop.values["y"])}
        drawing = sketch_of(shop, self.sketch)
        if abs(abs(dot(drawing.frame.normal, frame.normal)) - 1) > 1e-9:
            raise StepError(
                f"The sketch “{self.sketch}” does not lie level with the face.",
                "Choose one that does.",
                "sketch",
            )
        if not drawing.marks:
            raise StepError(
                f"The sketch “{self.sketch}” has no points that stand alone.",
                "Draw a point where each hole should be.",
                "sketch",
            )
        seen = {
            name: frame.coordinates(drawing.frame.at(*point))
            for name, point in drawing.marks.items()
        }
        return {name: (x, y) for name, (x, y, _) in seen.items()}

    def _one(self, shop: Workshop, at: Frame, diameter: float, bottom: float) -> Tool:
        """The hole in the middle of a frame on the face."""
        if self.form not in STRAIGHT:
            return self._turned(at, diameter, -bottom, shop)
        if self.form == "long":
            length = shop.values["length"] + shop.view.gain("inside")
            if length <= diameter:
                raise StepError(
                    f"The hole is {length:.4g} mm long and {diameter:.4g} mm "
                    "wide; it must be longer than wide.",
                    f"Make “{self.length}” larger.",
                    "length",
                )
            loop = shapes.slot("round", 0.0, 0.0, length, diameter, shop.values["turn"])
        else:
            plain = shapes.circle("round", 0.0, 0.0, diameter)
            loop = self._roofed(at, diameter, shop.view) or plain
        names = {
            curve.name: FaceName(self.name, "wall", _part_of_wall(curve.name))
            for curve in loop.curves
        }
        floor, cover = FaceName(self.name, "floor"), FaceName(self.name, COVER)
        if self.extent == "next":
            return ToNext(Prism(at, Region(loop), bottom, 0.0, floor, cover, names))
        # It ends on the face: what stands there is not to be cut into.
        return Prism(at, Region(loop), bottom, 0.0, floor, cover, names)

    def _roofed(self, at: Frame, diameter: float, view: LensView) -> Loop | None:
        """The section with a roof over it, where the hole lies and a roof is wanted."""
        if self.form not in ("pointed", "flat") or not view.is_lying(at.normal):
            return None
        r, shoulder = diameter / 2, diameter / 2 * math.sqrt(0.5)
        left, right = (-shoulder, shoulder), (shoulder, shoulder)
        # The tangents at 45° meet at √2 r above the middle and pass the height of the circle at (√2
        # − 1) r beside it.
        half = r * (math.sqrt(2) - 1)
        tops = (
            [("", 0.0, 2 * shoulder)]
            if self.form == "pointed"
            else [("roof", half, r), ("", -half, r)]
        )
        points = [right, *((x, y) for _, x, y in tops), left]
        sides = ["right", *(name for name, _, _ in tops[:-1]), "left"]
        lines = (
            Segment(p, q, f"round.{side}")
            for p, q, side in zip(points, points[1:], sides, strict=False)
        )
        loop = Loop(
            (*lines, EllipticArc((0.0, 0.0), r, r, math.radians(135), math.radians(405), "round")),
            "round",
        )
        up = upwards(view.down)
        turn = math.atan2(dot(at.y, up), dot(at.x, up)) - math.pi / 2
        c, s = math.cos(turn), math.sin(turn)
        return loop.mapped(Mapping2D(c, -s, s, c))

    def _turned(self, frame: Frame, diameter: float, depth: float, shop: Workshop) -> Tool:
        """The hole as a half section turned about its axis; depths count into the material."""
        radius = diameter / 2
        corners = [("floor", 0.0, -depth), ("wall", radius, -depth)]
        if self.form == "tapered":
            if self.extent != "depth":
                raise StepError(
                    "A hole that narrows needs a depth.", "Choose “to a depth of”.", "extent"
                )
            tip = _gained(
                above_zero(shop.values["tip"], "diameter at the tip", self.tip, "tip"), shop, frame
            )
            if tip >= diameter:
                raise StepError(
                    f"The tip of {tip:.4g} mm is no narrower than the mouth of {diameter:.4g} mm.",
                    f"Make “{self.tip}” smaller.",
                    "tip",
                )
            corners = [("floor", 0.0, -depth), ("wall", tip / 2, -depth), (COVER, radius, 0.0)]
        else:
            head = _gained(
                above_zero(shop.values["head"], "diameter for the head", self.head, "head"),
                shop,
                frame,
            )
            if head <= diameter:
                raise StepError(
                    f"The head of {head:.4g} mm is no wider than the hole of {diameter:.4g} mm.",
                    f"Make “{self.head}” larger.",
                    "head",
                )
            if self.form == "countersunk":
                angle = shop.values["head_angle"]
                if not 30 <= angle <= 150:
                    raise StepError(
                        f"The head's angle is {angle:g}°; it must lie from 30° to 150°.",
                        "Most heads have 90°.",
                        "head_angle",
                    )
                deep = (head - diameter) / 2 / math.tan(math.radians(angle / 2))
                corners += [("sink", radius, -deep), (COVER, head / 2, 0.0)]
            else:
                deep = above_zero(
                    shop.values["head_depth"], "depth for the head", self.head_depth, "head_depth"
                )
                corners += [
                    ("seat", radius, -deep),
                    ("rim", head / 2, -deep),
                    (COVER, head / 2, 0.0),
                ]
            if deep >= depth:
                raise StepError(
                    f"The head needs {deep:.4g} mm, the hole is {depth:.4g} mm deep.",
                    "Make the hole deeper.",
                    "head",
                )
        corners.append(("", 0.0, 0.0))
        names = [name for name, _, _ in corners] + [""]
        points = [(r, h) for _, r, h in corners]
        lines = tuple(
            Segment(p, q, names[k])
            for k, (p, q) in enumerate(zip(points, [*points[1:], points[0]], strict=True))
            if p != q
        )
        section = Frame(frame.origin, frame.x, frame.normal)
        sides = {
            name: FaceName(self.name, name or "axis") for name in {line.name for line in lines}
        }
        start, end = FaceName(self.name, "start"), FaceName(self.name, "end")
        return Revolved(
            section,
            Region(Loop(lines, self.name)),
            (0.0, 0.0),
            (0.0, 1.0),
            0.0,
            360.0,
            start,
            end,
            sides,
        )


def _gained(diameter: float, shop: Workshop, frame: Frame) -> float:
    """A diameter with the machine's gain on it."""
    return diameter + shop.view.gain("inside", diameter, lying=shop.view.is_lying(frame.normal))


def _part_of_wall(curve: str) -> str:
    """Which piece of a long hole's wall a curve raises; a round one has but one."""
    _, _, piece = curve.partition(".")
    return piece


def _named_after(tool: Tool, mark: str) -> Tool:
    """The tool with faces named after the point that it stands at."""

    def of(name: FaceName) -> FaceName:
        return FaceName(
            name.step, name.role, f"{mark}.{name.element}" if name.element else mark, name.member
        )

    if isinstance(tool, ToNext):
        return replace(tool, prism=_named_after(tool.prism, mark))  # type: ignore[arg-type]
    assert isinstance(tool, (Prism, Revolved))
    sides = {key: of(name) for key, name in tool.sides.items()}
    return replace(tool, start=of(tool.start), end=of(tool.end), sides=sides)
