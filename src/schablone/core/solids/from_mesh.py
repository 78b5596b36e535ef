"""A mesh made a plain solid: its flat and round faces found, and a solid made of them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..quantity import plain as said
from ..words import number_word
from .mesh_in import Net, NotAMesh, read_net
from .mesh_regions import Regions, regions_of

#: So many faces a solid out of a mesh may have.
MOST_FACES = 600
#: So often round faces that do not go together with what is beside them are left in flat pieces.
_TRIALS = 4
#: By how much its volume may differ from that of the mesh, as a share: chords cut off little.
_SHARE = 0.03


@dataclass(frozen=True)
class FromMesh:
    """A solid out of a mesh, as STEP, and what a person should know of it, in words."""

    step: bytes
    words: str


def solid_of_mesh(data: bytes, name: str) -> FromMesh:
    """The solid of a mesh file. Loads the geometry kernel.

    Raises:
        NotAMesh: where it is no mesh, encloses nothing, or has hardly flat and round faces.
    """
    from ..kernel.occ import Solid
    from ..kernel.occ.exchange import step_of
    from ..kernel.occ.from_regions import NotASolid, solid_of_regions

    net = read_net(data, name)
    parting = regions_of(net)
    banned: set[int] = set()
    tried = 0
    _must_be_few(name, parting.least)
    while True:
        found = parting.regions(banned)
        _must_be_few(name, len(found.surfaces))
        try:
            shape = solid_of_regions(net.points, net.triangles, found.of, found.surfaces)
            break
        except NotASolid as error:
            # A round face that does not go together with what is beside it stays in flat pieces.
            ill = {found.owner[k] for k in error.faces} - {-1}
            if not ill and len(banned) == len(parting.found):
                raise NotAMesh(f"No solid can be made of {name}: {error}.") from None
            tried += 1
            banned |= ill if ill and tried < _TRIALS else set(range(len(parting.found)))
    solid = Solid(shape, ())
    if abs(solid.volume - net.volume) > _SHARE * net.volume or solid.volume <= 0:
        raise NotAMesh(
            f"No solid can be made of {name}: it would enclose {said(solid.volume, 1)} mm³ "
            f"where the mesh encloses {said(net.volume, 1)} mm³."
        )
    return FromMesh(step_of([(name, solid)]), _words(net, found))


def _must_be_few(name: str, faces: int) -> None:
    if faces > MOST_FACES:
        raise NotAMesh(
            f"{name} has {faces:,} pieces that are neither flat nor round: it is a free form. Up "
            f"to {MOST_FACES:,} faces are made a solid."
        )


def _words(net: Net, found: Regions) -> str:
    flat = len(found.surfaces) - found.rounds
    faces = f"{number_word(flat)} flat face{'s' * (flat != 1)}"
    if found.rounds:
        faces += f" and {number_word(found.rounds)} round one{'s' * (found.rounds != 1)}"
    off = said(max(found.off, 1e-4), 4)
    mended = f" Mended: {', '.join(net.mended)}." if net.mended else ""
    box = " × ".join(said(float(side), 2) for side in np.ptp(net.points, axis=0))
    # A file that knows no unit is taken for millimetres: by its size that is seen.
    return (
        f"Made of {len(net.triangles):,} triangles, {box} mm: {faces}. No corner of the mesh lies "
        f"farther than {off} mm from them.{mended}"
    )
