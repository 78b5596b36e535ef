"""What a tool takes up at most, as plain numbers."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ...sketch.regions import Region, polygon_of
from ..prism import Prism
from ..tools import Revolved

Floats = NDArray[np.float64]
#: So far, mm, everything else must lie from a tool.
CLEAR = 1e-3


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

    @classmethod
    def of_prism(cls, prism: Prism) -> Column:
        frame = prism.frame
        x0, y0, x1, y1 = prism.region.outer.bounds()
        return cls(
            np.array(frame.origin), np.array(frame.x), np.array(frame.y), np.array(frame.normal),
            (x0, y0, x1, y1), prism.low, prism.high, _inside(prism.region),
        )  # fmt: skip

    @classmethod
    def of_turned(cls, tool: Revolved) -> Column:
        """The square one around a tool that is turned right round."""
        root, direction = tool.axis()
        length = math.hypot(*direction)
        axis = np.array(direction) / length
        x = np.array(tool.frame.normal)
        points = tool.region.outer.points(0.01) - np.array(tool.at)
        along = points @ np.array(tool.way) / length
        across = points @ np.array([tool.way[1], -tool.way[0]]) / length
        # A curve bulges beyond its chords by less than the clearance that is added.
        reach = float(np.abs(across).max()) + 0.02
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
        return replace(self, low=low, high=high)

    def bounds(self) -> tuple[Floats, Floats]:
        """The box along the axes around it, with the clearance."""
        x0, y0, x1, y1 = self.box
        corners = np.array([
            self.at + u * self.x + v * self.y + w * self.axis
            for u in (x0, x1) for v in (y0, y1) for w in (self.low, self.high)
        ])  # fmt: skip
        return corners.min(axis=0) - CLEAR, corners.max(axis=0) + CLEAR

    def covers(self, spot: Floats) -> bool:
        """Whether a place lies over or under its rectangle, or near."""
        d = spot - self.at
        u, v = float(d @ self.x), float(d @ self.y)
        x0, y0, x1, y1 = self.box
        return x0 - CLEAR <= u <= x1 + CLEAR and y0 - CLEAR <= v <= y1 + CLEAR

    def height_of(self, point: Floats) -> float:
        return float((point - self.at) @ self.axis)

    def spot(self, height: float) -> Floats:
        """The place within it at a height, in space."""
        u, v = self.inside
        found: Floats = self.at + u * self.x + v * self.y + height * self.axis
        return found


def _inside(region: Region) -> tuple[float, float]:
    spot = polygon_of(region.outer, 0.01).representative_point()
    return spot.x, spot.y
