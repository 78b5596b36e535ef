"""A picture of parts as PNG, without a window."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ...core.kernel.mesh import Mesh
from .camera import Camera
from .drawn_mesh import DrawnMesh, colour
from .scene import Scene

_KRAFT, _INK, _PAPER = colour("#C9A36A"), colour("#1F2A37"), colour("#FBF9F4")


def shape_of(mesh: Mesh) -> DrawnMesh:
    """A mesh as it is drawn."""
    edges = np.concatenate(mesh.edges) if mesh.edges else np.empty((0, 3))
    lengths = np.array([len(edge) for edge in mesh.edges], dtype=np.int64)
    return DrawnMesh(
        mesh.points,
        mesh.triangles,
        mesh.face_of,
        mesh.normals,
        edges,
        lengths,
        list(mesh.edge_faces),
    )


def paint_parts(meshes: Sequence[Mesh], width: int = 1200, height: int = 750) -> bytes:
    """Parts seen from a corner, as a PNG picture."""
    scene = Scene()
    shapes = [shape_of(mesh) for mesh in meshes]
    scene.show(shapes, [_KRAFT] * len(shapes), _INK, {}, 4.0)
    points = np.concatenate([shape.points for shape in shapes]) if shapes else np.zeros((1, 3))
    camera = Camera().fitted(points.astype(np.float64), width / height)
    large = scene.render(camera, 2 * width, 2 * height, _PAPER)
    scene.release()
    sums = sum(large[i::2, j::2].astype(np.uint16) for i in (0, 1) for j in (0, 1))
    return png((sums // 4).astype(np.uint8))


def png(pixels: NDArray[np.uint8]) -> bytes:
    """RGBA pixels (height, width, 4) as a PNG file."""
    height, width = pixels.shape[:2]
    rows = np.concatenate(
        [np.zeros((height, 1), np.uint8), pixels[..., :3].reshape(height, width * 3)], axis=1
    )

    def chunk(kind: bytes, data: bytes) -> bytes:
        return (
            struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))
        )

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    body = zlib.compress(rows.tobytes(), 9)
    return (
        b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", body) + chunk(b"IEND", b"")
    )
