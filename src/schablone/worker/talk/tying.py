"""Sizes given to a plain solid: what is offered, what stays loose, how it would move."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict
from typing_extensions import TypedDict

from ...core.solids.ties import Tie
from .message import Message, OfADesign
from .part import Report


class TieFaces(OfADesign):
    """What can faces be tied by, and what is not tied yet? ``about`` is a :class:`TyingAsked` as
    JSON."""

    do: Literal["tie faces"] = "tie faces"
    about: str


class Wiggle(OfADesign):
    """How can a face still move? ``about`` is a :class:`TyingAsked` as JSON whose one pick is the
    face."""

    do: Literal["wiggle"] = "wiggle"
    about: str


class TyingAsked(BaseModel):
    """What is asked of a step that ties faces: its name, and the places that were picked."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    step: str
    picks: tuple[str, ...] = ()


class OfferReport(TypedDict):
    """A tie that is possible, in words, and what it measures now as it is
    typed; ``repeats`` in words what it would say again."""

    tie: Tie
    words: str
    formula: str
    repeats: str


class LooseReport(TypedDict):
    """A face that nobody tied: how it can move, and the ties that would most likely hold it, with
    words for them."""

    faces: list[str]
    said: str
    how: str
    ties: Sequence[Tie]
    words: str


class FoundReport(TypedDict):
    """Something that faces have in common, and the ties that would keep it."""

    words: str
    faces: list[str]
    ties: Sequence[Tie]


class TiesTold(Message):
    """The state of a step that ties faces: how many ways the part can still move, what is not tied,
    what was found; what ties measure, by their number; and for what was picked words and offers.
    ``trouble`` says why there is none of it."""

    answer: Literal["ties told"] = "ties told"
    step: str
    freedoms: int = 0
    measured: dict[str, str] = {}
    wrong: dict[str, str] = {}
    said: dict[str, str] = {}
    offers: list[OfferReport] = []
    loose: list[LooseReport] = []
    found: list[FoundReport] = []
    trouble: str = ""


class Wiggled(Message):
    """The part at one place of a swing of a face that can still move."""

    answer: Literal["wiggled"] = "wiggled"
    number: int
    last: bool
    report: Report
