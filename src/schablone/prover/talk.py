"""What goes between those who take part in a range run: one JSON object a line.

A ``Task`` is what is to be proved; a builder gets it first, then numbered points, and answers each
with its number and outcome. The window and the process that directs a run for it talk in
:class:`Wish` and :class:`News`, checked on both sides.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict
from typing_extensions import TypedDict

from ..core.design.file import read_design_text
from ..core.problem import Problem
from ..core.process.model import Process
from ..core.prove.ranges.allowed import Allowed, allowed_of
from ..core.prove.ranges.told import PointTold, ResultTold, SoFarTold
from ..core.quantity import Kind


class Task(BaseModel):
    """A design with the process it is made by, and all that are known; ``kept`` is where outcomes
    are kept, empty for nowhere."""

    model_config = ConfigDict(frozen=True)

    design: str
    process: Process
    known: tuple[Process, ...] = ()
    kept: str = ""

    def allowed(self) -> Allowed:
        """What may vary of it."""
        return allowed_of(read_design_text(self.design), self.process, self.known)


class Wish(BaseModel):
    """What a window wants: first that a task is taken up, with at least so many builds by so many
    hands (0: as many as there are processors); then what is to be done with it. All that is told of
    a task bears the ``of`` that it came with. A map is over the sizes ``across`` and ``up``, and
    its places bear its number."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    task: Task | None = None
    of: int = 0
    builds: int = 0
    hands: int = 0
    do: Literal["", "run", "pause", "go on", "stop", "map"] = ""
    across: str = ""
    up: str = ""
    number: int = 0


class SpanTold(TypedDict):
    """A size that may vary, from where to where, and its kind."""

    name: str
    low: float
    high: float
    kind: Kind


class ReadyTold(TypedDict):
    """What may vary, how many variants there are, which machines, in words what is adjusted and
    could not be varied; what came of it before, or how far that had got."""

    spans: list[SpanTold]
    rows: int
    machines: list[str]
    untold: list[str]
    before: ResultTold | None
    so_far: SoFarTold | None


class PlannedTold(TypedDict):
    """How many builds are planned, and notes on them in words."""

    count: int
    notes: list[str]


class BuiltTold(TypedDict):
    """How many builds are done, how many of them fail, and the check at which the last one did."""

    done: int
    failing: int
    check: str


class MapTold(TypedDict):
    """The values along both sizes of a map."""

    number: int
    values: tuple[list[float], list[float]]


class PlaceTold(TypedDict):
    """A place of a map: whether it holds (None where it is not allowed), why not, its counts, and
    how many places wide it stands for."""

    number: int
    i: int
    j: int
    stride: int
    holds: bool | None
    why: list[str]
    counts: dict[str, float]
    point: PointTold | None


class News(BaseModel):
    """What a window is told ``of`` a task; one of these at a time."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    of: int = 0
    ready: ReadyTold | None = None
    planned: PlannedTold | None = None
    built: BuiltTold | None = None
    at: str | None = None
    done: ResultTold | None = None
    map: MapTold | None = None
    place: PlaceTold | None = None
    wrong: tuple[Problem, ...] | None = None


def message(told: Wish | News) -> bytes:
    """A wish or news as a line; what is not said is left out."""
    return line(told.model_dump(mode="json", exclude_unset=True))


def line(data: dict[str, Any]) -> bytes:
    """One message."""
    return json.dumps(data, ensure_ascii=False).encode("utf8") + b"\n"


@dataclass(slots=True)
class Lines:
    """Puts messages together from pieces of bytes as they arrive."""

    pending: bytes = b""

    def feed(self, data: bytes) -> list[dict[str, Any]]:
        """Add bytes; the messages that are complete."""
        *whole, self.pending = (self.pending + data).split(b"\n")
        return [json.loads(text) for text in whole if text.strip()]
