"""A plain solid, without history, made ready for its faces to be moved: its flat faces in one piece
each, its roundings taken off, its surfaces known."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.GeomAbs import GeomAbs_Plane
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape

from ..mesh import FOR_LOOKING
from ..naming import NAMELESS, FaceName
from ..surfaces import Surface
from .collisions import first_collision
from .curves_between import NotCarried
from .endless import endless
from .meshing import mesh_of
from .reshaped import Reshaped, reshaped
from .roundings import Rounding, chains
from .sharp import NotRounded, Sharp, rounded_again, sharp_of
from .skeleton import Skeleton, skeleton_of, surface_of
from .solids import Solid, area_of, in_order
from .sound_faces import at_fault
from .unified import unified


@dataclass(frozen=True)
class PlainSolid:
    """A solid, and where its faces are in the sharp one whose surfaces can be changed.

    ``place`` gives for the name of a face the number of the face of the sharp solid that it is
    part of; ``roundings`` those of rounded edges by name. ``names`` has the first name of each face
    of the sharp solid, ``whole_names`` that of each face of the whole one.
    """

    solid: Solid
    whole: Skeleton
    sharp: Sharp
    names: tuple[FaceName, ...]
    whole_names: tuple[FaceName, ...]
    place: Mapping[FaceName, int]
    roundings: Mapping[FaceName, Rounding]

    @property
    def skeleton(self) -> Skeleton:
        """What meets where, roundings taken off."""
        return self.sharp.skeleton

    @cached_property
    def chains(self) -> tuple[tuple[FaceName, ...], ...]:
        """Rounded edges that go on into each other, by name: they have one radius."""
        name_of = {one.face: name for name, one in self.roundings.items()}
        return tuple(
            tuple(name_of[one.face] for one in chain if one.face in name_of)
            for chain in chains(self.whole, self.sharp.roundings)
        )

    @cached_property
    def surfaces(self) -> tuple[Surface | None, ...]:
        """The surfaces of the faces of the sharp solid; None for free ones."""
        return tuple(face.surface for face in self.skeleton.faces)

    @cached_property
    def fixed(self) -> frozenset[int]:
        """Faces of the sharp solid that cannot change: free ones, and roundings that could not be
        taken off."""
        now = self.sharp.faces
        kept = {now[k] for k in self.sharp.kept}
        free = {k for k, surface in enumerate(self.surfaces) if surface is None}
        return frozenset(free | {k for k in kept if k is not None})


def plain_of(solid: Solid) -> PlainSolid:
    """Make a solid ready; kept with the solid, since it takes its time."""
    known = solid.__dict__.get("_plain")
    if known is None:
        known = solid.__dict__["_plain"] = _plain_of(solid)
    return known


def _plain_of(solid: Solid) -> PlainSolid:
    whole, at = unified(skeleton_of(solid.shape))
    sharp = sharp_of(whole)
    place: dict[FaceName, int] = {}
    rounds: dict[FaceName, Rounding] = {}
    by_face = {one.face: one for one in sharp.roundings}
    names: dict[int, FaceName] = {}
    for name, number in zip(solid.names, at, strict=True):
        there = sharp.faces[number]
        if there is None:
            rounds.setdefault(name, by_face[number])
        else:
            place.setdefault(name, there)
            names.setdefault(there, name)
    listed = tuple(names.get(k, NAMELESS) for k in range(len(sharp.skeleton.faces)))
    first: dict[int, FaceName] = {}
    for name, number in zip(solid.names, at, strict=True):
        first.setdefault(number, name)
    every = tuple(first.get(k, NAMELESS) for k in range(len(whole.faces)))
    return PlainSolid(solid, whole, sharp, listed, every, place, rounds)


@dataclass(frozen=True)
class Changed:
    """The solid after a change: the faces that it used up, and those that look the other way, by
    name."""

    solid: Solid
    used_up: tuple[FaceName, ...] = ()
    inverted: tuple[FaceName, ...] = ()


class CannotChange(ValueError):
    """A change that cannot be made: why, with ``{faces}`` in the place of the names of the faces
    that it is about."""

    def __init__(self, what: str, faces: Sequence[FaceName] = ()) -> None:
        super().__init__(what)
        self.what, self.faces = what, tuple(dict.fromkeys(faces))


def changed(
    plain: PlainSolid, surfaces: Mapping[int, Surface], radii: Mapping[FaceName, float]
) -> Changed:
    """The solid with faces of the sharp one, by number, on other surfaces, and with roundings, by
    name, of other radii.

    Raises:
        CannotChange: says which faces do not meet any more, or run into each other.
    """
    skeleton = plain.skeleton
    try:
        made = reshaped(skeleton, surfaces)
    except NotCarried as error:
        raise CannotChange(error.what, [plain.names[k] for k in error.faces]) from None
    if not made.touched and not radii:
        return Changed(plain.solid)
    left = {k: face for k, face in enumerate(made.faces) if face is not None}
    met = first_collision(left, made.touched)
    if met is not None:
        raise CannotChange("{faces} run into each other", [plain.names[k] for k in met])
    ill = at_fault(left, made.touched) if not made.used_up else _ill(made)
    if ill:
        names = [plain.names[k] for k in ill]
        raise CannotChange("the outline of {faces} would cross itself", names)
    wanted = {plain.roundings[name].face: radius for name, radius in radii.items()}
    try:
        rounded = rounded_again(plain.sharp, made.shape, left, made.edges, wanted)
    except NotRounded as error:
        raise CannotChange(
            "there is no room any more for {faces}", _of_roundings(plain, error.faces)
        ) from None
    _must_be_as_wanted(plain, rounded.faces, wanted)
    named = [(face, plain.whole_names[k]) for k, faces in rounded.faces.items() for face in faces]
    solid = in_order(rounded.shape, named)
    if plain.sharp.roundings and not solid.is_valid():
        every = [one.face for one in plain.sharp.roundings]
        mine = [face for face in every if face in wanted] or every
        raise CannotChange("there is no room any more for {faces}", _of_roundings(plain, mine))
    if solid.volume <= 0:
        names = [plain.names[k] for k in _ill(made) or sorted(made.touched)]
        raise CannotChange("{faces} would be turned inside out", names)
    if not _measures_alike(solid):
        names = [plain.names[k] for k in sorted(made.touched)]
        raise CannotChange("the volume cannot be told for sure after {faces} have moved", names)
    return Changed(
        solid,
        tuple(plain.names[k] for k in made.used_up),
        tuple(sorted(plain.names[k] for k in made.inverted)),
    )


def _measures_alike(solid: Solid) -> bool:
    """Whether the kernel's volume is that of the mesh that is shown, but for its chords: the one
    goes by where edges run on faces, the other by where they run in space."""
    try:
        meshed = mesh_of(solid, FOR_LOOKING).volume()
    except ValueError:
        return False
    bent = sum(area_of(face) for face in solid.faces() if not _is_flat(TopoDS.Face_s(face)))
    return bool(abs(meshed - solid.volume) <= FOR_LOOKING * bent + 1e-6 * solid.volume)


def _is_flat(face: TopoDS_Face) -> bool:
    return bool(endless(face).GetType() == GeomAbs_Plane)


def _must_be_as_wanted(
    plain: PlainSolid, faces: Mapping[int, Sequence[TopoDS_Shape]], radii: Mapping[int, float]
) -> None:
    """The kernel's rounding is taken for what it is, not for what it was asked for.

    Raises:
        CannotChange: where a rounded edge is not there, or has another radius.
    """
    for one in plain.sharp.roundings:
        if one.edge < 0:
            continue
        radius = radii.get(one.face, one.radius)
        surfaces = [surface_of(TopoDS.Face_s(face)) for face in faces.get(one.face, ())]
        made = [
            s.radius if s.kind == "cylinder" else s.second
            for s in surfaces
            if s is not None and s.kind in ("cylinder", "ring")
        ]
        if not made or any(abs(r - radius) > 1e-6 for r in made):
            mine = _of_roundings(plain, [one.face])
            raise CannotChange("{faces} cannot be rounded so beside the others", mine)


def _ill(made: Reshaped) -> list[int]:
    """The faces that the kernel finds fault with, all looked at together: where faces are used up,
    what is left beside them has new neighbours."""
    checked = BRepCheck_Analyzer(made.shape)
    if checked.IsValid():
        return []
    ill = [k for k, face in enumerate(made.faces) if face is not None and not checked.IsValid(face)]
    return ill or sorted(made.touched)


def _of_roundings(plain: PlainSolid, faces: Sequence[int]) -> list[FaceName]:
    return [name for name, one in plain.roundings.items() if one.face in faces]
