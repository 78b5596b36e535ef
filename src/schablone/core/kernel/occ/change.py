"""Changes of kernel solids: rounded and bevelled edges, hollowing, cutting by a plane, moving,
stretching."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_GTransform,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_NurbsConvert,
    BRepBuilderAPI_Transform,
)
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepOffset import BRepOffset_MakeOffset, BRepOffset_Skin
from OCP.BRepOffsetAPI import BRepOffsetAPI_DraftAngle
from OCP.BRepPrimAPI import BRepPrimAPI_MakeHalfSpace
from OCP.GeomAbs import (
    GeomAbs_Cylinder,
    GeomAbs_Intersection,
    GeomAbs_Line,
    GeomAbs_Plane,
    GeomAbs_Sphere,
)
from OCP.gp import gp_Dir, gp_GTrsf, gp_Mat, gp_Pln, gp_Pnt, gp_Trsf, gp_XYZ
from OCP.Standard import Standard_Failure
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_REVERSED, TopAbs_VERTEX
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape
from OCP.TopTools import (
    TopTools_IndexedMapOfShape,
    TopTools_ListOfShape,
)

from ..figures import ONE_LAYER
from ..frame import Frame, Vector
from ..motion import Motion
from ..naming import NAMELESS, FaceName
from .bounds import bounds_of
from .endless import endless
from .history import Named, carried, edges_beside, faces_around, listed
from .placing import trsf
from .rehearsal import survives
from .solids import Solid, in_order, is_free
from .tight import is_tight


class NotMade(ValueError):
    """The kernel could not make a change."""


def unless_it_dies(solid: Solid, make: Callable[[], Solid], *, tight: bool = False) -> Solid:
    """A change of a solid. Where that has free faces, or it is ``tight``, the change is rehearsed:
    that is what the kernel falls over.

    Raises:
        NotMade: where the process would not go on after it.
    """
    if (tight or is_free(solid.shape)) and not survives(make):
        raise NotMade("the kernel ends while it tries")
    return make()


@dataclass(frozen=True, slots=True)
class KernelEdge:
    """An edge, the names of the faces it lies between and these themselves, and its direction
    where it is straight."""

    edge: TopoDS_Edge
    between: tuple[FaceName, FaceName]
    faces: tuple[TopoDS_Shape, TopoDS_Shape]
    direction: Vector | None


def edges_of(solid: Solid) -> list[KernelEdge]:
    """All edges; seams, which lie in one face, left out."""
    edges, faces = [], solid.faces()
    for edge, beside in edges_beside(solid.shape):
        if len(beside) == 2 and beside[0] != beside[1]:
            a, b = (solid.names[face] for face in beside)
            one, other = (faces[face] for face in beside)
            curve = BRepAdaptor_Curve(edge)
            direction: Vector | None = None
            if curve.GetType() == GeomAbs_Line:
                way = curve.Line().Direction()
                direction = (way.X(), way.Y(), way.Z())
            edges.append(KernelEdge(edge, (a, b), (one, other), direction))
    return edges


def narrowest(solid: Solid, edges: Iterable[TopoDS_Edge]) -> tuple[float, FaceName] | None:
    """The narrowest of the faces beside some edges: how far it is from the edge over the face to
    the next edge that does not touch it, mm, and the face's name. None where no face has another
    edge."""
    around = faces_around(solid.shape)
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(solid.shape, TopAbs_FACE, faces)
    best: tuple[float, FaceName] | None = None
    for edge in edges:
        mine = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(edge, TopAbs_VERTEX, mine)
        for face in listed(around.FindFromKey(edge)):
            others = TopTools_IndexedMapOfShape()
            TopExp.MapShapes_s(face, TopAbs_EDGE, others)
            for k in range(others.Extent()):
                other = others.FindKey(k + 1)
                theirs = TopTools_IndexedMapOfShape()
                TopExp.MapShapes_s(other, TopAbs_VERTEX, theirs)
                if other.IsSame(edge) or any(
                    mine.Contains(theirs.FindKey(i + 1)) for i in range(theirs.Extent())
                ):
                    continue
                apart = BRepExtrema_DistShapeShape(edge, other)
                apart.Perform()
                if apart.IsDone() and (best is None or apart.Value() < best[0]):
                    best = (float(apart.Value()), solid.names[faces.FindIndex(face) - 1])
    return best


def _carried(made: Any, solid: Solid, more: Named, otherwise: FaceName = NAMELESS) -> Solid:
    """Names after a change: those of the faces before, as the kernel tells what became of them, and
    new ones; faces that it tells nothing of get the name ``otherwise``."""
    named = carried(made, zip(solid.faces(), solid.names, strict=True))
    return in_order(made.Shape(), [*named, *more], otherwise)


def rounded(solid: Solid, edges: Iterable[tuple[TopoDS_Edge, FaceName]], radius: float) -> Solid:
    """Edges rounded by a radius, mm; each new face bears the name that is given with its edge.

    Raises:
        NotMade: where the radius does not fit.
    """
    maker = BRepFilletAPI_MakeFillet(solid.shape)
    kept = list(edges)
    for edge, _ in kept:
        maker.Add(radius, edge)
    tight = is_tight(solid.shape, [edge for edge, _ in kept], radius)
    return unless_it_dies(solid, lambda: _built(maker, solid, kept), tight=tight)


def bevelled(
    solid: Solid,
    edges: Iterable[tuple[TopoDS_Edge, FaceName]],
    first: float,
    second: float | None = None,
) -> Solid:
    """Edges bevelled by a distance, mm, or by one on each of the two faces, the first on the face
    named first.

    Raises:
        NotMade: where it does not fit.
    """
    maker = BRepFilletAPI_MakeChamfer(solid.shape)
    kept = list(edges)
    around = faces_around(solid.shape)
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(solid.shape, TopAbs_FACE, faces)
    for edge, _ in kept:
        if second is None:
            maker.Add(first, edge)
            continue
        sides = sorted(
            listed(around.FindFromKey(edge)),
            key=lambda face: str(solid.names[faces.FindIndex(face) - 1]),
        )
        maker.Add(first, second, edge, TopoDS.Face_s(sides[0]))
    tight = is_tight(solid.shape, [edge for edge, _ in kept], max(first, second or 0.0))
    return unless_it_dies(solid, lambda: _built(maker, solid, kept), tight=tight)


def bevelled_below(solid: Solid, by: float) -> Solid:
    """The edges around the lowest level faces bevelled by so many mm, but those under walls of one
    layer, above which there is nothing to line up with; the solid itself where it stands on none.

    Raises:
        NotMade: where it does not fit.
    """
    low = bounds_of(solid.shape)[0][2]
    below, no_higher = set(), set()
    for k, face in enumerate(solid.faces()):
        if bounds_of(face)[1][2] - low <= ONE_LAYER:
            no_higher.add(k)
        surface = endless(face)
        level = (
            surface.GetType() == GeomAbs_Plane
            and abs(surface.Plane().Axis().Direction().Z()) > 1 - 1e-9
        )
        if level and abs(surface.Plane().Location().Z() - low) < 1e-6:
            below.add(k)
    named = [
        (edge, FaceName("first_layer", "bevel"))
        for edge, beside in edges_beside(solid.shape)
        if len(beside) == 2 and len(below & set(beside)) == 1 and not no_higher >= set(beside)
    ]
    return bevelled(solid, named, by) if named else solid


def _built(maker: Any, solid: Solid, kept: Sequence[tuple[TopoDS_Edge, FaceName]]) -> Solid:
    try:
        maker.Build()
        if not maker.IsDone():
            raise NotMade("it does not fit")
    except (RuntimeError, Standard_Failure) as error:
        raise NotMade("it does not fit") from error
    more: Named = []
    for edge, name in kept:
        more += [(face, name) for face in listed(maker.Generated(edge))]
    # Where rounded edges meet, the kernel puts a face of its own: a corner of the step.
    built = _carried(maker, solid, more, FaceName(kept[0][1].step, "corner") if kept else NAMELESS)
    if built.is_empty():
        raise NotMade("nothing would be left")
    return built


def shifted(solid: Solid, faces: Iterable[FaceName], by: float) -> Solid:
    """Faces moved along their normals by so many mm, outwards where ``by`` is above zero; what lies
    beside them follows.

    Raises:
        NotMade: where they cannot move so far.
    """
    chosen = set(faces)
    maker = BRepOffset_MakeOffset()
    try:
        maker.Initialize(
            solid.shape,
            0.0,
            1e-4,
            BRepOffset_Skin,
            False,
            False,
            GeomAbs_Intersection,
            False,
            False,
        )
        for face, name in zip(solid.faces(), solid.names, strict=True):
            if name in chosen:
                if abs(by) >= room_of(TopoDS.Face_s(face), by) * (1 - 1e-9):
                    raise NotMade("they cannot move so far")
                maker.SetOffsetOnFace(TopoDS.Face_s(face), by)
        maker.MakeOffsetShape()
        if not maker.IsDone():
            raise NotMade("they cannot move so far")
        shape = maker.Shape()
    except (RuntimeError, Standard_Failure) as error:
        raise NotMade("they cannot move so far") from error
    named: Named = []
    for face, name in zip(solid.faces(), solid.names, strict=True):
        made = [*listed(maker.Generated(face)), *listed(maker.Modified(face))]
        named += [(piece, name) for piece in made] or [(face, name)]
    shifted = in_order(shape, named)
    # A face pushed beyond its neighbours turns the shape inside out, which the kernel does not
    # always notice.
    if shifted.is_empty():
        raise NotMade("they cannot move so far")
    before, after = solid.volume, shifted.volume
    if after <= 0 or (after - before) * by < 0 or not shifted.is_valid():
        raise NotMade("they cannot move so far")
    return shifted


def room_of(face: TopoDS_Face, by: float) -> float:
    """How far a face can move before its radius is used up, mm: a peg inwards, a hole's wall out of
    the material.
    Endless for a face that is not round, or grows."""
    surface = endless(face)
    kind = surface.GetType()
    if kind == GeomAbs_Cylinder:
        round_, radius = surface.Cylinder().Position(), surface.Cylinder().Radius()
    elif kind == GeomAbs_Sphere:
        round_, radius = surface.Sphere().Position(), surface.Sphere().Radius()
    else:
        return math.inf
    outwards = round_.Direct() != (face.Orientation() == TopAbs_REVERSED)
    return float(radius) if outwards == (by < 0) else math.inf


def leaned(solid: Solid, faces: Iterable[FaceName], degrees: float, neutral: Frame) -> Solid:
    """Faces leaned inwards by an angle in degrees, hinged where they meet a plane (draft).

    Raises:
        NotMade: where they cannot lean so far.
    """
    chosen = set(faces)
    maker = BRepOffsetAPI_DraftAngle(solid.shape)
    plane = gp_Pln(gp_Pnt(*neutral.origin), gp_Dir(*neutral.normal))
    try:
        for face, name in zip(solid.faces(), solid.names, strict=True):
            if name in chosen:
                maker.Add(
                    TopoDS.Face_s(face), gp_Dir(*neutral.normal), math.radians(degrees), plane
                )
        maker.Build()
        if not maker.IsDone():
            raise NotMade("they cannot lean so far")
    except (RuntimeError, Standard_Failure) as error:
        raise NotMade("they cannot lean so far") from error
    return _carried(maker, solid, [])


def half_space(plane: Frame, *, above: bool) -> TopoDS_Shape:
    """All of space on one side of a plane."""
    face = BRepBuilderAPI_MakeFace(gp_Pln(gp_Pnt(*plane.origin), gp_Dir(*plane.normal))).Face()
    return BRepPrimAPI_MakeHalfSpace(
        face, gp_Pnt(*plane.at(0.0, 0.0, 1.0 if above else -1.0))
    ).Solid()


def cut_off(solid: Solid, plane: Frame, name: FaceName) -> Solid:
    """What lies above a plane is cut away; the new face bears a name."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut

    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(solid.shape)
    operands.Append(half_space(plane, above=True))
    boolean = BRepAlgoAPI_Cut()
    boolean.SetArguments(arguments)
    boolean.SetTools(operands)
    boolean.Build()
    if not boolean.IsDone():
        raise NotMade("the plane could not cut it")
    return _carried(boolean, solid, [], name)


