"""The curve in which two plain surfaces meet, with where it begins and ends; and the same on a
round surface's own coordinates."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.Geom import (
    Geom_BSplineCurve,
    Geom_Circle,
    Geom_ConicalSurface,
    Geom_Curve,
    Geom_CylindricalSurface,
    Geom_Line,
    Geom_Plane,
    Geom_SphericalSurface,
    Geom_Surface,
    Geom_ToroidalSurface,
    Geom_TrimmedCurve,
)
from OCP.Geom2d import Geom2d_BSplineCurve, Geom2d_Curve, Geom2d_Line, Geom2d_TrimmedCurve
from OCP.GeomAPI import GeomAPI_IntSS, GeomAPI_ProjectPointOnCurve
from OCP.gp import gp_Ax2, gp_Ax3, gp_Dir, gp_Dir2d, gp_Pnt, gp_Pnt2d, gp_Vec2d
from OCP.TColgp import TColgp_Array1OfPnt, TColgp_Array1OfPnt2d
from OCP.TColStd import TColStd_Array1OfInteger, TColStd_Array1OfReal
from scipy.interpolate import make_interp_spline

from ..surfaces import Surface

Floats = NDArray[np.float64]

#: How near a curve must come to both surfaces and its ends, mm.
NEAR = 1e-7
#: The degree of curves that go through points, and how many these are.
_DEGREE = 5
TRACED = 129


class NotCarried(ValueError):
    """Two faces that do not meet any more as they did; ``faces`` are their numbers."""

    def __init__(self, what: str, faces: Sequence[int] = ()) -> None:
        super().__init__(what)
        self.what, self.faces = what, tuple(faces)


@dataclass(frozen=True, slots=True)
class Course:
    """A curve with the parameters that it begins and ends at."""

    curve: Geom_Curve
    first: float
    last: float

    def at(self, share: float) -> Floats:
        """The point (3,) after a share of the way, mm."""
        p = self.curve.Value(self.first + (self.last - self.first) * share)
        return np.array([p.X(), p.Y(), p.Z()])

    def points(self, shares: Sequence[float] | Floats) -> Floats:
        """Points (n, 3) at shares of the way, 0 to 1."""
        t = self.first + (self.last - self.first) * np.asarray(shares, dtype=np.float64)
        if isinstance(self.curve, Geom_Line):
            axis = self.curve.Position()
            return _xyz(axis.Location()) + np.outer(t, _xyz(axis.Direction()))
        if isinstance(self.curve, Geom_Circle):
            axes, radius = self.curve.Position(), self.curve.Radius()
            x, y = _xyz(axes.XDirection()), _xyz(axes.YDirection())
            turned = np.stack([np.cos(t), np.sin(t)], 1) * radius
            points: Floats = _xyz(axes.Location()) + turned @ np.stack([x, y])
            return points
        return np.array([_xyz(self.curve.Value(float(one))) for one in t])


def _xyz(there: gp_Pnt | gp_Dir) -> Floats:
    return np.array([there.X(), there.Y(), there.Z()])


def pnt(point: Floats) -> gp_Pnt:
    """A point (3,), mm, as the kernel has it."""
    return gp_Pnt(*map(float, point))


def geometry_of(surface: Surface, *, turned: bool) -> Geom_Surface:
    """The kernel's surface, so that a face on it that is ``turned`` looks out of the material."""
    at, x = gp_Pnt(*surface.at), gp_Dir(*surface.x)
    if surface.kind == "plane":
        sign = -1.0 if turned else 1.0
        return Geom_Plane(gp_Ax3(at, gp_Dir(*(sign * c for c in surface.way)), x))
    axes = gp_Ax3(at, gp_Dir(*surface.way), x)
    if not surface.right_handed:
        axes.YReverse()
    if surface.kind == "cylinder":
        return Geom_CylindricalSurface(axes, surface.radius)
    if surface.kind == "cone":
        return Geom_ConicalSurface(axes, surface.second, surface.radius)
    if surface.kind == "ball":
        return Geom_SphericalSurface(axes, surface.radius)
    return Geom_ToroidalSurface(axes, surface.radius, surface.second)


def line_between(a: Floats, b: Floats) -> Course:
    """The straight line from one point, mm, to another.

    Raises:
        NotCarried: where they are one.
    """
    far = float(np.linalg.norm(b - a))
    if far < NEAR:
        raise NotCarried("the edge between {faces} shrinks to nothing")
    return Course(Geom_Line(pnt(a), gp_Dir(*map(float, (b - a) / far))), 0.0, far)


