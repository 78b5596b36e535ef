"""A length of a step as a drawing can show it: between two points in space."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from ..kernel.frame import Frame, Vector
from ..sketch.mapping import XY


@dataclass(frozen=True, slots=True)
class Span:
    """A length between two points in space, mm, measured ``along`` a direction of length 1. Of a
    ``diameter`` the points lie on the circle, on both sides of its middle; of a ``radius`` the
    first is the middle. ``normal`` is that of the plane that it is drawn in; ``path`` is that of
    its formula, of which the length is so many ``times`` as much: twice, where the formula is a
    half and it is drawn to both sides."""

    path: str
    form: Literal["length", "diameter", "radius"]
    ends: tuple[Vector, Vector]
    along: Vector
    normal: Vector
    times: int = 1


def between(path: str, a: Vector, b: Vector, normal: Vector) -> Span | None:
    """The length from one point to another, mm; None where they are one."""
    length = math.dist(a, b)
    if length < 1e-9:
        return None
    x, y, z = ((b[i] - a[i]) / length for i in range(3))
    return Span(path, "length", (a, b), (x, y, z), normal)


def round_span(path: str, frame: Frame, centre: XY, radius: float) -> Span:
    """The diameter, mm, of a circle in a plane."""
    x, y = centre
    ends = (frame.at(x - radius, y), frame.at(x + radius, y))
    return Span(path, "diameter", ends, frame.x, frame.normal)
