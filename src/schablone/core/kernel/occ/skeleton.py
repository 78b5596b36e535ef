"""What a kernel solid is made of, as plain data: surfaces, edges, corners, and what meets where."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepGProp import BRepGProp
from OCP.GeomAbs import (
    GeomAbs_Circle,
    GeomAbs_Cone,
    GeomAbs_Cylinder,
    GeomAbs_Line,
    GeomAbs_Plane,
    GeomAbs_Sphere,
    GeomAbs_Torus,
)
from OCP.gp import gp_Ax3, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_FORWARD, TopAbs_REVERSED, TopAbs_VERTEX
from OCP.TopExp import TopExp
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Edge,
    TopoDS_Face,
    TopoDS_Iterator,
    TopoDS_Shape,
    TopoDS_Vertex,
)
from OCP.TopTools import TopTools_IndexedMapOfShape

from ..frame import as_vector
from ..surfaces import Surface, SurfaceKind
from .curves_between import Course
from .endless import endless

Floats = NDArray[np.float64]

#: How far a face's own surface may lie off the plain one that it is taken for, mm.
_SAME = 1e-6
#: The sine up to which two faces meet smoothly at an edge.
_SMOOTH = 1e-4


@dataclass(frozen=True)
class SkeletonEdge:
    """An edge: its corners, where it begins first; the faces beside it (one only at a seam); its
    middle; whether it is straight, part of a circle, or nothing but a point of a round surface; and
    whether the faces go smoothly into each other there."""

    shape: TopoDS_Edge
    ends: tuple[int, int]
    faces: tuple[int, ...]
    middle: Floats
    straight: bool
    circle: bool
    degenerate: bool
    smooth: bool

    @cached_property
    def course(self) -> Course:
        """Its curve; none that is nothing but a point has one."""
        curve = BRep_Tool.Curve_s(self.shape, 0.0, 0.0)
        return Course(curve, *BRep_Tool.Range_s(self.shape))

    @cached_property
    def spots(self) -> Floats:
        """Points (17, 3) along it, mm, evenly spread."""
        return self.course.points(np.linspace(0.0, 1.0, 17))


@dataclass(frozen=True)
class SkeletonFace:
    """A face: its surface, None where that is none of the plain ones; its loops, each a list of
    edges with whether they run forward; and a point in the middle of it."""

    shape: TopoDS_Face
    surface: Surface | None
    loops: tuple[tuple[tuple[int, bool], ...], ...]
    middle: Floats

    @cached_property
    def edges(self) -> tuple[int, ...]:
        """The numbers of its edges, each once."""
        return tuple(dict.fromkeys(edge for loop in self.loops for edge, _ in loop))

    @cached_property
    def seams(self) -> frozenset[int]:
        """The edges along which it meets itself: it has them twice, whatever else touches it
        there."""
        every = [edge for loop in self.loops for edge, _ in loop]
        return frozenset(edge for edge in self.edges if every.count(edge) > 1)


@dataclass(frozen=True)
class Skeleton:
    """A solid taken apart: faces in the order of the kernel's own map, edges, and corners as points
    with the faces around them."""

    shape: TopoDS_Shape
    faces: tuple[SkeletonFace, ...]
    edges: tuple[SkeletonEdge, ...]
    corners: tuple[Floats, ...]
    around: tuple[frozenset[int], ...]
    vertices: tuple[TopoDS_Vertex, ...]

    @cached_property
    def size(self) -> float:
        """The diagonal of the box around its corners, mm."""
        points = np.array(self.corners)
        return float(np.linalg.norm(points.max(axis=0) - points.min(axis=0))) or 1.0

    @cached_property
    def beside(self) -> dict[int, set[int]]:
        """The faces beside each face."""
        neighbours: dict[int, set[int]] = {k: set() for k in range(len(self.faces))}
        for edge in self.edges:
            if len(edge.faces) == 2:
                a, b = edge.faces
                neighbours[a].add(b)
                neighbours[b].add(a)
        return neighbours


def skeleton_of(shape: TopoDS_Shape) -> Skeleton:
    """Take a solid apart."""
    face_map, edge_map, corner_map = (TopTools_IndexedMapOfShape() for _ in range(3))
    TopExp.MapShapes_s(shape, TopAbs_FACE, face_map)
    TopExp.MapShapes_s(shape, TopAbs_EDGE, edge_map)
    TopExp.MapShapes_s(shape, TopAbs_VERTEX, corner_map)
    vertices = tuple(TopoDS.Vertex_s(corner_map.FindKey(k + 1)) for k in range(corner_map.Extent()))
    corners = tuple(_xyz(BRep_Tool.Pnt_s(vertex)) for vertex in vertices)
    faces, beside = [], [list[int]() for _ in range(edge_map.Extent())]
    for k in range(face_map.Extent()):
        face = TopoDS.Face_s(face_map.FindKey(k + 1))
        loops = _loops(face, edge_map)
        middle = GProp_GProps()
        BRepGProp.SurfaceProperties_s(face, middle)
        at = _xyz(middle.CentreOfMass())
        faces.append(SkeletonFace(face, _in_the_middle(surface_of(face), at), loops, at))
        for edge in {edge for loop in loops for edge, _ in loop}:
            beside[edge].append(k)
    edges = tuple(
        _edge(TopoDS.Edge_s(edge_map.FindKey(k + 1)), tuple(beside[k]), faces, corner_map)
        for k in range(edge_map.Extent())
    )
    around: list[set[int]] = [set() for _ in corners]
    for one in edges:
        for corner in one.ends:
            around[corner].update(one.faces)
    beside_corners = tuple(frozenset(faces_there) for faces_there in around)
    return Skeleton(shape, tuple(faces), edges, corners, beside_corners, vertices)


def _xyz(point: gp_Pnt) -> Floats:
    return np.array([point.X(), point.Y(), point.Z()])


def _loops(
    face: TopoDS_Face, edges: TopTools_IndexedMapOfShape
) -> tuple[tuple[tuple[int, bool], ...], ...]:
    """The loops of a face as if it looked forward, in the kernel's own order."""
    loops = []
    wires = TopoDS_Iterator(face.Oriented(TopAbs_FORWARD))
    while wires.More():
        loop, parts = [], TopoDS_Iterator(wires.Value())
        while parts.More():
            edge = parts.Value()
            loop.append((edges.FindIndex(edge) - 1, edge.Orientation() == TopAbs_FORWARD))
            parts.Next()
        loops.append(tuple(loop))
        wires.Next()
    return tuple(loops)


