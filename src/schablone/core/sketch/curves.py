"""Lines, arcs and the closed loops that they form, as immutable values in mm.

A loop runs counter-clockwise. Each of its curves carries the name of the sketch element that it
came from, which later names the face that it raises.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

XY = tuple[float, float]

#: The coarsest angle between two points of a discretised arc.
WIDEST_STEP = math.radians(12.0)
#: Of so few points an array costs more than it saves.
_FEW = 64


@dataclass(frozen=True, slots=True)
class Segment:
    """A straight line from ``start`` to ``end``."""

    start: XY
    end: XY
    name: str = ""

    @property
    def length(self) -> float:
        """mm."""
        return math.dist(self.start, self.end)

    def area_below(self) -> float:
        """Its share of the loop's area: half of x dy − y dx along it."""
        (x0, y0), (x1, y1) = self.start, self.end
        return (x0 * y1 - x1 * y0) / 2

    def moment_below(self) -> XY:
        """Its share of the loop's first moments: half of x² dy and of −y² dx along it."""
        (x0, y0), (x1, y1) = self.start, self.end
        return (
            (x0 * x0 + x0 * x1 + x1 * x1) * (y1 - y0) / 6,
            -(y0 * y0 + y0 * y1 + y1 * y1) * (x1 - x0) / 6,
        )

    def points(self, tolerance: float) -> list[XY]:
        """Points from start on, without the end, mm."""
        return [self.start]

    def mapped(self, m: Mapping2D) -> Segment:
        """The same curve after a mapping."""
        return Segment(m.point(self.start), m.point(self.end), self.name)

    def reversed(self) -> Segment:
        """The same curve from its end to its start."""
        return Segment(self.end, self.start, self.name)


#: An arc whose chords enclose what it does has so many of them at least.
_FEWEST = 6


def parts_of_arc(radius: float, sweep: float, tolerance: float) -> int:
    """Into how many chords an arc of a radius in mm and a sweep in radians is divided, so that each
    stays within ``tolerance`` mm of it."""
    step = WIDEST_STEP
    if tolerance < radius:
        step = min(step, 2 * math.acos(1 - tolerance / radius))
    return max(1, math.ceil(sweep / step - 1e-9))


def evened(radius: float, sweep: float, tolerance: float) -> tuple[int, float]:
    """The count of chords of an arc, and by which factor their corners lie further out than the
    arc, its ends apart, so that they enclose just the area that it does.

    Of n triangles about the centre, each of the angle a, the two outer ones have one long side:
    (n - 2) f² + 2 f = n a / sin(a).
    """
    count = max(_FEWEST, parts_of_arc(radius, sweep, tolerance))
    angle = sweep / count
    wanted = count * angle / math.sin(angle)
    return count, (math.sqrt(1 + (count - 2) * wanted) - 1) / (count - 2)


