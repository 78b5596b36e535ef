"""How a piece of design sits in the part that it is put into: what of it goes over the edge of its
face, meets other openings, or comes out elsewhere; and how far, mm.

Worked out on meshes, by the library that booleans are reckoned again with; so figures hold to some
hundredths of a millimetre.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely
from manifold3d import Manifold, OpType
from numpy.typing import NDArray
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from .body import Body
from .frame import Frame, as_vector, dot
from .mesh import Mesh, mesh_of_prism
from .naming import FaceName
from .prism import Prism
from .second import manifold_of
from .tools import ToNext, Tool, TurnedToNext

Floats = NDArray[np.float64]

#: What is looked at lies this far below a face, mm: chords and what lies flush count for nothing.
_SKIN = 0.03
#: The least area, mm², and volume, mm³, that count.
_AREA, _VOLUME = 0.02, 0.01


@dataclass(frozen=True, slots=True)
class Deed:
    """What a step does: tools that it adds or cuts, whether it is to go through everything."""

    cut: bool
    tools: Sequence[Tool]
    through: bool = False


@dataclass(frozen=True, slots=True)
class Slip:
    """Where something sits ill: it goes ``over`` the edge of its face, ``meets`` another opening,
    or comes ``out`` of another face; how far, mm, and which face that is."""

    how: Literal["over", "meets", "out"]
    by: float
    face: FaceName | None


def slips(
    body: Body,
    face: FaceName,
    frames: Sequence[Frame],
    deeds: Sequence[Deed],
    over_edge: bool = False,
) -> list[Slip]:
    """How what is done to a body sits in it: what stands on a face, in the frames of its anchors,
    which may lie on others as well where it is mirrored. With ``over_edge`` it may go over the
    edge.

    What stops at a face of the part by itself, and what is no tool, is not looked at.
    """
    mesh = body.mesh()
    planes: list[Frame] = []
    for frame in frames:
        if not any(_level(frame, known) for known in planes):
            planes.append(frame)
    ill: list[Slip] = []
    for k, plane in enumerate(planes):
        mine = [
            Deed(
                deed.cut,
                [tool for tool in deed.tools if _plane_of(tool, planes) == k],
                deed.through,
            )
            for deed in deeds
        ]
        level = [name for name, own in body.frames.items() if _level(own, plane)]
        on = face if k == 0 or not level else level[0]
        ill += _on_plane(mesh, body.frames.keys(), on, plane, mine, over_edge)
    return _worst(ill)


def _level(a: Frame, b: Frame) -> bool:
    """Whether two frames lie in one plane and look the same way."""
    return math.dist(a.normal, b.normal) < 1e-9 and abs(a.coordinates(b.origin)[2]) < 1e-6


def _plane_of(tool: Tool, planes: Sequence[Frame]) -> int:
    """The number of the plane that a tool begins at."""
    if len(planes) == 1:
        return 0
    corners = [as_vector(one) for one in itertools.product(*zip(*tool.bounds(), strict=True))]
    above = [max(plane.coordinates(corner)[2] for corner in corners) for plane in planes]
    return min(range(len(planes)), key=lambda k: abs(above[k]))


def _on_plane(
    mesh: Mesh,
    flat: Collection[FaceName],
    face: FaceName,
    frame: Frame,
    deeds: Iterable[Deed],
    over_edge: bool,
) -> list[Slip]:
    host = _in(frame, mesh)
    if host is None:
        return []
    there = host.slice(-_SKIN)
    ground = _polygons(there)
    whole = shapely.union_all([Polygon(one.exterior) for one in ground.geoms])
    ill: list[Slip] = []
    for deed in deeds:
        made = [solid for tool in deed.tools if (solid := plan_of(tool, frame)) is not None]
        if not made:
            continue
        tools = Manifold.batch_boolean(made, OpType.Add) if len(made) > 1 else made[0]
        stands = _polygons(tools.slice(-_SKIN if deed.cut else _SKIN))
        ill += _on_face(stands, ground, whole, mesh, frame, face, over_edge)
        if deed.cut and not deed.through:
            ill += _beneath(tools, host, whole, mesh, frame, flat)
    return ill


def plan_of(tool: Tool, frame: Frame) -> Manifold | None:
    """A tool as a mesh in the coordinates of a frame; None for what stops at the part by itself."""
    inner = getattr(tool, "tool", tool)
    if isinstance(inner, (ToNext, TurnedToNext)):
        return None
    if isinstance(tool, Prism):
        return _in(frame, mesh_of_prism(tool))
    from . import occ
    from .occ import meshing

    return _in(frame, meshing.mesh_of(occ.solid_of_tool(tool), 0.01))


def _in(frame: Frame, mesh: Mesh) -> Manifold | None:
    """A mesh in the coordinates of a frame."""
    solid = manifold_of(mesh)
    if solid is None:
        return None
    x, y, n, o = frame.x, frame.y, frame.normal, frame.origin
    rows = [[*way, -dot(way, o)] for way in (x, y, n)]
    return solid.transform(np.array(rows))


def _polygons(section: Any) -> MultiPolygon:
    """A section as polygons with their holes: outlines that run round the other way are holes."""
    rings = [np.asarray(ring) for ring in section.to_polygons() if len(ring) > 2]
    turns = np.array([_signed(ring) for ring in rings])
    shells = [Polygon(rings[k]) for k in np.nonzero(turns > 0)[0]]
    areas = MultiPolygon(_with_holes(shells, [rings[k] for k in np.nonzero(turns <= 0)[0]]))
    if not areas.is_valid:  # where outlines touch
        areas = _one_by_one([rings[k] for k in np.argsort(-np.abs(turns), kind="stable")])
    return MultiPolygon([one for one in areas.geoms if one.area > 1e-9])


def _with_holes(shells: Sequence[Polygon], holes: Sequence[Floats]) -> list[Polygon]:
    """Areas with each hole in the smallest of those that it lies in."""
    if not holes:
        return list(shells)
    spots = shapely.point_on_surface([Polygon(ring) for ring in holes])
    sizes = shapely.area(shells)
    inside: dict[int, list[Floats]] = {}
    home: dict[int, int] = {}
    for hole, shell in shapely.STRtree(shells).query(spots, predicate="within").T.tolist():
        if hole not in home or sizes[shell] < sizes[home[hole]]:
            home[hole] = shell
    for hole, shell in home.items():
        inside.setdefault(shell, []).append(holes[hole])
    return [Polygon(one.exterior, inside.get(k, ())) for k, one in enumerate(shells)]


def _one_by_one(rings: Sequence[Floats]) -> MultiPolygon:
    """The same for outlines that touch or cross, from the largest on."""
    filled: BaseGeometry = MultiPolygon()
    for ring in rings:
        piece = shapely.make_valid(Polygon(ring))
        filled = filled.union(piece) if _signed(ring) > 0 else filled.difference(piece)
    pieces = [one for one in getattr(filled, "geoms", [filled]) if isinstance(one, Polygon)]
    return MultiPolygon(pieces)


def _signed(ring: Floats) -> float:
    x, y = ring[:, 0], ring[:, 1]
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2


def _on_face(
    stands: MultiPolygon,
    ground: MultiPolygon,
    whole: BaseGeometry,
    mesh: Mesh,
    frame: Frame,
    face: FaceName,
    over_edge: bool,
) -> list[Slip]:
    """What stands over the edge of the face, or over an opening in it."""
    ill = []
    beyond = stands.difference(whole)
    if not over_edge and beyond.area > _AREA:
        by, at = _farthest(beyond, whole)
        ill.append(Slip("over", by, _beside(mesh, frame, face, at)))
    holes = stands.intersection(whole.difference(ground))
    if holes.area > _AREA:
        by, at = _farthest(holes, ground)
        ill.append(Slip("meets", by, _beside(mesh, frame, face, at)))
    return ill


def _farthest(outside: BaseGeometry, inside: BaseGeometry) -> tuple[float, tuple[float, float]]:
    """How far points of one area lie from another at most, and the point: of those along its
    outline, and the middles of what is wide in it."""
    long = max(math.sqrt(outside.area) / 40, 1e-3)
    spots = [shapely.get_coordinates(shapely.segmentize(outside, long))]
    for piece in getattr(outside, "geoms", [outside]):
        if piece.area > 0:
            spots.append(shapely.get_coordinates(shapely.maximum_inscribed_circle(piece))[:1])
    points = shapely.points(np.concatenate(spots))
    away = shapely.distance(points, inside)
    k = int(np.argmax(away))
    return float(away[k]), (float(points[k].x), float(points[k].y))


def _beside(mesh: Mesh, frame: Frame, face: FaceName, at: tuple[float, float]) -> FaceName | None:
    """The face on the other side of the edge of a face that is nearest to a point of its plane."""
    there = np.array(frame.at(*at))
    best: tuple[float, FaceName] | None = None
    for line, (a, b) in zip(mesh.edges, mesh.edge_faces, strict=True):
        pair = (mesh.faces[a], mesh.faces[b])
        if face not in pair or pair[0] == pair[1]:
            continue
        away = _to_line(there, np.asarray(line))
        if best is None or away < best[0]:
            best = away, pair[1] if pair[0] == face else pair[0]
    return best[1] if best is not None else None


def _to_line(point: Floats, line: Floats) -> float:
    """How far a point is from a polyline, mm."""
    a, d = line[:-1], np.diff(line, axis=0)
    long = np.maximum((d * d).sum(axis=1), 1e-18)
    t = np.clip(((point - a) * d).sum(axis=1) / long, 0.0, 1.0)
    return float(np.linalg.norm(a + t[:, None] * d - point, axis=1).min())


def _beneath(
    tools: Manifold,
    host: Manifold,
    whole: BaseGeometry,
    mesh: Mesh,
    frame: Frame,
    flat: Collection[FaceName],
) -> list[Slip]:
    """Where a cut of a depth comes out of the material below the face."""
    air = (tools - host).trim_by_plane((0.0, 0.0, -1.0), _SKIN)
    ill = []
    for piece in air.decompose():
        low, high = (np.array(piece.bounding_box()[k : k + 3]) for k in (0, 3))
        size = high - low
        if piece.volume() < _VOLUME or size.min() < _SKIN:
            continue
        points = np.asarray(piece.to_mesh().vert_properties, dtype=np.float64)[:, :3]
        if (
            high[2] > -2 * _SKIN
            or not whole.buffer(-_SKIN).intersects(shapely.points(points[:, :2]).reshape(-1)).any()
        ):
            continue  # it goes on from an opening or the edge of the face, which is told of that
        top = points[np.argmax(points[:, 2])]
        name, way = _nearest(mesh, np.array(frame.at(*map(float, top))))
        back = name in flat and way is not None and dot(as_vector(way), frame.normal) < -0.5
        by = float(size[2] if back else size.min())
        ill.append(Slip("out" if back else "meets", by, name))
    return ill


def _nearest(mesh: Mesh, at: Floats) -> tuple[FaceName | None, Floats | None]:
    """The face that a point lies on, and which way it looks there."""
    corners = mesh.points[mesh.triangles]
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    length = np.linalg.norm(normal, axis=1)
    normal = normal / np.maximum(length, 1e-18)[:, None]
    level = np.abs(((at - a) * normal).sum(axis=1))
    # Over the triangle itself, or as far beside it as it lies from the middle.
    inside = np.ones(len(a), dtype=bool)
    for p, q in ((a, b), (b, c), (c, a)):
        inside &= (np.cross(q - p, at - p) * normal).sum(axis=1) >= -1e-3 * length
    away = np.where(inside, level, np.linalg.norm(corners.mean(axis=1) - at, axis=1) + 1.0)
    if not len(away):
        return None, None
    k = int(np.argmin(away))
    return mesh.faces[int(mesh.face_of[k])], normal[k]


def _worst(ill: Sequence[Slip]) -> list[Slip]:
    """Of each kind and face the one that goes farthest."""
    best: dict[tuple[str, FaceName | None], Slip] = {}
    for slip in ill:
        key = (slip.how, slip.face)
        if key not in best or slip.by > best[key].by:
            best[key] = slip
    return sorted(best.values(), key=lambda slip: -slip.by if math.isfinite(slip.by) else -math.inf)
