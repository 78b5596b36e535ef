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

from ..apart.copies import Original
from ..apart.limits import end_with_parent, limit_worker
from ..core.problem import SchabloneError
from ..core.prove.ranges.allowed import Point, point_as_data
from ..core.prove.ranges.judge import Outcome
from ..core.prove.ranges.over_two import Place, map_over, values_along
from ..core.prove.ranges.result import verdict
from ..core.prove.ranges.told import SoFarTold
from .builder import serve
from .crew import Crew
from .results import read_result
from .run import RangeRun
from .talk import (
    BuiltTold,
    Lines,
    News,
    PlaceTold,
    PlannedTold,
    ReadyTold,
    Wish,
    message,
)

#: How long to wait for news, s, before one looks whether somebody wants something else.
_LOOKS = 0.1
#: What was found is noted so often.
_NOTED = 5


class Direction:
    """Directs one run, and tells of it."""

    def __init__(self, wish: Wish, original: Original) -> None:
        assert wish.task is not None
        self.run = RangeRun(wish.task, Crew(wish.task, wish.hands, original), wish.builds)
        self.going: Iterator[str] | None = None
        self.of, self.at = wish.of, ""
        self._place = self.run.mine("result")
        before, so_far = read_result(self.run.kept.get(self._place))
        allowed = self.run.allowed
        ready: ReadyTold = {
            "spans": [
                {"name": s.name, "low": s.low, "high": s.high, "kind": s.kind}
                for s in allowed.spans
            ],
            "rows": len(allowed.rows),
            "machines": [machine.name for machine in allowed.processes],
            "untold": list(allowed.untold),
            "before": before,
            "so_far": so_far,
        }
        tell(News(of=self.of, ready=ready))

    @property
    def is_idle(self) -> bool:
        return self.going is None and self.run.errands.is_done

    def take(self, wish: Wish) -> None:
        """Do what is asked."""
        match wish.do:
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
                self._map(wish)

    def step(self) -> None:
        """Go on a little."""
        if self.going is None:
            self.run.errands.step(_LOOKS)
            return
        at = next(self.going, "")
        if at != self.at:
            self.at = at
            if at == "building":
                planned: PlannedTold = {
                    "count": len(self.run.planned),
                    "notes": list(self.run.notes),
                }
                tell(News(of=self.of, planned=planned))
            tell(News(of=self.of, at=at))
        if at == "done":
            self.going = None
            tell(News(of=self.of, done=self.run.result()))

    def _built(self, point: Point, outcome: Outcome) -> None:
        counted = verdict(self.run.allowed, self.run.planned, self.run.errands.seen).values()
        done = sum(count for count, _ in counted)
        built: BuiltTold = {
            "done": done,
            "failing": sum(failing for _, failing in counted),
            "check": outcome.failures[0].check if outcome.failures else "",
        }
        tell(News(of=self.of, built=built))
        if done % _NOTED == 0:
            result: SoFarTold = {"done": done, "count": len(self.run.planned), "whole": False}
            self.run.kept.put(self._place, json.dumps(result))

    def _map(self, wish: Wish) -> None:
        """Build the places of a map before all else that waits."""
        across, up = (
            list(values_along(self.run.allowed.span(name))) for name in (wish.across, wish.up)
        )
        tell(News(of=self.of, map={"number": wish.number, "values": (across, up)}))

        def built(place: Place, outcome: Outcome | None) -> None:
            failures, counts = (outcome.failures, outcome.counts) if outcome else ((), {})
            told: PlaceTold = {
                "number": wish.number,
                "i": place.i,
                "j": place.j,
                "stride": place.stride,
                "holds": outcome.holds if outcome is not None else None,
                "why": [f"{f.check}: {f.why}" for f in failures],
                "counts": dict(counts),
                "point": point_as_data(place.point) if place.point is not None else None,
            }
            tell(News(of=self.of, place=told))

        places = list(map_over(self.run.sheets, wish.across, wish.up))
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


def tell(news: News) -> None:
    """Tell the window."""
    _tells.write(message(news))
    _tells.flush()


def _listen(heard: queue.Queue[Wish | None]) -> None:
    lines = Lines()
    while data := os.read(0, 1 << 16):
        for wish in lines.feed(data):
            heard.put(Wish.model_validate(wish))
    heard.put(None)


def main() -> None:
    """Direct runs until the input ends."""
    global _tells
    end_with_parent()
    limit_worker()
    _tells = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    original = Original.copied(serve)  # as long as there are no threads
    heard: queue.Queue[Wish | None] = queue.Queue()
    threading.Thread(target=_listen, args=(heard,), daemon=True).start()
    direction: Direction | None = None
    of = 0
    while True:
        wish: Wish | None = Wish()
        with contextlib.suppress(queue.Empty):
            wish = heard.get(block=direction is None or direction.is_idle)
        if wish is None:
            break
        try:
            if wish.task is not None:
                of = wish.of
                if direction is not None:
                    direction.run.close()
                    direction = None
                direction = Direction(wish, original)
            elif direction is not None and wish.do:
                direction.take(wish)
            elif direction is not None:
                direction.step()
        except SchabloneError as error:
            if direction is not None:
                direction.going = None  # it does not come to an end any more
            tell(News(of=of, wrong=tuple(error.problems)))
    if direction is not None:
        direction.run.close()


if __name__ == "__main__":
    main()
