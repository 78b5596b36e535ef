"""What an edit made can be written and read again, or it is refused."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from pydantic import BaseModel, ValidationError

from schablone.core.design import Design, Size, read_design, save_design, write_design
from schablone.core.design.file import read_design_text
from schablone.core.design.sound import require_sound
from schablone.core.files import LARGEST
from schablone.core.problem import SchabloneError
from tests.conftest import TOP

#: Longer than any text may be.
LONG = "9" * 3_000_001


def changed(value: object) -> Iterator[object]:
    """The value with one text anywhere in it that is far too long, as a copy makes it, each in
    turn; of a list the first and the last are looked into."""
    if isinstance(value, BaseModel):
        for name in type(value).model_fields:
            held = getattr(value, name)
            if isinstance(held, str) and name not in ("format", "kind", "data"):
                yield value.model_copy(update={name: LONG})
            else:
                yield from (value.model_copy(update={name: one}) for one in changed(held))
    elif isinstance(value, tuple) and value:
        for at in sorted({0, len(value) - 1}):
            yield from ((*value[:at], one, *value[at + 1 :]) for one in changed(value[at]))


@pytest.mark.parametrize("demo", ["entrance-slide", "hive-box", "winter-lid"])
def test_what_could_not_be_read_again_is_refused_wherever_it_stands(demo: str) -> None:
    design = read_design(TOP / "demo" / f"{demo}.schablone")
    require_sound(design, design)
    require_sound(design, read_design_text(write_design(design)))
    count = 0
    for one in changed(design):
        assert isinstance(one, Design)
        with pytest.raises(ValidationError):
            require_sound(design, one)
        count += 1
    assert count > 40


def test_no_more_of_a_kind_than_are_read() -> None:
    design = read_design(TOP / "demo" / "entrance-slide.schablone")
    many = design.model_copy(update={"checks": design.checks * 300})
    with pytest.raises(ValidationError, match="at most 500"):
        require_sound(design, many)
    with pytest.raises(SchabloneError):
        read_design_text(write_design(many))


def test_what_is_larger_than_what_is_read_is_not_written(tmp_path, monkeypatch) -> None:
    design, path = read_design(TOP / "demo" / "entrance-slide.schablone"), tmp_path / "a.schablone"
    save_design(design, path)
    before = path.read_bytes()
    monkeypatch.setitem(LARGEST, "design", len(before))
    save_design(design, path)
    with pytest.raises(SchabloneError, match=r"a\.schablone would be 0\.0 MB large"):
        save_design(design.with_(note=f"{design.note} more"), path)
    assert path.read_bytes() == before
    # Formulas of sizes have a limit of their own.
    sizes = tuple(Size(name=f"s{n}", formula="1 mm" + " + 1 mm" * 250) for n in range(300))
    with pytest.raises(SchabloneError, match="formulas are"):
        save_design(Design(sizes=sizes), path)
    assert path.read_bytes() == before
