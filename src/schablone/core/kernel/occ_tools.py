"""Kernel solids of tools that are no prisms, with the names of their faces."""

from __future__ import annotations

import math

from OCP.Bnd import Bnd_Box
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_Transform,
)
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import BRepPrimAPI_MakeRevol
from OCP.GeomAbs import GeomAbs_Plane
from OCP.gp import gp_Ax1, gp_Dir, gp_Pln, gp_Pnt, gp_Trsf
from OCP.gp import gp_Ax3 as Axes
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_FACE, TopAbs_REVERSED
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Shape

from ..sketch.curves import Line
from ..sketch.regions import Region
from .along import Piped
from .frame import Frame
from .guided import Guided
from .motion import Motion
from .naming import FaceName
from .occ import faces_of, prism_shape, wire_of
from .prism import Prism
from .tools import Imported, Leaned, Lofted, Placed, Revolved, ToNext, Tool, TurnedToNext

Named = list[tuple[TopoDS_Shape, FaceName]]


def shape_of(tool: Tool) -> tuple[TopoDS_Shape, Named]:
    """The solid of a tool, and its faces with their names.

    Raises:
        ValueError: where the kernel cannot make it, in words.
    """
    if isinstance(tool, Prism):
        return prism_shape(tool)
    if isinstance(tool, Placed):
        return _placed(tool)
    if isinstance(tool, Imported):
        from .occ_import import read_step

        solid = read_step(tool.data)
        return solid, [(face, tool.face(k)) for k, face in enumerate(faces_of(solid), 1)]
    if isinstance(tool, (Lofted, Piped, Leaned)):
        from . import occ_shaped

        return occ_shaped.shape_of(tool)
    if isinstance(tool, (ToNext, TurnedToNext)):
        raise ValueError("how far it goes is known only where it is used on a part")
    if isinstance(tool, Guided):
        from . import occ_guided

        return occ_guided.shape_of(tool)
    return _revolved(tool)


def flat_frames(tool: Imported) -> dict[FaceName, Frame]:
    """Frames of the flat faces of a solid from elsewhere: origin in the middle of the face, normal outwards."""
    found: dict[FaceName, Frame] = {}
    for shape, name in shape_of(tool)[1]:
        face = TopoDS.Face_s(shape)
        surface = BRepAdaptor_Surface(face)
        if surface.GetType() != GeomAbs_Plane:
            continue
        middle = GProp_GProps()
        BRepGProp.SurfaceProperties_s(face, middle)
        at, axes = middle.CentreOfMass(), surface.Plane().Position()
        x, n = axes.XDirection(), axes.Direction()
        if not axes.Direct():
            n.Reverse()
        frame = Frame((at.X(), at.Y(), at.Z()), (x.X(), x.Y(), x.Z()), _cross(n, x))
        found[name] = frame.turned_over() if face.Orientation() == TopAbs_REVERSED else frame
    return found


def _cross(n: gp_Dir, x: gp_Dir) -> tuple[float, float, float]:
    y = n.Crossed(x)
    return (y.X(), y.Y(), y.Z())


def face_of(region: Region, frame: Frame, height: float = 0.0) -> tuple[TopoDS_Face, list[tuple[TopoDS_Edge, str]]]:
    """A region as a face; the named edges it is bounded by."""
    plane = gp_Pln(Axes(gp_Pnt(*frame.at(0, 0, height)), gp_Dir(*frame.normal), gp_Dir(*frame.x)))
    wire, edges = wire_of(region.outer, frame, height)
    maker = BRepBuilderAPI_MakeFace(plane, wire, True)
    for hole in region.holes:
        inner, inner_edges = wire_of(hole, frame, height)
        maker.Add(TopoDS.Wire_s(inner.Reversed()))
        edges += inner_edges
    return maker.Face(), edges


def _revolved(tool: Revolved) -> tuple[TopoDS_Shape, Named]:
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
        named += [(made, tool.sides[curve]) for made in maker.Generated(edge) if made.ShapeType() == TopAbs_FACE]
    if tool.is_full:
        named += _level_faces(tool, maker.Shape())
    return maker.Shape(), named


def _level_faces(tool: Revolved, shape: TopoDS_Shape) -> Named:
    """The flat faces of a full turn, which the kernel's history leaves out: told by how high and how wide they are."""
    root, direction = tool.axis()
    length = math.sqrt(sum(c * c for c in direction))
    (ax, ay), (wx, wy) = tool.at, (tool.way[0] / math.hypot(*tool.way), tool.way[1] / math.hypot(*tool.way))
    lines: list[tuple[float, float, str]] = []
    for loop in tool.region.loops:
        for curve in loop.curves:
            if isinstance(curve, Line):
                (sx, sy), (ex, ey) = curve.start, curve.end
                low, high = ((x - ax) * wx + (y - ay) * wy for x, y in (curve.start, curve.end))
                if abs(high - low) <= 1e-9 * max(curve.length, 1.0):
                    wide = max(abs((sx - ax) * wy - (sy - ay) * wx), abs((ex - ax) * wy - (ey - ay) * wx))
                    lines.append((low, wide, curve.name))
    named: Named = []
    faces = TopExp_Explorer(shape, TopAbs_FACE)
    while faces.More():
        face = TopoDS.Face_s(faces.Current())
        faces.Next()
        surface = BRepAdaptor_Surface(face)
        if surface.GetType() != GeomAbs_Plane:
            continue
        spot = surface.Plane().Location()
        high = (
            sum((c - r) * d for c, r, d in zip((spot.X(), spot.Y(), spot.Z()), root, direction, strict=True)) / length
        )
        box = Bnd_Box()
        BRepBndLib.AddOptimal_s(face, box, False, False)
        low_, high_ = box.CornerMin(), box.CornerMax()
        wide = max(high_.X() - low_.X(), high_.Y() - low_.Y(), high_.Z() - low_.Z()) / 2
        if lines:
            best = min(lines, key=lambda line: abs(line[0] - high) + abs(line[1] - wide))
            named.append((face, tool.sides[best[2]]))
    return named


def trsf(motion: Motion) -> gp_Trsf:
    """The kernel's form of a motion."""
    found = gp_Trsf()
    (a, b, c), (d, e, f), (g, h, i) = motion.rows
    x, y, z = motion.shift
    if motion.mirrors:
        # The kernel takes only turns by values: a mirror is a turn after the mirror in the origin.
        found.SetValues(-a, -b, -c, x, -d, -e, -f, y, -g, -h, -i, z)
        through = gp_Trsf()
        through.SetMirror(gp_Pnt(0, 0, 0))
        return found.Multiplied(through)
    found.SetValues(a, b, c, x, d, e, f, y, g, h, i, z)
    return found


def moved(shape: TopoDS_Shape, named: Named, motion: Motion) -> tuple[TopoDS_Shape, Named]:
    """A shape under a motion, its faces with their names."""
    maker = BRepBuilderAPI_Transform(shape, trsf(motion), True)
    return maker.Shape(), [(maker.ModifiedShape(face), name) for face, name in named]


def _placed(tool: Placed) -> tuple[TopoDS_Shape, Named]:
    shape, named = shape_of(tool.tool)
    return moved(shape, named, tool.motion)
