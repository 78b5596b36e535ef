"""What is drawn of a body, and a free form as it is drawn from one side: its outline and the lines
where its faces meet, those behind something as hidden ones."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from manifold3d import Manifold
from numpy.typing import NDArray
from shapely.geometry import LineString

from ..sketch.curves import XY, Curve, Segment
from .frame import Frame
from .meshed import Meshed, signed_rings

Floats = NDArray[np.float64]

#: How far lines may lie off the triangles, mm.
_FINE = 0.02
#: What lies less far above a line, mm, does not hide it: the faces beside it.
_ABOVE = 0.01
#: Lines shorter than this, mm, are none.
_NEAR = 1e-6


@dataclass(frozen=True, slots=True)
class Lines:
    """What is drawn of a body, in the coordinates of the plane of the view, mm: edges that are
    seen, edges that are hidden, and the areas that a cut went through as rings of points, each area
    with its outer ring first."""

    seen: tuple[Curve, ...]
    hidden: tuple[Curve, ...] = ()
    areas: tuple[tuple[tuple[XY, ...], ...], ...] = ()


def lines_of_triangles(body: Meshed, view: Frame, cut: float | None = None) -> Lines:
    """The lines of a free form as it is seen against the normal of a plane. With ``cut`` all that
    lies more than this above the plane is taken away before.

    Raises:
        ValueError: where the cut takes away all of it, or meets nothing.
    """
    axes = np.array([view.x, view.y, view.normal])
    shift = -axes @ np.array(view.origin)
    solid = body.solid.transform(np.column_stack([axes, shift]))
    areas: tuple[tuple[tuple[XY, ...], ...], ...] = ()
    if cut is not None:
        areas = tuple(_areas(solid.slice(cut)))
        if not areas:
            raise ValueError("the cut does not meet the part")
        solid = solid.trim_by_plane((0.0, 0.0, -1.0), -cut)
    seen: list[Curve] = list(_outline(solid))
    hidden: list[Curve] = []
    top = solid.bounding_box()[5]
    for line in body.lines():
        points = line @ axes.T + shift
        for a, b in pairwise(_fewer(points)):
            middle = (a + b) / 2
            if cut is not None and middle[2] > cut:
                continue
            side = Segment((float(a[0]), float(a[1])), (float(b[0]), float(b[1])))
            if side.length > _NEAR:
                (hidden if _is_hidden(solid, middle, top) else seen).append(side)
    return Lines(tuple(seen), tuple(hidden), areas)


def _fewer(points: Floats) -> Floats:
    if len(points) < 3:
        return points
    return np.array(LineString(points).simplify(_FINE).coords)


def _is_hidden(solid: Manifold, at: Floats, top: float) -> bool:
    x, y, z = map(float, at)
    if z + _ABOVE >= top:
        return False
    return bool(solid.ray_cast((x, y, z + _ABOVE), (x, y, top + 1.0)))


def _outline(solid: Manifold) -> Iterator[Segment]:
    """The outline of the shadow that falls straight down."""
    for ring in solid.project().simplify(_FINE).to_polygons():
        points = [(float(x), float(y)) for x, y in ring]
        for a, b in zip(points, [*points[1:], points[0]], strict=True):
            if a != b:
                yield Segment(a, b)


def _areas(section: Any) -> Iterator[tuple[tuple[XY, ...], ...]]:
    """The areas of a section, each with its outer ring first."""
    for outer, holes in signed_rings(section.to_polygons()):
        yield tuple(tuple((float(x), float(y)) for x, y in ring) for ring in (outer, *holes))
