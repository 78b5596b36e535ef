"""Printers that make pieces the way things are printed: beads along outlines, light through resin.

Nothing here knows of a gain or of a correction. A feature comes out as its walls come to lie: every
wall is a bead whose width depends on the day and on the place, drawn inwards in bends, thick at
seams and corners; layers add up from the bed.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .caliper import Made
from .features import Measurable

Floats = NDArray[np.float64]
#: Places around a wall, or along it, at which it is known where it lies.
PLACES = 24
#: The place across from each.
_ACROSS = (np.arange(PLACES) + PLACES // 2) % PLACES


@dataclass(frozen=True, slots=True)
class FilamentPrinter:
    """A printer that lays beads. Lengths in mm, shares in percent.

    ``width`` of a bead as planned; ``flow`` how much wider it comes; ``drag`` how far the soft
    strand is drawn to the inside of a bend; ``seam`` and ``corner`` what sticks out where a bead
    begins and where the head turns; ``lift`` how far ends 50 mm from the middle rise off the bed;
    ``squashed`` how far the nozzle, near to the bed, spreads the first bead to its side;
    ``shrink`` along x, y and z, ``grows`` how much of it short lengths lack.
    ``days``: standard deviations from day to day of flow, of shrinkage and of how high the nozzle
    stands over the bed.
    """

    width: float
    flow: float
    drag: float
    seam: float
    corner: float
    layer: float
    first: float
    lift: float
    shrink: tuple[float, float, float]
    lacks: float
    uneven: float
    rough: float
    days: tuple[float, float, float]
    squashed: float

    formats = (".3mf", ".stl")

    @classmethod
    def of(cls, seed: int) -> FilamentPrinter:
        """One of the many that stand in workshops."""
        chance = np.random.default_rng([seed, 11])
        pick = chance.uniform
        share = pick(0.0, 0.6)
        return cls(
            width=pick(0.42, 0.48),
            flow=pick(0.0, 0.14),
            drag=pick(0.15, 0.5),
            seam=pick(0.02, 0.1),
            corner=pick(0.0, 0.06),
            layer=0.2,
            first=pick(-0.06, 0.06),
            lift=pick(0.0, 0.12),
            shrink=(share + pick(-0.06, 0.06), share + pick(-0.06, 0.06), pick(-0.1, 0.3)),
            lacks=pick(0.0, 0.3),
            uneven=pick(0.01, 0.025),
            rough=pick(0.008, 0.02),
            days=(pick(0.015, 0.04), pick(0.01, 0.04), pick(0.01, 0.025)),
            squashed=pick(0.0, 0.22),
        )

    def make(self, features: list[Measurable], day: int, piece: int) -> list[Made]:
        """A piece as it comes off the bed on a day."""
        today, chance = np.random.default_rng([day, 12]), np.random.default_rng([piece, 13])
        flow = self.flow + today.normal(0, self.days[0]) + chance.normal(0, self.days[0] / 4)
        warm = today.normal(0, self.days[1])
        first = self.first + today.normal(0, self.days[2]) + chance.normal(0, self.days[2] / 4)
        return [Made(f, self._places(f, flow, warm, first, chance)) for f in features]

    def _places(
        self, f: Measurable, flow: float, warm: float, first: float, chance: np.random.Generator
    ) -> Floats:
        if f.kind == "height":
            layers = round(f.size / self.layer)
            size = layers * self.layer * (1 - (self.shrink[2] + warm) / 100) + first
            # Jaws bear on a bottom that is bowed.
            bowed = self.lift * (math.hypot(f.x, f.y) / 50) ** 2
            return np.asarray(
                size + chance.uniform(0, 0.5, PLACES) * bowed + chance.normal(0, self.rough, PLACES)
            )
        along = {"x": self.shrink[0], "y": self.shrink[1]}.get(
            f.axis, (self.shrink[0] + self.shrink[1]) / 2
        )
        share = along * (1 - self.lacks * math.exp(-f.size / 40)) + warm
        middle = f.size * (1 - share / 100)
        outside = -1.0 if f.kind in ("hole", "opening") else 1.0
        walls = 2 * self._walls(f, flow, outside, chance)
        if f.kind == "first layer":
            # The lower the nozzle stands, the lower the piece, and the more is pressed aside.
            walls = walls + 2 * max(self.squashed - 0.6 * (first - self.first), 0.0)
        return np.asarray(middle + walls + chance.normal(0, 0.35 * self.uneven))

    def _walls(
        self, f: Measurable, flow: float, outside: float, chance: np.random.Generator
    ) -> Floats:
        """By how much the walls make a size larger, over two, at places."""
        # The flow of a nozzle breathes slowly along the path: neighbouring places are alike.
        slow = np.convolve(chance.normal(0, 1, PLACES * 2), np.ones(6) / math.sqrt(6), "same")[
            :PLACES
        ]
        bead = (flow + self.uneven * slow) / 2
        wall = outside * (bead + bead[_ACROSS]) / 2
        if f.kind in ("hole", "peg"):
            bend = max(f.size / 2 - outside * self.width / 2, 0.2)
            wall = wall - self.drag**2 / (2 * bend) * (1.0 if outside < 0 else 0.5)
            seams = np.zeros(PLACES)
            wide = max(1, round(PLACES * 0.8 / (math.pi * f.size)))
            start = int(chance.integers(PLACES))
            seams[np.arange(start, start + wide) % PLACES] = self.seam / 2
            return np.asarray(wall + outside * (seams + seams[_ACROSS]) / 2)
        # Jaws lie across short walls from corner to corner, across long ones anywhere.
        from_corner = np.linspace(0.3, max(0.5, min(f.size, 30.0) / 2), PLACES)
        return np.asarray(wall + outside * self.corner * np.exp(-from_corner / 0.8))


@dataclass(frozen=True, slots=True)
class ResinPrinter:
    """A printer that hardens resin with light. ``bleed`` is how far light goes beyond a wall, more
    where a hole is narrow by ``pool``; walls lie on the rows of a screen of so large a ``pixel``;
    what hardens shrinks. What must hold on the plate is lit for long, and spreads by ``burnt``."""

    bleed: float
    pool: float
    pixel: float
    layer: float
    over: float
    shrink: tuple[float, float, float]
    uneven: float
    days: tuple[float, float, float]
    burnt: float

    formats = (".3mf", ".stl")

    @classmethod
    def of(cls, seed: int) -> ResinPrinter:
        """One of the many."""
        chance = np.random.default_rng([seed, 21])
        pick = chance.uniform
        share = pick(0.3, 1.1)
        return cls(
            bleed=pick(0.01, 0.06),
            pool=pick(0.02, 0.12),
            pixel=pick(0.03, 0.05),
            layer=0.05,
            over=pick(0.0, 0.06),
            shrink=(share + pick(-0.06, 0.06), share + pick(-0.06, 0.06), share * pick(0.4, 0.9)),
            uneven=pick(0.006, 0.015),
            days=(pick(0.006, 0.015), pick(0.02, 0.05), pick(0.005, 0.015)),
            burnt=pick(0.0, 0.12),
        )

    def make(self, features: list[Measurable], day: int, piece: int) -> list[Made]:
        """A piece as it is after washing and curing."""
        today, chance = np.random.default_rng([day, 22]), np.random.default_rng([piece, 23])
        bleed = self.bleed + today.normal(0, self.days[0]) + chance.normal(0, self.days[0] / 4)
        cured = today.normal(0, self.days[1])
        over = self.over + today.normal(0, self.days[2])
        return [Made(f, self._places(f, bleed, cured, over, chance)) for f in features]

    def _places(
        self, f: Measurable, bleed: float, cured: float, over: float, chance: np.random.Generator
    ) -> Floats:
        noise = chance.normal(0, self.uneven, PLACES) + chance.normal(0, self.uneven / 2)
        if f.kind == "height":
            size = round(f.size / self.layer) * self.layer
            return np.asarray(size * (1 - (self.shrink[2] + cured) / 100) + over + noise)
        share = {"x": self.shrink[0], "y": self.shrink[1]}.get(
            f.axis, (self.shrink[0] + self.shrink[1]) / 2
        ) + cured
        walls = (
            np.array([f.x - f.size / 2, f.x + f.size / 2])
            if f.axis != "y"
            else np.array([f.y - f.size / 2, f.y + f.size / 2])
        )
        lit = np.round(walls / self.pixel) * self.pixel
        # Of a round wall every place falls on another pixel: on the whole they even out.
        size = f.size if f.kind in ("hole", "peg") else float(lit[1] - lit[0])
        outside = -1.0 if f.kind in ("hole", "opening") else 1.0
        more = self.pool * math.exp(-f.size / 4) if outside < 0 else 0.0
        if f.kind == "first layer":
            # A brighter lamp spreads by more there, too.
            more = 2 * self.burnt * (1 + 0.15 * (bleed - self.bleed) / self.days[0])
        return np.asarray(size * (1 - share / 100) + outside * 2 * (bleed + more / 2) + noise)
