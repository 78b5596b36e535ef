"""Triangles on single faces: flat ones by ear clipping, those of cylinders and cones by a zipper
between two lines around them, or as a flat area where they are unrolled. What was put on a face is
kept with it (:mod:`.kept`).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
import shapely
from numpy.typing import NDArray
from OCP.BRepTools import BRepTools_WireExplorer
from OCP.GeomAbs import GeomAbs_Cone, GeomAbs_Cylinder, GeomAbs_Plane
from OCP.gp import gp_Ax3
from OCP.TopAbs import TopAbs_REVERSED, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face
from shapely.geometry import Polygon

from ..frame import as_vector, cross
from ..triangles import signed_area, triangulate
from .edge_lines import line_of
from .endless import endless
from .kept import KeptByShape, as_drawn

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

#: So many bytes of triangles are kept.
_MOST_KEPT = 64_000_000
#: By so much, mm, and the share of its length, a line may lie beside the plane of the axis.
_UPRIGHT = 1e-6
#: How much longer an unrolled face is made around the axis than it is along it, so that triangles
#: prefer to stand upright.
_STRETCHED = 1e4
#: By how much more than the widest step along its outline a triangle may reach around the axis.
_REACH = 1.01


class NotSimple(Exception):
    """A face that is none of these."""


@dataclass(frozen=True, slots=True)
class Net:
    """Points (n, 3) of a face, those of its outline just as its edges have them; triangles (m, 3)
    of them, counter-clockwise seen from outside; and the normals (m, 3, 3) at their corners."""

    points: Floats
    triangles: Ints
    normals: NDArray[np.float32]

    @property
    def size(self) -> int:
        """Bytes."""
        return self.points.nbytes + self.triangles.nbytes + self.normals.nbytes


def _size_of(net: Net | None) -> int:
    """Bytes, with some for the face itself."""
    return 500 + (net.size if net is not None else 0)


#: What this process keeps.
KEPT: KeptByShape[Net | None] = KeptByShape(_MOST_KEPT, _size_of)


def net_of(face: TopoDS_Face, tolerance: float) -> Net:
    """The triangles of a face, chords within ``tolerance`` mm.

    Raises:
        NotSimple: where it is no such face.
    """
    flip = face.Orientation() == TopAbs_REVERSED
    drawn, shift = as_drawn(face)
    plain = TopoDS.Face_s(drawn)
    net = KEPT.get(plain, (flip, tolerance), lambda: _if_simple(plain, flip, tolerance))
    if net is None:
        raise NotSimple
    return net if shift is None else replace(net, points=net.points + shift)


def _if_simple(face: TopoDS_Face, flip: bool, tolerance: float) -> Net | None:
    try:
        return _made(face, flip, tolerance)
    except NotSimple:
        return None


def _made(face: TopoDS_Face, flip: bool, tolerance: float) -> Net:
    surface = endless(face)
    kind = surface.GetType()
    rings = _rings(face, tolerance)
    if kind == GeomAbs_Plane:
        return _flat(surface.Plane().Position(), rings, flip)
    if kind == GeomAbs_Cylinder:
        return _round(surface.Cylinder().Position(), 0.0, rings, flip)
    if kind == GeomAbs_Cone:
        return _round(surface.Cone().Position(), surface.Cone().SemiAngle(), rings, flip)
    raise NotSimple


def _rings(face: TopoDS_Face, tolerance: float) -> list[list[Floats]]:
    """The lines of the edges round each wire of a face, in their order."""
    rings = []
    wires = TopExp_Explorer(face, TopAbs_WIRE)
    while wires.More():
        ring = []
        walk = BRepTools_WireExplorer(TopoDS.Wire_s(wires.Current()), face)
        while walk.More():
            edge = walk.Current()
            line = line_of(edge, tolerance)
            if len(line) < 2:
                raise NotSimple
            ring.append(line[::-1] if edge.Orientation() == TopAbs_REVERSED else line)
            walk.Next()
        if not ring:
            raise NotSimple
        rings.append(ring)
        wires.Next()
    return rings


def _vectors(axes: gp_Ax3) -> tuple[Floats, Floats, Floats, Floats]:
    """Origin, x, y and the axis itself; y stands so that they are right-handed."""
    o, x, n = axes.Location(), axes.XDirection(), axes.Direction()
    ex, en = np.array([x.X(), x.Y(), x.Z()]), np.array([n.X(), n.Y(), n.Z()])
    return np.array([o.X(), o.Y(), o.Z()]), ex, np.cross(en, ex), en


def _flat(axes: gp_Ax3, rings: Sequence[Sequence[Floats]], flip: bool) -> Net:
    x, y = axes.XDirection(), axes.YDirection()
    basis = np.array([(x.X(), x.Y(), x.Z()), (y.X(), y.Y(), y.Z())])
    normal = np.cross(basis[0], basis[1]) * (-1.0 if flip else 1.0)
    outlines = [np.concatenate([line[:-1] for line in ring]) for ring in rings]
    flat = [outline @ basis.T for outline in outlines]
    order = np.argsort([-abs(signed_area(ring)) for ring in flat]).tolist()
    net = triangulate([flat[k] for k in order])
    triangles = np.ascontiguousarray(net[:, ::-1] if flip else net)
    points = np.concatenate([outlines[k] for k in order])
    normals = np.broadcast_to(normal.astype(np.float32), (len(triangles), 3, 3))
    return Net(points, triangles, normals)


# Faces round an axis


def _round(axes: gp_Ax3, lean: float, rings: Sequence[Sequence[Floats]], flip: bool) -> Net:
    """Triangles on a cylinder, or on a cone whose radius grows along its axis by the tangent of the
    angle ``lean`` (radians)."""
    o, ex, ey, up = _vectors(axes)
    corners = np.concatenate([line for ring in rings for line in ring]) - o
    corners -= np.outer(corners @ up, up)
    if (corners * corners).sum(axis=1).min() < _UPRIGHT**2:
        raise NotSimple  # the tip of a cone has no place around the axis
    if not axes.Direct():  # left-handed: the kernel's normal points to the axis
        flip = not flip
    net = _zipped(o, ex, ey, up, rings) if len(rings) <= 2 else None
    points, triangles = net or _unrolled(o, ex, ey, up, rings)
    d = points[triangles] - o
    radial = d - (d @ up)[..., None] * up
    radial /= np.linalg.norm(radial, axis=-1, keepdims=True)
    normals = radial * np.cos(lean) - up * np.sin(lean)
    if flip:
        triangles, normals = triangles[:, ::-1], -normals[:, ::-1]
    return Net(points, np.ascontiguousarray(triangles), normals.astype(np.float32))


def _zipped(
    o: Floats, ex: Floats, ey: Floats, up: Floats, rings: Sequence[Sequence[Floats]]
) -> tuple[Floats, Ints] | None:
    """Triangles between a lower and an upper line that both run round the axis in one direction;
    None where the outline is of another form, or has a point within a side that runs along the
    axis, as where another face ends there."""
    along = [[_runs_along(line, o, up) for line in ring] for ring in rings]
    if any(
        a and b
        for row in along
        if len(row) > 1
        for a, b in zip(row, row[1:] + row[:1], strict=True)
    ):
        return None
    chains = [chain for ring, row in zip(rings, along, strict=True) for chain in _chains(ring, row)]
    if len(chains) != 2:
        return None
    ordered = []
    for chain in chains:
        d = chain - o
        angle = np.unwrap(np.arctan2(d @ ey, d @ ex))
        if angle[-1] < angle[0]:
            chain, angle, d = chain[::-1], angle[::-1], d[::-1]
        if np.any(np.diff(angle) <= 0):
            return None
        ordered.append((chain, angle, float(np.mean(d @ up))))
    ordered.sort(key=lambda item: item[2])
    (low, low_angle, low_height), (high, high_angle, high_height) = ordered
    if high_height - low_height < 1e-9:
        return None
    turns = round((low_angle[0] - high_angle[0]) / (2 * np.pi))
    high_angle = high_angle + turns * 2 * np.pi
    if abs(low_angle[0] - high_angle[0]) > 0.01 or abs(low_angle[-1] - high_angle[-1]) > 0.01:
        return None
    return np.concatenate([low, high]), _zip(low_angle, high_angle)


def _chains(ring: Sequence[Floats], along: Sequence[bool]) -> list[Floats]:
    """The lines of an outline that run round the axis and not ``along`` it, those joined that
    follow on each other."""
    chains: list[list[Floats]] = []
    open_end = False
    for line, is_along in zip(ring, along, strict=True):
        if is_along:
            open_end = False
        elif open_end:
            chains[-1].append(line[1:])
        else:
            chains.append([line])
            open_end = True
    if open_end and len(chains) > 1 and not along[0]:
        chains[0] = [*chains.pop(), chains[0][0][1:], *chains[0][1:]]
    return [np.concatenate(chain) for chain in chains]


def _runs_along(line: Floats, o: Floats, up: Floats) -> bool:
    """Whether a line is straight and lies in a plane with the axis, as all straight lines on
    cylinders and cones do."""
    if len(line) > 2:
        return False
    axis, a, b = as_vector(up.tolist()), *(as_vector(end) for end in (line - o).tolist())
    out, other = cross(axis, a), cross(axis, b)
    beside = math.hypot(*cross(out, other))
    return beside < _UPRIGHT * max(1.0, math.dist(a, b)) * math.hypot(*out)


def _zip(a: Floats, b: Floats) -> Ints:
    """Triangles between two lines whose points are ordered by angle, those of the upper one
    numbered after the lower one's."""
    # Each step goes on by one point, on the line whose next point comes first.
    steps = np.concatenate([a[1:], b[1:] + 1e-12])
    order = np.argsort(steps, kind="stable")
    lower = order < len(a) - 1
    i = np.concatenate([[0], np.cumsum(lower)])[:-1]
    j = np.concatenate([[0], np.cumsum(~lower)])[:-1] + len(a)
    third = np.where(lower, i + 1, j + 1)
    zipped: Ints = np.stack([i, third, j], 1).astype(np.int32)
    return zipped


