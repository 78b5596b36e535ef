"""The skin of a section carried along a path as triangles, straight from its own numbers.

The kernel's mesher takes seconds for what a spring has on free surfaces, and a second reckoning of
a boolean (:mod:`.second`) is worth more the less it has in common with the kernel.
"""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely import LinearRing

from .guided import Guided
from .mesh import Skin
from .triangles import signed_area, triangulate

Floats = NDArray[np.float64]

#: Chords need not be within less than this share of the section's size.
_FINEST = 1e-4
#: Places in each span at which it is seen how much it bends.
_SEEN = 4


def skin_of(tool: Guided, tolerance: float) -> Skin:
    """The closed skin of a tool, its normals outwards, chords within ``tolerance`` mm."""
    axes = tool.spline(np.array(tool.at))[:, 3:].reshape(-1, 3)
    scale = float(np.linalg.norm(axes, axis=1).max())
    reach = scale * float(np.hypot(*tool.region.outer.points(0.05).T).max())
    within = max(tolerance, _FINEST * reach)
    rings = _wound([loop.points(within / scale) for loop in tool.region.loops])
    places = _places(tool, np.concatenate(rings), within)
    widest = 4 * within / max(1e-12, _turning(tool, places) * float(np.diff(places).max()))
    rings = [shapely.get_coordinates(shapely.segmentize(LinearRing(r), widest))[:-1] for r in rings]
    flat, rows = np.concatenate(rings), tool.spline(places)
    if tool.closed:
        rows = rows[:-1]
    points = rows[:, None, :3] + flat[:, :1] * rows[:, None, 3:6] + flat[:, 1:] * rows[:, None, 6:]
    count, wide = len(rows), len(flat)
    steps = np.arange(count if tool.closed else count - 1)
    parts, start = [], 0
    for ring in rings:
        here = start + np.arange(len(ring))
        parts.append(_walls(steps, np.roll(here, -1), here, count, wide))
        start += len(ring)
    if not tool.closed:
        cap = triangulate(rings).astype(np.intp)
        parts += [cap[:, ::-1], cap + (count - 1) * wide]
    triangles = np.concatenate(parts).astype(np.int32)
    spots = points.reshape(-1, 3)
    if _enclosed(spots, triangles) < 0:
        triangles = triangles[:, ::-1]
    return Skin(spots, triangles)


def _wound(rings: list[Floats]) -> list[Floats]:
    """The outline counter-clockwise, holes the other way round."""
    return [
        ring if (signed_area(ring) > 0) == (k == 0) else ring[::-1] for k, ring in enumerate(rings)
    ]


def _places(tool: Guided, flat: Floats, within: float) -> Floats:
    """Parameters from end to end between which no point of the outline ``flat`` (n, 2) strays from
    its chord: by at most max|d²p/ds²| h² / 8."""
    at = np.array(tool.at)
    seen = at[:-1, None] + np.diff(at)[:, None] * np.linspace(0, 1, _SEEN + 1)
    bends = tool.spline.derivative(2)(seen)
    low, high = flat.min(axis=0), flat.max(axis=0)
    corners = [(x, y) for x in (low[0], high[0]) for y in (low[1], high[1])]
    bend = np.max(
        [
            np.linalg.norm(bends[..., :3] + x * bends[..., 3:6] + y * bends[..., 6:], axis=-1)
            for x, y in corners
        ],
        axis=(0, 2),
    )
    counts = np.maximum(1, np.ceil(np.diff(at) * np.sqrt(bend / (8 * within)))).astype(int)
    parts = [
        np.linspace(a, b, count, endpoint=False)
        for a, b, count in zip(at[:-1], at[1:], counts.tolist(), strict=True)
    ]
    return np.append(np.concatenate(parts), at[-1])


def _turning(tool: Guided, places: Floats) -> float:
    """How fast the axes of the section turn at most, mm for each mm of a side and unit of the
    parameter: what is straight across sweeps a twisted surface, off which two triangles lie by a
    quarter of that times both their sides."""
    rows, slopes = tool.spline(places), tool.spline.derivative()(places)
    widest = 0.0
    for k in (3, 6):
        axis, slope = rows[:, k : k + 3], slopes[:, k : k + 3]
        along = (axis * slope).sum(1, keepdims=True) / (axis * axis).sum(1, keepdims=True)
        widest = max(widest, float(np.linalg.norm(slope - along * axis, axis=1).max()))
    return widest


def _walls(
    steps: NDArray[np.intp],
    after: NDArray[np.intp],
    here: NDArray[np.intp],
    count: int,
    wide: int,
) -> NDArray[np.intp]:
    """Two triangles for each step of each point of a ring: ``here`` and ``after`` are the numbers
    of its points and of those that follow them, in rows of ``wide``."""
    low, high = (steps * wide)[:, None], ((steps + 1) % count * wide)[:, None]
    a, b, c, d = low + here, low + after, high + after, high + here
    return np.concatenate(
        [np.stack([a, b, c], axis=-1).reshape(-1, 3), np.stack([a, c, d], axis=-1).reshape(-1, 3)]
    )


def _enclosed(points: Floats, triangles: NDArray[np.int32]) -> float:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return float((a * np.cross(b, c)).sum()) / 6
