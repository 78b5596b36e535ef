"""A free form as it is drawn from one side: its outline, the lines where its faces meet, and the
outlines of round ones; those behind something as hidden ones."""

from __future__ import annotations

import math
from collections.abc import Iterator
from itertools import pairwise
from typing import Any

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray
from shapely.geometry import LineString

from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.mapping import XY
from .frame import Frame
from .line_work import Lines, not_under
from .meshed import Meshed, signed_rings

Floats = NDArray[np.float64]

#: How far lines may lie off the triangles, mm.
_FINE = 0.02
#: What lies less far above a line, mm, does not hide it: the faces beside it.
_ABOVE = 0.01
#: So many points a circle has at least, and how far, as a share of its radius, they lie off it.
_LEAST, _ROUND = 12, 5e-4
#: Lines shorter than this, mm, are none.
_NEAR = 1e-6


def lines_of_triangles(body: Meshed, view: Frame, cut: float | None = None) -> Lines:
    """The lines of a free form as it is seen against the normal of a plane. With ``cut`` all that
    lies more than so many mm above the plane is taken away before.

    Raises:
        ValueError: where the cut takes away all of it, or meets nothing.
    """
    axes = np.array([view.x, view.y, view.normal])
    shift = -axes @ np.array(view.origin)
    solid = body.solid.transform(np.column_stack([axes, shift]))
    areas: tuple[tuple[tuple[XY, ...], ...], ...] = ()
    if cut is not None:
        areas = tuple(_areas(solid.slice(cut)))
        if not areas:
            raise ValueError("the cut does not meet the part")
        solid = solid.trim_by_plane((0.0, 0.0, -1.0), -cut)
    seen: list[Curve] = list(_outline(solid))
    hidden: list[Curve] = []
    top = solid.bounding_box()[5]
    for line in (*body.lines(), *body.contours(view.normal)):
        points = line @ axes.T + shift
        sides: list[tuple[Curve, bool]] = []
        for a, b in pairwise(_fewer(points)):
            middle = (a + b) / 2
            if cut is not None and middle[2] > cut:
                continue
            side = Segment((float(a[0]), float(a[1])), (float(b[0]), float(b[1])))
            if side.length > _NEAR:
                sides.append((side, _is_hidden(solid, middle, top)))
        arc = _arc_through(points[:, :2]) if cut is None else None
        if arc is not None and len({is_hidden for _, is_hidden in sides}) == 1:
            sides = [(arc, sides[0][1])]
        seen += [side for side, is_hidden in sides if not is_hidden]
        hidden += [side for side, is_hidden in sides if is_hidden]
    return Lines(tuple(seen), tuple(not_under(hidden, seen)), areas)


def _fewer(points: Floats) -> Floats:
    if len(points) < 3:
        return points
    return np.array(LineString(points).simplify(_FINE).coords)


def _arc_through(points: Floats) -> EllipticArc | None:
    """The circle, or the part of one, that a line of points runs along; None where it is none."""
    if len(points) < _LEAST:
        return None
    a, b, c = points[0], points[len(points) // 3], points[2 * len(points) // 3]
    # From the first: the centre is as far from all three.
    rows = 2 * np.array([b - a, c - a])
    if abs(float(np.linalg.det(rows))) < _NEAR:
        return None
    centre = a + np.linalg.solve(rows, ((rows / 2) ** 2).sum(axis=1))
    away = np.linalg.norm(points - centre, axis=1)
    if float(np.ptp(away)) > _ROUND * float(away.mean()):
        return None
    # Corners lie outside, middles of chords inside, so that the mean over all of it is its own.
    inside = np.linalg.norm((points[1:] + points[:-1]) / 2 - centre, axis=1)
    radius = float(away.mean() + 2 * inside.mean()) / 3
    angles = np.unwrap(np.arctan2(*(points - centre).T[::-1]))
    first, last = float(angles[0]), float(angles[-1])
    closed = bool(np.abs(points[0] - points[-1]).max() < _NEAR)
    if closed:
        last = first + math.copysign(math.tau, last - first)
    x, y = map(float, centre)
    return EllipticArc((x, y), radius, radius, first, last)


def _is_hidden(solid: Manifold, at: Floats, top: float) -> bool:
    x, y, z = map(float, at)
    if z + _ABOVE >= top:
        return False
    return bool(solid.ray_cast((x, y, z + _ABOVE), (x, y, top + 1.0)))


def _outline(solid: Manifold) -> Iterator[Segment]:
    """The outline of the shadow that falls straight down."""
    for ring in solid.project().simplify(_FINE).to_polygons():
        points = [(float(x), float(y)) for x, y in ring]
        for a, b in zip(points, [*points[1:], points[0]], strict=True):
            if a != b:
                yield Segment(a, b)


def _areas(section: Any) -> Iterator[tuple[tuple[XY, ...], ...]]:
    """The areas of a section, each with its outer ring first."""
    for outer, holes in signed_rings(section.to_polygons()):
        yield tuple(tuple((float(x), float(y)) for x, y in ring) for ring in (outer, *holes))
