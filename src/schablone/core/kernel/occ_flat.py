"""Outlines of flat faces of kernel solids, as lines and arcs."""

from __future__ import annotations

import math
from itertools import pairwise

from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp
from OCP.BRepTools import BRepTools, BRepTools_WireExplorer
from OCP.GCPnts import GCPnts_TangentialDeflection
from OCP.GeomAbs import GeomAbs_Circle, GeomAbs_Line, GeomAbs_Plane
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_REVERSED, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Shape, TopoDS_Wire

from ..sketch.curves import WIDEST_STEP, Arc, Curve, Line, Loop
from ..sketch.regions import Region
from .frame import Frame
from .naming import FaceName
from .occ import Solid

#: Chord tolerance, mm, for curves that are neither lines nor circles.
_FINE = 0.005


def largest_flat_face(solid: Solid) -> Region | None:
    """The region of the flat face with the largest area, in its own plane."""
    best: tuple[float, TopoDS_Shape] | None = None
    for shape in solid.faces():
        surface = BRepAdaptor_Surface(TopoDS.Face_s(shape))
        if surface.GetType() != GeomAbs_Plane:
            continue
        figures = GProp_GProps()
        BRepGProp.SurfaceProperties_s(shape, figures)
        # The one that faces up or lies highest of equal ones comes first, so that the choice is stable.
        area = round(figures.Mass(), 6)
        if best is None or area > best[0]:
            best = (area, shape)
    return None if best is None else _region(best[1])


def outer_points(solid: Solid, name: FaceName, frame: Frame) -> list[list[tuple[float, float]]]:
    """Points along the outer outline of every piece of a face, in the coordinates of a frame on it."""
    found = []
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
        found.append(ring)
    return found


def _region(shape: TopoDS_Shape) -> Region:
    axes = BRepAdaptor_Surface(TopoDS.Face_s(shape)).Plane().Position()
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
    return Region(loops[0], tuple(loops[1:]))


def _loop(wire: TopoDS_Wire, face: TopoDS_Shape, frame: Frame, number: int) -> Loop:
    curves: list[Curve] = []
    walk = BRepTools_WireExplorer(wire, face)
    while walk.More():
        curves += _curves(walk.Current(), frame)
        walk.Next()
    loop = Loop(tuple(curves), str(number))
    return loop if loop.area > 0 else loop.reversed()


def _curves(edge: TopoDS_Edge, frame: Frame) -> list[Curve]:
    curve = BRepAdaptor_Curve(edge)
    backwards = edge.Orientation() == TopAbs_REVERSED

    def flat(parameter: float) -> tuple[float, float]:
        p = curve.Value(parameter)
        u, v, _ = frame.coordinates((p.X(), p.Y(), p.Z()))
        return (u, v)

    first, last = curve.FirstParameter(), curve.LastParameter()
    ends = (flat(last), flat(first)) if backwards else (flat(first), flat(last))
    if curve.GetType() == GeomAbs_Line:
        return [Line(*ends)]
    if curve.GetType() == GeomAbs_Circle:
        circle = curve.Circle()
        c = circle.Location()
        centre = frame.coordinates((c.X(), c.Y(), c.Z()))[:2]
        sweep = last - first
        n, axis = frame.normal, circle.Axis().Direction()
        turn = math.copysign(1.0, n[0] * axis.X() + n[1] * axis.Y() + n[2] * axis.Z()) * (-1.0 if backwards else 1.0)
        start = math.atan2(ends[0][1] - centre[1], ends[0][0] - centre[0])
        return [Arc(centre, circle.Radius(), circle.Radius(), start, start + turn * sweep)]
    points = GCPnts_TangentialDeflection(curve, WIDEST_STEP, _FINE)
    line = [flat(points.Parameter(i + 1)) for i in range(points.NbPoints())]
    line = line[::-1] if backwards else line
    return [Line(a, b) for a, b in pairwise(line)]
