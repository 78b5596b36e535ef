"""Solids of the geometry kernel: making them from prisms, booleans that carry names, measuring, checking."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_MakeWire,
)
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp, BRepGProp_Domain, BRepGProp_Face, BRepGProp_Vinert
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.Geom import Geom_BezierCurve, Geom_Circle, Geom_Curve, Geom_Ellipse
from OCP.GeomAbs import (
    GeomAbs_Cone,
    GeomAbs_Cylinder,
    GeomAbs_Plane,
    GeomAbs_Sphere,
    GeomAbs_SurfaceOfExtrusion,
    GeomAbs_Torus,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pln, gp_Pnt, gp_Vec
from OCP.gp import gp_Ax3 as Axes
from OCP.GProp import GProp_GProps
from OCP.TColgp import TColgp_Array1OfPnt
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_SOLID
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Edge, TopoDS_Shape, TopoDS_Vertex, TopoDS_Wire
from OCP.TopTools import (
    TopTools_IndexedDataMapOfShapeListOfShape,
    TopTools_IndexedMapOfShape,
    TopTools_ListOfShape,
)

from ..sketch.curves import Arc, Bezier, Curve, Line, Loop
from .body import Figures
from .frame import Frame, Vector
from .naming import NAMELESS, FaceName
from .occ_bounds import bounds_of
from .occ_patch import Patch, patch_of
from .prism import Prism
from .rehearsal import has_threads
from .tools import Leaned, Placed, ToNext, Tool, TurnedToNext, claimed, divided

#: To what share volumes and surfaces with free faces are measured.
_MEASURED = 1e-7
#: A shape with its faces and their names.
Made = tuple[TopoDS_Shape, list[tuple[TopoDS_Shape, FaceName]]]
#: By what share what is made of a tool may differ from what it must be.
_CLAIMED = 1e-5
#: How many stations a face of a led section goes over where the usual number fails.
_OTHER_DIVISIONS = (8, 17, 5)
#: Chord tolerance of meshes for the second reckoning, mm.
_SECOND = 0.05


@dataclass(frozen=True)
class Solid:
    """A kernel shape and the name of each of its faces, in the order of the kernel's own face map."""

    shape: TopoDS_Shape
    names: tuple[FaceName, ...]

    def faces(self) -> list[TopoDS_Shape]:
        return faces_of(self.shape)

    def of_member(self, number: int) -> Solid:
        """The same solid with the names of a member of a row."""
        return Solid(self.shape, tuple(name.of_member(number) for name in self.names))

    @cached_property
    def figures(self) -> Figures:
        """Volume, surface and bounds, measured once on the shape itself."""
        rest, patches = self._divided
        area = GProp_GProps()
        if is_free(rest):
            BRepGProp.SurfaceProperties_s(rest, area, _MEASURED)
        else:
            BRepGProp.SurfaceProperties_s(rest, area)
        whole = math.fsum([area.Mass(), *(patch.figures[2] for patch in patches)])
        volume, centre = self._weighed
        return Figures(volume, whole, bounds_of(self.shape), centre)

    @property
    def volume(self) -> float:
        """mm³; measured once, without what else :attr:`figures` takes."""
        return self._weighed[0]

    @cached_property
    def _divided(self) -> tuple[TopoDS_Shape, list[Patch]]:
        """The faces that the kernel measures, and those that are whole patches."""
        patches = [(face, patch_of(TopoDS.Face_s(face))) for face in self.faces()]
        if all(patch is None for _, patch in patches):
            return self.shape, []
        rest, builder = TopoDS_Compound(), BRep_Builder()
        builder.MakeCompound(rest)
        for face, patch in patches:
            if patch is None:
                builder.Add(rest, face)
        return rest, [patch for _, patch in patches if patch is not None]

    @cached_property
    def _weighed(self) -> tuple[float, Vector]:
        rest, patches = self._divided
        found = GProp_GProps()
        if not patches and not is_free(rest):
            BRepGProp.VolumeProperties_s(rest, found)
        elif not patches:
            BRepGProp.VolumeProperties_s(rest, found, _MEASURED, False, False)
        else:
            # Each face gives the cone that it makes with the origin: together they are what the faces enclose.
            for face in map(TopoDS.Face_s, faces_of(rest)):
                found.Add(BRepGProp_Vinert(BRepGProp_Face(face), BRepGProp_Domain(face), gp_Pnt(), _MEASURED))
        p = found.CentreOfMass()
        volume = math.fsum([found.Mass(), *(patch.figures[0] for patch in patches)])
        moments = [
            math.fsum([found.Mass() * c, *(float(patch.figures[1][i]) for patch in patches)])
            for i, c in enumerate((p.X(), p.Y(), p.Z()))
        ]
        x, y, z = (moment / volume if volume else 0.0 for moment in moments)
        return volume, (x, y, z)

    def is_empty(self) -> bool:
        return not TopExp_Explorer(self.shape, TopAbs_SOLID).More()

    def is_closed(self) -> bool:
        """Whether every edge has a face on both sides: quick, where :meth:`is_valid` is slow."""
        around = TopTools_IndexedDataMapOfShapeListOfShape()
        TopExp.MapShapesAndAncestors_s(self.shape, TopAbs_EDGE, TopAbs_FACE, around)
        return all(
            around.FindFromIndex(k + 1).Size() == 2 or BRep_Tool.Degenerated_s(TopoDS.Edge_s(around.FindKey(k + 1)))
            for k in range(around.Extent())
        )

    def touching(self) -> tuple[Vector, tuple[FaceName, ...]] | None:
        """A spot where the solid touches itself along a line and no further, with the faces there: an edge with more than
        two faces around it. None where there is none."""
        around = TopTools_IndexedDataMapOfShapeListOfShape()
        TopExp.MapShapesAndAncestors_s(self.shape, TopAbs_EDGE, TopAbs_FACE, around)
        faces = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(self.shape, TopAbs_FACE, faces)
        for k in range(around.Extent()):
            beside = around.FindFromIndex(k + 1)
            edge = TopoDS.Edge_s(around.FindKey(k + 1))
            if beside.Size() > 2 and not BRep_Tool.Degenerated_s(edge):
                curve = BRepAdaptor_Curve(edge)
                p = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2)
                return (p.X(), p.Y(), p.Z()), tuple(self.names[faces.FindIndex(face) - 1] for face in beside)
        return None

    def is_valid(self) -> bool:
        """The kernel's full check: every face, edge and vertex. Slow for many faces."""
        return bool(BRepCheck_Analyzer(self.shape).IsValid())

    def counts(self) -> tuple[int, int]:
        """How many faces and edges there are."""
        edges = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(self.shape, TopAbs_EDGE, edges)
        return len(self.names), edges.Extent()


