"""What was done at one place of a sheet, done at others: where a motion of space brings it to."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ...sketch.curves import Segment
from ...sketch.mapping import XY, Mapping2D
from ..frame import Frame, dot
from ..motion import Motion
from .along_line import Fold
from .legs import Leg
from .outline import is_joint
from .parts import NEAR, CannotFold, Turn
from .sheet import Folded, Panel

#: Directions that differ by less are one.
_SAME_WAY = 1e-9


@dataclass(frozen=True, slots=True)
class There:
    """Where a motion brings a panel's places on the blank: the number of the panel that lies
    there, the mapping from the one place to the other, and whether it is turned over, so that what
    went up goes down."""

    panel: int
    onto: Mapping2D
    over: bool


def where_to(sheet: Folded, frame: Frame, motion: Motion, spots: Sequence[XY]) -> There:
    """The panel that some places come to, or is nearest to them. ``frame`` is that of the panel
    they are given on, at its lower face.

    Raises:
        CannotFold: where none lies in that plane.
    """
    normal, at = motion.vector(frame.normal), motion.point(frame.origin)
    x, y = motion.vector(frame.x), motion.vector(frame.y)
    places = []
    for number, there in enumerate(sheet.frames):
        along = dot(normal, there.normal)
        over = along < 0
        u, v, w = there.coordinates(at)
        if abs(abs(along) - 1) > _SAME_WAY or abs(w - sheet.thickness * over) > NEAR:
            continue
        onto = Mapping2D(
            dot(x, there.x), dot(y, there.x), dot(x, there.y), dot(y, there.y), u, v
        )  # fmt: skip
        off = _far_off(sheet.panels[number], [onto.point(p) for p in spots])
        places.append((off, number, There(number, onto, over)))
    best = min(places, default=None, key=lambda one: one[:2])
    if best is None:
        raise CannotFold(
            "The sheet has no panel at one of the places where this would be repeated.",
            "Let the places lie on the sheet, and none beyond it.",
            "of",
        )
    return best[2]


def _far_off(panel: Panel, spots: Sequence[XY]) -> float:
    x0, y0, x1, y1 = panel.region.outer.bounds()
    return math.fsum(max(x0 - u, 0.0, u - x1) + max(y0 - v, 0.0, v - y1) for u, v in spots)


def leg_there(
    sheet: Folded, frame: Frame, leg: Leg, motion: Motion, member: tuple[int, ...]
) -> Leg:
    """A flange on the edge that a motion brings its own edge to.

    Raises:
        CannotFold: where no free edge of the sheet goes there all along.
    """
    edge = leg.edge
    a, b = leg.span if leg.span is not None else (0.0, edge.length)
    ends = [_on(edge, a), _on(edge, b)]
    there = where_to(sheet, frame, motion, ends)
    p, q = (there.onto.point(end) for end in ends)
    out = there.onto.direction(_outwards(edge))
    for curve in sheet.panels[there.panel].region.outer.curves:
        if not isinstance(curve, Segment) or is_joint(curve.name):
            continue
        if math.dist(_outwards(curve), out) > 1e-7:
            continue
        low, high = sorted((_along(curve, p), _along(curve, q)))
        beside = max(abs(_beside(curve, p)), abs(_beside(curve, q)))
        if beside < NEAR and low > -NEAR and high < curve.length + NEAR:
            whole = low < NEAR and high > curve.length - NEAR
            span = None if whole and leg.span is None else (max(low, 0.0), min(high, curve.length))
            turn = _turned(leg.turn, there)
            return replace(leg, panel=there.panel, edge=curve, span=span, turn=turn, member=member)
    raise CannotFold(
        "The sheet has no free straight edge at one of the places where this would be repeated.",
        "Let each place have an edge that is as long as the one that is repeated.",
        "of",
    )


def fold_there(sheet: Folded, frame: Frame, fold: Fold, motion: Motion) -> Fold:
    """A bend along the line that a motion brings its own line to."""
    ahead = (-fold.out[1], fold.out[0])
    low, high = fold.span if fold.span is not None else (0.0, 0.0)
    spots = [(fold.at[0] + ahead[0] * s, fold.at[1] + ahead[1] * s) for s in (low, high)]
    there = where_to(sheet, frame, motion, spots)
    at, out = there.onto.point(fold.at), there.onto.direction(fold.out)
    chain = tuple(_turned(one, there) if isinstance(one, Turn) else one for one in fold.chain)
    span = fold.span
    if span is not None and there.onto.handedness < 0:
        span = (-span[1], -span[0])
    return replace(fold, panel=there.panel, at=at, out=out, chain=chain, span=span)


def _turned(turn: Turn, there: There) -> Turn:
    return replace(turn, angle=-turn.angle) if there.over else turn


def _on(edge: Segment, s: float) -> XY:
    share = s / edge.length
    (x0, y0), (x1, y1) = edge.start, edge.end
    return (x0 + (x1 - x0) * share, y0 + (y1 - y0) * share)


def _outwards(edge: Segment) -> XY:
    """Away from the panel that has it in its outline."""
    (x0, y0), (x1, y1), long = edge.start, edge.end, edge.length
    return ((y1 - y0) / long, -(x1 - x0) / long)


def _along(edge: Segment, p: XY) -> float:
    ox, oy = _outwards(edge)
    return (p[0] - edge.start[0]) * -oy + (p[1] - edge.start[1]) * ox


def _beside(edge: Segment, p: XY) -> float:
    ox, oy = _outwards(edge)
    return (p[0] - edge.start[0]) * ox + (p[1] - edge.start[1]) * oy
