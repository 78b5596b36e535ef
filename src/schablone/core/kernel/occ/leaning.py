"""Faces that lie neither across a direction nor along it: what a straight cut cannot make."""

from __future__ import annotations

import math
from collections.abc import Iterator

from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import (
    GeomAbs_Cone,
    GeomAbs_Cylinder,
    GeomAbs_Plane,
    GeomAbs_SurfaceOfExtrusion,
)
from OCP.gp import gp_Dir, gp_Pnt, gp_Vec
from OCP.TopoDS import TopoDS, TopoDS_Face

from ..frame import Vector
from ..naming import FaceName
from .endless import endless
from .solids import Solid

#: By how much, radians, a face may lean and still count as upright or level.
_NOTHING = 1e-6
#: At so many places along both parameters it is asked how a free face leans.
_PLACES = 4


def leaning(solid: Solid, through: Vector, degrees: float = 0.0) -> tuple[FaceName, ...]:
    """The names of faces that lie neither across a direction of length 1 nor, but for some
    ``degrees``, along it; each once."""
    way, most = gp_Dir(*through), math.radians(degrees) + _NOTHING
    names = (
        name
        for face, name in zip(solid.faces(), solid.names, strict=True)
        if not _is_straight(TopoDS.Face_s(face), way, most)
    )
    return tuple(dict.fromkeys(names))


def _is_straight(face: TopoDS_Face, way: gp_Dir, most: float) -> bool:
    surface = endless(face)
    kind = surface.GetType()
    if kind == GeomAbs_Plane:
        return _leans(surface.Plane().Axis().Direction(), way, level=True) <= most
    if kind == GeomAbs_Cylinder:
        return _apart(surface.Cylinder().Axis().Direction(), way) <= _NOTHING
    if kind == GeomAbs_Cone:
        cone = surface.Cone()
        return _apart(cone.Axis().Direction(), way) <= _NOTHING and abs(cone.SemiAngle()) <= most
    if kind == GeomAbs_SurfaceOfExtrusion:
        return _apart(surface.Direction(), way) <= _NOTHING
    normals = list(_normals(face, surface))
    level = all(_apart(normal, way) <= _NOTHING for normal in normals)
    return level or all(_leans(normal, way, level=False) <= most for normal in normals)


def _apart(one: gp_Dir, other: gp_Dir) -> float:
    """The angle between two lines, radians."""
    angle = float(one.Angle(other))
    return min(angle, math.pi - angle)


def _leans(normal: gp_Dir, way: gp_Dir, *, level: bool) -> float:
    """By how much a face leans from the direction, radians; none where it lies across it and that
    counts."""
    apart = _apart(normal, way)
    return 0.0 if level and apart <= _NOTHING else math.pi / 2 - apart


def _normals(face: TopoDS_Face, surface: BRepAdaptor_Surface) -> Iterator[gp_Dir]:
    u0, u1, v0, v1 = BRepTools.UVBounds_s(face)
    point, along, across = gp_Pnt(), gp_Vec(), gp_Vec()
    for i in range(_PLACES):
        for j in range(_PLACES):
            u = u0 + (u1 - u0) * (i + 0.5) / _PLACES
            surface.D1(u, v0 + (v1 - v0) * (j + 0.5) / _PLACES, point, along, across)
            normal = along.Crossed(across)
            if normal.Magnitude() > 0:
                yield gp_Dir(normal)
