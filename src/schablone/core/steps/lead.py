"""An outline led along a path in space: drawn, through points, or by formulas; twisting and growing on the way."""

from __future__ import annotations

import itertools
import math
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from ..formula.sampling import SAMPLES, nodes
from ..kernel.along import PathPiece, Piped, frames_along, rounded_polyline, tangent, turned_onto
from ..kernel.frame import Frame, Vector
from ..kernel.naming import FaceName
from ..kernel.tools import Lofted
from ..model import FormulaText, Frozen, Identifier
from ..quantity import ANGLE, COUNT
from ..sketch.chain import chained
from ..sketch.curves import Bezier, Mapping2D
from ..sketch.regions import Region
from .base import (
    ChoicePiece,
    Feature,
    FormulaPiece,
    ListPiece,
    Piece,
    Sentence,
    Slot,
    Step,
    StepError,
    StepPiece,
    Words,
    Workshop,
)
from .choosing import only_region, sides_of, sketch_of, with_gains
from .sweep import fitted_curve, spread

#: Sections in a full turn of the path's direction or of the outline about it.
_SECTIONS_A_TURN = 16
_MOST_SECTIONS = 400


class PathPoint(Frozen):
    """A point of a path, in the design's own x, y and z."""

    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    z: FormulaText = "0 mm"


