"""Bends along a line of a panel: one, or two that lift what lies beyond.

The line's own coordinates are used: v beyond it, s along it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from ...sketch.combining import combined
from ...sketch.curves import Segment
from ...sketch.mapping import XY, Mapping2D
from ...sketch.regions import Region
from ..naming import FaceName
from .cuts import hold_together
from .outline import JOINT, is_joint
from .parts import (
    FAR,
    NEAR,
    CannotFold,
    Line,
    Relief,
    Turn,
    faces_used,
    named_ring,
    notch,
    one_region,
    polygon,
    ring_region,
    way_of,
    with_parts,
)
from .sheet import Bend, Folded, Mark, Panel


@dataclass(frozen=True, slots=True)
class Fold:
    """A bend, or several with flat webs between, along a line of a panel.

    ``at`` and ``out`` are a point of the line and the direction of what moves, on the blank. The
    sheet that stays ends ``before`` mm on this side of the line, what moves begins ``after`` mm
    beyond it; between them comes the ``chain``: turns, and how long the flat webs between are, mm.
    ``span`` is as far along the line as it goes, from ``at``; None for all across.
    """

    panel: int
    at: XY
    out: XY
    before: float
    after: float
    chain: tuple[Turn | float, ...]
    span: tuple[float, float] | None = None


def folded_along(folded: Folded, step: str, fold: Fold, relief: Relief) -> Folded:
    """The sheet bent along a line.

    Raises:
        CannotFold: where the line does not cross the panel, or something lies in the bend.
    """
    panel = folded.panels[fold.panel]
    line = Line(fold.at, fold.out)
    own, back = line.to_own(), line.from_own()
    region = panel.region.mapped(own)
    low, high = fold.span if fold.span is not None else (-FAR, FAR)
    stays, moves = _parted(region, fold, (low, high), relief, step, panel.title)
    sides = dict(panel.sides)
    for one in (stays, moves):
        for loop in one.loops:
            for curve in loop.curves:
                if curve.name not in sides and not is_joint(curve.name):
                    stem = curve.name.rpartition(".")[0]
                    sides[curve.name] = sides.get(stem, FaceName(step, "relief"))
    first = len(folded.bends)
    last = first + sum(isinstance(link, Turn) for link in fold.chain) - 1
    near = _intervals(stays, -fold.before, (low, high), ends=True)
    far = _intervals(moves, fold.after, (low, high), ends=False)
    _no_holes_in(region, fold, near, far, (low, high))
    stays = _jointed(stays, -fold.before, near, f"{JOINT}{first}s", ends=True)
    moves = _jointed(moves, fold.after, far, f"{JOINT}{last}e", ends=False)
    whole = math.fsum(link.length if isinstance(link, Turn) else link for link in fold.chain)
    shift = whole - fold.before - fold.after
    panels = list(folded.panels)
    marks, moved_marks = _marks_parted(panel.marks, fold, own)
    panels[fold.panel] = replace(
        panel, region=stays.mapped(back), sides=faces_used(stays, sides), marks=marks
    )
    bends = list(folded.bends)
    parent, at_v = fold.panel, -fold.before
    added: list[Panel] = []
    count = len(panels)
    for link in fold.chain:
        long = link.length if isinstance(link, Turn) else link
        shares = [(v + fold.before) / whole for v in (at_v, at_v + long)]
        rings = [
            _between(a, b, shares, (at_v, at_v + long)) for a, b in zip(near, far, strict=True)
        ]
        if isinstance(link, Turn):
            number = len(bends)
            names = ["bend_right", f"{JOINT}{number}e", "bend_left", f"{JOINT}{number}s"]
            member = (number - first + 1,) if last > first else ()
            bends.append(
                Bend(
                    back.point((at_v, 0.0)),
                    fold.out,
                    link.angle,
                    link.radius,
                    link.length,
                    tuple(Region(polygon(ring, names).mapped(back)) for ring in rings),
                    {
                        name: FaceName(step, name, "", member)
                        for name in names
                        if not is_joint(name)
                    },
                    parent,
                    FaceName(step, "bend_inside", "", member),
                    FaceName(step, "bend_outside", "", member),
                    f"bend {number + 1}",
                )
            )
        else:
            if len(rings) != 1:
                raise CannotFold(
                    "The sheet is in several strips where it is to be lifted.",
                    "Let the line cross one strip only, or bend each by itself.",
                    "about",
                )
            number = len(bends) - 1
            names = ["web_right", f"{JOINT}{number + 1}s", "web_left", f"{JOINT}{number}e"]
            added.append(
                Panel(
                    Region(polygon(rings[0], names).mapped(back)),
                    FaceName(step, "lower"),
                    FaceName(step, "upper"),
                    {n: FaceName(step, n) for n in names if not is_joint(n)},
                    number,
                    "web",
                )
            )
            parent = count + len(added) - 1
        at_v += long
    beyond = Panel(
        moves.mapped(back),
        FaceName(step, "beyond_lower"),
        FaceName(step, "beyond_upper"),
        faces_used(moves, sides),
        last,
        "what moves",
        moved_marks,
    ).mapped(Mapping2D(e=fold.out[0] * shift, f=fold.out[1] * shift))
    carried = _carried(
        with_parts(folded, [*panels, *added, beyond], bends),
        fold.panel,
        count + len(added),
        first,
        moves.mapped(back),
        (fold.out[0] * shift, fold.out[1] * shift),
    )
    hold_together(carried, "The line crosses a bend.", "Let it end before, or bend here first.")
    return carried


def _marks_parted(
    marks: Sequence[Mark], fold: Fold, own: Mapping2D
) -> tuple[tuple[Mark, ...], tuple[Mark, ...]]:
    """The marks on what stays, and those on what moves.

    Raises:
        CannotFold: where one lies in the bend.
    """
    stay, move = [], []
    low, high = fold.span if fold.span is not None else (-FAR, FAR)
    for mark in marks:
        curve = mark.curve
        spots = [own.point(p) for p in (*curve.points(0.1), curve.end)]
        if all(v >= fold.after - NEAR and low <= s <= high for v, s in spots):
            move.append(mark)
        elif all(v <= -fold.before + NEAR or not low <= s <= high for v, s in spots):
            stay.append(mark)
        else:
            raise CannotFold(
                "A mark lies in the bend, or on both sides of it.",
                "Move the line or the mark, or mark the sheet after it is bent.",
                "about",
            )
    return tuple(stay), tuple(move)


def _parted(
    region: Region,
    fold: Fold,
    span: tuple[float, float],
    relief: Relief,
    step: str,
    title: str,
) -> tuple[Region, Region]:
    """A panel in the line's own coordinates, parted into what stays and what moves."""
    low, high = span
    beyond = [(-fold.before, low), (FAR, low), (FAR, high), (-fold.before, high)]
    taken = [ring_region(step, "n", beyond)]
    if fold.span is not None:
        wide = relief.width
        deep = 0.0 if relief.form in ("torn", "none") else relief.depth
        for a, b in ((low - wide, low), (high, high + wide)):
            slit = notch(a, b, deep + fold.before + FAR, relief.form)
            taken.append(Region(named_ring(slit.moved(FAR, 0.0), f"{step}_r")))
    stays = combined([region], "cut", taken).regions
    far = [(fold.after, low), (FAR, low), (FAR, high), (fold.after, high)]
    moves = combined([region], "common", [ring_region(step, "m", far)]).regions
    if not stays or not moves:
        raise CannotFold(
            "The line does not cross the sheet.",
            "Draw it across the panel, with sheet on both sides.",
            "about",
        )
    return one_region(stays, title, "about"), one_region(moves, title, "about")


