"""The flat outline of a body: what a cutter follows."""

from __future__ import annotations

from ..sketch.regions import Region
from .body import Body


class NotFlat(ValueError):
    """A body without a flat outline."""


def flat_outline(body: Body) -> tuple[Region, ...]:
    """The regions of a plate, in the coordinates of its plane, arcs kept as arcs, mm.

    A body of prisms of one direction and one thickness gives their regions. Of any other body the largest
    flat face is taken.

    Raises:
        NotFlat: where there is no flat face at all.
    """
    if body.prisms:
        directions = {tuple(round(abs(c), 9) for c in prism.frame.normal) for prism in body.prisms}
        if len(directions) == 1:
            return tuple(prism.region for prism in body.prisms)
    from . import occ_flat

    region = occ_flat.largest_flat_face(body.solid())
    if region is None:
        raise NotFlat("the part has no flat face")
    return (region,)
