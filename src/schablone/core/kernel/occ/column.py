"""What a tool takes up at most, as plain numbers."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Point, Polygon

from ...sketch.regions import polygon_of
from ..prism import Prism
from ..tools import Revolved

Floats = NDArray[np.float64]
#: So far, mm, everything else must lie from a tool.
CLEAR = 1e-3
#: Chord tolerance of cross-sections, mm.
_CHORDS = 0.01


@dataclass(frozen=True, slots=True)
class Column:
    """What a tool takes up at most: a rectangle about a place, square to an axis, between heights
    along it."""

    at: Floats
    x: Floats
    y: Floats
    axis: Floats
    box: tuple[float, float, float, float]
    low: float
    high: float
    #: A place within its cross-section, in the coordinates of the rectangle.
    inside: tuple[float, float]
    #: The cross-section within chords, where it is the same all along.
    section: Polygon | None = None

    @classmethod
    def of_prism(cls, prism: Prism) -> Column:
        """The column of a prism."""
        frame = prism.frame
        section = polygon_of(prism.region.outer, _CHORDS)
        spot = section.representative_point()
        return cls(
            np.array(frame.origin), np.array(frame.x), np.array(frame.y), np.array(frame.normal),
            prism.region.outer.bounds(), prism.low, prism.high, (spot.x, spot.y), section,
        )  # fmt: skip

    @classmethod
    def of_turned(cls, tool: Revolved) -> Column:
        """The square one around a tool that is turned right round."""
        root, direction = tool.axis()
        length = math.hypot(*direction)
        axis = np.array(direction) / length
        x = np.array(tool.frame.normal)
        points = tool.region.outer.points(_CHORDS) - np.array(tool.at)
        along = points @ np.array(tool.way) / length
        across = points @ np.array([tool.way[1], -tool.way[0]]) / length
        # A curve bulges beyond its chords by less than the clearance that is added.
        reach = float(np.abs(across).max()) + 2 * _CHORDS
        ends = sorted(
            float((np.array(frame.origin) - np.array(root)) @ axis)
            for frame in tool.frames().values()
        )
        low, high = float(along.min()), float(along.max())
        low = min([low, *ends[:1]])
        high = max([high, *ends[-1:]])
        return cls(
            np.array(root), x, np.cross(axis, x), axis, (-reach, -reach, reach, reach), low, high,
            (0.0, 0.0),
        )  # fmt: skip

    def between(self, low: float, high: float) -> Column:
        """The same between other heights, mm."""
        return replace(self, low=low, high=high)

    def bounds(self) -> tuple[Floats, Floats]:
        """The box along the axes around it, with the clearance, mm."""
        x0, y0, x1, y1 = self.box
        u, v, w = (x0 + x1) / 2, (y0 + y1) / 2, (self.low + self.high) / 2
        middle = self.at + u * self.x + v * self.y + w * self.axis
        half = (
            np.abs(self.x) * ((x1 - x0) / 2)
            + np.abs(self.y) * ((y1 - y0) / 2)
            + np.abs(self.axis) * ((self.high - self.low) / 2)
            + CLEAR
        )
        return middle - half, middle + half

    def takes(self, spot: Floats) -> bool | None:
        """Whether a place, (3,) in mm, lies over or under its cross-section; None where that is too
        near to tell."""
        d = spot - self.at
        u, v = float(d @ self.x), float(d @ self.y)
        x0, y0, x1, y1 = self.box
        if not (x0 - CLEAR <= u <= x1 + CLEAR and y0 - CLEAR <= v <= y1 + CLEAR):
            return False
        if self.section is None or self.section.exterior.distance(Point(u, v)) < 2 * _CHORDS:
            return None
        return bool(self.section.contains(Point(u, v)))

    def height_of(self, point: Floats) -> float:
        """How high a point (3,) lies along its axis, mm."""
        return float((point - self.at) @ self.axis)

    def spot(self, height: float) -> Floats:
        """The place within it at a height, in space, mm."""
        u, v = self.inside
        spot: Floats = self.at + u * self.x + v * self.y + height * self.axis
        return spot
