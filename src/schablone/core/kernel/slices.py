"""Level sections of meshes: the outlines that a printer draws."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from shapely import linestrings, polygonize, union_all
from shapely.geometry import Polygon

Floats = NDArray[np.float64]

#: Points this near to the line between their neighbours, mm, are none of the outline's own.
_STRAIGHT = 3e-4


def section(triangles: Floats, z: float) -> list[Polygon]:
    """The polygons in which the level plane at ``z`` meets a closed mesh, mm.

    ``triangles`` has shape (n, 3, 3): triangle, corner, coordinate. Closed meshes that touch count
    as one material.
    """
    above = triangles[:, :, 2] > z
    cut = triangles[(above.any(axis=1)) & (~above.all(axis=1))]
    ends = []
    for a, b in ((0, 1), (1, 2), (2, 0)):
        # Both triangles at an edge work out its point from the same end: else they may differ by a
        # last digit, be rounded apart, and the outline would not close.
        turned = (cut[:, a, 2] > cut[:, b, 2])[:, None]
        p, q = (np.where(turned, cut[:, m], cut[:, n]) for m, n in ((b, a), (a, b)))
        crosses = (p[:, 2] > z) != (q[:, 2] > z)
        with np.errstate(divide="ignore", invalid="ignore"):
            t = (z - p[:, 2]) / (q[:, 2] - p[:, 2])
            point = p[:, :2] + t[:, None] * (q[:, :2] - p[:, :2])
        ends.append(np.where(crosses[:, None], point, np.nan))
    stacked = np.stack(ends, 1)
    there = ~np.isnan(stacked[:, :, 0])
    whole = there.sum(axis=1) == 2
    pairs = stacked[whole][there[whole]].reshape(-1, 2, 2)
    pairs = pairs[np.abs(pairs[:, 0] - pairs[:, 1]).max(axis=1) > 1e-7]
    if not len(pairs):
        return []
    merged = union_all(linestrings(pairs), grid_size=1e-4)
    rings = [Polygon(p.exterior) for p in polygonize([merged]).geoms]
    rings.sort(key=lambda ring: -ring.area)
    # What lies within an even number of others is material.
    solid = []
    for k, ring in enumerate(rings):
        spot = ring.representative_point()
        depth = sum(other.contains(spot) for other in rings[:k])
        if depth % 2 == 0:
            inside = [
                o.exterior.coords
                for o in rings[k + 1 :]
                if ring.contains(o) and _depth(o, rings) == depth + 1
            ]
            # Where the plane meets the diagonal of a wall lies within a chord: no point of the
            # outline.
            solid.append(Polygon(_corners(ring.exterior.coords), [_corners(o) for o in inside]))
    return solid


def _corners(ring: object) -> Floats:
    """The points of a ring at which it turns."""
    points = np.array(Polygon(ring).simplify(_STRAIGHT).exterior.coords)[:-1]
    before, after = np.roll(points, 1, axis=0), np.roll(points, -1, axis=0)
    chord = after - before
    length = np.maximum(np.hypot(*chord.T), 1e-12)
    away = (
        np.abs(chord[:, 0] * (points - before)[:, 1] - chord[:, 1] * (points - before)[:, 0])
        / length
    )
    return points[away > _STRAIGHT] if (away > _STRAIGHT).sum() >= 3 else points


def _depth(ring: Polygon, rings: list[Polygon]) -> int:
    return sum(other is not ring and other.contains(ring) for other in rings)
