"""All areas that curves enclose together, without trimming: crossings are found, loose ends left out.

The curves divide the plane into faces (the arrangement of computational geometry; M. de Berg et al.,
Computational Geometry, ch. 2). Each bounded face has a name from the curves around it and the side of them on
which it lies, so that it is found again when sizes change, when something else is drawn, or when a line cuts
it in two.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np
from shapely import STRtree, box
from shapely.geometry import Point as Spot
from shapely.geometry import Polygon

from .crossing import Span, crossings, plain_curves
from .curves import Bezier, Curve, Loop
from .regions import Region

#: Ends nearer than this share of the drawing's size are one corner.
_TOGETHER = 1e-7


@dataclass(slots=True)
class _Edge:
    """A piece of a curve from one corner to another: ``source`` and parameters tell which."""

    source: int
    t0: float
    t1: float
    start: int
    end: int
    curve: Curve


@dataclass(frozen=True, slots=True)
class Face:
    """A bounded face: its name, its boundary as half edges (edge, forwards?), its outline, its depth.

    ``depth`` counts the outlines that it lies in as an island does in lakes: even is material by itself.
    """

    name: str
    sides: frozenset[str]
    halves: tuple[tuple[int, bool], ...]
    inner: tuple[tuple[tuple[int, bool], ...], ...]
    outline: Loop
    depth: int


@dataclass(slots=True)
class Arrangement:
    """The faces between curves. ``left_out`` names curves of which no piece bounds anything."""

    faces: tuple[Face, ...] = ()
    left_out: tuple[str, ...] = ()
    _edges: list[_Edge] = field(default_factory=list)
    _spans: list[Span] = field(default_factory=list)

    def named(self, name: str) -> tuple[Face, ...]:
        """The faces that a name means now: that face, or its pieces where something cuts it, or the most alike.

        Returns none where nothing is like it.
        """
        exact = tuple(face for face in self.faces if face.name == name)
        if exact:
            return exact
        sides = frozenset(name.split("#")[0].split())
        curves = {side[:-1] for side in sides}
        pieces = []
        for face in self.faces:
            known = {side for side in face.sides if side[:-1] in curves}
            if known and known <= sides and (len(known) > 1 or len(sides) == 1):
                pieces.append(face)
        covered = frozenset().union(*(face.sides for face in pieces)) if pieces else frozenset()
        if pieces and sides <= covered:
            return tuple(pieces)
        alike = [(len(face.sides & sides) / len(face.sides | sides), face.name, face) for face in self.faces]
        best = max(alike, key=lambda item: item[:2], default=(0.0, "", None))
        return (best[2],) if best[2] is not None and best[0] >= 0.5 else ()

    def material(self) -> tuple[Face, ...]:
        """The faces that are meant where none are chosen: all but the holes."""
        return tuple(face for face in self.faces if face.depth % 2 == 0)

    def at(self, x: float, y: float) -> Face | None:
        """The face under a point."""
        for face in self.faces:
            if self.polygon(face).contains(Spot(x, y)):
                return face
        return None

    def polygon(self, face: Face, tolerance: float = 0.02) -> Polygon:
        """A face as a polygon with its holes, for showing and for asking what lies in it."""
        return Polygon(
            face.outline.points(tolerance),
            [self._loop(ring).points(tolerance) for ring in face.inner],
        )

    def regions(self, faces: Sequence[Face]) -> tuple[Region, ...]:
        """Faces joined: where two of them lie side by side, the line between them goes."""
        chosen = {half for face in faces for ring in (face.halves, *face.inner) for half in ring}
        border = {half for half in chosen if (half[0], not half[1]) not in chosen}
        rings = self._rings(border)
        outer = [self._loop(ring) for ring in rings if self._area(ring) > 0]
        holes = [self._loop(ring).reversed() for ring in rings if self._area(ring) < 0]
        outer.sort(key=lambda loop: -loop.area)
        shapes = [Polygon(loop.points(0.002)) for loop in outer]
        inside: list[list[Loop]] = [[] for _ in outer]
        for hole in holes:
            spot = Polygon(hole.points(0.002)).representative_point()
            home = [i for i, shape in enumerate(shapes) if shape.contains(spot) and outer[i].area > hole.area]
            if home:
                inside[home[-1]].append(hole)
        found = []
        for loop, mine in zip(outer, inside, strict=True):
            used: dict[str, int] = {}
            named = _told_apart(loop, used)
            found.append(Region(named, tuple(_told_apart(hole, used) for hole in mine)))
        return tuple(found)

    # Half edges

    def _rings(self, halves: Iterable[tuple[int, bool]]) -> list[list[tuple[int, bool]]]:
        """Closed ways along half edges, area to the left, turning as far right as can be at each corner."""
        pool = set(halves)
        leaving: dict[int, list[tuple[int, bool]]] = {}
        for half in pool:
            leaving.setdefault(self._ends(half)[0], []).append(half)
        rings = []
        while pool:
            half = min(pool)
            ring = []
            while half in pool:
                pool.discard(half)
                ring.append(half)
                corner = self._ends(half)[1]
                options = leaving.get(corner)
                if not options:
                    break
                back = self._departure((half[0], not half[1]))
                half = min(options, key=lambda other: _clockwise(back, self._departure(other)))
            rings.append(ring)
        return rings

    def _ends(self, half: tuple[int, bool]) -> tuple[int, int]:
        edge = self._edges[half[0]]
        return (edge.start, edge.end) if half[1] else (edge.end, edge.start)

    def _departure(self, half: tuple[int, bool]) -> tuple[float, float]:
        """Direction and bend with which a half edge leaves its corner."""
        edge = self._edges[half[0]]
        span = Span(edge.curve)
        (dx, dy), bend = span.slope(0.0 if half[1] else 1.0), span.bend(0.0 if half[1] else 1.0)
        if math.hypot(dx, dy) < 1e-12:
            ahead, here = span.at(1e-3 if half[1] else 1 - 1e-3), span.at(0.0 if half[1] else 1.0)
            return math.atan2(ahead[1] - here[1], ahead[0] - here[0]), 0.0
        return (math.atan2(dy, dx), bend) if half[1] else (math.atan2(-dy, -dx), -bend)

    def _area(self, ring: Sequence[tuple[int, bool]]) -> float:
        return math.fsum(self._edges[e].curve.area_below() * (1 if forwards else -1) for e, forwards in ring)

    def _loop(self, ring: Sequence[tuple[int, bool]]) -> Loop:
        """The outline along half edges; pieces of one curve that follow on each other are joined again."""
        runs: list[list[float]] = []
        order = list(ring)
        for shift in range(len(order)):
            if not self._follows(order[shift - 1], order[shift]):
                order = order[shift:] + order[:shift]
                break
        sources: list[tuple[int, bool]] = []
        for k, (e, forwards) in enumerate(order):
            edge = self._edges[e]
            if k and self._follows(order[k - 1], (e, forwards)):
                runs[-1] = [min(runs[-1][0], edge.t0), max(runs[-1][1], edge.t1)]
            else:
                runs.append([edge.t0, edge.t1])
                sources.append((edge.source, forwards))
        curves = []
        for (source, forwards), (t0, t1) in zip(sources, runs, strict=True):
            curve = self._spans[source].part(t0, t1) if (t0, t1) != (0.0, 1.0) else self._spans[source].curve
            curves.append(curve if forwards else curve.reversed())
        return Loop(tuple(curves), curves[0].name if curves else "")

    def _follows(self, before: tuple[int, bool], after: tuple[int, bool]) -> bool:
        a, b = self._edges[before[0]], self._edges[after[0]]
        if a.source != b.source or before[1] != after[1] or before[0] == after[0]:
            return False
        return abs(a.t1 - b.t0) < 1e-12 if after[1] else abs(a.t0 - b.t1) < 1e-12


def _clockwise(back: tuple[float, float], out: tuple[float, float]) -> float:
    """How far clockwise from the way back a way out lies, above 0 and up to a full turn, bends deciding ties."""
    turned = math.fmod(back[0] - out[0], math.tau)
    turned = turned + math.tau if turned < 0 else turned
    if turned < 1e-7 or turned > math.tau - 1e-7:
        # Same direction: what bends more to the right comes first, going clockwise.
        return 1e-9 if out[1] < back[1] else math.tau
    return turned - 1e-9 * math.atan(-out[1])


def _told_apart(loop: Loop, used: dict[str, int]) -> Loop:
    """Two separate pieces of one curve get names of their own: ``edge`` and ``edge.2``."""
    names = []
    for k, curve in enumerate(loop.curves):
        before = loop.curves[k - 1]
        joined = k > 0 and before.name == curve.name and isinstance(curve, Bezier) and isinstance(before, Bezier)
        if not joined:
            used[curve.name] = used.get(curve.name, 0) + 1
        number = used[curve.name]
        names.append(curve.name if number == 1 else f"{curve.name}.{number}")
    return loop.renamed(names)


def arrange(curves: Sequence[Curve]) -> Arrangement:
    """Divide the plane by curves. Pieces of a spline bear one name and count as one curve for names.

    Takes O((n + k) log n) for n curves with k crossings, as long as few bounding boxes overlap in vain.
    """
    spans = [Span(piece) for curve in curves for piece in plain_curves(curve)]
    spans = [span for span in spans if math.dist(span.at(0.0), span.at(0.5)) > 1e-9]
    if not spans:
        return Arrangement()
    boxes = [_bounds(span) for span in spans]
    size = max(max(b[2] for b in boxes) - min(b[0] for b in boxes), max(b[3] for b in boxes) - min(b[1] for b in boxes))
    near = max(_TOGETHER * size, 1e-9)
    cuts: list[list[float]] = [[0.0, 1.0] for _ in spans]
    tree = STRtree([box(*b).buffer(near) for b in boxes])
    lefts, rights = tree.query([box(*b) for b in boxes], predicate="intersects")
    for i, j in zip(lefts.tolist(), rights.tolist(), strict=True):
        if i < j:
            for s, t in crossings(spans[i], spans[j]):
                cuts[i].append(s)
                cuts[j].append(t)
        if i != j:
            for end in (spans[j].at(0.0), spans[j].at(1.0)):
                t = spans[i].nearest(end)
                if math.dist(spans[i].at(t), end) <= near:
                    cuts[i].append(t)
    return _faces(spans, cuts, near)


def _bounds(span: Span) -> tuple[float, float, float, float]:
    return Loop((span.curve,)).bounds()


def _faces(spans: list[Span], cuts: list[list[float]], near: float) -> Arrangement:
    pieces: list[tuple[int, float, float]] = []
    for number, (span, ts) in enumerate(zip(spans, cuts, strict=True)):
        kept = [0.0]
        for t in sorted(ts):
            if math.dist(span.at(t), span.at(kept[-1])) > 2 * near or (t == 1.0 and len(kept) == 1):
                kept.append(t)
        kept[-1] = 1.0 if len(kept) > 1 else kept[-1]
        pieces += [(number, a, b) for a, b in itertools.pairwise(kept)]
    corners = np.array([spans[n].at(t) for n, a, b in pieces for t in (a, b)])
    names = _joined(corners, 4 * near)
    edges: list[_Edge] = []
    seen: set[tuple[int, int, int, int]] = set()
    for k, (number, a, b) in enumerate(pieces):
        start, end = names[2 * k], names[2 * k + 1]
        if start == end and math.dist(spans[number].at(a), spans[number].at((a + b) / 2)) <= 4 * near:
            continue
        middle = spans[number].at((a + b) / 2)
        # Two curves on one another make one edge.
        mark = (min(start, end), max(start, end), round(middle[0] / (1e3 * near)), round(middle[1] / (1e3 * near)))
        if mark not in seen:
            seen.add(mark)
            edges.append(_Edge(number, a, b, start, end, spans[number].part(a, b)))
    edges = _without_loose_ends(edges)
    found = Arrangement((), (), edges, spans)
    rings = found._rings([(e, way) for e in range(len(edges)) for way in (True, False)])
    found.faces = tuple(_nested(found, rings))
    bounding = {spans[edge.source].curve.name for edge in edges}
    found.left_out = tuple(dict.fromkeys(s.curve.name for s in spans if s.curve.name not in bounding))
    return found


def _joined(corners: np.ndarray, near: float) -> list[int]:
    """A number for each corner, equal for those that lie together."""
    parent = list(range(len(corners)))

    def top(i: int) -> int:
        while parent[i] != i:
            parent[i] = parent[parent[i]]
            i = parent[i]
        return i

    from scipy.spatial import cKDTree  # here: loading it takes a while, and most sketches are settled without

    for i, j in cKDTree(corners).query_pairs(near):
        a, b = top(i), top(j)
        parent[max(a, b)] = min(a, b)
    return [top(i) for i in range(len(corners))]


def _without_loose_ends(edges: list[_Edge]) -> list[_Edge]:
    while True:
        degree: dict[int, int] = {}
        for edge in edges:
            degree[edge.start] = degree.get(edge.start, 0) + 1
            degree[edge.end] = degree.get(edge.end, 0) + 1
        kept = [edge for edge in edges if degree[edge.start] > 1 and degree[edge.end] > 1]
        if len(kept) == len(edges):
            return edges
        edges = kept


def _nested(found: Arrangement, rings: list[list[tuple[int, bool]]]) -> list[Face]:
    """Bounded faces with the outlines that lie in them, and how deep each lies."""
    inner = [ring for ring in rings if found._area(ring) > 1e-12]
    outer = [ring for ring in rings if found._area(ring) < -1e-12]
    loops = [found._loop(ring) for ring in inner]
    shapes = [Polygon(loop.points(0.005)) for loop in loops]
    parts = _connected(found, rings)
    home_of: dict[int, int] = {}  # which face each component lies in
    holes: list[list[tuple[tuple[int, bool], ...]]] = [[] for _ in inner]
    tree = STRtree(shapes) if shapes else None
    for ring in outer:
        part = parts[ring[0][0]]
        x, y = found._spans[found._edges[ring[0][0]].source].at(found._edges[ring[0][0]].t0)
        spot = Spot(x, y)
        around = [
            i for i in (tree.query(spot).tolist() if tree else [])
            if parts[inner[i][0][0]] != part and shapes[i].contains(spot)
        ]  # fmt: skip
        if around:
            home = min(around, key=lambda i: shapes[i].area)
            home_of[part] = home
            holes[home].append(tuple(ring))

    def depth(part: int) -> int:
        count = 0
        while part in home_of:
            part = parts[inner[home_of[part]][0][0]]
            count += 1
        return count

    faces = []
    taken: dict[str, int] = {}
    for k in sorted(range(len(inner)), key=lambda k: _place(found, inner[k])):
        sides = frozenset(f"{found._edges[e].curve.name}{'+' if forwards else '-'}" for e, forwards in inner[k])
        name = " ".join(sorted(sides))
        taken[name] = taken.get(name, 0) + 1
        if taken[name] > 1:
            name = f"{name}#{taken[name]}"
        faces.append(Face(name, sides, tuple(inner[k]), tuple(holes[k]), loops[k], depth(parts[inner[k][0][0]])))
    return faces


def _place(found: Arrangement, ring: Sequence[tuple[int, bool]]) -> tuple[str, float]:
    """An order of faces that depends on curves, not on coordinates."""
    return min((found._edges[e].curve.name, found._edges[e].source + found._edges[e].t0) for e, _ in ring)


def _connected(found: Arrangement, rings: list[list[tuple[int, bool]]]) -> dict[int, int]:
    """For each edge the number of the connected drawing that it belongs to."""
    parent: dict[int, int] = {}

    def top(i: int) -> int:
        while parent.setdefault(i, i) != i:
            i = parent[i]
        return i

    for edge in found._edges:
        parent[top(edge.start)] = top(edge.end)
    return {e: top(edge.start) for e, edge in enumerate(found._edges)}


__all__ = ["Arrangement", "Face", "arrange"]
