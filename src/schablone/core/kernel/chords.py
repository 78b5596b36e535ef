"""The room that there is on a flat face around a point of it, and the thickness under that."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from shapely.geometry import Point

from ..sketch.crossing import Span, crossings
from ..sketch.curves import Curve, Segment
from ..sketch.regions import Region, polygon_of
from .body import Body
from .frame import Frame, dot
from .naming import FaceName
from .prism import in_frame

#: Farther away than any edge of a part, mm.
_FAR = 1e5
#: An edge this near, mm, is one that the point lies on.
_ON = 1e-9


class NotOnFace(ValueError):
    """The point is none of the face's."""


@dataclass(frozen=True, slots=True)
class Room:
    """Distances, mm, from a point to the edges of its face: back along x (``left``) and along x
    (``right``), back along y (``near``) and along y (``far``); and the thickness under it."""

    left: float
    right: float
    near: float
    far: float
    thickness: float

    @property
    def along(self) -> float:
        return self.left + self.right

    @property
    def across(self) -> float:
        return self.near + self.far


def room_on(body: Body, face: FaceName, frame: Frame) -> Room:
    """The room around the origin of a frame that lies on a face, along its x and y: to the nearest
    edge there, be it that of a hole.

    Raises:
        NotOnFace: where the origin is none of the face's points.
    """
    region = region_at(body, face, frame)
    curves = [curve for loop in region.loops for curve in loop.curves]
    left, right, near, far = (
        _until(curves, way) for way in ((-_FAR, 0.0), (_FAR, 0.0), (0.0, -_FAR), (0.0, _FAR))
    )
    return Room(left, right, near, far, thickness_under(body, face, frame))


def region_at(body: Body, face: FaceName, frame: Frame) -> Region:
    """The region of a face around the origin of a frame on it, in the frame's coordinates; where
    several faces bear the name, that which the origin lies in.

    Raises:
        NotOnFace: where it lies in none.
    """
    regions = regions_of(body, face, frame)
    if not regions:
        raise NotOnFace("it is not there any more")
    origin = Point(0.0, 0.0)
    for region in regions:
        within = polygon_of(region.outer).covers(origin)
        if within and not any(polygon_of(hole).contains(origin) for hole in region.holes):
            return region
    holed = any(polygon_of(hole).contains(origin) for r in regions for hole in r.holes)
    raise NotOnFace("it lies in an opening of it" if holed else "it lies beyond its edge")


def regions_of(body: Body, face: FaceName, frame: Frame) -> list[Region]:
    """The regions of all flat faces of a name, in the coordinates of a frame on them."""
    flat = body.folded.prisms() if body.folded is not None else body.prisms
    mine = [prism for prism in flat if face in (prism.start, prism.end)]
    if mine:
        return [level.region for prism in mine if (level := in_frame(prism, frame)) is not None]
    from .occ import flat_sections

    return flat_sections.regions_named(body.solid(), face, frame)


def thickness_under(body: Body, face: FaceName, frame: Frame) -> float:
    """How far the material reaches straight under the origin of a frame on a face, mm."""
    flat = body.folded.prisms() if body.folded is not None else body.prisms
    for prism in flat:
        if face in (prism.start, prism.end) and abs(dot(prism.frame.normal, frame.normal)) > 0.5:
            level = in_frame(prism, frame)
            if level is not None and polygon_of(level.region.outer).covers(Point(0.0, 0.0)):
                return prism.height
    from .occ import flat_sections

    return flat_sections.depth_under(body.solid(), frame)


def _until(curves: Iterable[Curve], way: tuple[float, float]) -> float:
    """How far it is along a direction to the first of the curves, mm."""
    ray = Span(Segment((0.0, 0.0), way))
    meets: Sequence[float] = [
        share * _FAR for curve in curves for share, _ in crossings(ray, Span(curve))
    ]
    beyond = [distance for distance in meets if distance > _ON]
    return min(beyond, default=0.0) if meets else math.nan
