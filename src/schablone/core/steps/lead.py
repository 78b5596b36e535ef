"""An outline led along a path in space: drawn, through points, or by formulas; twisting and growing
on the way."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..formula.sampling import SAMPLES, nodes
from ..kernel.along import PathPiece, Piped, carried, rounded_polyline, tangent, turned_onto
from ..kernel.frame import Frame, Vector, as_vector
from ..kernel.guided import guided
from ..kernel.naming import FaceName
from ..model import FormulaText, Frozen, Identifier, OneLine
from ..quantity import ANGLE, COUNT
from ..sketch.chain import chained
from ..sketch.curves import Bezier
from ..sketch.mapping import Mapping2D
from ..sketch.regions import Region
from ..words import say_name, sentence
from .base import Slot, Standing, Step
from .choosing import only_region, sides_of, sketch_of, with_gains
from .path import Path, along_pieces, by_formulas, frames_of, stations, through_points
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    ListPiece,
    PlacePiece,
    Sentence,
    SentencePiece,
    StepPiece,
    Words,
)
from .sweep import clear_of_itself
from .workshop import Feature, StepError, Workshop


class PathPoint(Frozen):
    """A point of a path, in the design's own x, y and z."""

    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    z: FormulaText = "0 mm"


class Lead(Step):
    """Leads the region of a sketch along a path; the origin of its sheet rides on the path.

    The sheet is turned onto the start of the path by the shortest turn. From there it turns about
    the path no more than it must, or keeps to the upright or to a face as it stands at the start;
    and by ``twist``. ``twist`` and ``growth`` may be formulas of ``along``, which runs from 0 to 1.
    Where the path closes, so does the part.
    """

    order = 25
    title = "Outline along a path"
    purpose = "Lead an outline along a path, twisting if wanted"
    also = "sweep pipe handle twist curve profile rail spiral"
    repeatable = True
    refers = ("sketch", "drawn")
    places = ("keep_to",)

    kind: Literal["lead"] = "lead"
    mode: Literal["add", "cut", "common"] = "add"
    sketch: Identifier | Literal[""] = ""
    way: Literal["drawn", "points", "formula"] = "drawn"
    drawn: Identifier | Literal[""] = ""
    points: Annotated[tuple[PathPoint, ...], Field(max_length=200)] = (
        PathPoint(), PathPoint(z="30 mm"), PathPoint(x="30 mm", z="30 mm"),
    )  # fmt: skip
    joined: Literal["straight", "smooth"] = "straight"
    bend: FormulaText = "0 mm"
    parameter: Identifier = "turned"
    first: FormulaText = "0 deg"
    last: FormulaText = "360 deg"
    x: FormulaText = "20 mm * cos(turned)"
    y: FormulaText = "20 mm * sin(turned)"
    z: FormulaText = "10 mm * turned / (360 deg)"
    twist: FormulaText = "0 deg"
    growth: FormulaText = "1"
    keep: Literal["least", "upright", "face"] = "least"
    keep_to: OneLine = ""
    begin: Literal["0"] = "0"
    finish: Literal["1"] = "1"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        # The outline first, then the way that it is led.
        two = {"sketch": before.sketches[-2]} if len(before.sketches) > 1 else {}
        return {**super().likely(before), **two}

    def slots(self) -> tuple[Slot, ...]:
        slots: list[Slot] = []
        if self.way == "points":
            for i, point in enumerate(self.points):
                for axis in ("x", "y", "z"):
                    label = f"{axis} of point {i + 1}"
                    slots.append(
                        Slot(
                            f"points.{i}.{axis}", getattr(point, axis), label, along=f"part {axis}"
                        )
                    )
            if self.joined == "straight":
                slots.append(Slot("bend", self.bend, "radius of the bends"))
        elif self.way == "formula":
            over = (self.parameter, "first", "last")
            slots += [Slot("first", self.first, f"first {self.parameter}", ANGLE)]
            slots += [Slot("last", self.last, f"last {self.parameter}", ANGLE)]
            slots += [
                Slot(axis, getattr(self, axis), axis, over=over, panels=True)
                for axis in ("x", "y", "z")
            ]
        slots += [
            Slot("begin", self.begin, "start of the way", COUNT),
            Slot("finish", self.finish, "end of the way", COUNT),
        ]
        over = ("along", "begin", "finish")
        slots.append(Slot("twist", self.twist, "twist", ANGLE, over=over))
        slots.append(Slot("growth", self.growth, "growth", COUNT, over=over))
        return tuple(slots)

    def sentence(self) -> Sentence:
        ways = {"drawn": "the lines drawn on", "points": "points", "formula": "a curve by formulas"}
        head: list[SentencePiece] = [
            ChoicePiece(
                "mode",
                {"add": "lead", "cut": "cut by leading", "common": "keep only what lies within"},
            ),
            StepPiece("sketch", ("sketch",)),
            Words("along"),
            ChoicePiece("way", ways),
        ]
        lines: list[tuple[SentencePiece, ...]] = []
        if self.way == "drawn":
            head.append(StepPiece("drawn", ("sketch",)))
        elif self.way == "points":
            for i in range(len(self.points)):
                at = f"points.{i}"
                lines.append(
                    (
                        Words(f"{i + 1}. x"),
                        FormulaPiece(f"{at}.x"),
                        Words("y"),
                        FormulaPiece(f"{at}.y"),
                        Words("z"),
                        FormulaPiece(f"{at}.z"),
                    )
                )
            joined: list[SentencePiece] = [
                ListPiece("points", "point", PathPoint(), 2),
                ChoicePiece(
                    "joined",
                    {"straight": "joined by straight lines", "smooth": "joined by a smooth curve"},
                ),
            ]
            if self.joined == "straight":
                joined += [Words("with bends of"), FormulaPiece("bend")]
            lines.append(tuple(joined))
        else:
            words = say_name(self.parameter)
            lines += [(Words(axis), FormulaPiece(axis)) for axis in ("x", "y", "z")]
            lines.append(
                (
                    Words(f"with {words} from"),
                    FormulaPiece("first"),
                    Words("to"),
                    FormulaPiece("last"),
                )
            )
        lines.append(
            (
                Words("twisting by"),
                FormulaPiece("twist"),
                Words("growing to"),
                FormulaPiece("growth"),
                Words("times"),
            )
        )
        keeps = {
            "least": "with the least twist",
            "upright": "keeping upright",
            "face": "keeping to the face",
        }
        kept: list[SentencePiece] = [ChoicePiece("keep", keeps)]
        if self.keep == "face":
            kept.append(PlacePiece("keep_to", planes=True))
        return (tuple(head), *lines, tuple(kept))

    def sections(self, shop: Workshop) -> Mapping[str, tuple[Region, ...]]:
        drawing = sketch_of(shop, self.sketch)
        region = only_region(drawing, self.sketch, "sketch", holes=True)
        return {self.sketch: with_gains((region,), self.mode, shop.view)}

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        grown = self.sections(shop)[self.sketch]
        if len(grown) != 1:
            raise StepError(
                f"The outline of “{self.sketch}” falls apart on this machine.",
                "Draw it wider.",
                "sketch",
            )
        region = grown[0]
        names = FaceName(self.name, "start"), FaceName(self.name, "end")
        sides = sides_of(region, self.name)
        twist, growth = self._on_the_way(shop)
        keeps = self._keeps(shop)
        pieces, closed = self._pieces(shop)
        exact = pieces is not None and not any(isinstance(curve, Bezier) for _, curve in pieces)
        if pieces is not None and exact and keeps is None and twist.is_still and growth.is_still:
            first = turned_onto(
                drawing.frame,
                pieces[0][0].at(*pieces[0][1].start),
                tangent(pieces[0], at_end=False),
            )
            frame, region = _section(first, region, twist.start, growth.start)
            if not closed or _comes_round(frame, pieces):
                return Feature(
                    self.mode, self.part, [Piped(frame, region, pieces, *names, sides, closed)]
                )
        path = along_pieces(pieces, closed, "twist") if pieces is not None else self._smooth(shop)
        x, y = frames_of(path, drawing.frame, keeps)
        share = path.run / path.run[-1]
        turn, size = np.radians(twist.at(share)), growth.at(share)
        if path.closed:
            self._fits_at_the_end(twist, growth)
        c, s = np.cos(turn)[:, None], np.sin(turn)[:, None]
        x, y = (x * c + y * s) * size[:, None], (y * c - x * s) * size[:, None]
        reach = float(np.hypot(*region.outer.points(0.05).T).max())
        at, rows = stations(path, x, y, 3e-5 * reach)
        tool = guided(
            region, at, rows, closed=path.closed, start=names[0], end=names[1], sides=sides
        )
        remarks = clear_of_itself(tool, "Make the outline smaller, or the path wider.", "sketch")
        return Feature(self.mode, self.part, [tool], remarks=remarks)

    def _on_the_way(self, shop: Workshop) -> tuple[_Course, _Course]:
        """Twist in degrees and growth as they run from the start of the path to its end."""
        twist = _Course([shop.values[f"twist@{k}"] for k in range(SAMPLES)])
        growth = _Course([shop.values[f"growth@{k}"] for k in range(SAMPLES)])
        if min(growth.values) <= 1e-3:
            raise StepError(
                f"The outline shrinks to {min(growth.values):.3g} of its size (by "
                f"“{self.growth}”); it must stay above 0.001.",
                f"Change “{self.growth}”.",
                "growth",
            )
        return twist, growth

    def _keeps(self, shop: Workshop) -> Vector | None:
        """The direction that the outline keeps to, if it does."""
        if self.keep == "least":
            return None
        return (
            (0.0, 0.0, 1.0)
            if self.keep == "upright"
            else shop.plane(self.keep_to, "keep_to").normal
        )

    def _fits_at_the_end(self, twist: _Course, growth: _Course) -> None:
        """Refuse an outline that does not come back to itself on a closed path.

        Raises:
            StepError: says by how much it is off.
        """
        left = math.remainder(twist.end - twist.start, 360.0)
        if abs(left) > 1e-6:
            raise StepError(
                "The path closes, and the outline comes back turned by "
                f"{left:g}° (from “{self.twist}”).",
                "On a closed path let it twist by whole turns: 0 deg, 360 deg …",
                "twist",
            )
        if abs(growth.end - growth.start) > 1e-9:
            raise StepError(
                f"The path closes, and the outline comes back {growth.end / growth.start:g} "
                f"times as large (from “{self.growth}”).",
                "On a closed path let it end as large as it begins.",
                "growth",
            )

    def _pieces(self, shop: Workshop) -> tuple[tuple[PathPiece, ...] | None, bool]:
        """The path in exact pieces, where it has any, and whether they close."""
        if self.way == "drawn":
            drawing = sketch_of(shop, self.drawn, "drawn")
            curves = drawing.curves or [
                curve for loop in drawing.loops.values() for curve in loop.curves
            ]
            try:
                path, closed = chained(curves)
            except ValueError as error:
                raise StepError(
                    f"The sketch “{self.drawn}” gives no path: {error}.",
                    "Draw lines and arcs that follow each other.",
                    "drawn",
                ) from None
            return tuple((drawing.frame, curve) for curve in path), closed
        if self.way == "formula" or self.joined == "smooth":
            return None, False
        bend = shop.values["bend"]
        if bend < 0:
            raise StepError(
                f"The radius of the bends is {bend:g} mm; it must not be negative.",
                f"Change “{self.bend}”.",
                "bend",
            )
        try:
            return rounded_polyline(self._corners(shop), bend)
        except ValueError as error:
            text = str(error)
            raise StepError(
                sentence(text),
                "Move the points or make the bends smaller.",
                "bend",
            ) from None

    def _corners(self, shop: Workshop) -> list[Vector]:
        if len(self.points) < 2:
            raise StepError("A path needs two points at least.", "Add a point.", "points")
        return [
            (
                shop.values[f"points.{i}.x"],
                shop.values[f"points.{i}.y"],
                shop.values[f"points.{i}.z"],
            )
            for i in range(len(self.points))
        ]

    def _smooth(self, shop: Workshop) -> Path:
        """The path by formulas, or the smooth one through points."""
        return (
            by_formulas(shop.values, self.parameter)
            if self.way == "formula"
            else through_points(self._corners(shop))
        )


