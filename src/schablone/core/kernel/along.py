"""Paths in space and what is led along them: frames that turn no more than they must."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.regions import Region
from .frame import Frame, Vector, add, as_vector, cross, dot
from .motion import Motion
from .naming import FaceName

Floats = NDArray[np.float64]

#: One piece of a path: a curve of a plane.
PathPiece = tuple[Frame, Curve]


@dataclass(frozen=True, slots=True)
class Piped:
    """A region led along lines and arcs that follow each other, corners mitred.

    ``frame`` is where the region lies at the start of the path, its normal along it. ``sides``
    names the faces by the region's curves, whatever piece of the path they go along.
    """

    frame: Frame
    region: Region
    pieces: tuple[PathPiece, ...]
    start: FaceName
    end: FaceName
    sides: Mapping[str, FaceName]
    closed: bool = False

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return {*self.sides.values(), *(() if self.closed else (self.start, self.end))}

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of both ends, their normals out of the material; none where the path closes."""
        if self.closed:
            return {}
        return {self.start: self.frame.turned_over(), self.end: carried(self.frame, self.pieces)}

    def bounds(self) -> tuple[Vector, Vector]:
        """A box that holds it, mm, not the smallest."""
        points = np.array(
            [
                frame.at(*point)
                for frame, curve in self.pieces
                for point in (*curve.points(0.05), curve.end)
            ]
        )
        reach = float(np.hypot(*self.region.outer.points(0.05).T).max()) * 1.5
        low, high = points.min(axis=0) - reach, points.max(axis=0) + reach
        return tuple(low.tolist()), tuple(high.tolist())

    def of_member(self, number: int) -> Piped:
        """The same with the names of a member of a row."""
        sides = {key: name.of_member(number) for key, name in self.sides.items()}
        return replace(
            self, start=self.start.of_member(number), end=self.end.of_member(number), sides=sides
        )


def tangent(piece: PathPiece, *, at_end: bool) -> Vector:
    """The direction of a piece at one of its ends, in space, of length 1."""
    frame, curve = piece
    if isinstance(curve, Segment):
        dx, dy = curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
    elif isinstance(curve, EllipticArc):
        t, sign = (curve.t1 if at_end else curve.t0), math.copysign(1.0, curve.t1 - curve.t0)
        dx, dy = -curve.rx * math.sin(t) * sign, curve.ry * math.cos(t) * sign
    else:
        a, b = (curve.second, curve.end) if at_end else (curve.start, curve.first)
        dx, dy = b[0] - a[0], b[1] - a[1]
    length = math.hypot(dx, dy)
    x, y = frame.x, frame.y
    return as_vector((x[i] * dx + y[i] * dy) / length for i in range(3))


def turned_onto(frame: Frame, origin: Vector, way: Vector) -> Frame:
    """The frame with its normal turned onto a direction by the shortest turn, and moved to an
    origin."""
    n = frame.normal
    axis = cross(n, way)
    sine, cosine = math.sqrt(dot(axis, axis)), dot(n, way)
    if sine < 1e-12:
        turned = frame if cosine > 0 else frame.turned_over()
        return Frame(origin, turned.x, turned.y)
    motion = Motion.turn((0.0, 0.0, 0.0), axis, math.degrees(math.atan2(sine, cosine)))
    return Frame(origin, motion.vector(frame.x), motion.vector(frame.y))


def carried(frame: Frame, pieces: Sequence[PathPiece]) -> Frame:
    """Where a frame at the start of a path is at its end, turned at each bend by the shortest
    turn."""
    for piece in pieces:
        curve = piece[1]
        first, last = tangent(piece, at_end=False), tangent(piece, at_end=True)
        frame = turned_onto(frame, piece[0].at(*curve.start), first)
        if isinstance(curve, EllipticArc):
            # An arc may turn by more than half a turn: about its own axis, as far as it goes.
            up = piece[0].normal
            frame = Motion.turn(
                piece[0].at(*curve.centre), up, math.degrees(curve.t1 - curve.t0)
            ).frame(frame)
        else:
            frame = turned_onto(frame, frame.origin, last)
        frame = Frame(piece[0].at(*curve.end), frame.x, frame.y)
    return frame


