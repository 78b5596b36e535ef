"""Questions about a design that leave it as it is: what follows, what would be, how far it is,
what comes off."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, ConfigDict

from .message import XYZ, Message, OfADesign
from .part import Report


class Follow(OfADesign):
    """Which faces follow a size?"""

    do: Literal["follow"] = "follow"
    about: str


class Try(OfADesign):
    """The part for each value of a size that is worth trying."""

    do: Literal["try"] = "try"
    about: str


class GaugeBetween(OfADesign):
    """What lies between two spots or faces, by name with a bar between them?"""

    do: Literal["gauge"] = "gauge"
    about: str


class Glance(OfADesign):
    """The part as it is after a step."""

    do: Literal["glance"] = "glance"
    about: str


class BendTo(OfADesign):
    """Folded parts on their way: all bends bent by a share, from 0 for flat to 1."""

    do: Literal["bend_to"] = "bend_to"
    about: str


class BuildAt(OfADesign):
    """The part with other formulas for some sizes; ``about`` is an :class:`AtAsked` as JSON."""

    do: Literal["at"] = "at"
    about: str


class Deviate(OfADesign):
    """How far is what is expected from what is wanted?"""

    do: Literal["deviate"] = "deviate"
    about: str = ""


class Followed(Message):
    """The faces that moved, stay, came and went with a size, tried from and to."""

    answer: Literal["followed"] = "followed"
    size: str
    moved: list[str]
    stays: list[str]
    came: list[str]
    went: list[str]
    from_: list[Any]
    to: list[Any]
    trouble: str


class Tried(Message):
    """One value of a size: its number among so many, what changed, and the part."""

    answer: Literal["tried"] = "tried"
    number: int
    count: int
    last: bool
    value: list[Any]
    formula: str
    why: str
    counts: dict[str, float]
    changed: dict[str, float]
    report: Report


class Gauged(Message):
    """The two ends of a distance, mm."""

    answer: Literal["gauged"] = "gauged"
    ends: tuple[XYZ, XYZ]


class Glanced(Message):
    """The part after a step."""

    answer: Literal["glanced"] = "glanced"
    step: str
    report: Report


class BentTo(Message):
    """The parts with their bends bent by a share."""

    answer: Literal["bent_to"] = "bent_to"
    report: Report


class AtAsked(BaseModel):
    """Formulas that are given for some sizes, and whether the part is for a small picture."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    given: dict[str, str]
    small: bool = False


class BuiltAt(Message):
    """The part with the formulas that were given."""

    answer: Literal["built at"] = "built at"
    report: Report


class Deviated(Message):
    """By part, how far each face lies from where it is wanted, mm."""

    answer: Literal["deviated"] = "deviated"
    parts: dict[str, list[Any]]
