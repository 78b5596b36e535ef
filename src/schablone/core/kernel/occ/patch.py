"""Whole patches of B-spline surfaces, measured in one go: what they enclose, their area, their box.

The kernel integrates and searches point by point. A patch without weights that is bounded by its
own four sides is a product of two polynomials on each of its spans: Gauss's rule gives its share of
a volume exactly.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from OCP.BRepAdaptor import BRepAdaptor_Curve2d, BRepAdaptor_Surface
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_EDGE, TopAbs_REVERSED
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face

from ..frame import Vector
from .endless import endless
from .smooth import Net, net_of, places_for

if TYPE_CHECKING:
    from scipy.interpolate import BSpline

Floats = NDArray[np.float64]
Pair = tuple[float, float]

#: How often an extreme is looked for by Newton's method.
_STEPS = 30


@dataclass(frozen=True)
class Patch:
    """The ``net`` of a surface that is there as a whole. ``sign`` is −1 where the material lies on
    the side that the surface's own normal points to."""

    net: Net
    sign: float

    @cached_property
    def figures(self) -> tuple[float, Floats, float]:
        """Its share of the volume, mm³, and of the first moments (3,), mm⁴, of what faces enclose
        (the cone from the origin), and its area, mm²."""
        (wu, u, u_slope), (wv, v, v_slope) = (
            _gauss(knots.tobytes(), degree)
            for knots, degree in zip(self.net.knots, self.net.degrees, strict=True)
        )
        at, along, across = self.by(u, v), self.by(u_slope, v), self.by(u, v_slope)
        normal = self.sign * np.cross(along, across)
        weight = wu[:, None] * wv
        flow = (at * normal).sum(-1) * weight
        area = float((np.linalg.norm(normal, axis=-1) * weight).sum())
        return float(flow.sum()) / 3, (at * flow[..., None]).sum((0, 1)) / 4, area

    def by(self, u: Floats, v: Floats) -> Floats:
        """Points or derivatives (len(u), len(v), 3) by what each control point counts at places
        along both parameters."""
        points: Floats = np.tensordot(v, np.tensordot(u, self.net.points, (1, 0)), (1, 1)).swapaxes(
            0, 1
        )
        return points

    def bounds(self, surface: BRepAdaptor_Surface) -> tuple[Vector, Vector]:
        """The smallest box around it, mm: from the best places of a grid to where the slope
        vanishes, or to a side."""
        (u, at_u), (v, at_v) = (
            _grid(knots.tobytes(), degree)
            for knots, degree in zip(self.net.knots, self.net.degrees, strict=True)
        )
        grid = self.by(at_u, at_v)
        ends = (float(u[0]), float(u[-1])), (float(v[0]), float(v[-1]))

        def extreme(axis: int, sign: float) -> float:
            i, j = np.unravel_index(int((sign * grid[..., axis]).argmax()), grid.shape[:2])
            return _climbed(surface, axis, sign, (float(u[i]), float(v[j])), ends)

        low, high = ([extreme(axis, sign) for axis in range(3)] for sign in (-1.0, 1.0))
        return (low[0], low[1], low[2]), (high[0], high[1], high[2])


def _climbed(
    surface: BRepAdaptor_Surface, axis: int, sign: float, at: Pair, ends: tuple[Pair, Pair]
) -> float:
    """The largest coordinate, times ``sign``, near a place, by Newton's method; on a side only the
    way along it is free, unless the slope leads back inside."""
    (u, v), ((u0, u1), (v0, v1)) = at, ends
    best = -math.inf
    p, along, across, twice, other, mixed = (
        gp_Pnt(),
        gp_Vec(),
        gp_Vec(),
        gp_Vec(),
        gp_Vec(),
        gp_Vec(),
    )
    for _ in range(_STEPS):
        surface.D2(u, v, p, along, across, twice, other, mixed)
        now = sign * float(p.Coord()[axis])
        if now <= best + 1e-12:
            return sign * max(now, best)
        best = now
        a, b, aa, bb, ab = (
            sign * float(d.Coord()[axis]) for d in (along, across, twice, other, mixed)
        )
        free_u = not ((u <= u0 and a < 0) or (u >= u1 and a > 0))
        free_v = not ((v <= v0 and b < 0) or (v >= v1 and b > 0))
        du = dv = 0.0
        if free_u and free_v and (det := aa * bb - ab * ab) > 0:
            du, dv = (ab * b - bb * a) / det, (ab * a - aa * b) / det
        elif free_u and aa < 0:
            du = -a / aa
        elif free_v and bb < 0:
            dv = -b / bb
        u, v = min(max(u + du, u0), u1), min(max(v + dv, v0), v1)
    return sign * best


def patch_of(face: TopoDS_Face) -> Patch | None:
    """A face as a patch; None where it is of another kind, has weights, or is cut off somewhere
    within its sides."""
    net = net_of(endless(face))
    if net is None:
        return None
    (u0, u1), (v0, v1) = ((float(row[0]), float(row[-1])) for row in net.knots)
    if not _fills(face, (u0, u1), (v0, v1)):
        return None
    sign = -1.0 if face.Orientation() == TopAbs_REVERSED else 1.0
    return Patch(net, sign)


def _fills(face: TopoDS_Face, u: tuple[float, float], v: tuple[float, float]) -> bool:
    """Whether all edges of a face run along the sides of its parameters, once round."""
    slack = 1e-9 * max(u[1] - u[0], v[1] - v[0])
    run = 0.0
    explorer = TopExp_Explorer(face, TopAbs_EDGE)
    while explorer.More():
        curve = BRepAdaptor_Curve2d(TopoDS.Edge_s(explorer.Current()), face)
        first, last = curve.FirstParameter(), curve.LastParameter()
        spots = [curve.Value(first + (last - first) * k / 4).Coord() for k in range(5)]
        sides = ((0, u[0]), (0, u[1]), (1, v[0]), (1, v[1]))
        if not any(all(abs(spot[i] - side) <= slack for spot in spots) for i, side in sides):
            return False
        run += math.dist(spots[0], spots[-1])
        explorer.Next()
    return abs(run - 2 * (u[1] - u[0] + v[1] - v[0])) <= 8 * slack


def _basis(knots: Floats, degree: int) -> BSpline:
    """The B-splines over knots, all at once."""
    from scipy.interpolate import BSpline  # here: most designs do without it

    return BSpline(knots, np.eye(len(knots) - degree - 1), degree)


@lru_cache(maxsize=256)
def _gauss(knots: bytes, degree: int) -> tuple[Floats, Floats, Floats]:
    """Weights of Gauss's rule in each span, and what each control point counts there, and for the
    slope there."""
    row = np.frombuffer(knots)
    nodes, weights = np.polynomial.legendre.leggauss(places_for(degree))
    ends = np.unique(row)
    half = np.diff(ends) / 2
    at = ((ends[:-1] + half)[:, None] + half[:, None] * nodes).ravel()
    each = _basis(row, degree)
    return (half[:, None] * weights).ravel(), each(at), each.derivative()(at)


@lru_cache(maxsize=256)
def _grid(knots: bytes, degree: int) -> tuple[Floats, Floats]:
    """Parameters close enough to see each extreme of a polynomial, the ends of spans among them,
    and what each control point counts there."""
    row = np.frombuffer(knots)
    ends = np.unique(row)
    steps = np.linspace(0, 1, degree + 2, endpoint=False)
    at = np.append((ends[:-1, None] + np.diff(ends)[:, None] * steps).ravel(), ends[-1])
    return at, _basis(row, degree)(at)
