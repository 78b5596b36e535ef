"""Readings out of spreadsheets, as programs and people write them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.formula.typed import typed_number
from schablone.core.problem import SchabloneError
from schablone.core.process.readings_file import read_readings

#: Readings in hundredths of a millimetre, three of each feature.
FEATURES = st.lists(
    st.integers(200, 12_000).flatmap(
        lambda size: st.lists(st.integers(size - 9, size + 9), min_size=1, max_size=3)
    ),
    min_size=1,
    max_size=8,
)


@given(FEATURES, st.sampled_from([(".", ","), (".", ";"), (",", ";"), (",", "\t"), (".", "\t")]))
def test_numbers_come_as_they_were_written(features: list[list[int]], marks: tuple[str, str]):
    point, apart = marks
    text = "\n".join(
        apart.join(f"{one / 100:.2f}".replace(".", point) for one in row) for row in features
    )
    read = read_readings(f"1st{apart}2nd\n{text}\n", "r.csv", len(features))
    assert [[round(100 * (typed_number(cell) or 0)) for cell in row] for row in read] == features


def test_a_comma_in_numbers_does_not_part_them() -> None:
    """A column of readings, with the comma of the country: 59 and 88 are no two readings."""
    assert read_readings("59,88\n6,02\n20,20\n", "r.csv", 3) == [["59,88"], ["6,02"], ["20,20"]]
    assert read_readings("hole,59,88\npeg,6,02\n", "r.csv", 2) == [["59,88"], ["6,02"]]
    assert read_readings("59.8,60\n6,6.1\n", "r.csv", 2) == [["59.8", "60"], ["6", "6.1"]]


@pytest.mark.parametrize("text", ["20,20\n6,6\n", "59,88,59,90\n6,02,6,04\n", "60,60,61\n6,7\n"])
def test_commas_that_may_be_either_are_not_guessed(text: str) -> None:
    with pytest.raises(SchabloneError, match=r"a comma may stand in a number .* semicolons"):
        read_readings(text, "r.csv", 2)
