"""All areas that curves enclose together, without trimming: crossings are found, loose ends left
out.

The curves divide the plane into faces (the arrangement of computational geometry; M. de Berg et
al., Computational Geometry, ch. 2). Each bounded face has a name from the curves around it and the
side of them on which it lies, so that it is found again when sizes change, when something else is
drawn, or when a line cuts it in two.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from shapely import STRtree, box, points
from shapely.geometry import Point as Spot
from shapely.geometry import Polygon

from .crossing import Span
from .curves import Bezier, Curve
from .loops import Loop
from .mapping import XY
from .planar import Gap, Half, Plane, Ring, Tangled
from .regions import Region


@dataclass(frozen=True, slots=True)
class Face:
    """A bounded face: its name, its boundary as half edges (edge, forwards?), its outline, its
    depth.

    ``depth`` counts the outlines that it lies in as an island does in lakes: even is material by
    itself.
    """

    name: str
    sides: frozenset[str]
    halves: tuple[Half, ...]
    inner: tuple[tuple[Half, ...], ...]
    outline: Loop
    depth: int


@dataclass(slots=True)
class Arrangement:
    """The faces between curves. ``left_out`` names curves of which no piece bounds anything,
    ``gaps`` the ends that meet nothing, nearest misses first."""

    faces: tuple[Face, ...] = ()
    left_out: tuple[str, ...] = ()
    gaps: tuple[Gap, ...] = ()
    _plane: Plane = field(default_factory=lambda: Plane(()))

    def named(self, name: str) -> tuple[Face, ...]:
        """The faces that a name means now: that face, or its pieces where something cuts it, or the
        most alike.

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
        alike = [
            (len(face.sides & sides) / len(face.sides | sides), face.name, face)
            for face in self.faces
        ]
        best = max(alike, key=lambda item: item[:2], default=(0.0, "", None))
        return (best[2],) if best[2] is not None and best[0] >= 0.5 else ()

    def material(self) -> tuple[Face, ...]:
        """The faces that are meant where none are chosen: all but the holes."""
        return tuple(face for face in self.faces if face.depth % 2 == 0)

    def at(self, x: float, y: float) -> Face | None:
        """The face under a point, mm."""
        for face in self.faces:
            if self.polygon(face).contains(Spot(x, y)):
                return face
        return None

    def polygon(self, face: Face, tolerance: float = 0.02) -> Polygon:
        """A face as a polygon with its holes, off by at most a ``tolerance`` in mm, for showing and
        for asking what lies in it."""
        return Polygon(
            face.outline.points(tolerance),
            [self._plane.loop(ring).points(tolerance) for ring in face.inner],
        )

    def area(self, face: Face) -> float:
        """The area of a face without its holes, mm²."""
        return math.fsum(self._plane.area(ring) for ring in (face.halves, *face.inner))

    def turns(self, operands: Sequence[int], count: int) -> list[list[int]]:
        """For each face how often the outlines of each operand run round it, counter-clockwise
        (winding numbers).

        ``operands`` gives for each curve, as it was given to :func:`arrange`, which of the
        ``count`` operands it belongs to, or −1; each operand's curves close up. Gone through from
        face to face, from outside in.

        Raises:
            Tangled: where two ways to a face do not agree.
        """
        plane = self._plane
        steps = _neighbours(plane, self.faces)
        around: dict[int, list[int]] = {-1: [0] * count}
        waiting = [-1]
        while waiting:
            here = waiting.pop()
            for half, there in steps.get(here, ()):
                turns = list(around[here])
                for source, same_way in plane.edges[half[0]].carries:
                    if operands[source] >= 0:
                        # The area lies to the left of a half edge: over it, from here to its right.
                        turns[operands[source]] += -1 if same_way == half[1] else 1
                if there not in around:
                    around[there] = turns
                    waiting.append(there)
                elif around[there] != turns:
                    raise Tangled(plane.edges[half[0]].curve.start)
        return [around[k] for k in range(len(self.faces))]

    def pinches(self, faces: Sequence[Face]) -> list[tuple[XY, tuple[str, ...]]]:
        """Where the outlines of joined faces touch themselves or each other in a point, with the
        names of the curves there."""
        plane = self._plane
        leaving: dict[int, list[Half]] = {}
        for half in self._border(faces):
            leaving.setdefault(plane.ends(half)[0], []).append(half)
        pinches = []
        for corner, halves in leaving.items():
            if len(halves) > 1:
                x, y = plane.corners[corner].tolist()
                pinches.append(
                    ((x, y), tuple(dict.fromkeys(plane.edges[e].curve.name for e, _ in halves)))
                )
        return pinches

    def _border(self, faces: Sequence[Face]) -> set[Half]:
        chosen = {half for face in faces for ring in (face.halves, *face.inner) for half in ring}
        return {half for half in chosen if (half[0], not half[1]) not in chosen}

    def regions(self, faces: Sequence[Face]) -> tuple[Region, ...]:
        """Faces joined: where two of them lie side by side, the line between them goes.

        Raises:
            Tangled: where the regions have not the area of the faces.
        """
        plane = self._plane
        rings = [
            part for ring in plane.rings_of(self._border(faces)) for part in _parted(plane, ring)
        ]
        areas = [plane.area(ring) for ring in rings]
        outer = [plane.loop(ring) for ring, area in zip(rings, areas, strict=True) if area > 0]
        holes = [
            plane.loop(ring).reversed() for ring, area in zip(rings, areas, strict=True) if area < 0
        ]
        outer.sort(key=lambda loop: -loop.area)
        homes = _Homes(outer)
        inside: list[list[Loop]] = [[] for _ in outer]
        for hole in holes:
            size = hole.area
            home = homes.around(hole, lambda i, size=size: outer[i].area > size)  # type: ignore[misc]
            if home:
                inside[max(home)].append(hole)
        regions = []
        for loop, mine in zip(outer, inside, strict=True):
            used: dict[str, int] = {}
            named = _told_apart(loop, used)
            regions.append(Region(named, tuple(_told_apart(hole, used) for hole in mine)))
        whole = math.fsum(self.area(face) for face in faces)
        if abs(math.fsum(region.area for region in regions) - whole) > 1e-9 * max(whole, 1.0):
            raise Tangled(outer[0].curves[0].start if outer else (0.0, 0.0))
        return tuple(regions)


