"""A check piece: whether what a process says still is what its machine does, and what moved."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..quantity import plain
from .calibrate import slopes
from .known import Spread
from .model import Process
from .priors import noise_of
from .readings import FeatureMean, MadePiece, in_inches, rows_of
from .sure import HOLDS_95, mean_and_days

#: Off by so many standard deviations, what was measured is no chance any more.
_MOVED = 2.8
_PLURAL = {
    "hole": "round holes", "opening": "openings", "peg": "round pegs", "length": "outsides",
    "height": "heights",
    "diagonal": "ways from corner to corner",
    "first layer": "outsides of the first layer",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Checked:
    """What a check piece says. ``moved``: by the kind of feature, how far they lie from what is
    expected, mm, and the ± that pieces have. ``holds`` where nothing moved."""

    moved: dict[str, tuple[float, float]]
    features: int

    @property
    def holds(self) -> bool:
        """Whether nothing has moved."""
        return not self.moved

    @property
    def words(self) -> str:
        """It in words, with the likely cause."""
        if self.holds:
            return (
                f"The piece confirms the process: all {self.features} features lie where "
                "they are to be expected."
            )
        each = [
            f"{_PLURAL[kind]} came out {plain(abs(off), 2)} mm "
            f"{'larger' if off > 0 else 'smaller'} than expected (± {plain(around, 2)})"
            for kind, (off, around) in self.moved.items()
        ]
        inside = [off for kind, (off, _) in self.moved.items() if kind in ("hole", "opening")]
        outside = [off for kind, (off, _) in self.moved.items() if kind in ("peg", "length")]
        if inside and outside and (sum(inside) > 0) != (sum(outside) > 0):
            cause = (
                "More or less is laid down or cut away than before: another "
                "nozzle, spool, cutter or focus?"
            )
        elif inside and outside:
            cause = "Inside and outside moved the same way: the caliper's zero, or another scale?"
        else:
            cause = "Something changed: a nozzle, a spool, a cutter, or the way of measuring."
        text = "; ".join(each)
        return (
            f"The process has moved: {text}. {cause} Calibrate afresh, without the earlier pieces."
        )


def check(
    process: Process, piece: MadePiece, material: str = "", thickness: float = 0.0
) -> Checked:
    """Hold a piece against what the process expects of it; of what is cut, in a ``material`` of a
    ``thickness`` in mm.

    Raises:
        ValueError: where nothing usable was measured.
    """
    if in_inches(piece.readings):
        raise ValueError("these readings look like inches: nearly all are 1/25.4 of what was drawn")
    rows, _, _ = rows_of([piece])
    if not rows:
        raise ValueError("nothing usable was measured")
    spread = process.spread_in(material, thickness)
    moved: dict[str, tuple[float, float]] = {}
    for kind in dict.fromkeys(row.feature for row in rows):
        mine = [row for row in rows if row.feature == kind]
        off, deviation = _off(process, mine, spread, piece.closed or 0.0, material, thickness)
        if abs(off) > _MOVED * deviation:
            moved[kind] = (off, HOLDS_95 * deviation)
    return Checked(moved, len(rows))


def _off(
    process: Process,
    rows: Sequence[FeatureMean],
    spread: Spread | None,
    zero: float,
    material: str,
    thickness: float,
) -> tuple[float, float]:
    """By how much features of a kind lie on the whole from what is expected, mm, and the standard
    deviation of that."""
    each = [slopes(row.feature, row.drawn, row.axis, process.kind) for row in rows]
    names = tuple(dict.fromkeys(name for one in each for name in one))
    way = np.array([np.mean([one.get(name, 0.0) for one in each]) for name in names])
    mean, days = mean_and_days(process, names, spread)
    single = (spread.noise if spread else {}).get(noise_of(rows[0].feature), 0.02)
    of_rows = np.mean([row.variance for row in rows]) / len(rows) + single**2 / len(rows)
    # What a caliper's last digit rounds may be the same for all of them.
    of_rows += float(np.mean([row.rounded**2 / 12 for row in rows]))
    off = np.mean(
        [
            row.middle - zero - expected(process, row.feature, row.drawn, material, thickness)
            for row in rows
        ]
    )
    # What the zero of a caliper and the pressure of a hand may do beside.
    return float(off), math.sqrt(float(way @ (mean + days) @ way) + of_rows + 0.006**2)


def expected(
    process: Process, feature: str, drawn: float, material: str = "", thickness: float = 0.0
) -> float:
    """What comes off of a feature that is sent as ``drawn`` mm."""
    inside = feature in ("hole", "opening", "diagonal")
    if process.family == "cut":
        turned = math.sqrt(2) if feature == "diagonal" else 1.0
        round_ = (math.sqrt(2) - 1) * process.cutter if feature == "diagonal" else 0.0
        return (
            drawn + turned * process.cut_width(material, thickness) * (1 if inside else -1) - round_
        )
    if feature == "height":
        layer = process.layer
        high = max(1, round(drawn / layer)) * layer if layer > 0 else drawn
        return high * process.kept("z") + process.height_gain
    size = drawn * process.kept("xy")
    comes = size + process.gain(
        "inside" if inside else "outside", size if feature in ("hole", "peg") else 0.0
    )
    return comes + 2 * process.first_layer if feature == "first layer" else comes