def moved(solid: Solid, motion: Motion) -> Solid:
    """The solid under a motion."""
    return _transformed(solid, trsf(motion))


def _transformed(solid: Solid, by: gp_Trsf) -> Solid:
    maker = BRepBuilderAPI_Transform(solid.shape, by, True)
    named = [
        (maker.ModifiedShape(face), name)
        for face, name in zip(solid.faces(), solid.names, strict=True)
    ]
    return in_order(maker.Shape(), named)


def stretched(solid: Solid, factors: Vector) -> Solid:
    """The solid stretched along the axes.

    By one factor everything keeps its kind of surface. By different ones surfaces become rational
    splines, whose control points the stretch moves exactly.

    Raises:
        NotMade: where the kernel would end over it.
    """
    fx, fy, fz = factors
    if abs(fx - fy) <= 1e-15 and abs(fx - fz) <= 1e-15:
        by = gp_Trsf()
        by.SetScale(gp_Pnt(0, 0, 0), fx)
        return _transformed(solid, by)
    return unless_it_dies(solid, lambda: _unevenly(solid, factors))


def _unevenly(solid: Solid, factors: Vector) -> Solid:
    fx, fy, fz = factors
    converted = BRepBuilderAPI_NurbsConvert(solid.shape, True)
    first: Mapping[int, TopoDS_Shape] = {
        k: converted.ModifiedShape(face) for k, face in enumerate(solid.faces())
    }
    matrix = gp_GTrsf(gp_Mat(fx, 0, 0, 0, fy, 0, 0, 0, fz), gp_XYZ(0, 0, 0))
    maker = BRepBuilderAPI_GTransform(converted.Shape(), matrix, True)
    named = [(maker.ModifiedShape(first[k]), name) for k, name in enumerate(solid.names)]
    return in_order(maker.Shape(), named)
