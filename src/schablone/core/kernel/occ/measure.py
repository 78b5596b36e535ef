"""What can be read off solids: distances, angles, radii, clearances, centres, corners."""

from __future__ import annotations

import math
from collections.abc import Iterable

from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.GeomAbs import GeomAbs_Cylinder, GeomAbs_Sphere, GeomAbs_Torus
from OCP.gp import gp_Pnt
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shape

from ...sketch.regions import Region
from ..frame import Frame, Vector, cross, dot
from ..naming import FaceName
from .change import KernelEdge, edges_of
from .endless import endless
from .face_facts import PLANE, facts_of
from .prisms import flat_face
from .solids import Solid


def faces_named(solid: Solid, name: FaceName) -> TopoDS_Shape:
    """All faces of a name."""
    return _together(
        face for face, mine in zip(solid.faces(), solid.names, strict=True) if mine == name
    )


def flat_faces(regions: Iterable[Region], frame: Frame) -> TopoDS_Shape:
    """Regions of a plane as faces."""
    return _together(flat_face(region, frame) for region in regions)


def spot(at: Vector) -> TopoDS_Shape:
    """A point, mm, as the kernel has it."""
    return BRepBuilderAPI_MakeVertex(gp_Pnt(*at)).Vertex()


def _together(faces: Iterable[TopoDS_Shape]) -> TopoDS_Compound:
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for face in faces:
        builder.Add(compound, face)
    return compound


def nearest(one: TopoDS_Shape, two: TopoDS_Shape) -> tuple[Vector, Vector]:
    """The two points, mm, nearest to each other of faces or points.

    Raises:
        ValueError: where the kernel finds none.
    """
    between = BRepExtrema_DistShapeShape(one, two)
    between.Perform()
    if not between.IsDone() or not between.NbSolution():
        raise ValueError("the distance between the two could not be measured")
    a, b = between.PointOnShape1(1), between.PointOnShape2(1)
    return (a.X(), a.Y(), a.Z()), (b.X(), b.Y(), b.Z())


def corner(solid: Solid, first: FaceName, second: FaceName) -> tuple[Vector, Vector, bool] | None:
    """The longest straight edge between two flat faces: its middle, its direction of length 1, and
    whether the corner is an inner one. None where there is no such edge."""
    best: tuple[float, Vector, Vector, bool] | None = None
    for edge in edges_of(solid):
        if set(edge.between) != {first, second} or edge.direction is None:
            continue
        curve = BRepAdaptor_Curve(edge.edge)
        length = abs(curve.LastParameter() - curve.FirstParameter())
        if best is None or length > best[0]:
            p = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2)
            middle = (p.X(), p.Y(), p.Z())
            best = (
                length,
                middle,
                edge.direction,
                sinks(edge),
            )
    return best[1:] if best is not None else None


def sinks(edge: KernelEdge) -> bool:
    """Whether a straight edge between two flat faces lies in an inner corner; False where one of
    these is not flat, or the edge not straight.

    A face lies to the left of an edge that it runs along, seen from outside. In an inner corner
    that leads to the side that the other face looks to.
    """
    beside = normals_beside(edge)
    if beside is None or edge.direction is None:
        return False
    towards = dot(cross(beside[0], edge.direction), beside[1])
    runs = dict(facts_of(edge.faces[0]).runs)
    return (towards if runs[hash(edge.edge)] else -towards) > 0


def normals_beside(edge: KernelEdge) -> tuple[Vector, Vector] | None:
    """The outward normals, of length 1, of the two faces that an edge lies between; None where one
    of them is not flat."""
    one, other = (facts_of(face).row for face in edge.faces)
    return (one[4], other[4]) if one[2] == PLANE and other[2] == PLANE else None


def normals_of(solid: Solid) -> dict[FaceName, Vector]:
    """The outward normals, of length 1, of all flat faces; of several pieces of one name, that of
    the first."""
    normals: dict[FaceName, Vector] = {}
    for face, name in zip(solid.faces(), solid.names, strict=True):
        _, _, kind, _, normal, _ = facts_of(face).row
        if kind == PLANE:
            normals.setdefault(name, normal)
    return normals


def normal_at(solid: Solid, name: FaceName) -> Vector:
    """The outward normal of a flat face, of length 1.

    Raises:
        ValueError: where it is not flat, or not there.
    """
    normal = normals_of(solid).get(name)
    if normal is None:
        raise ValueError(f"the face “{name.words()}” is not flat")
    return normal


def angle(solid: Solid, face: FaceName, other: Solid, other_face: FaceName) -> float:
    """The angle between two flat faces in degrees, from 0 where they lie level to 90 where they
    stand square."""
    a, b = normal_at(solid, face), normal_at(other, other_face)
    cosine = min(1.0, abs(sum(p * q for p, q in zip(a, b, strict=True))))
    return math.degrees(math.acos(cosine))


def radius(solid: Solid, name: FaceName) -> float:
    """The radius of a round face, mm: of a cylinder or a ball, of a ring's tube.

    Raises:
        ValueError: where the face is not round.
    """
    for face, mine in zip(solid.faces(), solid.names, strict=True):
        if mine == name:
            surface = endless(face)
            kind = surface.GetType()
            if kind == GeomAbs_Cylinder:
                return float(surface.Cylinder().Radius())
            if kind == GeomAbs_Sphere:
                return float(surface.Sphere().Radius())
            if kind == GeomAbs_Torus:
                return float(surface.Torus().MinorRadius())
    raise ValueError(f"{name.words()} is not round all over; it has no one radius")


def clearance(solid: Solid, other: Solid) -> float:
    """The shortest distance between two solids, mm; 0 where they touch or overlap.

    Raises:
        ValueError: where the kernel finds none.
    """
    distance = BRepExtrema_DistShapeShape(solid.shape, other.shape)
    distance.Perform()
    if not distance.IsDone():
        raise ValueError("the clearance between the two parts could not be measured")
    return 0.0 if distance.InnerSolution() else float(distance.Value())
