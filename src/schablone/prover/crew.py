"""Builders on this machine: begun, given points, watched, replaced when one ends."""

from __future__ import annotations

import contextlib
import os
import selectors
import signal
import time
from dataclasses import dataclass, field
from typing import BinaryIO

from ..apart.copies import Copy, Original
from ..core.prove.ranges.allowed import Point, point_as_data
from ..core.prove.ranges.judge import Failure, Outcome, outcome_from
from .talk import Lines, Task, line

#: What it counts that a builder ended at a point, and up to how much that goes before it is what is
#: told of the point: what falls over does so again; what was killed was killed by somebody else.
_FELL, _KILLED, _MOST = 3, 1, 6
#: A builder that tells nothing for so long, s, is stopped or waits for what never comes.
_SILENT = 900.0

ENDED = Outcome(
    (
        Failure(
            "The part can be worked out",
            "The geometry kernel ended at it, or took longer than any part should.",
            "Look for faces that only just touch, and for very many features.",
        ),
    )
)


@dataclass(slots=True)
class _Builder:
    """A process that gets points in ``points`` and tells what came of them in ``told``."""

    process: Copy
    points: BinaryIO
    told: int
    lines: Lines = field(default_factory=Lines)
    number: int = -1
    since: float = 0.0

    @property
    def is_free(self) -> bool:
        return self.number < 0


class Crew:
    """So many builders of one task. Points are given to it by number, and so come back."""

    def __init__(self, task: Task, hands: int = 0, original: Original | None = None) -> None:
        """The builders are copies of ``original``, which stays; without it, or where that has
        ended, of one that this crew begins."""
        self.task, self.hands = task, hands or max(1, len(os.sched_getaffinity(0)))
        self._original = original
        self._own: Original | None = None
        self._selector = selectors.DefaultSelector()
        self._builders: list[_Builder] = []
        self._points: dict[int, Point] = {}
        self._ends: dict[int, int] = {}
        self._waiting: list[int] = []
        self._told: list[tuple[int, Outcome]] = []

    @property
    def pids(self) -> list[int]:
        """The processes that build."""
        return [pid for builder in self._builders if (pid := builder.process.pid)]

    def has_room(self) -> bool:
        """Whether another point would be begun at once, or as soon as one is done."""
        return len(self._points) < self.hands * 2

    def ask(self, number: int, point: Point) -> None:
        """Have a point judged."""
        self._points[number] = point
        self._waiting.append(number)
        self._hand_out()

    def told(self, timeout: float) -> list[tuple[int, Outcome]]:
        """What was found since one asked last; waits for so long, s, for something."""
        if not self._told:
            for key, _ in self._selector.select(timeout):
                self._read(key.data)
            self._look_after()
        told, self._told = self._told, []
        return told

    def close(self) -> None:
        """End the builders; what they have kept stays."""
        for builder in self._builders:
            self._end(builder)
        self._builders.clear()
        self._selector.close()
        if self._own is not None:
            self._own.end()

    def _hand_out(self) -> None:
        while self._waiting:
            free = next((builder for builder in self._builders if builder.is_free), None)
            if free is None and len(self._builders) < self.hands:
                free = self._start()
            if free is None:
                return
            number = self._waiting.pop(0)
            free.number, free.since = number, time.monotonic()
            self._write(free, {"number": number, "point": point_as_data(self._points[number])})

    def _start(self) -> _Builder:
        points, ours = os.pipe()
        told, theirs = os.pipe()
        try:
            process = self._copied([points, theirs])
        finally:
            os.close(points)
            os.close(theirs)
        builder = _Builder(process, os.fdopen(ours, "wb"), told)
        os.set_blocking(told, False)
        self._selector.register(told, selectors.EVENT_READ, builder)
        self._builders.append(builder)
        self._write(builder, {"task": self.task.model_dump(mode="json")})
        return builder

    def _copied(self, handles: list[int]) -> Copy:
        if self._original is not None:
            with contextlib.suppress(OSError):  # somebody has ended it
                return self._original.copy(handles=handles)
        if self._own is not None:
            self._own.end()
        self._original = self._own = Original.begun("schablone.prover.builder")
        return self._original.copy(handles=handles)

    def _write(self, builder: _Builder, message: dict[str, object]) -> None:
        with contextlib.suppress(BrokenPipeError):  # its end is seen where it is read
            builder.points.write(line(message))
            builder.points.flush()

    def _read(self, builder: _Builder) -> None:
        try:
            data = os.read(builder.told, 1 << 20)
        except BlockingIOError:
            return
        if not data:
            self._ended(builder)
            return
        for message in builder.lines.feed(data):
            if "outcome" in message:
                number = int(message["number"])
                builder.number = -1
                if self._points.pop(number, None) is not None:
                    self._told.append((number, outcome_from(message["outcome"])))
        self._hand_out()

    def _ended(self, builder: _Builder) -> None:
        number, process = builder.number, builder.process
        process.is_over_within(1.0)  # else it has only closed its output
        killed = process.code == -signal.SIGKILL if process.is_over else False
        self._end(builder)
        self._builders.remove(builder)
        if number in self._points:
            self._ends[number] = self._ends.get(number, 0) + (_KILLED if killed else _FELL)
            if self._ends[number] >= _MOST:
                del self._points[number]
                self._told.append((number, ENDED))
            else:
                self._waiting.insert(0, number)
        self._hand_out()

    def _end(self, builder: _Builder) -> None:
        with contextlib.suppress(KeyError, ValueError):
            self._selector.unregister(builder.told)
        builder.process.kill()
        builder.process.is_over_within(1.0)
        builder.process.let_go()
        with contextlib.suppress(BrokenPipeError):
            builder.points.close()
        os.close(builder.told)

    def _look_after(self) -> None:
        """A builder that is stopped or hangs is ended."""
        for builder in list(self._builders):
            if not builder.is_free and time.monotonic() - builder.since > _SILENT:
                self._ended(builder)
