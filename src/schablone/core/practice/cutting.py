"""Machines that cut: a beam that is out of focus towards the edges, a cutter that bends and
wears."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .caliper import Made
from .features import Measurable

Floats = NDArray[np.float64]
PLACES = 24


@dataclass(frozen=True, slots=True)
class Laser:
    """A beam. ``waist`` is how wide it burns in the middle of the bed, ``blur`` how much wider 200
    mm off the middle, ``lean`` how much narrower its cut is where it leaves the sheet, ``lag`` how
    far the head cuts corners in small circles, ``mark`` what is burnt where it pierces; ``off`` by
    how many parts in a thousand its rulers are wrong along x and y. ``days``: of the width from day
    to day, and from sheet to sheet. ``through``: how thick the sheet is, mm."""

    waist: float
    blur: float
    lag: float
    mark: float
    off: tuple[float, float]
    uneven: float
    days: tuple[float, float]
    lean: float
    through: float = 3.0

    formats = (".dxf",)

    @classmethod
    def of(cls, seed: int) -> Laser:
        """One of the many."""
        chance = np.random.default_rng([seed, 31])
        pick = chance.uniform
        return cls(
            waist=pick(0.1, 0.28),
            blur=pick(0.0, 0.04),
            lag=pick(0.0, 0.15),
            mark=pick(0.0, 0.05),
            off=(pick(-0.2, 0.2), pick(-0.2, 0.2)),
            uneven=pick(0.006, 0.016),
            days=(pick(0.006, 0.016), pick(0.003, 0.01)),
            lean=pick(0.0, 0.05),
        )

    def make(self, features: list[Measurable], day: int, piece: int) -> list[Made]:
        """A piece as it falls out of its sheet."""
        today, chance = np.random.default_rng([day, 32]), np.random.default_rng([piece, 33])
        burnt = self.waist + today.normal(0, self.days[0]) + chance.normal(0, self.days[1])
        # Wherever on the bed the middle of it lies.
        middle = np.mean([(f.x, f.y) for f in features], axis=0) if features else np.zeros(2)
        at = chance.uniform(-150, 150, 2) - middle
        return [Made(f, self._places(f, burnt, at, chance)) for f in features]

    def _places(
        self, f: Measurable, burnt: float, at: Floats, chance: np.random.Generator
    ) -> Floats:
        off = math.hypot(f.x + at[0], f.y + at[1]) / 200
        # Jaws, and whatever is put in, bear where the cut is narrow; off the middle it leans more.
        cut = burnt + self.blur * off**2 - self.lean * (1 + off / 4) * self.through / 3
        walls = (
            cut / 2
            + chance.normal(0, self.uneven, (2, PLACES))
            + chance.normal(0, self.uneven / 2, (2, 1))
        )
        inside = f.kind in ("hole", "opening", "diagonal")
        ruler = {"x": self.off[0], "y": self.off[1]}.get(f.axis, sum(self.off) / 2) / 1000
        size = f.size * (1 + ruler) + walls.sum(axis=0) * (1.0 if inside else -1.0) * (
            math.sqrt(2) if f.kind == "diagonal" else 1.0
        )
        if f.kind in ("hole", "peg"):
            size = size - self.lag / f.size
            where = int(chance.integers(PLACES))
            size[where] += self.mark if inside else -self.mark
        return np.asarray(size)


@dataclass(frozen=True, slots=True)
class Router:
    """A cutter in a spindle. ``diameter`` as it truly is, ``wobble`` by how much run-out makes it
    wider, ``bend`` how far it gives way while it cuts free, along the stiff axis, ``soft`` how much
    more along the other, ``climb`` how much less on inner walls; in a board of 18 mm, and the more
    the deeper it cuts. ``days``: wear and stock from day to day. ``through``: how thick the board
    is, mm."""

    nominal: float
    diameter: float
    wobble: float
    bend: float
    soft: float
    climb: float
    uneven: float
    days: tuple[float, float]
    through: float = 18.0

    formats = (".dxf",)

    @classmethod
    def of(cls, seed: int) -> Router:
        """One of the many."""
        chance = np.random.default_rng([seed, 41])
        pick = chance.uniform
        return cls(
            nominal=6.0,
            diameter=6.0 - pick(0.0, 0.12),
            wobble=pick(0.0, 0.05),
            bend=pick(0.01, 0.09),
            soft=pick(0.0, 0.02),
            climb=pick(0.0, 0.03),
            uneven=pick(0.012, 0.03),
            days=(pick(0.01, 0.025), pick(0.004, 0.012)),
        )

    def make(self, features: list[Measurable], day: int, piece: int) -> list[Made]:
        """A piece as it is lifted off the bed, its tabs filed away."""
        today, chance = np.random.default_rng([day, 42]), np.random.default_rng([piece, 43])
        wear = today.normal(0, self.days[0]) + chance.normal(0, self.days[1])
        return [Made(f, self._places(f, wear, chance)) for f in features]

    def _places(self, f: Measurable, wear: float, chance: np.random.Generator) -> Floats:
        inside = f.kind in ("hole", "opening", "diagonal")
        # The path is led as if the cutter were as wide as it is called; where it gives way,
        # material stays.
        narrow = (self.nominal - self.diameter - self.wobble) / 2 + wear / 2
        give = (
            self.bend / 2
            + (self.soft / 2 if f.axis == "y" else self.soft / 4)
            - (self.climb / 2 if inside else 0.0)
        )
        left = (
            narrow
            + give * self.through / 18
            + chance.normal(0, self.uneven / 2, (2, PLACES))
            + chance.normal(0, self.uneven / 3, (2, 1))
        )
        stays = left.sum(axis=0)
        if f.kind == "diagonal":
            # In each corner the cutter stands off the tip by (√2 - 1) of its radius.
            round_ = (math.sqrt(2) - 1) * (self.diameter + self.wobble)
            return np.asarray(f.size - math.sqrt(2) * stays - round_)
        return np.asarray(f.size - stays if inside else f.size + stays)
