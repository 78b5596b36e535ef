"""Outlines moved in or out by a distance: walls, allowances. Corners sharp or round, short edges
may vanish.

Every curve is moved aside, the gaps are closed, and of the areas that the outcome encloses those
are kept around which it runs counter-clockwise (winding number above zero; X. Chen, S. McMains,
Polygon offsetting by computing winding numbers, ASME DETC 2005). Of polygons, what turned inside
out falls away by itself; of arcs it does not, and there the distance from the outline tells.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
from shapely.geometry import LinearRing, Polygon

from .arrangement import arrange
from .crossing import Span
from .curves import Bezier, Curve, EllipticArc, Segment
from .loops import Loop, is_plain, offset
from .mapping import XY
from .regions import Region

#: Sharp corners reach no farther than this many times the distance; beyond, they are cut off.
_FARTHEST_CORNER = 8.0
#: How far a piece of a parallel may stray from it, mm, and how many pieces one curve is divided
#: into at most.
_STRAYS = 2e-7
_MOST_PIECES = 256


def moved_outline(loop: Loop, by: float, *, round_corners: bool = False) -> tuple[Region, ...]:
    """The areas within an outline moved outwards by ``by`` mm, or inwards where it is negative.

    Moving inwards may divide it. Curves keep their names; round corners are named after the curve
    before.

    Raises:
        ValueError: where nothing is left.
    """
    if by == 0:
        return (Region(loop),)
    raw: list[Curve] = []
    moved = [_aside(curve, by) for curve in loop.curves]
    kept = [k for k, pieces in enumerate(moved) if pieces]
    for number, k in enumerate(kept):
        raw += moved[k]
        after = kept[(number + 1) % len(kept)]
        ways = _ways(loop.curves[k], loop.curves[after])
        raw += _join(
            moved[k][-1], moved[after][0], ways, loop.curves[after].start, by, round_corners
        )
    raw = _sharpened(raw)
    whole = _as_it_is(loop, raw, moved, by)
    if whole is not None:
        return (Region(whole),)
    arrangement = arrange(raw)
    turned = arrangement.turns([0] * len(raw), 1)
    faces = []
    if arrangement.faces:
        near = _Near(loop, by)
        for face, (turns,) in zip(arrangement.faces, turned, strict=True):
            if near.is_kept(turns, arrangement.regions([face])):
                faces.append(face)
    if not faces:
        raise ValueError(
            f"the outline “{loop.name}” is too small to be moved inwards by {abs(by):g} mm"
        )
    return arrangement.regions(faces)


def moved_region(region: Region, outer: float, holes: Sequence[float]) -> tuple[Region, ...]:
    """A region with its outline moved outwards by ``outer`` mm, and each of its holes made wider by
    its own distance all round; maybe in pieces, and holes may grow together or out of the outline.

    Raises:
        ValueError: where nothing is left, or a hole closes up.
    """
    grown = _moved_loop(region.outer, outer)
    outers = [moved.outer for moved in grown]
    # A hole that comes apart as it closes leaves several; what lay within one of them is no hole
    # any more.
    voids = [
        moved.outer
        for hole, by in zip(region.holes, holes, strict=True)
        for moved in _moved_loop(hole, by)
    ]
    voids += [hole for moved in grown for hole in moved.holes]
    if len(outers) == 1:
        whole = Region(outers[0], tuple(voids))
        if (outer >= 0 and all(by <= 0 for by in holes)) or _polygon(whole).is_valid:
            return (whole,)
    curves = [curve for loop in (*outers, *voids) for curve in loop.curves]
    operands = [
        int(k >= len(outers)) for k, loop in enumerate((*outers, *voids)) for _ in loop.curves
    ]
    moved = arrange(curves)
    turns = moved.turns(operands, 2)
    faces = [
        face
        for face, (material, empty) in zip(moved.faces, turns, strict=True)
        if material > 0 and empty <= 0
    ]
    if not faces:
        raise ValueError(f"nothing is left of the outline “{region.outer.name}”")
    return tuple(moved.regions(faces))


@lru_cache(maxsize=64)
def moved_all_round(region: Region, by: float) -> tuple[Region, ...]:
    """A region with its outline and its holes moved out of the material by ``by`` mm. Asked for
    again and again by what weighs and draws a leaning cut.

    Raises:
        ValueError: where nothing is left.
    """
    return moved_region(region, by, [-by] * len(region.holes))


def _moved_loop(loop: Loop, by: float) -> list[Region]:
    """One outline moved outwards, in the simplest way that is exact."""
    if by == 0:
        return [Region(loop)]
    if is_plain(loop):
        try:
            moved = offset(loop, by)
        except ValueError:
            if len(loop.curves) <= 4:
                raise
        else:
            # Up to four sides nothing but the whole can vanish.
            if len(loop.curves) <= 4 or LinearRing(moved.points(0.002)).is_simple:
                return [Region(moved)]
    return list(moved_outline(loop, by))


class _Near:
    """Tells by the distance from the outline what the winding number cannot: an arc that is moved
    by more than its radius turns inside out, and goes on running counter-clockwise."""

    def __init__(self, loop: Loop, by: float) -> None:
        tolerance = min(0.002, abs(by) / 50)
        ring = _ring(loop, tolerance)
        self._edge, self._within = ring, Polygon(ring)
        self._by, self._slack = by, 2 * tolerance + 1e-4 * abs(by)

    def is_kept(self, turns: int, face: Sequence[Region]) -> bool:
        """Whether a face belongs to what is left inwards, or to what it is grown to outwards."""
        if self._by < 0 and turns <= 0:
            return False
        polygon = _polygon(face[0])
        if polygon.is_empty:
            return False
        inside = polygon.representative_point()
        away, is_within = self._edge.distance(inside), bool(self._within.contains(inside))
        if self._by < 0:
            return is_within and bool(away >= -self._by - self._slack)
        # A sharp corner reaches farther than the distance.
        return turns > 0 or is_within or bool(away <= self._by - self._slack)


def _polygon(region: Region) -> Polygon:
    """A region by its chords; empty where these enclose nothing."""
    outer = _ring(region.outer, 0.01)
    holes = [ring for hole in region.holes if not (ring := _ring(hole, 0.01)).is_empty]
    return Polygon(outer, holes) if not outer.is_empty else Polygon()


def _ring(loop: Loop, tolerance: float) -> LinearRing:
    points = loop.points(tolerance)
    return LinearRing(points) if len(points) > 2 else LinearRing()


def _as_it_is(loop: Loop, raw: list[Curve], moved: list[list[Curve]], by: float) -> Loop | None:
    """The moved curves as they follow on each other, where none has turned inside out and none
    meets another: mostly so for allowances, and then there is nothing to look for. Else None."""
    for k, pieces in enumerate(moved):
        curve, after = loop.curves[k], moved[(k + 1) % len(moved)]
        if not pieces or not after or _turns_over(curve, by):
            return None
        if math.dist(pieces[-1].end, after[0].start) > 1e-9:
            (ux, uy), (vx, vy) = Span(pieces[-1]).slope(1.0), Span(after[0]).slope(0.0)
            if (ux * vy - uy * vx) * by <= 0:
                return None  # an inner corner: both sides have to be shortened
    same = Loop(tuple(_closed_up(raw)), loop.name)
    return same if _ring(same, 0.002).is_simple and same.area > 0 else None


def _turns_over(curve: Curve, by: float) -> bool:
    """Whether a curve moved aside runs backwards somewhere: it bends more sharply than it is
    moved."""
    if isinstance(curve, Segment):
        return False
    if isinstance(curve, EllipticArc) and curve.is_circular:
        return curve.rx + (by if curve.t1 > curve.t0 else -by) <= 1e-9
    span = Span(curve)
    return min(1 + by * span.bend(t) for t in np.linspace(0, 1, 65).tolist()) <= 1e-6


def _closed_up(raw: list[Curve]) -> list[Curve]:
    """Ends that lie within a billionth of a millimetre of each other put onto each other, where
    that is easy."""
    return [
        replace(curve, end=raw[(k + 1) % len(raw)].start)
        if isinstance(curve, (Segment, Bezier))
        else curve
        for k, curve in enumerate(raw)
    ]


def _aside(curve: Curve, by: float) -> list[Curve]:
    """A curve moved to its right; an arc that would shrink below nothing turns inside out."""
    if isinstance(curve, Segment):
        dx, dy = curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
        length = math.hypot(dx, dy)
        if length < 1e-12:
            return []
        nx, ny = dy / length * by, -dx / length * by
        start, end = (
            (curve.start[0] + nx, curve.start[1] + ny),
            (curve.end[0] + nx, curve.end[1] + ny),
        )
        return [replace(curve, start=start, end=end)]
    if isinstance(curve, EllipticArc) and curve.is_circular:
        radius = curve.rx + (by if curve.t1 > curve.t0 else -by)
        if abs(radius) < 1e-9:
            return []
        if radius < 0:
            return [
                replace(curve, rx=-radius, ry=-radius, t0=curve.t0 + math.pi, t1=curve.t1 + math.pi)
            ]
        return [replace(curve, rx=radius, ry=radius)]
    return list(_bezier_aside(Span(curve), by))


def _bezier_aside(span: Span, by: float) -> list[Bezier]:
    """Cubic pieces along a curve's parallel, sharing point and tangent with it at their ends: twice
    as many as long as one strays from it by more than can be told."""
    count = 1
    while count < _MOST_PIECES:
        pieces = _pieces_aside(span, by, count)
        if max(_strays(piece, span, by, k, count) for k, piece in enumerate(pieces)) <= _STRAYS:
            return pieces
        count *= 2
    return _pieces_aside(span, by, count)


def _strays(piece: Bezier, span: Span, by: float, number: int, count: int) -> float:
    """How far a piece lies beside the curve's parallel, mm, seen across it at three places."""
    most = 0.0
    shares = np.array([0.25, 0.5, 0.75])
    for share, (x, y) in zip(shares.tolist(), piece.at(shares).tolist(), strict=True):
        t = (number + share) / count
        # The nearest spot of the curve is near the same parameter: two steps of Newton's method
        # find it.
        for _ in range(3):
            (px, py), (dx, dy) = span.at(t), span.slope(t)
            t = min(
                1.0, max(0.0, t + ((x - px) * dx + (y - py) * dy) / max(dx * dx + dy * dy, 1e-18))
            )
        (px, py), (dx, dy) = span.at(t), span.slope(t)
        speed = max(math.hypot(dx, dy), 1e-12)
        most = max(most, abs(((x - px) * dy - (y - py) * dx) / speed - by))
    return most