def _intervals(
    region: Region, at: float, span: tuple[float, float], *, ends: bool
) -> list[tuple[float, float]]:
    """Where a region has straight edges on the line v = ``at``: those where it ends, or begins."""
    intervals = []
    for loop in region.loops:
        for curve in loop.curves:
            (p, a), (q, b) = curve.start, curve.end
            if not isinstance(curve, Segment) or abs(p - at) > NEAR or abs(q - at) > NEAR:
                continue
            low, high = (a, b) if ends else (b, a)
            if high > low and low >= span[0] - NEAR and high <= span[1] + NEAR:
                intervals.append((low, high))
    merged: list[tuple[float, float]] = []
    for low, high in sorted(intervals):
        if merged and low - merged[-1][1] < NEAR:
            merged[-1] = (merged[-1][0], high)
        else:
            merged.append((low, high))
    return merged


def _no_holes_in(
    region: Region,
    fold: Fold,
    near: Sequence[tuple[float, float]],
    far: Sequence[tuple[float, float]],
    span: tuple[float, float],
) -> None:
    """Refuse what would be lost in a bend: between where it starts and ends the sheet must go on
    straight."""
    if not near:
        raise CannotFold("The line does not cross the sheet.", "Draw it across the panel.", "about")
    zone = [
        (-fold.before, span[0]), (fold.after, span[0]), (fold.after, span[1]),
        (-fold.before, span[1]),
    ]  # fmt: skip
    wide = fold.before + fold.after
    if len(near) == len(far):
        straight = math.fsum(
            wide * ((b - a) + (d - c)) / 2 for (a, b), (c, d) in zip(near, far, strict=True)
        )
        if wide <= NEAR:  # nothing of the sheet is used up by the bend
            return
        within = combined([region], "common", [ring_region("z", "z", zone)]).regions
        there = math.fsum(one.area for one in within)
        if abs(there - straight) < 1e-6 * max(1.0, straight):
            return
    raise CannotFold(
        "A hole, a corner or a curved side lies in the bend.",
        "Move the line or the hole; what is to go through a bend is cut in the blank, after it.",
        "about",
    )


