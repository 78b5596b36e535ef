"""A range run from the plan to what breaks and what would rule it out."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

from ..core.design.built import key_of
from ..core.prove.ranges.allowed import Point, Sheets, point_as_data
from ..core.prove.ranges.judge import Outcome, outcome_from
from ..core.prove.ranges.limit import Mend
from ..core.prove.ranges.mend import mend
from ..core.prove.ranges.plan import plan
from ..core.prove.ranges.result import Found, builds_like, is_elsewhere, kinds_of, result_as_data
from ..core.prove.ranges.shrink import Cause, distance, fails_alike, shrink
from ..core.prove.ranges.told import ResultTold
from .errands import Builders, Errands
from .kept import Kept
from .results import key_of_task
from .talk import Task

#: So many kinds of failure are looked into.
_MOST_KINDS = 16
#: How often is looked whether somebody wants something else, s.
_LOOKS = 0.1


class RangeRun:
    """One run of a design. ``found`` grows as causes are found. ``is_stopped`` may be set at any
    moment: what was found until then is told."""

    def __init__(self, task: Task, crew: Builders, builds: int) -> None:
        self.task, self.builds = task, builds
        self.allowed = task.allowed()
        self.sheets = Sheets(self.allowed)
        self.kept = Kept(Path(task.kept) if task.kept else None)
        self._mine = key_of_task(task)
        self.errands = Errands(crew, self._known, self._keep)
        self.planned: tuple[Point, ...] = ()
        self.notes: tuple[str, ...] = ()
        self.found: list[Found] = []
        self.is_stopped = False

    def mine(self, what: str) -> str:
        """Under what something about the whole run is kept."""
        return f"{what}:{self._mine}"

    def _key(self, point: Point) -> str:
        return "point:" + key_of(self._mine, {**point_as_data(point), "why": ""})

    def _known(self, point: Point) -> Outcome | None:
        text = self.kept.get(self._key(point))
        return outcome_from(text) if text is not None else None

    def _keep(self, point: Point, outcome: Outcome) -> None:
        self.kept.put(self._key(point), outcome.as_text())

    def go(
        self, told: Callable[[Point, Outcome], None] = lambda point, outcome: None
    ) -> Iterator[str]:
        """Run to the end; yields what it is at (``planning``, ``building``, ``looking for causes``,
        ``done``) again and again, so that whoever waits can do something else in between. ``told``
        gets every planned point as it is judged."""
        yield "planning"
        made = plan(self.sheets, self.builds)
        self.planned, self.notes = made.points, (*self.allowed.untold, *made.notes)
        for point in self.planned:
            self.errands.put(point, told)
        yield from self._until_done("building")
        seen = self.errands.seen
        judged = {point: seen[point] for point in self.planned if point in seen}
        kinds = list(kinds_of(self.planned, judged).items())
        if len(kinds) > _MOST_KINDS:
            more = f"{len(kinds) - _MOST_KINDS} more kinds of failure are not looked into"
            self.notes = (*self.notes, more)
        for kind, points in kinds[:_MOST_KINDS]:
            if not self.is_stopped:
                self._look_into(kind, points, judged)
        yield from self._until_done("looking for causes")
        # In one order, whichever was found first.
        self.found.sort(key=lambda one: (one.elsewhere, -one.builds, one.cause.failure.kind))
        self.kept.put(self.mine("result"), json.dumps(self.result(), ensure_ascii=False))
        self.kept.tidy()
        yield "done"

    def result(self) -> ResultTold:
        """What came of it, as plain data."""
        return result_as_data(
            self.allowed, self.planned, self.errands.seen, self.found, self.notes,
            whole=not self.is_stopped,
        )  # fmt: skip

    def _until_done(self, what: str) -> Iterator[str]:
        while not self.errands.is_done:
            if self.is_stopped:
                self.errands.drop()
            self.errands.step(_LOOKS)
            yield what

    def _look_into(
        self, kind: tuple[str, str, str], points: list[Point], judged: Mapping[Point, Outcome]
    ) -> None:
        """Shrink the failure nearest to what is published, then look for what would rule it out."""
        nearest = min(points, key=lambda point: distance(self.sheets, point))
        failure = fails_alike(judged[nearest], kind)
        assert failure is not None

        def shrunk(cause: Cause) -> None:
            if is_elsewhere(self.allowed, cause, points):
                mended(cause, None, elsewhere=True)  # no limit of the design is to blame
                return
            asking = mend(self.sheets, cause, judged)
            self.errands.start(asking, lambda best: mended(cause, best, elsewhere=False))

        def mended(cause: Cause, best: Mend | None, *, elsewhere: bool) -> None:
            self.found.append(Found(cause, builds_like(cause, judged), best, elsewhere))

        self.errands.start(shrink(self.sheets, nearest, failure), shrunk)

    def close(self) -> None:
        self.errands.crew.close()
        self.kept.close()
