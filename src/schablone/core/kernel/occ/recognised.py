"""Faces that a file writes as splines, and that are planes, cylinders, cones or balls all the same,
made what they are: with the same edges and corners, in the same order."""

from __future__ import annotations

import math

from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepGProp import BRepGProp
from OCP.BRepTools import BRepTools
from OCP.Geom import (
    Geom_Circle,
    Geom_ConicalSurface,
    Geom_Curve,
    Geom_CylindricalSurface,
    Geom_Ellipse,
    Geom_Line,
    Geom_Plane,
    Geom_SphericalSurface,
    Geom_Surface,
)
from OCP.GeomAbs import GeomAbs_BezierCurve, GeomAbs_BezierSurface
from OCP.GeomAbs import GeomAbs_BSplineCurve as _BSPLINE_CURVE
from OCP.GeomAbs import GeomAbs_BSplineSurface as _BSPLINE
from OCP.GeomAPI import GeomAPI_ProjectPointOnCurve, GeomAPI_ProjectPointOnSurf
from OCP.GeomLProp import GeomLProp_SLProps
from OCP.gp import (
    gp_Ax3,
    gp_Circ,
    gp_Cone,
    gp_Cylinder,
    gp_Dir,
    gp_Elips,
    gp_Lin,
    gp_Pln,
    gp_Pnt,
    gp_Sphere,
    gp_Vec,
)
from OCP.GProp import GProp_GProps
from OCP.ShapeAnalysis import ShapeAnalysis_CanonicalRecognition
from OCP.ShapeFix import ShapeFix_Edge, ShapeFix_Face
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FORWARD, TopAbs_REVERSED, TopAbs_SHELL, TopAbs_WIRE
from OCP.TopExp import TopExp
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Edge,
    TopoDS_Face,
    TopoDS_Iterator,
    TopoDS_Shape,
    TopoDS_Shell,
    TopoDS_Solid,
    TopoDS_Wire,
)
from OCP.TopTools import TopTools_IndexedMapOfShape

from .endless import endless
from .solids import is_free

#: How far a spline may lie off what it is, mm.
_OFF = 1e-4
#: By what share volume and surface may change by it, and how exactly they are measured.
_SAME, _EXACT = 1e-5, 1e-7


def recognised(shape: TopoDS_Shape) -> tuple[TopoDS_Shape, int]:
    """A solid with its spline faces made planes, cylinders, cones and balls where they are, and how
    many were; the solid itself where that would not give the same."""
    if not is_free(shape):
        return shape, 0
    maker = _Maker()
    made = maker.solid(shape)
    if made is None or not maker.count or not BRepCheck_Analyzer(made).IsValid():
        return shape, 0
    before, after = _measured(shape), _measured(made)
    if any(abs(b - a) > _SAME * abs(a) for a, b in zip(before, after, strict=True)):
        return shape, 0
    return made, maker.count


def _measured(shape: TopoDS_Shape) -> tuple[float, float]:
    """Volume, mm³, and surface, mm²."""
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, volume, _EXACT, False, False)
    BRepGProp.SurfaceProperties_s(shape, area, _EXACT, False)
    return volume.Mass(), area.Mass()


