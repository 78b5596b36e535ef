"""Triangles that fill flat areas."""

from __future__ import annotations

import math
from collections.abc import Sequence

import manifold3d
import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

#: Corners whose triangle is no higher than this, mm, lie in line.
_IN_LINE = 1e-9


def triangulate(rings: Sequence[Floats]) -> Ints:
    """Triangles (m, 3) of a flat area given by its outline and holes, each (k, 2), numbered through
    all rings.

    Counter-clockwise whatever way the rings run. Every side of a ring is a side of just one
    triangle, so that what is put together from such areas and the walls on them is closed; none is
    without area.
    """
    flat = np.concatenate(rings)
    ends = np.cumsum([len(ring) for ring in rings]).astype(np.uint32)
    triangles: Ints = mapbox_earcut.triangulate_float64(flat, ends).reshape(-1, 3).astype(np.int32)
    # By Euler's formula: this quick way leaves points out that lie in line with others.
    if len(triangles) != len(flat) + 2 * len(rings) - 4:
        triangles = _every_side_once(rings)
    backwards = _twice_area(flat, triangles) < 0
    triangles[backwards] = triangles[backwards][:, ::-1]
    return _without_slivers(flat, triangles)


def _every_side_once(rings: Sequence[Floats]) -> Ints:
    """The same by a slower way that leaves out nothing."""
    numbers, wound, start = [], [], 0
    for k, ring in enumerate(rings):
        x, y = ring[:, 0], ring[:, 1]
        forward = (x @ np.roll(y, -1) - y @ np.roll(x, -1) > 0) == (k == 0)
        wound.append(ring if forward else ring[::-1])
        count = np.arange(start, start + len(ring), dtype=np.int32)
        numbers.append(count if forward else count[::-1])
        start += len(ring)
    found: Ints = np.concatenate(numbers)[manifold3d.triangulate(wound)]
    return found


def _twice_area(points: Floats, triangles: Ints) -> Floats:
    a, b, c = (points[triangles[:, i]] for i in range(3))
    found: Floats = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (
        c[:, 0] - a[:, 0]
    )
    return found


def _without_slivers(points: Floats, triangles: Ints) -> Ints:
    """Triangles whose corners lie in line put right: the longest side is given up for the other
    diagonal of what it divides."""
    slivers = np.flatnonzero(_heights(points, triangles) <= _IN_LINE).tolist()
    if not slivers:
        return triangles
    found = [tuple(row) for row in triangles.tolist()]
    beside = {(row[i], row[(i + 1) % 3]): k for k, row in enumerate(found) for i in range(3)}
    for _ in range(3 * len(slivers)):
        if not slivers:
            break
        k = slivers.pop(0)
        row = found[k]
        a, b, c = max(
            (tuple(row[(i + j) % 3] for j in range(3)) for i in range(3)),
            key=lambda t: math.dist(points[t[0]], points[t[1]]),
        )
        other = beside.get((b, a))
        if other is None:
            continue  # at the outline: two of its sides lie on each other
        d = next(n for n in found[other] if n not in (a, b))
        found[k], found[other] = (a, d, c), (d, b, c)
        for number in (k, other):
            beside |= {(found[number][i], found[number][(i + 1) % 3]): number for i in range(3)}
        both = _heights(points, np.array([found[k], found[other]], dtype=np.int32))
        slivers += [
            number
            for number, height in zip((k, other), both.tolist(), strict=True)
            if height <= _IN_LINE
        ]
    return np.array(found, dtype=np.int32)


def _heights(points: Floats, triangles: Ints) -> Floats:
    """The least height of each triangle, mm."""
    a, b, c = (points[triangles[:, i]] for i in range(3))
    longest = np.max([np.linalg.norm(q - p, axis=1) for p, q in ((a, b), (b, c), (c, a))], axis=0)
    found: Floats = np.abs(_twice_area(points, triangles)) / np.maximum(longest, 1e-12)
    return found
