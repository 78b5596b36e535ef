"""The bends of a blank as the person at the machine needs them: lines to bend along, in an order in
which each can be reached, and how far the stop stands from each."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from ...sketch.mapping import XY, Mapping2D
from ..frame import Frame, Vector
from .sheet import Folded, Turned

#: A flange that is folded by more than this is in the way of every other: it comes first.
_FOLDED_OVER = 150.0
#: At so many places along a bend it is looked how far it reaches.
_PLACES = 12


@dataclass(frozen=True, slots=True)
class BendLine:
    """One bend on the blank: its place in the order, counted from 1; the pieces of its middle line
    on the blank; its angle in degrees, above zero upwards; inside radius and length on the blank,
    mm. ``stop`` is how far its middle line is from the edge that lies against the stop then, mm,
    ``reach`` how far the flat beyond it reaches. ``number`` is the bend's in the sheet. What the
    machine adds: by how many degrees it springs back, its k-factor, and whether its chart has such
    a bend."""

    order: int
    number: int
    title: str
    pieces: tuple[tuple[XY, XY], ...]
    angle: float
    radius: float
    length: float
    stop: float
    reach: float
    springs_back: float = 0.0
    k: float = 0.0
    charted: bool = False
    within: tuple[float, float] | None = None

    @property
    def is_up(self) -> bool:
        """Whether it is bent upwards."""
        return self.angle > 0

    @property
    def told(self) -> float:
        """The angle that the machine is told, degrees: what springs back is bent beforehand."""
        return abs(self.angle) + self.springs_back

    @property
    def long(self) -> float:
        """From its first to its last end along the line, mm."""
        (x0, y0), (x1, y1) = self.pieces[0][0], self.pieces[-1][1]
        return float(((x1 - x0) ** 2 + (y1 - y0) ** 2) ** 0.5)

    def moved(self, by: Mapping2D) -> BendLine:
        """The same on another place of a drawing."""
        pieces = tuple((by.point(a), by.point(b)) for a, b in self.pieces)
        turned = self.angle if by.handedness > 0 else -self.angle
        return replace(self, pieces=pieces, angle=turned)


@lru_cache(maxsize=24)
def bend_lines(folded: Folded) -> tuple[BendLine, ...]:
    """The bends of a sheet in the order in which they are bent: what is folded over first, then
    from the tips inwards."""
    lines = []
    done: list[int] = []
    for place, number in enumerate(_order(folded), 1):
        bend = folded.bends[number]
        back = bend.from_own()
        pieces = tuple(
            (back.point((bend.length / 2, low)), back.point((bend.length / 2, high)))
            for low, high in _pieces(folded, number)
        )
        beyond = _beyond(folded, number, done)
        hanging = folded.panels[folded.hanging_on(number)].region.outer.mapped(bend.to_own())
        lines.append(
            BendLine(
                place, number, bend.title, pieces, bend.angle, bend.radius, bend.length,
                beyond - bend.length / 2, hanging.bounds()[2] - bend.length / 2,
            )
        )  # fmt: skip
        done.append(number)
    return tuple(lines)


def _pieces(folded: Folded, number: int) -> list[tuple[float, float]]:
    """From where to where a bend goes along its line, in its own coordinates, gaps left out."""
    bend = folded.bends[number]
    spans = []
    for region in bend.regions:
        _, low, _, high = region.outer.mapped(bend.to_own()).bounds()
        spans.append((low, high))
    return sorted(spans)


def _depth(folded: Folded, number: int) -> int:
    parent = folded.panels[folded.bends[number].parent]
    return 0 if parent.bend is None else 1 + _depth(folded, parent.bend)


def _order(folded: Folded) -> list[int]:
    return sorted(
        range(len(folded.bends)),
        key=lambda k: (
            abs(folded.bends[k].angle) <= _FOLDED_OVER,
            -_depth(folded, k),
            k,
        ),
    )


def _beyond(folded: Folded, number: int, done: Sequence[int]) -> float:
    """How far what hangs on a bend reaches from where it starts, seen along the sheet before it is
    bent, with the bends before it bent already, mm."""
    bend = folded.bends[number]
    shares = [1.0 if k in done else 0.0 for k in range(len(folded.bends))]
    frames = folded.placed(shares)
    base = frames[bend.parent]
    hanging = {folded.hanging_on(number)}
    far = bend.length
    for k, panel in enumerate(folded.panels):
        if panel.bend is not None and folded.bends[panel.bend].parent in hanging:
            hanging.add(k)
        if k not in hanging:
            continue
        for x, y in panel.region.outer.points(0.05).tolist():
            for w in (0.0, folded.thickness):
                u, v, _ = base.coordinates(frames[k].at(x, y, w))
                far = max(far, bend.to_own().point((u, v))[0])
        if panel.bend is not None and panel.bend in done:
            # The round of a bend that is bent already reaches farther than its flange.
            spots = _on_round(folded, panel.bend, frames[folded.bends[panel.bend].parent])
            for spot in spots:
                u, v, _ = base.coordinates(spot)
                far = max(far, bend.to_own().point((u, v))[0])
    return far


def _on_round(folded: Folded, number: int, before: Frame) -> Iterator[Vector]:
    """Places on both faces of a bend that is bent, at its ends; among them those that reach
    farthest from where it starts."""
    bend, t = folded.bends[number], folded.thickness
    turned = Turned.of(bend, 1.0)
    whole = abs(bend.angle)
    turns = [*(whole * k / _PLACES for k in range(_PLACES + 1)), *([90.0] if whole > 90 else [])]
    for turn in turns:
        for w in (0.0, t):
            over, up = turned.place(bend, t, bend.length * turn / whole, w)
            for s in bend.span():
                x, y = bend.from_own().point((over, s))
                yield before.at(x, y, up)
