"""Triangle meshes of folded sheets, straight from the blank: panels as prisms, bends in narrow
bands that are wrapped. No general mesher, so that an edit is seen at once."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ...sketch.curves import WIDEST_STEP
from ...sketch.loops import Loop
from ..mesh import Lines, Mesh, mesh_of_prism
from ..naming import FaceName
from ..triangles import triangulate
from .outline import is_joint
from .sheet import Bend, Folded, Turned

Floats = NDArray[np.float64]
#: Points that lie nearer to each other than this are one, mm.
_ONE = 1e-6
#: Sides where a panel goes on into a bend: they are left out.
_OPEN = FaceName("", "joint")


@lru_cache(maxsize=24)  # so that going back and forth waits for nothing
def mesh_of_folded(folded: Folded, tolerance: float) -> Mesh:
    """A closed mesh of a sheet with its bends bent, chords within ``tolerance`` mm."""
    parts = [_panel(folded, number, tolerance) for number in range(len(folded.panels))]
    for bend in folded.bends:
        parts += [_Wrapped(folded, bend, loops, tolerance).mesh() for loops in _flat(bend)]
    return _welded(_named_once(Mesh.joined(parts)))


def _panel(folded: Folded, number: int, tolerance: float) -> Mesh:
    prism = folded.prism(number)
    sides = {
        curve.name: _OPEN if is_joint(curve.name) else prism.sides[curve.name]
        for loop in prism.region.loops
        for curve in loop.curves
    }
    mesh = mesh_of_prism(replace(prism, sides=sides), tolerance)
    if _OPEN not in mesh.faces:
        return mesh
    gone = mesh.faces.index(_OPEN)
    kept = mesh.face_of != gone
    edges = [
        (line, pair)
        for line, pair in zip(mesh.edges, mesh.edge_faces, strict=True)
        if gone not in pair
    ]
    return Mesh(
        mesh.points,
        mesh.triangles[kept],
        mesh.face_of[kept],
        mesh.normals[kept],
        mesh.faces,
        Lines.of([line for line, _ in edges], [pair for _, pair in edges]),
    )


def _flat(bend: Bend) -> list[list[Loop]]:
    """The outlines of a bend's strips in its own coordinates."""
    own = bend.to_own()
    return [[loop.mapped(own) for loop in region.loops] for region in bend.regions]


