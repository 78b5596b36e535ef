"""A plane in space with its own x and y: where sketches are drawn and positions on faces are
measured."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

Vector = tuple[float, float, float]


def as_vector(values: Iterable[float]) -> Vector:
    """Three numbers as a vector."""
    x, y, z = values
    return (x, y, z)


def add(a: Vector, b: Vector, times: float = 1.0) -> Vector:
    """``a + times · b``."""
    return (a[0] + b[0] * times, a[1] + b[1] * times, a[2] + b[2] * times)


def dot(a: Vector, b: Vector) -> float:
    """The scalar product."""
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


def cross(a: Vector, b: Vector) -> Vector:
    """The vector product."""
    return (a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0])


@dataclass(frozen=True, slots=True)
class Frame:
    """Origin in mm and three orthogonal unit vectors: x and y in the plane, normal out of the
    material."""

    origin: Vector = (0.0, 0.0, 0.0)
    x: Vector = (1.0, 0.0, 0.0)
    y: Vector = (0.0, 1.0, 0.0)

    @property
    def normal(self) -> Vector:
        """The third axis, of length 1."""
        return cross(self.x, self.y)

    def at(self, u: float, v: float, w: float = 0.0) -> Vector:
        """The point in space at plane coordinates (u, v), ``w`` above the plane."""
        return add(add(add(self.origin, self.x, u), self.y, v), self.normal, w)

    def lifted(self, by: float) -> Frame:
        """The same frame, moved along its normal by so many mm."""
        return Frame(add(self.origin, self.normal, by), self.x, self.y)

    def moved(self, by: Vector) -> Frame:
        """The same frame elsewhere, by mm."""
        return Frame(add(self.origin, by), self.x, self.y)

    def within(self, axes: Frame) -> Frame:
        """The frame as it lies in space where it is given in other axes than those of space."""
        if axes == Frame():
            return self

        def way(v: Vector) -> Vector:
            return add(add(add((0.0, 0.0, 0.0), axes.x, v[0]), axes.y, v[1]), axes.normal, v[2])

        return Frame(axes.at(*self.origin), way(self.x), way(self.y))

    def turned_over(self) -> Frame:
        """The same plane seen from behind: x stays, y and normal turn round."""
        return Frame(self.origin, self.x, (-self.y[0], -self.y[1], -self.y[2]))

    def coordinates(self, point: Vector) -> Vector:
        """(u, v, w) of a point in space, mm."""
        d = add(point, self.origin, -1.0)
        return (dot(d, self.x), dot(d, self.y), dot(d, self.normal))

    def stretched(self, factors: Vector) -> tuple[Frame, float, float, float]:
        """The frame in a space stretched along its axes, and the factors along x, y and the normal.

        Exact where every axis of the frame lies in a set of directions stretched alike: along z, or
        anywhere in the plane of the bed.

        Raises:
            ValueError: for a plane that is inclined to the bed while x/y and z are stretched
            differently.
        """
        scaled = []
        for axis in (self.x, self.y, self.normal):
            image = (axis[0] * factors[0], axis[1] * factors[1], axis[2] * factors[2])
            length = math.sqrt(dot(image, image))
            if abs(dot(image, axis) - length) > 1e-12:
                raise ValueError("an inclined plane cannot be scaled differently along z")
            scaled.append(length)
        o = self.origin
        origin = (o[0] * factors[0], o[1] * factors[1], o[2] * factors[2])
        return Frame(origin, self.x, self.y), scaled[0], scaled[1], scaled[2]


def facing(at: Vector, normal: Vector) -> Frame:
    """A frame at a point whose normal is a direction, of length 1: its x level, and y upwards where
    the direction is not upright itself."""
    upright = abs(normal[2]) > 1 - 1e-9
    x = (1.0, 0.0, 0.0) if upright else cross((0.0, 0.0, 1.0), normal)
    size = math.sqrt(dot(x, x))
    x = (x[0] / size, x[1] / size, x[2] / size)
    return Frame(at, x, cross(normal, x))


GROUND = Frame()
FRONT = Frame(x=(1.0, 0.0, 0.0), y=(0.0, 0.0, 1.0))
SIDE = Frame(x=(0.0, 1.0, 0.0), y=(0.0, 0.0, 1.0))
PLANES = {"ground": GROUND, "front": FRONT, "side": SIDE}
