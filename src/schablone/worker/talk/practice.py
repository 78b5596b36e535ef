"""What can be measured on a coupon, and what a practice machine makes of it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field
from typing_extensions import TypedDict

from ...core.process.known import FeatureKind
from .message import Message


class Features(Message):
    """What can be measured on an exported file?"""

    do: Literal["features"] = "features"
    path: str


class Practise(Message):
    """Let a practice machine make the piece of a file on a day, in layers or from stock of so many
    mm, and measure it so many times."""

    do: Literal["practice"] = "practice"
    path: str
    machine: str
    piece: int
    day: int
    layer: float = 0.0
    thickness: float = 0.0
    times: Annotated[int, Field(ge=1, le=20)] = 3


class BendStrips(Message):
    """Let a practice machine bend the strips of a drawing of blanks, of a nominal thickness, mm,
    and measure each so many times."""

    do: Literal["bend"] = "bend"
    path: str
    machine: str
    thickness: Annotated[float, Field(gt=0, le=50)]
    piece: int
    times: Annotated[int, Field(ge=1, le=20)] = 2


class FeatureFound(TypedDict):
    """Something to measure on a piece: its kind, its size as it was sent, mm, its words, and along
    which axis it lies."""

    kind: FeatureKind
    size: float
    label: str
    axis: str


class FeaturesFound(Message):
    """All that can be measured."""

    answer: Literal["features"] = "features"
    features: list[FeatureFound]


class FeatureMeasured(FeatureFound):
    """The same with what was read, mm."""

    readings: list[float]


class PieceMeasured(Message):
    """What was read on a piece, and what the closed caliper shows, mm."""

    answer: Literal["measured"] = "measured"
    measured: list[FeatureMeasured]
    closed: float


class StripMeasured(TypedDict):
    """One bent strip: the length of its blank, its thickness, the angle that the machine was told,
    and what was read, time after time: both legs and the angle; mm and degrees."""

    blank: float
    thickness: float
    told: float
    readings: list[tuple[float, float, float]]


class StripsBent(Message):
    """What was read on bent strips, and the inside radius that a gauge shows, mm."""

    answer: Literal["bent"] = "bent"
    strips: list[StripMeasured]
    radius: float
