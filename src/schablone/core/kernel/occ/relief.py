"""Inner corners of flat parts relieved for a round cutter, or left round by it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.TopoDS import TopoDS_Edge

from ...sketch.regions import Region
from ...sketch.shapes import circle
from ..frame import Frame, Vector, add, as_vector, cross, dot
from ..naming import FaceName
from ..prism import Prism
from .change import edges_of, rounded
from .combine import combine
from .flat_sections import corners_of, slabs
from .measure import normals_beside, sinks
from .solids import Solid

#: Ends of edges and levels that differ by less than this, mm, are the same.
_SAME = 1e-6


@dataclass(frozen=True, slots=True)
class _Corner:
    """An inner corner: its edge, from ``low`` to ``high`` along the way through the sheet, its
    middle, the outward normals beside it, whether the first of its faces is the longer one, and its
    kind: ``notch`` in the outline, corner of an ``opening``, or of a ``pocket`` that does not go
    through."""

    edge: TopoDS_Edge
    low: float
    high: float
    middle: Vector
    one: Vector
    other: Vector
    kind: str
    longer: bool


def relieved(
    solid: Solid, through: Vector, thickness: float, cutter: float, how: Mapping[str, str]
) -> Solid | None:
    """The solid with its inner corners relieved, by their kind (see :func:`.flat.relieved`); None
    where none is. ``through`` is a direction of length 1, ``thickness`` and the diameter of the
    ``cutter`` are in mm."""
    corners = [
        corner
        for corner in _corners(solid, through, thickness, how)
        if how.get(corner.kind, "none") != "none"
    ]
    if not corners:
        return None
    cut = [corner for corner in corners if how[corner.kind] != "radius"]
    rounds = [corner for corner in corners if how[corner.kind] == "radius"]
    if rounds:
        named = [
            (corner.edge, FaceName("relief", "round", "", (k,)))
            for k, corner in enumerate(rounds, 1)
        ]
        solid = rounded(solid, named, cutter / 2)
    if not cut:
        return solid
    low, high = _reach(solid, through)
    tools = [
        _round_cut(corner, through, cutter, how[corner.kind], k, (low, high, thickness))
        for k, corner in enumerate(cut, 1 + len(rounds))
    ]
    return combine(solid, "cut", tools)


def _corners(
    solid: Solid, through: Vector, thickness: float, how: Mapping[str, str]
) -> list[_Corner]:
    """All inner corners. Those of openings and of the outline are told apart, which takes a section
    of the whole, only where something else is done to them."""
    corners: list[_Corner] = []
    lengths = _lengths(solid, through)
    alike = how.get("opening") == how.get("notch")
    inner_loops: list[tuple[float, float, Region, Frame]] | None = None
    for edge in edges_of(solid):
        if edge.direction is None or abs(abs(dot(edge.direction, through)) - 1) >= 1e-9:
            continue
        beside = normals_beside(edge)
        if beside is None or abs(dot(*beside)) >= 1 - 1e-9 or not sinks(edge):
            continue
        ends = _ends(edge.edge)
        middle = as_vector((a + b) / 2 for a, b in zip(*ends, strict=True))
        low, high = sorted(dot(end, through) for end in ends)
        if high - low > thickness - _SAME and alike:
            kind = "notch"
        elif high - low > thickness - _SAME:
            if inner_loops is None:
                inner_loops = [
                    (p.low, p.high, p.region, p.frame)
                    for p in slabs(solid, through)
                    if p.region.holes
                ]
            kind = "opening" if _on_a_hole(middle, inner_loops) else "notch"
        else:
            kind = "pocket"
        longer = lengths[edge.between[0]] >= lengths[edge.between[1]]
        corners.append(_Corner(edge.edge, low, high, middle, *beside, kind, longer))
    return corners


def _on_a_hole(spot: Vector, slabs_: list[tuple[float, float, Region, Frame]]) -> bool:
    """Whether a spot is a corner of the outline of an opening at its height."""
    for low, high, region, frame in slabs_:
        u, v, w = frame.coordinates(spot)
        if low - _SAME <= w <= high + _SAME and any(
            math.dist(curve.start, (u, v)) < 1e-4 for hole in region.holes for curve in hole.curves
        ):
            return True
    return False


def _reach(solid: Solid, through: Vector) -> tuple[float, float]:
    """From where to where the solid reaches along the way through it."""
    heights = [dot(spot, through) for spot in corners_of(solid.shape)]
    return min(heights), max(heights)


def _round_cut(
    corner: _Corner,
    through: Vector,
    cutter: float,
    how: str,
    number: int,
    reach: tuple[float, float, float],
) -> Prism:
    """What a round cutter takes away beside a corner. It goes on beyond the faces of the sheet, but
    not into a floor."""
    low, high, beyond = reach
    along = [_within(corner.one, corner.other), _within(corner.other, corner.one)]
    # Along a face is across the other one: the face that lies along the longer way goes first.
    way = add(corner.one, corner.other) if how == "corner" else along[0 if corner.longer else 1]
    centre = add(corner.middle, way, cutter / 2 / math.sqrt(dot(way, way)))
    side = cross(through, corner.one)
    frame = Frame(
        centre,
        corner.one,
        side if dot(cross(corner.one, side), through) > 0 else (-side[0], -side[1], -side[2]),
    )
    middle = dot(corner.middle, through)
    from_, to = corner.low - middle, corner.high - middle
    region = Region(circle("round", 0.0, 0.0, cutter))
    return Prism(
        frame,
        region,
        from_ - beyond if corner.low < low + _SAME else from_,
        to + beyond if corner.high > high - _SAME else to,
        FaceName("relief", "start", "", (number,)),
        FaceName("relief", "end", "", (number,)),
        {"round": FaceName("relief", "wall", "", (number,))},
    )


def _within(face: Vector, way: Vector) -> Vector:
    flat = add(way, face, -dot(way, face))
    size = math.sqrt(dot(flat, flat))
    return (flat[0] / size, flat[1] / size, flat[2] / size)


def _lengths(solid: Solid, through: Vector) -> dict[FaceName, float]:
    """How far each face reaches across the way through the sheet: the distance of its corners, seen
    along that way."""
    lengths: dict[FaceName, float] = {}
    for face, name in zip(solid.faces(), solid.names, strict=True):
        flat = [add(spot, through, -dot(spot, through)) for spot in corners_of(face)]
        lengths[name] = (
            max((math.dist(a, b) for a in flat for b in flat), default=0.0)
            if len(flat) < 50
            else math.inf
        )
    return lengths


def _ends(edge: TopoDS_Edge) -> tuple[Vector, Vector]:
    curve = BRepAdaptor_Curve(edge)
    a, b = curve.Value(curve.FirstParameter()), curve.Value(curve.LastParameter())
    return (a.X(), a.Y(), a.Z()), (b.X(), b.Y(), b.Z())
