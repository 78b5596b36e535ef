"""A mesh that is a free form: which of its flat pieces are faces to stand on, and what a design
keeps of it."""

from __future__ import annotations

import numpy as np

from ..kernel.kept_mesh import kept_mesh, written
from ..kernel.mesh_pieces import touching
from ..kernel.meshed import Meshed
from ..kernel.naming import NAMELESS
from .mesh_flats import Flats
from .mesh_in import Net, NotAMesh

#: So many flat faces get a name.
_MOST_FLAT = 500
#: The least share of the whole surface that a flat face has: a thousandth is one that a pointer
#: meets.
_LEAST = 1e-3


def kept_of(net: Net, flats: Flats) -> tuple[bytes, int]:
    """What a design keeps of a mesh, and how many flat faces it has, the largest first.

    Raises:
        NotAMesh: where it encloses nothing once its figures are as exact as they are kept.
    """
    order = np.argsort(-flats.areas, kind="stable")[:_MOST_FLAT]
    large = order[flats.areas[order] > _LEAST * flats.areas.sum()]
    number = np.full(len(flats.areas), len(large), dtype=np.int32)
    number[large] = np.arange(len(large))
    data = written(net.points, net.triangles.astype(np.int32), number[flats.label])
    kept = kept_mesh(data)
    names = (NAMELESS,) * kept.faces
    made = Meshed(kept.points, kept.triangles, kept.face_of, names)
    ill = not made.is_sound() or touching(made) is not None
    if ill or abs(made.figures.volume - net.volume) > 1e-3 * abs(net.volume):
        raise NotAMesh("It runs into itself, or its corners lie too close together.")
    return data, len(kept.flat)
