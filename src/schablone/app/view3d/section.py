"""The face of a cut: where a plane square to an axis goes through a closed mesh."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from ...core.kernel.triangles import triangulate
from .drawn_mesh import DrawnMesh


def cut_face(shape: DrawnMesh, axis: int, at: float) -> NDArray[np.float64]:
    """Triangles (m, 3, 3) that fill the part where the plane cuts it; none where it does not.

    Neighbouring triangles share the points of their common edges, so the cuts through them close to
    rings; which of those are holes follows from how they nest.
    """
    points = shape.points.astype(np.float64)
    if not len(points):
        return np.empty((0, 3, 3))
    # Off the plane by a hair, so that no corner lies on it.
    at = at + 1.3e-5
    above = points[:, axis] > at
    sides = above[shape.triangles]
    crossing = shape.triangles[(sides.any(axis=1)) & (~sides.all(axis=1))]
    if not len(crossing):
        return np.empty((0, 3, 3))
    ends: list[NDArray[np.float64]] = []
    mask = np.zeros((len(crossing), 3), dtype=bool)
    for k in range(3):
        # From the lower number to the higher: both triangles of an edge work out the very same
        # point.
        i = np.minimum(crossing[:, k], crossing[:, (k + 1) % 3])
        j = np.maximum(crossing[:, k], crossing[:, (k + 1) % 3])
        mask[:, k] = above[i] != above[j]
        run = points[j, axis] - points[i, axis]
        share = (at - points[i, axis]) / np.where(run == 0, 1.0, run)
        ends.append(points[i] + share[:, None] * (points[j] - points[i]))
    stacked = np.stack(ends, 1)[mask].reshape(-1, 2, 3)
    flat_axes = [a for a in range(3) if a != axis]
    lines = shapely.linestrings(np.round(stacked[:, :, flat_axes], 9))
    area = shapely.build_area(shapely.multilinestrings(lines[shapely.length(lines) > 0]))
    pieces = []
    for polygon in shapely.get_parts(area):
        rings = [np.array(ring.coords)[:-1, :2] for ring in (polygon.exterior, *polygon.interiors)]
        flat = np.concatenate(rings)
        whole = np.empty((len(flat), 3))
        whole[:, flat_axes], whole[:, axis] = flat, at
        pieces.append(whole[triangulate(rings)])
    return np.concatenate(pieces) if pieces else np.empty((0, 3, 3))
