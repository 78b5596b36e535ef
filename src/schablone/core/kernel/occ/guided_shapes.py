"""Kernel solids of sections carried along paths: each curve of the section raises one surface,
exact along its spline.

The section's curves as B-splines have control points; each of these follows the path's own spline,
so that the surface is their tensor product and neighbours share their border to the last digit.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.Geom import Geom_BSplineCurve, Geom_BSplineSurface
from OCP.gp import gp_Ax3, gp_Dir, gp_Pln, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.TColgp import TColgp_Array1OfPnt, TColgp_Array2OfPnt
from OCP.TColStd import TColStd_Array1OfInteger, TColStd_Array1OfReal
from OCP.TopAbs import TopAbs_FACE, TopAbs_SHELL
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Shell, TopoDS_Solid

from ...sketch.curves import Bezier, Curve, EllipticArc, Segment
from ..frame import Frame
from ..guided import Guided
from .history import Named

if TYPE_CHECKING:
    from scipy.interpolate import BSpline

Floats = NDArray[np.float64]

_TOLERANCE = 1e-6
_DEGREE = 5
_POINTS_A_TURN = 16


def shape_of(tool: Guided) -> tuple[TopoDS_Shape, Named]:
    """The solid of a section carried along a path, and its faces with their names.

    Raises:
        ValueError: where it does not close.
    """
    raised: Named = []
    pieces = _in_pieces(tool)
    for loop in tool.region.loops:
        for curve in loop.curves:
            for knots, rows in pieces:
                face = BRepBuilderAPI_MakeFace(_surface(curve, knots, rows), _TOLERANCE).Face()
                raised.append((face, tool.sides[curve.name]))
    if not tool.closed:
        for name, k in ((tool.start, 0), (tool.end, -1)):
            raised.append((_cap(tool, k), name))
    return sewn(raised)


def _cap(tool: Guided, k: int) -> TopoDS_Face:
    """The flat face at an end, bounded by the very curves that the sides begin with."""
    frame, _ = _frame(tool.stations[k])
    plane = gp_Pln(gp_Ax3(gp_Pnt(*frame.origin), gp_Dir(*frame.normal), gp_Dir(*frame.x)))
    station = np.array(tool.stations[k])
    wires = []
    for loop in tool.region.loops:
        maker = BRepBuilderAPI_MakeWire()
        for curve in loop.curves:
            maker.Add(BRepBuilderAPI_MakeEdge(_end_curve(curve, station)).Edge())
        wires.append(maker.Wire())
    face = BRepBuilderAPI_MakeFace(plane, wires[0], True)
    for inner in wires[1:]:
        face.Add(TopoDS.Wire_s(inner.Reversed()))
    return face.Face()


def _end_curve(curve: Curve, station: Floats) -> Geom_BSplineCurve:
    points, knots, degree = _as_spline(curve)
    spots = station[:3] + points[:, :1] * station[3:6] + points[:, 1:] * station[6:9]
    poles = TColgp_Array1OfPnt(1, len(spots))
    for i, spot in enumerate(spots.tolist(), 1):
        poles.SetValue(i, gp_Pnt(*spot))
    values, counts = np.unique(knots, return_counts=True)
    return Geom_BSplineCurve(poles, _reals(values), _integers(counts), degree)


def _in_pieces(tool: Guided) -> list[tuple[Floats, Floats]]:
    """The spline of the stations in pieces, each with knots and coefficients of its own."""
    at = tool.at
    count = max(1, round(len(at) / tool.stations_a_face))
    ends = [at[round(k * (len(at) - 1) / count)] for k in range(count + 1)]
    return [clamped(tool.spline, low, high) for low, high in itertools.pairwise(ends)]


def sewn(faces: Named) -> tuple[TopoDS_Shape, Named]:
    """The solid that faces enclose together, and the faces as they are in it. Where they make
    several closed skins, those within the largest are hollows.

    Raises:
        ValueError: where they leave a gap.
    """
    sewing = BRepBuilderAPI_Sewing(_TOLERANCE)
    for face, _ in faces:
        sewing.Add(face)
    sewing.Perform()
    if sewing.NbFreeEdges():
        raise ValueError("the outline does not close along the path")
    shells = []
    explorer = TopExp_Explorer(sewing.SewedShape(), TopAbs_SHELL)
    while explorer.More():
        shells.append(TopoDS.Shell_s(explorer.Current()))
        explorer.Next()
    lone = TopExp_Explorer(sewing.SewedShape(), TopAbs_FACE, TopAbs_SHELL)
    while lone.More():  # a face that closes in itself is a skin of its own
        shell, builder = TopoDS_Shell(), BRep_Builder()
        builder.MakeShell(shell)
        builder.Add(shell, lone.Current())
        shells.append(shell)
        lone.Next()
    skins = [_closed(shell) for shell in shells]
    if len(skins) > 1:
        skins.sort(key=lambda skin: -_volume(skin))
    builder, solid = BRep_Builder(), skins[0]
    for hollow in skins[1:]:
        inside = TopExp_Explorer(hollow, TopAbs_SHELL).Current()
        builder.Add(solid, inside.Reversed())
    return solid, [(sewing.Modified(face), name) for face, name in faces]


def _closed(shell: TopoDS_Shell) -> TopoDS_Solid:
    solid = BRepBuilderAPI_MakeSolid(shell).Solid()
    BRepLib.OrientClosedSolid_s(solid)
    return solid


def _volume(shape: TopoDS_Shape) -> float:
    figures = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, figures)
    return abs(float(figures.Mass()))


def _frame(station: tuple[float, ...]) -> tuple[Frame, float]:
    o, x, y = (np.array(station[i : i + 3]) for i in (0, 3, 6))
    scale = float(np.linalg.norm(x))
    frame = Frame(*(tuple(v.tolist()) for v in (o, x / scale, y / np.linalg.norm(y))))
    return frame, scale


def _surface(curve: Curve, knots: Floats, rows: Floats) -> Geom_BSplineSurface:
    """The surface that a curve of the section sweeps: control points (m, n), along the section and
    along the path."""
    points, across, degree = _as_spline(curve)
    poles = (
        rows[None, :, :3]
        + points[:, None, :1] * rows[None, :, 3:6]
        + points[:, None, 1:] * rows[None, :, 6:9]
    )
    m, n = poles.shape[:2]
    net = TColgp_Array2OfPnt(1, m, 1, n)
    for i, line in enumerate(poles.tolist(), 1):
        for j, spot in enumerate(line, 1):
            net.SetValue(i, j, gp_Pnt(*spot))
    u, u_counts = np.unique(across, return_counts=True)
    v, v_counts = np.unique(knots, return_counts=True)
    return Geom_BSplineSurface(
        net,
        _reals(u),
        _reals(v),
        _integers(u_counts),
        _integers(v_counts),
        degree,
        len(knots) - n - 1,
    )


def _as_spline(curve: Curve) -> tuple[Floats, Floats, int]:
    """A curve of the section as a B-spline without weights: control points (m, 2), knots, degree.

    The kernel intersects rational surfaces much less safely. Arcs are interpolated in fifth degree,
    which for sixteen points in a turn strays from the circle by less than a millionth of its
    radius.
    """
    if isinstance(curve, Segment):
        return np.array([curve.start, curve.end]), np.repeat([0.0, 1.0], 2), 1
    if isinstance(curve, Bezier):
        return (
            np.array([curve.start, curve.first, curve.second, curve.end]),
            np.repeat([0.0, 1.0], 4),
            3,
        )
    return _arc_as_spline(curve)


def _arc_as_spline(arc: EllipticArc) -> tuple[Floats, Floats, int]:
    from scipy.interpolate import make_interp_spline

    count = max(_DEGREE + 1, math.ceil(abs(arc.t1 - arc.t0) / math.tau * _POINTS_A_TURN))
    s = np.linspace(0.0, 1.0, count + 1)
    points = np.array([arc.at(t) for t in np.linspace(arc.t0, arc.t1, count + 1).tolist()])
    if arc.is_full:
        points[-1] = points[0]
    spline = make_interp_spline(s, points, k=_DEGREE, bc_type="periodic" if arc.is_full else None)
    knots, coefficients = clamped(spline, 0.0, 1.0)
    return coefficients, knots, _DEGREE


def clamped(spline: BSpline, low: float, high: float) -> tuple[Floats, Floats]:
    """The knots and coefficients of a piece of a spline that begins and ends with its first and
    last coefficient."""
    degree = int(spline.k)
    slack = 1e-12 * max(1.0, abs(high))
    for end in (low, high):
        there = int((np.abs(spline.t - end) < slack).sum())
        if there < degree + 1:
            spline = spline.insert_knot(end, degree + 1 - there)
    first = int(np.searchsorted(spline.t, low + slack)) - degree - 1
    last = int(np.searchsorted(spline.t, high - slack))
    return spline.t[first : last + degree + 1], spline.c[first:last]


def _reals(values: Sequence[float] | Floats) -> TColStd_Array1OfReal:
    array = TColStd_Array1OfReal(1, len(values))
    for k, value in enumerate(values, 1):
        array.SetValue(k, float(value))
    return array


def _integers(values: NDArray[np.integer[Any]]) -> TColStd_Array1OfInteger:
    array = TColStd_Array1OfInteger(1, len(values))
    for k, value in enumerate(values, 1):
        array.SetValue(k, int(value))
    return array
