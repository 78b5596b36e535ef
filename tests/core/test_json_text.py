"""JSON from anywhere: read as it is, or refused with words."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import read_design_text
from schablone.core.json_text import parse_json
from schablone.core.problem import SchabloneError
from schablone.core.process.store import parse_process

values = st.recursive(
    st.none() | st.booleans() | st.integers(-(10**20), 10**20) | st.floats(allow_nan=False,
        allow_infinity=False) | st.text(),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(), inner, max_size=4),
    max_leaves=20,
)  # fmt: skip


@given(values)
def test_what_is_written_is_read(value) -> None:
    assert parse_json(json.dumps(value), "a") == value


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "is cut off at line 1"),
        ('{"format": "schabl', "is cut off at line 1"),
        ('{"a": 1,, "b": 2}', "is damaged at line 1, column 9"),
        ("[" * 300 + "]" * 300, "nested too deeply"),
        ("[" * 100_000, "nested too deeply"),
        ('{"a": ' + "9" * 5000 + "}", "a number of 5000 digits"),
        ('{"a": 1, "a": 2}', "says “a” twice"),
        ('{"a": NaN}', "has “NaN” where a number should be"),
        ("[" + "[]," * 1_200_000 + "[]]", "more than 1,000,000 values"),
    ],
)
def test_what_cannot_be_read_is_told(text: str, says: str) -> None:
    for read in (
        lambda t: parse_json(t, "a.json"),
        lambda t: read_design_text(t, "a.json"),
        lambda t: parse_process(t, "a.json"),
    ):
        with pytest.raises(SchabloneError) as caught:
            read(text)
        assert says in str(caught.value)
        assert "a.json" in str(caught.value)
