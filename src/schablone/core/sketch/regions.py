"""Which outlines lie within which, and the regions that they enclose.

Outlines that do not touch nest like islands and lakes: an outline inside another is a hole in it,
one inside that hole is a region again.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from shapely import STRtree
from shapely.geometry import Polygon

from .curves import XY, Loop, Mapping2D

#: Tolerance, mm, with which outlines are compared for crossing and nesting.
_FINE = 0.002
_CLOSE = 3 * _FINE


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

    @property
    def area(self) -> float:
        return self.outer.area - math.fsum(hole.area for hole in self.holes)

    def centroid(self) -> XY:
        """The centre of the area."""
        x, y = self.outer.moment()
        for hole in self.holes:
            dx, dy = hole.moment()
            x, y = x - dx, y - dy
        return x / self.area, y / self.area

    @property
    def loops(self) -> tuple[Loop, ...]:
        return (self.outer, *self.holes)

    def mapped(self, m: Mapping2D) -> Region:
        return Region(self.outer.mapped(m), tuple(hole.mapped(m) for hole in self.holes))


def polygon_of(loop: Loop, tolerance: float = _FINE) -> Polygon:
    """The loop as a shapely polygon, chords within ``tolerance`` mm."""
    return Polygon(loop.points(tolerance))


def regions_of(loops: Sequence[Loop]) -> tuple[Region, ...]:
    """The regions that closed outlines enclose, in the order of their outer outlines.

    Takes O(n log n) for outlines that lie apart.

    Raises:
        OutlinesCross: where two outlines touch or cross, or one crosses itself.
    """
    polygons = [polygon_of(loop) for loop in loops]
    for loop, polygon in zip(loops, polygons, strict=True):
        if not polygon.is_valid:
            raise OutlinesCross(loop.name, loop.name)
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


def clear_of_each_other(region: Region, tools: Sequence[Loop], gap: float = 0.02) -> bool:
    """Whether all ``tools`` lie strictly within the region and apart from each other, by ``gap``
    mm."""
    outer = polygon_of(region.outer)
    shapes = [polygon_of(loop) for loop in (*region.holes, *tools)]
    if not all(shape.is_valid for shape in shapes):
        return False
    inside = outer.buffer(-gap)
    new = shapes[len(region.holes) :]
    if not all(inside.contains_properly(shape) for shape in new):
        return False
    left, right = STRtree(shapes).query(shapes, predicate="dwithin", distance=gap)
    return bool((left == right).all())