class _Course:
    """What a formula of ``along`` runs through from 0 to 1, by its values at the nodes."""

    def __init__(self, values: list[float]) -> None:
        self.values = values
        self.start, self.end = values[0], values[-1]
        self.is_still = max(values) - min(values) < 1e-9
        self._fitted = np.polynomial.chebyshev.chebfit(
            nodes(-1.0, 1.0), np.array(values), SAMPLES - 1
        )

    def at(self, share: np.ndarray) -> np.ndarray:
        points: np.ndarray = np.polynomial.chebyshev.chebval(2 * share - 1, self._fitted)
        return points


def _comes_round(frame: Frame, pieces: Sequence[PathPiece]) -> bool:
    """Whether a section that does not turn about a closed path comes back to its start as it
    began."""
    last = carried(frame, pieces)
    last = turned_onto(last, frame.origin, frame.normal)
    return math.dist(last.x, frame.x) < 1e-7


def _section(frame: Frame, region: Region, degrees: float, times: float) -> tuple[Frame, Region]:
    """The region turned and scaled about the origin of its sheet: the frame turns, so that every
    curve stays its kind."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    x = as_vector(a * c + b * s for a, b in zip(frame.x, frame.y, strict=True))
    y = as_vector(b * c - a * s for a, b in zip(frame.x, frame.y, strict=True))
    turned = frame if degrees == 0 else Frame(frame.origin, x, y)
    return turned, region if times == 1 else region.mapped(Mapping2D(a=times, d=times))