def faces_of(shape: TopoDS_Shape) -> list[TopoDS_Shape]:
    """The faces of a shape, each once."""
    found = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, found)
    return [found.FindKey(i + 1) for i in range(found.Extent())]


def _point(p: Vector) -> gp_Pnt:
    return gp_Pnt(*p)


#: Ends of curves that lie apart by less are one corner for the kernel as they are.
_ONE_POINT = 1e-7


def edge_of(
    curve: Curve, frame: Frame, height: float, ends: tuple[TopoDS_Vertex, TopoDS_Vertex] | None = None
) -> TopoDS_Edge:
    """A curve as an edge, ``height`` mm above a plane; between two vertices, where they are given."""
    if isinstance(curve, Line):
        if ends is not None:
            return BRepBuilderAPI_MakeEdge(*ends).Edge()
        return BRepBuilderAPI_MakeEdge(
            _point(frame.at(*curve.start, height)), _point(frame.at(*curve.end, height))
        ).Edge()
    geometry, low, high = _geometry(curve, frame, height)
    if isinstance(curve, Arc) and curve.is_full:
        return BRepBuilderAPI_MakeEdge(geometry).Edge()
    if ends is None:
        return BRepBuilderAPI_MakeEdge(geometry, low, high).Edge()
    if isinstance(curve, Arc) and curve.t1 < curve.t0:
        ends = ends[1], ends[0]
    return BRepBuilderAPI_MakeEdge(geometry, *ends, low, high).Edge()


