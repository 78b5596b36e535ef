"""A mesh as a design keeps it: binary PLY, an open format, in which each triangle bears the number
of its face.

Corners are numbers of four bytes, as in most mesh files. Those of flat faces are laid into the
plane of their face as they are read, so that what stands on it leaves no skin.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from .frame import Frame, Vector, as_vector, facing

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

#: With this begins what is a mesh, and no STEP file.
MARK = b"ply\n"
#: So many triangles are taken.
MOST = 200_000
_HEADER = (
    "ply\nformat binary_little_endian 1.0\n"
    "element vertex {}\nproperty float x\nproperty float y\nproperty float z\n"
    "element face {}\nproperty list uchar int vertex_indices\nproperty ushort region\nend_header\n"
)
_FORM = re.compile(re.escape(_HEADER).replace(r"\{\}", r"(\d{1,6})").encode())
_TRIANGLE = np.dtype([("count", "u1"), ("corners", "<i4", (3,)), ("region", "<u2")])
#: How far corners of a flat face may lie off its plane: this many mm, or this share of the part.
_OFF, _SHARE = 5e-5, 2e-6
#: A face looks along an axis where it does so by this, as a sine: files round their figures.
_ALONG = 5e-4
#: Nothing that is kept lies farther away than this, mm.
_FAR = 1e6


@dataclass(frozen=True)
class KeptMesh:
    """A closed mesh with the face of each triangle, counted from 0; the last one is what is left of
    it, a free form. ``flat`` gives the frames of those that are flat, in their middle, normal
    outwards."""

    points: Floats
    triangles: Ints
    face_of: Ints
    faces: int
    flat: dict[int, Frame]

    @property
    def box(self) -> tuple[Vector, Vector]:
        """The lowest and the highest corner of the box around it, mm."""
        low, high = self.points.min(axis=0), self.points.max(axis=0)
        return as_vector(map(float, low)), as_vector(map(float, high))


def written(points: Floats, triangles: Ints, face_of: Ints) -> bytes:
    """A mesh as it is kept."""
    rows = np.empty(len(triangles), dtype=_TRIANGLE)
    rows["count"], rows["corners"], rows["region"] = 3, triangles, face_of
    head = _HEADER.format(len(points), len(triangles)).encode()
    return head + points.astype("<f4").tobytes() + rows.tobytes()


@lru_cache(maxsize=4)
def kept_mesh(data: bytes) -> KeptMesh:
    """The mesh again.

    Raises:
        ValueError: where it is damaged, in words.
    """
    head = _FORM.match(data)
    if head is None:
        raise ValueError("what is kept of the mesh is damaged")
    count, many = (int(number) for number in head.groups())
    size = 12 * count + _TRIANGLE.itemsize * many
    if not (count >= 4 and 4 <= many <= MOST) or len(data) != head.end() + size:
        raise ValueError("what is kept of the mesh is cut off, or too large")
    points = np.frombuffer(data, "<f4", 3 * count, head.end()).reshape(-1, 3).astype(np.float64)
    rows = np.frombuffer(data, _TRIANGLE, many, head.end() + 12 * count)
    triangles, face_of = rows["corners"].astype(np.int32), rows["region"].astype(np.int32)
    if (
        (rows["count"] != 3).any()
        or triangles.min() < 0
        or triangles.max() >= count
        or not np.isfinite(points).all()
        or float(np.abs(points).max()) > _FAR
    ):
        raise ValueError("what is kept of the mesh has corners that are not there")
    faces = int(face_of.max()) + 1
    flat = _flat_faces(points, triangles, face_of, faces)
    return KeptMesh(_laid(points, triangles, face_of, flat), triangles, face_of, faces, flat)


def _flat_faces(points: Floats, triangles: Ints, face_of: Ints, faces: int) -> dict[int, Frame]:
    off = max(_OFF, _SHARE * float(np.linalg.norm(np.ptp(points, axis=0))))
    a, b, c = (points[triangles[:, k]] for k in range(3))
    across = np.cross(b - a, c - a)
    areas = np.linalg.norm(across, axis=1)
    weighed = ((a + b + c) / 3) * areas[:, None]
    order = np.argsort(face_of, kind="stable")
    frames = {}
    for mine in np.split(order, np.flatnonzero(np.diff(face_of[order])) + 1):
        whole, area = across[mine].sum(axis=0), float(areas[mine].sum())
        long = float(np.linalg.norm(whole))
        if long < 0.999 * area or not long:
            continue
        normal = _straightened(whole / long)
        corners = points[np.unique(triangles[mine])]
        high = corners @ normal
        if np.ptp(high) > 2 * off:
            continue
        middle = weighed[mine].sum(axis=0) / area
        level = (float(high.max()) + float(high.min())) / 2
        at = middle + (level - middle @ normal) * normal
        frames[int(face_of[mine[0]])] = facing(as_vector(at.tolist()), as_vector(normal.tolist()))
    return frames


def _straightened(normal: Floats) -> Floats:
    k = int(np.argmax(np.abs(normal)))
    axis = np.zeros(3)
    axis[k] = np.sign(normal[k])
    return axis if float(np.linalg.norm(np.cross(normal, axis))) < _ALONG else normal


def _laid(points: Floats, triangles: Ints, face_of: Ints, flat: dict[int, Frame]) -> Floats:
    """The points, those of flat faces in their planes: in several at once where they lie between
    some."""
    laid = points.copy()
    planes_at: dict[int, list[int]] = {}
    for face in flat:
        mine = np.unique(triangles[face_of == face])
        normal, origin = np.array(flat[face].normal), np.array(flat[face].origin)
        laid[mine] -= np.outer((laid[mine] - origin) @ normal, normal)
        for point in mine.tolist():
            planes_at.setdefault(point, []).append(face)
    off = max(_OFF, _SHARE * float(np.linalg.norm(np.ptp(points, axis=0))))
    for point, faces in planes_at.items():
        if len(faces) < 2:
            continue
        normals = np.array([flat[face].normal for face in faces])
        origins = np.array([flat[face].origin for face in faces])
        levels = np.einsum("ij,ij->i", normals, origins - points[point])
        by = np.linalg.lstsq(normals, levels, rcond=1e-6)[0]
        # Planes at a small angle meet far away: there the file tells better.
        laid[point] = points[point] + (by if np.linalg.norm(by) < 20 * off else 0.0)
    return laid
