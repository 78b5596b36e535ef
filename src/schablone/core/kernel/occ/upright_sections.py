"""Where a level plane meets a solid all of whose faces stand upright or lie level: what sheets are
cut and pocketed to. Straight from the edges of the upright faces, without a boolean."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.GeomAbs import GeomAbs_Circle, GeomAbs_Cylinder, GeomAbs_Line, GeomAbs_Plane
from OCP.gp import gp_Dir, gp_Pnt
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face
from OCP.TopTools import TopTools_IndexedMapOfShape

from ...sketch.curves import Curve, EllipticArc, Segment
from ...sketch.mapping import XY
from ..frame import Frame, Vector, dot
from .endless import endless
from .solids import Solid

#: Cosines that differ less from 0 or 1, and heights that differ less, mm, are the same.
_ALONG, _LEVEL = 1e-9, 1e-7
#: Angles, radians, and lengths, mm, below this are none.
_NO_ANGLE, _NO_LENGTH = 1e-10, 1e-9


class _NotUpright(Exception):
    """A face leans, or an edge of one does."""


def upright_section(solid: Solid, frame: Frame) -> list[Curve] | None:
    """The curves in which the plane of a frame meets a solid, in its coordinates, named by the
    numbers of the faces they lie in; None where a face neither stands upright on it nor lies level,
    or the plane goes through a level one."""
    curves: list[Curve] = []
    try:
        for number, shape in enumerate(solid.faces(), 1):
            curves += _curves_of(TopoDS.Face_s(shape), frame, str(number))
    except _NotUpright:
        return None
    return curves


def _curves_of(face: TopoDS_Face, frame: Frame, name: str) -> Iterator[Curve]:
    surface = endless(face)
    kind = surface.GetType()
    if kind == GeomAbs_Plane:
        plane = surface.Plane()
        along = abs(dot(_vector(plane.Axis().Direction()), frame.normal))
        if along > 1 - _ALONG:
            if abs(frame.coordinates(_point(plane.Location()))[2]) < _LEVEL:
                raise _NotUpright
            return
        if along > _ALONG:
            raise _NotUpright
        yield from _on_plane(face, frame, name)
    elif kind == GeomAbs_Cylinder:
        if abs(dot(_vector(surface.Cylinder().Axis().Direction()), frame.normal)) < 1 - _ALONG:
            raise _NotUpright
        yield from _on_cylinder(face, surface, frame, name)
    else:
        raise _NotUpright


def _on_plane(face: TopoDS_Face, frame: Frame, name: str) -> Iterator[Curve]:
    spots = [spot for spot, _ in _crossed(face, frame)]
    if len(spots) % 2:
        raise _NotUpright
    if not spots:
        return
    far = max(spots, key=lambda one: math.dist(one, spots[0]))
    way = (far[0] - spots[0][0], far[1] - spots[0][1])
    spots.sort(key=lambda one: one[0] * way[0] + one[1] * way[1])
    for a, b in zip(spots[::2], spots[1::2], strict=True):
        if math.dist(a, b) > _NO_LENGTH:
            yield Segment(a, b, name)


def _on_cylinder(
    face: TopoDS_Face, surface: BRepAdaptor_Surface, frame: Frame, name: str
) -> Iterator[Curve]:
    cylinder = surface.Cylinder()
    axes = cylinder.Position()
    round_ = _Round.of(
        frame, _point(axes.Location()), _vector(axes.XDirection()), _vector(axes.YDirection())
    )
    # By the line on the face: a point where it meets itself lies at its beginning or at its end.
    marks = sorted(turn for _, edge in _crossed(face, frame) for turn in _turns(edge, face))
    if len(marks) % 2:
        raise _NotUpright
    radius = cylinder.Radius()
    for a, b in zip(marks[::2], marks[1::2], strict=True):
        if b - a > _NO_ANGLE:
            first, last = (round_.start + round_.sense * turn for turn in (a, b))
            yield EllipticArc(round_.centre, radius, radius, first, last, name)


@dataclass(frozen=True, slots=True)
class _Round:
    """How the turns of a cylinder lie in a plane: its middle, where they start, radians, and in
    which sense they go."""

    centre: XY
    start: float
    sense: float

    @classmethod
    def of(cls, frame: Frame, at: Vector, x: Vector, y: Vector) -> _Round:
        u, v, _ = frame.coordinates(at)
        along = (dot(x, frame.x), dot(x, frame.y)), (dot(y, frame.x), dot(y, frame.y))
        sense = math.copysign(1.0, along[0][0] * along[1][1] - along[0][1] * along[1][0])
        return cls((u, v), math.atan2(along[0][1], along[0][0]), sense)


def _turns(edge: TopoDS_Edge, face: TopoDS_Face) -> list[float]:
    """At which turns of a cylinder an upright edge lies: one, or two where the face meets
    itself."""
    both = [edge, edge.Reversed()] if BRep_Tool.IsClosed_s(edge, face) else [edge]
    turns = []
    for one in both:
        first, last = BRep_Tool.Range_s(edge)
        line = BRep_Tool.CurveOnSurface_s(TopoDS.Edge_s(one), face, first, last)
        if line is None:
            raise _NotUpright
        turns.append(float(line.Value((first + last) / 2).X()))
    return turns


def _crossed(face: TopoDS_Face, frame: Frame) -> Iterator[tuple[XY, TopoDS_Edge]]:
    """Where the plane of a frame meets the upright edges of a face, each once.

    Raises:
        _NotUpright: where an edge is neither upright nor level.
    """
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(face, TopAbs_EDGE, edges)
    for k in range(edges.Extent()):
        edge = TopoDS.Edge_s(edges.FindKey(k + 1))
        curve = BRepAdaptor_Curve(edge)
        ends = [
            frame.coordinates(_point(curve.Value(at)))
            for at in (curve.FirstParameter(), curve.LastParameter())
        ]
        heights = sorted((ends[0][2], ends[1][2]))
        if curve.GetType() == GeomAbs_Circle:
            up = _vector(curve.Circle().Axis().Direction())
            if abs(dot(up, frame.normal)) < 1 - _ALONG:
                raise _NotUpright
            continue
        if curve.GetType() != GeomAbs_Line:
            raise _NotUpright
        if heights[1] - heights[0] < _LEVEL:
            continue
        if math.dist(ends[0][:2], ends[1][:2]) > _LEVEL:
            raise _NotUpright
        if any(abs(height) < _LEVEL for height in heights):
            raise _NotUpright
        if heights[0] < 0 < heights[1]:
            yield ends[0][:2], edge


def _vector(way: gp_Dir) -> Vector:
    return way.X(), way.Y(), way.Z()


def _point(at: gp_Pnt) -> Vector:
    return at.X(), at.Y(), at.Z()