class _Maker:
    def __init__(self) -> None:
        self.builder = BRep_Builder()
        self.count = 0
        #: What edges were, and what they were made, in the same order.
        self.before = TopTools_IndexedMapOfShape()
        self.after: list[TopoDS_Edge] = []

    def solid(self, shape: TopoDS_Shape) -> TopoDS_Shape | None:
        solid = TopoDS_Solid()
        self.builder.MakeSolid(solid)
        shells = TopoDS_Iterator(shape)
        while shells.More():
            if shells.Value().ShapeType() != TopAbs_SHELL:
                return None
            self.builder.Add(solid, self._shell(shells.Value()))
            shells.Next()
        return solid

    def _shell(self, old: TopoDS_Shape) -> TopoDS_Shape:
        shell = TopoDS_Shell()
        self.builder.MakeShell(shell)
        faces = TopoDS_Iterator(old, False)
        while faces.More():
            self.builder.Add(shell, self._face(TopoDS.Face_s(faces.Value())))
            faces.Next()
        shell.Closed(True)
        return shell.Oriented(old.Orientation())

    def _face(self, old: TopoDS_Face) -> TopoDS_Shape:
        surface = self._surface(old)
        flipped = surface is not None and _looks_back(old, surface)
        if surface is None:
            surface = BRep_Tool.Surface_s(old)
        else:
            self.count += 1
        face = TopoDS_Face()
        self.builder.MakeFace(face, surface, TopLoc_Location(), BRep_Tool.Tolerance_s(old))
        seams = []
        wires = TopoDS_Iterator(old.Oriented(TopAbs_FORWARD))
        while wires.More():
            if wires.Value().ShapeType() == TopAbs_WIRE:
                wire, both = self._wire(wires.Value(), old)
                # Where the normal looks the other way, outlines run the other way round.
                self.builder.Add(face, wire.Reversed() if flipped else wire)
                seams += both
            wires.Next()
        fixer = ShapeFix_Edge()
        for edge in seams:
            fixer.FixAddPCurve(edge, face, True, _OFF)
        whole = ShapeFix_Face(face)
        whole.FixOrientationMode = 0
        whole.FixAddNaturalBoundMode = 0
        whole.Perform()
        made = whole.Face()
        back = (old.Orientation() == TopAbs_REVERSED) != flipped
        return made.Oriented(TopAbs_REVERSED if back else TopAbs_FORWARD)

    def _wire(self, old: TopoDS_Shape, face: TopoDS_Face) -> tuple[TopoDS_Wire, list[TopoDS_Edge]]:
        """A wire of edges made anew, without what is no line at all, and the seams in it."""
        wire = TopoDS_Wire()
        self.builder.MakeWire(wire)
        seams = []
        edges = TopoDS_Iterator(old)
        while edges.More():
            edge = TopoDS.Edge_s(edges.Value())
            if not BRep_Tool.Degenerated_s(edge):
                new = self._edge(edge)
                self.builder.Add(wire, new.Oriented(edge.Orientation()))
                if BRep_Tool.IsClosed_s(edge, face):
                    seams.append(new)
            edges.Next()
        wire.Closed(True)
        return wire, seams

    def _edge(self, old: TopoDS_Edge) -> TopoDS_Edge:
        number = self.before.Add(old)
        if number > len(self.after):
            self.after.append(self._made_anew(TopoDS.Edge_s(old.Oriented(TopAbs_FORWARD))))
        return self.after[number - 1]

    def _made_anew(self, old: TopoDS_Edge) -> TopoDS_Edge:
        adaptor = BRepAdaptor_Curve(old)
        first, last = adaptor.FirstParameter(), adaptor.LastParameter()
        curve: Geom_Curve = BRep_Tool.Curve_s(old, first, last)
        if adaptor.GetType() in (_BSPLINE_CURVE, GeomAbs_BezierCurve):
            line = _line_of(old, adaptor) or _round_of(old, adaptor)
            if line is not None:
                curve, first, last = line
        edge = TopoDS_Edge()
        self.builder.MakeEdge(edge, curve, BRep_Tool.Tolerance_s(old))
        self.builder.Range(edge, first, last)
        for vertex, way in (
            (TopExp.FirstVertex_s(old), TopAbs_FORWARD),
            (TopExp.LastVertex_s(old), TopAbs_REVERSED),
        ):
            self.builder.Add(edge, vertex.Oriented(way))
        return edge

    def _surface(self, face: TopoDS_Face) -> Geom_Surface | None:
        """What a spline face lies on; None where it is no spline, or nothing simpler."""
        if endless(face).GetType() not in (_BSPLINE, GeomAbs_BezierSurface):
            return None
        plane, cylinder, cone, ball = gp_Pln(), gp_Cylinder(), gp_Cone(), gp_Sphere()
        if ShapeAnalysis_CanonicalRecognition(face).IsPlane(_OFF, plane):
            return Geom_Plane(plane)
        middle, seam = _middle_of(face), self._seam_of(face)
        if ShapeAnalysis_CanonicalRecognition(face).IsCylinder(_OFF, cylinder):
            axes = _turned_to(cylinder.Position(), middle, seam)
            return Geom_CylindricalSurface(axes, cylinder.Radius())
        if ShapeAnalysis_CanonicalRecognition(face).IsCone(_OFF, cone):
            axes = _turned_to(cone.Position(), middle, seam)
            return Geom_ConicalSurface(axes, cone.SemiAngle(), cone.RefRadius())
        if ShapeAnalysis_CanonicalRecognition(face).IsSphere(_OFF, ball):
            axes = _ball_axes(ball.Location(), middle, seam, _pole_of(face))
            return Geom_SphericalSurface(axes, ball.Radius())
        return None

    @staticmethod
    def _seam_of(face: TopoDS_Face) -> gp_Pnt | None:
        """The middle of the line along which a face meets itself; None where it does not."""
        for edge in _edges_of(face):
            if not BRep_Tool.Degenerated_s(edge) and BRep_Tool.IsClosed_s(edge, face):
                curve = BRepAdaptor_Curve(edge)
                middle: gp_Pnt = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2)
                return middle
        return None


