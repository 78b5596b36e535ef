"""Half sections whose walls move away from an axis: how a turned part gains across while its
heights stay."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise

import numpy as np

from .curves import Bezier, Curve, EllipticArc, Segment
from .loops import Loop
from .mapping import XY, Mapping2D
from .regions import Region

#: How far a wall moves away from the axis, mm: by whether it faces away from the axis, and its
#: diameter, mm.
Shift = Callable[[bool, float], float]

_SAME = 1e-9


def moved_from_axis(region: Region, at: XY, way: XY, by: Shift) -> Region:
    """The region with every piece of its outlines moved at a right angle to an axis; pieces that
    run at a right angle to it only grow or shrink.

    ``at`` and ``way`` are a point and the direction of the axis, beside which the region lies.

    Raises:
        ValueError: where an outline would run into itself or over the axis.
    """
    length = math.hypot(*way)
    along = (way[0] / length, way[1] / length)
    u, v = region.centroid()
    away = (-along[1], along[0])
    if (u - at[0]) * away[0] + (v - at[1]) * away[1] < 0:
        away = (-away[0], -away[1])
    axis = _Axis(at, along, away)
    holes = tuple(
        _moved(hole, axis, lambda out, across: by(not out, across)) for hole in region.holes
    )
    return Region(_moved(region.outer, axis, by), holes)


class _Axis:
    def __init__(self, at: XY, along: XY, away: XY) -> None:
        self.at, self.along, self.away = at, along, away

    def radius(self, point: XY) -> float:
        return (point[0] - self.at[0]) * self.away[0] + (point[1] - self.at[1]) * self.away[1]

    def shifted(self, point: XY, by: float) -> XY:
        return (point[0] + by * self.away[0], point[1] + by * self.away[1])


def _moved(loop: Loop, axis: _Axis, by: Shift) -> Loop:
    """One outline, counter-clockwise, with its outward side to the right."""
    pieces = [piece for curve in loop.curves for piece in _in_one_way(curve, axis)]
    shifts = [_shift(piece, axis, by) for piece in pieces]
    count = len(pieces)
    curves: list[Curve] = []
    for k, (piece, shift) in enumerate(zip(pieces, shifts, strict=True)):
        if (
            shift is None
            # at a right angle to the axis: it goes from where the one before ends to where the next
            # begins
        ):
            ends = (shifts[k - 1] or 0.0, shifts[(k + 1) % count] or 0.0)
            line = Segment(
                axis.shifted(piece.start, ends[0]), axis.shifted(piece.end, ends[1]), piece.name
            )
            if _turned(piece, line, axis):
                raise ValueError(f"the outline closes up at “{piece.name}”")
            if line.length > _SAME:
                curves.append(line)
            continue
        curves.append(piece.mapped(Mapping2D(e=shift * axis.away[0], f=shift * axis.away[1])))
        after = shifts[(k + 1) % count]
        if after is not None and abs(after - shift) > _SAME:
            curves.append(
                Segment(axis.shifted(piece.end, shift), axis.shifted(piece.end, after), piece.name)
            )
    whole = Loop(tuple(curves), loop.name)
    if any(axis.radius(curve.start) < -1e-7 for curve in curves) or whole.area <= 0:
        raise ValueError("the outline would run over its axis")
    return whole


def _turned(before: Curve, after: Segment, axis: _Axis) -> bool:
    was, now = (axis.radius(curve.end) - axis.radius(curve.start) for curve in (before, after))
    return was * now < -_SAME


def _shift(piece: Curve, axis: _Axis, by: Shift) -> float | None:
    """How far a piece moves; None for one at a right angle to the axis, 0 for one that lies on
    it."""
    radii = axis.radius(piece.start), axis.radius(piece.end)
    (ax, ay), (bx, by_) = piece.start, piece.end
    forward = (bx - ax) * axis.along[0] + (by_ - ay) * axis.along[1]
    if isinstance(piece, Segment) and abs(forward) < _SAME:
        return None
    if max(abs(radii[0]), abs(radii[1])) < 1e-7:
        return 0.0
    # To the right of the way along is outside: walking up the axis, that is away from it where
    # ``away`` lies to the right.
    right = (axis.along[1], -axis.along[0])
    outside = (right[0] * axis.away[0] + right[1] * axis.away[1]) * forward > 0
    return by(outside, radii[0] + radii[1])


def _in_one_way(curve: Curve, axis: _Axis) -> list[Curve]:
    """The curve in pieces, each of which goes one way along the axis only."""
    if isinstance(curve, EllipticArc):
        # The tangent is (−rx sin t, ry cos t): at a right angle to the axis where tan t = ry·ay /
        # (rx·ax).
        first = math.atan2(curve.ry * axis.along[1], curve.rx * axis.along[0])
        low, high = sorted((curve.t0, curve.t1))
        turns = [
            first + k * math.pi
            for k in range(
                math.ceil((low - first) / math.pi), math.floor((high - first) / math.pi) + 1
            )
        ]
        inner = [t for t in turns if low + 1e-9 < t < high - 1e-9]
        ends = [curve.t0, *(inner if curve.t1 > curve.t0 else inner[::-1]), curve.t1]
        return [replace(curve, t0=a, t1=b) for a, b in pairwise(ends)]
    if isinstance(curve, Bezier):
        points = np.array([curve.start, curve.first, curve.second, curve.end]) @ np.array(
            axis.along
        )
        a, b, c = np.diff(points)
        roots = np.roots([a - 2 * b + c, 2 * (b - a), a])
        inner = sorted(
            float(r.real) for r in roots if abs(r.imag) < 1e-12 and 1e-9 < r.real < 1 - 1e-9
        )
        ends = [0.0, *inner, 1.0]
        return [curve.part(s, t) for s, t in pairwise(ends)]
    return [curve]
