"""What can be measured on a piece with a caliper: holes, pegs, lengths and heights, found in the
exported file."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import PurePath
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ..kernel.slices import section
from ..quantity import plain
from .files import circle_of, outlines_of, triangles_of

Floats = NDArray[np.float64]
MeasurableKind = Literal["hole", "peg", "length", "height", "opening", "diagonal"]

#: A layer between two heights must be this thick to be looked at, mm.
_THICK = 0.3


@dataclass(frozen=True, slots=True)
class Measurable:
    """Something to measure: its size as it is in the file, mm, and where it is. ``axis`` is that of
    a length."""

    kind: MeasurableKind
    size: float
    x: float
    y: float
    axis: str = ""

    @property
    def label(self) -> str:
        """What it is, as a reading sheet says it."""
        size = plain(self.size, 2)
        words = {
            "hole": f"hole ø {size}",
            "peg": f"peg ø {size}",
            "length": f"length {size} along {self.axis}",
            "height": f"height {size}",
            "opening": f"opening {size} along {self.axis}",
            "diagonal": f"corner to corner {size}",
        }
        x, y = (plain(round(c, 1) + 0.0, 1) for c in (self.x, self.y))
        return f"{words[self.kind]} at {x}, {y}"


def features_of_file(data: bytes, name: str) -> list[Measurable]:
    """All that can be measured on what a machine makes of a file.

    Raises:
        NotReadable: where no machine takes the file.
    """
    if PurePath(name).suffix.lower() == ".dxf":
        return _of_outlines(outlines_of(data, name))
    return features_of(triangles_of(data, name))


def features_of(triangles: Floats) -> list[Measurable]:
    """Holes, pegs, lengths and heights of a mesh that stands on its bed; each once, in the order of
    kind and place."""
    levels = np.unique(np.round(triangles[:, :, 2], 3))
    found: dict[tuple[str, float, float, float, str], Measurable] = {}
    tops: dict[tuple[float, float], tuple[float, float, float]] = {}
    floor = float(levels[0])
    for low, high in zip(levels[:-1].tolist(), levels[1:].tolist(), strict=True):
        if high - low < _THICK:
            continue
        for polygon in section(triangles, (low + high) / 2):
            for feature in _of_polygon(polygon):
                key = (
                    feature.kind,
                    round(feature.size, 2),
                    round(feature.x, 1),
                    round(feature.y, 1),
                    feature.axis,
                )
                found.setdefault(key, feature)
            middle = polygon.centroid
            tops[(round(middle.x, 1), round(middle.y, 1))] = (middle.x, middle.y, high - floor)
    for x, y, height in tops.values():
        found.setdefault(
            ("height", round(height, 2), round(x, 1), round(y, 1), ""),
            Measurable("height", height, x, y),
        )
    return sorted(
        found.values(),
        key=lambda f: (f.kind, round(f.size, 3), round(f.x, 2), round(f.y, 2), f.axis),
    )


def _of_polygon(polygon: Polygon) -> list[Measurable]:
    found = []
    outer = np.array(polygon.exterior.coords)[:-1]
    round_ = circle_of(outer)
    if round_ is not None:
        found.append(Measurable("peg", round_[2], round_[0], round_[1]))
    else:
        found += _straight(outer, "length")
    for ring in polygon.interiors:
        inner = np.array(ring.coords)[:-1]
        hole = circle_of(inner)
        found += (
            [Measurable("hole", hole[2], hole[0], hole[1])]
            if hole is not None
            else _straight(inner, "opening")
        )
    return found


def _straight(points: Floats, kind: MeasurableKind) -> list[Measurable]:
    """The lengths along x and y of an outline with sides along them."""
    low, high = points.min(axis=0), points.max(axis=0)
    x, y = ((low + high) / 2).tolist()
    return [Measurable(kind, float(high[k] - low[k]), x, y, "xy"[k]) for k in range(2)]


def _diagonal(points: Floats) -> list[Measurable]:
    """From corner to corner of a square opening, which a round cutter makes shorter."""
    low, high = points.min(axis=0), points.max(axis=0)
    wide, deep = (high - low).tolist()
    polygon = Polygon(points)
    if abs(wide - deep) > 1e-3 or abs(polygon.area - wide * deep) > 1e-3 * polygon.area:
        return []
    x, y = ((low + high) / 2).tolist()
    return [Measurable("diagonal", float(np.hypot(wide, deep)), x, y)]


def _of_outlines(rings: list[Floats]) -> list[Measurable]:
    """The same for outlines: what lies within another is an opening."""
    polygons = [Polygon(ring) for ring in rings]
    found = []
    for ring, polygon in zip(rings, polygons, strict=True):
        inside = sum(o is not polygon and o.contains(polygon) for o in polygons) % 2 == 1
        round_ = circle_of(ring)
        if round_ is not None:
            found.append(Measurable("hole" if inside else "peg", round_[2], round_[0], round_[1]))
        else:
            found += _straight(ring, "opening" if inside else "length")
            found += _diagonal(ring) if inside else []
    return sorted(
        found, key=lambda f: (f.kind, round(f.size, 3), round(f.x, 2), round(f.y, 2), f.axis)
    )
