"""Lines and curves made thick: a closed outline for each piece, and for each gap at a corner."""

from __future__ import annotations

import math
from collections.abc import Sequence

from .curves import Bezier, Curve, EllipticArc, Segment
from .loops import Loop
from .mapping import XY

#: Corners reach no farther than this many thicknesses; beyond, they are cut off.
_FARTHEST_CORNER = 4.0


def thickened(
    path: Sequence[Curve], thickness: float, left: float, *, closed: bool = False
) -> list[Loop]:
    """Outlines that together cover a path made so many mm thick: ``left`` of the thickness lies to
    its left (0 to 1).

    Pieces are named after their curves, sides ``left`` and ``right`` of them, so that every edge
    has a name.

    Raises:
        ValueError: where a curve bends more sharply than the thickness allows, or is free.
    """
    out, back = thickness * left, -thickness * (1 - left)
    loops: list[Loop] = []
    for curve in path:
        loops.append(_thick(curve, out, back))
    pairs = list(zip(path, [*path[1:], *path[:1]], strict=True))
    for before, after in pairs if closed else pairs[:-1]:
        loops += _corner(before, after, out, back)
    return loops


def _normal(curve: Curve, *, at_end: bool) -> XY:
    """The direction to the left of a curve at one of its ends."""
    if isinstance(curve, EllipticArc):
        t, sign = (curve.t1 if at_end else curve.t0), math.copysign(1.0, curve.t1 - curve.t0)
        return (-math.cos(t) * sign, -math.sin(t) * sign)
    (ax, ay), (bx, by) = curve.start, curve.end
    length = math.hypot(bx - ax, by - ay)
    return (-(by - ay) / length, (bx - ax) / length)


def _aside(point: XY, normal: XY, by: float) -> XY:
    return (point[0] + normal[0] * by, point[1] + normal[1] * by)


def _thick(curve: Curve, out: float, back: float) -> Loop:
    name = curve.name or "curve"
    if isinstance(curve, Bezier) or (isinstance(curve, EllipticArc) and not curve.is_circular):
        raise ValueError(f"“{name}” is a free curve; only lines and arcs can be made thick")
    left = (
        _aside(curve.start, _normal(curve, at_end=False), out),
        _aside(curve.end, _normal(curve, at_end=True), out),
    )
    right = (
        _aside(curve.start, _normal(curve, at_end=False), back),
        _aside(curve.end, _normal(curve, at_end=True), back),
    )
    if isinstance(curve, EllipticArc):
        sign = math.copysign(1.0, curve.t1 - curve.t0)
        inner, outer = curve.rx - sign * out, curve.rx - sign * back
        if min(inner, outer) <= 1e-9:
            raise ValueError(
                f"“{name}” bends to a radius of {curve.rx:.4g} mm, too sharply for so thick a wall"
            )
        sides: tuple[Curve, Curve] = (
            EllipticArc(curve.centre, outer, outer, curve.t0, curve.t1, f"{name}.right"),
            EllipticArc(curve.centre, inner, inner, curve.t1, curve.t0, f"{name}.left"),
        )
        if curve.is_full:
            raise ValueError(
                f"“{name}” is a whole circle; draw it as a closed outline with a second one inside"
            )
    else:
        sides = (
            Segment(right[0], right[1], f"{name}.right"),
            Segment(left[1], left[0], f"{name}.left"),
        )
    curves = [
        sides[0],
        Segment(right[1], left[1], f"{name}.tip"),
        sides[1],
        Segment(left[0], right[0], f"{name}.root"),
    ]
    loop = Loop(tuple(curves), name)
    return loop if loop.area > 0 else loop.reversed()


def _corner(before: Curve, after: Curve, out: float, back: float) -> list[Loop]:
    """The kite that fills the open side of a corner."""
    a, b = _normal(before, at_end=True), _normal(after, at_end=False)
    turn = math.atan2(a[0] * b[1] - a[1] * b[0], a[0] * b[0] + a[1] * b[1])
    if abs(turn) < 1e-6:
        return []
    by = back if turn > 0 else out  # a turn to the left opens the right side
    if abs(by) < 1e-9:
        return []
    name = f"{before.name or 'curve'}.corner"
    p, q = _aside(before.end, a, by), _aside(before.end, b, by)
    half = turn / 2
    points = [before.end, p, q]
    if 1 / max(math.cos(half), 1e-9) <= _FARTHEST_CORNER:
        mid = (a[0] + b[0], a[1] + b[1])
        length = math.hypot(*mid)
        reach = by / math.cos(half)
        tip = (before.end[0] + mid[0] / length * reach, before.end[1] + mid[1] / length * reach)
        points = [before.end, p, tip, q]
    lines = tuple(
        Segment(m, n, f"{name}{k}")
        for k, (m, n) in enumerate(zip(points, [*points[1:], points[0]], strict=True), 1)
    )
    loop = Loop(lines, name)
    return [loop if loop.area > 0 else loop.reversed()]
