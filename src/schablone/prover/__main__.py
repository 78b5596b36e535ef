"""The process that directs a range run for a window.

It reads one JSON object a line from standard input: first a ``task`` with how many ``builds`` are
wanted; then what to ``do``: ``run``, ``pause``, ``go on``, ``stop``, or ``map`` over two sizes. It
writes what comes of them, and ends with its input.
"""

from __future__ import annotations

import contextlib
import json
import os
import queue
import sys
import threading
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

from ..core.problem import SchabloneError
from ..core.prove.ranges.allowed import Point, point_as_data
from ..core.prove.ranges.judge import Outcome
from ..core.prove.ranges.over_two import Place, map_over, values_along
from ..core.prove.ranges.result import verdict
from ..reader.limits import end_with_parent, limit_worker
from .crew import Crew
from .run import RangeRun
from .talk import Lines, Task, line

#: How long to wait for news, s, before one looks whether somebody wants something else.
_LOOKS = 0.1
#: What was found is noted so often.
_NOTED = 5


class Direction:
    """Directs one run, and tells of it."""

    def __init__(self, asked: dict[str, Any]) -> None:
        task = Task.model_validate(asked["task"])
        self.run = RangeRun(task, Crew(task, int(asked.get("hands", 0))), int(asked["builds"]))
        self.going: Iterator[str] | None = None
        self.at = ""
        self._place = self.run.mine("result")
        before = self.run.kept.get(self._place)
        allowed = self.run.allowed
        tell(
            {
                "ready": {
                    "spans": [
                        [s.name, s.low, s.high, list(s.kind)] for s in allowed.spans
                    ],
                    "rows": len(allowed.rows),
                    "machines": [machine.name for machine in allowed.processes],
                    "untold": list(allowed.untold),
                    "before": json.loads(before) if before else None,
                }
            }
        )  # fmt: skip

    @property
    def is_idle(self) -> bool:
        return self.going is None and self.run.errands.is_done

    def take(self, message: dict[str, Any]) -> None:
        """Do what is asked."""
        match message.get("do"):
            case "run":
                self.run.is_stopped = self.run.errands.is_paused = False
                self.run.found = []
                self.going = self.run.go(self._built)
            case "pause":
                self.run.errands.is_paused = True
            case "go on":
                self.run.errands.is_paused = False
            case "stop":
                self.run.is_stopped, self.run.errands.is_paused = True, False
            case "map":
                self._map(message)

    def step(self) -> None:
        """Go on a little."""
        if self.going is None:
            self.run.errands.step(_LOOKS)
            return
        at = next(self.going, "")
        if at != self.at:
            self.at = at
            if at == "building":
                tell({"planned": {"count": len(self.run.planned), "notes": list(self.run.notes)}})
            tell({"at": at})
        if at == "done":
            self.going = None
            tell({"done": self.run.result()})

    def _built(self, point: Point, outcome: Outcome) -> None:
        counted = verdict(self.run.allowed, self.run.planned, self.run.errands.seen).values()
        done = sum(count for count, _ in counted)
        tell(
            {
                "built": {
                    "done": done,
                    "failing": sum(failing for _, failing in counted),
                    "check": outcome.failures[0].check if outcome.failures else "",
                }
            }
        )
        if done % _NOTED == 0:
            result = {"done": done, "count": len(self.run.planned), "whole": False}
            self.run.kept.put(self._place, json.dumps(result))

    def _map(self, message: dict[str, Any]) -> None:
        """Build the places of a map before all else that waits."""
        across, up, number = str(message["across"]), str(message["up"]), int(message["number"])
        spans = [self.run.allowed.span(name) for name in (across, up)]
        tell({"map": {"number": number, "values": [values_along(span) for span in spans]}})

        def built(place: Place, outcome: Outcome | None) -> None:
            tell(
                {
                    "place": {
                        "number": number, "i": place.i, "j": place.j, "stride": place.stride,
                        "holds": outcome.holds if outcome is not None else None,
                        "why": [f"{f.check}: {f.why}" for f in outcome.failures]
                        if outcome is not None
                        else [],
                        "counts": dict(outcome.counts) if outcome is not None else {},
                        "point": point_as_data(place.point) if place.point is not None else None,
                    }
                }
            )  # fmt: skip

        places = list(map_over(self.run.sheets, across, up))
        for place in reversed(places):
            if place.point is not None:
                then = partial(_of_place, built, place)
                self.run.errands.put(place.point, then, first=True)
        for place in places:
            if place.point is None:
                built(place, None)


def _of_place(
    built: Callable[[Place, Outcome | None], None], place: Place, _: Point, outcome: Outcome
) -> None:
    built(place, outcome)


_tells = sys.stdout.buffer


def tell(message: dict[str, Any]) -> None:
    """One message to the window."""
    _tells.write(line(message))
    _tells.flush()


def _listen(heard: queue.Queue[dict[str, Any] | None]) -> None:
    lines = Lines()
    while data := os.read(0, 1 << 16):
        for message in lines.feed(data):
            heard.put(message)
    heard.put(None)


def main() -> None:
    """Direct runs until the input ends."""
    global _tells
    end_with_parent()
    limit_worker()
    _tells = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    heard: queue.Queue[dict[str, Any] | None] = queue.Queue()
    threading.Thread(target=_listen, args=(heard,), daemon=True).start()
    direction: Direction | None = None
    while True:
        message: dict[str, Any] | None = {}
        with contextlib.suppress(queue.Empty):
            message = heard.get(block=direction is None or direction.is_idle)
        if message is None:
            break
        try:
            if "task" in message:
                if direction is not None:
                    direction.run.close()
                direction = Direction(message)
            elif direction is not None and message:
                direction.take(message)
            elif direction is not None:
                direction.step()
        except SchabloneError as error:
            tell({"wrong": [problem.model_dump(mode="json") for problem in error.problems]})
    if direction is not None:
        direction.run.close()


if __name__ == "__main__":
    main()
