"""How far each face of what is expected lies from the same face as it is wanted."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..kernel.mesh import Mesh

Floats = NDArray[np.float64]

#: Points of a face that are looked at, at most.
_MOST_POINTS = 60


def deviations(expected: Mesh, wanted: Mesh) -> list[float | None]:
    """For each face of the expected mesh: how far it lies outside of the wanted face of its name,
    mm, on the average of its points; below zero where material is missing. None for a face that the
    wanted part does not have.

    Takes time in the product of both faces' sizes, face by face.
    """
    there: dict[str, list[int]] = {}
    for number, name in enumerate(wanted.faces):
        there.setdefault(str(name), []).append(number)
    offs: list[float | None] = []
    for number, name in enumerate(expected.faces):
        mine = expected.triangles[expected.face_of == number]
        same = there.get(str(name))
        if same is None or not len(mine):
            offs.append(None)
            continue
        other = wanted.points[wanted.triangles[np.isin(wanted.face_of, same)]].astype(np.float64)
        corners = expected.points[mine].astype(np.float64)
        centres = corners.mean(axis=1)
        normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        size = np.linalg.norm(normals, axis=1)
        kept = np.flatnonzero(size > 1e-12)
        if len(kept) > _MOST_POINTS:
            kept = kept[np.linspace(0, len(kept) - 1, _MOST_POINTS).astype(int)]
        if not len(kept) or not len(other):
            offs.append(None)
            continue
        offs.append(_outside(centres[kept], normals[kept] / size[kept, None], size[kept], other))
    return offs


def _outside(points: Floats, normals: Floats, weights: Floats, triangles: Floats) -> float:
    """How far points lie before the planes of the triangles that face the same way and are nearest
    to them."""
    centres = triangles.mean(axis=1)
    across = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    across /= np.maximum(np.linalg.norm(across, axis=1), 1e-12)[:, None]
    apart = np.linalg.norm(points[:, None] - centres[None], axis=2) + 1e3 * (
        1 - np.clip(normals @ across.T, -1, 1)
    )
    nearest = np.argmin(apart, axis=1)
    ahead = np.einsum("ij,ij->i", points - centres[nearest], across[nearest])
    return float(np.average(ahead, weights=weights))