class Lead(Step):
    """Leads the region of a sketch along a path; the origin of its sheet rides on the path.

    The sheet is turned onto the start of the path by the shortest turn, and does not turn about the path but by
    ``twist``. ``twist`` and ``growth`` may be formulas of ``along``, which runs from 0 to 1.
    """

    order = 25
    title = "Outline along a path"
    purpose = "Lead an outline along a path, twisting if wanted"
    refers = ("sketch", "drawn")

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
    begin: Literal["0"] = "0"
    finish: Literal["1"] = "1"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        found: list[Slot] = []
        if self.way == "points":
            for i, point in enumerate(self.points):
                for axis in ("x", "y", "z"):
                    label = f"{axis} of point {i + 1}"
                    found.append(Slot(f"points.{i}.{axis}", getattr(point, axis), label, along=f"part {axis}"))
            if self.joined == "straight":
                found.append(Slot("bend", self.bend, "radius of the bends"))
        elif self.way == "formula":
            over = (self.parameter, "first", "last")
            found += [Slot("first", self.first, f"first {self.parameter}", ANGLE)]
            found += [Slot("last", self.last, f"last {self.parameter}", ANGLE)]
            found += [Slot(axis, getattr(self, axis), axis, over=over) for axis in ("x", "y", "z")]
        found += [
            Slot("begin", self.begin, "start of the way", COUNT),
            Slot("finish", self.finish, "end of the way", COUNT),
        ]
        over = ("along", "begin", "finish")
        found.append(Slot("twist", self.twist, "twist", ANGLE, over=over))
        found.append(Slot("growth", self.growth, "growth", COUNT, over=over))
        return tuple(found)

    def sentence(self) -> Sentence:
        ways = {"drawn": "the lines drawn on", "points": "points", "formula": "a curve by formulas"}
        head: list[Piece] = [
            ChoicePiece("mode", {"add": "lead", "cut": "cut by leading", "common": "keep only what lies within"}),
            StepPiece("sketch", ("sketch",)), Words("along"), ChoicePiece("way", ways),
        ]  # fmt: skip
        lines: list[tuple[Piece, ...]] = []
        if self.way == "drawn":
            head.append(StepPiece("drawn", ("sketch",)))
        elif self.way == "points":
            for i in range(len(self.points)):
                at = f"points.{i}"
                lines.append((
                    Words(f"{i + 1}. x"), FormulaPiece(f"{at}.x"), Words("y"), FormulaPiece(f"{at}.y"), Words("z"),
                    FormulaPiece(f"{at}.z"),
                ))  # fmt: skip
            joined: list[Piece] = [
                ListPiece("points", "point", PathPoint(), 2),
                ChoicePiece("joined", {"straight": "joined by straight lines", "smooth": "joined by a smooth curve"}),
            ]
            if self.joined == "straight":
                joined += [Words("with bends of"), FormulaPiece("bend")]
            lines.append(tuple(joined))
        else:
            words = self.parameter.replace("_", " ")
            lines += [(Words(axis), FormulaPiece(axis)) for axis in ("x", "y", "z")]
            lines.append((Words(f"with {words} from"), FormulaPiece("first"), Words("to"), FormulaPiece("last")))
        lines.append(
            (Words("twisting by"), FormulaPiece("twist"), Words("growing to"), FormulaPiece("growth"), Words("times"))
        )
        return (tuple(head), *lines)

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        region = only_region(drawing, self.sketch, "sketch", holes=True)
        region = with_gains((region,), self.mode, shop.view)[0]
        ends = FaceName(self.name, "start"), FaceName(self.name, "end")
        sides = sides_of(region, self.name)
        along = nodes(0.0, 1.0)
        twist = np.array([shop.values[f"twist@{k}"] for k in range(SAMPLES)])
        growth = np.array([shop.values[f"growth@{k}"] for k in range(SAMPLES)])
        if growth.min() <= 1e-3:
            raise StepError(
                f"The outline shrinks to {growth.min():.3g} of its size (by “{self.growth}”); it must stay above 0.001.",
                f"Change “{self.growth}”.", "growth",
            )  # fmt: skip
        still = float(np.ptp(twist)) < 1e-9 and float(np.ptp(growth)) < 1e-12
        pieces = self._pieces(shop)
        if still and pieces is not None and not any(isinstance(curve, Bezier) for _, curve in pieces):
            frame = turned_onto(drawing.frame, pieces[0][0].at(*pieces[0][1].start), tangent(pieces[0], at_end=False))
            frame, region = _section(frame, region, float(twist[0]), float(growth[0]))
            return Feature(self.mode, self.part, [Piped(frame, region, pieces, *ends, sides)])
        if pieces is not None:
            points, tangents = _sampled(pieces, twist)
        else:
            points, tangents = self._smooth(shop, twist)
        frames = frames_along(points, tangents, drawing.frame)
        run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
        at = run / run[-1]
        from scipy.interpolate import CubicSpline  # here: most designs do without it

        turns = CubicSpline(along, twist)(at)
        sizes = CubicSpline(along, growth)(at)
        sections = tuple(
            _section(frame, region, float(a), float(s)) for frame, a, s in zip(frames, turns, sizes, strict=True)
        )
        return Feature(self.mode, self.part, [Lofted(sections, False, *ends, FaceName(self.name, "side"), sides)])

    def _pieces(self, shop: Workshop) -> tuple[PathPiece, ...] | None:
        """The path in exact pieces, where it has any."""
        if self.way == "drawn":
            drawing = sketch_of(shop, self.drawn, "drawn")
            curves = drawing.curves or [curve for loop in drawing.loops.values() for curve in loop.curves]
            try:
                path, _ = chained(curves)
            except ValueError as error:
                raise StepError(
                    f"The sketch “{self.drawn}” gives no path: {error}.",
                    "Draw lines and arcs that follow each other.",
                    "drawn",
                ) from None
            return tuple((drawing.frame, curve) for curve in path)
        if self.way == "formula" or self.joined == "smooth":
            return None
        bend = shop.values["bend"]
        if bend < 0:
            raise StepError(
                f"The radius of the bends is {bend:g} mm; it must not be negative.", f"Change “{self.bend}”.", "bend"
            )
        try:
            return rounded_polyline(self._corners(shop), bend)
        except ValueError as error:
            text = str(error)
            raise StepError(
                f"{text[:1].upper()}{text[1:]}.", "Move the points or make the bends smaller.", "bend"
            ) from None

    def _corners(self, shop: Workshop) -> list[Vector]:
        if len(self.points) < 2:
            raise StepError("A path needs two points at least.", "Add a point.", "points")
        return [
            (shop.values[f"points.{i}.x"], shop.values[f"points.{i}.y"], shop.values[f"points.{i}.z"])
            for i in range(len(self.points))
        ]

    def _smooth(self, shop: Workshop, twist: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Points and tangents, (n, 3) each, along a smooth path."""
        if self.way == "formula":
            dense = spread(fitted_curve(shop.values), 4001)
        else:
            corners = np.array(self._corners(shop))
            gaps = np.linalg.norm(np.diff(corners, axis=0), axis=1)
            if gaps.min() < 1e-6:
                k = int(np.argmin(gaps)) + 1
                raise StepError(
                    f"Points {k} and {k + 1} of the path are the same.", "Move one of them.", f"points.{k}.x"
                )
            at = np.concatenate([[0.0], np.cumsum(gaps)])
            from scipy.interpolate import CubicSpline  # here: most designs do without it

            dense = CubicSpline(at, corners)(np.linspace(0.0, at[-1], 4001))
        return _thinned(dense, twist)


def _sampled(pieces: tuple[PathPiece, ...], twist: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Points and tangents along exact pieces that follow each other without corners.

    Raises:
        StepError: where there is a corner: nothing can twist or grow around it.
    """
    for number, (before, after) in enumerate(itertools.pairwise(pieces), 1):
        a, b = tangent(before, at_end=True), tangent(after, at_end=False)
        if math.dist(a, b) > 1e-6:
            raise StepError(
                f"The path has a sharp corner after its piece {number}; an outline that twists or grows cannot go round it.",
                "Round the corner, or leave twist and growth alone.", "twist",
            )  # fmt: skip
    rows: list[Vector] = []
    for frame, curve in pieces:
        points = _even(curve)
        rows += [frame.at(*point) for point in (points if not rows else points[1:])]
    return _thinned(np.array(rows), twist)


def _even(curve) -> list[tuple[float, float]]:  # type: ignore[no-untyped-def]
    """Points close together along a curve, both ends included."""
    s = np.linspace(0.0, 1.0, 401)
    if isinstance(curve, Bezier):
        return [tuple(p) for p in curve.at(s).tolist()]
    if hasattr(curve, "t0"):
        return [curve.at(float(t)) for t in curve.t0 + (curve.t1 - curve.t0) * s]
    (ax, ay), (bx, by) = curve.start, curve.end
    return [(ax + (bx - ax) * k, ay + (by - ay) * k) for k in s.tolist()]


def _thinned(dense: np.ndarray, twist: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Points and tangents where sections go: closer together where the path bends or the outline turns."""
    ahead = np.gradient(
        dense, np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(dense, axis=0), axis=1))]), axis=0
    )
    ahead /= np.linalg.norm(ahead, axis=1)[:, None]
    turned = np.concatenate([[0.0], np.arccos(np.clip((ahead[1:] * ahead[:-1]).sum(1), -1, 1))])
    about = math.radians(float(np.abs(np.diff(twist)).sum())) / len(dense)
    measure = np.cumsum(turned + about + 2 * math.pi * 6 / _SECTIONS_A_TURN / len(dense))
    count = int(np.clip(np.ceil(measure[-1] / (2 * math.pi) * _SECTIONS_A_TURN), 8, _MOST_SECTIONS))
    picked = np.unique(
        np.searchsorted(measure, np.linspace(measure[0], measure[-1], count + 1)).clip(0, len(dense) - 1)
    )
    picked[-1] = len(dense) - 1
    return dense[picked], ahead[picked]


def _section(frame: Frame, region: Region, degrees: float, times: float) -> tuple[Frame, Region]:
    """The region turned and scaled about the origin of its sheet: the frame turns, so that every curve stays its kind."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    x = tuple(a * c + b * s for a, b in zip(frame.x, frame.y, strict=True))
    y = tuple(b * c - a * s for a, b in zip(frame.x, frame.y, strict=True))
    turned = frame if degrees == 0 else Frame(frame.origin, x, y)  # type: ignore[arg-type]
    return turned, region if times == 1 else region.mapped(Mapping2D(a=times, d=times))
