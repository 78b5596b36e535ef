"""Flanges on the edges of a panel, and how they meet in corners.

All of it happens on the blank. Next to a bend its own coordinates are used: v beyond the line where
it starts, s along that line, upwards where the sheet lies to the left of it.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from ...sketch.combining import combined
from ...sketch.curves import Curve, EllipticArc, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import XY
from ...sketch.regions import Region
from ..naming import FaceName
from .cut_back import cut_back
from .cuts import cut_blank, hold_together
from .legs import Leg, as_left, line_of, notches_beside, trimmed_off
from .outline import JOINT, is_joint
from .parts import (
    FAR,
    NEAR,
    CannotFold,
    Line,
    Relief,
    ReliefForm,
    Turn,
    faces_used,
    one_region,
    polygon,
    ring_region,
    way_of,
    with_parts,
)
from .sheet import Bend, Folded, Panel

Corners = Literal["open", "meeting", "first over", "second over"]


@dataclass(frozen=True, slots=True)
class CornerForm:
    """How flanges meet where their edges do: how, with which gap, and a hole freed around the
    corner of the blank: its form and diameter, mm."""

    kind: Corners = "open"
    gap: float = 0.0
    hole: ReliefForm = "none"
    across: float = 0.0


def flanged(
    folded: Folded, step: str, legs: Sequence[Leg], relief: Relief, corner: CornerForm
) -> Folded:
    """The sheet with flanges on some of its edges.

    Raises:
        CannotFold: where one does not fit, with the reason.
    """
    for panel in dict.fromkeys(leg.panel for leg in legs):
        region = folded.panels[panel].region
        mine = [as_left(region, leg) for leg in legs if leg.panel == panel]
        folded = _flanged_panel(folded, step, panel, mine, relief, corner)
    return folded


def _flanged_panel(
    folded: Folded, step: str, number: int, legs: Sequence[Leg], relief: Relief, corner: CornerForm
) -> Folded:
    before = folded.panels[number]
    meets = _meeting(before.region, legs)
    cuts, notches = [], []
    for leg in legs:
        if leg.trim > 0:
            cuts.append(trimmed_off(before.region, leg))
        notches += notches_beside(before.region, leg, relief)
    region, sides = before.region, dict(before.sides)
    cutters = [*cuts, *notches]
    if cutters:
        taken = [ring_region(step, f"n{k}", ring) for k, ring in enumerate(cutters)]
        for cutter in taken:
            for curve in cutter.outer.curves:
                sides[curve.name] = FaceName(step, "relief")
        region = one_region(combined([region], "cut", taken).regions, before.title)
    made = [_Made.of(folded, step, leg, region, meets, corner, k) for k, leg in enumerate(legs)]
    for one in made:
        region, sides = one.joined_to(region, sides)
    panels = list(folded.panels)
    panels[number] = replace(before, region=region, sides=faces_used(region, sides))
    rest = cut_back(with_parts(folded, panels, folded.bends), step, number) if cutters else None
    panels, bends = (panels, folded.bends) if rest is None else (list(rest.panels), rest.bends)
    flanged = Folded(
        folded.frame,
        folded.thickness,
        (*panels, *(one.panel for one in made)),
        (*bends, *(one.bend for one in made)),
    )
    hold_together(
        flanged,
        "This flange takes away where another bend starts.",
        "Let it end before that bend, or make both flanges in one step.",
    )
    holes = [
        _hole(one.corner_at, corner)
        for one in made
        if one.corner_at is not None and corner.hole in ("round", "square") and corner.across > 0
    ]
    return cut_blank(flanged, step, holes, "corner") if holes else flanged


def _outline(
    number: int,
    leg: Leg,
    room: tuple[float, float],
    span: tuple[float, float],
    right: tuple[float, float],
    left: tuple[float, float],
) -> Loop:
    """The flat of a flange in its bend's own coordinates. ``room`` is the edge that it stands on,
    ``span`` how far its bend goes; at its ends it reaches beyond the room by ``right`` and
    ``left``, each at its foot and for each mm of its height."""
    (low, high), (a, b), long = room, span, leg.long
    tip_low, tip_high = low - right[0] - right[1] * long, high + left[0] + left[1] * long
    if b - a < NEAR or tip_high - tip_low < NEAR:
        raise CannotFold(
            "Nothing of this flange would be left between its corners.",
            "Make the edge longer, the flange lower, or its corners open.",
            "edges",
        )
    foot, tip = leg.turn.length, leg.turn.length + long
    ring, names = [(foot, b), (foot, a)], [f"{JOINT}{number}e"]
    if right[0] > NEAR:
        ring.append((foot, low - right[0]))
        names.append("right_foot")
    ring += [(tip, tip_low), (tip, tip_high)]
    names += ["right_end", "tip", "left_end"]
    if left[0] > NEAR:
        ring.append((foot, high + left[0]))
        names.append("left_foot")
    return polygon(ring, names)


def _bend(step: str, number: int, leg: Leg, line: Line, span: tuple[float, float]) -> Bend:
    """The bend of a flange, as a plain strip."""
    turn, (a, b) = leg.turn, span
    strip = polygon(
        [(0.0, a), (turn.length, a), (turn.length, b), (0.0, b)],
        ["bend_right", f"{JOINT}{number}e", "bend_left", f"{JOINT}{number}s"],
    )
    return Bend(
        line.at,
        line.out,
        turn.angle,
        turn.radius,
        turn.length,
        (Region(strip.mapped(line.from_own())),),
        {name: FaceName(step, name, "", leg.member) for name in ("bend_right", "bend_left")},
        leg.panel,
        FaceName(step, "bend_inside", "", leg.member),
        FaceName(step, "bend_outside", "", leg.member),
        f"bend {number + 1}",
    )


def _panel(step: str, number: int, leg: Leg, outline: Loop) -> Panel:
    """The flat of a flange: the face that looks into the bend is its inside."""
    inside = FaceName(step, "inside", "", leg.member)
    outside = FaceName(step, "outside", "", leg.member)
    names = [curve.name for curve in outline.curves if not is_joint(curve.name)]
    return Panel(
        Region(outline),
        outside if leg.turn.angle > 0 else inside,
        inside if leg.turn.angle > 0 else outside,
        {name: FaceName(step, name, "", leg.member) for name in names},
        number,
        f"flange {number + 1}",
    )


@dataclass(frozen=True, slots=True)
class _Made:
    """A flange made: its bend, its panel, and how it is joined to the panel that it stands on;
    ``corner_at`` is where its bend meets that of the next."""

    step: str
    number: int
    bend: Bend
    panel: Panel
    span: tuple[float, float]
    corner_at: XY | None

    @classmethod
    def of(
        cls,
        folded: Folded,
        step: str,
        leg: Leg,
        region: Region,
        meets: Mapping[tuple[int, bool], float],
        corner: CornerForm,
        k: int,
    ) -> _Made:
        number = len(folded.bends) + k
        line = line_of(leg)
        low, high = _room_on(region, line, leg)
        right, left = (
            _reach(folded.thickness, leg.turn, meets.get((k, end)), corner, first=end)
            for end in (False, True)
        )
        span = low + max(0.0, -right[0]), high - max(0.0, -left[0])
        outline = _outline(number, leg, (low, high), span, right, left)
        bend = _bend(step, number, leg, line, span)
        panel = _panel(step, number, leg, outline.mapped(bend.from_own()))
        meets_next = meets.get((k, True)) is not None
        corner_at = bend.from_own().point((0.0, high)) if meets_next else None
        return cls(step, number, bend, panel, span, corner_at)

    def joined_to(
        self, region: Region, sides: Mapping[str, FaceName]
    ) -> tuple[Region, dict[str, FaceName]]:
        """The panel that it stands on, with the part of its outline that goes on into the bend
        named as a joint."""
        number = self.number
        own = self.bend.to_own()
        a, b = self.span
        points = [self.bend.from_own().point((0.0, s)) for s in (a, b)]
        named = dict(sides)
        named["beside"] = FaceName(self.step, "beside")
        loops = []
        for loop in region.loops:
            curves: list[Curve] = []
            for curve in loop.curves:
                p, q = own.point(curve.start), own.point(curve.end)
                on_line = (
                    isinstance(curve, Segment)
                    and abs(p[0]) < NEAR
                    and abs(q[0]) < NEAR
                    and q[1] > p[1]
                    and p[1] < b - NEAR
                    and q[1] > a + NEAR
                    and not is_joint(curve.name)
                )
                if not on_line:
                    curves.append(curve)
                    continue
                assert isinstance(curve, Segment)
                corners = [curve.start]
                names = []
                old = curve.name if curve.name in named else "beside"
                if p[1] < a - NEAR:
                    corners.append(points[0])
                    names.append(old)
                names.append(f"{JOINT}{number}s")
                if q[1] > b + NEAR:
                    corners.append(points[1])
                    names.append(old)
                corners.append(curve.end)
                curves += [
                    Segment(*ends, name)
                    for ends, name in zip(itertools.pairwise(corners), names, strict=True)
                ]
            loops.append(Loop(tuple(curves), loop.name))
        return Region(loops[0], tuple(loops[1:])), named


def _meeting(region: Region, legs: Sequence[Leg]) -> dict[tuple[int, bool], float]:
    """Where flanges meet: for a leg's number, and whether at its edge's end, the angle of the
    corner within the sheet, radians."""
    meeting: dict[tuple[int, bool], float] = {}
    for i, leg in enumerate(legs):
        for j, other in enumerate(legs):
            if i == j or math.dist(leg.edge.end, other.edge.start) > NEAR:
                continue
            if leg.span is not None or other.span is not None:
                continue
            (ax, ay), (bx, by) = way_of(leg.edge), way_of(other.edge)
            inner = math.pi - math.atan2(ax * by - ay * bx, ax * bx + ay * by)
            meeting[(i, True)] = meeting[(j, False)] = inner
    return meeting


def _reach(
    thickness: float, turn: Turn, inner: float | None, corner: CornerForm, *, first: bool
) -> tuple[float, float]:
    """How far a flange goes beyond the end of its bend at its foot, and by how much more for each
    mm of its height. ``first``: it is the one whose edge ends at the corner."""
    if inner is None or corner.kind == "open":
        return 0.0, 0.0
    angle = math.radians(abs(turn.angle))
    share = 1 / math.tan(inner / 2)
    if corner.kind == "meeting":
        gap = corner.gap / (2 * math.sin(inner / 2))
        return turn.radius * math.sin(angle) * share - gap, math.cos(angle) * share
    if abs(abs(turn.angle) - 90) > 1e-9 or abs(inner - math.pi / 2) > 1e-9:
        raise CannotFold(
            "One flange goes over the other only where both stand upright at a right angle.",
            "Choose corners that meet, or open ones.",
            "corners",
        )
    over = (corner.kind == "first over") == first
    return (turn.radius + thickness, 0.0) if over else (turn.radius - corner.gap, 0.0)


def _room_on(region: Region, line: Line, leg: Leg) -> tuple[float, float]:
    """From where to where the trimmed sheet has an edge on the line where a bend starts."""
    own = line.to_own()
    low, high = leg.span if leg.span is not None else (-FAR, FAR)
    rooms = []
    for loop in region.loops:
        for curve in loop.curves:
            p, q = own.point(curve.start), own.point(curve.end)
            if not isinstance(curve, Segment) or is_joint(curve.name):
                continue
            if abs(p[0]) < NEAR and abs(q[0]) < NEAR and q[1] > p[1]:
                a, b = max(p[1], low), min(q[1], high)
                if b - a > NEAR and a < leg.edge.length and b > 0:
                    rooms.append((a, b))
    if not rooms:
        raise CannotFold(
            "There is no room on the sheet for this flange's bend.",
            "Make the sheet wider, or let the bend start at the edge.",
            "edges",
        )
    return max(rooms, key=lambda ends: ends[1] - ends[0])


def _hole(at: XY, corner: CornerForm) -> Region:
    half, (x, y) = corner.across / 2, at
    if corner.hole == "square":
        ring = [
            (x - half, y - half),
            (x + half, y - half),
            (x + half, y + half),
            (x - half, y + half),
        ]
        return Region(polygon(ring, ["a", "b", "c", "d"]))
    return Region(Loop((EllipticArc(at, half, half, 0.0, math.tau, "round"),)))
