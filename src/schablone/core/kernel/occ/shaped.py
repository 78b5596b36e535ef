"""Kernel solids of outlines led along a path, joined to one another, with leaning sides, or up to
the next face."""

from __future__ import annotations

import math
from typing import Any

from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeWire, BRepBuilderAPI_RightCorner
from OCP.BRepOffsetAPI import (
    BRepOffsetAPI_DraftAngle,
    BRepOffsetAPI_MakePipeShell,
    BRepOffsetAPI_ThruSections,
)
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.Standard import Standard_Failure
from OCP.TopAbs import TopAbs_EDGE, TopAbs_SOLID
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape, TopTools_ListOfShape

from ...sketch.loops import Loop
from ...sketch.regions import polygon_of
from ..along import Piped
from ..figures import NoEffect
from ..frame import Frame, Vector, add, cross, dot
from ..motion import Motion
from ..prism import Prism
from ..tools import Leaned, Lofted, ToNext, TurnedToNext
from .aside import only_near
from .bounds import bounds_of
from .history import Named, carried, listed
from .placing import moved as moved_shape
from .prisms import edge_of, prism_shape, wire_of
from .solids import Solid, faces_of
from .turned import turned_shape


def shape_of(tool: Lofted | Piped | Leaned) -> tuple[TopoDS_Shape, Named]:
    """The solid of a tool, and its faces with their names.

    Raises:
        ValueError: where the kernel cannot make it, in words.
    """
    try:
        if isinstance(tool, Lofted):
            return _lofted(tool)
        return _piped(tool) if isinstance(tool, Piped) else _leaned(tool)
    except Standard_Failure as error:
        raise ValueError("the geometry kernel could not make it") from error


def _lofted(tool: Lofted) -> tuple[TopoDS_Shape, Named]:
    shape, named = _through(tool, [region.outer for _, region in tool.sections])
    for number in range(len(tool.sections[0][1].holes)):
        inner, inside = _through(tool, [region.holes[number] for _, region in tool.sections])
        shape, named = _without(shape, named, inner, inside)
    return shape, named


def _through(tool: Lofted, loops: list[Loop]) -> tuple[TopoDS_Shape, Named]:
    maker = BRepOffsetAPI_ThruSections(True, tool.ruled, 1e-6)
    first: list[tuple[TopoDS_Shape, str]] = []
    for number, ((frame, _), loop) in enumerate(zip(tool.sections, loops, strict=True)):
        wire, edges = wire_of(loop, frame, 0.0)
        maker.AddWire(wire)
        if number == 0:
            first = list(edges)
    maker.CheckCompatibility(not tool.sides)
    maker.Build()
    if not maker.IsDone():
        raise ValueError("the outlines cannot be joined")
    start, end = maker.FirstShape(), maker.LastShape()
    named: Named = [(face, tool.side) for face in faces_of(maker.Shape())]
    if tool.sides:
        named += [
            (made, tool.sides[curve])
            for edge, curve in first
            if not (made := maker.GeneratedFace(edge)).IsNull()
        ]
    return maker.Shape(), [*named, (start, tool.start), (end, tool.end)]


def _without(
    shape: TopoDS_Shape, named: Named, inner: TopoDS_Shape, inside: Named
) -> tuple[TopoDS_Shape, Named]:
    """A shape with another cut from it, its faces with their names."""
    return _boolean(BRepAlgoAPI_Cut(), shape, inner, [*named, *inside])


def _boolean(
    boolean: Any, shape: TopoDS_Shape, other: TopoDS_Shape, named: Named
) -> tuple[TopoDS_Shape, Named]:
    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(shape)
    operands.Append(other)
    boolean.SetArguments(arguments)
    boolean.SetTools(operands)
    boolean.Build()
    if not boolean.IsDone():
        raise ValueError("the geometry kernel could not work this out")
    return boolean.Shape(), carried(boolean, named)


def _piped(tool: Piped) -> tuple[TopoDS_Shape, Named]:
    chain = BRepBuilderAPI_MakeWire()
    for frame, curve in tool.pieces:
        chain.Add(edge_of(curve, frame, 0.0))
    if not chain.IsDone():
        raise ValueError("the pieces of the path do not meet")
    shape, named = _along(tool, chain, tool.region.outer)
    for hole in tool.region.holes:
        shape, named = _without(shape, named, *_along(tool, chain, hole))
    return shape, named


