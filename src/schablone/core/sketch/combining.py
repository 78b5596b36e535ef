"""Areas of one plane added, cut, or kept in common, exactly: lines stay lines and arcs stay
arcs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from .arrangement import arrange
from .curves import Curve
from .loops import Loop
from .mapping import XY
from .regions import Region, clear_of_each_other, is_simple, polygon_of

Operation = Literal["add", "cut", "common"]

#: Holes farther than this from whatever is added or cut have nothing to do with it, mm.
_FAR = 0.1


@dataclass(frozen=True, slots=True)
class Combined:
    """What comes of areas put together: its ``regions``; where their outlines touch in a point
    only, with the names of the curves there; and for each of the areas that were put to the first
    whether that changed anything."""

    regions: tuple[Region, ...]
    pinches: tuple[tuple[XY, tuple[str, ...]], ...]
    took_part: tuple[bool, ...]


def combined(first: Sequence[Region], operation: Operation, others: Sequence[Region]) -> Combined:
    """Areas with others added to them, cut from them, or what they have in common with any of the
    others.

    Curves keep their names; where two lie on each other, the first gives its name. Pieces of one
    curve that come apart are told apart by a number after a dot.

    Raises:
        Tangled: where outlines lie so close together that they cannot be told apart.
    """
    if operation != "common":
        base, aside = _far_aside(first, others)
        joined = _combined(base, operation, others) if aside else None
        whole = _put_back(joined.regions, aside) if joined is not None else None
        if joined is not None and whole is not None:
            return replace(joined, regions=whole)
    return _combined(first, operation, others)


def pinches_of(region: Region) -> tuple[tuple[XY, tuple[str, ...]], ...]:
    """Where the outlines of an area touch in a point only, with the names of the curves there.
    Outlines that lie apart, as most do, take no time to speak of.

    Raises:
        Tangled: where outlines lie so close together that they cannot be told apart.
    """
    apart = not region.holes or clear_of_each_other(Region(region.outer), region.holes)
    if apart and is_simple(region.outer):
        return ()
    return _combined([region], "add", []).pinches


def _combined(first: Sequence[Region], operation: Operation, others: Sequence[Region]) -> Combined:
    curves: list[Curve] = []
    operands: list[int] = []
    for number, regions in enumerate([tuple(first), *((region,) for region in others)]):
        for region in regions:
            for loop in (region.outer, *(hole.reversed() for hole in region.holes)):
                curves += loop.curves
                operands += [number] * len(loop.curves)
    arrangement = arrange(curves)
    kept = []
    took_part = [False] * len(others)
    for face, turns in zip(
        arrangement.faces, arrangement.turns(operands, 1 + len(others)), strict=True
    ):
        inside, within = turns[0] > 0, [k for k, count in enumerate(turns[1:]) if count > 0]
        for k in within:
            took_part[k] |= inside != (operation == "add")
        if {"add": inside or within, "cut": inside and not within, "common": inside and within}[
            operation
        ]:
            kept.append(face)
    return Combined(arrangement.regions(kept), tuple(arrangement.pinches(kept)), tuple(took_part))


def _far_aside(
    first: Sequence[Region], others: Sequence[Region]
) -> tuple[tuple[Region, ...], list[Loop]]:
    """The areas without those of their holes that no other area comes near, and these holes: what
    is added or cut elsewhere leaves them as they are, and a plate may have a thousand."""
    tools = [region.outer for region in others]
    base: list[Region] = []
    aside: list[Loop] = []
    for region in first:
        within = [other.outer for other in first if other is not region]
        near = {id(hole) for hole in region.holes_near([*tools, *within], _FAR)}
        far = [hole for hole in region.holes if id(hole) not in near]
        aside += far
        holes = tuple(hole for hole in region.holes if id(hole) in near)
        base.append(Region(region.outer, holes) if far else region)
    return tuple(base), aside


def _put_back(regions: Sequence[Region], holes: Sequence[Loop]) -> tuple[Region, ...] | None:
    """The areas with holes in them again, each in the innermost that it lies in; None where one
    lies in none."""
    if len(regions) == 1:
        return (regions[0].with_holes(holes),)
    outlines = [polygon_of(region.outer) for region in regions]
    order = sorted(range(len(regions)), key=lambda k: outlines[k].area)
    loops: dict[int, list[Loop]] = {}
    for hole in holes:
        spot = polygon_of(hole).representative_point()
        k = next((k for k in order if outlines[k].covers(spot)), None)
        if k is None:
            return None
        loops.setdefault(k, []).append(hole)
    return tuple(
        region.with_holes(loops[k]) if k in loops else region for k, region in enumerate(regions)
    )
