"""What is drawn of a board: one outline between two levels.

Seen along its thickness it is its outline. Seen from an edge it is a strip with a line for each
corner and each place where a round wall turns away, and of those one is seen where nothing of the
board lies before it. A panel with thousands of holes is drawn in a moment, where the removal of
hidden lines looks at each edge beside each face.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.mapping import XY, Mapping2D
from ..sketch.regions import Region
from .frame import Frame, Vector, add, dot
from .line_work import Lines, not_under
from .prism import Prism

#: Cosines below this are none.
_NEAR = 1e-9
#: Chord tolerance of what hides, mm; what is looked at beside a line; and how far before it
#: something has to lie to hide it.
_CHORDS, _BESIDE, _BEFORE = 1e-3, 1e-5, 3e-3
#: Directions nearer than this, radians, go on into each other.
_SMOOTH = 1e-5
#: So many lines are looked at together.
_TOGETHER = 512


def lines_of_board(prism: Prism, view: Frame, cut: float | None = None) -> Lines | None:
    """The lines of a prism seen against the normal of a plane. With ``cut`` all that lies more than
    so many mm above the plane is taken away before. None where it is seen, or cut, askew, leans, or
    has free curves.

    Raises:
        ValueError: where the cut takes away all of it, or meets nothing.
    """
    curves = [curve for loop in prism.region.loops for curve in loop.curves]
    along = abs(dot(prism.frame.normal, view.normal))
    if prism.inset or not all(map(_is_plain, curves)):
        return None
    if along > 1 - _NEAR and cut is None:
        mapping = _mapping(prism.frame, view, view.x, view.y)
        return Lines(tuple(curve.mapped(mapping) for curve in curves))
    return _from_the_edge(prism, view, cut) if along < _NEAR else None


def _is_plain(curve: Curve) -> bool:
    return isinstance(curve, Segment) or (isinstance(curve, EllipticArc) and curve.is_circular)


def _mapping(frame: Frame, view: Frame, across: Vector, up: Vector) -> Mapping2D:
    """From the plane of a frame to coordinates along two directions."""
    off = add(frame.origin, view.origin, -1.0)
    return Mapping2D(
        dot(frame.x, across), dot(frame.y, across), dot(frame.x, up), dot(frame.y, up),
        dot(off, across), dot(off, up),
    )  # fmt: skip


@dataclass(frozen=True)
class _Strip:
    """The strip that a board is from its edge: which way its length and its thickness go in the
    view, and between which levels it lies."""

    across: XY
    up: XY
    low: float
    high: float

    def at(self, length: float, level: float) -> XY:
        return (
            length * self.across[0] + level * self.up[0],
            length * self.across[1] + level * self.up[1],
        )

    def upright(self, length: float) -> Segment:
        return Segment(self.at(length, self.low), self.at(length, self.high))

    def level(self, ends: XY, level: float) -> Segment:
        return Segment(self.at(ends[0], level), self.at(ends[1], level))


def _from_the_edge(prism: Prism, view: Frame, cut: float | None) -> Lines:
    normal = prism.frame.normal
    up = dot(normal, view.x), dot(normal, view.y)
    across = up[1], -up[0]
    way = add(add((0.0, 0.0, 0.0), view.x, across[0]), view.y, across[1])
    mapping = _mapping(prism.frame, view, way, view.normal)
    base = dot(add(prism.frame.origin, view.origin, -1.0), normal)
    strip = _Strip(across, up, base + prism.low, base + prism.high)
    region = prism.region.mapped(mapping)
    whole = shapely.make_valid(region.polygon(_CHORDS))
    pieces = _areas(whole)
    areas: tuple[tuple[tuple[XY, ...], ...], ...] = ()
    spots = _turning(region)
    if cut is not None:
        x0, y0, x1, _ = whole.bounds
        through = LineString([(x0 - 1, cut), (x1 + 1, cut)]).intersection(whole)
        ends = [
            (line.bounds[0], line.bounds[2])
            for line in shapely.get_parts(through)
            if line.length > _BEFORE
        ]
        if not ends:
            raise ValueError("the cut does not meet the part")
        areas = tuple(
            (tuple(strip.at(*at) for at in ((a, strip.low), (b, strip.low), (b, strip.high),
                                            (a, strip.high))),)
            for a, b in ends
        )  # fmt: skip
        pieces = _areas(shapely.box(x0 - 1, min(y0, cut) - 1, x1 + 1, cut).intersection(whole))
        spots = spots[spots[:, 1] <= cut + _BESIDE]
        spots = np.vstack([spots, [(end, cut) for pair in ends for end in pair]])
    seen: list[Curve] = [
        strip.level(ends, level)
        for ends in _joined((part.bounds[0], part.bounds[2]) for part in pieces)
        for level in (strip.low, strip.high)
    ]
    hidden: list[Curve] = []
    before = _hidden(spots, pieces)
    seen += [strip.upright(length) for length in _each(spots[~before, 0])]
    hidden += [strip.upright(length) for length in _each(spots[before, 0])]
    return Lines(tuple(seen), tuple(not_under(hidden, seen)), areas)


def _areas(shape: BaseGeometry) -> list[Polygon]:
    return [part for part in shapely.get_parts(shape) if isinstance(part, Polygon)]


def _joined(intervals: Iterable[XY]) -> Iterator[XY]:
    """Intervals, those that meet as one."""
    now: XY | None = None
    for low, high in sorted(intervals):
        if now is not None and low <= now[1] + _BEFORE:
            now = now[0], max(now[1], high)
            continue
        if now is not None:
            yield now
        now = low, high
    if now is not None:
        yield now


def _each(lengths: NDArray[np.float64]) -> list[float]:
    """Lengths, those that are one to what can be drawn only once."""
    ordered = np.sort(lengths)
    first = np.diff(ordered, prepend=-math.inf) > _BESIDE
    return [float(length) for length in ordered[first]]


def _turning(region: Region) -> NDArray[np.float64]:
    """Where upright lines stand, (n, 2): at corners, and where a round wall turns away."""
    spots: list[XY] = []
    for loop in region.loops:
        curves = loop.curves
        for before, after in zip((curves[-1], *curves[:-1]), curves, strict=True):
            (ax, ay), (bx, by) = _direction(before, end=True), _direction(after, end=False)
            if abs(math.atan2(ax * by - ay * bx, ax * bx + ay * by)) > _SMOOTH:
                spots.append(after.start)
        for curve in curves:
            if isinstance(curve, EllipticArc):
                spots += _outermost(curve)
    return np.array(spots).reshape(-1, 2)


def _direction(curve: Curve, *, end: bool) -> XY:
    if isinstance(curve, Segment):
        return curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
    assert isinstance(curve, EllipticArc)
    t, way = (curve.t1 if end else curve.t0), math.copysign(1.0, curve.t1 - curve.t0)
    return -curve.rx * math.sin(t) * way, curve.ry * math.cos(t) * way


def _outermost(arc: EllipticArc) -> Iterator[XY]:
    """The spots of an arc that lie farthest along the first axis, its ends with them."""
    low, high = sorted((arc.t0, arc.t1))
    first = math.ceil((low - _SMOOTH) / math.pi)
    for k in range(first, math.floor((high + _SMOOTH) / math.pi) + 1):
        yield arc.at(k * math.pi)


def _hidden(spots: NDArray[np.float64], pieces: Iterable[Polygon]) -> NDArray[np.bool_]:
    """Which lines have something of the board before them, on both of their sides: what begins
    just there has a line of its own."""
    rings = [np.array(part.exterior.coords) for part in pieces]
    a = np.vstack([ring[:-1] for ring in rings])
    b = np.vstack([ring[1:] for ring in rings])
    both = np.ones(len(spots), dtype=np.bool_)
    for side in (-_BESIDE, _BESIDE):
        for k in range(0, len(spots), _TOGETHER):
            at, depth = spots[k : k + _TOGETHER, :1] + side, spots[k : k + _TOGETHER, 1]
            meets = (np.minimum(a[:, 0], b[:, 0]) <= at) & (at < np.maximum(a[:, 0], b[:, 0]))
            with np.errstate(divide="ignore", invalid="ignore"):
                share = (at - a[:, 0]) / (b[:, 0] - a[:, 0])
                there = np.where(meets, a[:, 1] + share * (b[:, 1] - a[:, 1]), -math.inf)
            both[k : k + _TOGETHER] &= there.max(axis=1) > depth + _BEFORE
    return both