def _along(tool: Piped, chain: BRepBuilderAPI_MakeWire, loop: Loop) -> tuple[TopoDS_Shape, Named]:
    wire, edges = wire_of(loop, tool.frame, 0.0)
    maker = BRepOffsetAPI_MakePipeShell(chain.Wire())
    maker.SetMode(False)
    maker.SetTransitionMode(BRepBuilderAPI_RightCorner)
    maker.Add(wire, False, False)
    maker.Build()
    if not maker.IsDone() or not maker.MakeSolid():
        raise ValueError("the path bends too sharply for the outline")
    ends = () if tool.closed else ((maker.FirstShape(), tool.start), (maker.LastShape(), tool.end))
    named: Named = [*ends]
    for edge, curve in edges:
        named += [
            (face, tool.sides[curve])
            for made in listed(maker.Generated(edge))
            for face in faces_of(made)
        ]
    return maker.Shape(), named


def _leaned(tool: Leaned) -> tuple[TopoDS_Shape, Named]:
    shape, named = prism_shape(tool.prism)
    frame = tool.prism.frame.lifted(tool.prism.high if tool.from_top else tool.prism.low)
    # The sign of the angle goes by the direction in which the sides are pulled: away from where
    # they start.
    way = frame.turned_over().normal if tool.from_top else frame.normal
    maker = BRepOffsetAPI_DraftAngle(shape)
    plane = gp_Pln(gp_Pnt(*frame.origin), gp_Dir(*frame.normal))
    ends = (tool.prism.start, tool.prism.end)
    try:
        for face, name in named:
            if name not in ends:
                maker.Add(TopoDS.Face_s(face), gp_Dir(*way), math.radians(tool.degrees), plane)
        maker.Build()
    except (RuntimeError, Standard_Failure) as error:
        raise ValueError("its sides cannot lean so far") from error
    if not maker.IsDone():
        raise ValueError("its sides cannot lean so far")
    return maker.Shape(), [(maker.ModifiedShape(face), name) for face, name in named]


def up_to_next(
    solid: Solid, operation: str, tool: ToNext, prism: Prism
) -> tuple[TopoDS_Shape, Named]:
    """As much of a prism as goes to the next face of a solid, its faces with their names.

    ``prism`` is the tool's own, moved to where it is used.

    Raises:
        NoEffect: where there is no face on the way.
    """
    shape, named = prism_shape(prism)
    solid = only_near(solid, shape)
    known = [*named, *zip(solid.faces(), solid.names, strict=True)]
    boolean = BRepAlgoAPI_Cut() if operation == "add" else BRepAlgoAPI_Common()
    outcome, after = _boolean(boolean, shape, solid.shape, known)
    frame = prism.frame if tool.goes_up else prism.frame.turned_over()
    heights: list[tuple[float, float, TopoDS_Shape]] = []
    pieces = TopExp_Explorer(outcome, TopAbs_SOLID)
    while pieces.More():
        low, high = _heights(pieces.Current(), frame)
        heights.append((low, high, pieces.Current()))
        pieces.Next()
    far = prism.high if tool.goes_up else -prism.low
    # What lies behind the start belongs to the part's other side.
    ahead = [(low, high, piece) for low, high, piece in heights if high > 1e-6]
    if operation == "add":
        ahead = [(low, high, piece) for low, high, piece in ahead if low <= 1e-6]
        if not ahead:
            raise NoEffect("it begins inside of the part")
        if any(high >= far - 1e-6 for _, high, _ in ahead):
            raise NoEffect("there is no face on the way that stops all of it")
    if not ahead:
        raise NoEffect("it meets no material")
    nearest = min(low for low, _, _ in ahead)
    chosen = [piece for low, _, piece in ahead if low <= nearest + 1e-6]
    return _gathered(chosen, after)