def _unrolled(
    o: Floats, ex: Floats, ey: Floats, up: Floats, rings: Sequence[Sequence[Floats]]
) -> tuple[Floats, Ints]:
    """Triangles on a face of any outline, told in its plane when it is unrolled.

    Raises:
        NotSimple: where it cannot be unrolled, or triangles would reach too far around the axis.
    """
    outlines, flats = [], []
    for ring in rings:
        outline = np.concatenate([line[:-1] for line in ring])
        d = np.concatenate([outline, outline[:1]]) - o
        angle = np.unwrap(np.arctan2(d @ ey, d @ ex))
        if abs(angle[-1] - angle[0]) > 1e-6:
            raise NotSimple  # it goes round the axis without a seam
        outlines.append(outline)
        flats.append(np.stack([angle[:-1], d[:-1] @ up], 1))
    order = sorted(range(len(flats)), key=lambda k: -abs(signed_area(flats[k])))
    outer = flats[order[0]]
    for k in order[1:]:
        turns = np.round((outer[:, 0].mean() - flats[k][:, 0].mean()) / (2 * np.pi))
        flats[k][:, 0] += turns * 2 * np.pi
    step = max(float(np.abs(np.diff(f[:, 0], append=f[:1, 0])).max()) for f in flats)
    height = float(np.ptp(outer[:, 1])) or 1.0
    scaled = [f * (_STRETCHED * height, 1.0) for f in flats]
    area = Polygon(scaled[order[0]], [scaled[k] for k in order[1:]])
    if not area.is_valid:
        raise NotSimple
    points = np.concatenate([outlines[k] for k in order])
    numbers = {
        spot: k
        for k, spot in enumerate(map(tuple, np.concatenate([scaled[k] for k in order]).tolist()))
    }
    if len(numbers) != len(points):
        raise NotSimple
    corners = shapely.get_coordinates(shapely.constrained_delaunay_triangles(area)).reshape(
        -1, 4, 2
    )[:, :3]
    try:
        numbered = np.array([[numbers[x, y] for x, y in row] for row in corners.tolist()], np.int32)
    except KeyError:
        raise NotSimple from None
    backwards = _turning(corners) < 0
    numbered[backwards] = numbered[backwards][:, ::-1]
    reach = np.ptp(corners[:, :, 0], axis=1) / (_STRETCHED * height)
    # By Euler's formula each point is a corner, and each side of the outline that of one triangle.
    if reach.max() > _REACH * step or len(numbered) != len(points) + 2 * len(rings) - 4:
        raise NotSimple
    return points, numbered


def _turning(corners: Floats) -> Floats:
    """Twice the areas of triangles (m, 3, 2), above zero where they run counter-clockwise."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    turning: Floats = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (
        c[:, 0] - a[:, 0]
    )
    return turning
