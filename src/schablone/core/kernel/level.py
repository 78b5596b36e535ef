"""Prisms of one height put together in their plane, exactly, without the geometry kernel.

Most cuts go right through, and most additions stand as high as what they are added to. Then the
outlines say all: they are put together as areas (:mod:`..sketch.combining`), and what comes out are
prisms again.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from ..quantity import say_spot
from ..sketch.combining import combined
from ..sketch.mapping import XY
from ..sketch.planar import Tangled
from ..sketch.regions import Region
from .frame import Vector
from .naming import FaceName
from .prism import SAME, Prism, in_frame, next_number

Operation = Literal["add", "cut", "common"]

#: What to do where something touches along a line, or in a point of a sketch.
KEEP_TOGETHER = (
    "Nothing would hold together there: leave a web (0.2 mm is enough) or let them overlap."
)


class Touching(ValueError):
    """Pieces of a part, or walls of its holes, that touch along a line and nowhere else: ``at`` is
    a spot of it, ``faces`` what meets there."""

    def __init__(self, at: Vector, faces: Sequence[FaceName]) -> None:
        names = list(dict.fromkeys(face.words() for face in faces))
        what = (
            " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)
            or "two faces"
        )
        verb = "touches itself" if len(names) == 1 else "touch"
        super().__init__(f"{what} {verb} at {say_spot(*at)}, and only along a line")
        self.at, self.faces = at, tuple(faces)


@dataclass(frozen=True, slots=True)
class Levelled:
    """The prisms that come of it, and for each tool whether it changed anything."""

    prisms: tuple[Prism, ...]
    took_part: tuple[bool, ...]


def levelled(
    bodies: Sequence[Prism], operation: Operation, tools: Sequence[Prism]
) -> Levelled | None:
    """Prisms with others added, cut, or kept in common; None where that is no matter of outlines
    alone.

    Raises:
        Touching: where outlines would touch in single points: the part would hang together by
        nothing.
    """
    first = bodies[0]
    if first.inset or any(tool.inset for tool in tools):
        return None
    base = [in_frame(prism, first.frame) for prism in bodies]
    level = [in_frame(tool, first.frame) for tool in tools]
    if any(prism is None or prism.inset or not _as_high(prism, first) for prism in base):
        return None
    if any(prism is None for prism in level):
        return None
    # What lies above or below can neither cut nor be common; added, it is no matter of outlines.
    reach = [
        prism
        for prism in level
        if prism is not None and (operation == "add" or _meets(prism, first))
    ]
    if not all(_goes_through(prism, first, operation) for prism in reach):
        return None
    sides: dict[str, FaceName] = {}
    first_free = max(next_number(prism.region) for prism in base if prism)
    fresh = (f"{k}~" for k in itertools.count(first_free))
    regions = [
        _numbered(prism, next(fresh) if k else "", sides) for k, prism in enumerate(base) if prism
    ]
    others = [_numbered(prism, next(fresh), sides) for prism in reach]
    try:
        outcome = combined(regions, operation, others)
    except Tangled:
        return None
    if outcome.pinches:
        raise _touching(outcome.pinches[0], first, sides)
    took = iter(outcome.took_part)
    part = tuple(next(took) if any(prism is one for one in reach) else False for prism in level)
    return Levelled(tuple(_raised(first, region, sides) for region in outcome.regions), part)


def _as_high(prism: Prism, first: Prism) -> bool:
    return abs(prism.low - first.low) <= SAME and abs(prism.high - first.high) <= SAME


def _meets(tool: Prism, first: Prism) -> bool:
    return tool.high > first.low + SAME and tool.low < first.high - SAME


def _goes_through(tool: Prism, first: Prism, operation: Operation) -> bool:
    if operation == "add":
        return _as_high(tool, first)
    return tool.low <= first.low + SAME and tool.high >= first.high - SAME


def _numbered(prism: Prism, prefix: str, sides: dict[str, FaceName]) -> Region:
    """The region of a prism with its curves told apart from those of others; ``sides`` learns their
    faces."""
    region = prism.region
    if prefix:
        outer, *holes = (
            loop.renamed([prefix + curve.name for curve in loop.curves]) for loop in region.loops
        )
        region = Region(outer, tuple(holes))
    for loop, before in zip(region.loops, prism.region.loops, strict=True):
        for curve, old in zip(loop.curves, before.curves, strict=True):
            sides[curve.name] = prism.sides[old.name]
    return region


def _raised(first: Prism, region: Region, sides: dict[str, FaceName]) -> Prism:
    mine = {curve.name: _side(curve.name, sides) for loop in region.loops for curve in loop.curves}
    return replace(first, region=region, sides=mine)


def _side(name: str, sides: Mapping[str, FaceName]) -> FaceName:
    """The face of a curve, or of the curve that a piece of it came from: ``edge.2`` is a piece of
    ``edge``."""
    return sides[name] if name in sides else sides[name.rpartition(".")[0]]


def _touching(
    pinch: tuple[XY, tuple[str, ...]], first: Prism, sides: Mapping[str, FaceName]
) -> Touching:
    (x, y), names = pinch
    return Touching(first.frame.at(x, y, first.high), [_side(name, sides) for name in names])
