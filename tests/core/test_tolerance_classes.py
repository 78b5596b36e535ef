"""ISO 286: limits as they stand in every drawing office's table, and what must hold between
classes."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.formula.iso286 import deviations, tolerance_unit

#: By size in mm: lower and upper deviation, µm.
TABLE = {
    2: "H7 0 10, h6 -6 0, g6 -8 -2, f7 -16 -6, k6 0 6, m6 2 8, n6 4 10, p6 6 12, r6 10 16, s6 "
    "14 20, K7 -10 0, N7 -14 -4, P7 -16 -6",
    5: "H7 0 12, H8 0 18, g6 -12 -4, f7 -22 -10, k6 1 9, n6 8 16, p6 12 20, K7 -9 3, N7 -16 "
    "-4, P7 -20 -8, s6 19 27",
    10: "H7 0 15, H9 0 36, g6 -14 -5, f7 -28 -13, h6 -9 0, k6 1 10, m6 6 15, n6 10 19, p6 15 "
    "24, s6 23 32, K7 -10 5, N7 -19 -4, "
    "P7 -24 -9, e8 -47 -25, d9 -76 -40, js6 -4.5 4.5",
    16: "H7 0 18, K8 -19 8, M8 -25 2, N9 -43 0, g6 -17 -6, s6 28 39",
    25: "H7 0 21, H8 0 33, H9 0 52, H11 0 130, g6 -20 -7, f7 -41 -20, h6 -13 0, h9 -52 0, k6 2 "
    "15, m6 8 21, n6 15 28, p6 22 35, "
    "r6 28 41, s6 35 48, t6 41 54, u6 48 61, e8 -73 -40, d9 -117 -65, c11 -240 -110, F8 20 53, "
    "G7 7 28, K7 -15 6, M7 -21 0, "
    "N7 -28 -7, P7 -35 -14, R7 -41 -20, S7 -48 -27, JS7 -10.5 10.5",
    50: "H7 0 25, g6 -25 -9, f7 -50 -25, k6 2 18, m6 9 25, n6 17 33, p6 26 42, r6 34 50, s6 43 "
    "59, u6 70 86, K7 -18 7, N7 -33 -8, "
    "P7 -42 -17, d9 -142 -80, E8 50 89",
    100: "H7 0 35, g6 -34 -12, f7 -71 -36, k6 3 25, n6 23 45, p6 37 59, r6 51 73, s6 71 93, K7 "
    "-25 10, N7 -45 -10, P7 -59 -24",
    200: "H7 0 46, H6 0 29, g6 -44 -15, f7 -96 -50, k6 4 33, n6 31 "
    "60, p6 50 79, r6 77 106, s6 122 151",
    300: "H7 0 52, M6 -41 -9, g6 -49 -17, h8 -81 0",
    400: "H7 0 57, g6 -54 -18, k6 4 40, n6 37 73, p6 62 98, H12 0 570",
}
LIMITS = [(size, *entry.split()) for size, line in TABLE.items() for entry in line.split(", ")]


@pytest.mark.parametrize(("size", "name", "low", "high"), LIMITS)
def test_limits_are_those_of_the_table(size, name, low, high):
    found = deviations(size, name)
    assert (found.low * 1000, found.high * 1000) == (
        pytest.approx(float(low)),
        pytest.approx(float(high)),
    )


def test_there_are_enough_of_them():
    assert len(LIMITS) >= 60


@given(st.floats(0.5, 500), st.sampled_from("cdefghkmnprsu"), st.integers(5, 16))
def test_holes_mirror_shafts_and_grades_are_as_wide_as_the_unit_says(size, letter, grade):
    shaft, hole = deviations(size, f"{letter}{grade}"), deviations(size, f"{letter.upper()}{grade}")
    assert hole.high - hole.low == pytest.approx(shaft.high - shaft.low)
    if letter in "cdefgh":
        assert (hole.low, hole.high) == (pytest.approx(-shaft.high), pytest.approx(-shaft.low))
    else:
        assert hole.high >= -shaft.low - 1e-12  # as far down at most
    if grade >= 6 and size > 3:
        times = (10, 16, 25, 40, 64, 100, 160, 250, 400, 640, 1000)[grade - 6]
        # The unit is taken in the middle of a range; at its ends a grade is off by what the unit
        # grows within it.
        assert shaft.high - shaft.low == pytest.approx(times * tolerance_unit(size), rel=0.22)


@pytest.mark.parametrize(
    ("size", "name"),
    [(10, "q7"), (10, "H4"), (501, "H7"), (0, "H7"), (10, "t6"), (-3, "h6"), (10, "seven")],
)
def test_what_is_no_class_is_told(size, name):
    with pytest.raises(
        ValueError, match=r"no tolerance class|not known here|up to 500|above zero|begins above"
    ):
        deviations(size, name)
