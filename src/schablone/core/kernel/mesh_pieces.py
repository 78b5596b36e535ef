"""Pieces of a free form that hang together, and where such touch each other along a line only."""

from __future__ import annotations

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray

from .frame import Vector, as_vector
from .meshed import Meshed
from .naming import FaceName

#: Pieces nearer than this, mm, touch.
_AT = 1e-6


def touching(body: Meshed) -> tuple[Vector, tuple[FaceName, ...]] | None:
    """A spot, mm, where it touches itself along a line and no further, with the faces there; None
    where there is none. The library keeps such pieces apart: they have no corner in common."""
    return _twice_there(body) or _pieces_that_touch(body)


def _pieces_that_touch(body: Meshed) -> tuple[Vector, tuple[FaceName, ...]] | None:
    """Where two of its pieces are no distance apart."""
    if pieces_of(body)[0] == 1:
        return None
    solids = [one for one in body.solid.decompose() if one.volume() > 0]
    boxes = np.array([one.bounding_box() for one in solids]).reshape(-1, 6)
    for k, low in enumerate(boxes):
        apart = np.maximum(boxes[:, :3] - low[3:], low[:3] - boxes[:, 3:]).max(axis=1)
        for other in np.flatnonzero(apart[:k] < _AT).tolist():
            if solids[k].min_gap(solids[other], 1.0) < _AT:
                return _between(body, solids[k], solids[other])
    return None


def _between(body: Meshed, one: Manifold, other: Manifold) -> tuple[Vector, tuple[FaceName, ...]]:
    """About where two pieces of it are nearest, and the faces there."""
    from scipy.spatial import cKDTree

    a, b = (np.asarray(piece.to_mesh64().vert_properties)[:, :3] for piece in (one, other))
    away, which = cKDTree(b).query(a)
    k = int(np.argmin(away))
    spots = np.array([a[k], b[int(np.asarray(which)[k])]])
    _, at = cKDTree(body.points).query(spots)
    around = np.isin(body.triangles, at).any(axis=1)
    faces = dict.fromkeys(body.names[number] for number in body.face_of[around].tolist())
    return as_vector(map(float, spots.mean(axis=0))), tuple(faces)


def pieces_of(body: Meshed) -> tuple[int, NDArray[np.int32]]:
    """How many pieces it has that do not hang together, hollows counted, and of each point
    that of its piece, (n,)."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    count = len(body.points)
    a, b, c = body.triangles.T
    links = np.concatenate([a, b]), np.concatenate([b, c])
    graph = coo_matrix((np.ones(2 * len(a)), links), shape=(count, count))
    number, label = connected_components(graph, directed=False)
    return int(number), label


def _twice_there(body: Meshed) -> tuple[Vector, tuple[FaceName, ...]] | None:
    """Where an edge of it lies on another one."""
    order = np.lexsort(body.points.T)
    ordered = body.points[order]
    same = (ordered[1:] == ordered[:-1]).all(axis=1)
    if not same.any():
        return None
    # The points by place, those that lie on each other by the first of them.
    place = np.empty(len(order), dtype=np.int64)
    place[order] = np.concatenate([[0], np.cumsum(~same)])
    sides = np.sort(place[body.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2)], axis=1)
    key = sides[:, 0] * (int(place.max()) + 1) + sides[:, 1]
    known, first, counts = np.unique(key, return_index=True, return_counts=True)
    many = np.flatnonzero(counts > 2)
    if not len(many):
        return None
    side = int(first[many[0]])
    triangle, corner = divmod(side, 3)
    a, b = (body.points[body.triangles[triangle, (corner + k) % 3]] for k in range(2))
    beside = np.flatnonzero(key == known[many[0]]) // 3
    faces = dict.fromkeys(body.names[body.face_of[k]] for k in beside)
    return as_vector(map(float, (a + b) / 2)), tuple(faces)
