"""Caliper readings of a piece: what they are of, how fine they are, and which of them have
slipped."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from .known import FeatureKind, MeasuredPiece, MeasuredRow

#: A reading further than this from its drawn size, as a share and in mm, has slipped.
_SLIPPED = (0.15, 1.0)
#: The share for a way from corner to corner, where a cutter may well leave a third of it.
_SLIPPED_DIAGONAL = 0.4
#: Last digits that calipers and rulers have, mm.
_DIGITS = (1.0, 0.5, 0.1, 0.05, 0.02, 0.01, 0.005, 0.001)
#: How many times as wide as the hand's scatter a reading may lie from the others of its feature.
_ASTRAY = 6.0


@dataclass(frozen=True, slots=True)
class Reading:
    """One reading: what was measured, its size as it was sent to the machine, and the caliper's
    figure, mm. ``axis`` is that of a straight measure, where it is known."""

    feature: FeatureKind
    drawn: float
    measured: float
    label: str = ""
    axis: str = ""

    @property
    def words(self) -> str:
        """What it is of."""
        return self.label or f"{self.feature} {self.drawn:g} mm"


@dataclass(frozen=True, slots=True)
class MadePiece:
    """The readings of one piece, the day it was made on, and what the caliper showed when it was
    closed, mm."""

    readings: tuple[Reading, ...]
    day: str = ""
    closed: float | None = None

    @classmethod
    def of(cls, kept: MeasuredPiece) -> MadePiece:
        """A piece as a process keeps it."""
        readings = [
            Reading(row.kind, row.drawn, value, row.label, row.axis)
            for row in kept.rows
            for value in row.read
        ]
        return cls(tuple(readings), kept.date, kept.closed)

    def kept(self, name: str, material: str = "", thickness: float = 0.0) -> MeasuredPiece:
        """The piece as a process keeps it."""
        rows: dict[tuple[FeatureKind, float, str, str], list[float]] = {}
        for r in self.readings:
            rows.setdefault((r.feature, r.drawn, r.axis, r.label), []).append(r.measured)
        made = [
            MeasuredRow(kind=kind, drawn=drawn, axis=axis, label=label, read=tuple(read))
            for (kind, drawn, axis, label), read in rows.items()
        ]
        return MeasuredPiece(
            date=self.day,
            name=name,
            material=material,
            thickness=thickness,
            closed=self.closed,
            rows=tuple(made),
        )


@dataclass(frozen=True, slots=True)
class FeatureMean:
    """A feature of a piece with the middle of its readings, mm, and their variance as such, mm².
    ``rounded`` is the last digit of a caliper that shows one figure again and again, mm, else 0;
    ``piece`` is its number; ``members`` are the numbers of the readings."""

    feature: FeatureKind
    drawn: float
    axis: str
    middle: float
    variance: float
    rounded: float
    piece: int
    members: tuple[int, ...]


def in_inches(readings: Sequence[Reading]) -> bool:
    """Whether readings are plainly in inches: nearly all are 1/25.4 of what was drawn."""
    ratios = np.array(
        [r.measured / r.drawn * 25.4 for r in readings if r.drawn > 0 and math.isfinite(r.measured)]
    )
    return len(ratios) > 0 and float(np.mean(np.abs(ratios - 1) < 0.15)) > 0.8


def has_slipped(reading: Reading) -> bool:
    """Whether a reading is that of another feature, or its point has slipped."""
    share, least = _SLIPPED
    if reading.feature == "diagonal":
        share = _SLIPPED_DIAGONAL
    off = abs(reading.measured - reading.drawn)
    return (
        not math.isfinite(reading.measured)
        or reading.measured <= 0
        or off > max(least, share * reading.drawn)
    )


def say_slipped(reading: Reading) -> str:
    """A slipped reading, with what may have been meant."""
    for factor in (10.0, 0.1, 100.0, 0.01):
        if abs(reading.measured * factor / reading.drawn - 1) < 0.1:
            return (
                f"{reading.words} was read as {reading.measured:g} mm: a slipped point? "
                f"{reading.measured * factor:g} mm would fit. "
                "It is left out."
            )
    return f"{reading.words} was read as {reading.measured:g} mm: another feature? It is left out."


def last_digit(readings: Sequence[Reading]) -> float:
    """The step of the caliper, mm: the widest one of which all readings are multiples."""
    values = np.array([r.measured for r in readings])
    for digit in _DIGITS:
        if len(values) and np.all(np.abs(values / digit - np.round(values / digit)) < 1e-4):
            return digit
    return 0.001


def rows_of(pieces: Sequence[MadePiece]) -> tuple[list[FeatureMean], list[int], list[int]]:
    """The features of pieces with what was read on them; the numbers of readings that have slipped,
    and of those that lie astray of the others of their feature."""
    everything = [(k, r) for k, piece in enumerate(pieces) for r in piece.readings]
    slipped = [n for n, (_, r) in enumerate(everything) if has_slipped(r)]
    groups: dict[tuple[int, FeatureKind, float, str, str], list[int]] = {}
    for n, (k, r) in enumerate(everything):
        if n not in slipped:
            groups.setdefault((k, r.feature, round(r.drawn, 4), r.axis, r.label), []).append(n)
    hands = [_hand(k, groups, everything) for k in range(len(pieces))]
    rows, astray = [], []
    for (k, feature, _, axis, _), members in groups.items():
        digit, hand = hands[k]
        values = np.array([everything[n][1].measured for n in members])
        far = np.abs(values - np.median(values)) > _ASTRAY * hand + digit
        if len(values) < 3 or far.sum() * 2 >= len(values):
            far[:] = False
        astray += [n for n, out in zip(members, far, strict=True) if out]
        values = values[~far]
        # Readings that all fall on one digit share what it rounds.
        rounded = digit if hand < 0.3 * digit else 0.0
        rows.append(
            FeatureMean(
                feature,
                everything[members[0]][1].drawn,
                axis,
                float(values.mean()),
                hand**2 / len(values),
                rounded,
                k,
                tuple(members),
            )
        )
    return rows, slipped, astray


def _hand(
    piece: int,
    groups: Mapping[tuple[int, FeatureKind, float, str, str], Sequence[int]],
    everything: Sequence[tuple[int, Reading]],
) -> tuple[float, float]:
    """The last digit of the caliper that a piece was measured with, and the scatter of the hand,
    mm: each piece may have been measured with another."""
    mine = [
        [everything[n][1] for n in members] for (k, *_), members in groups.items() if k == piece
    ]
    digit = last_digit([r for many in mine for r in many])
    return digit, _scatter([[r.measured for r in many] for many in mine], digit)


def _scatter(groups: Sequence[Sequence[float]], digit: float) -> float:
    """The standard deviation of a reading about the middle of its feature's, mm; slips apart."""
    many = [np.asarray(group) for group in groups if len(group) > 1]
    if not many:
        return max(digit / 2, 0.01)
    spreads = np.array([float(group.var(ddof=1)) for group in many])
    usual = float(np.median(spreads))
    kept = spreads[spreads <= 12 * max(usual, digit**2 / 12)]
    return math.sqrt(float(kept.mean())) if len(kept) else digit / 2
