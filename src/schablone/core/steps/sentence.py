"""What the sentence of a step is made of: words, formulas, choices and picks, in one or more
lines."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..kernel.frame import PLANES
from ..kernel.naming import FaceName
from ..kernel.spots import is_spot, say_spot
from ..model import Frozen
from ..words import say_name


@dataclass(frozen=True, slots=True)
class Words:
    """Plain words of a sentence."""

    text: str


@dataclass(frozen=True, slots=True)
class FormulaPiece:
    """A formula, edited where it stands."""

    path: str


@dataclass(frozen=True, slots=True)
class PointsPiece:
    """A list of points, x and y of each a formula: a small table."""

    path: str


@dataclass(frozen=True, slots=True)
class ChoicePiece:
    """One of several words."""

    path: str
    options: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class PlacePiece:
    """A plane or a flat face, picked in the view; with ``spots`` also any face, a corner, a middle
    or a centre."""

    path: str
    planes: bool = False
    spots: bool = False


@dataclass(frozen=True, slots=True)
class StepPiece:
    """Another step, of one of the kinds; ``repeatable``: of any kind that can be repeated."""

    path: str
    kinds: tuple[str, ...] = ()
    repeatable: bool = False


@dataclass(frozen=True, slots=True)
class PartPiece:
    """Another part of the design; ``new`` offers to make one, ``itself`` also the part that the
    step works on."""

    path: str
    new: bool = False
    itself: bool = False


@dataclass(frozen=True, slots=True)
class SizePiece:
    """One of the design's sizes."""

    path: str


@dataclass(frozen=True, slots=True)
class TextPiece:
    """Plain text that goes onto the part."""

    path: str


@dataclass(frozen=True, slots=True)
class LinePiece:
    """An axis of the sheet or a line of the sketch that another field names."""

    path: str
    sketch: str


@dataclass(frozen=True, slots=True)
class PointPiece:
    """A point of the sketch that another field names."""

    path: str
    sketch: str


@dataclass(frozen=True, slots=True)
class BoughtPiece:
    """A bought part of the design, or one from the shelf."""

    path: str


@dataclass(frozen=True, slots=True)
class StencilPiece:
    """A stencil of the design, or one from the shelf."""

    path: str


@dataclass(frozen=True, slots=True)
class AnchorPiece:
    """An anchor of the bought part that another field names."""

    path: str
    thing: str


@dataclass(frozen=True, slots=True)
class PortPiece:
    """A port of the bought part that another step, named by a field, places; empty for all."""

    path: str
    step: str


@dataclass(frozen=True, slots=True)
class EdgesPiece:
    """Edges by rules, picked in the view."""

    path: str


@dataclass(frozen=True, slots=True)
class FacesPiece:
    """Faces by name, picked in the view."""

    path: str


@dataclass(frozen=True, slots=True)
class ListPiece:
    """Items of a list, one more or one less of them; ``new`` is what one more is at first."""

    path: str
    what: str
    new: Frozen
    least: int = 0


@dataclass(frozen=True, slots=True)
class TiesPiece:
    """Ties between faces, made in the view."""

    path: str


SentencePiece = (
    Words
    | FormulaPiece
    | PointsPiece
    | ChoicePiece
    | PlacePiece
    | StepPiece
    | TextPiece
    | EdgesPiece
    | FacesPiece
    | LinePiece
    | PartPiece
    | ListPiece
    | SizePiece
    | PointPiece
    | BoughtPiece
    | StencilPiece
    | AnchorPiece
    | PortPiece
    | TiesPiece
)
Sentence = tuple[tuple[SentencePiece, ...], ...]


def say_place(place: str) -> str:
    """A plane or face in words."""
    if place in PLANES:
        return {"ground": "the ground", "front": "the front plane", "side": "the side plane"}[place]
    if is_spot(place):
        return say_spot(place)
    try:
        return FaceName.read(place).words()
    except ValueError:
        return "no face yet"


def say_step(name: str) -> str:
    """The name of a step in words."""
    return say_name(name) if name else "no step yet"
