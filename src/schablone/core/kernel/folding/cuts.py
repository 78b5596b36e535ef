"""Cuts: in the blank, across bends too, or straight through panels."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace

from shapely.geometry import LineString

from ...sketch.combining import combined
from ...sketch.curves import Curve
from ...sketch.regions import Region, clear_of_each_other
from ...words import capital
from ..figures import NoEffect
from ..naming import FaceName
from ..prism import SAME, Prism, in_frame
from .outline import JOINT, is_joint
from .parts import CannotFold, faces_used, named_ring, one_region, with_parts
from .sheet import Folded, Mark


def cut_blank(folded: Folded, step: str, holes: Sequence[Region], element: str) -> Folded:
    """The sheet with regions cut from its blank, across bends too; ``element`` names the sides of
    the cuts.

    Raises:
        CannotFold: where the blank would come apart.
        NoEffect: where nothing of the blank is met.
    """
    named = [
        Region(
            named_ring(hole.outer, f"{step}{k}"),
            tuple(named_ring(inner, f"{step}{k}i{i}") for i, inner in enumerate(hole.holes)),
        )
        for k, hole in enumerate(holes)
    ]
    walls = {
        curve.name: FaceName(step, "side", element or old.name, (k + 1,) if len(holes) > 1 else ())
        for k, (hole, plain) in enumerate(zip(named, holes, strict=True))
        for loop, there in zip(hole.loops, plain.loops, strict=True)
        for curve, old in zip(loop.curves, there.curves, strict=True)
    }
    panels = []
    for panel in folded.panels:
        region = one_region(_without([panel.region], named), panel.title)
        sides = faces_used(region, {**panel.sides, **walls})
        panels.append(replace(panel, region=region, sides=sides))
    bends = []
    for bend in folded.bends:
        left = _without(bend.regions, named)
        if not left:
            raise CannotFold(f"Nothing would be left of {bend.title}.", "Cut less of it.", "sketch")
        sides = {**bend.sides, **walls}
        bends.append(
            replace(
                bend,
                regions=tuple(left),
                sides={n: s for r in left for n, s in faces_used(r, sides).items()},
            )
        )
    made = with_parts(folded, panels, bends)
    is_now, was = (math.fsum(r.area for r in one.blank_regions()) for one in (made, folded))
    if was - is_now <= 1e-9 * was:
        raise NoEffect("it meets no material")
    hold_together(made)
    _still_one(made)
    return made


def marked(folded: Folded, number: int, curves: Sequence[Curve], *, below: bool) -> Folded:
    """The sheet with lines engraved on a panel, given on the blank.

    Raises:
        CannotFold: where one leaves the panel.
    """
    panel = folded.panels[number]
    there = panel.region.polygon(0.01).buffer(1e-3)
    for curve in curves:
        if not there.covers(LineString([*curve.points(0.05), curve.end])):
            raise CannotFold(
                f"The mark leaves {panel.title}.", "Draw it within one panel.", "sketch"
            )
    marks = (*panel.marks, *(Mark(curve, below) for curve in curves))
    panels = list(folded.panels)
    panels[number] = replace(panel, marks=marks)
    return with_parts(folded, panels, folded.bends)


def cut_panels(folded: Folded, tools: Sequence[Prism]) -> tuple[Folded, list[bool]]:
    """The sheet with upright tools cut through its panels, and which of them met any.

    Raises:
        CannotFold: where a tool does not go right through, or reaches into a bend.
    """
    met = [False] * len(tools)
    panels = list(folded.panels)
    boxes = [tool.bounds() for tool in tools]
    for number, panel in enumerate(folded.panels):
        frame = folded.frames[number]
        low, high = folded.prism(number).bounds()
        mine: list[Region] = []
        sides = dict(panel.sides)
        for k, tool in enumerate(tools):
            first, last = boxes[k]
            if any(first[i] > high[i] + SAME or last[i] < low[i] - SAME for i in range(3)):
                continue
            placed = in_frame(tool, frame)
            if placed is None or placed.low > folded.thickness - SAME or placed.high < SAME:
                continue
            if not _meets(panel.region, placed.region):
                continue
            met[k] = True
            if placed.low > SAME or placed.high < folded.thickness - SAME:
                deep = min(folded.thickness, placed.high) - max(0.0, placed.low)
                raise CannotFold(
                    f"A cut goes {deep:.4g} mm deep into a sheet of {folded.thickness:.4g} mm.",
                    "A sheet is cut right through: make it deeper.",
                )
            ring = named_ring(placed.region.outer, f"{number}c{k}")
            for curve, old in zip(ring.curves, placed.region.outer.curves, strict=True):
                sides[curve.name] = placed.sides[old.name]
            inner = []
            for i, loop in enumerate(placed.region.holes):
                inner.append(named_ring(loop, f"{number}c{k}i{i}"))
                for curve, old in zip(inner[-1].curves, loop.curves, strict=True):
                    sides[curve.name] = placed.sides[old.name]
            mine.append(Region(ring, tuple(inner)))
        if not mine:
            continue
        region = one_region(_without([panel.region], mine), panel.title)
        panels[number] = replace(panel, region=region, sides=faces_used(region, sides))
    made = with_parts(folded, panels, folded.bends)
    hold_together(made)
    return made, met


def _without(regions: Sequence[Region], holes: Sequence[Region]) -> tuple[Region, ...]:
    """What is left of regions without others, which are plain outlines mostly well within: these
    are taken out without a look at how outlines cross."""
    left: list[Region] = []
    for region in regions:
        near = [hole for hole in holes if _boxes_meet(region, hole)]
        plain = [hole.outer for hole in near if not hole.holes]
        if not near:
            left.append(region)
        elif len(plain) == len(near) and clear_of_each_other(region, plain):
            left.append(Region(region.outer, (*region.holes, *plain)))
        else:
            left += combined([region], "cut", near).regions
    return tuple(left)


def _boxes_meet(one: Region, other: Region) -> bool:
    a, b = one.outer.bounds(), other.outer.bounds()
    return a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3]


def _meets(one: Region, other: Region) -> bool:
    """Whether two regions have more than an edge in common."""
    if not _boxes_meet(one, other):
        return False
    a, b = (region.polygon(0.01) for region in (one, other))
    return bool(a.intersection(b).area > 1e-6)


def hold_together(
    folded: Folded,
    what: str = "This cut reaches to where the sheet is bent.",
    hint: str = "Keep clear of the bend, or cut it in the blank: the step “Cut in the blank” goes "
    "across bends.",
) -> None:
    """Refuse cuts of a panel alone that take away where it goes on into a bend."""
    if not joints_agree(folded):
        raise CannotFold(what, hint)


def joints_agree(folded: Folded) -> bool:
    """Whether every bend starts and ends along all of what its panels have for it: only then do
    their faces close to a solid."""
    on_panels: dict[str, float] = {}
    on_bends: dict[str, float] = {}
    for panel in folded.panels:
        _add_joints(on_panels, (panel.region,))
    for bend in folded.bends:
        _add_joints(on_bends, bend.regions)
    return all(
        abs(on_panels.get(name, 0.0) - on_bends.get(name, 0.0)) <= 1e-5
        for name in on_bends.keys() | on_panels.keys()
    )


def _still_one(folded: Folded) -> None:
    """Refuse cuts that part a bend: some of it must go through from its panel to what hangs on it,
    and none of it may fall out.

    Raises:
        CannotFold: where it would come apart.
    """
    for number, bend in enumerate(folded.bends):
        ends = [_ends_of(region, number) for region in bend.regions]
        if {"s", "e"} not in ends or set() in ends:
            raise CannotFold(
                f"{capital(bend.title)} would come apart.",
                "Leave some of it that goes through from one panel to the other.",
                "sketch",
            )


def _ends_of(region: Region, bend: int) -> set[str]:
    """At which ends of a bend one of its strips goes on: ``s`` where it starts, ``e`` where it
    ends."""
    names = [curve.name.partition(".")[0] for loop in region.loops for curve in loop.curves]
    return {name[-1] for name in names if name in (f"{JOINT}{bend}s", f"{JOINT}{bend}e")}


def _add_joints(lengths: dict[str, float], regions: Iterable[Region]) -> None:
    for region in regions:
        for loop in region.loops:
            for curve in loop.curves:
                if is_joint(curve.name):
                    name = curve.name.partition(".")[0]
                    lengths[name] = lengths.get(name, 0.0) + curve.length
