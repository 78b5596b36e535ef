"""Faces that are cut off anywhere within their parameters, measured by Green's theorem.

An integral over the part of the parameters (u, v) that a face covers is one around its outlines:
∬ f du dv = ∮ F dv = −∮ G du, where F is the integral of f along u, and G that along v. For each
outline they may begin at a place of its own, for what comes between adds up to nothing around a
closed line; so only what lies about the outline has to be looked at. Both integrals are taken by
Gauss's rule, the outer one in ever shorter pieces until that of three places and Kronrod's, which
puts four more between and beside them, come to the same (A. S. Kronrod, Nodes and Weights of
Quadrature Formulas, 1965).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRepAdaptor import BRepAdaptor_Curve2d
from OCP.GeomAbs import GeomAbs_BSplineCurve, GeomAbs_Line
from OCP.gp import gp_Pnt2d, gp_Vec2d
from OCP.TopAbs import TopAbs_EXTERNAL, TopAbs_FORWARD, TopAbs_INTERNAL, TopAbs_REVERSED
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Iterator, TopoDS_Wire

from ..frame import Vector, as_vector
from .endless import endless
from .outlines import wires_of
from .smooth import Smooth, smooth_of

Floats = NDArray[np.float64]

#: Where pieces of outlines are looked at, from −1 to 1, and what each place counts: after Gauss,
#: who leaves out every second one, and after Kronrod, which is what counts in the end.
_NODES = np.array([-0.960491268708020, -0.774596669241483, -0.434243749346803, 0.0])
_NODES = np.concatenate((_NODES, -_NODES[2::-1]))
_GAUSS = np.array([0, 5, 0, 8, 0, 5, 0]) / 9
_KRONROD = np.array([0.104656226026467, 0.268488089868333, 0.401397414775962, 0.450916538658474])
_KRONROD = np.concatenate((_KRONROD, _KRONROD[2::-1]))
#: To what share of a face's size both rules must agree: Kronrod's is off by far less than that.
_SHARE = 1e-8
#: How often a piece is halved at most.
_HALVED = 14
#: By what share of its extent an outline may miss its own beginning.
_OPEN = 1e-5
#: So many pieces of curves that are neither lines nor splines are looked at first.
_PIECES = 8


@dataclass(frozen=True, slots=True)
class Measured:
    """What a face comes to: ``volume`` (mm³) and ``moments`` (mm⁴) of the cone that it makes with
    the origin, counted outwards, its ``area`` (mm²) and the ``centre`` of that (mm)."""

    volume: float
    moments: Vector
    area: float
    centre: Vector


def measured(face: TopoDS_Face) -> Measured | None:
    """What a face comes to; None where its surface is of a kind that is not known here, where an
    outline does not close in the parameters or leaves those that are known, or where the sums do
    not settle."""
    surface, plain = smooth_of(endless(face)), face.Oriented(TopAbs_FORWARD)
    if surface is None:
        return None
    whole = np.zeros(8)
    for wire in wires_of(face):
        runs = _runs(wire, TopoDS.Face_s(plain), surface)
        share = None
        if runs and _closes(runs) and _is_within(surface, runs):
            share = _around(surface, runs)
        if share is None:
            return None
        whole += share
    area = float(whole[4])
    if not area > 0:
        return None
    sign = -1.0 if face.Orientation() == TopAbs_REVERSED else 1.0
    moments = as_vector((sign * whole[1:4]).tolist())
    return Measured(sign * float(whole[0]), moments, area, as_vector((whole[5:] / area).tolist()))


@dataclass(frozen=True, slots=True)
class _Run:
    """One edge of an outline in the parameters, ``sign`` −1 where it is run through backwards;
    between two ``ends`` it is smooth."""

    curve: BRepAdaptor_Curve2d
    sign: float
    ends: Floats

    def at(self, t: Floats) -> Floats:
        """u, v and the slopes of both: (len(t), 4)."""
        place, slope, value = gp_Pnt2d(), gp_Vec2d(), self.curve.D1
        rows = []
        for each in t.tolist():
            value(each, place, slope)
            rows.append((place.X(), place.Y(), slope.X(), slope.Y()))
        return np.array(rows)


#: A part of a run, between two of its parameters.
_Piece = tuple[_Run, float, float]


def _runs(wire: TopoDS_Wire, face: TopoDS_Face, surface: Smooth) -> list[_Run]:
    runs, each = [], TopoDS_Iterator(wire)
    while each.More():
        edge = TopoDS.Edge_s(each.Value())
        way = edge.Orientation()
        if way not in (TopAbs_INTERNAL, TopAbs_EXTERNAL):
            curve = BRepAdaptor_Curve2d(edge, face)
            sign = -1.0 if way == TopAbs_REVERSED else 1.0
            runs.append(_Run(curve, sign, _ends(curve, surface)))
        each.Next()
    return runs


def _ends(curve: BRepAdaptor_Curve2d, surface: Smooth) -> Floats:
    """Where pieces of a curve begin and end: a line passes the cuts of the surface there, a spline
    its own knots."""
    first, last = curve.FirstParameter(), curve.LastParameter()
    if curve.GetType() == GeomAbs_Line:
        line = curve.Line()
        at, way = line.Location(), line.Direction()
        inner = np.concatenate(
            [
                (cuts - begin) / slope
                for cuts, begin, slope in (
                    (surface.cuts[0], at.X(), way.X()),
                    (surface.cuts[1], at.Y(), way.Y()),
                )
                if abs(slope) > 1e-12
            ]
        )
    elif curve.GetType() == GeomAbs_BSplineCurve:
        spline = curve.BSpline()
        inner = np.array([spline.Knot(k) for k in range(1, spline.NbKnots() + 1)])
    else:
        inner = np.linspace(first, last, _PIECES + 1)
    slack = 1e-9 * (last - first)
    inner = inner[(inner > first + slack) & (inner < last - slack)]
    return np.array([first, *np.unique(inner), last])


def _closes(runs: list[_Run]) -> bool:
    """Whether an outline comes back to where it begins."""
    every = [run.at(run.ends)[:, :2] for run in runs]
    gap = sum(run.sign * (row[-1] - row[0]) for run, row in zip(runs, every, strict=True))
    wide = np.ptp(np.concatenate(every), axis=0)
    return bool((np.abs(gap) <= _OPEN * np.maximum(wide, 1e-12)).all())


def _is_within(surface: Smooth, runs: list[_Run]) -> bool:
    """Whether an outline stays where the cuts of the surface are known."""
    spots = np.concatenate([run.at(run.ends)[:, :2] for run in runs])
    for k, cuts in enumerate(surface.cuts):
        slack = _OPEN * (cuts[-1] - cuts[0])
        if len(cuts) > 1 and not (
            cuts[0] - slack <= spots[:, k].min() and spots[:, k].max() <= cuts[-1] + slack
        ):
            return False
    return True


def _around(surface: Smooth, runs: list[_Run]) -> Floats | None:
    """What is measured around one outline (8,); None where it does not settle."""
    pending = [
        (run, first, last) for run in runs for first, last in itertools.pairwise(run.ends.tolist())
    ]
    begin = np.mean([run.at(run.ends)[:, :2].mean(0) for run in runs], 0)
    whole, scale = np.zeros(8), np.zeros(8)
    for _ in range(_HALVED):
        rough, fine = _by_rules(surface, begin, pending)
        scale = np.maximum(scale, _scale(whole, fine))
        off = np.any(np.abs(fine - rough) > _SHARE * scale[:, None], axis=0)
        whole += fine[:, ~off].sum(1)
        if not off.any():
            return whole
        pending = [
            half
            for (run, first, last), is_off in zip(pending, off.tolist(), strict=True)
            if is_off
            for half in ((run, first, (first + last) / 2), (run, (first + last) / 2, last))
        ]
    return None


def _scale(known: Floats, pieces: Floats) -> Floats:
    """How large what is measured is around an outline (8,). Its parts may cancel each other, so a
    cone counts as large as its surface, as far away as that lies from the origin."""
    area = abs(float(known[4])) + float(np.abs(pieces[4]).sum())
    moments = np.abs(known[5:]) + np.abs(pieces[5:]).sum(1)
    away = float(np.linalg.norm(moments)) / area if area else 0.0
    return area * np.array([away / 3, *[away * away / 4] * 3, 1.0, *[away] * 3])


def _by_rules(surface: Smooth, begin: Floats, pieces: list[_Piece]) -> tuple[Floats, Floats]:
    """What is measured along pieces of an outline by both rules: (8, n) each. The inner integrals
    ``begin`` at a place (u, v)."""
    half = np.array([run.sign * (last - first) / 2 for run, first, last in pieces])
    spots = np.stack(
        [run.at((first + last) / 2 + (last - first) / 2 * _NODES) for run, first, last in pieces]
    )
    # Along u or along v, whichever takes fewer places.
    k = int(
        np.argmin([len(cuts) * n for cuts, n in zip(surface.cuts, surface.places, strict=True)])
    )
    slope = spots[..., 3].ravel() if k == 0 else -spots[..., 2].ravel()
    moves = slope != 0
    values = np.zeros((8, len(slope)))
    if moves.any():
        integrals = _along(surface, k, float(begin[k]), spots[..., :2].reshape(-1, 2)[moves])
        values[:, moves] = integrals * slope[moves]
    values = values.reshape(8, len(pieces), len(_NODES)) * half[:, None]
    return values @ _GAUSS, values @ _KRONROD


def _along(surface: Smooth, k: int, begin: float, spots: Floats) -> Floats:
    """What is measured, integrated along u (``k`` 0) or v (1) from ``begin`` to each of places
    (n, 2): (8, n).

    In order: volume and moments of the cone, area, moments of the area.
    """
    # What lies beyond the outermost cuts is as smooth as what lies before them.
    cuts = np.array([-np.inf, *surface.cuts[k][1:-1], np.inf])
    ends, still = spots[:, k], spots[:, 1 - k]
    low, high = np.minimum(ends, begin)[:, None], np.maximum(ends, begin)[:, None]
    first, last = np.maximum(low, cuts[:-1]), np.minimum(high, cuts[1:])
    pieces = np.nonzero(last > first)
    which = pieces[0]
    half, middle = ((last - first) / 2)[pieces], ((last + first) / 2)[pieces]
    nodes, weights = np.polynomial.legendre.leggauss(surface.places[k])
    moving = (middle[:, None] + half[:, None] * nodes).ravel()
    at, along, across = surface.rows(k, still)(np.repeat(which, len(nodes)), moving)
    normal = np.cross(along, across) * (1.0 if k == 0 else -1.0)
    flow, size = (at * normal).sum(-1), np.linalg.norm(normal, axis=-1)
    every = np.stack((flow / 3, *(at.T * (flow / 4)), size, *(at.T * size)))
    each = every.reshape(8, len(which), len(nodes)) @ weights
    whole = each * half * np.sign(ends - begin)[which]
    return np.stack([np.bincount(which, row, len(spots)) for row in whole])
