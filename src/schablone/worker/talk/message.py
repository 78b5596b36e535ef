"""What every message has, and those that belong to no subject."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from ...core.problem import Problem
from ...core.process.lens import Lens
from ...core.process.model import Process

XYZ = tuple[float, float, float]


class Message(BaseModel):
    """A message; ``id`` is the number of the request that it is or answers."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    id: int = 0


class Cancel(Message):
    """Give up the rebuild at work."""

    do: Literal["cancel"] = "cancel"


class OfADesign(Message):
    """A design as text, seen through a lens on a process; ``others`` are those of parts that have
    their own."""

    design: str
    lens: Lens
    process: Process
    others: tuple[Process, ...] = ()


class Ready(Message):
    """It has begun."""

    answer: Literal["ready"] = "ready"


class GivenUp(Message):
    """What was at work has been given up."""

    answer: Literal["cancelled"] = "cancelled"


class Refused(Message):
    """It cannot be done, and why. ``ours``: the fault is in the program and not in what was
    asked."""

    answer: Literal["refused"] = "refused"
    problems: tuple[Problem, ...] = Field(min_length=1)
    ours: bool = False

    @property
    def text(self) -> str:
        """The first problem in one line."""
        return self.problems[0].text


class Progress(Message):
    """A step is at work; without a name, all of them are done and the part is looked at."""

    answer: Literal["progress"] = "progress"
    step: int
    steps: int
    name: str = ""