def _geometry(curve: Arc | Bezier, frame: Frame, height: float) -> tuple[Geom_Curve, float, float]:
    """The kernel's curve that an arc or a cubic piece lies on, and its parameters there from low to high."""
    if isinstance(curve, Bezier):
        poles = TColgp_Array1OfPnt(1, 4)
        for number, p in enumerate((curve.start, curve.first, curve.second, curve.end), 1):
            poles.SetValue(number, _point(frame.at(*p, height)))
        return Geom_BezierCurve(poles), 0.0, 1.0
    up, centre = gp_Dir(*frame.normal), _point(frame.at(*curve.centre, height))
    low, high = sorted((curve.t0, curve.t1))
    if curve.is_circular:
        return Geom_Circle(gp_Ax2(centre, up, gp_Dir(*frame.x)), curve.rx), low, high
    upright = curve.rx < curve.ry
    shift = -math.pi / 2 if upright else 0.0
    axes = gp_Ax2(centre, up, gp_Dir(*(frame.y if upright else frame.x)))
    return Geom_Ellipse(axes, max(curve.rx, curve.ry), min(curve.rx, curve.ry)), low + shift, high + shift


def wire_of(loop: Loop, frame: Frame, height: float) -> tuple[TopoDS_Wire, list[tuple[TopoDS_Edge, str]]]:
    """A closed wire along a loop, ``height`` above a plane; its edges with the names of their curves.

    Neighbours share their corner, whatever the last digits of their ends.
    """
    maker = BRepBuilderAPI_MakeWire()
    corners = _corners(loop, frame, height) if len(loop.curves) > 1 else []
    for k, curve in enumerate(loop.curves):
        ends = (corners[k], corners[(k + 1) % len(corners)]) if corners else None
        maker.Add(edge_of(curve, frame, height, ends))
    wire = maker.Wire()
    # The maker may copy edges; those of the wire itself are the ones that the prism knows.
    explorer = TopExp_Explorer(wire, TopAbs_EDGE)
    edges = []
    for curve in loop.curves:
        edges.append((TopoDS.Edge_s(explorer.Current()), curve.name))
        explorer.Next()
    return wire, edges


def _corners(loop: Loop, frame: Frame, height: float) -> list[TopoDS_Vertex]:
    """The corner at the start of each curve, as wide as its neighbours' ends lie apart."""
    found = []
    for k, curve in enumerate(loop.curves):
        gap = math.dist(loop.curves[k - 1].end, curve.start)
        corner = BRepBuilderAPI_MakeVertex(_point(frame.at(*curve.start, height))).Vertex()
        if gap > _ONE_POINT / 2:
            BRep_Builder().UpdateVertex(corner, 2 * gap + _ONE_POINT)
        found.append(corner)
    return found


def prism_shape(prism: Prism) -> tuple[TopoDS_Shape, list[tuple[TopoDS_Shape, FaceName]]]:
    """The kernel's solid of a prism, and its faces with their names."""
    if prism.inset:
        from .occ_shaped import shape_of  # here: it builds on this module

        degrees = math.degrees(math.atan2(prism.inset, prism.height))
        return shape_of(Leaned(replace(prism, inset=0.0), degrees))
    frame, low = prism.frame, prism.low
    plane = gp_Pln(Axes(_point(frame.at(0, 0, low)), gp_Dir(*frame.normal), gp_Dir(*frame.x)))
    wire, edges = wire_of(prism.region.outer, frame, low)
    maker = BRepBuilderAPI_MakeFace(plane, wire, True)
    for hole in prism.region.holes:
        inner, inner_edges = wire_of(hole, frame, low)
        maker.Add(TopoDS.Wire_s(inner.Reversed()))
        edges += inner_edges
    n = frame.normal
    raised = BRepPrimAPI_MakePrism(maker.Face(), gp_Vec(n[0] * prism.height, n[1] * prism.height, n[2] * prism.height))
    shape = raised.Shape()
    named = [(raised.FirstShape(), prism.start), (raised.LastShape(), prism.end)]
    for edge, name in edges:
        for face in raised.Generated(edge):
            named.append((face, prism.sides[name]))
    return shape, named


