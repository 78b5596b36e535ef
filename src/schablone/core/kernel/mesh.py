"""Triangle meshes of bodies, with the face that each triangle belongs to and the edges as lines."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..sketch.alike import form_of
from ..sketch.curves import Bezier, Curve, EllipticArc, Segment
from ..sketch.loops import Loop
from .motion import Motion
from .naming import FaceName
from .prism import Prism
from .triangles import triangulate

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]
#: The numbers of two faces.
Pair = tuple[int, int]

#: Chord tolerance, mm, of meshes for showing.
FINE = 0.01
#: That of meshes that follow each edit in the window.
FOR_LOOKING = 0.03
#: That of meshes that are sent to machines. Corners of round walls lie by up to four fifths of it
#: outside, so that chords take nothing on the whole, and no diameter is off by 2 µm anywhere.
FOR_FITS = 0.0012


class Skin(NamedTuple):
    """A closed surface: points (n, 3), mm, and triangles (m, 3) with their normals outwards."""

    points: Floats
    triangles: NDArray[np.int32]

    def moved(self, motion: Motion) -> Skin:
        """The same after a motion."""
        points = self.points @ np.array(motion.rows).T + np.array(motion.shift)
        return Skin(points, self.triangles[:, ::-1] if motion.mirrors else self.triangles)


class Lines:
    """The edges of a mesh as polylines (k, 3), mm, each with the numbers of the two faces that it
    lies between; found when they are first asked for: who weighs a mesh or cuts it needs none."""

    def __init__(self, find: Callable[[], tuple[tuple[Floats, ...], tuple[Pair, ...]]]) -> None:
        self._find = find

    @classmethod
    def of(cls, edges: Sequence[Floats], between: Sequence[Pair]) -> Lines:
        """Some that are known, (k, 3) each, mm."""
        return cls(lambda: (tuple(edges), tuple(between)))

    @cached_property
    def found(self) -> tuple[tuple[Floats, ...], tuple[Pair, ...]]:
        """The polylines, (k, 3) each, mm, and between which faces they lie."""
        return self._find()

    def mapped(self, to: Callable[[Floats], Floats]) -> Lines:
        """The same after points (k, 3) went elsewhere."""
        return Lines(lambda: (tuple(to(edge) for edge in self.found[0]), self.found[1]))


@dataclass(frozen=True, slots=True)
class Mesh:
    """A closed triangle mesh.

    ``points`` (n, 3) in mm; ``triangles`` (m, 3) point numbers, counter-clockwise seen from
    outside; ``face_of`` (m,) the number of each triangle's face in ``faces``; ``normals`` (m, 3, 3)
    the surface normal at each corner; ``lines`` its edges.
    """

    points: Floats
    triangles: Ints
    face_of: Ints
    normals: NDArray[np.float32]
    faces: tuple[FaceName, ...]
    lines: Lines

    @property
    def edges(self) -> tuple[Floats, ...]:
        """Its edges as polylines (k, 3), mm."""
        return self.lines.found[0]

    @property
    def edge_faces(self) -> tuple[Pair, ...]:
        """The numbers of the two faces that each edge lies between."""
        return self.lines.found[1]

    def volume(self) -> float:
        """Enclosed volume, mm³ (divergence theorem)."""
        a, b, c = (self.points[self.triangles[:, i]] for i in range(3))
        return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)

    def is_closed(self) -> bool:
        """Whether it has no gaps: each side of a triangle is run along as often the other way."""
        ends = self.triangles.astype(np.int64)
        on = np.roll(ends, -1, axis=1)
        there, back = (one * len(self.points) + other for one, other in ((ends, on), (on, ends)))
        return bool(np.array_equal(np.sort(there, axis=None), np.sort(back, axis=None)))

    def areas(self) -> Floats:
        """The area of each triangle (m,), mm²."""
        a, b, c = (self.points[self.triangles[:, i]] for i in range(3))
        found: Floats = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
        return found

    def mapped(self, rows: Floats, shift: Floats) -> Mesh:
        """The mesh under p → rows · p + shift, ``rows`` (3, 3), ``shift`` (3,) in mm; what it
        mirrors is turned outside out again."""
        across = self.normals @ np.linalg.inv(rows)
        across /= np.maximum(np.linalg.norm(across, axis=2, keepdims=True), 1e-12)
        turned = slice(None, None, -1 if np.linalg.det(rows) < 0 else 1)
        return replace(
            self,
            points=self.points @ rows.T + shift,
            triangles=self.triangles[:, turned],
            normals=across[:, turned].astype(np.float32),
            lines=self.lines.mapped(lambda edge: edge @ rows.T + shift),
        )

    @staticmethod
    def joined(meshes: Sequence[Mesh]) -> Mesh:
        """Several meshes as one."""
        if len(meshes) == 1:
            return meshes[0]
        points, triangles, face_of, normals = [], [], [], []
        faces: list[FaceName] = []
        starts: list[int] = []
        count = 0
        for mesh in meshes:
            points.append(mesh.points)
            triangles.append(mesh.triangles + np.int32(count))
            face_of.append(mesh.face_of + np.int32(len(faces)))
            normals.append(mesh.normals)
            starts.append(len(faces))
            faces += mesh.faces
            count += len(mesh.points)
        return Mesh(
            np.concatenate(points),
            np.concatenate(triangles),
            np.concatenate(face_of),
            np.concatenate(normals),
            tuple(faces),
            _all_lines([mesh.lines for mesh in meshes], starts),
        )


def _all_lines(each: Sequence[Lines], starts: Sequence[int]) -> Lines:
    """The edges of several meshes whose faces are counted on from ``starts``."""

    def find() -> tuple[tuple[Floats, ...], tuple[Pair, ...]]:
        pairs = [
            (a + start, b + start)
            for lines, start in zip(each, starts, strict=True)
            for a, b in lines.found[1]
        ]
        return tuple(edge for lines in each for edge in lines.found[0]), tuple(pairs)

    return Lines(find)


def mesh_of_prism(prism: Prism, tolerance: float = FINE) -> Mesh:
    """The mesh of a prism, straight from its outline, off by at most a ``tolerance`` in mm: no
    geometry kernel, no general mesher."""
    names: dict[FaceName, int] = {}

    def number(name: FaceName) -> int:
        return names.setdefault(name, len(names))

    bottom, top = number(prism.start), number(prism.end)
    axes = np.array([prism.frame.x, prism.frame.y, prism.frame.normal])
    loops = prism.region.loops
    # Holes of a pattern are alike: what they have in common is worked out once.
    alike: dict[tuple[object, ...], _Outline] = {}
    outlines = [_outline_of(loop, k > 0, tolerance, axes, alike) for k, loop in enumerate(loops)]
    rings = [
        o.ring + np.array(loop.curves[0].start) for o, loop in zip(outlines, loops, strict=True)
    ]
    flat = np.concatenate(rings)
    count = len(flat)
    origin = np.array(prism.frame.origin)
    plane = flat @ axes[:2] + origin
    above = plane
    if prism.inset:
        leaning = [_moved(ring, -prism.inset if k else prism.inset) for k, ring in enumerate(rings)]
        above = np.concatenate(leaning) @ axes[:2] + origin
    points = np.concatenate([plane + axes[2] * prism.low, above + axes[2] * prism.high])
    caps = triangulate(rings)
    up = np.broadcast_to(axes[2], (len(caps), 3, 3))
    triangles: list[NDArray[np.integer[Any]]] = [caps[:, ::-1], caps + count]
    face_of = [np.full(len(caps), bottom), np.full(len(caps), top)]
    normals = [-up, up]
    edges: list[Floats] = []
    edge_faces: list[Pair] = []
    start = 0
    for outline, loop in zip(outlines, loops, strict=True):
        faces = [number(prism.sides[curve.name]) for curve in loop.curves]
        quads = outline.low + start
        triangles.append(quads + outline.raised * count)
        normals.append(_tilted(outline.corners, axes[2], prism) if prism.inset else outline.corners)
        face_of.append(np.repeat(faces, outline.per_curve))
        for face, line in zip(faces, outline.lines, strict=True):
            edges += [points[line + start], points[line + (start + count)]]
            edge_faces += [(bottom, face), (top, face)]
        for before, after, first in outline.sharp:
            edges.append(points[[start + first, start + first + count]])
            edge_faces.append((faces[before], faces[after]))
        start += len(outline.ring)
    return Mesh(
        points,
        np.concatenate(triangles).astype(np.int32),
        np.concatenate(face_of).astype(np.int32),
        np.concatenate(normals).astype(np.float32),
        tuple(names),
        Lines.of(edges, edge_faces),
    )


def _moved(ring: Floats, by: float) -> Floats:
    """The points of a closed outline that runs counter-clockwise, moved along the bisectors of its
    corners so that each side lies ``by`` further in."""
    ahead = np.roll(ring, -1, axis=0) - ring
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-12)
    left = np.stack([-ahead[:, 1], ahead[:, 0]], 1)
    both = left + np.roll(left, 1, axis=0)
    moved: Floats = ring + by * 2 * both / np.maximum(
        (both * both).sum(axis=1, keepdims=True), 1e-3
    )
    return moved


def _tilted(corners: Floats, up: Floats, prism: Prism) -> Floats:
    """Normals of upright sides, tilted by as much as these lean."""
    slant = math.hypot(prism.height, prism.inset)
    tilted: Floats = corners * (prism.height / slant) + up * (prism.inset / slant)
    return tilted


@dataclass(frozen=True, slots=True)
class _Outline:
    """An outline raised to walls, its points counted from its first: the ring relative to its
    start; the corners of the wall triangles as numbers of points, which of them are ``raised``, and
    their normals; how many triangles each curve has; the points along each curve; and between which
    curves and where there is an upright edge."""

    ring: Floats
    low: Ints
    raised: Ints
    corners: Floats
    per_curve: list[int]
    lines: list[NDArray[np.integer[Any]]]
    sharp: list[tuple[int, int, int]]


def _outline_of(
    loop: Loop,
    is_hole: bool,
    tolerance: float,
    axes: Floats,
    alike: dict[tuple[object, ...], _Outline],
) -> _Outline:
    """The raised outline of a loop, the same for all loops that lie apart but are alike."""
    x0, y0 = loop.curves[0].start
    key = (is_hole, *form_of(loop))
    if key not in alike:
        alike[key] = _raised(loop.moved(-x0, -y0), is_hole, tolerance, axes)
    return alike[key]


def _raised(loop: Loop, is_hole: bool, tolerance: float, axes: Floats) -> _Outline:
    parts = [
        np.array(
            curve.even_points(tolerance)
            if tolerance <= FOR_FITS and isinstance(curve, EllipticArc)
            else curve.points(tolerance)
        )
        for curve in loop.curves
    ]
    ring = np.concatenate(parts)
    size, at = len(ring), 0
    low: list[Ints] = []
    raised: list[Ints] = []
    corners: list[Floats] = []
    lines: list[NDArray[np.integer[Any]]] = []
    ends: list[tuple[int, Floats]] = []
    for curve, part in zip(loop.curves, parts, strict=True):
        line = np.arange(at, at + len(part) + 1) % size
        facing = _normals_right(curve, len(part)) @ axes[:2] * (-1.0 if is_hole else 1.0)
        wall, high, normals = _wall(line, facing, is_hole)
        low.append(wall)
        raised.append(high)
        corners.append(normals)
        lines.append(line)
        ends.append((at, facing))
        at += len(part)
    sharp = []
    for k, (first, facing) in enumerate(ends):
        if len(ends) > 1 and ends[k - 1][1][-1] @ facing[0] < 0.9999:
            sharp.append(((k - 1) % len(ends), k, first))
    return _Outline(
        ring,
        np.concatenate(low),
        np.concatenate(raised),
        np.concatenate(corners),
        [len(w) for w in low],
        lines,
        sharp,
    )


def _normals_right(curve: Curve, segments: int) -> Floats:
    """Unit normals to the right of a curve at its points, the end included: (segments + 1, 2)."""
    if isinstance(curve, Segment):
        dx, dy = curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
        length = math.hypot(dx, dy)
        return np.array([[dy / length, -dx / length]] * (segments + 1))
    if isinstance(curve, Bezier):
        slope = curve.slope(np.linspace(0, 1, segments + 1))
        right = np.stack([slope[:, 1], -slope[:, 0]], 1)
        facing: Floats = right / np.maximum(np.linalg.norm(right, axis=1, keepdims=True), 1e-12)
        return facing
    t = curve.t0 + (curve.t1 - curve.t0) * np.arange(segments + 1) / segments
    way = 1.0 if curve.t1 > curve.t0 else -1.0
    unit: Floats = np.empty((segments + 1, 2))
    unit[:, 0], unit[:, 1] = np.cos(t) * way, np.sin(t) * way
    if not curve.is_circular:
        unit /= np.array([curve.rx, curve.ry])
        unit /= np.linalg.norm(unit, axis=1, keepdims=True)
    return unit


def _wall(
    line: NDArray[np.integer[Any]], facing: Floats, is_hole: bool
) -> tuple[Ints, Ints, Floats]:
    """Two triangles for each segment of a line: the points of their corners, 1 where a corner is
    the raised one, and the normals there."""
    i, j, a, b = line[:-1], line[1:], facing[:-1], facing[1:]
    if is_hole:
        i, j, a, b = j, i, b, a
    n = len(i)
    quads = np.empty((2 * n, 3), dtype=np.int32)
    quads[:n, 0], quads[:n, 1], quads[:n, 2] = i, j, j
    quads[n:, 0], quads[n:, 1], quads[n:, 2] = i, j, i
    raised = np.zeros((2 * n, 3), dtype=np.int32)
    raised[:n, 2] = raised[n:, 1] = raised[n:, 2] = 1
    corners = np.empty((2 * n, 3, 3))
    corners[:n, 0], corners[:n, 1], corners[:n, 2] = a, b, b
    corners[n:, 0], corners[n:, 1], corners[n:, 2] = a, b, a
    return quads, raised, corners
