"""What can be measured on a piece with a caliper: holes, pegs, lengths and heights, found in the
exported file."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from pathlib import PurePath
from typing import Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ..kernel.slices import section
from ..quantity import plain
from .files import circle_of, outlines_of, triangles_of

Floats = NDArray[np.float64]
MeasurableKind = Literal["hole", "peg", "length", "height", "opening", "diagonal", "first layer"]

#: What lies between two heights must be thicker to be looked at, mm. A step at the bed that is not
#: is one of the first layer, where it stands out by so much.
_THIN, _STANDS_OUT = 0.3, 0.5


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
            "first layer": f"first layer {size} along {self.axis}",
        }
        if self.kind == "first layer":
            return words[self.kind]
        x, y = (plain(round(c, 1 if abs(c) < 100 else 0) + 0.0, 1) for c in (self.x, self.y))
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
    """Holes, pegs, lengths and heights, mm, of a mesh that stands on its bed; each once, in the
    order of kind and place."""
    levels = np.unique(np.round(triangles[:, :, 2], 3))
    features: dict[tuple[str, float, float, float, str], Measurable] = {}
    tops: dict[tuple[float, float], tuple[float, float, float]] = {}
    floor = float(levels[0])
    for low, high in zip(levels[:-1].tolist(), levels[1:].tolist(), strict=True):
        if high - low <= _THIN:
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
                features.setdefault(key, feature)
            middle = polygon.centroid
            tops[(round(middle.x, 1), round(middle.y, 1))] = (middle.x, middle.y, high - floor)
    for feature in _first_layers(triangles, levels):
        features.setdefault(
            (feature.kind, feature.size, feature.x, feature.y, feature.axis), feature
        )
    for x, y, height in tops.values():
        features.setdefault(
            ("height", round(height, 2), round(x, 1), round(y, 1), ""),
            Measurable("height", height, x, y),
        )
    return _in_order(features.values())


def _in_order(features: Iterable[Measurable]) -> list[Measurable]:
    """By kind, size and place; what the first layer does comes last."""
    return sorted(
        features,
        key=lambda f: (
            f.kind == "first layer", f.kind, round(f.size, 3), round(f.x, 2), round(f.y, 2), f.axis,
        ),
    )  # fmt: skip


def _first_layers(triangles: Floats, levels: Floats) -> list[Measurable]:
    """Outsides of upright steps that are no higher than a first layer, and stand out from what is
    above them."""
    low = levels[levels - levels[0] <= _THIN]
    if len(low) < 2 or len(low) == len(levels):
        return []
    foot, step, above = float(low[-2]), float(low[-1]), float(levels[len(low)])
    inside = (step - foot) / 10
    lower, upper, over = (
        [_straight(np.array(p.exterior.coords)[:-1], "length") for p in section(triangles, z)]
        for z in (foot + inside, step - inside, (step + above) / 2)
    )
    features = []
    for feature in (one for both in lower for one in both):
        upright = any(_same(feature, one, 1e-3) for both in upper for one in both)
        stands_out = not any(_same(feature, one, _STANDS_OUT) for both in over for one in both)
        if upright and stands_out:
            features.append(replace(feature, kind="first layer"))
    return features


def _same(a: Measurable, b: Measurable, near: float) -> bool:
    """Whether two lengths are of one size along one axis at one place, mm."""
    return a.axis == b.axis and max(abs(a.size - b.size), abs(a.x - b.x), abs(a.y - b.y)) <= near


def _of_polygon(polygon: Polygon) -> list[Measurable]:
    features = []
    outer = np.array(polygon.exterior.coords)[:-1]
    round_ = circle_of(outer)
    if round_ is not None:
        features.append(Measurable("peg", round_[2], round_[0], round_[1]))
    else:
        features += _straight(outer, "length")
    for ring in polygon.interiors:
        inner = np.array(ring.coords)[:-1]
        hole = circle_of(inner)
        features += (
            [Measurable("hole", hole[2], hole[0], hole[1])]
            if hole is not None
            else _straight(inner, "opening")
        )
    return features


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


def _around(polygons: list[Polygon]) -> list[int]:
    """How many others lie around each outline. Outlines do not cross, so one point within tells."""
    areas = shapely.area(polygons)
    points = shapely.point_on_surface(polygons)
    x, y = shapely.get_x(points), shapely.get_y(points)
    shapely.prepare(polygons)
    count = np.zeros(len(polygons), dtype=int)
    for polygon, area in zip(polygons, areas.tolist(), strict=True):
        count += shapely.contains_xy(polygon, x, y) & (areas < area)
    return [int(number) for number in count]


def _of_outlines(rings: list[Floats]) -> list[Measurable]:
    """The same for outlines: what lies within another is an opening."""
    polygons = [Polygon(ring) for ring in rings]
    features = []
    for ring, count in zip(rings, _around(polygons), strict=True):
        inside = count % 2 == 1
        round_ = circle_of(ring)
        if round_ is not None:
            features.append(
                Measurable("hole" if inside else "peg", round_[2], round_[0], round_[1])
            )
        else:
            features += _straight(ring, "opening" if inside else "length")
            features += _diagonal(ring) if inside else []
    return _in_order(features)
