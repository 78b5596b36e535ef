"""Legs: where flanges stand on a panel, and what they take off it.

A bend that starts inside of an edge takes off the strip in front of it, and where the sheet goes on
beside the bend, a notch frees its end. Coordinates of an edge: v outwards, s along it from its
start.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

from ...sketch.curves import Curve, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import XY
from ...sketch.regions import Region
from .outline import is_joint
from .parts import NEAR, PARTED, CannotFold, Line, Relief, Turn, notch


@dataclass(frozen=True, slots=True)
class Leg:
    """A flange on one straight edge of a panel.

    ``trim`` is how far inside of the edge the bend starts, ``long`` how long the flat of the flange
    is, mm. ``span`` is from where to where it goes along the edge, from the edge's start; None for
    all of it. ``clears``: what is left of the edge beside the flange is cut back to where the bend
    starts, too. ``member`` tells its faces from those of the step's other flanges.
    """

    panel: int
    edge: Segment
    trim: float
    turn: Turn
    long: float
    span: tuple[float, float] | None = None
    member: tuple[int, ...] = ()
    clears: bool = False


def line_of(leg: Leg) -> Line:
    """The line where the bend of a flange starts: beside the edge's start."""
    edge, long = leg.edge, leg.edge.length
    dx, dy = (edge.end[0] - edge.start[0]) / long, (edge.end[1] - edge.start[1]) / long
    out = (dy, -dx)
    at = (edge.start[0] - leg.trim * out[0], edge.start[1] - leg.trim * out[1])
    return Line(at, out)


def as_left(region: Region, leg: Leg) -> Leg:
    """A leg on what the step's flanges on other panels have left of its edge: where they trimmed a
    bend, what hangs on it is trimmed to the same line.

    Raises:
        CannotFold: where they left nothing of it, or not all that the leg goes along.
    """
    if any(leg.edge in loop.curves for loop in region.loops):
        return leg
    own = line_of(replace(leg, trim=0.0)).to_own()
    left = []
    for curve in region.outer.curves:
        (v0, s0), (v1, s1) = own.point(curve.start), own.point(curve.end)
        if (
            isinstance(curve, Segment)
            and not is_joint(curve.name)
            and abs(v1 - v0) < NEAR
            and -leg.trim - NEAR < v0 < NEAR
            and s1 > s0
            and min(s1, leg.edge.length) - max(s0, 0.0) > NEAR
        ):
            left.append((s1 - s0, v0, s0, curve))
    long, v, s, edge = max(left, key=lambda one: one[0], default=(0.0, 0.0, 0.0, leg.edge))
    span = None if leg.span is None else (leg.span[0] - s, leg.span[1] - s)
    if not left or (span is not None and (span[0] < -NEAR or span[1] > long + NEAR)):
        raise CannotFold(
            "A flange of this step takes away the edge that another stands on.",
            "Make them in steps of their own.",
            "edges",
        )
    return replace(leg, edge=edge, trim=leg.trim + v, span=span)


def trimmed_off(region: Region, leg: Leg) -> list[XY]:
    """What is taken off the sheet for a flange whose bend starts inside of the edge: as long as the
    flange, or up to the sides next to the edge where it goes as far as these."""
    back = line_of(replace(leg, trim=0.0)).from_own()
    low, high = _ends_on_edge(leg)
    ends = []
    for end, s in zip(_sides_beside(region, leg), (low, high), strict=True):
        if end is None or not end.falls_back:
            ends.append(s)
            continue
        share = leg.trim / -end.v
        if share > 1 + 1e-9:
            raise CannotFold(
                f"The bend starts {leg.trim:.4g} mm inside of the edge, and the side next to it is "
                f"only {-end.v:.4g} mm long.",
                "Let the bend start nearer to the edge, or make the sheet larger.",
                "edges",
            )
        ends.append(s + (end.s - s) * min(share, 1.0))
    ring = [(-leg.trim, ends[0]), (0.0, low), (0.0, high), (-leg.trim, ends[1])]
    return [back.point(p) for p in ring]


@dataclass(frozen=True, slots=True)
class _Beside:
    """The side of a sheet next to an edge with a flange: where it leads to, in the coordinates of
    the edge, and whether it falls back from the edge in a straight line, so that the flange has
    room beside it."""

    v: float
    s: float
    falls_back: bool


def _ends_on_edge(leg: Leg) -> tuple[float, float]:
    """From where to where along its edge the sheet is cut back for a flange."""
    if leg.span is None or leg.clears:
        return 0.0, leg.edge.length
    return leg.span


def _sides_beside(region: Region, leg: Leg) -> tuple[_Beside | None, _Beside | None]:
    """The sides next to the edge at its start and its end; None where the edge itself goes on
    beside the flange."""
    own = line_of(replace(leg, trim=0.0)).to_own()
    loop = next(loop for loop in region.loops if leg.edge in loop.curves)
    at = loop.curves.index(leg.edge)
    before, after = loop.curves[at - 1], loop.curves[(at + 1) % len(loop.curves)]
    low, high = _ends_on_edge(leg)

    def beside(curve: Curve, far: XY) -> _Beside:
        v, s = own.point(far)
        return _Beside(v, s, isinstance(curve, Segment) and v < -NEAR)

    return (
        beside(before, before.start) if low < NEAR else None,
        beside(after, after.end) if high > leg.edge.length - NEAR else None,
    )


def notches_beside(region: Region, leg: Leg, relief: Relief) -> list[list[XY] | Loop]:
    """The notches that free the ends of a bend where the sheet goes on beside it. Without a relief
    it is parted there all the same, by next to nothing: an outline cannot lie on itself."""
    own = line_of(replace(leg, trim=0.0)).from_own()
    is_cut = relief.form in ("square", "round")
    wide = relief.width if is_cut or relief.form == "torn" else PARTED
    deep = leg.trim + (relief.depth if is_cut else 0.0)
    notches: list[list[XY] | Loop] = []
    low, high = leg.span if leg.span is not None else (0.0, leg.edge.length)
    ends = zip(_sides_beside(region, leg), ((low - wide, low), (high, high + wide)), strict=True)
    for beside, (a, b) in ends:
        if leg.clears and (b > NEAR and a < leg.edge.length - NEAR):
            continue  # what is left of the edge beside it is cut back with it
        if beside is not None and beside.falls_back:
            continue
        # Where the sheet stands further out than the edge, the flange has to come past it.
        out = leg.turn.length + leg.long if beside is not None and beside.v > NEAR else 0.0
        if out + deep > NEAR and (out > 0 or leg.trim > 0):
            notches.append(notch(a, b, deep + out, relief.form).moved(out, 0.0).mapped(own))
    return notches
