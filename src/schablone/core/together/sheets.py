"""Sheets, where parts lie on them, and how much room is between."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from shapely import affinity
from shapely.geometry import Polygon

#: What lies nearer than asked by less than this is as near as asked, mm.
NEARLY = 1e-4


@dataclass(frozen=True, slots=True)
class Sheet:
    """What parts are laid on, mm: its size, how far from its edge and from each other they stay,
    and by which turns, degrees."""

    length: float
    width: float
    margin: float = 5.0
    gap: float = 3.0
    turns: tuple[float, ...] = (0.0, 90.0, 180.0, 270.0)

    @property
    def area(self) -> float:
        """mm²."""
        return self.length * self.width


@dataclass(frozen=True, slots=True)
class Put:
    """A part on a sheet: the number of its outline, the sheet's, and the turn about the outline's
    own origin, in degrees, before it is moved by x and y, mm. ``fixed``: by hand."""

    item: int
    sheet: int
    x: float
    y: float
    turn: float
    fixed: bool = False

    def placed(self, outline: Polygon) -> Polygon:
        """An outline where it lies, mm."""
        turned = affinity.rotate(outline, self.turn, origin=(0, 0))
        return affinity.translate(turned, self.x, self.y)


@dataclass(frozen=True)
class Layout:
    """Where all parts lie. ``left_over`` are the numbers of those that were not laid."""

    sheet: Sheet
    outlines: tuple[Polygon, ...]
    puts: tuple[Put, ...]
    left_over: tuple[int, ...] = field(default=())

    @property
    def sheets(self) -> int:
        """How many sheets are used."""
        return 1 + max((put.sheet for put in self.puts), default=-1)

    @property
    def laid_yield(self) -> float:
        """The share of the sheets that becomes parts."""
        used = math.fsum(self.outlines[put.item].area for put in self.puts)
        return used / (self.sheets * self.sheet.area) if self.sheets else 0.0

    def cost(self) -> tuple[int, float]:
        """What makes a layout worse: sheets, and how far along the last of them it goes."""
        last = self.sheets - 1
        ends = [
            put.placed(self.outlines[put.item]).bounds[2] for put in self.puts if put.sheet == last
        ]
        return self.sheets, max(ends, default=0.0)


def size_of(outline: Polygon) -> tuple[float, float]:
    """Its extents along x and y, mm."""
    x0, y0, x1, y1 = outline.bounds
    return x1 - x0, y1 - y0


def keep_apart(one: Polygon, other: Polygon, gap: float) -> bool:
    """Whether two outlines keep a gap, mm; without one they may touch, and not overlap."""
    if gap > 0:
        return bool(one.distance(other) >= gap)
    return not one.intersects(other) or bool(one.intersection(other).area < 5e-7)
