"""Kernel solids of regions turned about an axis."""

from __future__ import annotations

import math

from OCP.Bnd import Bnd_Box
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
)
from OCP.BRepPrimAPI import BRepPrimAPI_MakeRevol
from OCP.GeomAbs import GeomAbs_Plane
from OCP.gp import gp_Ax1, gp_Dir, gp_Pln, gp_Pnt
from OCP.gp import gp_Ax3 as Axes
from OCP.TopAbs import TopAbs_FACE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape

from ...sketch.curves import Segment
from ...sketch.regions import Region
from ..frame import Frame
from ..motion import Motion
from ..tools import Revolved
from .endless import endless
from .history import Named, listed
from .prisms import wire_of


def face_of(
    region: Region, frame: Frame, height: float = 0.0
) -> tuple[TopoDS_Face, list[tuple[TopoDS_Edge, str]]]:
    """A region as a face, so many mm above a frame; the named edges it is bounded by."""
    plane = gp_Pln(Axes(gp_Pnt(*frame.at(0, 0, height)), gp_Dir(*frame.normal), gp_Dir(*frame.x)))
    wire, edges = wire_of(region.outer, frame, height)
    maker = BRepBuilderAPI_MakeFace(plane, wire, True)
    for hole in region.holes:
        inner, inner_edges = wire_of(hole, frame, height)
        maker.Add(TopoDS.Wire_s(inner.Reversed()))
        edges += inner_edges
    return maker.Face(), edges


def turned_shape(tool: Revolved) -> tuple[TopoDS_Shape, Named]:
    """The solid of a turned region, and its faces with their names.

    Raises:
        ValueError: where it could not be turned.
    """
    frame = tool.frame
    root, direction = tool.axis()
    if tool.first and not tool.is_full:
        frame = Motion.turn(root, direction, tool.first).frame(frame)
    face, edges = face_of(tool.region, frame)
    axis = gp_Ax1(gp_Pnt(*root), gp_Dir(*direction))
    if tool.is_full:
        maker = BRepPrimAPI_MakeRevol(face, axis, 2 * math.pi)
    else:
        maker = BRepPrimAPI_MakeRevol(face, axis, math.radians(tool.last - tool.first))
    maker.Build()
    if not maker.IsDone():
        raise ValueError("the region could not be turned about the axis")
    named: Named = []
    if not tool.is_full:
        named += [(maker.FirstShape(), tool.start), (maker.LastShape(), tool.end)]
    for edge, curve in edges:
        named += [
            (made, tool.sides[curve])
            for made in listed(maker.Generated(edge))
            if made.ShapeType() == TopAbs_FACE
        ]
    if tool.is_full:
        named += _level_faces(tool, maker.Shape())
    return maker.Shape(), named


def _level_faces(tool: Revolved, shape: TopoDS_Shape) -> Named:
    """The flat faces of a full turn, which the kernel's history leaves out: told by how high and
    how wide they are."""
    root, direction = tool.axis()
    length = math.sqrt(sum(c * c for c in direction))
    (ax, ay), (wx, wy) = (
        tool.at,
        (tool.way[0] / math.hypot(*tool.way), tool.way[1] / math.hypot(*tool.way)),
    )
    lines: list[tuple[float, float, str]] = []
    for loop in tool.region.loops:
        for curve in loop.curves:
            if isinstance(curve, Segment):
                (sx, sy), (ex, ey) = curve.start, curve.end
                low, high = ((x - ax) * wx + (y - ay) * wy for x, y in (curve.start, curve.end))
                if abs(high - low) <= 1e-9 * max(curve.length, 1.0):
                    wide = max(
                        abs((sx - ax) * wy - (sy - ay) * wx), abs((ex - ax) * wy - (ey - ay) * wx)
                    )
                    lines.append((low, wide, curve.name))
    named: Named = []
    faces = TopExp_Explorer(shape, TopAbs_FACE)
    while faces.More():
        face = TopoDS.Face_s(faces.Current())
        faces.Next()
        surface = endless(face)
        if surface.GetType() != GeomAbs_Plane:
            continue
        spot = surface.Plane().Location()
        high = (
            sum(
                (c - r) * d
                for c, r, d in zip((spot.X(), spot.Y(), spot.Z()), root, direction, strict=True)
            )
            / length
        )
        box = Bnd_Box()
        BRepBndLib.AddOptimal_s(face, box, False, False)
        low_, high_ = box.CornerMin(), box.CornerMax()
        wide = max(high_.X() - low_.X(), high_.Y() - low_.Y(), high_.Z() - low_.Z()) / 2
        if lines:
            best = min(lines, key=lambda line: abs(line[0] - high) + abs(line[1] - wide))
            named.append((face, tool.sides[best[2]]))
    return named
