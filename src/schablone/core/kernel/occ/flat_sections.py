"""Outlines of flat faces of kernel solids, as lines and arcs; and what cutting machines need of
flat parts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Section
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.BRepTools import BRepTools, BRepTools_WireExplorer
from OCP.GCPnts import GCPnts_TangentialDeflection
from OCP.GeomAbs import GeomAbs_Circle, GeomAbs_Line, GeomAbs_Plane
from OCP.gp import gp_Ax3, gp_Dir, gp_Lin, gp_Pln, gp_Pnt, gp_Trsf
from OCP.IntCurvesFace import IntCurvesFace_ShapeIntersector
from OCP.TopAbs import (
    TopAbs_EDGE,
    TopAbs_FACE,
    TopAbs_REVERSED,
    TopAbs_SOLID,
    TopAbs_VERTEX,
    TopAbs_WIRE,
)
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Edge, TopoDS_Shape, TopoDS_Wire
from OCP.TopTools import TopTools_IndexedMapOfShape
from shapely import make_valid

from ...sketch.arrangement import arrange
from ...sketch.curves import WIDEST_STEP, Curve, EllipticArc, Segment
from ...sketch.loops import Loop
from ...sketch.regions import Region
from ...sketch.sparse import clusters
from ..frame import Frame, Vector, facing
from ..naming import FaceName
from ..prism import Prism, moved_prism
from .booleans import united
from .bounds import bounds_of
from .combine import solid_of
from .endless import endless
from .face_facts import facts_of
from .history import count_of
from .solids import Solid, area_of
from .upright_sections import upright_section

#: Chord tolerance, mm, for curves that are neither lines nor circles.
_FINE = 0.005
#: Levels that differ by less, mm, are one; so much of them in common, mm², holds them together.
_LEVEL, _TOUCHED = 1e-6, 1e-6
#: By what share of it the volume of prisms may change when they are glued, and when they are joined
#: in any other way: where they lean or end in splines, it is measured no better.
_SHARE, _ROUGHLY = 1e-7, 1e-4
#: So far beside a box, mm, a line still counts as meeting it.
_BESIDE = 1e-5


def largest_flat_face(solid: Solid) -> tuple[Region, Frame] | None:
    """The region of the flat face with the largest area, in its own plane, and that plane."""
    best: tuple[float, TopoDS_Shape] | None = None
    for shape in solid.faces():
        surface = endless(shape)
        if surface.GetType() != GeomAbs_Plane:
            continue
        # The one that faces up or lies highest of equal ones comes first, so that the choice is
        # stable.
        area = round(area_of(TopoDS.Face_s(shape)), 6)
        if best is None or area > best[0]:
            best = (area, shape)
    return None if best is None else region_of(best[1])


def across(solid: Solid) -> tuple[Vector, float] | None:
    """The direction through the largest flat face, of length 1, and how far the solid reaches along
    it."""
    best: tuple[float, gp_Dir] | None = None
    for shape in solid.faces():
        surface = endless(shape)
        if surface.GetType() == GeomAbs_Plane:
            area = area_of(TopoDS.Face_s(shape))
            if best is None or area > best[0] + 1e-6:
                best = (area, surface.Plane().Axis().Direction())
    if best is None:
        return None
    way = best[1]
    level = gp_Trsf()
    level.SetTransformation(gp_Ax3(gp_Pnt(0, 0, 0), way))
    low, high = bounds_of(BRepBuilderAPI_Transform(solid.shape, level, True).Shape())
    return (way.X(), way.Y(), way.Z()), high[2] - low[2]


def slabs(solid: Solid, through: Vector) -> list[Prism]:
    """A part with steps and pockets as prisms one on the other, each as thick as its outlines stay
    the same; ``through`` is of length 1.

    Exact where every face lies across or along the direction, as in parts that are cut and pocketed
    from sheets; faces keep their names.
    """
    base = facing((0.0, 0.0, 0.0), through)
    heights = sorted({round(base.coordinates(p)[2], 6) for p in corners_of(solid.shape)})
    prisms: list[Prism] = []
    for low, high in pairwise(heights):
        if high - low < 1e-5:
            continue
        curves = section(solid, base.lifted((low + high) / 2))
        if not curves:
            continue
        plan = arrange(curves)
        for region in plan.regions(plan.material()):
            sides = {c.name: _face_of(c, solid) for loop in region.loops for c in loop.curves}
            ends = (
                FaceName("level", "start", "", (len(prisms) + 1,)),
                FaceName("level", "end", "", (len(prisms) + 1,)),
            )
            prisms.append(Prism(base, region, low, high, *ends, sides))
    return prisms


def corners_of(shape: TopoDS_Shape) -> list[Vector]:
    """Where its edges end, mm."""
    vertices = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_VERTEX, vertices)
    points = (
        BRep_Tool.Pnt_s(TopoDS.Vertex_s(vertices.FindKey(k + 1))) for k in range(vertices.Extent())
    )
    return [(p.X(), p.Y(), p.Z()) for p in points]


def section(solid: Solid, frame: Frame) -> list[Curve]:
    """The curves in which a plane meets a solid, in the frame's coordinates, named by the numbers
    of the faces they lie in."""
    quick = upright_section(solid, frame)
    return section_by_kernel(solid, frame) if quick is None else quick


def section_by_kernel(solid: Solid, frame: Frame) -> list[Curve]:
    """The same by the kernel's boolean, of any solid."""
    maker = BRepAlgoAPI_Section(
        solid.shape,
        gp_Pln(gp_Ax3(gp_Pnt(*frame.origin), gp_Dir(*frame.normal), gp_Dir(*frame.x))),
        False,
    )
    maker.Build()
    known = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(solid.shape, TopAbs_FACE, known)
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(maker.Shape(), TopAbs_EDGE, edges)
    curves: list[Curve] = []
    for k in range(edges.Extent()):
        edge, face = TopoDS.Edge_s(edges.FindKey(k + 1)), TopoDS_Shape()
        number = known.FindIndex(face) if maker.HasAncestorFaceOn1(edge, face) else 0
        curves += [replace(curve, name=str(number)) for curve in curves_of(edge, frame)]
    return curves


