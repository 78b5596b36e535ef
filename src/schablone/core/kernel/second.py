"""A second reckoning of booleans: the same on triangle meshes, by a library that shares nothing
with the geometry kernel.

The kernel now and then loses a piece where free surfaces meet at a small angle, and calls what is
left valid. How much two solids have in common is worked out from meshes as well; where both do not
come to the same, the kernel's answer is not used.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from manifold3d import Error, Manifold, OpType
from manifold3d import Mesh as Net

from .frame import Vector, as_vector
from .mesh import Mesh, Skin

#: By what share of what is in common, and of all that is there, the two may differ: chords take off
#: a little.
_SHARE, _WHOLE = 0.05, 2e-4


def manifold_of(mesh: Mesh | Skin) -> Manifold | None:
    """A mesh as a solid of the other library; None where it is not closed."""
    solid = Manifold(
        Net(
            vert_properties=mesh.points.astype(np.float32),
            tri_verts=mesh.triangles.astype(np.uint32),
        )
    )
    return solid if solid.status() == Error.NoError and not solid.is_empty() else None


def walls_along(solid: Manifold | None, start: Vector, way: Vector, far: float) -> list[float]:
    """How far away the walls of a mesh (:func:`manifold_of`) are from a place along a direction of
    length 1, mm, the nearest first; none where there are none within ``far``, or it is not
    closed."""
    end = as_vector(a + far * w for a, w in zip(start, way, strict=True))
    hits = solid.ray_cast(start, end) if solid is not None else []
    return sorted(far * hit.distance for hit in hits)


def agrees(
    before: tuple[float, Mesh | Skin],
    operation: str,
    tools: Sequence[tuple[float, Mesh | Skin]],
    after: float,
) -> bool:
    """Whether a volume is what comes of an operation on a body with tools, each given by its own
    volume (mm³) and a mesh.

    Where a mesh is not closed nothing can be said, and it counts as agreed.
    """
    body = manifold_of(before[1])
    others = [manifold_of(mesh) for _, mesh in tools]
    if body is None or any(other is None for other in others):
        return True
    together = Manifold.batch_boolean([other for other in others if other is not None], OpType.Add)
    shared = (body ^ together).volume()
    exact = math.fsum(volume for volume, _ in tools)
    # The tools' own overlap, and by how much meshes are smaller than what they stand for.
    overlap = math.fsum(other.volume() for other in others if other is not None) - together.volume()
    tool_volume = exact - overlap
    wanted = {
        "add": before[0] + tool_volume - shared,
        "cut": before[0] - shared,
        "common": shared,
    }[operation]
    slack = _SHARE * (abs(shared) + abs(overlap)) + _WHOLE * (before[0] + exact) + 1e-6
    return bool(abs(after - wanted) <= slack)
