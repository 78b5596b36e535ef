"""The round faces that narrow flat pieces of a mesh make, which follow each other around an axis
with all their corners on one circle."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from ..kernel.frame import as_vector
from ..kernel.surfaces import Surface
from .mesh_flats import Facet, Ways, neighbours
from .mesh_in import Net

Floats = NDArray[np.float64]
Numbers = NDArray[np.int64]

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


@dataclass
class Round:
    """A round face: the numbers of its flat pieces, a point of its axis and the direction of that,
    its radius, mm, and whether the material lies inside of it."""

    facets: list[int]
    axis: Floats
    centre: Floats
    radius: float
    solid: bool


def rounds_of(net: Net, facets: list[Facet], label: Numbers, off: float) -> list[Round]:
    """Round faces, the ones with the most strips first; ``off`` is by how much corners are off,
    mm."""
    beside, turns = _beside(net, facets, label)
    free = set(range(len(facets)))
    rounds: list[Round] = []
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
    pairs, ends = neighbours(net)
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
) -> Round | None:
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
    return Round(mine, axis, centre, radius, outwards)


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


def halves(
    net: Net, facets: list[Facet], one: Round, ways: Ways
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


def _goes_round(net: Net, facets: list[Facet], one: Round) -> bool:
    """Whether the pieces close to a ring."""
    mine = set(one.facets)
    first = one.facets[0]
    label = np.full(len(net.triangles), -1, dtype=np.int64)
    for k in mine:
        label[facets[k].triangles] = k
    pairs, _ = neighbours(net)
    both = label[pairs]
    both = both[(both >= 0).all(axis=1) & (both[:, 0] != both[:, 1])]
    links = {(min(a, b), max(a, b)) for a, b in both.tolist()}
    return len(links) >= len(mine) and first in mine


def _parted(angles: Sequence[float], order: Sequence[int]) -> list[list[int]]:
    """Pieces around a whole circle, in two halves."""
    first = [k for at, k in zip(angles, order, strict=True) if at < math.pi]
    return [first, [k for k in order if k not in set(first)]]


# Surfaces