class _Wrapped:
    """One strip of a bend as a mesh. Points are numbered on the strip, those of the upper face come
    first, those of the lower one after them."""

    def __init__(self, folded: Folded, bend: Bend, loops: Sequence[Loop], tolerance: float) -> None:
        self.folded, self.bend = folded, bend
        self.turn = math.radians(abs(bend.angle))
        big = bend.radius + folded.thickness
        step = WIDEST_STEP
        if tolerance < big:
            step = min(step, 2 * math.acos(1 - tolerance / big))
        self.bands = max(1, math.ceil(self.turn / step - 1e-9))
        self.numbers: dict[tuple[int, int], int] = {}
        self.flat: list[tuple[float, float]] = []
        self.rings = [self._ring(loop, tolerance) for loop in loops]
        self.loops = loops

    def _number(self, v: float, s: float) -> int:
        wide = self.bend.length / self.bands
        if abs(v - round(v / wide) * wide) < _ONE:  # on the line between two bands
            v = round(v / wide) * wide
        key = (round(v / _ONE), round(s / _ONE))
        if key not in self.numbers:
            self.numbers[key] = len(self.flat)
            self.flat.append((v, s))
        return self.numbers[key]

    def _ring(self, loop: Loop, tolerance: float) -> list[list[int]]:
        """The points along each curve of an outline, ends included, with those where it crosses
        from one band into another."""
        rings = []
        wide = self.bend.length / self.bands
        for curve in loop.curves:
            points = [*curve.points(tolerance), curve.end]
            line = [self._number(*points[0])]
            for (v, s), (w, u) in itertools.pairwise(points):
                low, high = sorted((v, w))
                inside = range(math.floor(low / wide + 1e-7) + 1, math.ceil(high / wide - 1e-7))
                cuts = [k * wide for k in inside]
                for cut in cuts if w > v else reversed(cuts):
                    line.append(self._number(cut, s + (u - s) * (cut - v) / (w - v)))
                line.append(self._number(w, u))
            rings.append(line)
        return rings

    def mesh(self) -> Mesh:
        rings = [[k for line in ring for k in line[:-1]] for ring in self.rings]
        caps = self._caps(rings)
        flat = np.array(self.flat)
        t = self.folded.thickness
        upper, lower = self._placed(flat, t), self._placed(flat, 0.0)
        out = self._normals(flat)
        points = np.concatenate([upper, lower])
        count = len(flat)
        faces = [self.bend.upper, self.bend.lower]
        triangles = [caps, caps[:, ::-1] + count]
        face_of = [np.full(len(caps), 0), np.full(len(caps), 1)]
        normals = [out[caps], -out[caps[:, ::-1]]]
        edges, edge_faces = [], []
        for nth, (ring, loop) in enumerate(zip(self.rings, self.loops, strict=True)):
            for line, curve in zip(ring, loop.curves, strict=True):
                number = len(faces)
                if is_joint(curve.name):
                    # The line where the flat begins to be round is shown as an edge of the bend.
                    continue
                faces.append(self.bend.sides[curve.name])
                # Outlines of holes run counter-clockwise as well, with the sheet to their right.
                along = line if nth == 0 else line[::-1]
                a, b = np.array(along[:-1]), np.array(along[1:])
                quads = np.concatenate(
                    [np.stack([a, a + count, b], 1), np.stack([b, a + count, b + count], 1)]
                )
                triangles.append(quads)
                face_of.append(np.full(len(quads), number))
                corners = points[quads]
                flat_normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
                flat_normal /= np.maximum(np.linalg.norm(flat_normal, axis=1, keepdims=True), 1e-12)
                normals.append(np.repeat(flat_normal[:, None, :], 3, axis=1))
                edges += [points[line], points[np.array(line) + count]]
                edge_faces += [(0, number), (1, number)]
        return Mesh(
            points,
            np.concatenate(triangles).astype(np.int32),
            np.concatenate(face_of).astype(np.int32),
            np.concatenate(normals).astype(np.float32),
            tuple(faces),
            Lines.of(edges, edge_faces),
        )

    def _caps(self, rings: Sequence[Sequence[int]]) -> NDArray[np.int64]:
        """The strip in triangles, none of which lies in two bands; counter-clockwise from above."""
        if self.bend.is_plain():
            return self._plain_caps()
        low, high = min(s for _, s in self.flat) - 1, max(s for _, s in self.flat) + 1
        whole = Polygon(
            [self.flat[k] for k in rings[0]], [[self.flat[k] for k in ring] for ring in rings[1:]]
        )
        wide = self.bend.length / self.bands
        caps = []
        for band in range(self.bands):
            first = band * wide - (1.0 if band == 0 else 0.0)
            last = (band + 1) * wide + (1.0 if band == self.bands - 1 else 0.0)
            box = shapely.box(first, low, last, high)
            for piece in _polygons(whole.intersection(box)):
                outlines = [
                    [self._number(*p) for p in ring.coords[:-1]]
                    for ring in (piece.exterior, *piece.interiors)
                ]
                outlines = [_without_doubles(ring) for ring in outlines]
                outlines = [ring for ring in outlines if len(ring) > 2]
                if not outlines:
                    continue
                order = np.array([k for ring in outlines for k in ring])
                corners = triangulate([np.array([self.flat[k] for k in ring]) for ring in outlines])
                caps.append(order[corners])
        return np.concatenate(caps).astype(np.int64)

    def _plain_caps(self) -> NDArray[np.int64]:
        """The triangles of a strip that is one whole rectangle: two to a band."""
        low, high = self.bend.span()
        ends = [k * self.bend.length / self.bands for k in range(self.bands + 1)]
        a = [self._number(v, low) for v in ends]
        b = [self._number(v, high) for v in ends]
        return np.array(
            [
                triangle
                for k in range(self.bands)
                for triangle in ((a[k], a[k + 1], b[k + 1]), (a[k], b[k + 1], b[k]))
            ],
            dtype=np.int64,
        )

    def _placed(self, flat: Floats, w: float) -> Floats:
        bend, base = self.bend, self.folded.frames[self.bend.parent]
        turned = Turned.of(bend, 1.0)
        spots = [turned.place(bend, self.folded.thickness, v, w) for v in flat[:, 0].tolist()]
        over, height = np.array(spots).T
        x = bend.at[0] + bend.out[0] * over + bend.along[0] * flat[:, 1]
        y = bend.at[1] + bend.out[1] * over + bend.along[1] * flat[:, 1]
        placed: Floats = (
            np.array(base.origin)
            + np.outer(x, base.x)
            + np.outer(y, base.y)
            + np.outer(height, base.normal)
        )
        return placed

    def _normals(self, flat: Floats) -> Floats:
        """The normals of the upper face."""
        bend, base = self.bend, self.folded.frames[self.bend.parent]
        angle = math.radians(bend.angle) * np.clip(flat[:, 0] / bend.length, 0, 1)
        out = np.array(base.x) * bend.out[0] + np.array(base.y) * bend.out[1]
        normals: Floats = np.outer(np.cos(angle), base.normal) - np.outer(np.sin(angle), out)
        return normals


def _polygons(shape: shapely.Geometry) -> list[Polygon]:
    if isinstance(shape, Polygon):
        return [] if shape.is_empty else [shape]
    return [part for one in getattr(shape, "geoms", ()) for part in _polygons(one)]


def _without_doubles(ring: Sequence[int]) -> list[int]:
    return [k for i, k in enumerate(ring) if k != ring[i - 1]]


def _named_once(mesh: Mesh) -> Mesh:
    """The mesh with each name once: pieces of one face bear one number."""
    used = set(np.unique(mesh.face_of).tolist())
    first: dict[FaceName, int] = {}
    number = np.array(
        [
            first.setdefault(name, len(first)) if k in used else -1
            for k, name in enumerate(mesh.faces)
        ]
    )
    return replace(
        mesh,
        face_of=number[mesh.face_of].astype(np.int32),
        faces=tuple(first),
        lines=Lines.of(mesh.edges, [(int(number[a]), int(number[b])) for a, b in mesh.edge_faces]),
    )


def _welded(mesh: Mesh) -> Mesh:
    """The mesh with one point where several lie in one place."""
    keys = np.round(mesh.points / _ONE).astype(np.int64)
    _, first, which = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    triangles = which.reshape(-1)[mesh.triangles]
    whole = (
        (triangles[:, 0] != triangles[:, 1])
        & (triangles[:, 1] != triangles[:, 2])
        & (triangles[:, 2] != triangles[:, 0])
    )
    return replace(
        mesh,
        points=mesh.points[first],
        triangles=triangles[whole].astype(np.int32),
        face_of=mesh.face_of[whole],
        normals=mesh.normals[whole],
    )
