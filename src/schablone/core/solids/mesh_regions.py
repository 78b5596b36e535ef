"""The faces that the triangles of a mesh were made of: its flat pieces (``mesh_flats``), of which
some are round faces together (``mesh_rounds``)."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..kernel.surfaces import Surface
from .mesh_flats import Facet, Flats, Ways, plane
from .mesh_in import Net
from .mesh_rounds import Round, halves, rounds_of

Floats = NDArray[np.float64]
Numbers = NDArray[np.int64]


@dataclass(frozen=True)
class Regions:
    """A mesh parted into faces: the surface of each, the face of each triangle, how far a corner
    lies off its face at most, mm, and the number of the round face that each is of, −1 for flat
    ones."""

    net: Net
    surfaces: tuple[Surface, ...]
    of: Numbers
    off: float
    owner: tuple[int, ...]

    @property
    def rounds(self) -> int:
        """How many of its surfaces are round."""
        return sum(surface.is_round for surface in self.surfaces)


def regions_of(net: Net, flats: Flats) -> Parting:
    """Look for the round faces that flat pieces of a mesh make."""
    off, facets, label = flats.off, flats.pieces, flats.label
    return Parting(net, off, facets, label, rounds_of(net, facets, label, off))


@dataclass(frozen=True)
class Parting:
    """The flat pieces of a mesh, and the round faces that some of them make."""

    net: Net
    off: float
    facets: list[Facet]
    label: Numbers
    found: list[Round]

    @property
    def least(self) -> int:
        """How many faces there are at least."""
        in_rounds = sum(len(one.facets) for one in self.found)
        return len(self.facets) - in_rounds + len(self.found)

    def regions(self, banned: Collection[int] = ()) -> Regions:
        """The faces; round ones whose numbers are banned are left in their flat pieces."""
        rounds = [(n, one) for n, one in enumerate(self.found) if n not in banned]
        surfaces: list[Surface] = []
        owner: list[int] = []
        number = {}
        taken = {facet for _, one in rounds for facet in one.facets}
        ways = Ways()
        for k, facet in sorted(enumerate(self.facets), key=lambda pair: -pair[1].area):
            if k not in taken:
                number[k] = len(surfaces)
                surfaces.append(plane(self.net, facet, ways))
                owner.append(-1)
        for n, one in rounds:
            for half, mine in halves(self.net, self.facets, one, ways):
                for k in mine:
                    number[k] = len(surfaces)
                surfaces.append(half)
                owner.append(n)
        of = np.array([number[k] for k in self.label.tolist()], dtype=np.int64)
        off = _farthest(self.net, surfaces, of)
        return Regions(self.net, tuple(surfaces), of, off, tuple(owner))


def _farthest(net: Net, surfaces: Sequence[Surface], of: Numbers) -> float:
    worst = 0.0
    for k, surface in enumerate(surfaces):
        mine = net.points[np.unique(net.triangles[of == k])]
        worst = max(worst, float(np.abs(surface.distance(mine)[0]).max()))
    return worst