def _edges_of(face: TopoDS_Face) -> list[TopoDS_Edge]:
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(face, TopAbs_EDGE, edges)
    return [TopoDS.Edge_s(edges.FindKey(k + 1)) for k in range(edges.Extent())]


def _pole_of(face: TopoDS_Face) -> gp_Pnt | None:
    """The point to which an edge of a face shrinks; None where there is none."""
    for edge in _edges_of(face):
        if BRep_Tool.Degenerated_s(edge):
            return BRep_Tool.Pnt_s(TopExp.FirstVertex_s(edge))
    return None


def _middle_of(face: TopoDS_Face) -> gp_Pnt:
    u0, u1, v0, v1 = BRepTools.UVBounds_s(face)
    return endless(face).Value((u0 + u1) / 2, (v0 + v1) / 2)


def _turned_to(axes: gp_Ax3, middle: gp_Pnt, seam: gp_Pnt | None) -> gp_Ax3:
    """The axes of a round surface, their x to where it meets itself, else away from its middle."""
    way = gp_Vec(axes.Location(), seam or middle)
    up = gp_Vec(axes.Direction())
    aside = way - up * way.Dot(up)
    if aside.Magnitude() < _OFF:
        return axes
    return gp_Ax3(axes.Location(), axes.Direction(), gp_Dir(aside if seam else aside.Reversed()))


def _ball_axes(centre: gp_Pnt, middle: gp_Pnt, seam: gp_Pnt | None, pole: gp_Pnt | None) -> gp_Ax3:
    """The axes of a ball: upwards to a pole that the face has; else both poles lie beside it."""
    out = gp_Vec(centre, middle)
    if pole is not None:
        up = gp_Vec(centre, pole)
        return _turned_to(gp_Ax3(centre, gp_Dir(up)), middle, seam)
    across = gp_Vec(0, 0, 1) if abs(gp_Dir(out).Z()) < 0.9 else gp_Vec(1, 0, 0)
    up = out.Crossed(across)
    return gp_Ax3(centre, gp_Dir(up), gp_Dir(out.Reversed()))


def _looks_back(old: TopoDS_Face, surface: Geom_Surface) -> bool:
    """Whether the normal of a surface looks against that of the one that it is put for."""
    u0, u1, v0, v1 = BRepTools.UVBounds_s(old)
    u, v = u0 + 0.47 * (u1 - u0), v0 + 0.43 * (v1 - v0)
    was = GeomLProp_SLProps(BRep_Tool.Surface_s(old), u, v, 1, 1e-9)
    there = GeomAPI_ProjectPointOnSurf(was.Value(), surface)
    now = GeomLProp_SLProps(surface, *there.LowerDistanceParameters(), 1, 1e-9)
    return bool(was.Normal().Dot(now.Normal()) < 0)


def _line_of(old: TopoDS_Edge, curve: BRepAdaptor_Curve) -> tuple[Geom_Curve, float, float] | None:
    line = gp_Lin()
    if not ShapeAnalysis_CanonicalRecognition(old).IsLine(_OFF, line):
        return None
    a, b = curve.Value(curve.FirstParameter()), curve.Value(curve.LastParameter())
    far = a.Distance(b)
    return (Geom_Line(a, gp_Dir(gp_Vec(a, b))), 0.0, far) if far > _OFF else None


def _round_of(old: TopoDS_Edge, curve: BRepAdaptor_Curve) -> tuple[Geom_Curve, float, float] | None:
    """The circle or ellipse that an edge is, running as it does."""
    circle, ellipse = gp_Circ(), gp_Elips()
    first, last = curve.FirstParameter(), curve.LastParameter()
    a, b, middle = (curve.Value(at) for at in (first, last, (first + last) / 2))
    rounded: Geom_Circle | Geom_Ellipse
    if ShapeAnalysis_CanonicalRecognition(old).IsCircle(_OFF, circle):
        rounded = Geom_Circle(circle)
    elif ShapeAnalysis_CanonicalRecognition(old).IsEllipse(_OFF, ellipse):
        rounded = Geom_Ellipse(ellipse)
    else:
        return None
    start = _on(rounded, a)
    if rounded.DN(start, 1).Dot(curve.DN(first, 1)) < 0:
        rounded.Reverse()
        start = _on(rounded, a)
    if a.Distance(b) < _OFF:
        return rounded, start, start + math.tau
    end, halfway = ((_on(rounded, one) - start) % math.tau for one in (b, middle))
    return (rounded, start, start + end) if halfway < end else None


def _on(curve: Geom_Curve, at: gp_Pnt) -> float:
    """The parameter of the point of a curve that is nearest to another."""
    return float(GeomAPI_ProjectPointOnCurve(at, curve).LowerDistanceParameter())
