"""Lines, arcs and cubic curves, as immutable values in mm.

Each carries the name of the sketch element that it came from, which later names the face that it
raises.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from .mapping import XY, Mapping2D

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
        """The curve with control points (4, 2), mm."""
        a, b, c, d = ((float(x), float(y)) for x, y in control)
        return cls(a, b, c, d, name)

    def _control(self) -> NDArray[np.float64]:
        return np.array([self.start, self.first, self.second, self.end])

    def at(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """Points (n, 2) at parameters from 0 to 1."""
        u = 1 - t
        weights = np.stack([u**3, 3 * u * u * t, 3 * u * t * t, t**3], 1)
        points: NDArray[np.float64] = weights @ self._control()
        return points

    def slope(self, t: NDArray[np.float64]) -> NDArray[np.float64]:
        """Derivatives (n, 2) by the parameter (n,), mm."""
        u = 1 - t
        steps = np.diff(self._control(), axis=0)
        slopes: NDArray[np.float64] = 3 * np.stack([u * u, 2 * u * t, t * t], 1) @ steps
        return slopes

    def point_at(self, t: float) -> XY:
        """One point, mm; many times as fast as an array of one."""
        u = 1 - t
        a, b, c, d = u * u * u, 3 * u * u * t, 3 * u * t * t, t * t * t
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = self.start, self.first, self.second, self.end
        return a * x0 + b * x1 + c * x2 + d * x3, a * y0 + b * y1 + c * y2 + d * y3

    def slope_at(self, t: float) -> XY:
        """One derivative by the parameter, mm."""
        u = 1 - t
        a, b, c = 3 * u * u, 6 * u * t, 3 * t * t
        (x0, y0), (x1, y1), (x2, y2), (x3, y3) = self.start, self.first, self.second, self.end
        return (
            a * (x1 - x0) + b * (x2 - x1) + c * (x3 - x2),
            a * (y1 - y0) + b * (y2 - y1) + c * (y3 - y2),
        )

    @property
    def length(self) -> float:
        """Arc length, mm, by Gauss–Legendre quadrature over 32 points."""
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
        extremes = []
        for p, q, r, s in zip(self.start, self.first, self.second, self.end, strict=True):
            extremes += _roots_within(s - 3 * r + 3 * q - p, 2 * (p - 2 * q + r), q - p)
        return [self.point_at(t) for t in extremes]


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
