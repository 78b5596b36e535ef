"""Numbers and lengths in fields that hold no formula."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.formula.typed import typed_length, typed_number

#: By definition, mm.
_UNITS = {"": 1.0, "mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8, '"': 25.4}


@given(st.floats(-1e6, 1e6).filter(lambda x: abs(x) > 1e-3 or x == 0), st.sampled_from(",."))
def test_a_number_is_read_as_it_was_written(value: float, mark: str) -> None:
    text = f"{value:.6f}"
    read = typed_number(f" {text.replace('.', mark).replace('-', '−')} ")
    assert read == float(text)


@given(st.decimals(0, 9999, places=3), st.sampled_from(sorted(_UNITS)), st.booleans())
def test_a_length_is_read_in_its_unit(value, unit: str, negative: bool) -> None:
    sign = "-" if negative else ""
    read = typed_length(f"{sign}{value} {unit}")
    wanted = float(value) * _UNITS[unit] * (-1 if negative else 1)
    assert read == pytest.approx(wanted, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "millimetres"),
    [("12,5", 12.5), ("1 1/2 in", 38.1), ("3/4 in", 19.05), ("5' 3-1/2\"", 1612.9), ("2,5 cm", 25),
     ("-0,1", -0.1)],
)  # fmt: skip
def test_as_a_workshop_writes_them(text: str, millimetres: float) -> None:
    assert typed_length(text) == pytest.approx(millimetres, rel=1e-12)


@pytest.mark.parametrize(
    "text",
    ["", " ", "nan", "inf", "-inf", "1_000", "0x10", "1e999", "2 kg", "30 deg", "12 mm +", "abc",
     "1/0 in", "1 2", "mm", "1,2,3", "1e99999999 mm"],
)  # fmt: skip
def test_what_is_none_is_none(text: str) -> None:
    assert typed_length(text) is None


@given(st.text(max_size=20))
def test_no_text_raises(text: str) -> None:
    read = typed_length(text)
    assert read is None or math.isfinite(read)
