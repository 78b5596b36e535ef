"""Paths in space as points close together with their directions, and the stations of a section that
is led along them."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..formula.sampling import PANEL_NODES, PANELS
from ..kernel.along import PathPiece, least_twist, tangent
from ..kernel.frame import Frame, Vector, add
from ..quantity import say_spot
from ..sketch.curves import Bezier, Curve, EllipticArc, Segment
from ..words import say_name
from .workshop import StepError

Floats = NDArray[np.float64]

#: Points of a path between two neighbours that are looked at, for each panel of a formula and each
#: exact piece.
_DENSE = 64
#: Ends nearer than this share of a path's length are one point.
_CLOSES = 1e-7
#: Stations in a full turn of the path at first, and the most that there may be.
_A_TURN, _MOST = 16, 6000


@dataclass(frozen=True, slots=True)
class Path:
    """Points (n, 3), mm, close together along a smooth path, and its directions there (n, 3), of
    length 1; whether it comes back to where it began, there going on as it began (its last point is
    then its first)."""

    points: Floats
    ways: Floats
    closed: bool

    @property
    def run(self) -> Floats:
        """How far each point is along the path, mm."""
        points: Floats = np.concatenate(
            [[0.0], np.cumsum(np.linalg.norm(np.diff(self.points, axis=0), axis=1))]
        )
        return points


def by_formulas(values: Mapping[str, float], parameter: str) -> Path:
    """The path that x, y and z describe, from their values at the nodes of its panels.

    Raises:
        StepError: where the formulas give no path, a corner, or one that goes round more often than
        can be seen.
    """
    count = PANELS * (PANEL_NODES - 1) + 1
    known = np.array([[values[f"{axis}@{k}"] for k in range(count)] for axis in ("x", "y", "z")])
    if float(np.ptp(known, axis=1).max()) < 1e-6:
        raise StepError(
            "The formulas give one point and no curve.",
            "Let x, y or z depend on the parameter.",
            "x",
        )
    s = -np.cos(np.pi * np.arange(PANEL_NODES) / (PANEL_NODES - 1))
    picked = np.arange(PANELS)[:, None] * (PANEL_NODES - 1) + np.arange(PANEL_NODES)
    panels = known[:, picked]  # axis, panel, node
    vander = np.polynomial.chebyshev.chebvander(s, PANEL_NODES - 1)
    fitted = np.linalg.solve(vander, panels.reshape(-1, PANEL_NODES).T)  # coefficient, axis · panel
    _not_broken(fitted.reshape(PANEL_NODES, 3, PANELS), parameter)
    u = np.linspace(-1, 1, _DENSE, endpoint=False)
    at = np.polynomial.chebyshev.chebval(u, fitted)
    slope = np.polynomial.chebyshev.chebval(
        np.append(u, 1.0), np.polynomial.chebyshev.chebder(fitted)
    )
    points = np.concatenate([at.reshape(3, -1).T, known[:, -1:].T])
    slopes = np.concatenate(
        [slope[:, :-1].reshape(3, -1).T, slope.reshape(3, PANELS, -1)[:, -1, -1][None]]
    )
    return _path(points, slopes, "last")


def _not_broken(fitted: Floats, parameter: str) -> None:
    """Refuse panels that their polynomials do not come close to.

    Raises:
        StepError: says where on the way.
    """
    size = np.linalg.norm(np.abs(fitted[1:]).sum(axis=0), axis=0)  # how far each panel goes
    off = np.linalg.norm(np.abs(fitted[-3:]).max(axis=0), axis=0)
    worst = int((off / np.maximum(size, 1e-9 * size.max())).argmax())
    if off[worst] > 1e-3 * size[worst]:
        raise StepError(
            "The curve has a corner, or turns too often to be followed, about "
            f"{100 * (worst + 0.5) / PANELS:.0f} % of "
            f"the way along {say_name(parameter)}.",
            "Make its formulas smooth there, or use several steps, each over a part of it.",
            "last",
        )


def through_points(corners: Sequence[Vector]) -> Path:
    """The smooth path through points (a cubic spline), closed where the last is the first.

    Raises:
        StepError: where two neighbours are the same.
    """
    from scipy.interpolate import CubicSpline  # here: most designs do without it

    rows = np.array(corners)
    gaps = np.linalg.norm(np.diff(rows, axis=0), axis=1)
    if gaps.min() < 1e-6:
        k = int(np.argmin(gaps)) + 1
        raise StepError(
            f"Points {k} and {k + 1} of the path are the same.",
            "Move one of them.",
            f"points.{k}.x",
        )
    at = np.concatenate([[0.0], np.cumsum(gaps)])
    closed = len(rows) > 3 and float(np.linalg.norm(rows[-1] - rows[0])) <= _CLOSES * at[-1]
    if closed:
        rows[-1] = rows[0]
    spline = CubicSpline(at, rows, bc_type="periodic" if closed else "not-a-knot")
    s = np.linspace(0.0, at[-1], _DENSE * len(rows) + 1)
    return _path(spline(s), spline(s, 1), "points")


def along_pieces(pieces: Sequence[PathPiece], closed: bool, where: str) -> Path:
    """The same along exact pieces that follow each other without corners.

    Raises:
        StepError: where there is a corner: nothing can twist or grow around it.
    """
    pairs = list(itertools.pairwise(pieces)) + ([(pieces[-1], pieces[0])] if closed else [])
    for number, (before, after) in enumerate(pairs, 1):
        if math.dist(tangent(before, at_end=True), tangent(after, at_end=False)) > 1e-6:
            raise StepError(
                f"The path has a sharp corner after its piece {number}; an outline that twists "
                "or grows cannot go round it.",
                "Round the corner, or leave twist and growth alone.",
                where,
            )
    points: list[Vector] = []
    slopes: list[Vector] = []
    for frame, curve in pieces:
        for (x, y), (dx, dy) in _even(curve)[1 if points else 0 :]:
            points.append(frame.at(x, y))
            origin = frame.origin
            slopes.append(add(frame.at(dx, dy), origin, -1.0))
    return _path(np.array(points), np.array(slopes), where)


def _even(curve: Curve) -> list[tuple[tuple[float, float], tuple[float, float]]]:
    """Points close together along a curve with its slopes there, both ends included."""
    turns = abs(curve.t1 - curve.t0) / math.tau if isinstance(curve, EllipticArc) else 0.5
    s = np.linspace(0.0, 1.0, max(8, math.ceil(4 * _DENSE * turns)) + 1)
    if isinstance(curve, Bezier):
        return [
            ((x, y), (dx, dy))
            for (x, y), (dx, dy) in zip(curve.at(s).tolist(), curve.slope(s).tolist(), strict=True)
        ]
    if isinstance(curve, Segment):
        (ax, ay), (bx, by) = curve.start, curve.end
        return [((ax + (bx - ax) * k, ay + (by - ay) * k), (bx - ax, by - ay)) for k in s.tolist()]
    sign = math.copysign(1.0, curve.t1 - curve.t0)
    angles = (curve.t0 + (curve.t1 - curve.t0) * s).tolist()
    return [
        (curve.at(t), (-curve.rx * math.sin(t) * sign, curve.ry * math.cos(t) * sign))
        for t in angles
    ]


def _path(points: Floats, slopes: Floats, where: str) -> Path:
    speed = np.linalg.norm(slopes, axis=1)
    if speed.min() <= 1e-9 * speed.max():
        x, y, z = points[int(speed.argmin())].tolist()
        raise StepError(
            f"The path stops at {say_spot(x, y, z)} before it goes on; it has no direction there.",
            "Let it run on without a halt.",
            where,
        )
    ways = slopes / speed[:, None]
    length = float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())
    meets = float(np.linalg.norm(points[-1] - points[0])) <= _CLOSES * length
    if meets and float(ways[-1] @ ways[0]) < 1 - 1e-8:
        x, y, z = points[0].tolist()
        raise StepError(
            f"The path comes back to its start at {say_spot(x, y, z)} in another direction.",
            "Let it close without a corner, or end before it.",
            where,
        )
    if meets:
        points, ways = points.copy(), ways.copy()
        points[-1], ways[-1] = points[0], ways[0]
    return Path(points, ways, meets)


def frames_of(path: Path, first: Frame, keeps: Vector | None) -> tuple[Floats, Floats]:
    """The two axes of a section at each point of a path, (n, 3) each.

    Without ``keeps`` they turn no more than they must; on a closed path what is left over at its
    end is spread evenly.
    With it they keep to a direction: the section leans on it as it does at the start.

    Raises:
        StepError: where the path runs along that direction.
    """
    if keeps is None:
        x = least_twist(path.points, path.ways, first)
        if path.closed:
            left = _turn(x[-1], x[0], path.ways[0])
            run = path.run
            x = _turned(x, path.ways, left * run / run[-1])
        return x, np.cross(path.ways, x)
    up = np.array(keeps) / np.linalg.norm(keeps)
    x = np.cross(up, path.ways)
    size = np.linalg.norm(x, axis=1)
    if size.min() < 1e-3:
        raise StepError(
            "The path runs along the direction that the outline keeps to, at "
            f"{say_spot(*path.points[int(size.argmin())].tolist())}.",
            "Choose “with the least twist”, or another face to keep to.",
            "keep",
        )
    x = x / size[:, None]
    start = least_twist(path.points[:1], path.ways[:1], first)[0]
    x = _turned(x, path.ways, np.full(len(x), _turn(x[0], start, path.ways[0])))
    return x, np.cross(path.ways, x)


def _turn(a: Floats, b: Floats, way: Floats) -> float:
    """The angle from one direction to another about a third, radians."""
    return math.atan2(float(np.cross(a, b) @ way), float(a @ b))


def _turned(x: Floats, ways: Floats, by: Floats) -> Floats:
    """Directions turned about the path."""
    turned: Floats = x * np.cos(by)[:, None] + np.cross(ways, x) * np.sin(by)[:, None]
    return turned


def stations(path: Path, x: Floats, y: Floats, close: float) -> tuple[Floats, Floats]:
    """As few stations as describe a section's way to ``close`` mm: parameters (n,), and origin and
    axes (n, 9).

    They lie closer together where the path bends or the section turns, and twice as close until
    that is enough.
    """
    from scipy.interpolate import make_interp_spline  # here: most designs do without it

    rows = np.hstack([path.points, x, y])
    run = path.run
    moved = np.linalg.norm(np.diff(path.ways, axis=0), axis=1) + np.linalg.norm(
        np.diff(x, axis=0), axis=1
    )
    measure = np.concatenate([[0.0], np.cumsum(moved + 1e-3 * np.diff(run) / run[-1])])
    measure = measure / measure[-1] + run / run[-1]
    turns = float(moved.sum()) / math.tau
    count = max(8, math.ceil(turns * _A_TURN))
    while True:
        picked = np.unique(
            np.searchsorted(measure, np.linspace(0, measure[-1], count + 1)).clip(0, len(run) - 1)
        )
        picked[0], picked[-1] = 0, len(run) - 1
        picked = np.unique(picked)
        chosen = rows[picked]
        if path.closed:
            chosen[-1] = chosen[0]
        spline = make_interp_spline(
            run[picked], chosen, k=5, bc_type="periodic" if path.closed else None
        )
        off = float(np.abs(spline(run)[:, :3] - path.points).max())
        turned = float(np.abs(spline(run)[:, 3:] - rows[:, 3:]).max())
        if max(off, turned * close * 1e2) <= close or count >= _MOST or len(picked) >= len(run):
            return run[picked], chosen
        count *= 2
