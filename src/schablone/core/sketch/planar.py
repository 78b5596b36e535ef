"""Curves as a plane graph: corners that all curves meeting there share, edges between them, and
rings around faces.

Every decision is made once. Places where curves meet are joined to corners first; then each curve
is cut at its corners and its pieces are led exactly from corner to corner. What follows (which way
is the next, what lies within what) is read off the graph and never measured again, and Euler's
formula says at the end whether it can be true.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from .contacts import departure, extent, on_one_another
from .crossing import Span, plain_curves
from .curves import Curve, EllipticArc, Segment
from .cuts import Cuts, Groups, corners_of, cut, led_to, nearness, room_for
from .loops import Loop
from .mapping import XY

#: Directions that differ by less, radians, are told apart where the curves lie further on.
_ALIKE = 2e-3

#: One of the two sides of an edge: the edge's number, and whether it is gone along forwards. The
#: area lies to the left.
Half = tuple[int, bool]
#: A closed way along half edges.
Ring = list[Half]


class Tangled(ValueError):
    """Curves that could not be told apart; ``spot`` is near the place."""

    def __init__(self, spot: XY) -> None:
        super().__init__(
            f"near x {spot[0]:.4g}, y {spot[1]:.4g} mm the curves lie so close together that "
            "they cannot be told apart"
        )
        self.spot = spot


@dataclass(slots=True)
class Edge:
    """A piece of a curve from one corner to another, ``curve`` led exactly to both.

    ``source`` is the number of the curve that it is cut from, ``t0`` and ``t1`` the parameters
    there of its ``piece``.
    ``carries`` lists all curves that run along it, each with whether it runs the same way.
    """

    piece: int
    source: int
    t0: float
    t1: float
    start: int
    end: int
    curve: Curve
    carries: list[tuple[int, bool]] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Gap:
    """An end that meets nothing: of which curve, where, and which other curve is nearest, how far
    away (mm)."""

    curve: str
    at: XY
    other: str
    away: float


class Plane:
    """The plane graph of curves: ``corners`` (n, 2) mm, ``edges``, and ``rings`` with the area to
    their left."""

    def __init__(self, curves: Sequence[Curve]) -> None:
        """Build the graph.

        Raises:
            Tangled: where that cannot be done so that the outcome is plane.
        """
        self.curves = tuple(curves)
        pieces = [(k, piece) for k, curve in enumerate(curves) for piece in plain_curves(curve)]
        self.sources = [k for k, piece in pieces if _has_extent(piece)]
        # Pieces of a curve that is closed in itself end where nobody drew an end.
        self.spans = [
            Span(piece, closed=_is_round(curves[k])) for k, piece in pieces if _has_extent(piece)
        ]
        self.edges: list[Edge] = []
        self.gaps: tuple[Gap, ...] = ()
        self.rings: list[Ring] = []
        self._order: dict[int, list[Half]] = {}
        self.corners: NDArray[np.float64] = np.zeros((0, 2))
        self._boxes: list[tuple[float, float, float, float]] = []
        if not self.spans:
            return
        boxes = self._boxes = [Loop((span.curve,)).bounds() for span in self.spans]
        self.near = nearness(boxes)
        self.room = room_for(self.near)
        cuts = cut(self.spans, boxes, self.near, self.room)
        self.corners, corner_of = corners_of(cuts, self.room)
        self.edges = self._pieces(cuts, corner_of)
        self._trim()
        self._check()

    # Making

    def _pieces(self, cuts: Cuts, corner_of: dict[int, int]) -> list[Edge]:
        edges: list[Edge] = []
        alike: dict[tuple[int, int], list[Edge]] = {}
        for number, (span, marks) in enumerate(zip(self.spans, cuts.by_piece, strict=True)):
            ordered = sorted(marks, key=lambda k: cuts.at[k])
            for a, b in itertools.pairwise(ordered):
                t0, t1, start, end = cuts.at[a], cuts.at[b], corner_of[a], corner_of[b]
                if start == end and not self._goes_round(span, t0, t1):
                    continue
                curve = led_to(span, t0, t1, self._at(start), self._at(end))
                edge = Edge(number, self.sources[number], t0, t1, start, end, curve)
                twins = alike.setdefault((min(start, end), max(start, end)), [])
                twin = next(
                    (e for e in twins if on_one_another(Span(e.curve), Span(curve), self.near)),
                    None,
                )
                same_way = twin is None or twin.start == start if start != end else True
                if twin is not None:
                    twin.carries.append((edge.source, same_way))
                    continue
                edge.carries.append((edge.source, True))
                twins.append(edge)
                edges.append(edge)
        return edges

    def _goes_round(self, span: Span, t0: float, t1: float) -> bool:
        """Whether a piece that ends where it starts is a way round and no crumb."""
        here = span.at(t0)
        return any(
            math.dist(span.at(t0 + (t1 - t0) * k), here) > 2 * self.room for k in (0.25, 0.5, 0.75)
        )

    def _at(self, corner: int) -> XY:
        x, y = self.corners[corner].tolist()
        return x, y

    def _trim(self) -> None:
        """Leave out what bounds nothing: loose ends, and lines with the same area on both sides."""
        kept = list(range(len(self.edges)))
        loose: set[int] = set()
        first = True
        while True:
            degree: dict[int, int] = {}
            for e in kept:
                for corner in (self.edges[e].start, self.edges[e].end):
                    degree[corner] = degree.get(corner, 0) + 1
            ends = {corner for corner, count in degree.items() if count == 1}
            if first:
                loose, first = ends, False
            fewer = [
                e for e in kept if self.edges[e].start not in ends and self.edges[e].end not in ends
            ]
            if len(fewer) < len(kept):
                kept = fewer
                continue
            self._order = self._orders(kept)
            self.rings = self.rings_of((e, way) for e in kept for way in (True, False))
            ring_of = {half: k for k, ring in enumerate(self.rings) for half in ring}
            fewer = [e for e in kept if ring_of[e, True] != ring_of[e, False]]
            if len(fewer) == len(kept):
                break
            kept = fewer
        self.gaps = self._gaps(loose) if loose else ()
        self.edges = [self.edges[e] for e in kept]
        number = {e: k for k, e in enumerate(kept)}
        self._order = {
            c: [(number[e], way) for e, way in order] for c, order in self._order.items()
        }
        self.rings = [[(number[e], way) for e, way in ring] for ring in self.rings]

    def _gaps(self, loose: set[int]) -> tuple[Gap, ...]:
        """What ends in the open beside another curve, nearest first."""
        gaps = []
        for edge in self.edges:
            for corner in (edge.start, edge.end):
                if corner not in loose:
                    continue
                p = self._at(corner)
                far, other = self._nearest_to(p, edge.piece)
                if other >= 0:
                    gaps.append(Gap(edge.curve.name, p, self.spans[other].curve.name, far))
        return tuple(sorted(gaps, key=lambda gap: gap.away))

    def _nearest_to(self, p: XY, but: int) -> tuple[float, int]:
        """How far away the nearest piece is from a point, mm, and its number, one left out; −1
        where there is none. Those whose boxes lie farther away are not looked at."""
        x, y = p
        by_box = sorted(
            (math.hypot(max(x0 - x, 0.0, x - x1), max(y0 - y, 0.0, y - y1)), k)
            for k, (x0, y0, x1, y1) in enumerate(self._boxes)
            if k != but
        )
        best = (math.inf, -1)
        for least, k in by_box:
            if least > best[0]:
                break
            span = self.spans[k]
            best = min(best, (math.dist(span.at(span.nearest(p)), p), k))
        return best

    # Ways along half edges

    def ends(self, half: Half) -> tuple[int, int]:
        """The corners that a half edge runs from and to."""
        edge = self.edges[half[0]]
        return (edge.start, edge.end) if half[1] else (edge.end, edge.start)

    def _orders(self, edges: Iterable[int]) -> dict[int, list[Half]]:
        """The half edges that leave each corner, counter-clockwise."""
        leaving: dict[int, list[Half]] = {}
        for e in edges:
            for way in (True, False):
                leaving.setdefault(self.ends((e, way))[0], []).append((e, way))
        return {corner: self._around(halves) for corner, halves in leaving.items()}

    def _around(self, halves: list[Half]) -> list[Half]:
        if len(halves) < 3 and len({e for e, _ in halves}) == len(halves):
            return halves
        ways = {}
        for half in halves:
            span = Span(self.edges[half[0]].curve)
            dx, dy = span.slope(0.0 if half[1] else 1.0)
            if math.hypot(dx, dy) < 1e-12:
                ways[half] = departure(
                    span, at_end=not half[1], away=0.01 * extent(span, at_end=not half[1])
                )
            else:
                ways[half] = math.atan2(dy, dx) if half[1] else math.atan2(-dy, -dx)
        ordered = sorted(halves, key=ways.__getitem__)
        # The order begins in the widest gap, so that no bundle of like directions is cut in two.
        gaps = [
            (ways[b] - ways[a]) % math.tau
            for a, b in zip(ordered, ordered[1:] + ordered[:1], strict=True)
        ]
        first = (gaps.index(max(gaps)) + 1) % len(ordered)
        ordered = ordered[first:] + ordered[:first]
        order: list[Half] = []
        bundle: list[Half] = []
        for half in ordered:
            if bundle and (ways[half] - ways[bundle[-1]]) % math.tau > _ALIKE:
                order += self._told_apart(bundle, ways)
                bundle = []
            bundle.append(half)
        return order + self._told_apart(bundle, ways)

    def _told_apart(self, bundle: list[Half], ways: dict[Half, float]) -> list[Half]:
        """Half edges that leave in one direction, in the order in which they lie where they have
        come apart."""
        if len(bundle) < 2:
            return bundle
        spans = [(half, Span(self.edges[half[0]].curve)) for half in bundle]
        away = 0.5 * min(extent(span, at_end=not half[1]) for half, span in spans)
        base = ways[bundle[0]]
        turned = {
            half: math.remainder(departure(span, at_end=not half[1], away=away) - base, math.tau)
            for half, span in spans
        }
        return sorted(bundle, key=turned.__getitem__)

    def rings_of(self, halves: Iterable[Half]) -> list[Ring]:
        """Closed ways along half edges, area to the left: at each corner on with the first of them
        clockwise."""
        pool = set(halves)
        rings = []
        while pool:
            half = min(pool)
            ring: Ring = []
            while half in pool:
                pool.discard(half)
                ring.append(half)
                half = self._next(half, pool, ring[0])
            rings.append(ring)
        return rings

    def _next(self, half: Half, pool: set[Half], first: Half) -> Half:
        around = self._order[self.ends(half)[1]]
        here = around.index((half[0], not half[1]))
        for step in range(1, len(around) + 1):
            other = around[here - step]
            if other in pool or other == first:
                return other
        return first

    def area(self, ring: Sequence[Half]) -> float:
        """The area to the left of a closed way, mm²; below zero where it runs clockwise."""
        return math.fsum(
            self.edges[e].curve.area_below() * (1 if forwards else -1) for e, forwards in ring
        )

    def loop(self, ring: Sequence[Half]) -> Loop:
        """The outline along half edges; pieces of one curve that follow on each other are joined
        again."""
        runs: list[list[Half]] = []
        for half in ring:
            if runs and self._follows(runs[-1][-1], half):
                runs[-1].append(half)
            else:
                runs.append([half])
        if len(runs) > 1 and self._follows(runs[-1][-1], runs[0][0]):
            runs[0] = runs.pop() + runs[0]
        curves = [self._joined(run) for run in runs]
        return Loop(tuple(curves), curves[0].name if curves else "")

    def _follows(self, before: Half, after: Half) -> bool:
        a, b = self.edges[before[0]], self.edges[after[0]]
        if a.source != b.source or before[1] != after[1] or before[0] == after[0]:
            return False
        if a.piece == b.piece:
            return abs(a.t1 - b.t0) < 1e-12 if after[1] else abs(a.t0 - b.t1) < 1e-12
        # Halves of a full circle.
        if not (isinstance(a.curve, EllipticArc) and isinstance(b.curve, EllipticArc)):
            return False
        first, second = (a.t1, b.t0) if after[1] else (a.t0, b.t1)
        return {first, second} == {0.0, 1.0}

    def _joined(self, run: Sequence[Half]) -> Curve:
        """One curve along pieces of one curve."""
        edges = [self.edges[e] for e, _ in run]
        forwards = run[0][1]
        if not forwards:
            edges.reverse()
        first, last = edges[0], edges[-1]
        curve = first.curve
        if len(edges) > 1:
            if isinstance(curve, Segment):
                curve = Segment(curve.start, last.curve.end, curve.name)
            elif isinstance(curve, EllipticArc):
                curve = self._one_arc(edges)
            else:
                span = self.spans[first.piece]
                curve = led_to(span, first.t0, last.t1, self._at(first.start), self._at(last.end))
        return curve if forwards else curve.reversed()

    def _one_arc(self, edges: Sequence[Edge]) -> EllipticArc:
        swept = 0.0
        for edge in edges:
            assert isinstance(edge.curve, EllipticArc)
            swept += edge.curve.t1 - edge.curve.t0
        whole = self.curves[edges[0].source]
        assert isinstance(whole, EllipticArc)
        assert isinstance(edges[0].curve, EllipticArc)
        if edges[0].start == edges[-1].end and abs(abs(swept) - math.tau) < 1e-6:
            return whole
        return replace(edges[0].curve, t1=edges[0].curve.t0 + swept)

    # Which curves belong together, and whether all of it can be true

    def components(self) -> list[int]:
        """For each edge the number of the connected drawing that it belongs to."""
        groups = Groups(len(self.corners))
        for edge in self.edges:
            groups.join(edge.start, edge.end)
        return [groups.of(edge.start) for edge in self.edges]

    def figures(self) -> list[int]:
        """For each edge the number of the figure that it belongs to. Curves that cross or end on
        each other are one figure; those that only touch are not, so that a circle that touches the
        inside of an outline is a hole in it."""
        groups = Groups(len(self.edges))
        for corner, around in self._order.items():
            strands = self._strands(corner, around)
            if strands is None:
                for half in around[1:]:
                    groups.join(around[0][0], half[0])
                continue
            for a, b in strands:
                groups.join(a[0], b[0])
            place = {half: k for k, half in enumerate(around)}
            for one, other in itertools.combinations(strands, 2):
                low, high = sorted(place[half] for half in one)
                if sum(low < place[half] < high for half in other) == 1 or {h[0] for h in one} & {
                    h[0] for h in other
                }:
                    groups.join(one[0][0], other[0][0])
        return [groups.of(e) for e in range(len(self.edges))]

    def _strands(self, corner: int, around: Sequence[Half]) -> list[tuple[Half, Half]] | None:
        """The half edges at a corner in pairs that go on in each other; None where they do not all
        do."""
        if len(around) == 2:
            return [(around[0], around[1])]
        by_piece: dict[int, list[Half]] = {}
        for half in around:
            by_piece.setdefault(self.edges[half[0]].piece, []).append(half)
        strands: list[tuple[Half, Half]] = []
        ends: list[Half] = []
        for halves in by_piece.values():
            if len(halves) == 2 and self._passes(*halves):
                strands.append((halves[0], halves[1]))
            else:
                ends += halves
        if len(ends) == 2:
            strands.append((ends[0], ends[1]))
        elif ends:
            return self._paired(corner, ends, strands)
        return strands

    def _passes(self, one: Half, other: Half) -> bool:
        """Whether two half edges of one curve go on in each other, and not from its one end to its
        other."""
        a, b = self.edges[one[0]], self.edges[other[0]]
        inner = ((a.t1 if not one[1] else a.t0), (b.t1 if not other[1] else b.t0))
        return abs(inner[0] - inner[1]) < 1e-12

    def _paired(
        self, corner: int, ends: Sequence[Half], strands: list[tuple[Half, Half]]
    ) -> list[tuple[Half, Half]] | None:
        """Ends that meet in a corner, paired by the closed ways on which they come back to it
        without passing it."""
        groups = Groups(len(self.corners) + len(self.edges))
        for e, edge in enumerate(self.edges):
            for at in (edge.start, edge.end):
                if at != corner:
                    groups.join(len(self.corners) + e, at)
        by_way: dict[int, list[Half]] = {}
        for half in ends:
            by_way.setdefault(groups.of(len(self.corners) + half[0]), []).append(half)
        if any(len(halves) != 2 for halves in by_way.values()):
            return None
        return [*strands, *((halves[0], halves[1]) for halves in by_way.values())]

    def _check(self) -> None:
        """Euler's formula, and one way round the outside of each connected drawing.

        Raises:
            Tangled: where they do not hold.
        """
        if not self.edges:
            return
        components = self.components()
        sums = {component: [0, 0, 0, 0] for component in set(components)}
        for around in self._order.values():
            sums[components[around[0][0]]][0] += 1
        for component in components:
            sums[component][1] += 1
        for ring in self.rings:
            mine = sums[components[ring[0][0]]]
            mine[2] += 1
            mine[3] += self.area(ring) < 0
        for component, (corners, edges, rings, outside) in sums.items():
            if corners - edges + rings != 2 or outside != 1:
                raise Tangled(self.edges[components.index(component)].curve.start)


def _is_round(curve: Curve) -> bool:
    return isinstance(curve, EllipticArc) and curve.is_full


def _has_extent(curve: Curve) -> bool:
    span = Span(curve)
    return math.dist(span.at(0.0), span.at(0.5)) > 1e-9