def _pieces_aside(span: Span, by: float, count: int) -> list[Bezier]:
    ts = np.linspace(0, 1, count + 1)
    points, slopes = [], []
    for t in ts.tolist():
        (x, y), (dx, dy) = span.at(t), span.slope(t)
        speed = max(math.hypot(dx, dy), 1e-12)
        grow = 1 + by * span.bend(t)
        points.append((x + dy / speed * by, y - dx / speed * by))
        slopes.append((dx * grow, dy * grow))
    h = 1 / count / 3
    return [
        Bezier(
            p,
            (p[0] + d[0] * h, p[1] + d[1] * h),
            (q[0] - e[0] * h, q[1] - e[1] * h),
            q,
            span.curve.name,
        )
        for p, q, d, e in zip(points, points[1:], slopes, slopes[1:], strict=False)
    ]


def _ways(before: Curve, after: Curve) -> tuple[XY, XY]:
    """The directions in which a curve ends and the next begins, before they are moved: an arc that
    turns inside out runs the other way round."""
    return Span(before).slope(1.0), Span(after).slope(0.0)


def _join(
    before: Curve,
    after: Curve,
    ways: tuple[XY, XY],
    corner: XY,
    by: float,
    round_corners: bool,
) -> list[Curve]:
    """What closes the way from one moved curve to the next."""
    p, q = before.end, after.start
    if math.dist(p, q) < 1e-9:
        return []
    (ux, uy), (vx, vy) = ways
    cross = ux * vy - uy * vx
    opens = cross * by > 0
    if not opens:
        return [Segment(p, corner, ""), Segment(corner, q, "")]
    at_corner = f"{before.name}.corner" if before.name else ""
    if round_corners:
        t0, t1 = (math.atan2(e[1] - corner[1], e[0] - corner[0]) for e in (p, q))
        turned = math.remainder(t1 - t0, math.tau)
        return [EllipticArc(corner, abs(by), abs(by), t0, t0 + turned, at_corner)]
    wx, wy = q[0] - p[0], q[1] - p[1]
    share = (wx * vy - wy * vx) / cross
    tip = (p[0] + share * ux, p[1] + share * uy)
    reach = math.dist(tip, corner) / (_FARTHEST_CORNER * abs(by))
    if reach <= 1:
        return [Segment(p, tip, before.name), Segment(tip, q, after.name)]
    # Cut off square to the way to the tip. Both sides of the tip are alike: along them it is as far
    # as the middle of p and q is from the tip along that way.
    mx, my = (p[0] + q[0]) / 2, (p[1] + q[1]) / 2
    most = corner[0] + (tip[0] - corner[0]) / reach, corner[1] + (tip[1] - corner[1]) / reach
    along = math.dist(most, (mx, my)) / math.dist(tip, (mx, my))
    r, s = ((e[0] + (tip[0] - e[0]) * along, e[1] + (tip[1] - e[1]) * along) for e in (p, q))
    return [Segment(p, r, before.name), Segment(r, s, at_corner), Segment(s, q, after.name)]


def _sharpened(raw: list[Curve]) -> list[Curve]:
    """Lines in one direction that follow on each other under one name become one."""
    curves: list[Curve] = []
    for curve in raw:
        last = curves[-1] if curves else None
        if _one_line(last, curve):
            assert isinstance(last, Segment)
            curves[-1] = replace(last, end=curve.end)
        else:
            curves.append(curve)
    if len(curves) > 1 and _one_line(curves[-1], curves[0]):
        last = curves.pop()
        first = curves[0]
        assert isinstance(first, Segment)
        curves[0] = replace(first, start=last.start)
    return curves


def _one_line(a: Curve | None, b: Curve) -> bool:
    if not (isinstance(a, Segment) and isinstance(b, Segment)) or a.name != b.name or not a.name:
        return False
    ux, uy, vx, vy = (
        a.end[0] - a.start[0],
        a.end[1] - a.start[1],
        b.end[0] - b.start[0],
        b.end[1] - b.start[1],
    )
    size = math.hypot(ux, uy) * math.hypot(vx, vy)
    return abs(ux * vy - uy * vx) <= 1e-9 * size and ux * vx + uy * vy > 0
