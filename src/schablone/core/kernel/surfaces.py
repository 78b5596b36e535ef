"""The plain surfaces that faces of solids lie on: planes, cylinders, cones, balls and rings.

They say how far a point is from them and in which direction, and how a point is carried along where
a surface moves, turns or grows. Lengths are mm, angles radians.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from .frame import Vector, as_vector, cross

Floats = NDArray[np.float64]
SurfaceKind = Literal["plane", "cylinder", "cone", "ball", "ring"]

#: How steps of Newton's method end: this near, mm; and after so many.
_NEAR, _STEPS = 1e-12, 60


@dataclass(frozen=True, slots=True)
class Surface:
    """An endless surface.

    ``at`` lies on a plane; it is a point of the axis of a cylinder, and of a cone where that has
    ``radius``; the middle of a ball or ring. ``way`` is the normal of a plane, out of the material,
    else the direction of the axis; ``x`` is square to it. ``radius`` is that of a ring's middle
    line, ``second`` that of its tube, or half the opening angle of a cone, which grows along
    ``way``. ``solid`` says whether the material lies within (a peg) or around it (a hole).
    """

    kind: SurfaceKind
    at: Vector
    way: Vector
    x: Vector
    radius: float = 0.0
    second: float = 0.0
    solid: bool = True
    right_handed: bool = True

    @property
    def is_round(self) -> bool:
        """Whether it is no plane."""
        return self.kind != "plane"

    @property
    def y(self) -> Vector:
        """The third axis, of length 1."""
        return cross(self.way, self.x)

    def with_(self, **changes: object) -> Surface:
        """The same with some fields replaced."""
        return replace(self, **changes)  # type: ignore[arg-type]

    def distance(self, point: Floats) -> tuple[Any, Floats]:
        """How far points, (..., 3), are from it, mm, below zero within (or behind a plane), (...),
        and the directions in which that grows, (..., 3)."""
        way = np.array(self.way)
        away = point - np.array(self.at)
        high = away @ way
        if self.kind == "plane":
            return high, np.broadcast_to(way, point.shape)
        if self.kind == "ball":
            far = np.sqrt((away * away).sum(axis=-1)) + 1e-300
            return far - self.radius, away / far[..., None]
        aside = away - high[..., None] * way
        far = np.sqrt((aside * aside).sum(axis=-1)) + 1e-300
        out = aside / far[..., None]
        if self.kind == "cylinder":
            return far - self.radius, out
        if self.kind == "cone":
            c, s = math.cos(self.second), math.sin(self.second)
            return (far - self.radius) * c - high * s, out * c - way * s
        rest = np.hypot(far - self.radius, high) + 1e-300
        slope = (far - self.radius)[..., None] * out + high[..., None] * way
        return rest - self.second, slope / rest[..., None]

    def along(self, point: Floats) -> Floats:
        """Where a point is by the surface's own axes: (along x, along y, along its way)."""
        away = point - np.array(self.at)
        return np.array([away @ np.array(self.x), away @ np.array(self.y), away @ self.way])

    def carried(self, point: Floats, new: Surface) -> Floats:
        """Where a point on the surface, mm, or near it, is on the new state of it."""
        u, v, w = self.along(point)
        grown = 1.0
        if self.kind == "ball":
            grown = new.radius / self.radius
            w *= grown
        elif self.kind == "ring":
            aside = math.hypot(u, v) or 1e-300
            tube = new.second / self.second
            grown = (new.radius + (aside - self.radius) * tube) / aside
            w *= tube
        elif self.kind == "cone":
            here, there = (max(s.radius + w * math.tan(s.second), 1e-12) for s in (self, new))
            grown = there / here
        elif self.kind == "cylinder":
            grown = new.radius / self.radius
        return np.asarray(
            np.array(new.at)
            + u * grown * np.array(new.x)
            + v * grown * np.array(new.y)
            + w * np.array(new.way)
        )


@dataclass(frozen=True, slots=True)
class Meridian:
    """The half plane of a round surface at whose edge its axis lies, through its own x: where the
    seam of a closed face runs."""

    of: Surface

    def distance(self, point: Floats) -> tuple[float, Floats]:
        """How far a point (3,) lies from the plane, mm, and the slope of that."""
        y = np.array(self.of.y)
        return float((point - np.array(self.of.at)) @ y), y


@dataclass(frozen=True, slots=True)
class Contact:
    """The plane in which a plane and a cylinder that it touches have their common line; or two
    cylinders side by side that touch. It cuts both, where they themselves only touch."""

    at: Vector
    normal: Vector

    def distance(self, point: Floats) -> tuple[float, Floats]:
        """How far a point (3,) lies from the plane, mm, and the slope of that."""
        normal = np.array(self.normal)
        return float((point - np.array(self.at)) @ normal), normal


Condition = Surface | Meridian | Contact


def contact_of(one: Surface, other: Surface) -> Contact | None:
    """Where two surfaces that touch along a line touch; None where they are no such pair."""
    if one.kind != "cylinder":
        one, other = other, one
    if one.kind != "cylinder":
        return None
    axis = np.array(one.way)
    if other.kind == "plane":
        normal = np.cross(axis, np.array(other.way))
    elif other.kind == "cylinder":
        normal = np.cross(axis, np.array(other.at) - np.array(one.at))
    else:
        return None
    size = float(np.linalg.norm(normal))
    return Contact(one.at, as_vector(normal / size)) if size > 1e-9 else None


def met(
    start: Floats, conditions: Sequence[Condition], least: float = 1e-9
) -> tuple[Floats, float]:
    """The point on all the surfaces that is nearest to a start, by Newton's method with the least
    steps, and how far it is from the worst of them, mm. Directions in which they differ by less
    than a share ``least`` are left as they are."""
    point = np.array(start, dtype=float)
    for _ in range(_STEPS):
        distances = [one.distance(point) for one in conditions]
        off = np.array([f for f, _ in distances])
        if not off.size or float(np.abs(off).max()) < _NEAR:
            break
        step = np.linalg.lstsq(np.array([g for _, g in distances]), off, rcond=least)[0]
        point = point - step
        if float(np.abs(step).max()) < _NEAR:
            break
    worst = max((abs(one.distance(point)[0]) for one in conditions), default=0.0)
    return point, worst


def met_along(points: Floats, one: Surface, other: Surface) -> Floats:
    """The points on two surfaces that are nearest to others, (n, 3) each, mm, as :func:`met` finds
    them."""
    spots = np.array(points, dtype=float)
    for _ in range(_STEPS):
        (f, f_way), (g, g_way) = one.distance(spots), other.distance(spots)
        if float(np.abs([f, g]).max()) < _NEAR:
            break
        rows = np.stack([f_way, g_way], axis=1)
        # Where the two touch, the pair of equations has no one answer: the least step is taken.
        back = np.linalg.pinv(rows, rcond=1e-9)
        spots = spots - (back @ np.stack([f, g], axis=1)[..., None])[..., 0]
    return spots
