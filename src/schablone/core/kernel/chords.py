"""The room that there is on a flat face around a point of it, and the thickness under that."""

from __future__ import annotations

from dataclasses import dataclass

from shapely.geometry import Point

from ..sketch.crossing import Span, crossings
from ..sketch.curves import Segment
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..sketch.regions import Region, polygon_of
from .body import Body
from .frame import Frame, dot
from .naming import FaceName

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
        """Room along the chord, mm."""
        return self.left + self.right

    @property
    def across(self) -> float:
        """Room across it, mm."""
        return self.near + self.far


def room_on(body: Body, face: FaceName, frame: Frame) -> Room:
    """The room around the origin of a frame that lies on a face, along its x and y: to the nearest
    edge there, be it that of a hole.

    Raises:
        NotOnFace: where the origin is none of the face's points.
    """
    region, at, x, y = _lying_on(body, face, frame)
    left, right, near, far = (
        _until(region, at, way) for way in ((-x[0], -x[1]), x, (-y[0], -y[1]), y)
    )
    return Room(left, right, near, far, thickness_under(body, face, frame))


def _lying_on(body: Body, face: FaceName, frame: Frame) -> tuple[Region, XY, XY, XY]:
    """The region of a face that the origin of a frame on it lies in; and in that region's own
    coordinates the origin, and the frame's x and y.

    Raises:
        NotOnFace: where it lies in none.
    """
    regions = _regions_of(body, face, frame)
    if not regions:
        raise NotOnFace("it is not there any more")
    in_opening = False
    for region, plane in regions:
        u, v, _ = plane.coordinates(frame.origin)
        origin = Point(u, v)
        if not polygon_of(region.outer).covers(origin):
            continue
        spot = Loop((Segment((u, v), (u, v)),))
        if any(polygon_of(hole).contains(origin) for hole in region.holes_near([spot], 1e-6)):
            in_opening = True
            continue
        x, y = ((dot(way, plane.x), dot(way, plane.y)) for way in (frame.x, frame.y))
        return region, (u, v), x, y
    raise NotOnFace("it lies in an opening of it" if in_opening else "it lies beyond its edge")


def _regions_of(body: Body, face: FaceName, frame: Frame) -> list[tuple[Region, Frame]]:
    """The regions of all flat faces of a name, each with the frame that it is given in."""
    flat = body.folded.prisms() if body.folded is not None else body.prisms
    mine = [prism for prism in flat if face in (prism.start, prism.end)]
    if mine and not any(prism.inset for prism in mine):
        return [(prism.region, prism.frame) for prism in mine]
    if body.meshed is not None:
        return [(region, frame) for region in body.meshed.regions_of(face, frame)]
    from .occ import flat_sections

    return [(one, frame) for one in flat_sections.regions_named(body.solid(), face, frame)]


def thickness_under(body: Body, face: FaceName, frame: Frame) -> float:
    """How far the material reaches straight under the origin of a frame on a face, mm."""
    flat = body.folded.prisms() if body.folded is not None else body.prisms
    for prism in flat:
        if face in (prism.start, prism.end) and abs(dot(prism.frame.normal, frame.normal)) > 0.5:
            u, v, _ = prism.frame.coordinates(frame.origin)
            if polygon_of(prism.region.outer).covers(Point(u, v)):
                return prism.height
    if body.meshed is not None:
        return body.meshed.depth_under(frame)
    from .occ import flat_sections

    return flat_sections.depth_under(body.solid(), frame)


def _until(region: Region, at: XY, way: XY) -> float:
    """How far it is from a point of a region along a direction of length 1 to its edge, mm: its
    outline, or that of a hole."""
    end = (at[0] + way[0] * _FAR, at[1] + way[1] * _FAR)
    line = Segment(at, end)
    ray = Span(line)
    loops = [region.outer, *region.holes_near([Loop((line,))], _ON)]
    meets = [
        share * _FAR
        for loop in loops
        for curve in loop.curves
        for share, _ in crossings(ray, Span(curve))
    ]
    return min((distance for distance in meets if distance > _ON), default=0.0)