def in_order(
    shape: TopoDS_Shape, named: Sequence[tuple[TopoDS_Shape, FaceName]], otherwise: FaceName = NAMELESS
) -> Solid:
    """Put names in the order of the shape's faces; those that have none get the name ``otherwise``."""
    found = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, found)
    names: dict[int, FaceName] = {}
    for face, name in named:
        index = found.FindIndex(face)
        if index:
            names[index] = name
    return Solid(shape, tuple(names.get(i + 1, otherwise) for i in range(found.Extent())))


def solid_of_tool(tool: Tool) -> Solid:
    """The solid of one tool."""
    from .occ_tools import shape_of

    return _as_claimed(tool, in_order(*shape_of(tool)))


def solid_of(prisms: Sequence[Prism]) -> Solid:
    """The solid of prisms that lie apart; several become one compound."""
    made = [prism_shape(prism) for prism in prisms]
    if len(made) == 1:
        return in_order(*made[0])
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for shape, _ in made:
        builder.Add(compound, shape)
    return in_order(compound, [pair for _, named in made for pair in named])


def combine(solid: Solid, operation: str, tools: Sequence[Tool]) -> Solid:
    """Add tools to a solid, cut them from it, or keep what is common, in one boolean.

    Faces keep their names by the kernel's history.

    A face that the boolean divides gives its name to all its pieces.
    """
    from .occ_tools import shape_of  # here: it builds on this module

    made = [_next_of(solid, operation, tool) or shape_of(tool) for tool in tools]
    whole = [in_order(*one) for one in made]
    for tool, one in zip(tools, whole, strict=True):
        _as_claimed(tool, one)
    found = joined_shapes(solid, operation, made)
    if not any(is_free(shape) for shape in (solid.shape, *(shape for shape, _ in made))):
        if _can_be(solid, operation, whole, found):
            return found
    elif _agrees(solid, operation, whole, found):
        return found
    for other in _other_ways(solid, operation, tools, made):
        if _agrees(solid, operation, whole, other):
            return other
    raise ValueError("the geometry kernel's answer does not agree with a second reckoning of it")


def _as_claimed(tool: Tool, made: Solid) -> Solid:
    """What the kernel made of a tool, if it has the volume that the tool's own figures give.

    Raises:
        ValueError: where it has not.
    """
    wanted = claimed(tool)
    if wanted is not None and not isinstance(tool, Prism):
        got = made.volume
        if abs(got - wanted) > _CLAIMED * wanted:
            raise ValueError(f"the geometry kernel makes {got:.6g} mm³ of what encloses {wanted:.6g} mm³")
    return made


def _can_be(solid: Solid, operation: str, made: Sequence[Solid], found: Solid) -> bool:
    """Whether a volume lies between the least and the most that an operation can leave."""
    before, after = solid.volume, found.volume if not found.is_empty() else 0.0
    tools = [one.volume for one in made]
    slack = 1e-7 * (before + math.fsum(tools))
    least, most = {
        "add": (max(before, *tools), before + math.fsum(tools)),
        "cut": (before - math.fsum(tools), before),
        "common": (0.0, min(before, math.fsum(tools))),
    }[operation]
    return least - slack <= after <= most + slack


def _other_ways(solid: Solid, operation: str, tools: Sequence[Tool], made: Sequence[Made]) -> Iterator[Solid]:
    """The same boolean in ways that often come out where the first does not: one tool after the other, and with the surfaces
    of tools divided at other places."""
    from .occ_tools import shape_of

    if operation != "common" and len(made) > 1:
        step = solid
        for one in made:
            step = joined_shapes(step, operation, [one])
        yield step
    for stations in _OTHER_DIVISIONS:
        others = [divided(tool, stations) for tool in tools]
        if any(other is not None for other in others):
            remade = [one if other is None else shape_of(other) for one, other in zip(made, others, strict=True)]
            yield joined_shapes(solid, operation, remade)