def least_twist(points: Floats, tangents: Floats, first: Frame) -> Floats:
    """Directions (n, 3) square to a path at its points (n, 3), tangents (n, 3) of length 1, that do
    not turn about it.

    ``first`` is turned onto the first tangent. By double reflection (W. Wang, B. Jüttler, D. Zheng,
    Y. Liu, Computation of rotation minimizing frames, ACM Transactions on Graphics 27, 2008),
    fourth order in the distance.
    """
    start = turned_onto(first, tuple(points[0].tolist()), tuple(tangents[0].tolist()))
    across = np.diff(points, axis=0)
    squares = np.einsum("ij,ij->i", across, across)
    left = (
        tangents[:-1]
        - (2 / squares * np.einsum("ij,ij->i", across, tangents[:-1]))[:, None] * across
    )
    bends = tangents[1:] - left
    bent = np.einsum("ij,ij->i", bends, bends)
    axes = [x := start.x]
    # One direction follows from the one before: plain numbers are faster here than rows of an
    # array.
    for v1, c1, v2, c2, t in zip(
        across.tolist(),
        squares.tolist(),
        bends.tolist(),
        bent.tolist(),
        tangents[1:].tolist(),
        strict=True,
    ):
        x = add(x, v1, -2 / c1 * dot(v1, x))
        if c2 > 1e-24:
            x = add(x, v2, -2 / c2 * dot(v2, x))
        x = add(x, t, -dot(x, t))
        x = add((0.0, 0.0, 0.0), x, 1 / math.sqrt(dot(x, x)))
        axes.append(x)
    return np.array(axes)


def rounded_polyline(points: Sequence[Vector], bend: float) -> tuple[tuple[PathPiece, ...], bool]:
    """Straight pieces through points, the corners rounded by arcs of a radius, mm, where it is
    above zero; and whether they close: where the last point is the first, that corner is one, too.

    Raises:
        ValueError: where two points coincide, or an arc does not fit.
    """
    corners = [np.array(point) for point in points]
    ways = []
    for number, (a, b) in enumerate(itertools.pairwise(corners), 1):
        length = float(np.linalg.norm(b - a))
        if length < 1e-6:
            raise ValueError(f"points {number} and {number + 1} of the path are the same")
        ways.append((b - a) / length)
    closed = len(corners) > 3 and float(np.linalg.norm(corners[-1] - corners[0])) < 1e-6
    cuts = [_cut_off(k, ways, bend, closed) for k in range(len(corners))]
    pieces: list[PathPiece] = []
    for k, (a, b) in enumerate(itertools.pairwise(corners)):
        room = float(np.linalg.norm(b - a))
        if cuts[k] + cuts[k + 1] > room + 1e-9:
            raise ValueError(
                f"bends of {bend:g} mm do not fit between points {k + 1} and {k + 2} of the "
                f"path, which are {room:.4g} mm apart"
            )
        first, last = a + cuts[k] * ways[k], b - cuts[k + 1] * ways[k]
        if float(np.linalg.norm(last - first)) > 1e-9:
            pieces.append(_straight(first, last))
        if cuts[k + 1] > 0:
            pieces.append(_bend(last, ways[k], ways[(k + 1) % len(ways)], bend))
    return tuple(pieces), closed


def _cut_off(k: int, ways: Sequence[Floats], bend: float, closed: bool) -> float:
    """How much of both sides the bend at a point takes, mm.

    Raises:
        ValueError: where the path turns back on itself there.
    """
    if not closed and k in (0, len(ways)):
        return 0.0
    turn = math.acos(float(np.clip(ways[k - 1] @ ways[k % len(ways)], -1.0, 1.0)))
    if turn > math.pi - 1e-6:
        raise ValueError(f"the path turns back on itself at point {k + 1}")
    return bend * math.tan(turn / 2)


def _straight(a: Floats, b: Floats) -> PathPiece:
    way = (b - a) / np.linalg.norm(b - a)
    aside = np.cross(way, np.eye(3)[int(np.argmin(np.abs(way)))])
    aside /= np.linalg.norm(aside)
    frame = Frame(tuple(a.tolist()), tuple(way.tolist()), tuple(aside.tolist()))
    return frame, Segment((0.0, 0.0), (float(np.linalg.norm(b - a)), 0.0), "path")


def _bend(at: Floats, before: Floats, after: Floats, radius: float) -> PathPiece:
    normal = np.cross(before, after)
    normal /= np.linalg.norm(normal)
    inwards = np.cross(normal, before)
    centre = at + radius * inwards
    turn = math.acos(float(np.clip(before @ after, -1.0, 1.0)))
    frame = Frame(tuple(centre.tolist()), tuple((-inwards).tolist()), tuple(before.tolist()))
    return frame, EllipticArc((0.0, 0.0), radius, radius, 0.0, turn, "path")
