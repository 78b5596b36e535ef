"""What is read off bodies of any kind: distances, angles, radii, clearances."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from .body import Body
from .figures import CannotBe
from .frame import Frame, Vector, dot
from .naming import FaceName
from .operations import as_triangles

if TYPE_CHECKING:
    from OCP.TopoDS import TopoDS_Shape


def nearest(
    body: Body, one: FaceName | Vector, other: Body, two: FaceName | Vector
) -> tuple[Vector, Vector]:
    """The two points, mm, nearest to each other of two faces, or of a point and a face.

    Raises:
        ValueError: where the kernel finds none.
        CannotBe: where a face is asked for that is all of a free form.
    """
    from .occ import measure

    return measure.nearest(_shape(body, one), _shape(other, two))


def angle(body: Body, face: FaceName, other: Body, other_face: FaceName) -> float:
    """The angle between two flat faces in degrees, from 0 where they lie level to 90 where they
    stand square.

    Raises:
        ValueError: where one is not flat.
    """
    from .occ import measure

    if body.meshed is None and other.meshed is None:
        return measure.angle(body.solid(), face, other.solid(), other_face)
    a, b = (
        _flat(one, name).normal if one.meshed is not None else measure.normal_at(one.solid(), name)
        for one, name in ((body, face), (other, other_face))
    )
    return math.degrees(math.acos(min(1.0, abs(dot(a, b)))))


def radius(body: Body, name: FaceName) -> float:
    """The radius of a round face, mm: of a cylinder or a ball, of a ring's tube.

    Raises:
        ValueError: where the face is not round.
        OnlyTriangles: where no exact surface is known of it.
    """
    from .occ import measure

    return measure.radius(body.solid(), name)


def clearance(body: Body, other: Body) -> float:
    """The shortest distance between two bodies, mm; 0 where they touch or overlap.

    Raises:
        ValueError: where the kernel finds none.
    """
    if body.meshed is not None or other.meshed is not None:
        (low, high), (other_low, other_high) = body.box(), other.box()
        far = math.dist(low, other_low) + math.dist(low, high) + math.dist(other_low, other_high)
        return float(as_triangles(body).solid.min_gap(as_triangles(other).solid, far))
    from .occ import measure

    return measure.clearance(body.solid(), other.solid())


def _shape(body: Body, spot: FaceName | Vector) -> TopoDS_Shape:
    """A point, or the faces of a name; of a free form they are known where they are flat."""
    from .occ import measure

    if not isinstance(spot, FaceName):
        return measure.spot(spot)
    if body.meshed is None:
        return measure.faces_named(body.solid(), spot)
    frame = _flat(body, spot)
    return measure.flat_faces(body.meshed.regions_of(spot, frame), frame)


def _flat(body: Body, name: FaceName) -> Frame:
    """The plane of a flat face of a free form, as it is: the frames of a body that is stretched for
    a machine stay those of the design.

    Raises:
        CannotBe: where it is none.
    """
    frame = body.meshed.plane_of(name) if body.meshed is not None else None
    if frame is None:
        raise CannotBe(
            f"The {name.words()} is no flat face, and of a free form no other is measured.",
            "Pick flat faces, corners or middles of edges.",
        )
    return frame
