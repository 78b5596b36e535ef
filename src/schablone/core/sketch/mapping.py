"""Affine mappings of the plane."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

XY = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Mapping2D:
    """(x, y) → (a x + b y + e, c x + d y + f), for moves, turns, mirrors, and stretches along the
    axes."""

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    e: float = 0.0
    f: float = 0.0

    def point(self, p: XY) -> XY:
        """Where a point comes to, mm."""
        return (self.a * p[0] + self.b * p[1] + self.e, self.c * p[0] + self.d * p[1] + self.f)

    def direction(self, p: XY) -> XY:
        """What a direction becomes."""
        return (self.a * p[0] + self.b * p[1], self.c * p[0] + self.d * p[1])

    @property
    def is_straight(self) -> bool:
        """A stretch along the axes with no turn and no mirror."""
        return self.b == 0 and self.c == 0 and self.a > 0 and self.d > 0

    @property
    def is_nothing(self) -> bool:
        """Whether it leaves everything where it is."""
        moves = self.e != 0 or self.f != 0 or self.b != 0 or self.c != 0
        return not moves and self.a == self.d == 1

    @property
    def is_rigid(self) -> bool:
        """A move, a turn or a mirror, as exactly as numbers go."""
        along = self.a * self.a + self.c * self.c - 1, self.b * self.b + self.d * self.d - 1
        return max(map(abs, (*along, self.a * self.b + self.c * self.d))) < 1e-14

    @property
    def turn(self) -> NDArray[np.float64]:
        """What points in rows, shape (n, 2), are to be multiplied by, without the move."""
        return np.array([[self.a, self.c], [self.b, self.d]])

    @property
    def handedness(self) -> int:
        """−1 where it makes a left hand of a right one, else 1."""
        return 1 if self.a * self.d - self.b * self.c > 0 else -1
