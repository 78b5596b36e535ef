"""The ties of a plain solid: what holds between its faces, and by which formula.

A place is the name of a face, or two names with `` | `` between them for the edge where they meet.
A tie whose formula is empty holds what is measured.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.naming import FaceName, say_face, step_renamed
from ..model import FormulaText, Frozen, Identifier, OneLine
from ..quantity import ANGLE, LENGTH, Kind
from ..words import listed, say_name

TieKind = Literal[
    "pin", "distance", "radius", "diameter", "angle", "flush", "concentric", "equal", "symmetric"
]
Along = Literal["straight", "x", "y", "z"]

#: What is written between the two faces of an edge.
EDGE = " | "

#: The kinds that a formula measures.
MEASURED: dict[str, Kind] = {
    "distance": LENGTH, "radius": LENGTH, "diameter": LENGTH, "angle": ANGLE
}  # fmt: skip

#: How many places a kind needs at least, and takes at most.
PLACES: dict[str, tuple[int, int]] = {
    "pin": (1, 200),
    "distance": (2, 2),
    "radius": (1, 200),
    "diameter": (1, 200),
    "angle": (1, 2),
    "flush": (2, 200),
    "concentric": (2, 200),
    "equal": (2, 200),
    "symmetric": (1, 2),
}


class Tie(Frozen):
    """One tie.

    ``of`` are the places that it ties. ``about`` is, for what lies symmetrically, a flat face in
    whose plane, or two flat faces in the middle between which, the mirror stands. ``along`` is the
    direction of a distance, the shortest where it is ``straight``. With ``reads`` it is no tie but
    a figure that is read off, usable as ``step.name``.

    As they were when it was made: ``side`` says which side of the material a length lies on,
    ``axis`` the axis of the part that it lies along, ``bored`` the one along which what is round
    runs.
    """

    kind: TieKind = "distance"
    name: Identifier | Literal[""] = ""
    of: Annotated[tuple[OneLine, ...], Field(max_length=200)] = ()
    about: Annotated[tuple[OneLine, ...], Field(max_length=2)] = ()
    formula: FormulaText = ""
    along: Along = "straight"
    reads: bool = False
    side: Literal["", "inside", "outside"] = ""
    axis: Literal["", "x", "y", "z"] = ""
    bored: Literal["", "x", "y", "z"] = ""

    @property
    def measures(self) -> Kind | None:
        """The kind of what it measures; None where it measures nothing."""
        return MEASURED.get(self.kind)

    def faces(self) -> tuple[str, ...]:
        """The names of all faces that it has to do with."""
        return tuple(face for place in (*self.of, *self.about) for face in place.split(EDGE))

    def with_step_renamed(self, old: str, new: str) -> Tie:
        def renamed(places: tuple[str, ...]) -> tuple[str, ...]:
            return tuple(
                EDGE.join(step_renamed(face, old, new) for face in place.split(EDGE))
                for place in places
            )

        return self.model_copy(update={"of": renamed(self.of), "about": renamed(self.about)})


def say_tie_place(place: str) -> str:
    """A place of a tie in words: ``face 3 of foot``, or ``edge between face 3 of foot and …``."""
    faces = [say_face(face) for face in place.split(EDGE)]
    return faces[0] if len(faces) == 1 else f"edge between {faces[0]} and {faces[1]}"


def say_tie(tie: Tie) -> str:
    """A tie in words: its name where it has one, else what it ties."""
    if tie.name:
        return f"“{say_name(tie.name)}”"
    places = [say_tie_place(place) for place in tie.of]
    match tie.kind:
        case "pin":
            return f"the pin of {listed(places[:3])}"
        case "distance":
            along = f" along {tie.along}" if tie.along != "straight" else ""
            return f"the distance{along} from {' to '.join(places)}"
        case "radius" | "diameter":
            return f"the {tie.kind} of {listed(places[:3])}"
        case "angle":
            return f"the angle of {' and '.join(places)}"
        case "symmetric":
            about = [say_tie_place(place) for place in tie.about]
            middle = "the middle of " if len(about) > 1 else ""
            return f"{listed(places)} symmetric about {middle}{listed(about)}"
    return f"{listed(places[:4])} {tie.kind}"


@lru_cache(maxsize=4096)
def named(place: str) -> tuple[FaceName, ...]:
    """The faces of a place: one, or the two of an edge.

    Raises:
        ValueError: where it is no place.
    """
    faces = place.split(EDGE)
    if len(faces) > 2:
        raise ValueError(f"“{place}” is no edge: that lies between two faces")
    return tuple(FaceName.read(face) for face in faces)
