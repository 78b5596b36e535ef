"""A kernel solid from a mesh whose triangles are parted into flat and round faces: corners where
their surfaces meet, edges along them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Builder
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.TopAbs import TopAbs_FORWARD, TopAbs_REVERSED
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Edge,
    TopoDS_Face,
    TopoDS_Shape,
    TopoDS_Shell,
    TopoDS_Solid,
    TopoDS_Vertex,
    TopoDS_Wire,
)

from ..surfaces import Condition, Surface, contact_of, met, met_along
from .curves_between import (
    TRACED,
    Course,
    NotCarried,
    arc_about,
    geometry_of,
    line_between,
    pnt,
    spread_on,
    traced,
    where_they_meet,
)

Floats = NDArray[np.float64]

#: The tolerance that corners and edges have at least, mm.
_TOLERANCE = 1e-7
#: Faces that meet at less than about this angle, radians, do not move a corner along themselves:
#: there the mesh tells better where it is.
_SHALLOW = 0.08


class NotASolid(ValueError):
    """Faces of which no solid can be made: why, and the numbers of faces to blame."""

    def __init__(self, what: str, faces: Sequence[int] = ()) -> None:
        super().__init__(what)
        self.faces = tuple(faces)


@dataclass(frozen=True, slots=True)
class _Chain:
    """The edge between two faces, as it runs for the first of them: corners of the mesh."""

    faces: tuple[int, int]
    points: tuple[int, ...]


def solid_of_regions(
    points: Floats, triangles: NDArray[np.int64], of: NDArray[np.int64], surfaces: Sequence[Surface]
) -> TopoDS_Shape:
    """The solid whose faces are regions of a closed mesh of ``points`` (n, 3), mm, and
    ``triangles`` (m, 3); ``of`` (m,) gives the region of each triangle.

    Raises:
        NotASolid: where the faces do not close to a sound solid.
    """
    try:
        return _Maker(points, triangles, of, surfaces).made()
    except NotCarried as error:
        what = "two of its faces do not meet as the mesh says"
        raise NotASolid(what, error.faces) from None


class _Maker:
    def __init__(
        self,
        points: Floats,
        triangles: NDArray[np.int64],
        of: NDArray[np.int64],
        surfaces: Sequence[Surface],
    ) -> None:
        self.points, self.surfaces = points, surfaces
        self.builder = BRep_Builder()
        self.size = float(np.linalg.norm(np.ptp(points, axis=0)))
        #: For each face, where its boundary goes on from a corner, and into what face that looks.
        self.next: list[dict[int, list[tuple[int, int]]]] = [{} for _ in surfaces]
        self.around: dict[int, set[int]] = {}
        owner: dict[tuple[int, int], int] = {}
        for (a, b, c), face in zip(triangles.tolist(), of.tolist(), strict=True):
            for edge in ((a, b), (b, c), (c, a)):
                owner[edge] = face
        for (a, b), face in owner.items():
            other = owner[b, a]
            if other != face:
                self.next[face].setdefault(a, []).append((b, other))
                self.around.setdefault(a, set()).update((face, other))
        self.corners: dict[int, tuple[TopoDS_Vertex, Floats]] = {}
        self.edges: dict[tuple[int, ...], tuple[TopoDS_Edge, Course]] = {}

    def made(self) -> TopoDS_Shape:
        shells: list[list[TopoDS_Face]] = []
        groups = self._connected()
        for group in groups:
            shells.append([self._face(face) for face in group])
        solid = TopoDS_Solid()
        self.builder.MakeSolid(solid)
        for faces in shells:
            shell = TopoDS_Shell()
            self.builder.MakeShell(shell)
            for face in faces:
                self.builder.Add(shell, face)
            shell.Closed(True)
            self.builder.Add(solid, shell)
        checked = BRepCheck_Analyzer(solid)
        if not checked.IsValid():
            numbers = [face for group in groups for face in group]
            parts = [face for faces in shells for face in faces]
            ill = [n for n, face in zip(numbers, parts, strict=True) if not checked.IsValid(face)]
            raise NotASolid("its faces do not close to a sound solid", ill)
        return solid

    def _connected(self) -> list[list[int]]:
        """Faces that hang together."""
        left = {k for k in range(len(self.surfaces)) if self.next[k]}
        groups = []
        while left:
            todo, group = [min(left)], []
            left.discard(todo[0])
            while todo:
                face = todo.pop()
                group.append(face)
                for goes in self.next[face].values():
                    for _, other in goes:
                        if other in left:
                            left.discard(other)
                            todo.append(other)
            groups.append(sorted(group))
        return groups

    def _loops(self, face: int) -> list[list[_Chain]]:
        """The loops around a face, each cut into its edges."""
        left = {a: list(goes) for a, goes in self.next[face].items()}
        loops = []
        while left:
            start = next(iter(left))
            at, run = start, []
            while True:
                goes = left.get(at)
                if not goes:
                    break
                b, other = goes.pop()
                if not goes:
                    del left[at]
                run.append((at, b, other))
                at = b
                if at == start:
                    break
            if at != start:
                raise NotASolid("the outline of a face is open")
            loops.append(self._chains(face, run))
        return loops

    def _chains(self, face: int, run: list[tuple[int, int, int]]) -> list[_Chain]:
        first = next((k for k, (a, _, _) in enumerate(run) if len(self.around[a]) > 2), None)
        if first is None:
            raise NotASolid("a face ends in a line that has no corner")
        run = run[first:] + run[:first]
        chains: list[_Chain] = []
        begun = 0
        for k in range(1, len(run) + 1):
            last = k == len(run)
            if last or run[k][2] != run[begun][2] or len(self.around[run[k][0]]) > 2:
                piece = run[begun:k]
                points = (*(a for a, _, _ in piece), piece[-1][1])
                chains.append(_Chain((face, piece[0][2]), points))
                begun = k
        return chains

    # Parts of the shape

    def _conditions(self, faces: set[int]) -> list[Condition]:
        """The surfaces that meet somewhere, each once, and the planes in which such touch."""
        conditions: list[Condition] = []
        for k in sorted(faces):
            surface = self.surfaces[k]
            if not any(isinstance(o, Surface) and _is_one(o, surface) for o in conditions):
                conditions.append(surface)
        known = [o for o in conditions if isinstance(o, Surface)]
        for n, one in enumerate(known):
            for other in known[:n]:
                contact = contact_of(one, other)
                if contact is not None and _touch(one, other):
                    conditions.append(contact)
        return conditions

    def _corner(self, point: int) -> tuple[TopoDS_Vertex, Floats]:
        if point in self.corners:
            return self.corners[point]
        conditions = self._conditions(self.around[point])
        at, off = met(self.points[point], conditions, _SHALLOW)
        moved = float(np.linalg.norm(at - self.points[point]))
        if moved > 1e-3 * self.size or off > 1e-4 * self.size:
            raise NotCarried("corner", sorted(self.around[point]))
        vertex = TopoDS_Vertex()
        self.builder.MakeVertex(vertex, pnt(at), max(_TOLERANCE, 2 * off))
        self.corners[point] = vertex, at
        return self.corners[point]

    def _edge(self, chain: _Chain) -> tuple[TopoDS_Edge, Course, bool]:
        """The edge of a chain, and whether the chain runs forward on it."""
        key, back = (min(chain.faces), max(chain.faces), *chain.points), chain.points[::-1]
        turned = (key[0], key[1], *back)
        if turned in self.edges:
            edge, course = self.edges[turned]
            return edge, course, False
        if key not in self.edges:
            (first, a), (last, b) = self._corner(chain.points[0]), self._corner(chain.points[-1])
            try:
                course = self._course(chain, a, b)
            except NotCarried as error:
                raise NotCarried(error.what, chain.faces) from None
            edge = TopoDS_Edge()
            one, other = (self.surfaces[k] for k in chain.faces)
            shares = [course.at(s) for s in (0.0, 0.3, 0.5, 0.8, 1.0)]
            off = max(abs(float(s.distance(p)[0])) for s in (one, other) for p in shares)
            if off > 1e-4 * self.size:
                raise NotCarried("edge", chain.faces)
            self.builder.MakeEdge(edge, course.curve, max(_TOLERANCE, 2 * off))
            self.builder.Range(edge, course.first, course.last)
            self.builder.Add(edge, first.Oriented(TopAbs_FORWARD))
            self.builder.Add(edge, last.Oriented(TopAbs_REVERSED))
            self.edges[key] = edge, course
        edge, course = self.edges[key]
        return edge, course, True

    def _course(self, chain: _Chain, a: Floats, b: Floats) -> Course:
        one, other = (self.surfaces[k] for k in chain.faces)
        line = self.points[list(chain.points)]
        closed = chain.points[0] == chain.points[-1]
        flat = one.kind == other.kind == "plane"
        if (
            flat
            or _is_one(one, other)
            or _touch(one, other)
            or (len(line) == 2 and _is_straight(one, other))
        ):
            return line_between(a, b)
        round_, plane = (one, other) if one.is_round else (other, one)
        if plane.kind == "plane" and abs(float(np.dot(plane.way, round_.way))) > 1 - 1e-12:
            middle = line[len(line) // 2] if len(line) > 2 else (a + b) / 2
            ahead = _runs_ahead(round_, line[0], middle, line[-1])
            return arc_about(round_, a, b, closed=closed, ahead=ahead)
        steps = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
        share = steps / steps[-1]

        def at(where: Floats) -> Floats:
            points = np.stack([np.interp(where, share, line[:, k]) for k in range(3)], axis=1)
            return met_along(points, one, other)

        if plane.kind == "plane":
            passed = list(at(np.array([0.25, 0.5])))
            return where_they_meet(one, other, a, passed, b, closed=closed)
        points = at(np.linspace(0.0, 1.0, TRACED))
        points[0], points[-1] = a, b
        return traced(points)

    def _face(self, number: int) -> TopoDS_Face:
        surface = self.surfaces[number]
        # A face looks out of the material; the kernel's own look away from their axis.
        turned = surface.is_round and not surface.solid
        geometry = geometry_of(surface, turned=False)
        face = TopoDS_Face()
        self.builder.MakeFace(face, geometry, _TOLERANCE)
        here = TopLoc_Location()
        for loop in self._loops(number):
            wire = TopoDS_Wire()
            self.builder.MakeWire(wire)
            for chain in loop:
                edge, course, forward = self._edge(chain)
                way = TopAbs_FORWARD if forward != turned else TopAbs_REVERSED
                self.builder.Add(wire, edge.Oriented(way))
                if surface.is_round:
                    # The x of a round face looks away from its middle, which lies half round.
                    curve = spread_on(course, surface, (np.pi, 0.0))
                    self.builder.UpdateEdge(edge, curve, geometry, here, _TOLERANCE)
                    self.builder.Range(edge, geometry, here, course.first, course.last)
            wire.Closed(True)
            self.builder.Add(face, wire)
        return TopoDS.Face_s(face.Oriented(TopAbs_REVERSED if turned else TopAbs_FORWARD))


def _is_one(one: Surface, other: Surface) -> bool:
    """Whether two are the halves of one round surface, or one plane."""
    if one.kind != other.kind or one.radius != other.radius:
        return False
    return one.way == other.way and one.at == other.at


def _touch(one: Surface, other: Surface) -> bool:
    """Whether a cylinder and a plane, or two cylinders side by side, go smoothly into each
    other."""
    if "cylinder" not in (one.kind, other.kind):
        return False
    if other.kind == "cylinder" and one.kind != "cylinder":
        one, other = other, one
    away = np.subtract(other.at, one.at)
    if other.kind == "plane":
        if abs(float(np.dot(one.way, other.way))) > 1e-9:
            return False
        return abs(abs(float(away @ np.array(other.way))) - one.radius) < 2e-3 * one.radius
    if float(np.linalg.norm(np.cross(one.way, other.way))) > 1e-9:
        return False
    aside = float(np.linalg.norm(away - float(away @ np.array(one.way)) * np.array(one.way)))
    near = min(abs(aside - one.radius - other.radius), abs(aside - abs(one.radius - other.radius)))
    return near < 2e-3 * min(one.radius, other.radius) and aside > 1e-6


def _is_straight(one: Surface, other: Surface) -> bool:
    """Whether two surfaces can have a straight line in common: along their axes."""
    if one.kind == "plane":
        one, other = other, one
    if other.kind == "plane":
        return abs(float(np.dot(one.way, other.way))) < 1e-9
    return float(np.linalg.norm(np.cross(one.way, other.way))) < 1e-9


def _runs_ahead(axis: Surface, a: Floats, middle: Floats, b: Floats) -> bool:
    """Whether a line from a point past another to a third goes about an axis in its sense."""
    centre = np.array(axis.at)
    way = np.array(axis.way)
    turn = 0.0
    for p, q in ((a, middle), (middle, b)):
        turn += float(np.cross(p - centre, q - centre) @ way)
    return turn > 0
