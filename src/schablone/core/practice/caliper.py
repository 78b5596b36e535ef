"""The hand that measures: a caliper with a last digit and a zero, and somebody who holds it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from .features import Measurable

if TYPE_CHECKING:
    from collections.abc import Sequence

#: Width of the flats of the inner jaws, mm: in a small hole they bear on a chord.
_FLAT = 0.3


@dataclass(frozen=True, slots=True)
class Made:
    """A feature of a piece as it was made: its true size at places around it or along it, mm."""

    feature: Measurable
    places: NDArray[np.float64]

    @property
    def size(self) -> float:
        """Its size, mm: the middle of all places."""
        return float(self.places.mean())


@dataclass(frozen=True, slots=True)
class Caliper:
    """A caliper and a hand. ``resolution`` of the last digit, ``zero`` what it shows when closed,
    ``press`` how far jaws are pressed into the work, ``feel`` the scatter of a hand, mm; ``slips``
    the share of readings that are taken askew."""

    resolution: float = 0.01
    zero: float = 0.0
    press: float = 0.004
    feel: float = 0.006
    slips: float = 0.004

    @classmethod
    def of(cls, seed: int, resolution: float = 0.01) -> Caliper:
        """One out of many drawers."""
        chance = np.random.default_rng([seed, 71])
        zero = float(chance.normal(0, 0.008))
        return cls(
            resolution, zero, float(chance.uniform(0, 0.008)), float(chance.uniform(0.003, 0.01))
        )

    def closed(self) -> float:
        """What it shows when it is closed, mm."""
        return round(round(self.zero / self.resolution) * self.resolution, 4)

    def read(self, made: Made, chance: np.random.Generator) -> float:
        """One reading at one place, mm."""
        inside = made.feature.kind in ("hole", "opening", "diagonal")
        true = float(chance.choice(made.places))
        if made.feature.kind == "hole":
            true = math.sqrt(max(true * true - _FLAT * _FLAT, 0.0))
        raw = (
            true
            + (self.press if inside else -self.press)
            + self.zero
            + float(chance.normal(0, self.feel))
        )
        # jaws stand askew: holes read too small, outsides too large
        if chance.random() < self.slips:
            raw += float(chance.uniform(0.05, 0.4)) * (-1 if inside else 1)
        return round(round(raw / self.resolution) * self.resolution, 4)

    def readings(
        self, piece: Sequence[Made], times: int, seed: int
    ) -> list[tuple[Measurable, tuple[float, ...]]]:
        """Readings of everything on a piece, each so many times."""
        chance = np.random.default_rng([seed, 72])
        return [(one.feature, tuple(self.read(one, chance) for _ in range(times))) for one in piece]
