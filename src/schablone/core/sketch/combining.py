"""Areas of one plane added, cut, or kept in common, exactly: lines stay lines and arcs stay
arcs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from .arrangement import arrange
from .curves import XY, Curve
from .regions import Region

Operation = Literal["add", "cut", "common"]


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
    curves: list[Curve] = []
    operands: list[int] = []
    for number, regions in enumerate([tuple(first), *((region,) for region in others)]):
        for region in regions:
            for loop in (region.outer, *(hole.reversed() for hole in region.holes)):
                curves += loop.curves
                operands += [number] * len(loop.curves)
    found = arrange(curves)
    kept = []
    took_part = [False] * len(others)
    for face, turns in zip(found.faces, found.turns(operands, 1 + len(others)), strict=True):
        inside, within = turns[0] > 0, [k for k, count in enumerate(turns[1:]) if count > 0]
        for k in within:
            took_part[k] |= inside != (operation == "add")
        if {"add": inside or within, "cut": inside and not within, "common": inside and within}[
            operation
        ]:
            kept.append(face)
    return Combined(found.regions(kept), tuple(found.pinches(kept)), tuple(took_part))
