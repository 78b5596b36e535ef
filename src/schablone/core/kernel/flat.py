"""Flat parts as cutting machines see them: outlines, moved off the line of the cut, corners
relieved for a round cutter."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from ..sketch.offsetting import moved_all_round
from ..sketch.regions import Region
from .body import Body
from .flat_corners import relieved_prisms, relieved_stack
from .frame import Frame, Vector
from .naming import FaceName
from .prism import Prism, moved_prism

if TYPE_CHECKING:
    from .occ import Solid


class NotFlat(ValueError):
    """A body without a flat outline."""


def flat_outline(body: Body) -> tuple[Region, ...]:
    """The regions of a plate, in the coordinates of its plane, arcs kept as arcs, mm.

    A body of prisms of one direction and one thickness gives their regions. Of any other body the
    largest flat face is taken.

    Raises:
        NotFlat: where there is no flat face at all.
    """
    return tuple(region for region, _ in flat_faces(body))


def flat_faces(body: Body) -> tuple[tuple[Region, Frame], ...]:
    """The same, each with the plane that it is drawn in: that of the upper side, where it is known.

    Raises:
        NotFlat: where there is no flat face at all.
    """
    if body.prisms:
        directions = {_unsigned(prism.frame.normal) for prism in body.prisms}
        if len(directions) == 1:
            return tuple((prism.region, prism.frame.lifted(prism.high)) for prism in body.prisms)
    from .occ import flat_sections as occ_flat

    face = occ_flat.largest_flat_face(_solid_of(body))
    if face is None:
        raise NotFlat("the part has no flat face")
    return (face,)


def _solid_of(body: Body) -> Solid:
    """The solid of a body that may be flat.

    Raises:
        NotFlat: where it is a free form.
    """
    if body.meshed is not None:
        raise NotFlat("the part is a free form made of triangles, and none of sheet")
    return body.solid()


@dataclass(frozen=True, slots=True)
class Plate:
    """How a flat part lies in its sheet: the direction through it, of length 1, and its thickness,
    mm."""

    through: Vector
    thickness: float


def plate_of(body: Body) -> Plate:
    """The direction and thickness of a flat part: that of its prisms, or across its largest flat
    face.

    Raises:
        NotFlat: where there is no flat face at all.
    """
    if body.prisms:
        directions = {_unsigned(prism.frame.normal) for prism in body.prisms}
        if len(directions) == 1:
            return Plate(body.prisms[0].frame.normal, max(prism.height for prism in body.prisms))
    from .occ import flat_sections as occ_flat

    plate = occ_flat.across(_solid_of(body))
    if plate is None:
        raise NotFlat("the part has no flat face")
    return Plate(*plate)


def leaning_faces(body: Body, degrees: float = 0.0) -> tuple[FaceName, ...]:
    """The faces of a flat part that are neither level nor, but for some ``degrees``, upright, as
    slopes and roundings are: what cuts through the sheet leave out.

    Raises:
        NotFlat: where there is no flat face at all.
    """
    if body.prisms and len({_unsigned(prism.frame.normal) for prism in body.prisms}) == 1:
        return tuple(
            name
            for prism in body.prisms
            if prism.inset > prism.height * math.tan(math.radians(degrees)) + 1e-9
            for name in dict.fromkeys(prism.sides.values())
        )
    from .occ.leaning import leaning

    return leaning(_solid_of(body), plate_of(body).through, degrees)


def _unsigned(way: Vector) -> tuple[float, ...]:
    return tuple(round(abs(c), 9) for c in way)


def moved_off(body: Body, plate: Plate, by: float) -> Body:
    """The body with all its outlines through the sheet moved outwards of the material by ``by`` mm,
    corners sharp.

    Raises:
        ValueError: where an outline closes up.
    """
    if by == 0:
        return body
    if body.prisms:
        return Body(
            tuple(piece for prism in body.prisms for piece in moved_prism(prism, by)),
            None,
            body.frames,
        )
    return _of_stack(_moved_solid(body, plate, by), body)


def _moved_solid(body: Body, plate: Plate, by: float) -> list[Prism]:
    """A solid moved off, as prisms one on the other."""
    from .occ import flat_sections as occ_flat

    prisms = occ_flat.moved_off(body.solid(), plate.through, by)
    if not prisms:
        raise NotFlat("nothing of the part is upright, as cuts through a sheet are")
    return prisms


def _of_stack(prisms: Sequence[Prism], body: Body) -> Body:
    """Prisms one on the other in the place of a body."""
    if len(prisms) == 1:
        return Body(tuple(prisms), None, body.frames)
    from .occ import flat_sections as occ_flat

    return Body((), occ_flat.joined(prisms), body.frames)


def tapered(body: Body, plate: Plate, degrees: float) -> Body:
    """The body as a cut leaves it that is wider where the beam enters: its sides lean into the
    material by an angle, from its outlines where the beam comes out. The beam enters on the side
    that the plate's direction points to.

    Raises:
        ValueError: where an outline closes up.
    """
    if degrees <= 0:
        return body
    from .occ import flat_sections as occ_flat

    slope = math.tan(math.radians(degrees))
    upright = body.prisms or tuple(occ_flat.slabs(body.solid(), plate.through))
    bottom = min(prism.low for prism in upright)
    leaning = [
        replace(piece, inset=prism.height * slope)
        for prism in upright
        for piece in (
            moved_prism(prism, -(prism.low - bottom) * slope)
            if prism.low > bottom + 1e-9
            else [prism]
        )
    ]
    for prism in leaning:
        moved_all_round(prism.region, -prism.inset)  # says so where nothing would be left above
    if body.prisms or len(leaning) == 1:
        return Body(tuple(leaning), None, body.frames)
    return Body((), occ_flat.joined(leaning), body.frames)


def relieved(body: Body, plate: Plate, cutter: float, how: Mapping[str, str]) -> Body:
    """The body with its inner corners made so that a round ``cutter`` of a diameter in mm gets into
    them, ``how`` by the kind of the corner:
    ``notch`` in the outline, ``opening``, or ``pocket``. Kinds that are missing or ``none`` are
    left alone.

    ``corner``: a round cut on the bisector that reaches the corner; ``along``: one along the longer
    side; ``radius``:
    the corner rounded by the cutter itself, which is also what comes of a corner that is left
    alone.
    """
    if body.prisms and (prisms := relieved_prisms(body.prisms, cutter, how)) is not None:
        return Body(prisms, None, body.frames)
    from .occ import relief as occ_relief

    solid = occ_relief.relieved(body.solid(), plate.through, plate.thickness, cutter, how)
    return body if solid is None else Body((), solid, body.frames)


def moved_off_and_relieved(
    body: Body, plate: Plate, by: float, cutter: float, how: Mapping[str, str]
) -> Body:
    """The body :func:`moved_off` by so many mm and then :func:`relieved`. A solid is both as prisms
    one on the other, which are joined once.

    Raises:
        ValueError: where an outline closes up.
    """
    if body.prisms or by == 0:
        return relieved(moved_off(body, plate, by), plate, cutter, how)
    from .occ import flat_sections as occ_flat

    prisms = _moved_solid(body, plate, by)
    if len(prisms) > 1:
        stack = relieved_stack(prisms, plate.thickness, cutter, how)
        if stack is not None:
            return Body((), occ_flat.joined(stack), body.frames)
    return relieved(_of_stack(prisms, body), plate, cutter, how)