def _face_of(curve: Curve, solid: Solid) -> FaceName:
    """The face that a curve of a section lies in; what was divided bears a number more behind a
    dot."""
    number = int(curve.name.partition(".")[0])
    return solid.names[number - 1] if number else FaceName("level", "side")


def moved_off(solid: Solid, through: Vector, by: float) -> list[Prism]:
    """The solid as prisms with all outlines through the sheet moved outwards, mm.

    Raises:
        ValueError: where an outline closes up.
    """
    return [piece for prism in slabs(solid, through) for piece in moved_prism(prism, by)]


def joined(prisms: Sequence[Prism]) -> Solid:
    """Prisms one on the other as one solid.

    Raises:
        ValueError: where the kernel makes another volume of them than they have together.
    """
    pieces = [solid_of([prism]) for prism in prisms]
    wanted = math.fsum(piece.volume for piece in pieces)
    if not any(prism.inset for prism in prisms):
        # Levels that only touch are told to the kernel as such; what it misses then shows in this.
        whole = united(pieces, only_touch=True)
        if (
            abs(whole.volume - wanted) <= _SHARE * wanted
            and whole.is_closed()
            and count_of(whole.shape, TopAbs_SOLID) == _pieces_of(prisms)
        ):
            return whole
    whole = united(pieces)
    if abs(whole.volume - wanted) > _ROUGHLY * wanted:
        raise ValueError("the geometry kernel could not put the levels of the part together")
    return whole


def _pieces_of(prisms: Sequence[Prism]) -> int:
    """How many pieces upright prisms one on the other make, where each lies upon another."""
    # Chords of outlines that all but touch may cross.
    plans = [make_valid(prism.region.polygon(_FINE)) for prism in prisms]
    below, above = (
        np.array(
            [
                (i, j)
                for i, low in enumerate(prisms)
                for j, high in enumerate(prisms)
                if abs(low.high - high.low) <= _LEVEL
                and plans[i].intersection(plans[j]).area > _TOUCHED
            ],
            dtype=np.int64,
        )
        .reshape(-1, 2)
        .T
    )
    return int(clusters(len(prisms), below, above).max()) + 1


def outer_points(solid: Solid, name: FaceName, frame: Frame) -> list[list[tuple[float, float]]]:
    """Points along the outer outline of every piece of a face, in the coordinates of a frame on
    it, mm."""
    outlines = []
    for shape, mine in zip(solid.faces(), solid.names, strict=True):
        if mine != name:
            continue
        face = TopoDS.Face_s(shape)
        walk = BRepTools_WireExplorer(BRepTools.OuterWire_s(face), face)
        ring: list[tuple[float, float]] = []
        while walk.More():
            edge = walk.Current()
            line = GCPnts_TangentialDeflection(BRepAdaptor_Curve(edge), WIDEST_STEP, _FINE)
            values = [line.Value(k + 1) for k in range(line.NbPoints())]
            if edge.Orientation() == TopAbs_REVERSED:
                values.reverse()
            for p in values[:-1]:
                u, v, _ = frame.coordinates((p.X(), p.Y(), p.Z()))
                ring.append((u, v))
            walk.Next()
        outlines.append(ring)
    return outlines


