"""Which outlines lie within which, and the regions that they enclose.

Outlines that do not touch nest like islands and lakes: an outline inside another is a hole in it,
one inside that hole is a region again.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import STRtree, prepare
from shapely.geometry import Polygon

from .curves import EllipticArc
from .loops import Loop
from .mapping import XY, Mapping2D

#: Tolerance, mm, with which outlines are compared for crossing and nesting.
_FINE = 0.002
_CLOSE = 3 * _FINE
#: Regions of so many outlines are remembered.
_MOST_REMEMBERED = 8


class OutlinesCross(ValueError):
    """Two outlines of one sketch touch or cross each other, or nearly so, or one crosses itself."""

    def __init__(self, first: str, second: str) -> None:
        if first == second:
            super().__init__(f"the outline “{first}” crosses itself")
        else:
            super().__init__(
                f"the outlines “{first}” and “{second}” touch or cross each other, or nearly so"
            )
        self.first, self.second = first, second


@dataclass(frozen=True, slots=True)
class Region:
    """An area: an outline and the holes in it."""

    outer: Loop
    holes: tuple[Loop, ...] = ()
    _kept: dict[str, Any] = field(
        default_factory=dict, init=False, compare=False, repr=False, hash=False
    )

    def with_holes(self, holes: Sequence[Loop]) -> Region:
        """The region with more holes, which lie within it, apart from the others."""
        region = Region(self.outer, (*self.holes, *holes))
        new = np.array([hole.bounds() for hole in holes], dtype=np.float64).reshape(-1, 4)
        region._kept["boxes"] = np.concatenate([self._hole_boxes(), new])
        return region

    def _hole_boxes(self) -> NDArray[np.float64]:
        """The boxes around its holes, shape (n, 4)."""
        if "boxes" not in self._kept:
            boxes = np.array([hole.bounds() for hole in self.holes], dtype=np.float64)
            self._kept["boxes"] = boxes.reshape(-1, 4)
        kept: NDArray[np.float64] = self._kept["boxes"]
        return kept

    def holes_near(self, loops: Sequence[Loop], gap: float) -> list[Loop]:
        """Its holes that may come nearer to any of the outlines than a gap, mm."""
        boxes = self._hole_boxes()
        near = np.zeros(len(boxes), dtype=bool)
        for loop in loops:
            x0, y0, x1, y1 = loop.bounds()
            near |= (
                (boxes[:, 0] <= x1 + gap)
                & (boxes[:, 2] >= x0 - gap)
                & (boxes[:, 1] <= y1 + gap)
                & (boxes[:, 3] >= y0 - gap)
            )
        return [self.holes[k] for k in np.flatnonzero(near)]

    @property
    def area(self) -> float:
        """mm²."""
        if "area" not in self._kept:
            self._kept["area"] = self.outer.area - math.fsum(hole.area for hole in self.holes)
        area: float = self._kept["area"]
        return area

    def polygon(self, tolerance: float) -> Polygon:
        """The area between chords that lie off its curves by no more than so many mm."""
        holes = [hole.points(tolerance) for hole in self.holes]
        return Polygon(self.outer.points(tolerance), holes)

    def centroid(self) -> XY:
        """The centre of the area, mm."""
        x, y = self.outer.moment()
        for hole in self.holes:
            dx, dy = hole.moment()
            x, y = x - dx, y - dy
        return x / self.area, y / self.area

    @property
    def loops(self) -> tuple[Loop, ...]:
        """The outline, then its holes."""
        return (self.outer, *self.holes)

    def mapped(self, m: Mapping2D) -> Region:
        """The same region after a mapping."""
        if m.is_nothing:
            return self
        return Region(self.outer.mapped(m), tuple(hole.mapped(m) for hole in self.holes))


def polygon_of(loop: Loop, tolerance: float = _FINE) -> Polygon:
    """The loop as a shapely polygon, chords within ``tolerance`` mm."""
    kept = f"polygon by {tolerance}"
    if kept not in loop._kept:
        spots = _chords(loop) if tolerance == _FINE else loop.points(tolerance)
        loop._kept[kept] = shapely.polygons(shapely.linearrings(spots))
    polygon: Polygon = loop._kept[kept]
    return polygon


def _chords(loop: Loop) -> NDArray[np.float64]:
    """The points (n, 2) of a loop by the usual tolerance; they go with it as it is moved."""
    if "chords" not in loop._kept:
        loop._kept["chords"] = loop.points(_FINE)
    chords: NDArray[np.float64] = loop._kept["chords"]
    return chords


def is_simple(loop: Loop) -> bool:
    """Whether a loop does not cross itself."""
    if "simple" not in loop._kept:
        alone = loop.curves[0] if len(loop.curves) == 1 else None
        turns = isinstance(alone, EllipticArc) and alone.is_full
        loop._kept["simple"] = turns or bool(polygon_of(loop).is_valid)
    simple: bool = loop._kept["simple"]
    return simple


def regions_of(loops: Sequence[Loop]) -> tuple[Region, ...]:
    """The regions that closed outlines enclose, in the order of their outer outlines.

    Takes O(n log n) for outlines that lie apart. What was asked last is known: stencils of one size
    draw the same.

    Raises:
        OutlinesCross: where two outlines touch or cross, or one crosses itself.
    """
    few = len(loops) <= _MOST_REMEMBERED
    return _regions_remembered(tuple(loops)) if few else _regions_of(loops)


@lru_cache(maxsize=256)
def _regions_remembered(loops: tuple[Loop, ...]) -> tuple[Region, ...]:
    return _regions_of(loops)


def _regions_of(loops: Sequence[Loop]) -> tuple[Region, ...]:
    for loop in loops:
        if not is_simple(loop):
            raise OutlinesCross(loop.name, loop.name)
    if len(loops) == 1:
        return (Region(loops[0]),)
    polygons = [polygon_of(loop) for loop in loops]
    parents: list[list[int]] = [[] for _ in loops]
    tree = STRtree(polygons)
    for i, polygon in enumerate(polygons):
        for j in tree.query(polygon, predicate="dwithin", distance=_CLOSE).tolist():
            if j == i:
                continue
            # Chords stray from their arcs: nearer than that it takes more to say who lies in whom.
            if polygons[j].exterior.distance(polygon.exterior) < _CLOSE:
                raise OutlinesCross(loops[min(i, j)].name, loops[max(i, j)].name)
            if polygons[j].contains_properly(polygon):
                parents[i].append(j)
    regions = []
    for i, loop in enumerate(loops):
        if len(parents[i]) % 2 == 0:
            holes = [
                loops[j]
                for j in range(len(loops))
                if len(parents[j]) == len(parents[i]) + 1 and i in parents[j]
            ]
            regions.append(Region(loop, tuple(holes)))
    return tuple(regions)


def distance_within(outer: Loop, at: XY) -> float:
    """How far a point is from an outline that it lies in, mm, to its chords; below zero where it
    lies beyond."""
    if "rim" not in outer._kept:
        whole = polygon_of(outer)
        prepare(whole)
        outer._kept["rim"] = whole.exterior
    spot = shapely.points(at)
    away = float(shapely.distance(outer._kept["rim"], spot))
    return away if shapely.contains_properly(polygon_of(outer), spot) else -away


def _lies_within(outer: Loop, inside: Polygon, loop: Loop, gap: float) -> bool:
    """Whether a loop lies in an outline, farther from it than a gap; ``inside`` is what does."""
    alone = loop.curves[0]
    if len(loop.curves) == 1 and isinstance(alone, EllipticArc) and alone.is_circular:
        return distance_within(outer, alone.centre) > alone.rx + gap
    return bool(inside.contains_properly(polygon_of(loop)))


def clear_of_each_other(region: Region, tools: Sequence[Loop], gap: float = 0.02) -> bool:
    """Whether all ``tools`` lie strictly within the region and apart from each other, by ``gap``
    mm."""
    kept = region.outer._kept
    within = f"inside by {gap}"
    if within not in kept:
        kept[within] = polygon_of(region.outer).buffer(-gap)
        prepare(kept[within])
    # The holes are clear of each other already; of those beyond the tools' boxes so are the tools.
    loops = [*region.holes_near(tools, 2 * gap), *tools]
    if not all(is_simple(loop) for loop in loops):
        return False
    if not all(_lies_within(region.outer, kept[within], loop, gap) for loop in tools):
        return False
    if len(loops) == 1:
        return True
    shapes = [polygon_of(loop) for loop in loops]
    left, right = STRtree(shapes).query(shapes, predicate="dwithin", distance=gap)
    return bool((left == right).all())
