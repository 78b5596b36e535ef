"""The kernel's solid of a folded sheet: panels as they are, bends as parts of two cylinders."""

from __future__ import annotations

import math
from functools import lru_cache

from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepFill import BRepFill
from OCP.BRepLib import BRepLib
from OCP.Geom import Geom_CylindricalSurface
from OCP.Geom2d import Geom2d_BezierCurve, Geom2d_Circle, Geom2d_Curve, Geom2d_Ellipse, Geom2d_Line
from OCP.gp import gp_Ax2d, gp_Ax3, gp_Dir, gp_Dir2d, gp_Pnt, gp_Pnt2d
from OCP.ShapeFix import ShapeFix_Solid
from OCP.TColgp import TColgp_Array1OfPnt2d
from OCP.TopAbs import TopAbs_SHELL
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape, TopoDS_Wire

from ...sketch.curves import Bezier, Curve, EllipticArc, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import Mapping2D
from ..folding.outline import is_joint
from ..folding.sheet import Bend, Folded
from ..frame import Frame, Vector, as_vector, cross, dot
from ..naming import FaceName
from .prisms import prism_shape
from .solids import Solid, faces_of

#: Ends of panels and bends meet within this, mm.
_SEWN = 1e-5
_Faces = list[tuple[TopoDS_Shape, FaceName]]


@lru_cache(maxsize=24)
def solid_of_folded(folded: Folded) -> Solid:
    """The solid of a sheet with all its bends bent.

    Raises:
        ValueError: where its faces do not close.
    """
    faces: _Faces = []
    for number in range(len(folded.panels)):
        faces += _panel_faces(folded, number)
    for bend in folded.bends:
        faces += _Round(folded, bend).faces()
    sewing = BRepBuilderAPI_Sewing(_SEWN)
    for face, _ in faces:
        sewing.Add(face)
    sewing.Perform()
    explorer = TopExp_Explorer(sewing.SewedShape(), TopAbs_SHELL)
    if not explorer.More():
        raise ValueError("the faces of the folded sheet do not close")
    shell = TopoDS.Shell_s(explorer.Current())
    explorer.Next()
    if explorer.More():
        raise ValueError("the folded sheet comes apart")
    fixed = ShapeFix_Solid().SolidFromShell(shell)
    whole = BRepBuilderAPI_MakeSolid(fixed).Solid()
    named = {}
    for face, name in faces:
        now = sewing.Modified(face) if sewing.IsModified(face) else face
        named[now.TShape()] = name
    solid = Solid(whole, tuple(named[face.TShape()] for face in faces_of(whole)))
    if not solid.is_closed():
        raise ValueError("the faces of the folded sheet do not close")
    return solid


def _panel_faces(folded: Folded, number: int) -> _Faces:
    prism = folded.prism(number)
    joint = FaceName("", "joint")
    sides = {
        curve.name: joint if is_joint(curve.name) else prism.sides[curve.name]
        for loop in prism.region.loops
        for curve in loop.curves
    }
    named = type(prism)(
        prism.frame, prism.region, prism.low, prism.high, prism.start, prism.end, sides
    )
    _, faces = prism_shape(named)
    return [(face, name) for face, name in faces if name != joint]


class _Round:
    """A bend with its cylinders: their axis runs along the bend, angles count from where it
    starts."""

    def __init__(self, folded: Folded, bend: Bend) -> None:
        self.folded, self.bend = folded, bend
        base = folded.frames[bend.parent]
        self.turn = math.radians(abs(bend.angle))
        up = bend.angle > 0
        height = folded.thickness + bend.radius if up else -bend.radius
        out = _direction(base, bend.out)
        # From the axis down to the sheet, and on towards what moves.
        down = as_vector((-c if up else c) for c in base.normal)
        self.along = _direction(base, bend.along)
        self.centre = base.at(*bend.at, height)
        # The axis must turn from ``down`` to ``out``: its direction says on which side v counts.
        axis = cross(down, out)
        self.same = dot(axis, self.along) > 0
        self.axes = gp_Ax3(gp_Pnt(*self.centre), gp_Dir(*axis), gp_Dir(*down))
        self.inner = Geom_CylindricalSurface(self.axes, bend.radius)
        self.outer = Geom_CylindricalSurface(self.axes, bend.radius + folded.thickness)

    def faces(self) -> _Faces:
        faces: _Faces = []
        to_own = self.bend.to_own()
        # To angle and length along the axis; the mirror image where the axis runs the other way.
        wrap = Mapping2D(a=self.turn / self.bend.length, d=1.0 if self.same else -1.0)
        for region in self.bend.regions:
            loops = [_wrapped(loop, to_own, wrap) for loop in region.loops]
            inner = [[_edge_on(self.inner, curve) for curve in loop] for loop in loops]
            outer = [[_edge_on(self.outer, curve) for curve in loop] for loop in loops]
            faces += [
                (_face(self.inner, inner, turned=self.same), self.bend.inside),
                (_face(self.outer, outer, turned=self.same), self.bend.outside),
            ]
            for ring, one, other in zip(loops, inner, outer, strict=True):
                faces += [
                    (_wall(a, b, curve), self.bend.sides[curve.name])
                    for curve, a, b in zip(ring, one, other, strict=True)
                    if not is_joint(curve.name)
                ]
        return faces


