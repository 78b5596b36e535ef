"""The practice machines: hidden habits, a little noise, and a caliper."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from .features import Feature, features_of_file


@dataclass(frozen=True, slots=True)
class PracticePrinter:
    """A printer that shrinks what it makes, closes small holes more than large ones, and is never quite the same twice.

    ``spread`` is the standard deviation from piece to piece, mm; ``resolution`` that of its caliper's last digit.
    """

    name: str
    shrinkage_xy: float
    shrinkage_z: float
    hole_gain: float
    hole_small: float
    peg_gain: float
    spread: float = 0.02
    resolution: float = 0.01
    peg_small: float = 0.0

    formats = (".3mf", ".stl")

    def make(self, data: bytes, name: str, seed: int) -> list[tuple[Feature, float]]:
        """Make a piece of a file: what can be measured on it, each with its true size, mm.

        Raises:
            NotReadable: where the file is none that it takes.
        """
        chance = np.random.default_rng(seed)
        return [(f, self._size(f) + float(chance.normal(0, self.spread))) for f in features_of_file(data, name)]

    def _size(self, feature: Feature) -> float:
        share = self.shrinkage_z if feature.kind == "height" else self.shrinkage_xy
        size = feature.size * (1 - share / 100)
        if feature.kind == "hole":
            return size + self.hole_gain + self.hole_small / size
        if feature.kind == "opening":
            return size + self.hole_gain
        if feature.kind == "peg":
            return size + self.peg_gain + self.peg_small / size
        return size + (self.peg_gain if feature.kind == "length" else 0.0)

    def measure(
        self, piece: list[tuple[Feature, float]], times: int, seed: int
    ) -> list[tuple[Feature, tuple[float, ...]]]:
        """Readings of everything on a piece, each so many times."""
        return _measured(piece, times, self.resolution, seed)


@dataclass(frozen=True, slots=True)
class PracticeCutter:
    """A laser or a router: what it cuts out is smaller by its kerf, openings are larger; a round cutter does not get into
    their corners."""

    name: str
    kerf: float
    cutter: float = 0.0
    spread: float = 0.015
    resolution: float = 0.01

    formats = (".dxf",)

    def make(self, data: bytes, name: str, seed: int) -> list[tuple[Feature, float]]:
        """Cut a piece out of a file: what can be measured on it, each with its true size, mm.

        Raises:
            NotReadable: where the file is none that it takes.
        """
        chance = np.random.default_rng(seed)
        made = []
        for feature in features_of_file(data, name):
            by = self.kerf if feature.kind in ("hole", "opening") else -self.kerf
            if feature.kind == "diagonal":
                by = math.sqrt(2) * self.kerf - (math.sqrt(2) - 1) * self.cutter
            made.append((feature, feature.size + by + float(chance.normal(0, self.spread))))
        return made

    def measure(
        self, piece: list[tuple[Feature, float]], times: int, seed: int
    ) -> list[tuple[Feature, tuple[float, ...]]]:
        """Readings of everything on a piece, each so many times."""
        return _measured(piece, times, self.resolution, seed)


def _measured(
    piece: list[tuple[Feature, float]], times: int, resolution: float, seed: int
) -> list[tuple[Feature, tuple[float, ...]]]:
    chance = np.random.default_rng(seed)
    found = []
    for feature, size in piece:
        raw = size + chance.normal(0, resolution / 2, times)
        found.append((feature, tuple(float(r) for r in np.round(np.round(raw / resolution) * resolution, 4))))
    return found


#: What they are called: all that is to be known of them.
NAMES = ("Practice printer Fink", "Practice printer Gimpel", "Practice laser Kleiber", "Practice router Ammer")


def machine(name: str) -> PracticePrinter | PracticeCutter:
    """A practice machine by its name.

    Raises:
        KeyError: where there is none.
    """
    return {one.name: one for one in machines()}[name]


def machines() -> tuple[PracticePrinter | PracticeCutter, ...]:
    """The practice machines that ship. What they do is for nobody to read but them."""
    return (
        PracticePrinter(NAMES[0], 0.42, 0.2, -0.13, -0.22, 0.09),
        PracticePrinter(NAMES[1], 0.05, -0.05, -0.24, -0.1, -0.04, 0.03, 0.02, 0.3),
        PracticeCutter(NAMES[2], 0.19),
        PracticeCutter(NAMES[3], -0.07, 5.93, 0.03),
    )
