"""Edges as lines of points: divided once, so that the faces on both sides have the same ones."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.GCPnts import GCPnts_TangentialDeflection
from OCP.GeomAbs import GeomAbs_Circle, GeomAbs_Line
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Vertex

from ...sketch.curves import WIDEST_STEP, evened
from ..mesh import FOR_FITS
from .kept import KeptByShape, as_drawn

Floats = NDArray[np.float64]

#: Faces on both sides of an edge ask for its points, and who draws it.
_KEPT: KeptByShape[Floats] = KeptByShape(16_000_000, lambda line: 500 + line.nbytes)


def line_of(edge: TopoDS_Edge, tolerance: float) -> Floats:
    """Points (n, 3) along an edge the way its curve runs, chords within ``tolerance`` mm; none for
    an edge without extent, and not to be written to. It begins and ends just where its corners are,
    as do all edges that meet there."""
    plain, shift = as_drawn(edge)
    line = _KEPT.get(plain, tolerance, lambda: _made(TopoDS.Edge_s(plain), tolerance))
    return line if shift is None else line + shift


def _made(edge: TopoDS_Edge, tolerance: float) -> Floats:
    line = _divided(edge, tolerance)
    line.setflags(write=False)
    return line


def _divided(edge: TopoDS_Edge, tolerance: float) -> Floats:
    if BRep_Tool.Degenerated_s(edge):
        return np.empty((0, 3))
    first, last = TopExp.FirstVertex_s(edge, False), TopExp.LastVertex_s(edge, False)
    curve = BRepAdaptor_Curve(edge)
    if curve.GetType() == GeomAbs_Line and not first.IsNull() and not last.IsNull():
        return np.array([_corner(first), _corner(last)])
    if curve.GetType() == GeomAbs_Circle and tolerance <= FOR_FITS:
        line = _evened(curve, tolerance)
    else:
        points = GCPnts_TangentialDeflection(curve, WIDEST_STEP, tolerance)
        values = [points.Value(k + 1) for k in range(points.NbPoints())]
        line = np.array([(p.X(), p.Y(), p.Z()) for p in values])
    if not first.IsNull():
        line[0] = _corner(first)
    if not last.IsNull():
        line[-1] = _corner(last)
    return line


def _evened(curve: BRepAdaptor_Curve, tolerance: float) -> Floats:
    """Points along an arc of a circle, whose chords enclose just what it does."""
    circle = curve.Circle()
    first, last = curve.FirstParameter(), curve.LastParameter()
    count, out = evened(circle.Radius(), last - first, tolerance)
    axes = circle.Position()
    o, x, y = axes.Location(), axes.XDirection(), axes.YDirection()
    basis = np.array([(x.X(), x.Y(), x.Z()), (y.X(), y.Y(), y.Z())])
    t = np.linspace(first, last, count + 1)
    far = np.full(count + 1, circle.Radius() * out)
    far[[0, -1]] = circle.Radius()
    line: Floats = np.array([o.X(), o.Y(), o.Z()]) + far[:, None] * (
        np.stack([np.cos(t), np.sin(t)], 1) @ basis
    )
    return line


def _corner(vertex: TopoDS_Vertex) -> tuple[float, float, float]:
    p = BRep_Tool.Pnt_s(vertex)
    return p.X(), p.Y(), p.Z()
