"""Moves, turns and mirrors of space."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from .frame import Frame, Vector, add, as_vector, cross, dot

Rows = tuple[Vector, Vector, Vector]


def as_rows(values: Iterable[Iterable[float]]) -> Rows:
    """Three rows of three numbers."""
    a, b, c = (as_vector(row) for row in values)
    return (a, b, c)


def _transposed(rows: Sequence[Vector]) -> Rows:
    return as_rows((row[i] for row in rows) for i in range(3))


@dataclass(frozen=True, slots=True)
class Motion:
    """p → R p + shift, R orthogonal with the given rows; with determinant −1 it mirrors."""

    rows: Rows = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
    shift: Vector = (0.0, 0.0, 0.0)

    @classmethod
    def move(cls, by: Vector) -> Motion:
        """A shift, mm."""
        return cls(shift=by)

    @classmethod
    def turn(cls, about: Vector, direction: Vector, degrees: float) -> Motion:
        """A turn about an axis through a point, by so many degrees, right-handed (Rodrigues'
        formula)."""
        length = math.sqrt(dot(direction, direction))
        k = (direction[0] / length, direction[1] / length, direction[2] / length)
        # Quarter turns come out exact.
        c, s = (round(f(math.radians(degrees)), 15) for f in (math.cos, math.sin))
        columns = []
        for e in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)):
            along = dot(k, e) * (1 - c)
            turned = cross(k, e)
            columns.append(as_vector(e[i] * c + turned[i] * s + k[i] * along for i in range(3)))
        rows = _transposed(columns)
        turned_about = as_vector(dot(row, about) for row in rows)
        return cls(
            rows,
            (about[0] - turned_about[0], about[1] - turned_about[1], about[2] - turned_about[2]),
        )

    @classmethod
    def mirror(cls, plane: Frame) -> Motion:
        """The mirror image in a plane."""
        n = plane.normal
        rows = as_rows(
            ((1.0 if i == j else 0.0) - 2 * n[i] * n[j] for j in range(3)) for i in range(3)
        )
        d = 2 * dot(plane.origin, n)
        return cls(rows, (d * n[0], d * n[1], d * n[2]))

    def within(self, axes: Frame) -> Motion:
        """The motion in space that this one is in other axes than those of space."""
        if axes == Frame():
            return self
        out = Motion(_transposed((axes.x, axes.y, axes.normal)), axes.origin)
        back = as_vector(-dot(way, axes.origin) for way in (axes.x, axes.y, axes.normal))
        return out.after(self).after(Motion((axes.x, axes.y, axes.normal), back))

    @property
    def mirrors(self) -> bool:
        """Whether it makes a left hand of a right one."""
        a, b, c = self.rows
        return dot(a, cross(b, c)) < 0

    @property
    def is_nothing(self) -> bool:
        """Whether all stays where it is."""
        return self == Motion()

    def vector(self, v: Vector) -> Vector:
        """A direction after the motion."""
        a, b, c = self.rows
        return (dot(a, v), dot(b, v), dot(c, v))

    def point(self, p: Vector) -> Vector:
        """A point after the motion, mm."""
        return add(self.vector(p), self.shift)

    def after(self, first: Motion) -> Motion:
        """This motion after another."""
        columns = [
            self.vector((first.rows[0][j], first.rows[1][j], first.rows[2][j])) for j in range(3)
        ]
        rows = _transposed(columns)
        return Motion(rows, self.point(first.shift))

    def frame(self, frame: Frame) -> Frame:
        """The image of a frame, its normal that of the image: where the motion mirrors, y turns
        round."""
        y = self.vector(frame.y)
        if self.mirrors:
            y = (-y[0], -y[1], -y[2])
        return Frame(self.point(frame.origin), self.vector(frame.x), y)
