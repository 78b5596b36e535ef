"""Tolerance classes of ISO 286 by their published formulas."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass

#: Upper ends of the ranges of nominal sizes, mm (ISO 286-1, main ranges to 500 mm).
_RANGES = (3, 6, 10, 18, 30, 50, 80, 120, 180, 250, 315, 400, 500)
#: Ranges in which the deviations r and s are finer divided.
_FINER = (
    3,
    6,
    10,
    14,
    18,
    24,
    30,
    40,
    50,
    65,
    80,
    100,
    120,
    140,
    160,
    180,
    200,
    225,
    250,
    280,
    315,
    355,
    400,
    450,
    500,
)
#: Tolerance grades as multiples of the tolerance unit; each five grades are ten times as wide.
_GRADES = {5: 7, 6: 10, 7: 16, 8: 25, 9: 40, 10: 64, 11: 100, 12: 160, 13: 250, 14: 400, 15: 640, 16: 1000}
#: What the standard adds to a grade for the deviations p and s, µm, by range of sizes.
_ADDED_P = (-4, 0, 0, 0, 1, 1, 2, 2, 3, 4, 4, 5, 5)
_ADDED_S = (0, 1, 1, 1, 2, 4)
_FORM = re.compile(r"^([a-zA-Z]{1,2})(\d{1,2})$")


def tolerance_unit(size: float) -> float:
    """The tolerance unit i of ISO 286-1 for a size in mm, in mm: 0.45 ∛D + 0.001 D micrometres (D in mm, to 500 mm)."""
    return float(0.45 * abs(size) ** (1 / 3) + 0.001 * abs(size)) / 1000


@dataclass(frozen=True, slots=True)
class Deviations:
    """How far a size may be from its nominal one, mm: the lower and the upper end."""

    low: float
    high: float

    @property
    def middle(self) -> float:
        return (self.low + self.high) / 2


def _mean(size: float, ends: tuple[int, ...]) -> float:
    """The geometric mean of the range in which a size lies; that of sizes to 3 mm counts from 1 mm."""
    low = 1.0
    for end in ends:
        if size <= end:
            return math.sqrt(low * end)
        low = float(end)
    raise ValueError(f"the classes go up to 500 mm; this is {size:g} mm")


def deviations(size: float, name: str) -> Deviations:
    """The deviations of a tolerance class such as ``H7`` or ``g6`` at a nominal size in mm.

    By the formulas of ISO 286-1 (tolerance unit, grades, fundamental deviations d to s and their holes), not rounded:
    printed tables round to whole micrometres and differ by that.

    Raises:
        ValueError: for a class that there is not, or a size beyond 500 mm.
    """
    match = _FORM.match(name)
    if match is None or int(match[2]) not in _GRADES:
        raise ValueError(
            f"“{name}” is no tolerance class; they are a letter and a grade from 5 to 16, such as H7 or g6"
        )
    if size <= 0:
        raise ValueError(f"the size is {size:g} mm; it must be above zero")
    letter, grade = match[1], int(match[2])
    width = _GRADES[grade] * tolerance_unit(_mean(size, _RANGES))
    d = _mean(size, _RANGES)
    lower = letter.lower()
    seven, eight = (_GRADES[g] * tolerance_unit(_mean(size, _RANGES)) for g in (7, 8))
    at = next(k for k, end in enumerate(_RANGES) if size <= end)
    above = {  # distance of the nearer end of a shaft from the nominal size, µm, below it
        "d": 16 * d**0.44, "e": 11 * d**0.41, "f": 5.5 * d**0.41, "g": 2.5 * d**0.34, "h": 0.0,
    }  # fmt: skip
    below = {  # the same above it
        "k": 0.6 * d ** (1 / 3) if grade <= 7 else 0.0,
        "m": (_GRADES[7] - _GRADES[6]) * tolerance_unit(_mean(size, _RANGES)) * 1000,
        "n": 5 * d**0.34,
        "p": seven * 1000 + _ADDED_P[at],
        "s": eight * 1000 + _ADDED_S[at] if size <= 50 else seven * 1000 + 0.4 * _mean(size, _FINER),
    }
    below["r"] = math.sqrt(below["p"] * below["s"])
    if lower == "js":
        return Deviations(-width / 2, width / 2)
    if lower in above:
        high = -above[lower] / 1000
        shaft = Deviations(high - width, high)
    elif lower in below:
        low = below[lower] / 1000
        shaft = Deviations(low, low + width)
    else:
        known = ", ".join(sorted([*above, "js", *below]))
        raise ValueError(f"the letter of “{name}” is not known here; there are {known}, and large ones for holes")
    if letter.islower():
        return shaft
    # Holes mirror shafts; K, M and N to grade 8, P to S to grade 7 lie deeper by the step between neighbouring grades.
    hole = Deviations(-shaft.high, -shaft.low)
    close = (lower in ("k", "m", "n") and grade <= 8) or (lower in ("p", "r", "s") and grade <= 7)
    if close and size > 3 and grade > 5:
        deeper = (_GRADES[grade] - _GRADES[grade - 1]) * tolerance_unit(_mean(size, _RANGES))
        hole = Deviations(hole.low + deeper, hole.high + deeper)
    return hole
