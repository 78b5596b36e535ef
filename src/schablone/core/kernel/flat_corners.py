"""Inner corners of parts made of prisms, made so that a round cutter gets into them, straight in
their outlines: what the kernel makes of it with booleans, in a fraction of the time."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ..sketch.corners import Corner, NoRoom, Relief, inner_corners, relieved_outline, with_reliefs
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..sketch.regions import Region
from .naming import FaceName
from .prism import Prism

#: Corners and levels that differ by less than this, mm, and directions that do, are the same.
_SAME = 1e-6
#: How fine outlines are looked at for whether cuts meet, mm.
_FINE = 0.01


def relieved_prisms(
    prisms: Sequence[Prism], cutter: float, how: Mapping[str, str]
) -> tuple[Prism, ...] | None:
    """Prisms side by side with their inner corners relieved for a ``cutter`` of a diameter in mm,
    by their kind (see :func:`.flat.relieved`); None where there is not enough room beside every
    corner."""
    outcome = []
    for prism in prisms:
        number = 1
        loops, sides = [], dict(prism.sides)
        for k, loop in enumerate(prism.region.loops):
            mine = how.get("opening" if k else "notch", "none")
            try:
                made = (
                    relieved_outline(loop, cutter, mine, opening=k > 0, first=number)
                    if mine != "none"
                    else loop
                )
            except NoRoom:
                return None
            for curve in made.curves if made is not loop else ():
                if curve.name.startswith("relief~"):
                    sides[curve.name] = _wall(mine, number)
                    number += 1
            loops.append(made)
        if number == 1:
            outcome.append(prism)
            continue
        if (whole := _with_outlines(prism, loops, sides)) is None:
            return None
        outcome.append(whole)
    return tuple(outcome)


@dataclass(slots=True)
class _Edge:
    """An inner corner through all the prisms in which it is one: each with its height, its outline
    and the corner there."""

    pieces: list[tuple[int, Prism, int, Corner]] = field(default_factory=list)

    @property
    def at(self) -> XY:
        return self.pieces[0][3].after.start

    @property
    def high(self) -> float:
        return self.pieces[-1][1].high

    @property
    def before_is_longer(self) -> bool:
        corners = [corner for _, _, _, corner in self.pieces]
        before = max(corner.before.length for corner in corners)
        after = max(corner.after.length for corner in corners)
        return bool(before >= after)

    def goes_on_in(self, prism: Prism, corner: Corner) -> bool:
        """Whether it goes on in a prism that stands on its last one."""
        mine = self.pieces[-1][3]
        pairs = zip((self.at, *mine.headings), (corner.after.start, *corner.headings), strict=True)
        apart = max(math.dist(one, other) for one, other in pairs)
        return max(apart, abs(self.high - prism.low)) <= _SAME

    def kind(self, thickness: float) -> str:
        """``notch`` of the outline, corner of an ``opening`` halfway up, or of a ``pocket`` that
        does not go through."""
        low = self.pieces[0][1].low
        if self.high - low <= thickness - _SAME:
            return "pocket"
        middle = (low + self.high) / 2
        halfway = next(k for _, prism, k, _ in self.pieces if prism.high >= middle - _SAME)
        return "opening" if halfway else "notch"


def relieved_stack(
    prisms: Sequence[Prism], thickness: float, cutter: float, how: Mapping[str, str]
) -> tuple[Prism, ...] | None:
    """The same for prisms of one plane one on the other, as parts with steps and pockets are cut
    from sheets of a ``thickness``, mm. Corners beside curves are left as they are."""
    reliefs: dict[tuple[int, int], dict[int, Relief]] = {}
    walls: dict[str, FaceName] = {}
    numbers = itertools.count(1)
    for edge in _edges(prisms):
        mine = how.get(edge.kind(thickness), "none")
        if mine == "none":
            continue
        number = next(numbers)
        name, longer = f"relief~{number}", edge.before_is_longer
        walls[name] = _wall(mine, number)
        for p, _, k, corner in edge.pieces:
            reliefs.setdefault((p, k), {})[corner.number] = Relief(mine, name, longer)
    outcome = []
    for p, prism in enumerate(prisms):
        loops = list(prism.region.loops)
        for k, loop in enumerate(loops):
            try:
                loops[k] = with_reliefs(loop, cutter, reliefs.get((p, k), {}), opening=k > 0)
            except NoRoom:
                return None
        if all(one is other for one, other in zip(loops, prism.region.loops, strict=True)):
            outcome.append(prism)
            continue
        if (whole := _with_outlines(prism, loops, {**prism.sides, **walls})) is None:
            return None
        outcome.append(whole)
    return tuple(outcome)


def _edges(prisms: Sequence[Prism]) -> Iterator[_Edge]:
    """The inner corners between straight sides, each from its lowest prism to its highest."""
    open_: dict[tuple[int, int], list[_Edge]] = {}
    found: list[_Edge] = []
    for p, prism in sorted(enumerate(prisms), key=lambda one: one[1].low):
        for k, loop in enumerate(prism.region.loops):
            for corner in inner_corners(loop, opening=k > 0):
                if not corner.is_straight:
                    continue
                edge = next(
                    (
                        one
                        for cell in _cells(corner.after.start)
                        for one in open_.get(cell, ())
                        if one.goes_on_in(prism, corner)
                    ),
                    None,
                )
                if edge is None:
                    edge = _Edge()
                    open_.setdefault(_cell(corner.after.start), []).append(edge)
                    found.append(edge)
                edge.pieces.append((p, prism, k, corner))
    yield from found


def _cell(at: XY) -> tuple[int, int]:
    return math.floor(at[0]), math.floor(at[1])


def _cells(at: XY) -> list[tuple[int, int]]:
    """The cells of 1 mm in which a place may lie that is as good as the same."""
    around = {_cell((at[0] + dx, at[1] + dy)) for dx in (-_SAME, _SAME) for dy in (-_SAME, _SAME)}
    return sorted(around)


def _wall(how: str, number: int) -> FaceName:
    return FaceName("relief", "round" if how == "radius" else "wall", "", (number,))


def _with_outlines(
    prism: Prism, loops: Sequence[Loop], sides: Mapping[str, FaceName]
) -> Prism | None:
    """The prism with other outlines; None where cuts meet, so that the kernel must find out what is
    left."""
    region = Region(loops[0], tuple(loops[1:]))
    polygon = region.polygon(_FINE)
    if not polygon.is_valid:
        return None
    left = {curve.name: sides[curve.name] for loop in loops for curve in loop.curves}
    return replace(prism, region=region, sides=left)
