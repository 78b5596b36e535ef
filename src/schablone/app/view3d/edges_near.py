"""Which edges lie near a pixel."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from .camera import Camera
from .shown import ShownPart

#: Edges further away than this, pixels, are not looked at.
_REACH = 12.0


class NearEdge(NamedTuple):
    """How far an edge is from a pixel, in pixels, its part and its number, and where on it, mm."""

    distance: float
    part: int
    edge: int
    spot: tuple[float, float, float]


def edges_near(
    parts: Sequence[ShownPart],
    without: frozenset[str],
    camera: Camera,
    pixel: tuple[float, float],
    height: int,
    width: int,
) -> list[NearEdge]:
    """The edges within a dozen pixels, the nearest first, hidden ones among them; ``without`` names
    parts that are not shown."""
    right, up, _ = camera.axes()
    start, _ = camera.ray(*pixel, width, height)
    scale = height / camera.span
    beside = []
    for number, part in enumerate(parts):
        shape = part.shape
        if part.name in without or not len(shape.edges):
            continue
        rel = shape.edges.astype(np.float64) - start
        flat = np.stack([rel @ right, rel @ up], 1) * scale
        ends = np.cumsum(shape.edge_lengths)
        a, d = flat[:-1], np.diff(flat, axis=0)
        t = np.clip(-(a * d).sum(1) / np.maximum((d * d).sum(1), 1e-12), 0, 1)
        far = np.hypot(*(a + t[:, None] * d).T)
        far[ends[:-1] - 1] = np.inf  # from the end of one edge to the start of the next
        near = np.flatnonzero(far <= _REACH)
        edges = np.searchsorted(ends, near, side="right")
        for edge in np.unique(edges).tolist():
            own = near[edges == edge]
            k = int(own[np.argmin(far[own])])
            x, y, z = (shape.edges[k] + t[k] * (shape.edges[k + 1] - shape.edges[k])).tolist()
            beside.append(NearEdge(float(far[k]), number, edge, (x, y, z)))
    return sorted(beside)
