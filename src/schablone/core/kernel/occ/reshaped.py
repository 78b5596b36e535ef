"""A solid with its faces on other surfaces: each plane shifted or leaned, each round face moved,
turned or of another radius, its neighbours trimmed and extended.

Corners are where surfaces meet (Newton's method), edges the curves that they have in common; what
nothing happens to is kept as it is. A narrow face that the change uses up is left out, and its
neighbours meet instead.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepLib import BRepLib
from OCP.Geom import Geom_Surface
from OCP.gp import gp_Pnt2d
from OCP.TopAbs import TopAbs_FACE, TopAbs_FORWARD, TopAbs_REVERSED, TopAbs_SHELL, TopAbs_SOLID
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Compound,
    TopoDS_Edge,
    TopoDS_Face,
    TopoDS_Iterator,
    TopoDS_Shape,
    TopoDS_Shell,
    TopoDS_Solid,
    TopoDS_Vertex,
    TopoDS_Wire,
)
from OCP.TopTools import TopTools_IndexedMapOfShape

from ..frame import as_vector, cross, dot
from ..surfaces import Surface, met_along
from ..triangles import area_below
from .curves_between import (
    NEAR,
    TRACED,
    Course,
    NotCarried,
    arc_about,
    fits,
    geometry_of,
    line_between,
    pnt,
    shifted_on,
    spread_on,
    traced,
    where_they_meet,
)
from .replanned import Plan, planned
from .skeleton import Skeleton, SkeletonEdge

Floats = NDArray[np.float64]

#: The tolerance that new edges and corners are given, mm.
_TOLERANCE = 1e-7
#: Where bent edges are looked at for the side that an outline encloses.
_NINE = np.linspace(0.0, 1.0, 9)


@dataclass(frozen=True, slots=True)
class Reshaped:
    """The new shape, the face of it for each old one (None where it is used up), and the edge for
    each old one that is left, by number; the faces that changed or were trimmed anew; and those
    that look the other way."""

    shape: TopoDS_Shape
    faces: tuple[TopoDS_Face | None, ...]
    edges: Mapping[int, TopoDS_Edge]
    touched: frozenset[int]
    used_up: tuple[int, ...]
    inverted: frozenset[int]


def reshaped(skeleton: Skeleton, new: Mapping[int, Surface]) -> Reshaped:
    """The solid with the faces of some numbers on new surfaces.

    Raises:
        NotCarried: where faces do not meet any more; it names them.
    """
    return _Maker(planned(skeleton, new)).made()


class _Maker:
    """Puts the new shape together; parts that nothing happens to are taken over as they are."""

    def __init__(self, plan: Plan) -> None:
        self.plan, self.skeleton = plan, plan.skeleton
        self.builder = BRep_Builder()
        self.corners: dict[int, TopoDS_Vertex] = {}
        self.edges: dict[int, tuple[TopoDS_Edge, Course | None]] = {}
        self.inverted: set[int] = set()

    def made(self) -> Reshaped:
        skeleton, plan = self.skeleton, self.plan
        new: dict[int, TopoDS_Face] = {}
        touched = {
            k
            for k in range(len(skeleton.faces))
            if k in plan.changed or any(self._is_touched(e) for e in skeleton.faces[k].edges)
        }
        for k in sorted(touched - set(plan.gone)):
            new[k] = self._face(k)
        faces = tuple(
            None if k in plan.gone else new.get(k, face.shape)
            for k, face in enumerate(skeleton.faces)
        )
        edges = {
            k: self._edge(now)[0]
            for k, now in enumerate(plan.edge_of)
            if now is not None and any(faces[f] is not None for f in plan.beside[now])
        }
        shape = self._solid(faces)
        return Reshaped(
            shape, faces, edges, frozenset(touched), tuple(plan.gone), frozenset(self.inverted)
        )

    def _is_touched(self, edge: int) -> bool:
        plan = self.plan
        if plan.edge_of[edge] != edge or set(self.skeleton.edges[edge].faces) & plan.changed:
            return True
        return any(
            c in plan.points or plan.corner_of[c] != c for c in self.skeleton.edges[edge].ends
        )

    def _corner(self, number: int) -> TopoDS_Vertex:
        if number not in self.plan.points:
            return self.skeleton.vertices[number]
        if number not in self.corners:
            vertex = TopoDS_Vertex()
            self.builder.MakeVertex(vertex, pnt(self.plan.point(number)), _TOLERANCE)
            self.corners[number] = vertex
        return self.corners[number]

    def _edge(self, number: int) -> tuple[TopoDS_Edge, Course | None]:
        if number in self.edges:
            return self.edges[number]
        old = self.skeleton.edges[number]
        if not self._is_touched(number):
            self.edges[number] = old.shape, None
            return self.edges[number]
        edge = TopoDS_Edge()
        a, b = self.plan.ends(number)
        course = None
        if old.degenerate:
            self.builder.MakeEdge(edge)
            self.builder.Degenerated(edge, True)
        else:
            course = self._course(number, old)
            self.builder.MakeEdge(edge, course.curve, _TOLERANCE)
            self.builder.Range(edge, course.first, course.last)
        for corner, way in ((a, TopAbs_FORWARD), (b, TopAbs_REVERSED)):
            self.builder.Add(edge, self._corner(corner).Oriented(way))
        self.edges[number] = edge, course
        return self.edges[number]

    def _course(self, number: int, old: SkeletonEdge) -> Course:
        """The curve of an edge after the change."""
        plan = self.plan
        faces = plan.beside[number]
        surfaces = [plan.surfaces[k] for k in faces]
        ends = plan.ends(number)
        a, b = (plan.point(corner) for corner in ends)
        try:
            if any(s is None for s in surfaces):
                raise NotCarried("beside a free surface nothing can move: {faces}")
            known = [s for s in surfaces if s is not None]
            closed = ends[0] == ends[1]
            if old.straight or (not closed and all(s.kind == "plane" for s in known)):
                course = line_between(a, b)
                if not fits(course, known, b):
                    raise NotCarried("{faces} do not meet in a straight edge any more")
                return course
            return self._bent(old, faces, known, a, b, closed=closed)
        except NotCarried as error:
            raise NotCarried(error.what, faces) from None

    def _bent(
        self,
        old: SkeletonEdge,
        faces: Sequence[int],
        known: list[Surface],
        a: Floats,
        b: Floats,
        *,
        closed: bool,
    ) -> Course:
        if len(known) < 2:
            return self._seam(old, faces[0], known[0], a, b, closed=closed)
        if old.circle:
            for k, other, surface in zip(faces, known[::-1], known, strict=True):
                was = self.skeleton.faces[k].surface
                if was is None or surface.kind == "plane":
                    continue
                axis = surface
                if surface.kind == "ball" and other.kind == "plane":
                    # A plane cuts a ball in a circle about its own normal.
                    axis, was = surface.with_(way=other.way), was.with_(way=other.way)
                course = arc_about(axis, a, b, closed=closed, ahead=_runs_ahead(old, was))
                if fits(course, known, b):
                    return _unless_turned(course, old, was)
        if "plane" in {s.kind for s in known} and "ring" not in {s.kind for s in known}:
            passed = self._carried(old, faces, known, (0.25, 0.5))
            return where_they_meet(known[0], known[1], a, list(passed), b, closed=closed)
        share = np.linspace(0.0, 1.0, TRACED)
        points = self._carried(old, faces, known, share)
        # The ends may have moved along the curve: what lies between moves with them.
        points += np.outer(1 - share, a - points[0]) + np.outer(share, b - points[-1])
        points = met_along(points, known[0], known[1])
        points[0], points[-1] = a, b
        course = traced(points)
        if not fits(course, known, b):
            raise NotCarried("{faces} do not meet any more as they did")
        return course

    def _carried(
        self,
        old: SkeletonEdge,
        faces: Sequence[int],
        known: list[Surface],
        shares: Sequence[float] | Floats,
    ) -> Floats:
        """Points of an edge as they lie on both surfaces after the change."""
        points = old.course.points(shares)
        rounds = [
            np.array([before.carried(p, surface) for p in points])
            for k, surface in zip(faces, known, strict=True)
            if surface.is_round and (before := self.skeleton.faces[k].surface) is not None
        ]
        return met_along(np.mean(rounds, axis=0) if rounds else points, known[0], known[1])

    def _seam(
        self, old: SkeletonEdge, face: int, surface: Surface, a: Floats, b: Floats, *, closed: bool
    ) -> Course:
        """The seam of a ball or a ring: part of a circle in a plane through the axis."""
        before = self.skeleton.faces[face].surface
        assert before is not None
        if surface.kind == "ring":
            ahead = _runs_ahead(old, before)
            course = arc_about(surface, a, b, closed=closed, ahead=ahead)
            if _runs_about(old, before) and fits(course, [surface], b):
                return course
        middle = before.carried(old.course.at(0.3), surface)
        if surface.kind == "ball":
            centre = np.array(surface.at)
        else:
            u, v, _ = surface.along(middle)
            out = (u * np.array(surface.x) + v * np.array(surface.y)) / math.hypot(u, v)
            centre = np.array(surface.at) + surface.radius * out
        normal = np.cross(a - centre, middle - centre)
        size = float(np.linalg.norm(normal))
        if size < NEAR:
            raise NotCarried("{faces} cannot be bent so far")
        x = (a - centre) / float(np.linalg.norm(a - centre))
        about = Surface("cylinder", tuple(centre), tuple(normal / size), tuple(x))
        course = arc_about(about, a, b, closed=closed, ahead=True)
        if not fits(course, [surface], b):
            raise NotCarried("{faces} cannot be bent so far")
        return course

    def _face(self, number: int) -> TopoDS_Face:
        old, surface = self.skeleton.faces[number], self.plan.surfaces[number]
        if surface is None:
            raise NotCarried("beside a free surface nothing can move: {faces}", [number])
        turned = old.shape.Orientation() == TopAbs_REVERSED
        loops = [self._loop(loop) for loop in old.loops]
        if surface.kind == "plane" and self._is_inside_out(number, loops):
            # What was a step down is one up now: the same outline, seen from the other side.
            geometry = geometry_of(surface.with_(way=tuple(-c for c in surface.way)), turned=turned)
            self.inverted.add(number)
        else:
            geometry = geometry_of(surface, turned=turned)
        face = TopoDS_Face()
        self.builder.MakeFace(face, geometry, _TOLERANCE)
        for loop in loops:
            wire = TopoDS_Wire()
            self.builder.MakeWire(wire)
            for edge, forward in loop:
                shape = self._edge(edge)[0]
                self.builder.Add(
                    wire, shape.Oriented(TopAbs_FORWARD if forward else TopAbs_REVERSED)
                )
            wire.Closed(True)
            self.builder.Add(face, wire)
        if surface.is_round:
            for edge in old.edges:
                self._spread(number, edge, surface, geometry)
        return TopoDS.Face_s(face.Oriented(old.shape.Orientation()))

    def _loop(self, loop: Sequence[tuple[int, bool]]) -> list[tuple[int, bool]]:
        """The edges of a loop that are left."""
        edges = []
        for edge, forward in loop:
            now = self.plan.edge_of[edge]
            if now is None:
                continue
            if now != edge:
                # An edge that another stands for may run the other way.
                a, b = self.plan.ends(edge)
                forward = forward == ((a, b) == self.plan.ends(now))
            edges.append((now, forward))
        return edges

    def _is_inside_out(self, number: int, loops: list[list[tuple[int, bool]]]) -> bool:
        """Whether the outer loop of a flat face runs the wrong way round."""
        surface = self.plan.surfaces[number]
        assert surface is not None
        axes = np.stack([surface.x, surface.y], 1)
        turned = self.skeleton.faces[number].shape.Orientation() == TopAbs_REVERSED
        # Each edge by itself (Green's theorem): loops have them in no particular order.
        shares = [
            area_below(self._line(edge) @ axes) * (1.0 if forward else -1.0)
            for loop in loops
            for edge, forward in loop
        ]
        return math.fsum(shares) * (-1.0 if turned else 1.0) < 0

    def _line(self, edge: int) -> Floats:
        """Points (n, 3) along an edge as it is now."""
        old = self.skeleton.edges[edge]
        course = self._edge(edge)[1] or old.course
        return course.points((0.0, 1.0) if old.straight else _NINE)

    def _spread(self, face: int, edge: int, surface: Surface, geometry: Geom_Surface) -> None:
        """Give an edge its curve in the coordinates of a round face."""
        made, course = self._edge(edge)
        old = self.skeleton.edges[edge]
        before = self.skeleton.faces[face].shape
        here = TopLoc_Location()
        ways = self._ways(face, edge)
        start = _start_on(old, before, ways[0])
        if old.degenerate:
            curve, first, last = _curve_on(old.shape, before)
            shift = 0.0
            if surface.kind == "cone":
                apex = -surface.radius / math.sin(surface.second)
                shift = apex - start[1]
            copy = shifted_on(curve, (0.0, shift))
            self.builder.UpdateEdge(made, copy, geometry, here, _TOLERANCE)
            self.builder.Range(made, geometry, here, first, last)
            return
        if course is None:
            course = old.course
        curve = spread_on(course, surface, start)
        if len(ways) > 1:
            other = _start_on(old, before, ways[1])
            by = (other[0] - start[0], other[1] - start[1])
            self.builder.UpdateEdge(made, curve, shifted_on(curve, by), geometry, here, _TOLERANCE)
        else:
            self.builder.UpdateEdge(made, curve, geometry, here, _TOLERANCE)
        self.builder.Range(made, geometry, here, course.first, course.last)
        if not _agree(course, curve, geometry):
            BRepLib.SameParameter_s(made, _TOLERANCE)

    def _ways(self, face: int, edge: int) -> tuple[bool, ...]:
        """How an edge runs in the loops of a face; at a seam first forward, then back."""
        mine = self.skeleton.faces[face]
        if edge in mine.seams:
            return (True, False)
        return tuple(ahead for loop in mine.loops for number, ahead in loop if number == edge)

    def _solid(self, faces: Sequence[TopoDS_Face | None]) -> TopoDS_Shape:
        """Shells and solids as they were, of the new faces; several solids together."""
        known = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(self.skeleton.shape, TopAbs_FACE, known)
        solids = TopExp_Explorer(self.skeleton.shape, TopAbs_SOLID)
        apart: list[TopoDS_Solid] = []
        while solids.More():
            made = TopoDS_Solid()
            self.builder.MakeSolid(made)
            shells = TopExp_Explorer(solids.Current(), TopAbs_SHELL)
            while shells.More():
                self.builder.Add(made, self._shell(shells.Current(), faces, known))
                shells.Next()
            apart.append(made)
            solids.Next()
        if len(apart) == 1:
            return apart[0]
        whole = TopoDS_Compound()
        self.builder.MakeCompound(whole)
        for one in apart:
            self.builder.Add(whole, one)
        return whole

    def _shell(
        self,
        old: TopoDS_Shape,
        faces: Sequence[TopoDS_Face | None],
        known: TopTools_IndexedMapOfShape,
    ) -> TopoDS_Shape:
        shell = TopoDS_Shell()
        self.builder.MakeShell(shell)
        parts = TopoDS_Iterator(old.Oriented(TopAbs_FORWARD))
        while parts.More():
            part = parts.Value()
            face = faces[known.FindIndex(part) - 1]
            if face is not None:
                # Those that are taken over keep how they look in this shell.
                self.builder.Add(shell, face.Oriented(part.Orientation()))
            parts.Next()
        shell.Closed(True)
        return shell.Oriented(old.Orientation())


def _curve_on(edge: TopoDS_Edge, face: TopoDS_Face) -> tuple[object, float, float]:
    curve = BRep_Tool.CurveOnSurface_s(edge, face, 0.0, 0.0)
    first, last = BRep_Tool.Range_s(edge)
    return curve, first, last


def _start_on(edge: SkeletonEdge, face: TopoDS_Face, forward: bool) -> tuple[float, float]:
    """Where an edge begins in the coordinates of a face in whose loop it runs forward or back: at a
    seam, and where two faces part one round surface, these differ by a whole turn."""
    start, end = gp_Pnt2d(), gp_Pnt2d()
    way = TopAbs_FORWARD if forward else TopAbs_REVERSED
    level = TopoDS.Face_s(face.Oriented(TopAbs_FORWARD))
    BRep_Tool.UVPoints_s(TopoDS.Edge_s(edge.shape.Oriented(way)), level, start, end)
    return start.X(), start.Y()


def _runs_ahead(edge: SkeletonEdge, axis: Surface) -> bool:
    """Whether a round edge runs in the sense of an axis."""
    a, b = edge.spots[:2]
    w = axis.along(a)[2]
    middle = np.array(axis.at) + w * np.array(axis.way)
    return dot(cross(as_vector(a - middle), as_vector(b - a)), axis.way) > 0


def _runs_about(edge: SkeletonEdge, axis: Surface) -> bool:
    """Whether an edge stays at one height of an axis."""
    heights = [axis.along(p)[2] for p in edge.spots[:11:5]]
    return bool(max(heights) - min(heights) < NEAR)


def _unless_turned(course: Course, old: SkeletonEdge, axis: Surface) -> Course:
    """The arc, unless it became so much longer that its ends must have passed each other."""
    points = old.spots
    u, v, _ = axis.along(points[0])
    chords = np.linalg.norm(np.diff(points, axis=0), axis=1)
    before = float(2 * np.arcsin(np.minimum(1.0, chords / (2 * math.hypot(u, v)))).sum())
    if abs((course.last - course.first) - before) > math.pi:
        raise NotCarried("the edge between {faces} would turn inside out")
    return course


def _agree(course: Course, curve: object, geometry: Geom_Surface) -> bool:
    """Whether a curve in a surface's coordinates runs at the pace of the one in space."""
    shares = (0.0, 0.31, 0.77, 1.0)
    for share, there in zip(shares, course.points(shares), strict=True):
        t = course.first + (course.last - course.first) * share
        spot = curve.Value(t)  # type: ignore[attr-defined]
        if geometry.Value(spot.X(), spot.Y()).Distance(pnt(there)) > NEAR:
            return False
    return True
