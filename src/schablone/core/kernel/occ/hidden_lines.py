"""A body as it is drawn from one side: the edges that are seen and those that lie behind something,
and what a cut through it shows."""

from __future__ import annotations

import math
from collections.abc import Iterator

from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepLib import BRepLib
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.GeomAbs import GeomAbs_Plane
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.HLRAlgo import HLRAlgo_Projector
from OCP.HLRBRep import HLRBRep_Algo, HLRBRep_HLRToShape
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Shape

from ...sketch.curves import Curve
from ...sketch.mapping import XY
from ..frame import Frame, dot
from ..line_work import Lines, not_under
from .bounds import bounds_of
from .endless import endless
from .flat_sections import curves_of, region_of
from .solids import Solid, faces_of

#: Lengths below this, mm, and cosines, are none.
_NEAR = 1e-6


def lines_of(solid: Solid, view: Frame, cut: float | None = None) -> Lines:
    """The lines of a body as it is seen against the normal of a plane, by exact removal of hidden
    lines. With ``cut`` all that lies more than so many mm above the plane is taken away before.

    Raises:
        ValueError: where the cut takes away all of it, or meets nothing.
    """
    shape = solid.shape
    areas: tuple[tuple[tuple[XY, ...], ...], ...] = ()
    if cut is not None:
        shape = _below(shape, view, cut)
        areas = tuple(_areas(shape, view, cut))
        if not areas:
            raise ValueError("the cut does not meet the part")
    hider = HLRBRep_Algo()
    hider.Add(shape, 0)
    place = gp_Ax2(gp_Pnt(*view.origin), gp_Dir(*view.normal), gp_Dir(*view.x))
    hider.Projector(HLRAlgo_Projector(place))
    hider.Update()
    hider.Hide()
    drawn = HLRBRep_HLRToShape(hider)
    seen = [*_curves(drawn.VCompound()), *_curves(drawn.OutLineVCompound())]
    hidden = [*_curves(drawn.HCompound()), *_curves(drawn.OutLineHCompound())]
    return Lines(tuple(seen), tuple(not_under(hidden, seen)), areas)


def _curves(shape: TopoDS_Shape | None) -> Iterator[Curve]:
    if shape is None or shape.IsNull():
        return
    BRepLib.BuildCurves3d_s(shape)
    walk = TopExp_Explorer(shape, TopAbs_EDGE)
    while walk.More():
        for curve in curves_of(TopoDS.Edge_s(walk.Current()), Frame()):
            if curve.length > _NEAR:
                yield curve
        walk.Next()


def _below(shape: TopoDS_Shape, view: Frame, cut: float) -> TopoDS_Shape:
    """What of a shape lies at most ``cut`` above a plane."""
    low, high = bounds_of(shape)
    reach = 2 * math.dist(low, high) + math.dist(low, view.origin) + abs(cut) + 1
    corner = view.at(-reach, -reach, cut)
    box = BRepPrimAPI_MakeBox(
        # A box is made above its own plane: its normal looks away from who looks at it.
        gp_Ax2(gp_Pnt(*corner), gp_Dir(*(-n for n in view.normal)), gp_Dir(*view.y)),
        2 * reach, 2 * reach, 2 * reach,
    ).Shape()  # fmt: skip
    return BRepAlgoAPI_Common(shape, box).Shape()


def _areas(shape: TopoDS_Shape, view: Frame, cut: float) -> Iterator[tuple[tuple[XY, ...], ...]]:
    for face in faces_of(shape):
        surface = endless(face)
        if surface.GetType() != GeomAbs_Plane:
            continue
        plane = surface.Plane()
        axis, spot = plane.Axis().Direction(), plane.Location()
        along = abs(dot((axis.X(), axis.Y(), axis.Z()), view.normal))
        above = view.coordinates((spot.X(), spot.Y(), spot.Z()))[2]
        if along < 1 - _NEAR or abs(above - cut) > 1e-5:
            continue
        region, frame = region_of(face)
        rings = []
        for loop in region.loops:
            spots = (view.coordinates(frame.at(*point)) for point in loop.points(0.02))
            rings.append(tuple((u, v) for u, v, _ in spots))
        yield tuple(rings)