def _jointed(
    region: Region, at: float, spans: Sequence[tuple[float, float]], name: str, *, ends: bool
) -> Region:
    """The region with its edges on the line v = ``at`` named as a joint."""
    loops = []
    for loop in region.loops:
        names = []
        for curve in loop.curves:
            (p, a), (q, b) = curve.start, curve.end
            mine = (
                isinstance(curve, Segment)
                and abs(p - at) < NEAR
                and abs(q - at) < NEAR
                and (b > a) == ends
                and any(low - NEAR <= min(a, b) and max(a, b) <= high + NEAR for low, high in spans)
            )
            names.append(name if mine else curve.name)
        loops.append(loop.renamed(names))
    return Region(loops[0], tuple(loops[1:]))


def _between(
    near: tuple[float, float],
    far: tuple[float, float],
    shares: Sequence[float],
    at: tuple[float, float],
) -> list[XY]:
    """A strip of the way from one interval to another, counter-clockwise from its lower corner."""

    def on(share: float) -> tuple[float, float]:
        return (
            near[0] + (far[0] - near[0]) * share,
            near[1] + (far[1] - near[1]) * share,
        )

    (a, b), (c, d) = on(shares[0]), on(shares[1])
    return [(at[0], a), (at[1], c), (at[1], d), (at[0], b)]


def _carried(folded: Folded, before: int, after: int, first: int, moved: Region, by: XY) -> Folded:
    """What hung on the part of a panel that moves goes with it: on the blank, and in the tree."""
    panels, bends = list(folded.panels), list(folded.bends)
    box = moved.outer.bounds()
    taken = []
    for k, bend in enumerate(bends[:first]):
        if bend.parent != before:
            continue
        low, high = bend.span()
        middle = bend.from_own().point((0.0, (low + high) / 2))
        if _borders(moved, middle) and box[0] - 1 <= middle[0] <= box[2] + 1:
            bends[k] = replace(bend, parent=after)
            taken.append(k)
    shift = Mapping2D(e=by[0], f=by[1])
    hanging = set(taken)
    for number, panel in enumerate(panels[: before + 1 + len(panels)]):
        if panel.bend in hanging and number != after:
            panels[number] = panel.mapped(shift)
            hanging |= {k for k, bend in enumerate(bends) if bend.parent == number}
    for k in hanging:
        bend = bends[k]
        bends[k] = replace(
            bend,
            at=shift.point(bend.at),
            regions=tuple(region.mapped(shift) for region in bend.regions),
        )
    # A panel comes after the one that it hangs on: those that were taken along go to the end.
    return _in_order(folded, panels, bends)


def _borders(region: Region, p: XY) -> bool:
    """Whether a point lies on a straight edge of a region."""
    for loop in region.loops:
        for curve in loop.curves:
            if not isinstance(curve, Segment) or curve.length < NEAR:
                continue
            (dx, dy), (x, y) = way_of(curve), (p[0] - curve.start[0], p[1] - curve.start[1])
            if abs(dx * y - dy * x) < 1e-5 and -1e-5 <= dx * x + dy * y <= curve.length + 1e-5:
                return True
    return False


def _in_order(folded: Folded, panels: Sequence[Panel], bends: Sequence[Bend]) -> Folded:
    """Panels so that each comes after the one that it hangs on."""
    order: list[int] = []
    left = list(range(len(panels)))
    while left:
        ready = [
            k for k in left if panels[k].bend is None or bends[panels[k].bend or 0].parent in order
        ]
        order += ready[:1]
        left.remove(ready[0])
    place = {old: new for new, old in enumerate(order)}
    return with_parts(
        folded,
        [panels[k] for k in order],
        [replace(bend, parent=place[bend.parent]) for bend in bends],
    )
