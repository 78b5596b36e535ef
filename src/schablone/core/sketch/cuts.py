"""Where curves are cut by each other: places that are one corner, where each corner is, and pieces
led exactly to it."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from shapely import STRtree, box

from .contacts import contacts
from .crossing import Span
from .curves import Bezier, Curve, Segment
from .mapping import XY

#: Curves that come nearer than this share of the drawing's size touch; never less and never more
#: than so many mm.
_TOUCH, _LEAST, _MOST = 1e-8, 1e-10, 2e-6
#: Ends of curves are given so many times more room: what people type is rounded. Never less than
#: this, mm.
_ROOM, _LEAST_ROOM = 10.0, 1e-7


class Groups:
    """Things that belong together, joined pair by pair."""

    def __init__(self, count: int) -> None:
        self._parent = list(range(count))

    def of(self, i: int) -> int:
        """The number that all of its group have in common."""
        while self._parent[i] != i:
            self._parent[i] = self._parent[self._parent[i]]
            i = self._parent[i]
        return i

    def join(self, i: int, j: int) -> None:
        """Make one group of those of two."""
        a, b = self.of(i), self.of(j)
        self._parent[max(a, b)] = min(a, b)

    def join_all(self, ones: NDArray[np.intp], others: NDArray[np.intp]) -> None:
        """Join many pairs; those that are joined already, as most are where many lie at one
        spot, cost next to nothing."""
        for one, other in zip(ones.tolist(), others.tolist(), strict=True):
            if self._parent[one] != self._parent[other]:
                self.join(one, other)


@dataclass(slots=True)
class Cuts:
    """Where curves are cut: parameters by piece, and which cuts are one corner."""

    spans: list[Span]
    piece: list[int]
    at: list[float]
    groups: Groups
    by_piece: list[list[int]]


def nearness(boxes: Sequence[tuple[float, float, float, float]]) -> float:
    """How near curves of a drawing must be to touch, mm: by its size, and by how far from the
    origin it lies."""
    far = max(max(abs(c) for c in b) for b in boxes)
    across = max(
        max(b[2] for b in boxes) - min(b[0] for b in boxes),
        max(b[3] for b in boxes) - min(b[1] for b in boxes),
    )
    return min(max(_TOUCH * max(far, across), _LEAST), _MOST)


def room_for(near: float) -> float:
    """How near a drawn end must be to another curve to lie on it, mm."""
    return max(_ROOM * near, _LEAST_ROOM)


def cut(
    spans: list[Span], boxes: Sequence[tuple[float, float, float, float]], near: float, room: float
) -> Cuts:
    """Where curves meet each other, and which of these places are one. ``boxes`` are those around
    the curves, ``near`` is how near they must come to touch, ``room`` how near drawn ends, mm."""
    piece: list[int] = []
    at: list[float] = []
    by_piece: list[list[int]] = [[] for _ in spans]

    def mark(k: int, t: float) -> int:
        piece.append(k)
        at.append(t)
        by_piece[k].append(len(at) - 1)
        return len(at) - 1

    for k in range(len(spans)):
        mark(k, 0.0)
        mark(k, 1.0)
    pairs: list[tuple[int, int]] = []
    x0, y0, x1, y1 = np.array(boxes, dtype=np.float64).reshape(-1, 4).T
    tree = STRtree(box(x0 - room, y0 - room, x1 + room, y1 + room))
    lefts, rights = tree.query(box(x0, y0, x1, y1), predicate="intersects")
    for i, j in zip(lefts.tolist(), rights.tolist(), strict=True):
        if i < j:
            for contact in contacts(spans[i], spans[j], near, room):
                pairs.append((mark(i, contact.s), mark(j, contact.t)))
    groups = Groups(len(at))
    for one, other in pairs:
        groups.join(one, other)
    for span, marks in zip(spans, by_piece, strict=True):
        ordered = sorted(marks, key=lambda k: at[k])
        for one, other in itertools.pairwise(ordered):
            if (
                at[other] - at[one] < 0.5
                and math.dist(span.at(at[one]), span.at(at[other])) <= 2 * near
            ):
                groups.join(one, other)
    spots = np.array([spans[k].at(t) for k, t in zip(piece, at, strict=True)])
    drawn = np.array(
        [not spans[k].closed and t in (0.0, 1.0) for k, t in zip(piece, at, strict=True)]
    )
    ones, others = _close_pairs(spots, room).T
    apart = np.hypot(*(spots[ones] - spots[others]).T)
    alike = (drawn[ones] & drawn[others]) | (apart <= 2 * near)
    groups.join_all(ones[alike], others[alike])
    return Cuts(spans, piece, at, groups, by_piece)


def make_ready() -> None:
    """Load what the first stroke would have to wait for; may be called from any thread."""
    from scipy.spatial import cKDTree

    cKDTree(np.zeros((1, 2)))


def _close_pairs(spots: NDArray[np.float64], near: float) -> NDArray[np.intp]:
    """Pairs of rows of spots that lie so near to each other, shape (n, 2)."""
    # here: loading it takes a while, and most sketches are settled without
    from scipy.spatial import cKDTree

    return np.asarray(cKDTree(spots).query_pairs(near, output_type="ndarray"), dtype=np.intp)


def corners_of(cuts: Cuts, room: float) -> tuple[NDArray[np.float64], dict[int, int]]:
    """Where each corner is, mm, and which corner each cut belongs to."""
    members: dict[int, list[int]] = {}
    for k in range(len(cuts.at)):
        members.setdefault(cuts.groups.of(k), []).append(k)
    places = np.zeros((len(members), 2))
    corner_of: dict[int, int] = {}
    for number, marks in enumerate(members.values()):
        places[number] = place_of(cuts, marks, room)
        for k in marks:
            corner_of[k] = number
    return places, corner_of


def place_of(cuts: Cuts, marks: Sequence[int], room: float) -> XY:
    """The corner that cuts have in common: on all round curves that meet there, and on lines that
    pass.

    Lines that end there are led to it. The rest is a least-squares problem of two unknowns, solved
    by Gauss-Newton.
    """
    ends = [k for k in marks if cuts.at[k] in (0.0, 1.0)]
    spots = [cuts.spans[cuts.piece[k]].at(cuts.at[k]) for k in (ends or marks)]
    first = max(spots, key=spots.count)
    firm = {
        cuts.piece[k]
        for k in marks
        if not isinstance(cuts.spans[cuts.piece[k]].curve, Segment) or k not in ends
    }
    if not firm or (len(set(spots)) == 1 and len({cuts.piece[k] for k in marks}) == 1):
        return first
    p = np.array(first)
    for _ in range(4):
        normals, away = [], []
        for piece in sorted(firm):
            span = cuts.spans[piece]
            t = span.nearest((float(p[0]), float(p[1])))
            (x, y), (dx, dy) = span.at(t), span.slope(t)
            size = math.hypot(dx, dy)
            if size > 1e-12:
                normals.append((-dy / size, dx / size))
                away.append((p[0] - x) * -dy / size + (p[1] - y) * dx / size)
        if not normals or max(abs(a) for a in away) <= 1e-15 * max(1.0, float(np.abs(p).max())):
            break
        # Curves that touch give one direction twice; what lies along it stays where it is.
        step = np.linalg.lstsq(np.array(normals), -np.array(away), rcond=1e-4)[0]
        if not np.isfinite(step).all() or np.hypot(*step) > 4 * room:
            break
        p = p + step
    return (float(p[0]), float(p[1]))


def led_to(span: Span, t0: float, t1: float, start: XY, end: XY) -> Curve:
    """The piece of a curve between two parameters, led exactly to two points that lie beside its
    ends by less than can be told."""
    whole = span.curve
    curve = whole if (t0, t1) == (0.0, 1.0) else span.part(t0, t1)
    if curve.start == start and curve.end == end:
        return curve
    if isinstance(curve, Segment):
        return Segment(start, end, curve.name)
    if isinstance(curve, Bezier):
        (ax, ay), (bx, by) = (
            (start[0] - curve.start[0], start[1] - curve.start[1]),
            (end[0] - curve.end[0], end[1] - curve.end[1]),
        )
        first = (curve.first[0] + ax, curve.first[1] + ay)
        second = (curve.second[0] + bx, curve.second[1] + by)
        return Bezier(start, first, second, end, curve.name)
    angles = []
    for point, near in ((start, curve.t0), (end, curve.t1)):
        angle = math.atan2(point[1] - curve.centre[1], point[0] - curve.centre[0])
        turned = near + math.remainder(angle - near, math.tau)
        # The last digits of a large angle are worth less than what it is.
        angles.append(near if abs(turned - near) < 1e-14 else turned)
    return replace(curve, t0=angles[0], t1=angles[1])
