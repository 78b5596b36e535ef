"""Tolerance classes of ISO 286 by its tables, for sizes to 500 mm."""

from __future__ import annotations

import re
from bisect import bisect_left
from dataclasses import dataclass

#: Upper ends of the ranges of nominal sizes, mm (ISO 286-1, main ranges to 500 mm).
_RANGES = (3, 6, 10, 18, 30, 50, 80, 120, 180, 250, 315, 400, 500)
#: Ranges in which the deviations c and r to u are finer divided.
_FINER = (
    3, 6, 10, 18, 24, 30, 40, 50, 65, 80, 100, 120, 140, 160, 180, 200, 225, 250, 280, 315, 355,
    400, 450, 500,
)  # fmt: skip
#: How wide each grade is, µm, by range.
_GRADES = {
    5: (4, 5, 6, 8, 9, 11, 13, 15, 18, 20, 23, 25, 27),
    6: (6, 8, 9, 11, 13, 16, 19, 22, 25, 29, 32, 36, 40),
    7: (10, 12, 15, 18, 21, 25, 30, 35, 40, 46, 52, 57, 63),
    8: (14, 18, 22, 27, 33, 39, 46, 54, 63, 72, 81, 89, 97),
    9: (25, 30, 36, 43, 52, 62, 74, 87, 100, 115, 130, 140, 155),
    10: (40, 48, 58, 70, 84, 100, 120, 140, 160, 185, 210, 230, 250),
    11: (60, 75, 90, 110, 130, 160, 190, 220, 250, 290, 320, 360, 400),
    12: (100, 120, 150, 180, 210, 250, 300, 350, 400, 460, 520, 570, 630),
    13: (140, 180, 220, 270, 330, 390, 460, 540, 630, 720, 810, 890, 970),
    14: (250, 300, 360, 430, 520, 620, 740, 870, 1000, 1150, 1300, 1400, 1550),
    15: (400, 480, 580, 700, 840, 1000, 1200, 1400, 1600, 1850, 2100, 2300, 2500),
    16: (600, 750, 900, 1100, 1300, 1600, 1900, 2200, 2500, 2900, 3200, 3600, 4000),
}
#: How far below its nominal size the nearer end of a shaft lies, µm.
_BELOW = {
    "d": (20, 30, 40, 50, 65, 80, 100, 120, 145, 170, 190, 210, 230),
    "e": (14, 20, 25, 32, 40, 50, 60, 72, 85, 100, 110, 125, 135),
    "f": (6, 10, 13, 16, 20, 25, 30, 36, 43, 50, 56, 62, 68),
    "g": (2, 4, 5, 6, 7, 9, 10, 12, 14, 15, 17, 18, 20),
    "h": (0,) * 13,
}
#: How far above it, µm; k to grade 7, beyond it is 0.
_ABOVE = {
    "k": (0, 1, 1, 1, 2, 2, 2, 3, 3, 4, 4, 4, 5),
    "m": (2, 4, 6, 7, 8, 9, 11, 13, 15, 17, 20, 21, 23),
    "n": (4, 8, 10, 12, 15, 17, 20, 23, 27, 31, 34, 37, 40),
    "p": (6, 12, 15, 18, 22, 26, 32, 37, 43, 50, 56, 62, 68),
}
#: The same in the finer ranges, µm; t begins above 24 mm.
_FINER_BELOW = {
    "c": (60, 70, 80, 95, 110, 110, 120, 130, 140, 150, 170, 180, 200, 210, 230, 240, 260, 280, 300,
          330, 360, 400, 440, 480),
}  # fmt: skip
_FINER_ABOVE = {
    "r": (10, 15, 19, 23, 28, 28, 34, 34, 41, 43, 51, 54, 63, 65, 68, 77, 80, 84, 94, 98, 108, 114,
          126, 132),
    "s": (14, 19, 23, 28, 35, 35, 43, 43, 53, 59, 71, 79, 92, 100, 108, 122, 130, 140, 158, 170,
          190, 208, 232, 252),
    "t": (None, None, None, None, None, 41, 48, 54, 66, 75, 91, 104, 122, 134, 146, 166, 180, 196,
          218, 240, 268, 294, 330, 360),
    "u": (18, 23, 28, 33, 41, 48, 60, 70, 87, 102, 124, 144, 170, 190, 210, 236, 258, 284, 315, 350,
          390, 435, 490, 540),
}  # fmt: skip
_FORM = re.compile(r"^([a-zA-Z]{1,2})(\d{1,2})$")


