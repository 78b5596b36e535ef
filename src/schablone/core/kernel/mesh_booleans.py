"""Bodies of triangles put together: added, cut, what they have in common.

Faces keep their names."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from manifold3d import Manifold, OpType
from shapely.geometry import MultiPolygon, Polygon
from shapely.geometry.base import BaseGeometry

from ..sketch.regions import Region
from .figures import CannotBe, NoEffect
from .frame import Frame
from .mesh_pieces import pieces_of
from .meshed import Meshed, loop_of
from .naming import FaceName
from .prism import Prism

_KINDS = {"add": OpType.Add, "cut": OpType.Subtract, "common": OpType.Intersect}
#: Pieces below this volume, mm³, are what rounding leaves.
_NO_VOLUME = 1e-6
#: What lies within this of where something starts, mm, begins there.
_AT = 1e-6
#: Shadows that overlap by less, mm², lie beside each other.
_NO_AREA = 1e-3


def put_together(body: Meshed, operation: str, others: Sequence[Meshed]) -> Meshed | None:
    """A body with others added or cut, or what it has in common with all of them together, in one
    operation; None where nothing is left.

    Raises:
        CannotBe: where one of them does not close.
    """
    _must_close([body, *others])
    rest = [one.solid for one in others]
    tools = Manifold.batch_boolean(rest, OpType.Add) if len(rest) > 1 else rest[0]
    outcome = Manifold.batch_boolean([body.solid, tools], _KINDS[operation])
    made = _without_crumbs(_named(outcome, [body, *others]))
    return made if len(made.triangles) else None


def _must_close(pieces: Sequence[Meshed]) -> None:
    """Of what does not close, the library makes nothing, and says no word."""
    if not all(one.is_sound() for one in pieces):
        raise CannotBe(
            "The triangles of this step do not close to a solid, so that nothing can be made of "
            "them together with a free form.",
            "Look for faces or edges that only just touch, and for very thin places.",
        )


def _named(outcome: Manifold, origins: Sequence[Meshed]) -> Meshed:
    """What the library made, with the names of what it was made of."""
    known = {one.mark: one for one in origins}
    net = outcome.to_mesh64()
    number: dict[FaceName, int] = {}
    face_of = np.empty(len(net.tri_verts), dtype=np.int32)
    bounds = np.asarray(net.run_index, dtype=np.int64) // 3
    for mark, start, end in zip(net.run_original_id, bounds[:-1], bounds[1:], strict=True):
        mine = np.asarray(net.face_id[start:end], dtype=np.int64)
        names = known[int(mark)].names
        table = np.zeros(len(names), dtype=np.int32)
        for k in np.unique(mine).tolist():
            table[k] = number.setdefault(names[k], len(number))
        face_of[start:end] = table[mine]
    return Meshed(
        np.ascontiguousarray(net.vert_properties[:, :3]),
        np.asarray(net.tri_verts, dtype=np.int32),
        face_of,
        tuple(number),
    )


def _without_crumbs(made: Meshed) -> Meshed:
    """A body without pieces that only rounding leaves; hollows within it are pieces as well."""
    if not len(made.triangles):
        return made
    pieces, label = pieces_of(made)
    if pieces == 1:
        return made
    p, q, r = (made.points[made.triangles[:, k]] - made.points[0] for k in range(3))
    six = np.einsum("ij,ij->i", p, np.cross(q, r))
    of = label[made.triangles[:, 0]]
    whole = np.abs(np.bincount(of, six, pieces)) / 6 > _NO_VOLUME
    kept = whole[of]
    return made if kept.all() else made.only(kept)


def up_to_next(body: Meshed, operation: str, tool: Meshed, frame: Frame, far: float) -> Meshed:
    """As much of a raised tool as goes to the next face of a body: added, it fills up to the first
    material; cut, it goes through the first that it meets and no further.

    The tool starts at a frame and goes along its normal, to ``far`` mm.

    Raises:
        NoEffect: where there is no face on the way.
        CannotBe: where one of them does not close.
    """
    _must_close([tool, body])
    outcome = tool.solid - body.solid if operation == "add" else tool.solid ^ body.solid
    normal, origin = np.array(frame.normal), np.array(frame.origin)
    pieces = []
    for piece in outcome.decompose():
        if piece.volume() <= _NO_VOLUME:
            continue  # a crumb, or an island of the part within the tool
        high = (np.asarray(piece.to_mesh64().vert_properties)[:, :3] - origin) @ normal
        if high.max() > _AT:
            pieces.append((float(high.min()), float(high.max()), piece))
    if operation == "add":
        pieces = [one for one in pieces if one[0] <= _AT]
        if not pieces:
            raise NoEffect("it begins inside of the part")
        if any(top >= far - _AT for _, top, _ in pieces):
            raise NoEffect("there is no face on the way that stops all of it")
        chosen = [piece for _, _, piece in pieces]
    else:
        chosen = _first_met(sorted(pieces, key=lambda one: one[0]), frame)
    if not chosen:
        raise NoEffect("it meets no material")
    return _named(Manifold.batch_boolean(chosen, OpType.Add), [tool, body])


def _first_met(pieces: Sequence[tuple[float, float, Manifold]], frame: Frame) -> list[Manifold]:
    """Of pieces, the lowest first, those that nothing else lies before."""
    rows = np.array([[*way, 0.0] for way in (frame.x, frame.y, frame.normal)])
    parts: list[Manifold] = []
    covered: BaseGeometry = MultiPolygon()
    for _, _, piece in pieces:
        shadow = _shadow(piece.transform(rows))
        if not covered.is_empty and covered.intersection(shadow).area > _NO_AREA:
            continue
        parts.append(piece)
        covered = covered.union(shadow)
    return parts


def _shadow(piece: Manifold) -> BaseGeometry:
    """What a piece covers, seen along z, without its holes."""
    shadow: BaseGeometry = MultiPolygon()
    for ring in piece.project().to_polygons():
        if len(ring) > 2:
            shadow = shadow.union(Polygon(ring).buffer(0))
    return shadow


def beyond(body: Meshed, plane: Frame, name: FaceName) -> Prism:
    """What lies on the far side of a plane, as far as a body reaches: a prism whose faces all bear
    one name."""
    axes = np.array([plane.x, plane.y, plane.normal])
    points = (body.points - np.array(plane.origin)) @ axes.T
    (x0, y0, _), (x1, y1, high) = (
        (points.min(axis=0) - 1).tolist(),
        (points.max(axis=0) + 1).tolist(),
    )
    outline = loop_of(np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)]))
    sides = {curve.name: name for curve in outline.curves}
    return Prism(plane, Region(outline), 0.0, max(high, 1.0), name, name, sides)
