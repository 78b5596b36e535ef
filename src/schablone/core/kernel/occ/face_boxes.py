"""Boxes around single faces along the axes: one that holds a face, found at once, and the exact
one, without the kernel's slow search on round edges."""

from __future__ import annotations

import math

from OCP.Bnd import Bnd_Box
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.GeomAbs import GeomAbs_Circle, GeomAbs_Torus
from OCP.gp import gp_Torus
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from ..frame import Vector, cross, dot
from .patch import Patch

_SAME = 1e-9


def roomy_box(shape: TopoDS_Shape) -> tuple[Vector, Vector]:
    """A box that holds a shape, mm, found at once; the kernel adds what faces may be off by."""
    box = Bnd_Box()
    BRepBndLib.Add_s(shape, box, False)
    return _corners(box)


def exact_box(face: TopoDS_Face, patch: Patch | None) -> tuple[Vector, Vector]:
    """The box of a face, mm, which takes a search; ``patch`` is what the face is of a spline
    surface (:func:`.patch.patch_of`)."""
    surface = BRepAdaptor_Surface(face)
    if surface.GetType() == GeomAbs_Torus and _is_patch(face, surface.Torus()):
        return _torus(surface)
    if patch is not None:
        return patch.bounds(surface)
    box = Bnd_Box()
    BRepBndLib.AddOptimal_s(face, box, False, False)
    return _corners(box)


def _corners(box: Bnd_Box) -> tuple[Vector, Vector]:
    x0, y0, z0, x1, y1, z1 = box.Get()
    return (x0, y0, z0), (x1, y1, z1)


def _is_patch(face: TopoDS_Shape, torus: gp_Torus) -> bool:
    """Whether a face of a torus is bounded by circles along and across its tube only, so that its
    parameters fill a rectangle."""
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(face, TopAbs_EDGE, edges)
    place = torus.Position()
    up, centre = place.Direction(), place.Location()
    axis = (up.X(), up.Y(), up.Z())
    for k in range(edges.Extent()):
        curve = BRepAdaptor_Curve(TopoDS.Edge_s(edges.FindKey(k + 1)))
        if curve.GetType() != GeomAbs_Circle:
            return False
        circle = curve.Circle()
        middle, way = circle.Location(), circle.Axis().Direction()
        across = cross(axis, (way.X(), way.Y(), way.Z()))
        away = (middle.X() - centre.X(), middle.Y() - centre.Y(), middle.Z() - centre.Z())
        off = cross(axis, away)
        along = bool(dot(across, across) < _SAME and dot(off, off) < _SAME)
        tube = (
            abs(circle.Radius() - torus.MinorRadius()) < 1e-7
            and abs(dot(axis, (way.X(), way.Y(), way.Z()))) < _SAME
        )
        if not (along or tube):
            return False
    return bool(edges.Extent() > 0)


def _torus(surface: BRepAdaptor_Surface) -> tuple[Vector, Vector]:
    """The box around a rectangle of a torus's parameters: extremes lie where the derivative
    vanishes, or on its sides."""
    torus = surface.Torus()
    place, big, small = torus.Position(), torus.MajorRadius(), torus.MinorRadius()
    o, x, y, z = place.Location(), place.XDirection(), place.YDirection(), place.Direction()
    u0, u1 = surface.FirstUParameter(), surface.LastUParameter()
    v0, v1 = surface.FirstVParameter(), surface.LastVParameter()
    low, high = [], []
    for middle, a, b, c in (
        (o.X(), x.X(), y.X(), z.X()),
        (o.Y(), x.Y(), y.Y(), z.Y()),
        (o.Z(), x.Z(), y.Z(), z.Z()),
    ):
        values = []
        for u in (u0, u1, *_within(math.atan2(b, a), u0, u1)):
            out = a * math.cos(u) + b * math.sin(u)
            for v in (v0, v1, *_within(math.atan2(c, out), v0, v1)):
                values.append(middle + (big + small * math.cos(v)) * out + small * math.sin(v) * c)
        low.append(min(values))
        high.append(max(values))
    return (low[0], low[1], low[2]), (high[0], high[1], high[2])


def _within(angle: float, first: float, last: float) -> list[float]:
    """An angle and its opposite, as often as they lie in a range."""
    extremes = []
    for base in (angle, angle + math.pi):
        k = math.ceil((first - base) / math.tau - 1e-12)
        while base + k * math.tau <= last + 1e-12:
            extremes.append(base + k * math.tau)
            k += 1
    return extremes
