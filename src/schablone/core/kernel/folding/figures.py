"""Volume, surface, box and centre of a folded sheet in closed form: integrals over the strip of a
bend become integrals along its outline (Green's theorem), done by Gauss's rule."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...sketch.curves import Bezier, Curve, EllipticArc, Segment
from ...sketch.loops import Loop
from ..figures import Figures
from ..frame import Vector, as_vector
from .outline import is_joint
from .sheet import Bend, Folded

Floats = NDArray[np.float64]
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(24)
#: Arcs are integrated in pieces no longer than this, radians.
_ARC = 0.8
#: How finely outlines of cut bends are followed for the box, mm.
_FOLLOWED = 1e-4


def figures_of(folded: Folded) -> Figures:
    """Volume mm³, surface mm², corners of the box along the axes, and centre of mass, mm."""
    t = folded.thickness
    volumes: list[float] = []
    centres: list[Vector] = []
    corners: list[Vector] = []
    area = 0.0
    for number, panel in enumerate(folded.panels):
        prism = folded.prism(number)
        volumes.append(panel.region.area * t)
        centres.append(prism.centre())
        corners += prism.bounds()
        walls = (
            curve.length
            for loop in panel.region.loops
            for curve in loop.curves
            if not is_joint(curve.name)
        )
        area += 2 * panel.region.area + t * math.fsum(walls)
    for bend in folded.bends:
        round_ = _Round(folded, bend)
        volumes.append(round_.volume())
        centres.append(round_.centre())
        corners += round_.corners()
        area += round_.area()
    volume = math.fsum(volumes)
    return Figures(
        volume,
        area,
        (
            as_vector(min(c[i] for c in corners) for i in range(3)),
            as_vector(max(c[i] for c in corners) for i in range(3)),
        ),
        as_vector(
            math.fsum(v * c[i] for v, c in zip(volumes, centres, strict=True)) / volume
            for i in range(3)
        ),
    )


@dataclass(frozen=True, slots=True)
class _Round:
    """A bend: what is measured on it."""

    folded: Folded
    bend: Bend

    @property
    def turn(self) -> float:
        return math.radians(abs(self.bend.angle))

    @property
    def radii(self) -> tuple[float, float]:
        return self.bend.radius, self.bend.radius + self.folded.thickness

    def loops(self) -> Iterator[tuple[Loop, float]]:
        """The outlines of its strips in its own coordinates, holes with a minus."""
        own = self.bend.to_own()
        for region in self.bend.regions:
            yield region.outer.mapped(own), 1.0
            for hole in region.holes:
                yield hole.mapped(own), -1.0

    def volume(self) -> float:
        r, big = self.radii
        return self.bend.area / self.bend.length * self.turn * (big**2 - r**2) / 2

    def area(self) -> float:
        """Both round faces, and the sides straight through the sheet, by two nested rules."""
        r, big = self.radii
        share = self.turn / self.bend.length
        faces = self.bend.area * share * (r + big)
        heights = r + (big - r) * (_NODES + 1) / 2
        walls = 0.0
        for loop, _ in self.loops():
            for curve in loop.curves:
                if is_joint(curve.name):
                    continue
                for _, dv, _, ds in _along(curve):
                    # At each height the line is as long as it is wide there: dv grows with it.
                    long = np.hypot(np.outer(heights, dv * share), ds[None, :])
                    walls += float((_WEIGHTS @ long).sum()) * (big - r) / 2
        return faces + walls

    def centre(self) -> Vector:
        """The centre of mass: integrals of sine and cosine of the angle, and of the place along the
        bend, over its strips."""
        r, big = self.radii
        share = self.turn / self.bend.length
        sine = cosine = along = 0.0
        for loop, sign in self.loops():
            for curve in loop.curves:
                for v, _, s, ds in _along(curve):
                    # d(−cos)/dv = sin, d(sin)/dv = cos; counter-clockwise, ∬ f' = ∮ f ds.
                    sine += sign * float((-np.cos(v * share) * ds).sum()) / share
                    cosine += sign * float((np.sin(v * share) * ds).sum()) / share
                    along += sign * float((v * s * ds).sum())
        area = self.bend.area
        far = 2 * (big**3 - r**3) / (3 * (big**2 - r**2))
        over, drop = far * sine / area, far * cosine / area
        up = self.bend.radius - drop
        return self._spot(along / area, over, self._height(up))

    def _height(self, up: float) -> float:
        return self.folded.thickness + up if self.bend.angle > 0 else -up

    def _spot(self, s: float, over: float, height: float) -> Vector:
        bend = self.bend
        return self.folded.frames[bend.parent].at(
            bend.at[0] + bend.out[0] * over + bend.along[0] * s,
            bend.at[1] + bend.out[1] * over + bend.along[1] * s,
            height,
        )

    def _on(self, radius: float, turn: float, s: float) -> Vector:
        return self._spot(
            s,
            radius * math.sin(turn),
            self._height(self.bend.radius - radius * math.cos(turn)),
        )

    def corners(self) -> list[Vector]:
        """Points that reach farthest along the axes: on both faces at the ends of the strip and
        where the round looks along an axis; of a strip that is cut, all along its outline."""
        share = self.turn / self.bend.length
        if self.bend.is_plain():
            low, high = self.bend.span()
            turns = [0.0, self.turn, *self._extremes()]
            flat = [(turn, s) for turn in turns for s in (low, high)]
        else:
            flat = [
                (v * share, s)
                for loop, sign in self.loops()
                if sign > 0
                for v, s in loop.points(_FOLLOWED).tolist()
            ]
            flat += self._crossings(share)
        turns, along = np.array(flat).T
        corners = [self._all_on(radius, turns, along) for radius in self.radii]
        return [as_vector(spot) for spots in corners for spot in _farthest(spots).tolist()]

    def _all_on(self, radius: float, turns: Floats, along: Floats) -> Floats:
        """Many places at once, (n, 3)."""
        bend, frame = self.bend, self.folded.frames[self.bend.parent]
        over, up = radius * np.sin(turns), self.bend.radius - radius * np.cos(turns)
        height = self.folded.thickness + up if self.bend.angle > 0 else -up
        x = bend.at[0] + bend.out[0] * over + bend.along[0] * along
        y = bend.at[1] + bend.out[1] * over + bend.along[1] * along
        placed: Floats = np.array(frame.origin) + (
            np.outer(x, frame.x) + np.outer(y, frame.y) + np.outer(height, frame.normal)
        )
        return placed

    def _extremes(self) -> list[float]:
        """The angles at which the round looks along an axis of space."""
        centre, down, out = (
            self._on(*spot, 0.0) for spot in ((0.0, 0.0), (1.0, 0.0), (1.0, math.pi / 2))
        )
        extremes = []
        for i in range(3):
            extreme = math.atan2(out[i] - centre[i], down[i] - centre[i])
            extremes += [t for k in (-1, 0, 1, 2) if 0 < (t := extreme + k * math.pi) < self.turn]
        return extremes

    def _crossings(self, share: float) -> list[tuple[float, float]]:
        """Where the outline of a cut strip crosses these angles."""
        crossings = []
        for turn in self._extremes():
            at = turn / share
            for loop, _ in self.loops():
                points = [*loop.points(_FOLLOWED).tolist()]
                for (v, s), (w, u) in zip(points, [*points[1:], points[0]], strict=True):
                    if (v - at) * (w - at) < 0:
                        crossings.append((turn, s + (u - s) * (at - v) / (w - v)))
        return crossings


def _farthest(spots: Floats) -> Floats:
    """Of many places those that reach farthest along an axis, (6, 3)."""
    extremes: Floats = spots[np.concatenate([spots.argmin(axis=0), spots.argmax(axis=0)])]
    return extremes


def _along(curve: Curve) -> Iterator[tuple[Floats, Floats, Floats, Floats]]:
    """Nodes of Gauss's rule along a curve: v, the weighted change of v, s, and that of s."""
    if isinstance(curve, Segment):
        (v0, s0), (v1, s1) = curve.start, curve.end
        share = (_NODES + 1) / 2
        yield (
            v0 + (v1 - v0) * share, _WEIGHTS * (v1 - v0) / 2,
            s0 + (s1 - s0) * share, _WEIGHTS * (s1 - s0) / 2,
        )  # fmt: skip
        return
    if isinstance(curve, Bezier):
        t = (_NODES + 1) / 2
        spots, slopes = curve.at(t), curve.slope(t)
        yield (
            spots[:, 0], slopes[:, 0] * _WEIGHTS / 2, spots[:, 1], slopes[:, 1] * _WEIGHTS / 2
        )  # fmt: skip
        return
    assert isinstance(curve, EllipticArc)
    pieces = max(1, math.ceil(abs(curve.t1 - curve.t0) / _ARC))
    step = (curve.t1 - curve.t0) / pieces
    for k in range(pieces):
        t = curve.t0 + step * (k + (_NODES + 1) / 2)
        weight = _WEIGHTS * step / 2
        yield (
            curve.centre[0] + curve.rx * np.cos(t), -curve.rx * np.sin(t) * weight,
            curve.centre[1] + curve.ry * np.sin(t), curve.ry * np.cos(t) * weight,
        )  # fmt: skip


def box_of_bend(folded: Folded, number: int) -> tuple[Vector, Vector]:
    """The box along the axes around a bend, mm."""
    corners = _Round(folded, folded.bends[number]).corners()
    return (
        as_vector(min(c[i] for c in corners) for i in range(3)),
        as_vector(max(c[i] for c in corners) for i in range(3)),
    )