def arc_about(axis: Surface, a: Floats, b: Floats, *, closed: bool, ahead: bool) -> Course:
    """The circle through a point about the axis of a surface, from there to another, (3,) each, mm;
    ``ahead`` in the sense of the axis."""
    u, v, w = axis.along(a)
    middle = np.array(axis.at) + w * np.array(axis.way)
    radius = math.hypot(u, v)
    if radius < NEAR:
        raise NotCarried("the edge between {faces} shrinks to nothing")
    out = (a - middle) / radius
    way = np.array(axis.way) * (1.0 if ahead else -1.0)
    circle = Geom_Circle(
        gp_Ax2(pnt(middle), gp_Dir(*map(float, way)), gp_Dir(*map(float, out))), radius
    )
    if closed:
        return Course(circle, 0.0, 2 * math.pi)
    aside = np.cross(way, out)
    away = b - middle
    angle = math.atan2(float(away @ aside), float(away @ out)) % (2 * math.pi)
    return Course(circle, 0.0, angle)


def fits(course: Course, surfaces: Sequence[Surface], end: Floats) -> bool:
    """Whether a curve lies on surfaces, and ends where it should, (3,), mm."""
    if float(np.linalg.norm(course.at(1.0) - end)) > NEAR:
        return False
    points = course.points((0.13, 0.37, 0.5, 0.71, 0.9))
    return all(bool((np.abs(one.distance(points)[0]) < NEAR).all()) for one in surfaces)


def where_they_meet(
    one: Surface, other: Surface, a: Floats, passed: Sequence[Floats], b: Floats, *, closed: bool
) -> Course:
    """The curve that two surfaces have in common from one point to another, past others: those a
    quarter and half of the way.

    Raises:
        NotCarried: where they have none there.
    """
    meeting = GeomAPI_IntSS(
        geometry_of(one, turned=False), geometry_of(other, turned=False), NEAR / 10
    )
    best: tuple[float, Course] | None = None
    for k in range(meeting.NbLines() if meeting.IsDone() else 0):
        curve = meeting.Line(k + 1)
        if isinstance(curve, Geom_TrimmedCurve):
            curve = curve.BasisCurve()
        part = _part_of(curve, a, passed, b, closed=closed)
        if part is None:
            continue
        off, course = part
        if (best is None or off < best[0]) and fits(course, (one, other), b):
            best = off, course
    if best is None:
        raise NotCarried("{faces} do not meet any more as they did")
    return best[1]


def traced(points: Floats) -> Course:
    """A smooth curve through points, (n, 3) in mm: where two surfaces meet in none that has a name,
    so many that what lies between is theirs, too. It runs at the pace of its length, which is
    smooth however the points are spaced."""
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    if float(steps.min()) <= 0:
        raise NotCarried("the edge between {faces} shrinks to nothing")
    share = np.concatenate([[0.0], np.cumsum(steps)]) / float(steps.sum())
    spline = _spline(share, points)
    poles = TColgp_Array1OfPnt(1, len(spline.poles))
    for k, pole in enumerate(spline.poles, 1):
        poles.SetValue(k, pnt(pole))
    return Course(Geom_BSplineCurve(poles, spline.knots, spline.times, _DEGREE), 0.0, 1.0)


def _part_of(
    curve: Geom_Curve, a: Floats, passed: Sequence[Floats], b: Floats, *, closed: bool
) -> tuple[float, Course] | None:
    """The part of a curve between two points that passes nearest to others, and by how much it
    misses them; None where it does not reach the ends."""
    ends = [_foot(curve, point) for point in (a, b)]
    if any(foot is None or foot[1] > 10 * NEAR for foot in ends):
        return None
    first, last = (foot[0] for foot in ends if foot is not None)
    courses: list[Course] = []
    if curve.IsPeriodic():
        period = curve.Period()
        turned = curve.Reversed()
        back = [curve.ReversedParameter(t) for t in (first, last)]
        for way, s, e in ((curve, first, last), (turned, *back)):
            span = period if closed else (e - s) % period
            courses.append(Course(way, s, s + span))
    elif closed:
        return None
    elif last > first:
        courses.append(Course(curve, first, last))
    else:
        courses.append(
            Course(curve.Reversed(), curve.ReversedParameter(first), curve.ReversedParameter(last))
        )

    def missed(course: Course) -> float:
        away = course.points((0.25, 0.5)) - np.array(passed)
        return float(np.linalg.norm(away, axis=1).sum())

    return min(((missed(course), course) for course in courses), key=lambda pair: pair[0])


def _foot(curve: Geom_Curve, point: Floats) -> tuple[float, float] | None:
    projection = GeomAPI_ProjectPointOnCurve(pnt(point), curve)
    if not projection.NbPoints():
        ends = [(t, curve.Value(t).Distance(pnt(point)))
                for t in (curve.FirstParameter(), curve.LastParameter())
                if math.isfinite(t) and abs(t) < 1e50]  # fmt: skip
        return min(ends, key=lambda pair: pair[1]) if ends else None
    return float(projection.LowerDistanceParameter()), float(projection.LowerDistance())


