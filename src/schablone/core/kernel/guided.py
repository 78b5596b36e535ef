"""A section carried along a path in space: where it is at each station, what it encloses, and where
it meets itself.

Everything here is plain numbers. The section keeps its form; it may turn about the path and grow.
Between stations its position, its two axes and so every point of it follow one spline of fifth
degree, periodic where the path closes, which for sixteen stations in a turn strays from a circle by
less than a millionth of its radius.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
import shapely
from numpy.typing import NDArray

from ..sketch.curves import Segment
from ..sketch.regions import Region, polygon_of
from .frame import Frame, Vector
from .naming import FaceName

if TYPE_CHECKING:
    from scipy.interpolate import BSpline

Floats = NDArray[np.float64]

_DEGREE = 5
#: Places between two stations at which it is asked whether the section folds over itself.
_BETWEEN = 4
#: How deep one stretch may lie in another before that is told, as a share of the section's size.
_DEEP = 2e-3
#: How many pairs of stations are looked at together.
_AT_ONCE = 20_000


@dataclass(frozen=True)
class Guided:
    """A region led along stations. ``stations`` (n, 9) are its origin and its x and y axis in space
    at ``at`` (n,), from 0 on; a closed path repeats its first station at the end. ``sides`` names
    the faces by the region's curves.
    """

    region: Region
    at: tuple[float, ...]
    stations: tuple[tuple[float, ...], ...]
    closed: bool
    start: FaceName
    end: FaceName
    sides: Mapping[str, FaceName]
    #: Over how many stations one face goes: the kernel's time for a face, and its trouble with it,
    #: grow with its length.
    stations_a_face: int = 12

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        ends = set() if self.closed else {self.start, self.end}
        return {*self.sides.values(), *ends}

    def stretched(self, factors: Vector) -> Guided:
        """The same in a space stretched along its axes by factors, exactly: its stations follow."""
        by = np.tile(factors, 3)
        rows = tuple(tuple((np.array(row) * by).tolist()) for row in self.stations)
        return replace(self, stations=rows)

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of both ends, their normals out of the material; none where the path closes."""
        if self.closed:
            return {}
        return {self.start: self._frame(0).turned_over(), self.end: self._frame(-1)}

    def _frame(self, k: int) -> Frame:
        o, x, y = (np.array(self.stations[k][i : i + 3]) for i in (0, 3, 6))
        x, y = x / np.linalg.norm(x), y / np.linalg.norm(y)
        return Frame(*(tuple(v.tolist()) for v in (o, x, y)))

    def bounds(self) -> tuple[Vector, Vector]:
        """A box that holds it, mm, not the smallest."""
        rows = self.spline(self._dense())
        outline = self.region.outer.points(0.05)
        points = (
            rows[:, None, :3]
            + outline[None, :, :1] * rows[:, None, 3:6]
            + outline[None, :, 1:] * rows[:, None, 6:]
        )
        flat = points.reshape(-1, 3)
        low, high = flat.min(axis=0) - 0.05, flat.max(axis=0) + 0.05
        return tuple(low.tolist()), tuple(high.tolist())

    def of_member(self, number: int) -> Guided:
        """The same with the names of a member of a row."""
        sides = {key: name.of_member(number) for key, name in self.sides.items()}
        return replace(
            self, start=self.start.of_member(number), end=self.end.of_member(number), sides=sides
        )

    @cached_property
    def spline(self) -> BSpline:
        """The nine coordinates as a spline of the parameter."""
        from scipy.interpolate import make_interp_spline  # here: most designs do without it

        rows = np.array(self.stations)
        if self.closed:
            rows[-1] = rows[0]
        return make_interp_spline(
            self.at, rows, k=_DEGREE, bc_type="periodic" if self.closed else None
        )

    def _dense(self, between: int = _BETWEEN) -> Floats:
        at = np.array(self.at)
        steps = np.linspace(0, 1, between, endpoint=False)
        places: Floats = np.append((at[:-1, None] + np.diff(at)[:, None] * steps).ravel(), at[-1])
        return places

    @cached_property
    def volume(self) -> float:
        """Enclosed volume, mm³: the flow of each section's area through space, by Gauss-Legendre
        quadrature of each span.

        With the section at o + x·X + y·Y the volume element is its determinant with the derivative
        along the path; for a section that does not grow this is Pappus' theorem.
        """
        nodes, weights = np.polynomial.legendre.leggauss(8)
        at = np.array(self.at)
        half = np.diff(at) / 2
        s = (at[:-1] + half)[:, None] + half[:, None] * nodes
        rows, slopes = self.spline(s), self.spline.derivative()(s)
        normal = np.cross(rows[..., 3:6], rows[..., 6:9])
        area, (mx, my) = _moments(self.region)
        flow = (
            normal * (area * slopes[..., :3] + mx * slopes[..., 3:6] + my * slopes[..., 6:9])
        ).sum(-1)
        return float((flow * weights * half[:, None]).sum())

    def folded_at(self) -> Vector | None:
        """Where the section runs backwards at one of its points: the path bends more sharply than
        the section is wide."""
        s = self._dense()
        rows, slopes = self.spline(s), self.spline.derivative()(s)
        normal = np.cross(rows[:, 3:6], rows[:, 6:9])
        outline = self.region.outer.points(0.02)
        speed = (
            slopes[:, None, :3]
            + outline[None, :, :1] * slopes[:, None, 3:6]
            + outline[None, :, 1:] * slopes[:, None, 6:]
        )
        ahead = (speed * normal[:, None]).sum(-1)
        usual = np.abs((slopes[:, :3] * normal).sum(-1)).max()
        worst = np.unravel_index(int(ahead.argmin()), ahead.shape)
        if ahead[worst] > 1e-6 * usual:
            return None
        x, y, z = rows[worst[0], :3].tolist()
        return (x, y, z)

    def meets_itself(self) -> tuple[Vector, float] | None:
        """Where one stretch lies within another, and how deep, mm; None where none does. Touching
        is no meeting."""
        from scipy.spatial import cKDTree  # here: most designs do without it

        s = self._dense()
        rows = self.spline(s)
        outline = _round(self.region)
        reach = _reach(self.region) * float(np.linalg.norm(rows[:, 3:6], axis=1).max())
        run = np.concatenate(
            [[0.0], np.cumsum(np.linalg.norm(np.diff(rows[:, :3], axis=0), axis=1))]
        )
        whole = run[-1]
        tree = cKDTree(rows[:, :3])
        pairs = tree.query_pairs(2 * reach, output_type="ndarray")
        apart = np.abs(run[pairs[:, 0]] - run[pairs[:, 1]])
        if self.closed:
            apart = np.minimum(apart, whole - apart)
        pairs = pairs[apart > math.pi * reach]
        if not len(pairs):
            return None
        both = np.concatenate([pairs, pairs[:, ::-1]])
        area = polygon_of(self.region.outer, 1e-3 * reach)
        frames = _Local(rows)
        parts = (both[k : k + _AT_ONCE] for k in range(0, len(both), _AT_ONCE))
        near = [
            spot
            for part in parts
            if (spot := _deepest(part, rows, outline, frames, area, reach)) is not None
        ]
        return max(near, key=lambda spot: spot[1], default=None)


