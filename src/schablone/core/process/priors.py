"""What is known of machines of a kind before anything is measured on one, and how far they are the
same from day to day.

Weakly informative: wide enough that a calibration overrules them, narrow enough that what a test
piece cannot tell (how the machine will be tomorrow) is not taken for nothing. From general
knowledge of these ways of making; all may be overruled by what is measured on several days.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from .known import NoiseKind

Floats = NDArray[np.float64]

#: What has a noise of its own: round walls, straight ones, heights.
NOISES: tuple[NoiseKind, ...] = ("round", "straight", "height")


@dataclass(frozen=True, slots=True)
class Prior:
    """``causes``: independent quantities, each with its mean and standard deviation in the unit of
    the figures that it moves, and by how much it moves them. ``days``: the same from day to day,
    about nothing. ``pieces`` is the share of a day's that pieces of one day have among themselves.
    ``noise`` of a single feature, mm: of round walls, of straight ones, and in height.
    """

    causes: Mapping[str, tuple[float, float, Mapping[str, float]]]
    days: Mapping[str, tuple[float, Mapping[str, float]]]
    noise: Mapping[NoiseKind, float]
    pieces: float = 0.3
    #: Figures that no process has: they are not corrected, only allowed for.
    allowed: frozenset[str] = field(default_factory=frozenset)

    def moments(self, names: tuple[str, ...]) -> tuple[Floats, Floats]:
        """Mean (n,) and covariance (n, n) of figures."""
        means, rows = np.zeros(len(names)), np.zeros((len(names), len(names)))
        for mean, deviation, moves in self.causes.values():
            way = np.array([moves.get(name, 0.0) for name in names])
            means += mean * way
            rows += deviation**2 * np.outer(way, way)
        return means, rows

    def day_to_day(self, names: tuple[str, ...]) -> Floats:
        """Covariance (n, n) of figures from a piece of one day to one of another."""
        rows = np.zeros((len(names), len(names)))
        for deviation, moves in self.days.values():
            way = np.array([moves.get(name, 0.0) for name in names])
            rows += (1 + self.pieces**2) * deviation**2 * np.outer(way, way)
        return rows


_INSIDE_OUT = {
    "hole_gain": -1.0,
    "opening_gain": -1.0,
    "lying_hole_gain": -1.0,
    "peg_gain": 1.0,
    "length_gain": 1.0,
}
_SHRINKS = {"shrinkage_xy": 1.0, "shrinkage_z": 1.0}


def _printer(
    wall: tuple[float, float],
    round_hole: tuple[float, float, float],
    shrink: tuple[float, float],
    high: tuple[float, float],
    squeeze: tuple[float, float],
    days: tuple[float, float, float, float],
    noise: tuple[float, float, float],
) -> Prior:
    return Prior(
        causes={
            # Where walls stand too far out, holes close by as much as outsides grow.
            "walls": (*wall, _INSIDE_OUT),
            "holes": (round_hole[0], 0.04, {"hole_gain": 1.0}),
            "lying holes": (0.0, 0.1, {"lying_hole_gain": 1.0}),
            "openings": (0.0, 0.03, {"opening_gain": 1.0}),
            "pegs": (0.0, 0.04, {"peg_gain": 1.0}),
            "lengths": (0.0, 0.03, {"length_gain": 1.0}),
            "small holes": (round_hole[1], round_hole[2], {"hole_small": 1.0}),
            "small pegs": (0.0, 0.2, {"peg_small": 1.0}),
            "shrinking": (*shrink, _SHRINKS),
            "across": (0.0, 0.1, {"shrinkage_xy": 1.0}),
            "upwards": (0.0, 0.15, {"shrinkage_z": 1.0}),
            "x and y": (0.0, 0.1, {"x_and_y": 1.0}),
            "heights": (*high, {"height_gain": 1.0}),
            "first layers": (*squeeze, {"first_layer": 1.0}),
        },
        days={
            "walls": (days[0], _INSIDE_OUT),
            "shrinking": (days[1], _SHRINKS),
            "heights": (days[2], {"height_gain": 1.0}),
            "first layers": (days[3], {"first_layer": 1.0}),
        },
        noise=dict(zip(NOISES, noise, strict=True)),
        allowed=frozenset({"x_and_y"}),
    )


PRIORS: dict[str, Prior] = {
    "filament print": _printer(
        (0.07, 0.08),
        (-0.03, -0.25, 0.3),
        (0.25, 0.2),
        (0.0, 0.06),
        (0.1, 0.1),
        (0.0279, 0.0232, 0.019, 0.02),
        (0.011, 0.01, 0.008),
    ),
    "resin print": _printer(
        (0.05, 0.05),
        (0.0, -0.1, 0.2),
        (0.7, 0.3),
        (0.03, 0.05),
        (0.05, 0.06),
        (0.0221, 0.034, 0.0107, 0.012),
        (0.0075, 0.016, 0.005),
    ),
    "laser or knife": Prior(
        causes={
            "kerf": (0.2, 0.1, {"kerf": 1.0}),
            "inside": (0.0, 0.008, {"inside": 1.0}),
            "small holes": (-0.05, 0.1, {"hole_small": 1.0}),
            "rulers": (0.0, 0.02, {"shrinkage_xy": 1.0}),
        },
        days={"kerf": (0.0111, {"kerf": 1.0})},
        noise=dict.fromkeys(NOISES, 0.008),
        pieces=0.65,
        allowed=frozenset({"inside", "hole_small", "shrinkage_xy"}),
    ),
    "router": Prior(
        causes={
            # What a path gains is a cut that is too narrow.
            "kerf": (-0.05, 0.1, {"kerf": 1.0}),
            "inside": (0.015, 0.009, {"inside": 1.0}),
            "rulers": (0.0, 0.02, {"shrinkage_xy": 1.0}),
            "cutter": (0.0, 0.15, {"cutter": 1.0}),
        },
        days={"kerf": (0.0184, {"kerf": 1.0})},
        noise=dict.fromkeys(NOISES, 0.0095),
        pieces=0.5,
        allowed=frozenset({"inside", "shrinkage_xy"}),
    ),
}


def noise_of(feature: str) -> NoiseKind:
    """Which noise a kind of feature has."""
    return (
        "height" if feature == "height" else "round" if feature in ("hole", "peg") else "straight"
    )
