"""What is to be judged, in the order of its haste: given to a crew as it has room, answered once,
and kept for who asks again."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Generator
from typing import Protocol, TypeVar

from ..core.prove.ranges.allowed import Point
from ..core.prove.ranges.judge import Outcome

_T = TypeVar("_T")
_Then = Callable[[Point, Outcome], None]


class Builders(Protocol):
    """Who judges points: on this machine or elsewhere."""

    def has_room(self) -> bool: ...

    def ask(self, number: int, point: Point) -> None: ...

    def told(self, timeout: float) -> list[tuple[int, Outcome]]: ...

    def close(self) -> None: ...


class Errands:
    """``seen`` holds all that was judged. ``kept`` and ``keep`` give and take an outcome that is
    known from before, by its point."""

    def __init__(
        self,
        crew: Builders,
        kept: Callable[[Point], Outcome | None] = lambda _: None,
        keep: Callable[[Point, Outcome], None] = lambda point, outcome: None,
    ) -> None:
        self.crew, self._kept, self._keep = crew, kept, keep
        self.seen: dict[Point, Outcome] = {}
        self.is_paused = False
        self._waiting: deque[tuple[Point, _Then]] = deque()
        self._under_way: dict[int, tuple[Point, list[_Then]]] = {}
        self._numbers: dict[Point, int] = {}
        self._number = 0

    @property
    def is_done(self) -> bool:
        """Whether nothing is asked any more."""
        return not self._waiting and not self._under_way

    def put(self, point: Point, then: _Then = lambda point, outcome: None, *, first: bool = False
            ) -> None:  # fmt: skip
        """Have a point judged; ``first`` before all that waits."""
        (self._waiting.appendleft if first else self._waiting.append)((point, then))

    def start(self, asking: Generator[Point, Outcome, _T], done: Callable[[_T], None]) -> None:
        """Let something that asks for one point after the other have its answers."""

        def go_on(outcome: Outcome | None) -> None:
            try:
                # It begins by what it asks first; then it is sent what came of that.
                point = next(asking) if outcome is None else asking.send(outcome)
            except StopIteration as end:
                done(end.value)
                return
            self.put(point, lambda _, answer: go_on(answer), first=True)

        go_on(None)

    def step(self, timeout: float) -> None:
        """Hand out what there is room for, and take what was found; waits for it for so long, s."""
        answered = self._hand_out()
        for number, outcome in self.crew.told(0.0 if answered else timeout):
            point, thens = self._under_way.pop(number)
            del self._numbers[point]
            self.seen[point] = outcome
            self._keep(point, outcome)
            for then in thens:
                then(point, outcome)

    def drop(self) -> None:
        """Ask for nothing more; what is under way is still taken."""
        self._waiting.clear()

    def _hand_out(self) -> bool:
        """Whether something was known already."""
        answered = False
        while self._waiting and not self.is_paused:
            point, then = self._waiting[0]
            known = self.seen.get(point) or self._kept(point)
            if known is not None:
                self._waiting.popleft()
                self.seen[point] = known
                then(point, known)
                answered = True
                continue
            if point in self._numbers:
                self._waiting.popleft()
                self._under_way[self._numbers[point]][1].append(then)
                continue
            if not self.crew.has_room():
                break
            self._waiting.popleft()
            self._number += 1
            self._numbers[point] = self._number
            self._under_way[self._number] = (point, [then])
            self.crew.ask(self._number, point)
        return answered
