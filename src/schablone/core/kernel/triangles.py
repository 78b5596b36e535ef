"""Triangles that fill flat areas."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence

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
    if len(rings) == 1 and len(rings[0]) == 4 and (quick := _of_four(rings[0])) is not None:
        return quick
    flat = np.concatenate(rings)
    ends = np.cumsum([len(ring) for ring in rings]).astype(np.uint32)
    triangles: Ints = mapbox_earcut.triangulate_float64(flat, ends).reshape(-1, 3).astype(np.int32)
    # By Euler's formula: this quick way leaves points out that lie in line with others.
    if len(triangles) != len(flat) + 2 * len(rings) - 4:
        triangles = _every_side_once(rings)
    # All run one way: that of one whose corners all but lie in line is not told by its own area.
    if _twice_area(flat, triangles).sum() < 0:
        triangles = triangles[:, ::-1].copy()
    return _without_slivers(flat, triangles)


def _of_four(ring: Floats) -> Ints | None:
    """The triangles between four corners; None where they have one that points inwards, or lies in
    line."""
    (ax, ay), (bx, by), (cx, cy), (dx, dy) = ring.tolist()
    turns = (
        (bx - ax) * (cy - by) - (by - ay) * (cx - bx),
        (cx - bx) * (dy - cy) - (cy - by) * (dx - cx),
        (dx - cx) * (ay - dy) - (dy - cy) * (ax - dx),
        (ax - dx) * (by - ay) - (ay - dy) * (bx - ax),
    )
    long = max(math.hypot(cx - ax, cy - ay), math.hypot(dx - bx, dy - by))
    if min(turns) > _IN_LINE * long:
        return np.array([[2, 3, 0], [2, 0, 1]], dtype=np.int32)
    if max(turns) < -_IN_LINE * long:
        return np.array([[1, 0, 3], [1, 3, 2]], dtype=np.int32)
    return None


def area_below(line: Floats) -> float:
    """The share of a flat line (n, 2) in the area that it goes round with others, mm²: half of
    x dy − y dx along it."""
    x, y = line[:, 0], line[:, 1]
    return float(x[:-1] @ y[1:] - y[:-1] @ x[1:]) / 2


def signed_area(ring: Floats) -> float:
    """The area that a flat ring (n, 2) goes round, mm², above zero counter-clockwise."""
    (a, b), (c, d) = ring[-1], ring[0]
    return area_below(ring) + float(a * d - b * c) / 2


def _every_side_once(rings: Sequence[Floats]) -> Ints:
    """The same by a slower way that leaves out nothing."""
    numbers, wound, start = [], [], 0
    for k, ring in enumerate(rings):
        forward = (signed_area(ring) > 0) == (k == 0)
        wound.append(ring if forward else ring[::-1])
        count = np.arange(start, start + len(ring), dtype=np.int32)
        numbers.append(count if forward else count[::-1])
        start += len(ring)
    triangles: Ints = np.concatenate(numbers)[manifold3d.triangulate(wound)]
    return triangles


def _twice_area(points: Floats, triangles: Ints) -> Floats:
    a, b, c = (points[triangles[:, i]] for i in range(3))
    doubled: Floats = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (
        c[:, 0] - a[:, 0]
    )
    return doubled


def _without_slivers(points: Floats, triangles: Ints) -> Ints:
    """Triangles whose corners lie in line put right: the longest side is given up for the other
    diagonal of what it divides.

    Where what lies beyond that side has an area, both have one then. Where several lie in one line,
    those with the longest side go first, so that the others come to lie beside what has an area.
    """
    slivers = set(np.flatnonzero(_heights(points, triangles) <= _IN_LINE).tolist())
    if not slivers:
        return triangles
    rows = [tuple(row) for row in triangles.tolist()]
    beside = {(row[i], row[(i + 1) % 3]): k for k, row in enumerate(rows) for i in range(3)}
    for _ in range(10 * len(slivers) + 10):
        chosen = _next_to_flip(points, rows, beside, slivers)
        if chosen is None:
            break
        k, other, (a, b, c) = chosen
        d = next(n for n in rows[other] if n not in (a, b))
        rows[k], rows[other] = (a, d, c), (d, b, c)
        for number in (k, other):
            beside |= {(rows[number][i], rows[number][(i + 1) % 3]): number for i in range(3)}
        both = _heights(points, np.array([rows[k], rows[other]], dtype=np.int32))
        for number, height in zip((k, other), both.tolist(), strict=True):
            (slivers.add if height <= _IN_LINE else slivers.discard)(number)
    return np.array(rows, dtype=np.int32)


def _next_to_flip(
    points: Floats,
    triangles: Sequence[tuple[int, ...]],
    beside: Mapping[tuple[int, int], int],
    slivers: Collection[int],
) -> tuple[int, int, tuple[int, int, int]] | None:
    """A triangle without area, that beyond its longest side, and its corners, those of that side
    first; None where all that are left lie at the outline, two of whose sides lie on each other."""
    best: tuple[float, int, int, tuple[int, int, int]] | None = None
    for k in sorted(slivers):
        p, q, r = triangles[k]
        length, (a, b, c) = max(
            (math.dist(points[one[0]], points[one[1]]), one)
            for one in ((p, q, r), (q, r, p), (r, p, q))
        )
        other = beside.get((b, a))
        if other is None:
            continue
        if other not in slivers:
            return k, other, (a, b, c)
        if best is None or length > best[0]:
            best = length, k, other, (a, b, c)
    return best[1:] if best is not None else None


def _heights(points: Floats, triangles: Ints) -> Floats:
    """The least height of each triangle, mm."""
    a, b, c = (points[triangles[:, i]] for i in range(3))
    longest = np.max([np.linalg.norm(q - p, axis=1) for p, q in ((a, b), (b, c), (c, a))], axis=0)
    heights: Floats = np.abs(_twice_area(points, triangles)) / np.maximum(longest, 1e-12)
    return heights