def _moments(region: Region) -> tuple[float, tuple[float, float]]:
    x, y = region.outer.moment()
    for hole in region.holes:
        dx, dy = hole.moment()
        x, y = x - dx, y - dy
    return region.area, (x, y)


def _round(region: Region) -> Floats:
    """Points close together round a section, a little within it, so that what only touches lies
    outside."""
    spacing = _reach(region) / 8
    line = shapely.segmentize(polygon_of(region.outer, spacing / 20), spacing)
    points = shapely.get_coordinates(line.exterior)[:-1]
    middle = points.mean(axis=0)
    shrunk: Floats = middle + (points - middle) * 0.995
    return shrunk


def _reach(region: Region) -> float:
    """How far the section reaches from the path, mm."""
    return float(np.hypot(*region.outer.points(0.05).T).max())


class _Local:
    """The stations' own coordinates: x and y in the section, and along the path in the section's
    scale."""

    def __init__(self, rows: Floats) -> None:
        self.rows = rows
        axes = np.stack([rows[:, 3:6], rows[:, 6:9], np.cross(rows[:, 3:6], rows[:, 6:9])], axis=2)
        self.inverse = np.linalg.inv(axes)
        # How far apart two that differ by 1 along the path are, mm.
        self.scale = np.linalg.norm(axes[..., 0], axis=1) * np.linalg.norm(axes[..., 1], axis=1)
        gaps = np.linalg.norm(np.diff(rows[:, :3], axis=0), axis=1)
        self.gaps = np.append(gaps, gaps[-1])

    def seen_from(
        self, one: NDArray[np.integer], other: NDArray[np.integer]
    ) -> tuple[Floats, Floats, Floats]:
        """The origin and the two axes (m, 3) of other stations in the coordinates of stations (m,):
        a point (x, y) of the other section lies at origin + x·first + y·second."""
        to = self.inverse[one]
        origin = np.einsum("mij,mj->mi", to, self.rows[other, :3] - self.rows[one, :3])
        first = np.einsum("mij,mj->mi", to, self.rows[other, 3:6])
        second = np.einsum("mij,mj->mi", to, self.rows[other, 6:9])
        return origin, first, second


def _deepest(
    pairs: NDArray[np.integer],
    rows: Floats,
    outline: Floats,
    local: _Local,
    area: object,
    reach: float,
) -> tuple[Vector, float] | None:
    one, other = pairs[:, 0], pairs[:, 1]
    origin, first, second = local.seen_from(one, other)
    # Only points that lie level with the station: those before and behind it belong to its
    # neighbours.
    along = origin[:, 2:] + first[:, 2:] * outline[:, 0] + second[:, 2:] * outline[:, 1]
    near = 0.6 * local.gaps[one] / local.scale[one]
    pair, point = np.nonzero(np.abs(along) <= near[:, None])
    if not len(pair):
        return None
    flat = (
        origin[pair, :2]
        + outline[point, :1] * first[pair, :2]
        + outline[point, 1:] * second[pair, :2]
    )
    inside = np.flatnonzero(shapely.contains_xy(area, flat[:, 0], flat[:, 1]))
    if not len(inside):
        return None
    depth = shapely.distance(shapely.boundary(area), shapely.points(flat[inside]))
    best = int(depth.argmax())
    if depth[best] <= _DEEP * reach:
        return None
    k, (u, v) = other[pair[inside[best]]], outline[point[inside[best]]]
    x, y, z = (rows[k, :3] + u * rows[k, 3:6] + v * rows[k, 6:9]).tolist()
    return (x, y, z), float(depth[best])


def guided(
    region: Region,
    at: Floats,
    stations: Floats,
    *,
    closed: bool,
    start: FaceName,
    end: FaceName,
    sides: Mapping[str, FaceName],
) -> Guided:
    """The same from arrays: parameters (n,) and stations (n, 9), their places in mm."""
    rows = tuple(tuple(row) for row in stations.tolist())
    straight = all(isinstance(curve, Segment) for loop in region.loops for curve in loop.curves)
    return Guided(
        region, tuple(at.tolist()), rows, closed, start, end, sides, 40 if straight else 12
    )
