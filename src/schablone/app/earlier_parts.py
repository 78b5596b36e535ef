"""Parts that were on the screen before, so that undo and redo show them without asking anybody."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

from ..worker import talk
from .view3d.shown import ShownPart

#: How many rebuilds are kept, and how much memory their shapes may take in all, bytes.
_MOST, _MOST_BYTES = 16, 100_000_000


@dataclass(frozen=True, slots=True)
class Seen:
    """What a rebuild came to: the report, and the parts by name."""

    report: talk.Report
    parts: dict[str, ShownPart]

    @property
    def bytes(self) -> int:
        return sum(part.shape.bytes for part in self.parts.values())


class Earlier:
    """The latest rebuilds by what was asked for: design, lens, processes, how far.

    Designs are told apart by identity, which costs nothing: undo brings back the same one.
    """

    def __init__(self) -> None:
        self._kept: deque[tuple[tuple[object, ...], Seen]] = deque()

    def find(self, asked: tuple[object, ...]) -> Seen | None:
        for was, seen in self._kept:
            if was[0] is asked[0] and was[1:] == asked[1:]:
                return seen
        return None

    def keep(self, asked: tuple[object, ...], seen: Seen) -> None:
        self._kept = deque(
            (was, one) for was, one in self._kept if not (was[0] is asked[0] and was == asked)
        )
        self._kept.appendleft((asked, seen))
        while len(self._kept) > _MOST or (
            len(self._kept) > 1 and sum(one.bytes for _, one in self._kept) > _MOST_BYTES
        ):
            self._kept.pop()
