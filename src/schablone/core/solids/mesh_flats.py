"""The flat pieces of a mesh: triangles beside each other in one plane.

Directions that are nearly the same, or nearly along an axis, are made so, since files round their
figures.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..kernel.frame import as_vector
from ..kernel.surfaces import Surface
from .mesh_in import Net, edges_of

Floats = NDArray[np.float64]
Numbers = NDArray[np.int64]

#: How far a corner may lie off its face: this many mm, or this share of the part.
_OFF, _SHARE = 5e-5, 1e-6
#: Directions nearer than this, degrees, are one.
_SAME_WAY = 0.03


@dataclass
class Facet:
    """A flat piece: its triangles, its corners by number, its normal and its area."""

    triangles: list[int]
    corners: Numbers
    normal: Floats
    area: float


@dataclass(frozen=True)
class Flats:
    """The flat pieces of a mesh: the piece of each triangle, (m,), of each piece how many triangles
    it has, and its area, mm²; and how far a corner may lie off, mm."""

    net: Net
    label: Numbers
    counts: Numbers
    areas: Floats
    off: float

    @property
    def singles(self) -> int:
        """How many are one triangle alone."""
        return int((self.counts == 1).sum())

    @cached_property
    def pieces(self) -> list[Facet]:
        """Each of them, which takes long where there are many."""
        normal, cross = normals(self.net)
        pieces = []
        order = np.argsort(self.label, kind="stable")
        for mine in np.split(order, np.cumsum(self.counts)[:-1]):
            whole = cross[mine].sum(axis=0)
            area = float(np.linalg.norm(whole)) / 2
            pieces.append(
                Facet(
                    mine.tolist(),
                    np.unique(self.net.triangles[mine]),
                    whole / (2 * area) if area else normal[mine[0]],
                    area,
                )
            )
        return pieces


def normals(net: Net) -> tuple[Floats, Floats]:
    """Of each triangle the normal, of length 1, and that of twice its area, (m, 3) each."""
    corners = net.corners
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return cross / np.maximum(np.linalg.norm(cross, axis=1), 1e-300)[:, None], cross


def neighbours(net: Net) -> tuple[Numbers, Numbers]:
    """Pairs of triangles beside each other, (e, 2), and the ends of their edge, (e, 2)."""
    edges, of = edges_of(net.triangles)
    order = np.lexsort(edges.T)
    return of[order].reshape(-1, 2), edges[order][::2]


def flats_of(net: Net) -> Flats:
    """Look for the flat pieces of a mesh: triangles beside each other in one plane."""
    off = max(_OFF, _SHARE * net.size)
    pairs, ends = neighbours(net)
    normal, cross = normals(net)
    double = np.linalg.norm(cross, axis=1)
    # How far the third corner of each lies off the plane of the other; the wider triangle tells.
    third = net.triangles[pairs].sum(axis=2) - ends.sum(axis=1)[:, None]
    edge = net.points[ends[:, 1]] - net.points[ends[:, 0]]
    high = double[pairs] / np.maximum(np.linalg.norm(edge, axis=1), 1e-300)[:, None]
    apart = np.stack([
        np.abs(np.einsum("ij,ij->i", normal[pairs[:, k]],
                         net.points[third[:, 1 - k]] - net.points[ends[:, 0]]))
        for k in range(2)
    ], axis=1)  # fmt: skip
    wide = np.argmax(high, axis=1)
    told = apart[np.arange(len(pairs)), wide]
    ahead = np.einsum("ij,ij->i", normal[pairs[:, 0]], normal[pairs[:, 1]]) > 0
    sliver = high.min(axis=1) < 10 * off
    one = (told < off) & (ahead | sliver)
    count = len(net.triangles)
    graph = coo_matrix((np.ones(int(one.sum())), tuple(pairs[one].T)), shape=(count, count))
    pieces, label = connected_components(graph, directed=False)
    whole = np.stack([np.bincount(label, cross[:, k], pieces) for k in range(3)], axis=1)
    counts = np.bincount(label, minlength=pieces)
    areas = np.linalg.norm(whole, axis=1) / 2
    return Flats(net, label.astype(np.int64), counts, areas, off)


class Ways:
    """Directions, each taken for one that is known where it is nearly the same."""

    def __init__(self) -> None:
        self.known = np.eye(3)

    def of(self, way: Floats) -> Floats:
        along = self.known @ way
        k = int(np.argmax(np.abs(along)))
        if abs(float(along[k])) > math.cos(math.radians(_SAME_WAY)):
            return np.asarray(self.known[k] * math.copysign(1.0, float(along[k])))
        self.known = np.vstack([self.known, way])
        return way


def plane(net: Net, facet: Facet, ways: Ways) -> Surface:
    """What a flat piece lies on, in the direction that it is taken for."""
    points = net.points[facet.corners]
    normal = ways.of(facet.normal)
    high = points @ normal
    middle = points.mean(axis=0)
    # Halfway between the lowest and the highest: no corner is farther off than need be.
    at = middle + ((float(high.max()) + float(high.min())) / 2 - float(middle @ normal)) * normal
    x = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
    x = x / np.linalg.norm(x)
    return Surface(
        "plane", as_vector(map(float, at)), as_vector(map(float, normal)), as_vector(map(float, x))
    )