def turned_to_next(
    solid: Solid, operation: str, tool: TurnedToNext, motion: Motion | None
) -> tuple[TopoDS_Shape, Named]:
    """As much of a turned region as goes to the next face of a solid, its faces with their names.

    Raises:
        NoEffect: where there is no face on the way.
    """
    turned = tool.turned
    shape, named = turned_shape(turned)
    root, way = turned.axis()
    frame = turned.frame
    if motion is not None:
        shape, named = moved_shape(shape, named, motion)
        root, way, frame = motion.point(root), motion.vector(way), motion.frame(frame)
        if motion.mirrors:
            way = (-way[0], -way[1], -way[2])
    solid = only_near(solid, shape)
    known = [*named, *zip(solid.faces(), solid.names, strict=True)]
    boolean = BRepAlgoAPI_Cut() if operation == "add" else BRepAlgoAPI_Common()
    outcome, after = _boolean(boolean, shape, solid.shape, known)
    inner = polygon_of(turned.region.outer, 0.01).representative_point()
    spot = frame.at(inner.x, inner.y)
    axis = _about(root, way, spot)
    spans: list[tuple[float, float, TopoDS_Shape]] = []
    pieces = TopExp_Explorer(outcome, TopAbs_SOLID)
    while pieces.More():
        low, high = _turns(pieces.Current(), *axis)
        spans.append((low, high, pieces.Current()))
        pieces.Next()
    last = turned.last - turned.first
    if operation == "add":
        spans = [span for span in spans if span[0] <= 1e-3]
        if not spans:
            raise NoEffect("it begins inside of the part")
        if any(high >= last - 1e-3 for _, high, _ in spans):
            raise NoEffect("there is no face on the way that stops all of it")
    if not spans:
        raise NoEffect("it meets no material")
    nearest = min(low for low, _, _ in spans)
    return _gathered([piece for low, _, piece in spans if low <= nearest + 1e-3], after)


def _about(root: Vector, way: Vector, spot: Vector) -> tuple[Vector, Vector, Vector, Vector]:
    """An axis as a point and three directions: towards a spot, ahead of it in the way of turning,
    along."""
    size = math.sqrt(dot(way, way))
    along = (way[0] / size, way[1] / size, way[2] / size)
    out = add(spot, root, -1.0)
    out = add(out, along, -dot(out, along))
    size = math.sqrt(dot(out, out))
    out = (out[0] / size, out[1] / size, out[2] / size)
    return root, out, cross(along, out), along


def _turns(
    shape: TopoDS_Shape, root: Vector, out: Vector, ahead: Vector, along: Vector
) -> tuple[float, float]:
    """From where to where a shape reaches about an axis, degrees from a direction on; from points
    on its edges."""
    del along
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_EDGE, edges)
    angles = []
    for k in range(edges.Extent()):
        edge = TopoDS.Edge_s(edges.FindKey(k + 1))
        if BRep_Tool.Degenerated_s(edge):
            continue
        curve = BRepAdaptor_Curve(edge)
        first, last = curve.FirstParameter(), curve.LastParameter()
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            p = curve.Value(first + (last - first) * share)
            d = (p.X() - root[0], p.Y() - root[1], p.Z() - root[2])
            x, y = dot(d, out), dot(d, ahead)
            if math.hypot(x, y) > 1e-6:
                turn = math.degrees(math.atan2(y, x)) % 360.0
                angles.append(0.0 if turn > 360.0 - 1e-6 else turn)
    return (min(angles), max(angles)) if angles else (0.0, 0.0)


def _heights(shape: TopoDS_Shape, frame: Frame) -> tuple[float, float]:
    """How low and how high a shape reaches above a frame."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
    from OCP.gp import gp_Ax3, gp_Trsf

    level = gp_Trsf()
    level.SetTransformation(gp_Ax3(gp_Pnt(*frame.origin), gp_Dir(*frame.normal), gp_Dir(*frame.x)))
    low, high = bounds_of(BRepBuilderAPI_Transform(shape, level, True).Shape())
    return low[2], high[2]


def _gathered(pieces: list[TopoDS_Shape], named: Named) -> tuple[TopoDS_Shape, Named]:
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    if len(pieces) == 1:
        return pieces[0], named
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for piece in pieces:
        builder.Add(compound, piece)
    return compound, named
