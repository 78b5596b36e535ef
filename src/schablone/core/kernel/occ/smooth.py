"""Surfaces of faces as arrays see them: points and slopes at many places at once."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.Geom import Geom_BSplineSurface
from OCP.GeomAbs import (
    GeomAbs_BSplineSurface,
    GeomAbs_Cone,
    GeomAbs_Cylinder,
    GeomAbs_Plane,
    GeomAbs_Sphere,
    GeomAbs_Torus,
)
from OCP.gp import gp_Ax3

Floats = NDArray[np.float64]
Rows = NDArray[np.intp]
Three = tuple[Floats, Floats, Floats]
#: For rows and places along them, of one length n: points (n, 3), mm, and the slopes there along
#: the row and across it.
Along = Callable[[Rows, Floats], Three]

#: A turn is taken in so many pieces, each with so many places: to the last digit, as sines go.
_PIECES, _PLACES = 8, 9
_AROUND = np.arange(-2 * _PIECES, 3 * _PIECES + 1) * math.tau / _PIECES
_NOWHERE = np.array([0.0])


@dataclass(frozen=True, slots=True)
class Smooth:
    """A surface; between two ``cuts`` along u, and two along v, it is smooth.

    ``rows`` gives what lies along u (0) or v (1) where the other one rests at some places, a row
    for each; ``places`` are as many along each as Gauss's rule needs between two cuts.
    """

    rows: Callable[[int, Floats], Along]
    cuts: tuple[Floats, Floats]
    places: tuple[int, int]


@dataclass(frozen=True)
class Net:
    """A B-spline surface without weights: control points (m, n, 3), mm, with the knots and degrees
    along both parameters. Where it is ``closed`` along one, it goes on after its end as it
    began."""

    points: Floats
    knots: tuple[Floats, Floats]
    degrees: tuple[int, int]
    closed: tuple[bool, bool] = (False, False)

    def smooth(self) -> Smooth:
        """The surface that it spans, with a turn before and one after where it closes: outlines
        begin anywhere on it."""
        net = self
        for k, is_closed in enumerate(self.closed):
            net = net._three_turns(k) if is_closed else net
        cuts = np.unique(net.knots[0]), np.unique(net.knots[1])
        return Smooth(net._rows, cuts, (places_for(self.degrees[0]), places_for(self.degrees[1])))

    def _three_turns(self, k: int) -> Net:
        """The turns before, here and after along u (``k`` 0) or v (1); each ends in the control
        point in which the next begins."""
        knots, degree = self.knots[k], self.degrees[k]
        turn, inner = knots[-1] - knots[0], knots[degree + 1 : -degree - 1]
        once = np.concatenate((np.repeat(knots[0], degree), inner))
        three = np.concatenate([once - turn, once, once + turn, once[:degree] + 2 * turn])
        row = [self.knots[0], self.knots[1]]
        row[k] = np.concatenate(([three[0]], three, [three[-1]]))
        net = np.moveaxis(self.points, k, 0)
        points = np.concatenate([net, net[1:], net[1:]])
        return Net(np.moveaxis(points, 0, k), (row[0], row[1]), self.degrees)

    def _rows(self, k: int, rest: Floats) -> Along:
        from scipy.interpolate import BSpline  # here: most designs do without it

        across = BSpline(self.knots[1 - k], np.moveaxis(self.points, 1 - k, 0), self.degrees[1 - k])
        knots, degree = self.knots[k], self.degrees[k]
        nets, slopes = across(rest), across.derivative()(rest)  # (rows, control points, 3)
        # The slope of a spline is one of a degree less over the differences of its net.
        spread = knots[degree + 1 : -1] - knots[1 : -degree - 1]
        rises = np.diff(nets, axis=1) * (degree / np.where(spread > 0, spread, np.inf))[:, None]

        def at(which: Rows, places: Floats) -> Three:
            here = _Weights.of(knots, degree, places)
            rising = _Weights.of(knots[1:-1], degree - 1, places)
            return here.sum(nets, which), rising.sum(rises, which), here.sum(slopes, which)

        return at


@dataclass(frozen=True, slots=True)
class _Weights:
    """What control points ``numbers`` (n, degree + 1) count at places: ``shares``, of that
    shape."""

    numbers: Rows
    shares: Floats

    @classmethod
    def of(cls, knots: Floats, degree: int, places: Floats) -> _Weights:
        from scipy.interpolate import BSpline

        matrix = BSpline.design_matrix(places, knots, degree, extrapolate=True)
        shape = (len(places), degree + 1)
        return cls(matrix.indices.reshape(shape).astype(np.intp), matrix.data.reshape(shape))

    def sum(self, nets: Floats, which: Rows) -> Floats:
        """The points (n, 3) of nets (rows, control points, 3), each of one of the rows."""
        points: Floats = np.einsum("ni,nik->nk", self.shares, nets[which[:, None], self.numbers])
        return points


def places_for(degree: int) -> int:
    """How many places of Gauss's rule a span takes: exact for what a patch encloses, which is of
    degree 3 n − 1; areas take a little more where it is straight."""
    return max(4, (3 * degree + 1) // 2)


def net_of(surface: BRepAdaptor_Surface) -> Net | None:
    """The net of a spline surface, of one turn where it closes as a ring without ends; None where
    it is of another kind or has weights."""
    if surface.GetType() != GeomAbs_BSplineSurface:
        return None
    spline = surface.BSpline()
    if spline.IsURational() or spline.IsVRational():
        return None
    closed = spline.IsUPeriodic(), spline.IsVPeriodic()
    if any(closed):
        spline = _opened(spline)
    m, n = spline.NbUPoles(), spline.NbVPoles()
    points = np.array(
        [[spline.Pole(i, j).Coord() for j in range(1, n + 1)] for i in range(1, m + 1)]
    )
    u = np.repeat(
        [spline.UKnot(k) for k in range(1, spline.NbUKnots() + 1)],
        [spline.UMultiplicity(k) for k in range(1, spline.NbUKnots() + 1)],
    )
    v = np.repeat(
        [spline.VKnot(k) for k in range(1, spline.NbVKnots() + 1)],
        [spline.VMultiplicity(k) for k in range(1, spline.NbVKnots() + 1)],
    )
    return Net(points, (u, v), (spline.UDegree(), spline.VDegree()), closed)


def _opened(spline: Geom_BSplineSurface) -> Geom_BSplineSurface:
    """One turn of a spline surface that closes as a ring, beginning and ending in a control
    point."""
    turn = spline.Copy()
    assert isinstance(turn, Geom_BSplineSurface)
    turn.Segment(*spline.Bounds())
    return turn


def smooth_of(surface: BRepAdaptor_Surface) -> Smooth | None:
    """The surface of a face as it lies; None where it is of a kind that is not known here."""
    kind = surface.GetType()
    if kind == GeomAbs_BSplineSurface:
        net = net_of(surface)
        return net.smooth() if net is not None else None
    if kind == GeomAbs_Plane:
        return _flat(surface.Plane().Position())
    if kind == GeomAbs_Cylinder:
        return _turned(_line(surface.Cylinder().Radius(), 0.0), surface.Cylinder().Position())
    if kind == GeomAbs_Cone:
        cone = surface.Cone()
        return _turned(_line(cone.RefRadius(), cone.SemiAngle()), cone.Position())
    if kind == GeomAbs_Sphere:
        sphere = surface.Sphere()
        return _turned(_ring(0.0, sphere.Radius()), sphere.Position())
    if kind == GeomAbs_Torus:
        torus = surface.Torus()
        return _turned(_ring(torus.MajorRadius(), torus.MinorRadius()), torus.Position())
    return None


@dataclass(frozen=True, slots=True)
class _Outline:
    """What is turned about an axis: for places along it, ``at`` gives how far from the axis, how
    high along it, and the slopes of both."""

    at: Callable[[Floats], tuple[Floats, Floats, Floats, Floats]]
    cuts: Floats
    places: int


def _line(radius: float, angle: float) -> _Outline:
    """A line at an angle to the axis."""
    out, up = math.sin(angle), math.cos(angle)

    def at(v: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        return radius + v * out, v * up, np.full_like(v, out), np.full_like(v, up)

    return _Outline(at, _NOWHERE, 2)  # nothing is of more than third degree


def _ring(middle: float, radius: float) -> _Outline:
    """A circle beside the axis, or around a point of it."""

    def at(v: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        out, up = radius * np.cos(v), radius * np.sin(v)
        return middle + out, up, -up, out

    return _Outline(at, _AROUND, _PLACES)


def _turned(outline: _Outline, place: gp_Ax3) -> Smooth:
    """The surface of an outline turned about an axis, u being the angle."""
    origin, x, y, z = _axes(place)

    def at(u: Floats, v: Floats) -> Three:
        """Points and the slopes along u and v."""
        away, high, out, up = (each[..., None] for each in outline.at(v))
        cos, sin = np.cos(u)[..., None], np.sin(u)[..., None]
        from_axis = cos * x + sin * y
        return (
            origin + away * from_axis + high * z,
            away * (cos * y - sin * x),
            out * from_axis + up * z,
        )

    return Smooth(_by(at), (_AROUND, outline.cuts), (_PLACES, outline.places))


def _flat(place: gp_Ax3) -> Smooth:
    origin, x, y, _ = _axes(place)

    def at(u: Floats, v: Floats) -> Three:
        """Points and the slopes along u and v."""
        spots = origin + u[..., None] * x + v[..., None] * y
        return spots, np.broadcast_to(x, spots.shape), np.broadcast_to(y, spots.shape)

    return Smooth(_by(at), (_NOWHERE, _NOWHERE), (2, 2))


def _by(at: Callable[[Floats, Floats], Three]) -> Callable[[int, Floats], Along]:
    """The rows of a surface that is known by its points and slopes along u and v."""

    def rows(k: int, rest: Floats) -> Along:
        def along(which: Rows, places: Floats) -> Three:
            if k == 0:
                return at(places, rest[which])
            point, by_u, by_v = at(rest[which], places)
            return point, by_v, by_u

        return along

    return rows


def _axes(place: gp_Ax3) -> tuple[Floats, Floats, Floats, Floats]:
    """Origin (3,), mm, and the directions of x, y and z; the frame may be left-handed."""
    origin, x, y, z = (
        np.array([each.X(), each.Y(), each.Z()])
        for each in (place.Location(), place.XDirection(), place.YDirection(), place.Direction())
    )
    return origin, x, y, z
