"""What is told of a range run, as plain data: to the window, and kept for the next time. Values are
in the units of their sizes: mm, degrees, or plain numbers."""

from __future__ import annotations

from typing_extensions import TypedDict


class PointTold(TypedDict):
    """A build: the values of what varies, variant, machine, and why it is one."""

    values: dict[str, float]
    row: str
    process: str
    why: str


class EndTold(TypedDict):
    """Where a failure begins along one size: the nearest value that holds, the first that fails,
    and where it holds again."""

    size: str
    holds: float | None
    fails: float
    until: float | None


class MendTold(TypedDict):
    """A limit that rules a failure out: which end (``low`` or ``high``) of which size, the formula,
    what share of what holds it leaves, and all that in words."""

    size: str
    end: str
    formula: str
    keeps: float
    said: str


class CauseTold(TypedDict):
    """What breaks, in words and figures; ``away`` are the sizes that are not as published."""

    title: str
    check: str
    why: str
    hint: str
    area: str
    place: str
    ends_said: str
    point: PointTold
    away: list[str]
    ends: list[EndTold]
    builds: int
    builds_said: str
    elsewhere: bool
    mend: MendTold | None


class SoFarTold(TypedDict):
    """How many builds of how many are done; ``whole`` where the run was not stopped."""

    done: int
    count: int
    whole: bool


class ResultTold(SoFarTold):
    """What came of a run: by machine how many builds are done and how many fail, notes in words,
    what is not known of machines, and what breaks."""

    machines: dict[str, list[int]]
    notes: list[str]
    unsure: list[str]
    found: list[CauseTold]
