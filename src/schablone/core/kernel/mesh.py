"""Triangle meshes of bodies, with the face that each triangle belongs to and the edges as lines."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from ..sketch.curves import Bezier, Curve, Line
from .naming import FaceName
from .prism import Prism

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

#: Chord tolerance, mm, of meshes for showing and for printing.
FINE = 0.01


@dataclass(frozen=True, slots=True)
class Mesh:
    """A closed triangle mesh.

    ``points`` (n, 3) in mm; ``triangles`` (m, 3) point numbers, counter-clockwise seen from outside;
    ``face_of`` (m,) the number of each triangle's face in ``faces``; ``normals`` (m, 3, 3) the surface
    normal at each corner; ``edges`` polylines (k, 3); ``edge_faces`` the numbers of the two faces that an
    edge lies between.
    """

    points: Floats
    triangles: Ints
    face_of: Ints
    normals: NDArray[np.float32]
    faces: tuple[FaceName, ...]
    edges: tuple[Floats, ...]
    edge_faces: tuple[tuple[int, int], ...]

    def volume(self) -> float:
        """Enclosed volume, mm³ (divergence theorem)."""
        a, b, c = (self.points[self.triangles[:, i]] for i in range(3))
        return float(np.einsum("ij,ij->i", a, np.cross(b, c)).sum() / 6)

    @staticmethod
    def joined(meshes: Sequence[Mesh]) -> Mesh:
        """Several meshes as one."""
        if len(meshes) == 1:
            return meshes[0]
        points, triangles, face_of, normals = [], [], [], []
        edges: list[Floats] = []
        edge_faces: list[tuple[int, int]] = []
        faces: list[FaceName] = []
        count = 0
        for mesh in meshes:
            points.append(mesh.points)
            triangles.append(mesh.triangles + np.int32(count))
            face_of.append(mesh.face_of + np.int32(len(faces)))
            normals.append(mesh.normals)
            edges += mesh.edges
            edge_faces += [(a + len(faces), b + len(faces)) for a, b in mesh.edge_faces]
            faces += mesh.faces
            count += len(mesh.points)
        return Mesh(
            np.concatenate(points),
            np.concatenate(triangles),
            np.concatenate(face_of),
            np.concatenate(normals),
            tuple(faces),
            tuple(edges),
            tuple(edge_faces),
        )


def triangulate(rings: Sequence[Floats]) -> Ints:
    """Triangles (m, 3) of a flat area given by its outline and holes, each (k, 2), numbered through all rings.

    Ear clipping (the earcut algorithm of mapbox); counter-clockwise whatever way the rings run.
    """
    flat = np.concatenate(rings)
    ends = np.cumsum([len(ring) for ring in rings]).astype(np.uint32)
    triangles: Ints = mapbox_earcut.triangulate_float64(flat, ends).reshape(-1, 3).astype(np.int32)
    a, b, c = (flat[triangles[:, i]] for i in range(3))
    backwards = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) < (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    triangles[backwards] = triangles[backwards][:, ::-1]
    return triangles


def mesh_of_prism(prism: Prism, tolerance: float = FINE) -> Mesh:
    """The mesh of a prism, straight from its outline: no geometry kernel, no general mesher."""
    names: dict[FaceName, int] = {}

    def number(name: FaceName) -> int:
        return names.setdefault(name, len(names))

    bottom, top = number(prism.start), number(prism.end)
    axes = np.array([prism.frame.x, prism.frame.y, prism.frame.normal])
    chunks = [[np.array(curve.points(tolerance)) for curve in loop.curves] for loop in prism.region.loops]
    rings = [np.concatenate(parts) for parts in chunks]
    flat = np.concatenate(rings)
    count = len(flat)
    plane = flat @ axes[:2] + np.array(prism.frame.origin)
    points = np.concatenate([plane + axes[2] * prism.low, plane + axes[2] * prism.high])
    caps = triangulate(rings)
    up = np.broadcast_to(axes[2], (len(caps), 3, 3))
    triangles: list[NDArray[np.integer[Any]]] = [caps[:, ::-1], caps + count]
    face_of = [np.full(len(caps), bottom), np.full(len(caps), top)]
    normals = [-up, up]
    edges: list[Floats] = []
    edge_faces: list[tuple[int, int]] = []
    start = 0
    for index, (loop, parts) in enumerate(zip(prism.region.loops, chunks, strict=True)):
        size, at, is_hole = len(rings[index]), start, index > 0
        ends = []
        for curve, part in zip(loop.curves, parts, strict=True):
            face = number(prism.sides[curve.name])
            line = start + (np.arange(at, at + len(part) + 1) - start) % size
            facing = _normals_right(curve, len(part)) @ axes[:2] * (-1.0 if is_hole else 1.0)
            quads, corners = _wall(line, facing, count, is_hole)
            triangles.append(quads)
            normals.append(corners)
            face_of.append(np.full(len(quads), face))
            edges += [points[line], points[line + count]]
            edge_faces += [(bottom, face), (top, face)]
            ends.append((at, face, facing))
            at += len(part)
        for before, (first, face, facing) in zip([ends[-1], *ends[:-1]], ends, strict=True):
            if len(ends) > 1 and before[2][-1] @ facing[0] < 0.9999:
                edges.append(points[[first, first + count]])
                edge_faces.append((before[1], face))
        start += size
    return Mesh(
        points,
        np.concatenate(triangles).astype(np.int32),
        np.concatenate(face_of).astype(np.int32),
        np.concatenate(normals).astype(np.float32),
        tuple(names),
        tuple(edges),
        tuple(edge_faces),
    )


def _normals_right(curve: Curve, segments: int) -> Floats:
    """Unit normals to the right of a curve at its points, the end included: (segments + 1, 2)."""
    if isinstance(curve, Line):
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


def _wall(line: NDArray[np.integer[Any]], facing: Floats, up: int, is_hole: bool) -> tuple[NDArray[Any], Floats]:
    """Two triangles for each segment of a line raised by ``up`` point numbers, and the normals at their corners."""
    i, j, a, b = line[:-1], line[1:], facing[:-1], facing[1:]
    if is_hole:
        i, j, a, b = j, i, b, a
    n = len(i)
    quads = np.empty((2 * n, 3), dtype=np.int64)
    quads[:n, 0], quads[:n, 1], quads[:n, 2] = i, j, j + up
    quads[n:, 0], quads[n:, 1], quads[n:, 2] = i, j + up, i + up
    corners = np.empty((2 * n, 3, 3))
    corners[:n, 0], corners[:n, 1], corners[:n, 2] = a, b, b
    corners[n:, 0], corners[n:, 1], corners[n:, 2] = a, b, a
    return quads, corners