@dataclass(frozen=True, slots=True)
class EllipticArc:
    """Part of a circle or of an ellipse along the axes: centre + (rx cos t, ry sin t), t from t0 to
    t1.

    Angles in radians; t1 below t0 runs clockwise. A full turn is a closed curve of its own.
    """

    centre: XY
    rx: float
    ry: float
    t0: float
    t1: float
    name: str = ""

    def at(self, t: float) -> XY:
        """The point at an angle of its parameter, radians."""
        return (self.centre[0] + self.rx * math.cos(t), self.centre[1] + self.ry * math.sin(t))

    @property
    def start(self) -> XY:
        """Where it begins, mm."""
        return self.at(self.t0)

    @property
    def end(self) -> XY:
        """Where it ends, mm."""
        return self.at(self.t1)

    @property
    def is_full(self) -> bool:
        """Whether it goes all round."""
        return abs(abs(self.t1 - self.t0) - math.tau) < 1e-12

    @property
    def is_circular(self) -> bool:
        """Whether both radii are one."""
        return abs(self.rx - self.ry) <= 1e-12 * max(self.rx, self.ry)

    @property
    def length(self) -> float:
        """Arc length, mm; for an ellipse by Gauss–Legendre quadrature over 64 points."""
        if self.is_circular:
            return self.rx * abs(self.t1 - self.t0)
        nodes, weights = _gauss(64)
        half = (self.t1 - self.t0) / 2
        t = self.t0 + half * (nodes + 1)
        speed = np.hypot(self.rx * np.sin(t), self.ry * np.cos(t))
        return float(abs(half) * (weights @ speed))

    def area_below(self) -> float:
        """Its share of the area of a loop, mm², by Green's theorem."""
        cx, cy = self.centre
        (x0, y0), (x1, y1) = self.start, self.end
        return (self.rx * self.ry * (self.t1 - self.t0) + cx * (y1 - y0) - cy * (x1 - x0)) / 2

    def moment_below(self) -> XY:
        """Half of x² dy and of −y² dx along it, mm³, in closed form."""
        (cx, cy), rx, ry = self.centre, self.rx, self.ry

        def until(t: float) -> XY:
            s, c = math.sin(t), math.cos(t)
            about_y = cx * cx * s + cx * rx * (t + s * c) + rx * rx * (s - s**3 / 3)
            about_x = -cy * cy * c + cy * ry * (t - s * c) + ry * ry * (c**3 / 3 - c)
            return (ry * about_y / 2, rx * about_x / 2)

        (ax, ay), (bx, by) = until(self.t0), until(self.t1)
        return (bx - ax, by - ay)

    def points(self, tolerance: float) -> list[XY]:
        """Points from start on, without the end; the chord stays within ``tolerance`` mm of the
        arc."""
        sweep = self.t1 - self.t0
        count = parts_of_arc(max(self.rx, self.ry), abs(sweep), tolerance)
        if self.is_full:
            count = 4 * math.ceil(count / 4)  # the four extreme points are hit, so bounds are exact
        return self._divided(count, 1.0)

    def all_round(self, tolerance: float) -> NDArray[np.float64]:
        """The same of a full turn, shape (n, 2)."""
        count = parts_of_arc(max(self.rx, self.ry), math.tau, tolerance)
        turns = _turns(self.t0, self.t1, 4 * math.ceil(count / 4))
        return np.array(self.centre) + np.array([self.rx, self.ry]) * turns

    def even_points(self, tolerance: float) -> list[XY]:
        """The same, those between the ends moved out so far that the chords enclose just what the
        arc does."""
        sweep = abs(self.t1 - self.t0)
        count, out = evened(max(self.rx, self.ry), sweep, tolerance)
        return self._divided(count, out)

    def _divided(self, count: int, out: float) -> list[XY]:
        if count <= _FEW:
            step = (self.t1 - self.t0) / count
            (cx, cy), rx, ry, t0 = self.centre, self.rx * out, self.ry * out, self.t0
            turns = [t0 + step * k for k in range(1, count)]
            rest = [(cx + rx * math.cos(t), cy + ry * math.sin(t)) for t in turns]
            return [self.start, *rest]
        t = self.t0 + (self.t1 - self.t0) * np.arange(count) / count
        far = np.where(np.arange(count) > 0, out, 1.0)
        xs = self.centre[0] + self.rx * far * np.cos(t)
        ys = self.centre[1] + self.ry * far * np.sin(t)
        return list(zip(xs.tolist(), ys.tolist(), strict=True))

    def mapped(self, m: Mapping2D) -> EllipticArc:
        """The same curve after a mapping.

        Raises:
            ValueError: where an ellipse would be turned.
        """
        centre = m.point(self.centre)
        if m.is_straight:
            return EllipticArc(centre, self.rx * m.a, self.ry * m.d, self.t0, self.t1, self.name)
        if not self.is_circular:
            raise ValueError("an ellipse can only be stretched along its axes")
        first = math.atan2(*reversed(m.direction((math.cos(self.t0), math.sin(self.t0)))))
        return EllipticArc(
            centre, self.rx, self.ry, first, first + (self.t1 - self.t0) * m.handedness, self.name
        )

    def reversed(self) -> EllipticArc:
        """The same curve from its end to its start."""
        return EllipticArc(self.centre, self.rx, self.ry, self.t1, self.t0, self.name)


