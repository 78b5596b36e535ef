"""Tabs that hold a flat part in its sheet: places where the cut around it is interrupted."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.loops import Loop
from ..sketch.mapping import XY

#: A tab keeps this share of the gap away from the ends of the curve that it lies on.
_AWAY = 0.5


@dataclass(frozen=True, slots=True)
class Tabs:
    """How an outline is held: ``count`` tabs, at each of which the cut is interrupted for ``gap``
    mm."""

    count: int
    gap: float


#: Not held at all.
NONE = Tabs(0, 0.0)


@dataclass(frozen=True, slots=True)
class Held:
    """An outline with its gaps: chains of curves that are cut, and the pieces that are not."""

    chains: tuple[tuple[Curve, ...], ...]
    gaps: tuple[Curve, ...]


def held(loop: Loop, tabs: Tabs) -> Held:
    """Interrupt an outline for tabs, spread as evenly along it as its curves allow; on straight
    lines where there is room on them, else on arcs. Fewer than asked for where there is no room for
    more.

    Takes O(c·n) for n curves and c tabs.
    """
    if tabs.count <= 0 or tabs.gap <= 0:
        return Held((loop.curves,), ())
    starts: list[float] = []
    at = 0.0
    for curve in loop.curves:
        starts.append(at)
        at += curve.length
    taken: dict[int, list[float]] = {}
    for number in range(tabs.count):
        wanted = (number + 0.5) * at / tabs.count
        spot = _nearest(loop.curves, starts, wanted, at / tabs.count / 2, tabs.gap, taken)
        # Where its own stretch of the outline has no room, it goes where there is some.
        spot = spot or _nearest(loop.curves, starts, wanted, at, tabs.gap, taken)
        if spot is not None:
            taken.setdefault(spot[0], []).append(spot[1])
    if not taken:
        return Held((loop.curves,), ())
    return _interrupted(loop.curves, taken, tabs.gap)


def _nearest(
    curves: Sequence[Curve],
    starts: Sequence[float],
    wanted: float,
    reach: float,
    gap: float,
    taken: dict[int, list[float]],
) -> tuple[int, float] | None:
    """The curve, and how far along it, for the middle of a tab as near as may be to a place along
    the outline."""
    best: tuple[float, int, float] | None = None
    for kind in (Segment, EllipticArc):
        for number, curve in enumerate(curves):
            if not isinstance(curve, kind) or (
                isinstance(curve, EllipticArc) and not curve.is_circular
            ):
                continue
            room = gap * (
                0.5 + (0.0 if isinstance(curve, EllipticArc) and curve.is_full else _AWAY)
            )
            if curve.length < 2 * room:
                continue
            along = min(max(wanted - starts[number], room), curve.length - room)
            apart = abs(starts[number] + along - wanted)
            free = all(abs(along - other) >= 1.5 * gap for other in taken.get(number, ()))
            if free and apart <= reach and (best is None or apart < best[0] - 1e-9):
                best = (apart, number, along)
        if best is not None:
            return best[1], best[2]
    return None


def _interrupted(curves: Sequence[Curve], taken: dict[int, list[float]], gap: float) -> Held:
    chains: list[list[Curve]] = [[]]
    gaps: list[Curve] = []
    for number, curve in enumerate(curves):
        at = 0.0
        for middle in sorted(taken.get(number, ())):
            chains[-1].append(piece_of(curve, at, middle - gap / 2))
            gaps.append(piece_of(curve, middle - gap / 2, middle + gap / 2))
            chains.append([])
            at = middle + gap / 2
        if curve.length - at > 1e-9:
            chains[-1].append(piece_of(curve, at, curve.length))
    # What is cut last goes on into what is cut first.
    last = chains.pop()
    chains[0] = [*last, *chains[0]]
    return Held(tuple(tuple(chain) for chain in chains if chain), tuple(gaps))


def piece_of(curve: Curve, start: float, end: float) -> Curve:
    """The piece of a line or a circular arc between two lengths along it, mm.

    Raises:
        TypeError: for another curve; it is only given whole.
    """
    if start <= 0 and end >= curve.length:
        return curve
    if isinstance(curve, Segment):

        def at(length: float) -> XY:
            share = length / curve.length
            (ax, ay), (bx, by) = curve.start, curve.end
            return (ax + (bx - ax) * share, ay + (by - ay) * share)

        return replace(curve, start=at(start), end=at(end))
    if not isinstance(curve, EllipticArc) or not curve.is_circular:
        raise TypeError("only lines and circular arcs are taken apart")
    turn = math.copysign(1.0 / curve.rx, curve.t1 - curve.t0)
    return replace(curve, t0=curve.t0 + start * turn, t1=curve.t0 + end * turn)