def spread_on(course: Course, surface: Surface, near: tuple[float, float]) -> Geom2d_Curve:
    """A curve in a round surface's own coordinates, in the period that begins nearest to a point of
    them."""
    drawn = _straight_on(course, surface) or _traced_on(course, surface)
    start = drawn.Value(course.first)
    turn = 2 * math.pi
    u = round((near[0] - start.X()) / turn) * turn
    v = round((near[1] - start.Y()) / turn) * turn if surface.kind == "ring" else 0.0
    if u or v:
        drawn.Translate(gp_Vec2d(u, v))
    return drawn


def coordinates_on(surface: Surface, point: Floats) -> tuple[float, float]:
    """A point in a round surface's own coordinates: the angle about its axis, and the height, or
    the angle of a ball or ring."""
    x, y, w = surface.along(point)
    if not surface.right_handed:
        y = -y
    u = math.atan2(y, x)
    aside = math.hypot(x, y)
    if surface.kind == "cylinder":
        return u, w
    if surface.kind == "cone":
        return u, w / math.cos(surface.second)
    if surface.kind == "ball":
        return u, math.atan2(w, aside)
    return u, math.atan2(w, aside - surface.radius)


def _straight_on(course: Course, surface: Surface) -> Geom2d_Line | None:
    """The curve where it runs straight in the surface's own coordinates, at the same pace: along
    the axis, about it, or about a ring's tube."""
    points = course.points((0.0, 1 / 3, 2 / 3))
    spread = [coordinates_on(surface, p) for p in points]
    pace = (course.last - course.first) / 3
    turn = 2 * math.pi

    def steps(axis: int) -> list[float]:
        out = [spread[k + 1][axis] - spread[k][axis] for k in range(2)]
        wraps = axis == 0 or surface.kind in ("ring", "ball")
        return [d - round(d / turn) * turn if wraps else d for d in out]

    du, dv = steps(0), steps(1)
    still = [all(abs(d) < 1e-9 for d in one) for one in (du, dv)]
    if still == [True, False]:
        way = (0.0, dv[0] / pace)
    elif still == [False, True]:
        way = (du[0] / pace, 0.0)
    else:
        return None
    even = abs(du[0] - du[1]) < 1e-9 and abs(dv[0] - dv[1]) < 1e-9
    if not even or abs(math.hypot(*way) - 1.0) > 1e-9:
        return None
    u, v = spread[0]
    start = (u - way[0] * course.first, v - way[1] * course.first)
    return Geom2d_Line(gp_Pnt2d(*start), gp_Dir2d(*way))


def _traced_on(course: Course, surface: Surface) -> Geom2d_Curve:
    """The curve through points of it in the surface's own coordinates, at the same pace."""
    share = np.linspace(0.0, 1.0, TRACED)
    spread = np.array([coordinates_on(surface, p) for p in course.points(share)])
    spread[:, 0] = np.unwrap(spread[:, 0])
    if surface.kind == "ring":
        spread[:, 1] = np.unwrap(spread[:, 1])
    spline = _spline(course.first + (course.last - course.first) * share, spread)
    poles = TColgp_Array1OfPnt2d(1, len(spline.poles))
    for k, (u, v) in enumerate(spline.poles, 1):
        poles.SetValue(k, gp_Pnt2d(float(u), float(v)))
    return Geom2d_BSplineCurve(poles, spline.knots, spline.times, _DEGREE)


@dataclass(frozen=True, slots=True)
class _Spline:
    poles: Floats
    knots: TColStd_Array1OfReal
    times: TColStd_Array1OfInteger


def _spline(at: Floats, points: Floats) -> _Spline:
    """A spline through points, as the kernel takes it."""
    spline = make_interp_spline(at, points, k=_DEGREE)
    values, counts = np.unique(spline.t, return_counts=True)
    knots = TColStd_Array1OfReal(1, len(values))
    times = TColStd_Array1OfInteger(1, len(values))
    for k, (value, count) in enumerate(zip(values, counts, strict=True), 1):
        knots.SetValue(k, float(value))
        times.SetValue(k, int(count))
    return _Spline(spline.c, knots, times)


def shifted_on(curve: Geom2d_Curve, by: tuple[float, float]) -> Geom2d_Curve:
    """A copy of a curve in a surface's coordinates, moved."""
    copy = curve.Copy() if not isinstance(curve, Geom2d_TrimmedCurve) else curve.BasisCurve().Copy()
    copy.Translate(gp_Vec2d(*by))
    return copy