@lru_cache(maxsize=256)
def _turns(t0: float, t1: float, count: int) -> NDArray[np.float64]:
    """Points (count, 2) on the circle of radius 1 from one angle to another, without the last."""
    t = t0 + (t1 - t0) * np.arange(count) / count
    return np.stack([np.cos(t), np.sin(t)], 1)


@cache
def _gauss(points: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Nodes and weights of Gauss–Legendre quadrature on −1 to 1."""
    nodes, weights = np.polynomial.legendre.leggauss(points)
    return nodes, weights


@dataclass(frozen=True, slots=True)
class Bezier:
    """A cubic curve by its four control points. Splines and curves by formula are chains of
    them."""

    start: XY
    first: XY
    second: XY
    end: XY
    name: str = ""

    @classmethod
    def of(cls, control: NDArray[np.float64], name: str) -> Bezier:
        """The curve with control points (4, 2)."""
        a, b, c, d = ((float(x), float(y)) for x, y in control)
        return cls(a, b, c, d, name)

    def _control(self) -> NDArray[np.float64]:
        return np.array([self.start, self.first, self.second, self.end])

    def at(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """Points (n, 2) at parameters from 0 to 1."""
        u = 1 - t
        weights = np.stack([u**3, 3 * u * u * t, 3 * u * t * t, t**3], 1)
        found: NDArray[np.float64] = weights @ self._control()
        return found

    def slope(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """Derivatives (n, 2) by the parameter."""
        u = 1 - t
        steps = np.diff(self._control(), axis=0)
        found: NDArray[np.float64] = 3 * np.stack([u * u, 2 * u * t, t * t], 1) @ steps
        return found

    def point_at(self, t: float) -> XY:
        """One point; many times as fast as an array of one."""
        u = 1 - t
        a, b, c, d = u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = self.start, self.first, self.second, self.end
        return a * x0 + b * x1 + c * x2 + d * x3, a * y0 + b * y1 + c * y2 + d * y3

    def slope_at(self, t: float) -> XY:
        """One derivative by the parameter."""
        u = 1 - t
        a, b, c = 3 * u * u, 6 * u * t, 3 * t * t
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = self.start, self.first, self.second, self.end
        return (
            a * (x1 - x0) + b * (x2 - x1) + c * (x3 - x2),
            a * (y1 - y0) + b * (y2 - y1) + c * (y3 - y2),
        )

    @property
    def length(self) -> float:
        """Arc length by Gauss–Legendre quadrature over 32 points."""
        nodes, weights = _gauss(32)
        return float(weights @ np.linalg.norm(self.slope((nodes + 1) / 2), axis=1) / 2)

    def area_below(self) -> float:
        """Half of ∮ x dy − y dx along it, mm², exact: the integrals of products of Bernstein
        polynomials are weights of the areas between control points."""
        p, q, r, s = self.start, self.first, self.second, self.end
        return (
            6 * (_cross(p, q) + _cross(r, s))
            + 3 * (_cross(p, r) + _cross(q, r) + _cross(q, s))
            + _cross(p, s)
        ) / 20

    def moment_below(self) -> XY:
        """Half of x² dy and of −y² dx along it, exact: the integrand is of degree eight."""
        nodes, weights = _gauss(5)
        t = (nodes + 1) / 2
        p, d = self.at(t), self.slope(t)
        return float(weights @ (p[:, 0] ** 2 * d[:, 1]) / 4), float(
            weights @ (-(p[:, 1] ** 2) * d[:, 0]) / 4
        )

    def points(self, tolerance: float) -> list[XY]:
        """Points from start on, without the end; chords within ``tolerance`` mm of the curve."""
        p = self._control()
        # A cubic strays from the chords of n equal parts by at most max|B''| / (8 n²).
        bend = 6 * max(float(np.linalg.norm(p[i] - 2 * p[i + 1] + p[i + 2])) for i in (0, 1))
        d = self.slope(np.linspace(0, 1, 9))
        turned = np.abs(np.diff(np.unwrap(np.arctan2(d[:, 1], d[:, 0])))).sum()
        count = max(
            1, math.ceil(math.sqrt(bend / (8 * tolerance))), math.ceil(turned / WIDEST_STEP)
        )
        return [(float(x), float(y)) for x, y in self.at(np.arange(count) / count)]

    def mapped(self, m: Mapping2D) -> Bezier:
        """The same curve after a mapping."""
        return Bezier(
            m.point(self.start),
            m.point(self.first),
            m.point(self.second),
            m.point(self.end),
            self.name,
        )

    def reversed(self) -> Bezier:
        """The same curve from its end to its start."""
        return Bezier(self.end, self.second, self.first, self.start, self.name)

    def part(self, t0: float, t1: float) -> Bezier:
        """The piece between two parameters (de Casteljau by blossoming)."""
        p = self._control()

        def blossom(a: float, b: float, c: float) -> XY:
            q = p
            for t in (a, b, c):
                q = q[:-1] * (1 - t) + q[1:] * t
            return float(q[0][0]), float(q[0][1])

        return Bezier(
            blossom(t0, t0, t0),
            blossom(t0, t0, t1),
            blossom(t0, t1, t1),
            blossom(t1, t1, t1),
            self.name,
        )

    def extremes(self) -> list[XY]:
        """Points, mm, where it is level or upright."""
        found = []
        for p, q, r, s in zip(self.start, self.first, self.second, self.end, strict=True):
            found += _roots_within(s - 3 * r + 3 * q - p, 2 * (p - 2 * q + r), q - p)
        return [self.point_at(t) for t in found]


def _cross(p: XY, q: XY) -> float:
    return p[0] * q[1] - p[1] * q[0]


def _roots_within(a: float, b: float, c: float) -> list[float]:
    """Where a t² + b t + c is nothing between 0 and 1, without cancellation (Press et al.,
    Numerical Recipes, 5.6)."""
    under = b * b - 4 * a * c
    if under < 0:
        return []
    q = -(b + math.copysign(math.sqrt(under), b)) / 2
    roots = ([q / a] if a else []) + ([c / q] if q else [])
    return [t for t in roots if 0 < t < 1]


Curve = Segment | EllipticArc | Bezier


@dataclass(frozen=True, slots=True)
class Mapping2D:
    """(x, y) → (a x + b y + e, c x + d y + f), for moves, turns, mirrors, and stretches along the
    axes."""

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    e: float = 0.0
    f: float = 0.0

    def point(self, p: XY) -> XY:
        """Where a point comes to, mm."""
        return (self.a * p[0] + self.b * p[1] + self.e, self.c * p[0] + self.d * p[1] + self.f)

    def direction(self, p: XY) -> XY:
        """What a direction becomes."""
        return (self.a * p[0] + self.b * p[1], self.c * p[0] + self.d * p[1])

    @property
    def is_straight(self) -> bool:
        """A stretch along the axes with no turn and no mirror."""
        return self.b == 0 and self.c == 0 and self.a > 0 and self.d > 0

    @property
    def is_nothing(self) -> bool:
        """Whether it leaves everything where it is."""
        moves = self.e != 0 or self.f != 0 or self.b != 0 or self.c != 0
        return not moves and self.a == self.d == 1

    @property
    def is_rigid(self) -> bool:
        """A move, a turn or a mirror, as exactly as numbers go."""
        along = self.a * self.a + self.c * self.c - 1, self.b * self.b + self.d * self.d - 1
        return max(map(abs, (*along, self.a * self.b + self.c * self.d))) < 1e-14

    @property
    def turn(self) -> NDArray[np.float64]:
        """What points in rows, shape (n, 2), are to be multiplied by, without the move."""
        return np.array([[self.a, self.c], [self.b, self.d]])

    @property
    def handedness(self) -> int:
        """−1 where it makes a left hand of a right one, else 1."""
        return 1 if self.a * self.d - self.b * self.c > 0 else -1


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
        found: tuple[float, float, float, float] = self._kept["bounds"]
        return found

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
        found = Loop(
            tuple(_named(curve, name) for curve, name in zip(self.curves, names, strict=True)),
            self.name,
        )
        found._kept.update(self._kept)  # nothing of it goes by names
        return found


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
