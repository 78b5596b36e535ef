"""Boxes around shapes along the axes, exact, without the kernel's slow search on round edges."""

from __future__ import annotations

import math

from OCP.Bnd import Bnd_Box
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.GeomAbs import GeomAbs_Circle, GeomAbs_Torus
from OCP.gp import gp_Torus
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from ..frame import Vector, as_vector, cross, dot
from .patch import patch_of

_SAME = 1e-9


def bounds_of(shape: TopoDS_Shape) -> tuple[Vector, Vector]:
    """Corners of the box along the axes.

    Raises:
        ValueError: where the shape has no faces.
    """
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, faces)
    roomy = [
        (_roomy(face), face)
        for face in (TopoDS.Face_s(faces.FindKey(k + 1)) for k in range(faces.Extent()))
    ]
    if not roomy:
        raise ValueError("there is nothing to put a box around")
    # The exact box of a face takes a search: the outermost faces first, then only those that may
    # reach beyond them.
    count = range(len(roomy))
    outermost = {min(count, key=lambda k: roomy[k][0][0][axis]) for axis in range(3)}
    outermost |= {max(count, key=lambda k: roomy[k][0][1][axis]) for axis in range(3)}
    least, most = [math.inf] * 3, [-math.inf] * 3
    for k in sorted(count, key=lambda k: k not in outermost):
        (low, high), face = roomy[k]
        if any(low[i] < least[i] or high[i] > most[i] for i in range(3)):
            low, high = _exact(face)
            least, most = (
                [min(a, b) for a, b in zip(least, low, strict=True)],
                [max(a, b) for a, b in zip(most, high, strict=True)],
            )
    return as_vector(least), as_vector(most)


def _roomy(face: TopoDS_Face) -> tuple[Vector, Vector]:
    """A box that holds a face, found at once."""
    box = Bnd_Box()
    BRepBndLib.Add_s(face, box, False)
    low, high = box.CornerMin(), box.CornerMax()
    return (low.X(), low.Y(), low.Z()), (high.X(), high.Y(), high.Z())


def _exact(face: TopoDS_Face) -> tuple[Vector, Vector]:
    surface = BRepAdaptor_Surface(face)
    if surface.GetType() == GeomAbs_Torus and _is_patch(face, surface.Torus()):
        return _torus(surface)
    if (patch := patch_of(face)) is not None:
        return patch.bounds(surface)
    box = Bnd_Box()
    BRepBndLib.AddOptimal_s(face, box, False, False)
    low, high = box.CornerMin(), box.CornerMax()
    return (low.X(), low.Y(), low.Z()), (high.X(), high.Y(), high.Z())


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
    found = []
    for base in (angle, angle + math.pi):
        k = math.ceil((first - base) / math.tau - 1e-12)
        while base + k * math.tau <= last + 1e-12:
            found.append(base + k * math.tau)
            k += 1
    return found