def joined_shapes(solid: Solid, operation: str, made: Sequence[Made]) -> Solid:
    """The boolean of a solid with shapes, whose faces bring their names."""
    named = list(zip(solid.faces(), solid.names, strict=True))
    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(solid.shape)
    for shape, faces in made:
        operands.Append(shape)
        named += faces
    return _combined(arguments, operands, operation, named)


def _agrees(solid: Solid, operation: str, tools: Sequence[Solid], found: Solid) -> bool:
    """Whether the kernel's answer has the volume that meshes come to as well."""
    from .occ_mesh import mesh_of  # here: it builds on this module
    from .second import agrees

    weighed = [(one.volume, mesh_of(one, _SECOND)) for one in (solid, *tools)]
    return agrees(weighed[0], operation, weighed[1:], found.volume)


def _next_of(
    solid: Solid, operation: str, tool: Tool
) -> tuple[TopoDS_Shape, list[tuple[TopoDS_Shape, FaceName]]] | None:
    """The shape of a tool that goes to the next face, or None where it is of another kind."""
    inner = tool.tool if isinstance(tool, Placed) else tool
    if isinstance(inner, TurnedToNext):
        from .occ_shaped import turned_to_next

        return turned_to_next(solid, operation, inner, tool.motion if isinstance(tool, Placed) else None)
    if not isinstance(inner, ToNext):
        return None
    from .occ_shaped import up_to_next

    prism = inner.prism.placed(tool.motion) if isinstance(tool, Placed) else inner.prism
    return up_to_next(solid, operation, inner, prism)


def merged(solid: Solid, operation: str, other: Solid) -> Solid:
    """The same for two solids."""
    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(solid.shape)
    operands.Append(other.shape)
    named = [*zip(solid.faces(), solid.names, strict=True), *zip(other.faces(), other.names, strict=True)]
    return _combined(arguments, operands, operation, named)


def united(solids: Sequence[Solid]) -> Solid:
    """All solids added together, in one boolean."""
    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(solids[0].shape)
    for solid in solids[1:]:
        operands.Append(solid.shape)
    named = [pair for solid in solids for pair in zip(solid.faces(), solid.names, strict=True)]
    return solids[0] if len(solids) == 1 else _combined(arguments, operands, "add", named)


def _combined(
    arguments: TopTools_ListOfShape,
    operands: TopTools_ListOfShape,
    operation: str,
    named: list[tuple[TopoDS_Shape, FaceName]],
) -> Solid:
    boolean = {"cut": BRepAlgoAPI_Cut, "add": BRepAlgoAPI_Fuse, "common": BRepAlgoAPI_Common}[operation]()
    boolean.SetArguments(arguments)
    boolean.SetTools(operands)
    boolean.SetRunParallel(has_threads())
    boolean.SetCheckInverted(False)  # every solid here is made or checked before
    boolean.Build()
    if not boolean.IsDone():
        raise ValueError("the geometry kernel could not work this out")
    if operation == "add":
        boolean.SimplifyResult()
    after: list[tuple[TopoDS_Shape, FaceName]] = []
    for face, name in named:
        if boolean.IsDeleted(face):
            continue
        pieces = list(boolean.Modified(face))
        after += [(piece, name) for piece in pieces] or [(face, name)]
    # Faces that lie level are joined to one: it keeps the name of the one that was there first.
    return in_order(boolean.Shape(), after[::-1])


def is_free(shape: TopoDS_Shape) -> bool:
    """Whether any face is a free surface: those the kernel's plain formulas measure badly, all others exactly."""
    plain = (GeomAbs_Plane, GeomAbs_Cylinder, GeomAbs_Cone, GeomAbs_Sphere, GeomAbs_Torus, GeomAbs_SurfaceOfExtrusion)
    return any(BRepAdaptor_Surface(TopoDS.Face_s(face)).GetType() not in plain for face in faces_of(shape))


def figures_of(solid: Solid) -> Figures:
    """Volume, surface and bounds, measured on the shape itself."""
    return solid.figures
