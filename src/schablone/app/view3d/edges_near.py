"""Which edges lie near a pixel, and whether they are seen there."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from .camera import Camera
from .shown import ShownPart

#: By how many pixels something must lie before an edge to hide it: an edge lies in its own faces.
_BEFORE = 3.0
#: Edges further away than this, pixels, are not looked at.
_REACH = 12.0


class NearEdge(NamedTuple):
    """How far an edge is from a pixel, in pixels, whether something hides it there, its part and
    its number."""

    distance: float
    is_hidden: bool
    part: int
    edge: int


def edges_near(
    parts: Sequence[ShownPart],
    without: frozenset[str],
    camera: Camera,
    pixel: tuple[float, float],
    height: int,
    width: int,
) -> list[NearEdge]:
    """The edges within a dozen pixels, in no order; ``without`` names parts that are hidden."""
    right, up, towards = camera.axes()
    start, direction = camera.ray(*pixel, width, height)
    scale = height / camera.span
    shown = [(k, part) for k, part in enumerate(parts) if part.name not in without]
    found = []
    for number, part in shown:
        shape = part.shape
        if not len(shape.edges):
            continue
        rel = shape.edges.astype(np.float64) - start
        flat = np.stack([rel @ right, rel @ up], 1) * scale
        ends = np.cumsum(shape.edge_lengths)
        a, d = flat[:-1], np.diff(flat, axis=0)
        t = np.clip(-(a * d).sum(1) / np.maximum((d * d).sum(1), 1e-12), 0, 1)
        far = np.hypot(*(a + t[:, None] * d).T)
        far[ends[:-1] - 1] = np.inf  # from the end of one edge to the start of the next
        edges = np.searchsorted(ends, np.arange(len(far)), side="right")
        for edge in np.unique(edges[far <= _REACH]).tolist():
            k = int(np.argmin(np.where(edges == edge, far, np.inf)))
            spot = shape.edges[k] + t[k] * (shape.edges[k + 1] - shape.edges[k])
            before = spot.astype(np.float64) + towards * 1e5
            hits = (other.shape.pick(before, direction) for _, other in shown)
            nearest = min((hit[1] for hit in hits if hit is not None), default=np.inf)
            hidden = nearest < 1e5 - _BEFORE / scale
            found.append(NearEdge(float(far[k]), bool(hidden), number, edge))
    return found