def _face(
    surface: Geom_CylindricalSurface, rings: list[list[TopoDS_Edge]], *, turned: bool
) -> TopoDS_Face:
    """A face from its outline and those of its holes, these to be ``turned`` round where they run
    counter-clockwise as the outline does. The kernel sees itself to the outline."""
    maker = BRepBuilderAPI_MakeFace(surface, _wire(rings[0]), True)
    for ring in rings[1:]:
        wire = _wire(ring)
        maker.Add(TopoDS.Wire_s(wire.Reversed()) if turned else wire)
    return maker.Face()


def _direction(frame: Frame, way: tuple[float, float]) -> Vector:
    return as_vector(frame.x[i] * way[0] + frame.y[i] * way[1] for i in range(3))


class _Stretched:
    """An arc of a circle wrapped around a cylinder: an ellipse in angle and length."""

    def __init__(self, arc: EllipticArc, wrap: Mapping2D) -> None:
        self.arc, self.wrap, self.name = arc, wrap, arc.name


def _wrapped(loop: Loop, to_own: Mapping2D, wrap: Mapping2D) -> list[Curve | _Stretched]:
    curves: list[Curve | _Stretched] = []
    for curve in loop.mapped(to_own).curves:
        if isinstance(curve, EllipticArc):
            curves.append(_Stretched(curve, wrap))
        else:
            curves.append(curve.mapped(wrap))
    return curves


def _edge_on(surface: Geom_CylindricalSurface, curve: Curve | _Stretched) -> TopoDS_Edge:
    """A curve in angle and length as an edge on a cylinder, from its start to its end."""
    flat, low, high, turned = _flat(curve)
    edge = BRepBuilderAPI_MakeEdge(flat, surface, low, high).Edge()
    BRepLib.BuildCurves3d_s(edge, 1e-7)
    return TopoDS.Edge_s(edge.Reversed()) if turned else edge


def _flat(curve: Curve | _Stretched) -> tuple[Geom2d_Curve, float, float, bool]:
    """The kernel's plane curve, from where to where on it, and whether it is run backwards."""
    if isinstance(curve, Segment):
        (x0, y0), (x1, y1) = curve.start, curve.end
        way = gp_Dir2d(x1 - x0, y1 - y0)
        return Geom2d_Line(gp_Pnt2d(x0, y0), way), 0.0, math.dist(curve.start, curve.end), False
    if isinstance(curve, Bezier):
        poles = TColgp_Array1OfPnt2d(1, 4)
        for k, p in enumerate((curve.start, curve.first, curve.second, curve.end), 1):
            poles.SetValue(k, gp_Pnt2d(*p))
        return Geom2d_BezierCurve(poles), 0.0, 1.0, False
    assert isinstance(curve, _Stretched)
    arc, wrap = curve.arc, curve.wrap
    rx, ry = arc.rx * abs(wrap.a), arc.ry * abs(wrap.d)
    low, high = sorted((arc.t0, arc.t1))
    backwards = arc.t1 < arc.t0
    if wrap.d < 0:  # the mirror image runs the other way round
        low, high, backwards = -high, -low, not backwards
    centre = gp_Pnt2d(*wrap.point(arc.centre))
    if abs(rx - ry) < 1e-12:
        return Geom2d_Circle(gp_Ax2d(centre, gp_Dir2d(1, 0)), rx), low, high, backwards
    if rx > ry:
        return Geom2d_Ellipse(gp_Ax2d(centre, gp_Dir2d(1, 0)), rx, ry), low, high, backwards
    quarter = math.pi / 2
    return (
        Geom2d_Ellipse(gp_Ax2d(centre, gp_Dir2d(0, 1)), ry, rx),
        low - quarter,
        high - quarter,
        backwards,
    )


def _wire(edges: list[TopoDS_Edge]) -> TopoDS_Wire:
    maker = BRepBuilderAPI_MakeWire()
    for edge in edges:
        maker.Add(edge)
    return maker.Wire()


def _wall(inner: TopoDS_Edge, outer: TopoDS_Edge, curve: Curve | _Stretched) -> TopoDS_Face:
    """The side that a cut straight through the sheet has in a bend: straight lines towards the
    axis; flat where it runs square to the bend."""
    if not isinstance(curve, Segment) or abs(curve.start[1] - curve.end[1]) > 1e-12:
        return BRepFill.Face_s(inner, outer)
    (a, b), (c, d) = (
        (TopExp.FirstVertex_s(edge, True), TopExp.LastVertex_s(edge, True))
        for edge in (inner, outer)
    )
    maker = BRepBuilderAPI_MakeWire()
    for edge in (
        inner,
        BRepBuilderAPI_MakeEdge(b, d).Edge(),
        TopoDS.Edge_s(outer.Reversed()),
        BRepBuilderAPI_MakeEdge(c, a).Edge(),
    ):
        maker.Add(edge)
    return BRepBuilderAPI_MakeFace(maker.Wire(), True).Face()
