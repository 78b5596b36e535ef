"""Kernel shapes of outlines and prisms: edges, wires and walls."""

from __future__ import annotations

import math

from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_MakeWire,
)
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.Geom import Geom_BezierCurve, Geom_Circle, Geom_Curve, Geom_Ellipse
from OCP.gp import gp_Ax2, gp_Dir, gp_Pln, gp_Pnt, gp_Vec
from OCP.gp import gp_Ax3 as Axes
from OCP.TColgp import TColgp_Array1OfPnt
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Edge,
    TopoDS_Face,
    TopoDS_Shape,
    TopoDS_Vertex,
    TopoDS_Wire,
)

from ...sketch.curves import Bezier, Curve, EllipticArc, Segment
from ...sketch.loops import Loop
from ...sketch.regions import Region
from ..frame import Frame, Vector
from ..naming import FaceName
from ..prism import Prism
from .history import listed


def _point(p: Vector) -> gp_Pnt:
    return gp_Pnt(*p)


#: Ends of curves that lie apart by less are one corner for the kernel as they are.
_ONE_POINT = 1e-7


def edge_of(
    curve: Curve,
    frame: Frame,
    height: float,
    ends: tuple[TopoDS_Vertex, TopoDS_Vertex] | None = None,
) -> TopoDS_Edge:
    """A curve as an edge, ``height`` mm above a plane; between two vertices, where they are
    given."""
    if isinstance(curve, Segment):
        if ends is not None:
            return BRepBuilderAPI_MakeEdge(*ends).Edge()
        return BRepBuilderAPI_MakeEdge(
            _point(frame.at(*curve.start, height)), _point(frame.at(*curve.end, height))
        ).Edge()
    geometry, low, high = _geometry(curve, frame, height)
    if isinstance(curve, EllipticArc) and curve.is_full:
        return BRepBuilderAPI_MakeEdge(geometry).Edge()
    if ends is None:
        return BRepBuilderAPI_MakeEdge(geometry, low, high).Edge()
    if isinstance(curve, EllipticArc) and curve.t1 < curve.t0:
        ends = ends[1], ends[0]
    return BRepBuilderAPI_MakeEdge(geometry, *ends, low, high).Edge()


def _geometry(
    curve: EllipticArc | Bezier, frame: Frame, height: float
) -> tuple[Geom_Curve, float, float]:
    """The kernel's curve that an arc or a cubic piece lies on, and its parameters there from low to
    high."""
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
    return (
        Geom_Ellipse(axes, max(curve.rx, curve.ry), min(curve.rx, curve.ry)),
        low + shift,
        high + shift,
    )


def wire_of(
    loop: Loop, frame: Frame, height: float
) -> tuple[TopoDS_Wire, list[tuple[TopoDS_Edge, str]]]:
    """A closed wire along a loop, ``height`` above a plane; its edges with the names of their
    curves.

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
    vertices = []
    for k, curve in enumerate(loop.curves):
        gap = math.dist(loop.curves[k - 1].end, curve.start)
        corner = BRepBuilderAPI_MakeVertex(_point(frame.at(*curve.start, height))).Vertex()
        if gap > _ONE_POINT / 2:
            BRep_Builder().UpdateVertex(corner, 2 * gap + _ONE_POINT)
        vertices.append(corner)
    return vertices


def flat_face(region: Region, frame: Frame) -> TopoDS_Face:
    """A region of a plane as a face."""
    return _face(region, frame, 0.0)[0]


def _face(
    region: Region, frame: Frame, height: float
) -> tuple[TopoDS_Face, list[tuple[TopoDS_Edge, str]]]:
    """A region as a face ``height`` mm above a plane; and its edges with the names of their
    curves."""
    plane = gp_Pln(Axes(_point(frame.at(0, 0, height)), gp_Dir(*frame.normal), gp_Dir(*frame.x)))
    wire, edges = wire_of(region.outer, frame, height)
    maker = BRepBuilderAPI_MakeFace(plane, wire, True)
    for hole in region.holes:
        inner, inner_edges = wire_of(hole, frame, height)
        maker.Add(TopoDS.Wire_s(inner.Reversed()))
        edges += inner_edges
    return maker.Face(), edges


def prism_shape(prism: Prism) -> tuple[TopoDS_Shape, list[tuple[TopoDS_Shape, FaceName]]]:
    """The kernel's solid of a prism with upright sides, and its faces with their names."""
    face, edges = _face(prism.region, prism.frame, prism.low)
    n = prism.frame.normal
    raised = BRepPrimAPI_MakePrism(
        face, gp_Vec(n[0] * prism.height, n[1] * prism.height, n[2] * prism.height)
    )
    shape = raised.Shape()
    named = [(raised.FirstShape(), prism.start), (raised.LastShape(), prism.end)]
    for edge, name in edges:
        for face in listed(raised.Generated(edge)):
            named.append((face, prism.sides[name]))
    return shape, named
