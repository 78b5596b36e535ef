"""Inner corners of outlines made so that a round cutter gets into them, exactly, in the outline
itself."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import pairwise

from .curves import Curve, EllipticArc, Segment
from .loops import Loop
from .mapping import XY

_SAME = 1e-9


class NoRoom(ValueError):
    """A corner that cannot be relieved in the outline: its sides are too short, or not straight."""


@dataclass(frozen=True, slots=True)
class Corner:
    """An inner corner: the ``number`` of the curve that begins in it, the curves ``before`` and
    ``after`` it, gone through with the material to the left."""

    number: int
    before: Curve
    after: Curve

    @property
    def is_straight(self) -> bool:
        """Whether it lies between two lines."""
        return isinstance(self.before, Segment) and isinstance(self.after, Segment)

    @property
    def headings(self) -> tuple[XY, XY]:
        """The directions in which one comes and goes on, of length 1."""
        return _heading(self.before, at_end=True), _heading(self.after, at_end=False)


@dataclass(frozen=True, slots=True)
class Relief:
    """What is done to a corner: ``how``, by an arc of what ``name``, and whether the side before it
    counts as the longer one."""

    how: str
    name: str
    before_is_longer: bool


@dataclass(frozen=True, slots=True)
class _Fitted:
    """What is put into a corner: how much of each side it takes, mm, and the arc between."""

    before: float
    after: float
    arc: EllipticArc


def inner_corners(loop: Loop, *, opening: bool) -> list[Corner]:
    """The inner corners of an outline. An ``opening`` has the material around it, else it lies
    within."""
    # Gone through with the material to the left, inner corners turn to the right.
    curves = (loop.reversed() if opening else loop).curves
    if len(curves) == 1:
        return []
    corners = (Corner(k, curves[k - 1], curve) for k, curve in enumerate(curves))
    return [corner for corner in corners if _turn(*corner.headings) <= -1e-6]


def relieved_outline(loop: Loop, cutter: float, how: str, *, opening: bool, first: int = 1) -> Loop:
    """An outline, mm, with its inner corners relieved: ``corner``, by a round cut on the bisector
    that reaches the corner; ``along``, by one along the longer side; ``radius``, rounded by the
    cutter itself.

    An ``opening`` has the material around it, else it lies within. The arcs are called ``relief~1``
    and so on, from ``first``. Takes O(n) for n curves.

    Raises:
        NoRoom: where sides are too short, or an inner corner lies beside a curve.
    """
    corners = inner_corners(loop, opening=opening)
    if not all(corner.is_straight for corner in corners):
        raise NoRoom("an inner corner lies beside a curve")
    reliefs = {
        corner.number: Relief(how, f"relief~{k}", corner.before.length >= corner.after.length)
        for k, corner in enumerate(corners, first)
    }
    return with_reliefs(loop, cutter, reliefs, opening=opening)


def with_reliefs(
    loop: Loop, cutter: float, reliefs: Mapping[int, Relief], *, opening: bool
) -> Loop:
    """An outline, mm, with some of its :func:`inner_corners` between lines relieved, each in its
    own way.

    Raises:
        NoRoom: where sides are too short.
    """
    if not reliefs:
        return loop
    curves = (loop.reversed() if opening else loop).curves
    count = len(curves)
    fitted = {
        k: _relief(curves[k - 1], curves[k], cutter / 2, relief) for k, relief in reliefs.items()
    }
    outline: list[Curve] = []
    for k, curve in enumerate(curves):
        here, there = fitted.get(k), fitted.get((k + 1) % count)
        if here is not None:
            outline.append(here.arc)
        if here is None and there is None:
            outline.append(curve)
            continue
        assert isinstance(curve, Segment)
        rest = curve.length - (here.after if here else 0.0) - (there.before if there else 0.0)
        if rest < -_SAME:
            raise NoRoom("a side between two inner corners is too short")
        if rest > _SAME:
            start = here.arc.end if here else curve.start
            end = there.arc.start if there else curve.end
            outline.append(Segment(start, end, curve.name))
    relieved = Loop(tuple(outline), loop.name)
    return relieved.reversed() if opening else relieved


def _turn(coming: XY, going: XY) -> float:
    """The sine of the turn from one direction to another; below zero to the right."""
    return coming[0] * going[1] - coming[1] * going[0]


def _heading(curve: Curve, *, at_end: bool) -> XY:
    points = [*curve.points(0.001), curve.end]
    a, b = list(pairwise(points))[-1 if at_end else 0]
    if isinstance(curve, EllipticArc):  # the tangent, not the chord
        t = curve.t1 if at_end else curve.t0
        sign = 1.0 if curve.t1 > curve.t0 else -1.0
        dx, dy = -curve.rx * math.sin(t) * sign, curve.ry * math.cos(t) * sign
    else:
        dx, dy = b[0] - a[0], b[1] - a[1]
    size = math.hypot(dx, dy)
    return dx / size, dy / size


def _relief(before: Curve, after: Curve, r: float, relief: Relief) -> _Fitted:
    assert isinstance(before, Segment)
    assert isinstance(after, Segment)
    how, name, corner = relief.how, relief.name, after.start
    (dx, dy), (ex, ey) = _heading(before, at_end=True), _heading(after, at_end=False)
    back, ahead = (-dx, -dy), (ex, ey)
    if how == "radius":
        half = math.acos(max(-1.0, min(1.0, back[0] * ahead[0] + back[1] * ahead[1]))) / 2
        way = _unit((back[0] + ahead[0], back[1] + ahead[1]))
        reach = r / math.tan(half)
        centre = _along(corner, way, r / math.sin(half))
        return _fitted(before, after, reach, reach, centre, r, name, _along(centre, way, -r))
    if how == "corner":
        way = _unit((back[0] + ahead[0], back[1] + ahead[1]))
        reach = 2 * r * (way[0] * back[0] + way[1] * back[1])
        return _fitted(before, after, reach, reach, _along(corner, way, r), r, name, corner)
    way, side = (back, (dx, dy)) if relief.before_is_longer else (ahead, (ex, ey))
    reaches = [max(0.0, 2 * r * (way[0] * u + way[1] * v)) for u, v in (back, ahead)]
    centre = _along(corner, way, r)
    through = _along(centre, (-side[1], side[0]), r)  # on the side of the material
    return _fitted(before, after, reaches[0], reaches[1], centre, r, name, through)


def _fitted(
    before: Segment,
    after: Segment,
    back: float,
    ahead: float,
    centre: XY,
    r: float,
    name: str,
    through: XY,
) -> _Fitted:
    """The arc from one side to the other by way of a point.

    Raises:
        NoRoom: where it takes more of a side than there is.
    """
    if back > before.length + _SAME or ahead > after.length + _SAME:
        raise NoRoom("a side of an inner corner is too short for the cutter")
    corner = after.start
    start = _along(corner, _unit((before.start[0] - corner[0], before.start[1] - corner[1])), back)
    end = _along(corner, _unit((after.end[0] - corner[0], after.end[1] - corner[1])), ahead)
    t0, t1, t = (math.atan2(p[1] - centre[1], p[0] - centre[0]) for p in (start, end, through))
    up, middle = (t1 - t0) % math.tau, (t - t0) % math.tau
    t1 = t0 + (up if middle <= up + _SAME else up - math.tau)
    return _Fitted(back, ahead, EllipticArc(centre, r, r, t0, t1, name))


def _along(point: XY, way: XY, by: float) -> XY:
    return point[0] + by * way[0], point[1] + by * way[1]


def _unit(way: XY) -> XY:
    size = math.hypot(*way)
    return way[0] / size, way[1] / size
