"""What the lengths of a sketch measure on its outlines: so that a length can be read off the
outlines that are made of it.

A rectangle's width is the distance between two of its sides, a drawing's dimension that between two
corners. Read off the same outlines with the machine's gains on them, it tells how the length comes
out.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.drawing import ORIGIN, X_AXIS, Y_AXIS, Dimension
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from .closed_shapes import Disc, Polyline, Rectangle, SlotShape
from .sketch import Sketch
from .workshop import Outlines

_NEAR = 1e-6


@dataclass(frozen=True, slots=True)
class End:
    """What a length reaches to: a curve by its name, the corner where one curve goes on into
    another, or a place that stays where it is. ``at`` is where it is on the sketch, mm."""

    at: XY
    curves: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Gauge:
    """How a length is read off outlines: between its ends (along x or y of the sheet only, where
    ``axis`` is 0 or 1), as the diameter or radius of the curve that its first end lies on, or over
    two round ends. ``placed`` says that it is measured from a place that is no outline: it tells of
    a part only where that is the axis it turns about, or its middle."""

    form: Literal["between", "diameter", "radius", "over"]
    ends: tuple[End, ...]
    axis: int | None = None
    placed: bool = False

    def read(self, outlines: Sequence[Loop]) -> float | None:
        """The length on some outlines, mm; None where they have not what it reaches to."""
        ends = [_find(end, outlines) for end in self.ends]
        if any(one is None for one in ends):
            return None
        first, last = ends[0], ends[-1]
        if self.form in ("diameter", "radius"):
            if not isinstance(first, EllipticArc) or not first.is_circular:
                return None
            return 2 * first.rx if self.form == "diameter" else first.rx
        if self.form == "over":
            if not isinstance(first, EllipticArc) or not isinstance(last, EllipticArc):
                return None
            return math.dist(first.centre, last.centre) + first.rx + last.rx
        assert first is not None
        assert last is not None
        return _between(first, last, self.axis)

    def across(self, outlines: Sequence[Loop]) -> Gauge | None:
        """Of a length from a place to a corner, the gauge from that corner to the one that lies as
        far on the other side of the place, twice as long; None where none does."""
        fixed = next((end for end in self.ends if not end.curves), None)
        corner = next((end for end in self.ends if len(end.curves) == 2), None)
        if fixed is None or corner is None or self.axis is None:
            return None
        wanted = tuple(
            2 * fixed.at[i] - c if i == self.axis else c for i, c in enumerate(corner.at)
        )
        for loop in outlines:
            for before, after in pairwise([loop.curves[-1], *loop.curves]):
                if math.dist(after.start, wanted) < _NEAR:
                    return Gauge(
                        "between", (corner, End(after.start, (before.name, after.name))), self.axis
                    )
        return None


def gauges_of(sketch: Sketch, outlines: Outlines) -> dict[str, Gauge]:
    """How each length of a sketch is read off its outlines, by the path of its formula. Lengths of
    which nothing of an outline is a measure (the place of a circle) are left out."""
    gauges: dict[str, Gauge] = {}
    for i, shape in enumerate(sketch.shapes):
        at = f"shapes.{i}"
        if isinstance(shape, Disc):
            gauges[f"{at}.diameter"] = Gauge("diameter", (_on(outlines, shape.name),))
        elif isinstance(shape, Rectangle):
            gauges |= {f"{at}.width": _across(outlines, shape.name, "left", "right")}
            gauges |= {f"{at}.height": _across(outlines, shape.name, "bottom", "top")}
        elif isinstance(shape, SlotShape):
            gauges |= {f"{at}.width": _across(outlines, shape.name, "bottom", "top")}
            ends = tuple(_on(outlines, f"{shape.name}.{side}") for side in ("left", "right"))
            gauges |= {f"{at}.length": Gauge("over", ends)}
        elif isinstance(shape, Polyline):
            gauges |= _corners(f"{at}.points", outlines.loops.get(shape.name))
    corners = _Corners(outlines)
    for i, dimension in enumerate(sketch.drawing.dimensions):
        gauge = _of_dimension(dimension, outlines, corners)
        if gauge is not None and not dimension.reads:
            gauges[f"drawing.dimensions.{i}.formula"] = gauge
    for i, wall in enumerate(sketch.walls):
        curves = {curve.name: curve for curve in _all_curves(outlines)}
        pair = next(
            (
                name
                for name in curves
                if f"{wall.name}.{name}" in curves and isinstance(curves[name], Segment)
            ),
            "",
        )
        if pair:
            ends = tuple(End(curves[name].start, (name,)) for name in (pair, f"{wall.name}.{pair}"))
            gauges[f"walls.{i}.by"] = Gauge("between", ends)
    return gauges


def _all_curves(outlines: Outlines) -> Iterator[Curve]:
    for loop in outlines.loops.values():
        yield from loop.curves
    yield from outlines.curves


def _on(outlines: Outlines, name: str) -> End:
    start = next((curve.start for curve in _all_curves(outlines) if curve.name == name), (0.0, 0.0))
    return End(start, (name,))


def _across(outlines: Outlines, shape: str, one: str, other: str) -> Gauge:
    return Gauge("between", (_on(outlines, f"{shape}.{one}"), _on(outlines, f"{shape}.{other}")))


def _corners(at: str, loop: Loop | None) -> dict[str, Gauge]:
    """The places of the points of a closed line, from the axes of the sheet."""
    corners = {}
    for before, after in pairwise([loop.curves[-1], *loop.curves]) if loop is not None else ():
        first = _point_between(before, after)
        corner = End(after.start, (before.name, after.name))
        for axis, letter in enumerate("xy"):
            fixed = End((0.0, 0.0))
            corners[f"{at}.{first}.{letter}"] = Gauge("between", (fixed, corner), axis, placed=True)
    return corners


def _point_between(before: Curve, after: Curve) -> int:
    """Which point, from 0, two sides of a closed line meet at. Side n runs from point n to the
    next; a line that was drawn clockwise runs the other way round."""
    one, other = (int(curve.name.rpartition(".")[2]) for curve in (before, after))
    forward = other - one == 1 or (other == 1 and one > 2)
    return (other if forward else one) - 1


class _Corners:
    """Where curves of a sketch go on into each other."""

    def __init__(self, outlines: Outlines) -> None:
        self.ends: list[tuple[XY, str]] = []
        for curve in _all_curves(outlines):
            self.ends += [(curve.start, curve.name), (curve.end, curve.name)]

    def at(self, point: XY) -> End:
        names = tuple(
            dict.fromkeys(name for end, name in self.ends if math.dist(end, point) < _NEAR)
        )
        return End(point, names if len(names) == 2 else ())


def _of_dimension(dimension: Dimension, outlines: Outlines, corners: _Corners) -> Gauge | None:
    if dimension.kind in ("radius", "diameter"):
        return Gauge(dimension.kind, (_on(outlines, dimension.of[0]),))
    if dimension.kind not in ("distance", "across", "upright"):
        return None
    axis = {"across": 0, "upright": 1}.get(dimension.kind)
    if len(dimension.of) == 1:
        line = outlines.lines.get(dimension.of[0])
        both = (corners.at(line[0]), corners.at(line[1])) if line is not None else ()
        return Gauge("between", both, axis) if both and all(end.curves for end in both) else None
    ends = []
    for name in dimension.of:
        if name in outlines.lines:
            ends.append(End(outlines.lines[name][0], (name,)))
        elif name in outlines.places:
            ends.append(corners.at(outlines.places[name]))
        elif name in (ORIGIN, X_AXIS, Y_AXIS):
            ends.append(End((0.0, 0.0)))
            axis = {X_AXIS: 1, Y_AXIS: 0}.get(name, axis)
        else:
            return None
    placed = any(not end.curves for end in ends)
    return Gauge("between", (ends[0], ends[1]), axis, placed)


def _find(end: End, outlines: Sequence[Loop]) -> Curve | XY | None:
    """What an end is on some outlines: the nearest of its pieces, or its corner."""
    if not end.curves:
        return end.at
    if len(end.curves) == 1:
        pieces = [
            curve for loop in outlines for curve in loop.curves if curve.name == end.curves[0]
        ]
        return min(pieces, key=lambda curve: math.dist(curve.start, end.at), default=None)
    met = [
        after.start
        for loop in outlines
        for before, after in pairwise([loop.curves[-1], *loop.curves])
        if {before.name, after.name} == set(end.curves)
    ]
    return min(met, key=lambda spot: math.dist(spot, end.at), default=None)


def _between(one: Curve | XY, other: Curve | XY, axis: int | None) -> float | None:
    if isinstance(one, Segment) and isinstance(other, Segment):
        (ax, ay), (bx, by) = _way(one), _way(other)
        if abs(ax * by - ay * bx) > _NEAR:
            return None
        one = ((one.start[0] + one.end[0]) / 2, (one.start[1] + one.end[1]) / 2)
    if isinstance(one, Segment):
        one, other = other, one
    if isinstance(other, Segment) and isinstance(one, tuple):
        x, y = _way(other)
        return abs((one[0] - other.start[0]) * y - (one[1] - other.start[1]) * x)
    if not isinstance(one, tuple) or not isinstance(other, tuple):
        return None
    return math.dist(one, other) if axis is None else abs(one[axis] - other[axis])


def _way(line: Segment) -> XY:
    length = line.length
    return ((line.end[0] - line.start[0]) / length, (line.end[1] - line.start[1]) / length)
