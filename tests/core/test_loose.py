"""Loose numbers: planted in the demo designs they are found, and tied nothing moves."""

from __future__ import annotations

import pytest

from schablone.core.design import Design, edit, read_design
from schablone.core.design.evaluate import table_of
from schablone.core.process import neutral, shipped_processes
from schablone.core.prove.loose import Loose, loose_numbers
from schablone.core.quantity import LENGTH
from tests.conftest import TOP

DEMOS = sorted((TOP / "demo").glob("*.schablone"))


def found_in(design: Design) -> list[Loose]:
    return loose_numbers(design, table_of(design, _process(design)))


def _process(design: Design):
    return next((p for p in shipped_processes() if p.name == design.process), neutral())


def part(*, sizes: dict[str, str], fields: dict[str, str]) -> Design:
    """A plate whose fields are given, with some sizes."""
    plate = {"width": "100 mm", "height": "60 mm", "x": "0 mm", "y": "0 mm", "by": "4 mm", **fields}
    by = plate.pop("by")
    return Design.model_validate(
        {
            "name": "Plate",
            "sizes": [{"name": name, "formula": text} for name, text in sizes.items()],
            "steps": [
                {"kind": "sketch", "name": "o", "shapes": [
                    {"kind": "rectangle", "name": "r", **plate}]},
                {"kind": "extrude", "name": "plate", "sketch": "o", "by": by},
            ],
        }
    )  # fmt: skip


@pytest.mark.parametrize(
    ("typed", "formula"),
    [
        ("372 mm", "width"),
        ("186 mm", "width/2"),
        ("744 mm", "2*width"),
        ("37.2 cm", "width"),
        ("357.5 mm", "width - margin"),
        ("171.5 mm", "width/2 - margin"),
        ("401 mm", "width + 2*margin"),
    ],
)
def test_a_number_that_simply_follows_is_told_with_the_formula(typed, formula):
    design = part(
        sizes={"width": "372 mm", "margin": "14.5 mm"}, fields={"width": typed, "height": "margin"}
    )
    (loose,) = found_in(design)
    assert (loose.area, loose.name, loose.formula) == ("step", "o", formula)
    assert loose.tied == formula
    assert formula in loose.words()
    tied = edit.change_step(design, loose.name, loose.path, loose.tied)
    assert found_in(tied) == []
    table = table_of(tied, neutral())
    value = table.compile(loose.tied, LENGTH).value(table.env()).value
    before = table.compile(typed, LENGTH).value(table.env()).value
    assert value == pytest.approx(before, rel=1e-12)


def test_a_number_within_a_formula_is_tied_where_it_stands():
    design = part(
        sizes={"width": "372 mm", "wall": "6 mm", "inner": "372 mm - 2*wall"},
        fields={"width": "width", "height": "(186 mm + wall)/3"},
    )
    by_name = {loose.name: loose for loose in found_in(design)}
    assert by_name["inner"].tied == "width - 2*wall"
    assert by_name["o"].tied == "((width/2) + wall)/3"
    tied = edit.set_formula(design, "inner", by_name["inner"].tied)
    tied = edit.change_step(tied, "o", by_name["o"].path, by_name["o"].tied)
    assert found_in(tied) == []
    assert table_of(tied, neutral()).cells["inner"].wanted.value == pytest.approx(360)


def test_what_hangs_on_a_size_is_not_proposed_for_it():
    sizes = {"base": "100 mm + 272 mm", "twice": "2*base", "other": "543 mm"}
    design = part(sizes=sizes, fields={})
    # 272 is nothing; 544 would be 2·272. Nothing is proposed that goes round in a circle.
    for loose in found_in(design):
        assert loose.name != "base" or not {"base", "twice"} & set(loose.follows)


@pytest.mark.parametrize("typed", ["10 mm", "5 mm", "12 mm", "100 mm", "20 mm"])
def test_round_numbers_say_nothing(typed):
    sizes = {f"s{k}": f"{k * 5} mm" for k in range(1, 21)}
    assert found_in(part(sizes=sizes, fields={"width": typed})) == []


def test_sizes_that_are_numbers_are_what_others_follow():
    assert found_in(part(sizes={"a": "372 mm", "b": "372 mm"}, fields={})) == []


@pytest.mark.parametrize("path", DEMOS, ids=lambda path: path.stem)
def test_demos_have_no_false_alarms(path):
    assert len(found_in(read_design(path))) <= 1


@pytest.mark.parametrize("path", DEMOS, ids=lambda path: path.stem)
def test_what_is_planted_in_a_demo_is_found_and_tied(path):
    """Wherever a step's length is a size of three digits or more, its value is typed instead."""
    design = read_design(path)
    table = table_of(design, _process(design))
    planted = 0
    for step in design.steps:
        for slot in step.slots():
            size = design.size(slot.formula.strip())
            cell = table.cells.get(size.name) if size is not None else None
            if cell is None or cell.wanted.kind != LENGTH or slot.kind != LENGTH:
                continue
            text = f"{cell.wanted.value:.6f}".rstrip("0").rstrip(".")
            if len(text.replace(".", "").strip("0")) < 3:
                continue
            planted += 1
            loose = edit.change_step(design, step.name, slot.path, f"{text} mm")
            found = [
                one for one in found_in(loose) if (one.name, one.path) == (step.name, slot.path)
            ]
            assert found, (step.name, slot.path, text)
            after = edit.change_step(loose, step.name, slot.path, found[0].tied)
            now = table_of(after, _process(after))
            value = now.compile(found[0].tied, LENGTH).value(now.env()).value
            assert value == pytest.approx(cell.wanted.value, abs=1e-6)
    if path.stem in ("entrance-slide", "hive-box", "queen-case"):
        assert planted >= 2