def tolerance_unit(size: float) -> float:
    """The tolerance unit i of ISO 286-1 for a size in mm, in mm: 0.45 ∛D + 0.001 D micrometres (D
    in mm, to 500 mm)."""
    return float(0.45 * abs(size) ** (1 / 3) + 0.001 * abs(size)) / 1000


@dataclass(frozen=True, slots=True)
class Deviations:
    """How far a size may be from its nominal one, mm: the lower and the upper end."""

    low: float
    high: float

    @property
    def middle(self) -> float:
        """The middle of both deviations, mm."""
        return (self.low + self.high) / 2


def deviations(size: float, name: str) -> Deviations:
    """The deviations of a tolerance class such as ``H7`` or ``g6`` at a nominal size in mm, by the
    tables of ISO 286-1 and -2.

    Raises:
        ValueError: for a class that there is not, or a size beyond 500 mm.
    """
    match = _FORM.match(name)
    if match is None or int(match[2]) not in _GRADES:
        raise ValueError(
            f"“{name}” is no tolerance class; they are a letter and a "
            "grade from 5 to 16, such as H7 or g6"
        )
    if size <= 0:
        raise ValueError(f"the size is {size:g} mm; it must be above zero")
    if size > _RANGES[-1]:
        raise ValueError(f"the classes go up to 500 mm; this is {size:g} mm")
    letter, grade = match[1], int(match[2])
    at = bisect_left(_RANGES, size)
    width = _GRADES[grade][at]
    if letter.lower() == "js":
        return Deviations(-width / 2000, width / 2000)
    near, above = _nearer_end(letter, grade, size, name)
    if letter.islower():
        return _in_mm(near, near + width) if above else _in_mm(-near - width, -near)
    if not above:
        return _in_mm(near, near + width)
    high = _upper_end_of_hole(letter, grade, at, near)
    return _in_mm(high - width, high)


def _in_mm(low: float, high: float) -> Deviations:
    return Deviations(low / 1000, high / 1000)


def _nearer_end(letter: str, grade: int, size: float, name: str) -> tuple[int, bool]:
    """How far the nearer end of a shaft lies from its nominal size, µm, and whether that is above
    it."""
    at, finer = bisect_left(_RANGES, size), bisect_left(_FINER, size)
    if letter in "kK" and grade > (7 if letter == "k" else 8):
        return 0, True
    letter = letter.lower()
    for table, place, above in (
        (_BELOW, at, False),
        (_ABOVE, at, True),
        (_FINER_BELOW, finer, False),
    ):
        if letter in table:
            return table[letter][place], above
    if letter not in _FINER_ABOVE:
        known = ", ".join(sorted([*_BELOW, "js", *_ABOVE, *_FINER_BELOW, *_FINER_ABOVE]))
        raise ValueError(
            f"the letter of “{name}” is not known here; there are {known}, and large ones for holes"
        )
    nearer = _FINER_ABOVE[letter][finer]
    if nearer is None:
        raise ValueError(f"“{name}” begins above 24 mm; this is {size:g} mm")
    return nearer, True


def _upper_end_of_hole(letter: str, grade: int, at: int, near: int) -> int:
    """The upper end of a hole that lies below its nominal size, µm. K, M and N to grade 8 and P to
    U to grade 7 lie higher by the step between neighbouring grades, so that a hole with a grade and
    a shaft one finer fit as shaft and hole do."""
    if letter == "N" and grade > 8 and at > 0:
        return 0
    if (letter, grade, at) == ("M", 6, 10):  # rounded otherwise in the standard
        return -9
    close = (letter in "KMN" and grade <= 8) or (letter in "PRSTU" and grade <= 7)
    step = _GRADES[grade][at] - _GRADES[grade - 1][at] if close and at > 0 and grade > 5 else 0
    return step - near
