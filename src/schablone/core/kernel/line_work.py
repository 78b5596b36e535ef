"""What is drawn of a body seen from one side."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.mapping import XY

#: Cosines below this are none.
_NEAR = 1e-6
#: Lines within this of each other, mm, lie over each other.
_OVER = 1e-4


@dataclass(frozen=True, slots=True)
class Lines:
    """What is drawn of a body, in the coordinates of the plane of the view, mm: edges that are
    seen, edges that are hidden, and the areas that a cut went through as rings of points, each area
    with its outer ring first."""

    seen: tuple[Curve, ...]
    hidden: tuple[Curve, ...] = ()
    areas: tuple[tuple[tuple[XY, ...], ...], ...] = ()


def not_under(hidden: list[Curve], seen: list[Curve]) -> Iterator[Curve]:
    """Hidden lines without those that lie just under a line that is seen, or under each other: of a
    hole right through, the lower rim lies under the upper one."""
    known = {_place(curve) for curve in seen}
    over = _Straight([curve for curve in seen if isinstance(curve, Segment)])
    kept = set()
    # The long ones first: shorter pieces lie under them.
    for number in sorted(range(len(hidden)), key=lambda k: -hidden[k].length):
        curve = hidden[number]
        place = _place(curve)
        if place in known or (isinstance(curve, Segment) and over.covers(curve)):
            continue
        known.add(place)
        if isinstance(curve, Segment):
            over.add(curve)
        kept.add(number)
    # In their own order: those that go on into each other stay together.
    return (curve for number, curve in enumerate(hidden) if number in kept)


class _Straight:
    """Straight lines, by the line without ends that they lie on."""

    def __init__(self, lines: list[Segment]) -> None:
        self._on: dict[tuple[int, int], list[tuple[float, float]]] = {}
        for line in lines:
            self.add(line)

    def add(self, line: Segment) -> None:
        for key in self._keys(line)[:1]:
            self._on.setdefault(key, []).append(self._reach(line))

    def covers(self, line: Segment) -> bool:
        """Whether a line lies on one of these with its whole length."""
        low, high = self._reach(line)
        return any(
            a < low + _OVER and high < b + _OVER
            for key in self._keys(line)
            for a, b in self._on.get(key, ())
        )

    @staticmethod
    def _way(line: Segment) -> XY:
        (x0, y0), (x1, y1) = line.start, line.end
        x, y = (x1 - x0) / line.length, (y1 - y0) / line.length
        return (x, y) if x > _NEAR or (x > -_NEAR and y > 0) else (-x, -y)

    def _reach(self, line: Segment) -> tuple[float, float]:
        x, y = self._way(line)
        ends = [p[0] * x + p[1] * y for p in (line.start, line.end)]
        return min(ends), max(ends)

    def _keys(self, line: Segment) -> list[tuple[int, int]]:
        """Direction and distance from the origin, rounded; those beside it, too, since what lies
        there may have been rounded the other way."""
        x, y = self._way(line)
        turn = round(math.atan2(y, x) / 1e-5)
        off = round((line.start[0] * y - line.start[1] * x) / _OVER)
        return [(turn + i, off + k) for i in (0, -1, 1) for k in (0, -1, 1)]


def _place(curve: Curve) -> tuple[float, ...]:
    """What two curves that lie on each other have in common, whichever way they run."""

    def near(point: XY) -> XY:
        return (round(point[0], 4) + 0.0, round(point[1], 4) + 0.0)

    if isinstance(curve, EllipticArc) and curve.is_full:
        return tuple(round(c, 2) for c in (*curve.centre, curve.rx, curve.ry))
    ends = sorted((near(curve.start), near(curve.end)))
    if isinstance(curve, Segment):
        return (*ends[0], *ends[1])
    points = curve.points(0.05)
    return (*ends[0], *ends[1], *near(points[len(points) // 2]), round(curve.length, 4))
