"""Places of a part that are thinner than what the machine makes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping

import numpy as np
from shapely import STRtree, make_valid, union_all
from shapely.geometry import LinearRing, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import nearest_points

from ..design.rebuild import Rebuilt
from ..design.treat import cuts
from ..kernel.body import Body
from ..kernel.flat import NotFlat, flat_outline
from ..kernel.mesh import Mesh
from ..kernel.slices import section
from ..process.model import Process
from ..quantity import plain
from .finding import Finding

#: What was found of bodies by key: looking takes longer than most edits may.
_LOOKED_AT: dict[tuple[str, float, bool], tuple[float, float, float] | None] = {}
_MOST_KEPT = 200
#: Chord tolerance of the mesh that is looked at, mm, and at how many heights.
_TOLERANCE = 0.03
_HEIGHTS = 8
#: A tip narrows to nothing; it is thin where it does so over a length of this many times what the
#: machine makes.
_TIP = 3.0


def thin_places(
    built: Rebuilt,
    meshes: Mapping[str, Mesh] | None = None,
    alive: Callable[[], bool] = lambda: True,
) -> list[Finding]:
    """Whether every wall and web is as thick as the smallest feature that the machine makes.

    Cut parts are looked at in their sheet, printed ones in level sections at up to eight heights.
    ``meshes`` of parts are used where they are there already; once ``alive`` says no, the rest is
    not looked at and nothing is said.
    """
    return [
        f
        for machine, bodies in built.by_machine()
        for f in _thin_on(machine, bodies, built, meshes or {}, alive)
    ]


def _thin_on(
    process: Process,
    bodies: Mapping[str, Body],
    built: Rebuilt,
    meshes: Mapping[str, Mesh],
    alive: Callable[[], bool],
) -> list[Finding]:
    if process.smallest <= 0 or not bodies:
        return []
    title = f"Nothing is thinner than {plain(process.smallest, 2)} mm"
    for name, body in bodies.items():
        key = (built.keys[name], process.smallest, cuts(process))
        if key not in _LOOKED_AT:
            while len(_LOOKED_AT) > _MOST_KEPT:
                _LOOKED_AT.pop(next(iter(_LOOKED_AT)))
            looked = _thin_place(body, process, meshes.get(name), alive)
            if not alive():
                return []
            _LOOKED_AT[key] = looked
        spot = _LOOKED_AT[key]
        if spot is not None:
            x, y, z = (plain(round(c, 1) + 0.0, 1) for c in spot)
            why = f"{name} is thinner at x {x}, y {y}" + (
                " mm." if cuts(process) else f", z {z} mm."
            )
            hint = (
                f"{process.name} makes nothing thinner: thicken the place, or take another machine."
            )
            return [Finding(title, False, why, hint, False, "part", name)]
    return [Finding(title, True, f"the smallest that {process.name} makes")]


def _thin_place(
    body: Body, process: Process, mesh: Mesh | None, alive: Callable[[], bool]
) -> tuple[float, float, float] | None:
    for z, polygons in _flat(body) if cuts(process) else _outlines(mesh or body.mesh(_TOLERANCE)):
        if not alive():
            return None
        spot = thinner(polygons, process.smallest)
        if spot is not None:
            return (*spot, z)
    return None


def _flat(body: Body) -> Iterator[tuple[float, list[Polygon]]]:
    try:
        regions = flat_outline(body)
    except NotFlat:
        return
    # Chords of outlines that all but touch may cross.
    outlines = [make_valid(r.polygon(0.01)) for r in regions]
    whole = union_all(outlines)
    yield 0.0, [piece for piece in getattr(whole, "geoms", [whole]) if isinstance(piece, Polygon)]


def _outlines(mesh: Mesh) -> Iterator[tuple[float, list[Polygon]]]:
    """Level sections of a part, midway between heights at which it changes, or evenly where it
    changes all along."""
    triangles = mesh.points[mesh.triangles].astype(np.float64)
    levels = np.unique(np.round(triangles[:, :, 2], 3))
    middles = ((levels[:-1] + levels[1:]) / 2)[np.diff(levels) > 0.05]
    if len(middles) > _HEIGHTS:
        middles = middles[np.linspace(0, len(middles) - 1, _HEIGHTS).round().astype(int)]
    for z in middles.tolist():
        yield z, section(triangles, z)


def thinner(polygons: Iterable[Polygon], than: float) -> tuple[float, float] | None:
    """A place where outlines are thinner than a width in mm, or None.

    A round brush of that width is led around inside. Where its middle cannot get from one part of
    the outline to another, or around a hole, there is a web that is too thin (the erosion has
    another topology); what it leaves unpainted over a length (the opening) is a fin. Serra, Image
    Analysis and Mathematical Morphology, 1982.
    """
    brush = than / 2 - 1e-3
    for polygon in polygons:
        eroded = polygon.buffer(-brush, quad_segs=16)
        parts = [part for part in getattr(eroded, "geoms", [eroded]) if not part.is_empty]
        if not parts:
            spot = polygon.representative_point()
            return (spot.x, spot.y)
        if len(parts) > 1:
            return _between(parts[0], union_all(parts[1:]))
        if len(parts[0].interiors) != len(polygon.interiors):
            return _nearest_rings([polygon.exterior, *polygon.interiors], than)
        rest = polygon.difference(eroded.buffer(brush + 2e-3, quad_segs=16))
        for piece in getattr(rest, "geoms", [rest]):
            if not piece.is_empty and _length(piece) > _TIP * than:
                spot = piece.representative_point()
                return (spot.x, spot.y)
    return None


def _between(one: BaseGeometry, other: BaseGeometry) -> tuple[float, float]:
    """The middle of the shortest line from one to the other."""
    p, q = nearest_points(one, other)
    return ((p.x + q.x) / 2, (p.y + q.y) / 2)


def _nearest_rings(rings: list[LinearRing], within: float) -> tuple[float, float]:
    """The middle between the two rings that come nearest to each other."""
    first, second = STRtree(rings).query(rings, "dwithin", within)
    pairs = [
        (rings[i].distance(rings[j]), i, j)
        for i, j in zip(first.tolist(), second.tolist(), strict=True)
        if i < j
    ]
    _, i, j = min(pairs)
    return _between(rings[i], rings[j])


def _length(piece: BaseGeometry) -> float:
    """The longer side of the least rectangle around a piece."""
    corners = np.array(piece.minimum_rotated_rectangle.exterior.coords)
    return float(np.hypot(*np.diff(corners[:3], axis=0).T).max())
