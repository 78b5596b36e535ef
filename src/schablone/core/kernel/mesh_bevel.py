"""Lower edges of a free form bevelled, since a printer's first layer is squeezed out."""

from __future__ import annotations

import numpy as np
from manifold3d import Manifold, OpType
from numpy.typing import NDArray
from shapely.geometry import Polygon

from ..sketch.regions import polygon_of
from .figures import ONE_LAYER
from .frame import Frame
from .mesh_booleans import put_together
from .meshed import Meshed
from .naming import FaceName

Floats = NDArray[np.float64]

_BEVEL = FaceName("first_layer", "bevel")
#: Triangles within this of the lowest point, mm, are what a part lies on.
_LEVEL = 1e-6
#: How round a bevel goes about a corner, in sides of a full turn.
_ROUND = 48


def bevelled_below(body: Meshed, by: float) -> Meshed:
    """All that lies nearer to the edges of what a body lies on than ``by`` mm, the less the higher
    up, taken away; edges under walls of one layer are left. The body itself where it lies on
    nothing flat.

    Raises:
        ValueError: where a face is too narrow for it.
    """
    low = float(body.points[:, 2].min())
    on_ground = np.ptp(body.points[body.triangles][:, :, 2], axis=1) < _LEVEL
    on_ground &= body.points[body.triangles[:, 0], 2] < low + _LEVEL
    if not on_ground.any():
        return body
    ground = Meshed(
        body.points,
        body.triangles,
        np.where(on_ground, 0, body.face_of + 1).astype(np.int32),
        (_BEVEL, *body.names),
    )
    for region in ground.regions_of(_BEVEL, Frame((0.0, 0.0, low)).turned_over()):
        holes = [polygon_of(hole).exterior for hole in region.holes]
        if Polygon(polygon_of(region.outer).exterior, holes).buffer(-by).is_empty:
            raise ValueError("the first layer's bevel does not fit")
    tops = np.full(len(ground.names), -np.inf)
    np.maximum.at(tops, np.repeat(ground.face_of, 3), body.points[body.triangles.ravel(), 2])
    sides = ground.sides_of(0, [k for k, top in enumerate(tops) if top - low > ONE_LAYER])
    if not len(sides):
        return body
    bevel = Meshed.of_solid(_around(body.points[sides], by), _BEVEL)
    bevelled = put_together(body, "cut", [bevel])
    if bevelled is None:
        raise ValueError("the first layer's bevel does not fit")
    return bevelled


def _around(sides: Floats, by: float) -> Manifold:
    """All that lies around level lines, (n, 2, 3), nearer than ``by``, the less the farther above
    or below them."""
    pieces = []
    for a, b in sides:
        way = (b - a)[:2] / np.linalg.norm((b - a)[:2])
        across = np.array([-way[1], way[0], 0.0]) * by
        up = np.array([0.0, 0.0, by])
        corners = [p + q for p in (a, b) for q in (across, -across, up, -up)]
        pieces.append(Manifold.hull_points(np.array(corners)))
    for x, y, z in np.unique(sides.reshape(-1, 3), axis=0).tolist():
        cone = Manifold.cylinder(by, by, 0.0, _ROUND)
        pieces.append((cone + cone.scale((1.0, 1.0, -1.0))).translate((x, y, z)))
    return Manifold.batch_boolean(pieces, OpType.Add)