def region_of(shape: TopoDS_Shape) -> tuple[Region, Frame]:
    """The region of a flat face and the plane that it is drawn in."""
    axes = endless(shape).Plane().Position()
    o, x, y = axes.Location(), axes.XDirection(), axes.YDirection()
    frame = Frame((o.X(), o.Y(), o.Z()), (x.X(), x.Y(), x.Z()), (y.X(), y.Y(), y.Z()))
    if abs(frame.normal[2]) > 0.999999:
        frame = Frame((0.0, 0.0, o.Z()))
    loops: list[Loop] = []
    wires = TopExp_Explorer(shape, TopAbs_WIRE)
    while wires.More():
        loops.append(_loop(TopoDS.Wire_s(wires.Current()), TopoDS.Face_s(shape), frame, len(loops)))
        wires.Next()
    loops.sort(key=lambda loop: -loop.area)
    return Region(loops[0], tuple(loops[1:])), frame


def _loop(wire: TopoDS_Wire, face: TopoDS_Shape, frame: Frame, number: int) -> Loop:
    curves: list[Curve] = []
    walk = BRepTools_WireExplorer(wire, face)
    while walk.More():
        curves += curves_of(walk.Current(), frame)
        walk.Next()
    loop = Loop(tuple(curves), str(number))
    return loop if loop.area > 0 else loop.reversed()


def curves_of(edge: TopoDS_Edge, frame: Frame) -> list[Curve]:
    """An edge in the coordinates of a plane that it lies in: a line, an arc, or chords of what is
    neither."""
    curve = BRepAdaptor_Curve(edge)
    backwards = edge.Orientation() == TopAbs_REVERSED

    def flat(parameter: float) -> tuple[float, float]:
        p = curve.Value(parameter)
        u, v, _ = frame.coordinates((p.X(), p.Y(), p.Z()))
        return (u, v)

    first, last = curve.FirstParameter(), curve.LastParameter()
    ends = (flat(last), flat(first)) if backwards else (flat(first), flat(last))
    if curve.GetType() == GeomAbs_Line:
        return [Segment(*ends)]
    if curve.GetType() == GeomAbs_Circle:
        circle = curve.Circle()
        c = circle.Location()
        centre = frame.coordinates((c.X(), c.Y(), c.Z()))[:2]
        sweep = last - first
        n, axis = frame.normal, circle.Axis().Direction()
        turn = math.copysign(1.0, n[0] * axis.X() + n[1] * axis.Y() + n[2] * axis.Z()) * (
            -1.0 if backwards else 1.0
        )
        start = math.atan2(ends[0][1] - centre[1], ends[0][0] - centre[0])
        return [EllipticArc(centre, circle.Radius(), circle.Radius(), start, start + turn * sweep)]
    points = GCPnts_TangentialDeflection(curve, WIDEST_STEP, _FINE)
    line = [flat(points.Parameter(i + 1)) for i in range(points.NbPoints())]
    line = line[::-1] if backwards else line
    return [Segment(a, b) for a, b in pairwise(line)]


def regions_named(solid: Solid, name: FaceName, frame: Frame) -> list[Region]:
    """The regions of all flat faces of a name, in the coordinates of a frame on them."""
    regions = []
    for shape, mine in zip(solid.faces(), solid.names, strict=True):
        if mine != name:
            continue
        face = TopoDS.Face_s(shape)
        loops: list[Loop] = []
        wires = TopExp_Explorer(shape, TopAbs_WIRE)
        while wires.More():
            loops.append(_loop(TopoDS.Wire_s(wires.Current()), face, frame, len(loops)))
            wires.Next()
        loops.sort(key=lambda loop: -loop.area)
        regions.append(Region(loops[0], tuple(loops[1:])))
    return regions


def _is_met(at: Vector, way: Vector, box: tuple[Vector, Vector]) -> bool:
    """Whether a straight line may meet a box along the axes."""
    first, last = -math.inf, math.inf
    for p, w, low, high in zip(at, way, *box, strict=True):
        if abs(w) < 1e-12:
            if not low - _BESIDE <= p <= high + _BESIDE:
                return False
            continue
        a, b = sorted(((low - _BESIDE - p) / w, (high + _BESIDE - p) / w))
        first, last = max(first, a), min(last, b)
    return first <= last


def depth_under(solid: Solid, frame: Frame) -> float:
    """How far the material reaches from a frame's origin against its normal, mm; 0 where there is
    none."""
    o, n = frame.origin, frame.normal
    # The kernel makes every face ready that it is given: only those that may be met.
    builder, ahead = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(ahead)
    for face, box in ((face, facts_of(face).box) for face in solid.faces()):
        if _is_met(o, n, box):
            builder.Add(ahead, face)
    meets = IntCurvesFace_ShapeIntersector()
    meets.Load(ahead, 1e-7)
    meets.Perform(gp_Lin(gp_Pnt(*o), gp_Dir(-n[0], -n[1], -n[2])), 1e-6, 1e6)
    depths = sorted(meets.WParameter(k + 1) for k in range(meets.NbPnt()))
    return float(depths[0]) if depths else 0.0