def _parted(plane: Plane, ring: Sequence[Half]) -> list[list[Half]]:
    """A ring in parts, each of which comes to no corner twice: what touches itself in a point is
    two outlines there. The curve of a circle that is touched would not be put together in order
    otherwise."""
    parts: list[list[Half]] = []
    path: list[Half] = []
    begins: dict[int, int] = {}
    for half in ring:
        begins[plane.ends(half)[0]] = len(path)
        path.append(half)
        at = begins.get(plane.ends(half)[1])
        if at is not None:
            parts.append(path[at:])
            for gone in path[at:]:
                begins.pop(plane.ends(gone)[0], None)
            del path[at:]
    return parts


class _Homes:
    """Which of some outlines a place lies in, safely also close to them."""

    def __init__(self, loops: Sequence[Loop]) -> None:
        self._loops = loops
        self._tolerances = [max(0.005, 1e-3 * _across(loop)) for loop in loops]
        self._shapes = [
            Polygon(_round(loop, tolerance))
            for loop, tolerance in zip(loops, self._tolerances, strict=True)
        ]
        self._tree = STRtree(self._shapes) if loops else None

    def around(self, loop: Loop, among: Callable[[int], bool] = lambda i: True) -> list[int]:
        """The outlines that a loop lies in, which touches none of them but in single points."""
        if self._tree is None:
            return []
        x, y = loop.curves[0].start
        near = box(x, y, x, y).buffer(max(self._tolerances))
        return [i for i in self._tree.query(near).tolist() if among(i) and self._holds(i, loop)]

    def _holds(self, i: int, loop: Loop) -> bool:
        """Asked at the spot of the loop that lies farthest from the outline, as finely as the
        distance wants."""
        spots = points([Span(curve).at(t) for curve in loop.curves[:12] for t in (0.0, 0.37, 0.71)])
        tolerance, shape = self._tolerances[i], self._shapes[i]
        while True:
            far = shape.exterior.distance(spots)
            best = int(far.argmax())
            if far[best] > 3 * tolerance or tolerance < 1e-8:
                return bool(shape.contains(spots[best]))
            tolerance = min(tolerance / 10, max(float(far[best]) / 4, 1e-9))
            shape = Polygon(_round(self._loops[i], tolerance))


def _across(loop: Loop) -> float:
    x0, y0, x1, y1 = loop.bounds()
    return math.hypot(x1 - x0, y1 - y0)


def _round(loop: Loop, tolerance: float) -> NDArray[np.float64]:
    """Points along an outline, four at least."""
    points = loop.points(tolerance)
    if len(points) > 3:
        return points
    return np.array([Span(curve).at(t) for curve in loop.curves for t in (0.0, 0.5)])


def _told_apart(loop: Loop, used: dict[str, int]) -> Loop:
    """Two separate pieces of one curve get names of their own: ``edge`` and ``edge.2``."""
    names = []
    for k, curve in enumerate(loop.curves):
        before = loop.curves[k - 1]
        joined = (
            k > 0
            and before.name == curve.name
            and isinstance(curve, Bezier)
            and isinstance(before, Bezier)
        )
        if not joined:
            used[curve.name] = used.get(curve.name, 0) + 1
        number = used[curve.name]
        names.append(curve.name if number == 1 else f"{curve.name}.{number}")
    return loop.renamed(names)


