"""Closed outlines of curves, which run counter-clockwise, as immutable values in mm."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from .curves import Bezier, Curve, EllipticArc, Segment
from .mapping import XY, Mapping2D


@dataclass(frozen=True, slots=True)
class Loop:
    """A closed outline of curves, end to start, counter-clockwise. ``name`` is the shape it came
    from."""

    curves: tuple[Curve, ...]
    name: str = ""
    #: What was worked out of it already, none of it by names: patterns ask for it by the thousand.
    _kept: dict[str, Any] = field(
        default_factory=dict, init=False, compare=False, repr=False, hash=False
    )

    @property
    def area(self) -> float:
        """Enclosed area in mm², exact for lines and arcs (Green's theorem)."""
        return math.fsum(curve.area_below() for curve in self.curves)

    def moment(self) -> XY:
        """First moments of the area within, mm³: the area times its centroid."""
        shares = [curve.moment_below() for curve in self.curves]
        return math.fsum(x for x, _ in shares), math.fsum(y for _, y in shares)

    @property
    def length(self) -> float:
        """Length of the outline in mm."""
        return math.fsum(curve.length for curve in self.curves)

    def points(self, tolerance: float) -> NDArray[np.float64]:
        """The outline as points, shape (n, 2), the first not repeated at the end."""
        alone = self.curves[0]
        if len(self.curves) == 1 and isinstance(alone, EllipticArc) and alone.is_full:
            return alone.all_round(tolerance)
        return np.array(
            [point for curve in self.curves for point in curve.points(tolerance)], dtype=np.float64
        )

    def bounds(self) -> tuple[float, float, float, float]:
        """(x min, y min, x max, y max), mm, exact."""
        if "bounds" not in self._kept:
            self._kept["bounds"] = self._bounds()
        bounds: tuple[float, float, float, float] = self._kept["bounds"]
        return bounds

    def _bounds(self) -> tuple[float, float, float, float]:
        alone = self.curves[0]
        if isinstance(alone, EllipticArc) and alone.is_full:
            (x, y), rx, ry = alone.centre, alone.rx, alone.ry
            return x - rx, y - ry, x + rx, y + ry
        xs: list[float] = []
        ys: list[float] = []
        for curve in self.curves:
            ends = [curve.start, curve.end]
            if isinstance(curve, EllipticArc):
                low, high = sorted((curve.t0, curve.t1))
                quarter = math.ceil(low / (math.pi / 2) - 1e-12)
                while quarter * math.pi / 2 <= high + 1e-12:
                    dx, dy = ((1, 0), (0, 1), (-1, 0), (0, -1))[quarter % 4]
                    ends.append((curve.centre[0] + curve.rx * dx, curve.centre[1] + curve.ry * dy))
                    quarter += 1
            elif isinstance(curve, Bezier):
                ends += curve.extremes()
            xs += [x for x, _ in ends]
            ys += [y for _, y in ends]
        return min(xs), min(ys), max(xs), max(ys)

    def mapped(self, m: Mapping2D) -> Loop:
        """The loop under a mapping, still counter-clockwise.

        Raises:
            ValueError: where an ellipse would have to be turned.
        """
        if m.is_nothing:
            return self
        curves = tuple(curve.mapped(m) for curve in self.curves)
        moved = Loop(curves, self.name)
        if m.handedness < 0:
            return moved.reversed()
        if "chords" in self._kept and m.is_rigid:
            moved._kept["chords"] = self._kept["chords"] @ m.turn + (m.e, m.f)
            if "simple" in self._kept:
                moved._kept["simple"] = self._kept["simple"]
        return moved

    def moved(self, dx: float, dy: float) -> Loop:
        """The same loop elsewhere, by mm."""
        return self.mapped(Mapping2D(e=dx, f=dy))

    def reversed(self) -> Loop:
        """The same outline run through the other way."""
        return replace(self, curves=tuple(curve.reversed() for curve in reversed(self.curves)))

    def renamed(self, names: Iterable[str]) -> Loop:
        """The same outline, its curves under other names."""
        renamed = Loop(
            tuple(_named(curve, name) for curve, name in zip(self.curves, names, strict=True)),
            self.name,
        )
        renamed._kept.update(self._kept)  # nothing of it goes by names
        return renamed


def _named(curve: Curve, name: str) -> Curve:
    """The curve under another name; spelled out, since patterns do it by the thousand."""
    if isinstance(curve, Segment):
        return Segment(curve.start, curve.end, name)
    if isinstance(curve, EllipticArc):
        return EllipticArc(curve.centre, curve.rx, curve.ry, curve.t0, curve.t1, name)
    return replace(curve, name=name)


def offset(loop: Loop, by: float) -> Loop:
    """The outline moved outwards by ``by`` mm (inwards if negative), corners kept sharp.

    Every curve keeps its place in the loop and its name. Meant for allowances that are small
    against the outline.

    Raises:
        ValueError: where the outline would vanish or turn inside out.
    """
    if by == 0:
        return loop
    if any(isinstance(curve, Bezier) for curve in loop.curves):
        raise ValueError(f"the outline “{loop.name}” is no outline of lines and arcs")
    shifted = [_shifted(curve, by) for curve in loop.curves if not isinstance(curve, Bezier)]
    if len(shifted) == 1:
        return replace(loop, curves=tuple(shifted))
    count = len(shifted)
    joints = [_joint(shifted[i - 1], shifted[i]) for i in range(count)]
    curves = tuple(_between(shifted[i], joints[i], joints[(i + 1) % count]) for i in range(count))
    for old, new in zip(loop.curves, curves, strict=True):
        if isinstance(old, Segment) and isinstance(new, Segment):
            along = [
                (a - b) * (c - d)
                for a, b, c, d in zip(old.end, old.start, new.end, new.start, strict=True)
            ]
            if math.fsum(along) <= 0:
                raise ValueError(
                    f"the outline “{loop.name}” is too small to be moved by {abs(by):g} mm"
                )
    return replace(loop, curves=curves)


def is_plain(loop: Loop) -> bool:
    """Whether :func:`offset` is exact for the outline: lines and circular arcs, corners between
    lines only."""
    for before, curve in zip((loop.curves[-1], *loop.curves[:-1]), loop.curves, strict=True):
        if isinstance(curve, Bezier) or (isinstance(curve, EllipticArc) and not curve.is_circular):
            return False
        if (isinstance(before, EllipticArc) or isinstance(curve, EllipticArc)) and len(
            loop.curves
        ) > 1:
            (ux, uy), (vx, vy) = _heading(before, at_end=True), _heading(curve, at_end=False)
            if abs(ux * vy - uy * vx) > 1e-9:
                return False
    return True


def _heading(curve: Curve, *, at_end: bool) -> XY:
    """Unit direction of a line or arc at its start or end."""
    if isinstance(curve, EllipticArc):
        t, sign = (curve.t1 if at_end else curve.t0), math.copysign(1.0, curve.t1 - curve.t0)
        return -math.sin(t) * sign, math.cos(t) * sign
    length = math.dist(curve.start, curve.end) or 1.0
    return (curve.end[0] - curve.start[0]) / length, (curve.end[1] - curve.start[1]) / length


def _shifted(curve: Segment | EllipticArc, by: float) -> Segment | EllipticArc:
    """A curve moved to its right, which is outwards on a counter-clockwise loop."""
    if isinstance(curve, Segment):
        dx, dy = curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
        length = math.hypot(dx, dy)
        nx, ny = dy / length * by, -dx / length * by
        return replace(
            curve,
            start=(curve.start[0] + nx, curve.start[1] + ny),
            end=(curve.end[0] + nx, curve.end[1] + ny),
        )
    grow = by if curve.t1 > curve.t0 else -by
    if curve.rx + grow <= 0 or curve.ry + grow <= 0:
        raise ValueError(
            f"an arc of radius {curve.rx:g} mm is too small to be moved by {abs(by):g} mm"
        )
    return replace(curve, rx=curve.rx + grow, ry=curve.ry + grow)


def _joint(before: Curve, after: Curve) -> XY:
    """Where two neighbours meet after the move."""
    if math.dist(before.end, after.start) < 1e-9:
        return after.start
    if isinstance(before, Segment) and isinstance(after, Segment):
        ux, uy = before.end[0] - before.start[0], before.end[1] - before.start[1]
        vx, vy = after.end[0] - after.start[0], after.end[1] - after.start[1]
        cross = ux * vy - uy * vx
        if abs(cross) > 1e-12:
            wx, wy = after.start[0] - before.start[0], after.start[1] - before.start[1]
            t = (wx * vy - wy * vx) / cross
            return (before.start[0] + t * ux, before.start[1] + t * uy)
    return ((before.end[0] + after.start[0]) / 2, (before.end[1] + after.start[1]) / 2)


def _between(curve: Curve, start: XY, end: XY) -> Curve:
    return replace(curve, start=start, end=end) if isinstance(curve, Segment) else curve
