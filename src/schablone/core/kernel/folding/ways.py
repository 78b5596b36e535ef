"""Whether a sheet runs into itself while it is folded, bend after bend: a second look by triangle
meshes at panels and how they move."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from manifold3d import Manifold

from ..mesh import mesh_of_prism
from ..second import manifold_of
from .sheet import Folded
from .tools import whole

#: At which shares of a bend it is looked.
_SHARES = (0.34, 0.67, 1.0)
#: What two panels may have in common and still lie beside each other, mm³ for each mm of thickness.
_BESIDE = 0.05


@dataclass(frozen=True, slots=True)
class Meeting:
    """Two panels that run into each other while a bend is made; ``at_the_end``: when all are."""

    one: str
    other: str
    bend: str
    at_the_end: bool


def in_the_way(folded: Folded, order: Sequence[int]) -> Meeting | None:
    """The first two panels that run into each other while the bends are made in an order; None
    where nothing does. What is joined by a bend is not compared."""
    shares = [0.0] * len(folded.bends)
    joined = {frozenset((bend.parent, folded.hanging_on(k))) for k, bend in enumerate(folded.bends)}
    for place, number in enumerate(order):
        moved = _hanging(folded, number)
        for share in _SHARES:
            shares[number] = share
            frames = folded.placed(shares)
            solids: dict[int, Manifold | None] = {}
            prisms = [
                whole(replace(folded.prism(k), frame=frame)) for k, frame in enumerate(frames)
            ]
            boxes = [prism.bounds() for prism in prisms]
            for a in moved:
                for b in range(len(prisms)):
                    if b in moved or frozenset((a, b)) in joined:
                        continue
                    if any(
                        boxes[a][0][i] > boxes[b][1][i] - 1e-6
                        or boxes[b][0][i] > boxes[a][1][i] - 1e-6
                        for i in range(3)
                    ):
                        continue
                    for k in (a, b):
                        if k not in solids:
                            solids[k] = manifold_of(mesh_of_prism(prisms[k]))
                    one, other = solids[a], solids[b]
                    if one is None or other is None:
                        continue
                    if (one ^ other).volume() > _BESIDE * folded.thickness:
                        last = place == len(order) - 1 and share == 1.0
                        titles = folded.panels[a].title, folded.panels[b].title
                        return Meeting(*titles, folded.bends[number].title, last)
    return None


def _hanging(folded: Folded, number: int) -> set[int]:
    """The panels that are moved by a bend."""
    hanging = {folded.hanging_on(number)}
    for k, panel in enumerate(folded.panels):
        if panel.bend is not None and folded.bends[panel.bend].parent in hanging:
            hanging.add(k)
    return hanging