def arrange(curves: Sequence[Curve]) -> Arrangement:
    """Divide the plane by curves. Pieces of a spline bear one name and count as one curve for
    names.

    Takes O((n + k) log n) for n curves with k crossings, as long as few bounding boxes overlap in
    vain.

    Raises:
        Tangled: where curves lie so close together that they cannot be told apart.
    """
    plane = Plane(curves)
    if not plane.edges:
        return Arrangement((), tuple(dict.fromkeys(c.name for c in curves)), plane.gaps, plane)
    bounding = {plane.curves[source].name for edge in plane.edges for source, _ in edge.carries}
    left_out = tuple(dict.fromkeys(c.name for c in curves if c.name not in bounding))
    return Arrangement(_faces(plane), left_out, plane.gaps, plane)


def _faces(plane: Plane) -> tuple[Face, ...]:
    """Bounded faces with the outlines that lie in them, and how deep each lies."""
    areas = [plane.area(ring) for ring in plane.rings]
    inner = [ring for ring, area in zip(plane.rings, areas, strict=True) if area > 0]
    outer = [ring for ring, area in zip(plane.rings, areas, strict=True) if area < 0]
    loops = [plane.loop(ring) for ring in inner]
    parts = plane.components()
    homes = _Homes(loops)
    holes: list[list[tuple[Half, ...]]] = [[] for _ in inner]
    for ring in outer:
        part = parts[ring[0][0]]
        around = homes.around(plane.loop(ring), lambda i, part=part: parts[inner[i][0][0]] != part)  # type: ignore[misc]
        if around:
            holes[min(around, key=lambda i: loops[i].area)].append(tuple(ring))
    order = sorted(range(len(inner)), key=lambda k: _place(plane, inner[k]))
    faces = []
    taken: dict[str, int] = {}
    for k in order:
        sides = frozenset(
            f"{plane.edges[e].curve.name}{'+' if forwards else '-'}" for e, forwards in inner[k]
        )
        name = " ".join(sorted(sides))
        taken[name] = taken.get(name, 0) + 1
        if taken[name] > 1:
            name = f"{name}#{taken[name]}"
        faces.append(Face(name, sides, tuple(inner[k]), tuple(holes[k]), loops[k], 0))
    depths = _depths(plane, faces)
    return tuple(
        Face(f.name, f.sides, f.halves, f.inner, f.outline, depth)
        for f, depth in zip(faces, depths, strict=True)
    )


def _depths(plane: Plane, faces: Sequence[Face]) -> list[int]:
    """How many figures each face lies in, less one. Gone through from face to face over the edges
    between them."""
    figures = plane.figures()
    outside: set[Half] = set()
    by_figure: dict[int, list[Half]] = {}
    for e, figure in enumerate(figures):
        by_figure.setdefault(figure, []).extend([(e, True), (e, False)])
    if len(by_figure) == 1:
        return [0] * len(faces)
    for halves in by_figure.values():
        for ring in plane.rings_of(halves):
            if plane.area(ring) < 0:
                outside |= set(ring)
    steps = _neighbours(plane, faces)
    within: dict[int, frozenset[int]] = {-1: frozenset()}
    waiting = [-1]
    while waiting:
        here = waiting.pop()
        for half, there in steps.get(here, ()):
            if there in within:
                continue
            figure = figures[half[0]]
            across = (half[0], not half[1])
            within[there] = (
                within[here] - {figure} if across in outside else within[here] | {figure}
            )
            waiting.append(there)
    return [len(within[k]) - 1 for k in range(len(faces))]


def _neighbours(plane: Plane, faces: Sequence[Face]) -> dict[int, list[tuple[Half, int]]]:
    """For each face the half edges around it, each with the face beyond; −1 is all that lies
    outside."""
    home: dict[Half, int] = {}
    for k, face in enumerate(faces):
        for ring in (face.halves, *face.inner):
            home |= dict.fromkeys(ring, k)
    steps: dict[int, list[tuple[Half, int]]] = {}
    for e in range(len(plane.edges)):
        for half in ((e, True), (e, False)):
            here, there = home.get(half, -1), home.get((e, not half[1]), -1)
            steps.setdefault(here, []).append((half, there))
    return steps


def _place(plane: Plane, ring: Ring) -> tuple[str, float]:
    """An order of faces that depends on curves, not on coordinates."""
    return min(
        (plane.edges[e].curve.name, plane.edges[e].piece + plane.edges[e].t0) for e, _ in ring
    )


__all__ = ["Arrangement", "Face", "Gap", "Tangled", "arrange"]
