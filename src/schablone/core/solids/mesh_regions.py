"""The flat and round faces that the triangles of a mesh were made of.

Triangles in one plane are one flat face. Narrow flat faces that follow each other around an axis,
with all their corners on one circle, are one round face. Directions that are nearly the same, or
nearly along an axis, are made so, since files round their figures.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..kernel.frame import as_vector
from ..kernel.surfaces import Surface
from .mesh_in import Net, edges_of

Floats = NDArray[np.float64]
Numbers = NDArray[np.int64]

#: How far a corner may lie off its face: this many mm, or this share of the part.
_OFF, _SHARE = 5e-5, 1e-6
#: Between these angles, degrees, two flat faces may be parts of a round one.
_LEAST, _MOST = 0.2, 31.0
#: So many flat strips make a round face, which leads so far round, degrees, at least.
_STRIPS, _TURN = 4, 25.0
#: So many times as long as its strips are wide it is.
_LONG = 2.0
#: Pieces whose normals lean less along an axis, as a sine, stand upright beside it.
_UPRIGHT = 1e-3
#: So far, as a sine, may a piece of a round face lean along its axis.
_TILTED = 0.2
#: How often the pieces of a round face are looked for anew with a better axis.
_ROUNDS = 4
#: Directions nearer than this, degrees, are one.
_SAME_WAY = 0.03


@dataclass(frozen=True)
class Regions:
    """A mesh parted into faces: the surface of each, the face of each triangle, how far a corner
    lies off its face at most, mm, and the number of the round face that each is of, −1 for flat
    ones."""

    net: Net
    surfaces: tuple[Surface, ...]
    of: Numbers
    off: float
    owner: tuple[int, ...]

    @property
    def rounds(self) -> int:
        """How many of its surfaces are round."""
        return sum(surface.is_round for surface in self.surfaces)


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
        normal, cross = _normals(self.net)
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


def _normals(net: Net) -> tuple[Floats, Floats]:
    """Of each triangle the normal, of length 1, and that of twice its area, (m, 3) each."""
    corners = net.corners
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return cross / np.maximum(np.linalg.norm(cross, axis=1), 1e-300)[:, None], cross


def regions_of(net: Net, flats: Flats) -> Parting:
    """Look for the round faces that flat pieces of a mesh make."""
    off, facets, label = flats.off, flats.pieces, flats.label
    return Parting(net, off, facets, label, _rounds(net, facets, label, off))


@dataclass(frozen=True)
class Parting:
    """The flat pieces of a mesh, and the round faces that some of them make."""

    net: Net
    off: float
    facets: list[Facet]
    label: Numbers
    found: list[_Round]

    @property
    def least(self) -> int:
        """How many faces there are at least."""
        in_rounds = sum(len(one.facets) for one in self.found)
        return len(self.facets) - in_rounds + len(self.found)

    def regions(self, banned: Collection[int] = ()) -> Regions:
        """The faces; round ones whose numbers are banned are left in their flat pieces."""
        rounds = [(n, one) for n, one in enumerate(self.found) if n not in banned]
        surfaces: list[Surface] = []
        owner: list[int] = []
        number = {}
        taken = {facet for _, one in rounds for facet in one.facets}
        ways = _Ways()
        for k, facet in sorted(enumerate(self.facets), key=lambda pair: -pair[1].area):
            if k not in taken:
                number[k] = len(surfaces)
                surfaces.append(_plane(self.net, facet, ways))
                owner.append(-1)
        for n, one in rounds:
            for half, mine in _halves(self.net, self.facets, one, ways):
                for k in mine:
                    number[k] = len(surfaces)
                surfaces.append(half)
                owner.append(n)
        of = np.array([number[k] for k in self.label.tolist()], dtype=np.int64)
        off = _farthest(self.net, surfaces, of)
        return Regions(self.net, tuple(surfaces), of, off, tuple(owner))


def _farthest(net: Net, surfaces: Sequence[Surface], of: Numbers) -> float:
    worst = 0.0
    for k, surface in enumerate(surfaces):
        mine = net.points[np.unique(net.triangles[of == k])]
        worst = max(worst, float(np.abs(surface.distance(mine)[0]).max()))
    return worst


# Flat pieces


def _neighbours(net: Net) -> tuple[Numbers, Numbers]:
    """Pairs of triangles beside each other, (e, 2), and the ends of their edge, (e, 2)."""
    edges, of = edges_of(net.triangles)
    order = np.lexsort(edges.T)
    return of[order].reshape(-1, 2), edges[order][::2]


def flats_of(net: Net) -> Flats:
    """Look for the flat pieces of a mesh: triangles beside each other in one plane."""
    off = max(_OFF, _SHARE * net.size)
    pairs, ends = _neighbours(net)
    normal, cross = _normals(net)
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


# Round faces


@dataclass
class _Round:
    facets: list[int]
    axis: Floats
    centre: Floats
    radius: float
    solid: bool


def _rounds(net: Net, facets: list[Facet], label: Numbers, off: float) -> list[_Round]:
    """Round faces, the ones with the most strips first."""
    beside, turns = _beside(net, facets, label)
    free = set(range(len(facets)))
    rounds: list[_Round] = []
    seeds = sorted(turns, key=lambda pair: turns[pair])
    tried: set[int] = set()
    for a, b in seeds:
        if a not in free or b not in free or a in tried or b in tried:
            continue
        one = _grown(net, facets, beside, free, (a, b), off)
        if one is None:
            tried |= {a, b}
            continue
        rounds.append(one)
        free -= set(one.facets)
    return rounds


def _beside(
    net: Net, facets: list[Facet], label: Numbers
) -> tuple[dict[int, set[int]], dict[tuple[int, int], float]]:
    """Flat pieces that meet at a small angle: by piece, and by pair with a figure that is small
    where both are alike narrow."""
    pairs, ends = _neighbours(net)
    beside: dict[int, set[int]] = {}
    turns: dict[tuple[int, int], float] = {}
    least, most = math.cos(math.radians(_LEAST)), math.cos(math.radians(_MOST))
    for (s, t), _ in zip(label[pairs].tolist(), ends, strict=True):
        if s == t:
            continue
        pair = (min(s, t), max(s, t))
        if pair in turns:
            continue
        cosine = float(facets[s].normal @ facets[t].normal)
        if not most <= cosine <= least:
            continue
        beside.setdefault(s, set()).add(t)
        beside.setdefault(t, set()).add(s)
        wide = sorted((facets[s].area, facets[t].area))
        turns[pair] = wide[1] / max(wide[0], 1e-300)
    return beside, turns


def _grown(
    net: Net,
    facets: list[Facet],
    beside: dict[int, set[int]],
    free: set[int],
    seed: tuple[int, int],
    off: float,
) -> _Round | None:
    """The round face that two flat pieces begin, with all pieces that belong to it."""
    a, b = (facets[k] for k in seed)
    axis = _common_way(net, a, b)
    if axis is None or max(abs(float(f.normal @ axis)) for f in (a, b)) > _UPRIGHT:
        return None
    mine = list(seed)
    circle = _circle(net, facets, mine, axis)
    if circle is None:
        return None
    if float(np.abs(_away(net, facets, mine, axis, circle[0]) - circle[1]).max()) > 4 * off:
        return None
    if circle[1] > net.size:
        return None
    for _ in range(_ROUNDS):
        reach = _reach(net, facets, beside, free, mine, axis, circle, 4 * off)
        if len(reach) < _STRIPS:
            return None
        better = _fitted(net, facets, reach, axis, *circle)
        axis, circle = better[0], better[1:]
        if set(reach) == set(mine):
            break
        mine = reach
    centre, radius = circle
    if radius > net.size or _turned(facets, mine, axis) < math.radians(_TURN):
        return None
    if float(np.abs(_away(net, facets, mine, axis, centre) - radius).max()) > 4 * off:
        return None
    # The pieces of a ring, or of a ball, lie on short bits of cylinders as well; but go on softly.
    points = net.points[np.unique(np.concatenate([facets[k].corners for k in mine]))]
    chord = max(_wide(net, facets[k], axis) for k in mine)
    short = float(np.ptp(points @ axis)) < _LONG * chord
    if short and not _ends_sharply(facets, beside, mine, axis):
        return None
    middle = net.points[facets[mine[0]].corners].mean(axis=0) - centre
    outwards = float(middle @ facets[mine[0]].normal) > 0
    return _Round(mine, axis, centre, radius, outwards)


def _ends_sharply(
    facets: list[Facet], beside: dict[int, set[int]], mine: Sequence[int], axis: Floats
) -> bool:
    """Whether nothing goes on at a small angle beyond the ends of a round face, along its axis."""
    beyond = set().union(*(beside.get(k, set()) for k in mine)) - set(mine)
    return all(abs(float(facets[k].normal @ axis)) < _UPRIGHT for k in beyond)


def _turned(facets: list[Facet], mine: Sequence[int], axis: Floats) -> float:
    """How far some pieces lead round an axis."""
    x = facets[mine[0]].normal
    y = np.cross(axis, x)
    angles = np.sort([math.atan2(float(facets[k].normal @ y), float(facets[k].normal @ x))
                      for k in mine])  # fmt: skip
    gaps = np.diff([*angles, angles[0] + 2 * math.pi])
    return 2 * math.pi - float(gaps.max())


def _fitted(
    net: Net,
    facets: list[Facet],
    mine: Sequence[int],
    axis: Floats,
    centre: Floats,
    radius: float,
) -> tuple[Floats, Floats, float]:
    """The cylinder through the corners of some pieces, by least squares of their distances."""
    points = net.points[np.unique(np.concatenate([facets[k].corners for k in mine]))]
    x = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    x = x / np.linalg.norm(x)
    y = np.cross(axis, x)
    middle = points.mean(axis=0)
    start = centre + float((middle - centre) @ axis) * axis
    long = max(float(np.ptp(points @ axis)), 1e-6)

    def cylinder(p: Floats) -> tuple[Floats, Floats, float]:
        way = axis + (p[0] * x + p[1] * y) / long
        return way / np.linalg.norm(way), start + p[2] * x + p[3] * y, radius + float(p[4])

    def away(p: Floats) -> Floats:
        way, at, r = cylinder(p)
        aside = (points - at) - np.outer((points - at) @ way, way)
        return np.asarray(np.linalg.norm(aside, axis=1) - r)

    return cylinder(least_squares(away, np.zeros(5), method="lm" if len(points) > 5 else "trf").x)


def _common_way(net: Net, a: Facet, b: Facet) -> Floats | None:
    """The direction of the line that two pieces have in common."""
    common = np.intersect1d(a.corners, b.corners)
    if len(common) < 2:
        return None
    points = net.points[common]
    away = points - points[0]
    far = np.linalg.norm(away, axis=1)
    k = int(np.argmax(far))
    return np.asarray(away[k] / far[k])


def _away(
    net: Net, facets: list[Facet], mine: Sequence[int], axis: Floats, centre: Floats
) -> Floats:
    points = net.points[np.unique(np.concatenate([facets[k].corners for k in mine]))] - centre
    aside = points - np.outer(points @ axis, axis)
    return np.asarray(np.linalg.norm(aside, axis=1))


def _circle(
    net: Net, facets: list[Facet], mine: Sequence[int], axis: Floats
) -> tuple[Floats, float] | None:
    """The circle about an axis through all corners of some pieces: a point of the axis, and the
    radius; by least squares of the algebraic distance (Kåsa 1976)."""
    points = net.points[np.unique(np.concatenate([facets[k].corners for k in mine]))]
    x = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    x = x / np.linalg.norm(x)
    y = np.cross(axis, x)
    shift = points.mean(axis=0)
    u, v = (points - shift) @ x, (points - shift) @ y
    rows = np.column_stack([2 * u, 2 * v, np.ones(len(u))])
    circle, _, rank, _ = np.linalg.lstsq(rows, u * u + v * v, rcond=None)
    if rank < 3:
        return None
    a, b, c = (float(value) for value in circle)
    square = c + a * a + b * b
    return (shift + a * x + b * y, math.sqrt(square)) if square > 0 else None


def _reach(
    net: Net,
    facets: list[Facet],
    beside: dict[int, set[int]],
    free: set[int],
    seed: list[int],
    axis: Floats,
    circle: tuple[Floats, float],
    off: float,
) -> list[int]:
    """All pieces that go on from some on a cylinder: all their corners on it, their normals across
    the axis, and none wider than the widest step."""
    centre, radius = circle
    widest = 2 * radius * math.sin(math.radians(_MOST) / 2) * (1 + 1e-6)
    reach, todo, seen = [], list(seed), set(seed)
    while todo:
        k = todo.pop()
        facet = facets[k]
        if abs(float(facet.normal @ axis)) > _TILTED:
            continue
        if float(np.abs(_away(net, facets, [k], axis, centre) - radius).max()) > off:
            continue
        if _wide(net, facet, axis) > widest:
            continue
        reach.append(k)
        for other in beside.get(k, ()):
            if other in free and other not in seen:
                seen.add(other)
                todo.append(other)
    return reach


def _wide(net: Net, facet: Facet, axis: Floats) -> float:
    """How wide a piece is, across an axis."""
    return float(np.ptp(net.points[facet.corners] @ np.cross(axis, facet.normal)))


def _halves(
    net: Net, facets: list[Facet], one: _Round, ways: _Ways
) -> list[tuple[Surface, list[int]]]:
    """A round face as a surface, or as two where it goes all round, each with its pieces; their x
    looks away from their middle, so that no piece has its ends there."""
    axis = ways.of(one.axis)
    circle = _circle(net, facets, one.facets, axis)
    centre, radius = circle if circle is not None else (one.centre, one.radius)
    x = np.cross(axis, np.eye(3)[int(np.argmin(np.abs(axis)))])
    x = x / np.linalg.norm(x)
    y = np.cross(axis, x)

    def angle(way: Floats) -> float:
        return math.atan2(float(way @ y), float(way @ x)) % (2 * math.pi)

    sign = 1.0 if one.solid else -1.0
    turned = sorted((angle(sign * facets[k].normal), k) for k in one.facets)
    angles = [at for at, _ in turned]
    gaps = np.diff([*angles, angles[0] + 2 * math.pi])
    wide = int(np.argmax(gaps))
    order = [turned[(wide + 1 + n) % len(turned)][1] for n in range(len(turned))]
    whole = float(gaps.max()) < math.radians(2 * _MOST) and _goes_round(net, facets, one)
    groups = _parted(angles, [k for _, k in turned]) if whole else [order]
    halves = []
    for group in groups:
        middle = sum((sign * facets[k].normal for k in group), np.zeros(3))
        away = -(middle - float(middle @ axis) * axis)
        size = float(np.linalg.norm(away))
        away = away / size if size > 1e-9 else x
        halves.append(
            (
                Surface(
                    "cylinder",
                    as_vector(map(float, centre)),
                    as_vector(map(float, axis)),
                    as_vector(map(float, away)),
                    radius,
                    0.0,
                    one.solid,
                ),
                group,
            )
        )
    return halves


def _goes_round(net: Net, facets: list[Facet], one: _Round) -> bool:
    """Whether the pieces close to a ring."""
    mine = set(one.facets)
    first = one.facets[0]
    label = np.full(len(net.triangles), -1, dtype=np.int64)
    for k in mine:
        label[facets[k].triangles] = k
    pairs, _ = _neighbours(net)
    both = label[pairs]
    both = both[(both >= 0).all(axis=1) & (both[:, 0] != both[:, 1])]
    links = {(min(a, b), max(a, b)) for a, b in both.tolist()}
    return len(links) >= len(mine) and first in mine


def _parted(angles: Sequence[float], order: Sequence[int]) -> list[list[int]]:
    """Pieces around a whole circle, in two halves."""
    first = [k for at, k in zip(angles, order, strict=True) if at < math.pi]
    return [first, [k for k in order if k not in set(first)]]


# Surfaces


class _Ways:
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


def _plane(net: Net, facet: Facet, ways: _Ways) -> Surface:
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