def _edge(
    shape: TopoDS_Edge,
    faces: tuple[int, ...],
    known: list[SkeletonFace],
    corners: TopTools_IndexedMapOfShape,
) -> SkeletonEdge:
    forward = TopoDS.Edge_s(shape.Oriented(TopAbs_FORWARD))
    ends = (
        corners.FindIndex(TopExp.FirstVertex_s(forward)) - 1,
        corners.FindIndex(TopExp.LastVertex_s(forward)) - 1,
    )
    if BRep_Tool.Degenerated_s(forward):
        at = _xyz(BRep_Tool.Pnt_s(TopExp.FirstVertex_s(forward)))
        return SkeletonEdge(forward, ends, faces, at, False, False, True, False)
    curve = BRepAdaptor_Curve(forward)
    middle = _xyz(curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2))
    kind = curve.GetType()
    straight, circle = kind == GeomAbs_Line, kind == GeomAbs_Circle
    if not straight and not circle and ends[0] != ends[1]:
        straight = _is_straight(curve)
    smooth = False
    if len(faces) == 2:
        one, other = (known[k].surface for k in faces)
        if one is not None and other is not None:
            a, b = one.distance(middle)[1], other.distance(middle)[1]
            smooth = float(np.linalg.norm(np.cross(a, b))) < _SMOOTH
    return SkeletonEdge(forward, ends, faces, middle, straight, circle, False, smooth)


def _is_straight(curve: BRepAdaptor_Curve) -> bool:
    """Whether a free curve is a straight line in another guise."""
    first, last = curve.FirstParameter(), curve.LastParameter()
    points = [_xyz(curve.Value(first + (last - first) * k / 8)) for k in range(9)]
    way = points[-1] - points[0]
    far = float(np.linalg.norm(way))
    if far < _SAME:
        return False
    off = [float(np.linalg.norm(np.cross(p - points[0], way))) / far for p in points]
    return max(off) < _SAME


def surface_of(face: TopoDS_Face) -> Surface | None:
    """The plain surface that a face lies on, also where a free one is one in another guise; None
    where it is none."""
    adaptor = endless(face)
    turned = face.Orientation() == TopAbs_REVERSED
    kind = adaptor.GetType()
    if kind == GeomAbs_Plane:
        return _plane(adaptor.Plane().Position(), turned)
    if kind == GeomAbs_Cylinder:
        cylinder = adaptor.Cylinder()
        return _round("cylinder", cylinder.Position(), turned, cylinder.Radius())
    if kind == GeomAbs_Cone:
        cone = adaptor.Cone()
        return _round("cone", cone.Position(), turned, cone.RefRadius(), cone.SemiAngle())
    if kind == GeomAbs_Sphere:
        ball = adaptor.Sphere()
        return _round("ball", ball.Position(), turned, ball.Radius())
    if kind == GeomAbs_Torus:
        ring = adaptor.Torus()
        return _round("ring", ring.Position(), turned, ring.MajorRadius(), ring.MinorRadius())
    return None


def _in_the_middle(surface: Surface | None, middle: Floats) -> Surface | None:
    """A plane seen from the middle of its face, about which it leans."""
    if surface is None or surface.kind != "plane":
        return surface
    off, way = surface.distance(middle)
    return surface.with_(at=as_vector(map(float, middle - off * way)))


def _plane(axes: gp_Ax3, turned: bool) -> Surface:
    way, x = axes.Direction(), axes.XDirection()
    sign = -1.0 if turned == axes.Direct() else 1.0
    normal = as_vector(sign * c for c in (way.X(), way.Y(), way.Z()))
    at = axes.Location()
    return Surface(
        "plane", (at.X(), at.Y(), at.Z()), normal, (x.X(), x.Y(), x.Z()), right_handed=sign > 0
    )


def _round(
    kind: SurfaceKind, axes: gp_Ax3, turned: bool, radius: float, second: float = 0.0
) -> Surface:
    at, way, x = axes.Location(), axes.Direction(), axes.XDirection()
    return Surface(
        kind,
        (at.X(), at.Y(), at.Z()),
        (way.X(), way.Y(), way.Z()),
        (x.X(), x.Y(), x.Z()),
        radius,
        second,
        # The kernel's normals look away from the axis where its axes are right-handed.
        axes.Direct() != turned,
        axes.Direct(),
    )
