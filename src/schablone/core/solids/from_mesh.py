"""A mesh as a part: its flat and round faces found and a solid made of them, or, where it has too
many pieces for that, kept as the free form that it is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..quantity import plain as said
from ..words import number_word
from .free_form import kept_of
from .mesh_flats import Flats, flats_of
from .mesh_in import Net, read_net
from .mesh_regions import Regions, regions_of

#: So many faces a solid out of a mesh may have.
MOST_FACES = 600
#: With more flat pieces of one triangle it is a free form at once: round faces are made of strips.
_MOST_SINGLE = 3000
#: So often round faces that do not go together with what is beside them are left in flat pieces.
_TRIALS = 4
#: By how much its volume may differ from that of the mesh, as a share: chords cut off little.
_SHARE = 0.03


@dataclass(frozen=True)
class FromMesh:
    """What a design keeps of a mesh, a solid as STEP or a free form
    (:mod:`schablone.core.kernel.kept_mesh`), and what a person should know of it, in words."""

    data: bytes
    words: str


class _FreeForm(Exception):
    """No solid is made of a mesh: it has more faces than one may have, or they do not go
    together."""


def part_of_mesh(data: bytes, name: str) -> FromMesh:
    """What a mesh file is kept as: a solid with flat and round faces where it has no more than
    :data:`MOST_FACES` and these go together, else a free form. Loads the geometry kernel.

    Raises:
        NotAMesh: where it is no mesh, or encloses nothing.
    """
    net = read_net(data, name)
    flats = flats_of(net)
    try:
        if flats.singles > _MOST_SINGLE:
            raise _FreeForm
        return _solid_of(net, flats, name)
    except _FreeForm:
        kept, flat = kept_of(net, flats)
        return FromMesh(kept, _words_of_free(net, flat))


def _solid_of(net: Net, flats: Flats, name: str) -> FromMesh:
    """A solid of flat and round faces.

    Raises:
        _FreeForm: where none can be made of them.
    """
    from ..kernel.occ import Solid
    from ..kernel.occ.exchange import step_of
    from ..kernel.occ.from_regions import NotASolid, solid_of_regions

    parting = regions_of(net, flats)
    banned: set[int] = set()
    tried = 0
    _must_be_few(parting.least)
    while True:
        regions = parting.regions(banned)
        _must_be_few(len(regions.surfaces))
        try:
            shape = solid_of_regions(net.points, net.triangles, regions.of, regions.surfaces)
            break
        except NotASolid as error:
            # A round face that does not go together with what is beside it stays in flat pieces.
            ill = {regions.owner[k] for k in error.faces} - {-1}
            if not ill and len(banned) == len(parting.found):
                raise _FreeForm from None
            tried += 1
            banned |= ill if ill and tried < _TRIALS else set(range(len(parting.found)))
    solid = Solid(shape, ())
    if abs(solid.volume - net.volume) > _SHARE * net.volume or solid.volume <= 0:
        raise _FreeForm
    return FromMesh(step_of([(name, solid)]), _words(net, regions))


def _must_be_few(faces: int) -> None:
    if faces > MOST_FACES:
        raise _FreeForm


def _words(net: Net, regions: Regions) -> str:
    flat = len(regions.surfaces) - regions.rounds
    faces = f"{number_word(flat)} flat face{'s' * (flat != 1)}"
    if regions.rounds:
        faces += f" and {number_word(regions.rounds)} round one{'s' * (regions.rounds != 1)}"
    off = said(max(regions.off, 1e-4), 4)
    return (
        f"{_made_of(net)} {faces}. No corner of the mesh lies farther than {off} mm from them."
        f"{_mended(net)}"
    )


def _words_of_free(net: Net, flat: int) -> str:
    faces = f"{number_word(flat)} flat face{'s' * (flat != 1)}"
    there = (
        f"{faces} on which something can stand, and the rest as one"
        if flat
        else "no flat face is large enough for something to stand on; all of it is one"
    )
    return (
        f"{_made_of(net)} a free form, kept as triangles: {there}. It can be cut, added to, split "
        f"and mirrored, but its edges not be rounded.{_mended(net)}"
    )


def _made_of(net: Net) -> str:
    # A file that knows no unit is taken for millimetres: by its size that is seen.
    box = " × ".join(said(float(side), 2) for side in np.ptp(net.points, axis=0))
    return f"Made of {len(net.triangles):,} triangles, {box} mm:"


def _mended(net: Net) -> str:
    return f" Mended: {', '.join(net.mended)}." if net.mended else ""
