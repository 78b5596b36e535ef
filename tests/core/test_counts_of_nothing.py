"""Counts that come to nothing, conditions that silence, steps that are switched off, and what is
not known: told calmly."""

from __future__ import annotations

import pytest

from schablone.core.design import Design
from schablone.core.design.evaluate import table_of
from schablone.core.design.rebuild import rebuild
from schablone.core.process import LensView, neutral
from tests.conftest import of_kind, plate
from tests.core.test_rebuild import hole, row

WANTED = LensView("wanted", neutral())
BORE = hole(diameter="5 mm")


def test_a_row_of_none_makes_nothing_and_says_so_quietly() -> None:
    for none in (
        row(how="most", span="5 mm", item="5 mm"),
        row(how="count", count="0"),
        row(how="on", count="0"),
    ):
        found = rebuild(plate(BORE, none), WANTED)
        assert found.whole
        assert found.figures["part"].volume == pytest.approx(16000)
        assert [p.severity for p in found.problems] == ["note"]
        assert found.table.cells["line.count"].wanted.value == 0


@pytest.mark.parametrize("pitch", ["12 mm", "-12 mm"])
def test_a_row_that_goes_on_from_where_the_step_stands(pitch: str) -> None:
    found = rebuild(plate(BORE, row(how="on", count="3", pitch=pitch)), WANTED)
    assert found.whole
    holes = found.bodies["part"].prisms[0].region.holes
    by = float(pitch.split()[0])
    xs = [(low + high) / 2 for low, _, high, _ in (loop.bounds() for loop in holes)]
    assert sorted(xs) == pytest.approx(sorted(k * by for k in range(3)))


def test_a_condition_silences_the_working_of_its_step() -> None:
    wrong = row(how="most", span="0 mm", when="deep > 20 mm")
    design = plate(BORE, wrong, sizes={"deep": "10 mm"})
    found = rebuild(design, WANTED)
    assert found.whole
    assert not found.problems
    assert rebuild(design, WANTED, given={"deep": "30 mm"}).problems


def test_who_asks_a_left_out_step_is_told_so() -> None:
    design = plate(BORE, row(when="1 > 2"), sizes={"many": "line.count"})
    (problem,) = table_of(design, neutral()).problems
    assert "“line” is left out by its condition" in problem.what
    off = plate(BORE, row(on=False), sizes={"many": "line.count"})
    assert "“line” is switched off" in table_of(off, neutral()).problems[0].what


def test_what_stands_on_a_left_out_step_goes_with_it() -> None:
    steps = [
        of_kind(
            "sketch", "s", plane="plate/end", shapes=[{"kind": "circle", "name": "c"}], when="1 > 2"
        ),
        {"kind": "extrude", "name": "post", "sketch": "s", "by": "5 mm"},
        {"kind": "hole", "name": "in_post", "face": "post/end", "diameter": "2 mm"},
    ]
    found = rebuild(plate(*steps), WANTED)
    assert found.whole
    assert [found.steps[name].state for name in ("s", "post", "in_post")] == ["left out"] * 3
    switched = [{**steps[0], "when": "", "on": False}, *steps[1:]]
    told = rebuild(plate(*switched), WANTED)
    assert "“s”, which this stands on, is switched off" in told.problems[0].what


def test_unknown_materials_are_errors_with_the_nearest_name() -> None:
    part = {"name": "part", "material": "Sprce"}
    design = plate()
    wrong = Design.model_validate({**design.model_dump(), "parts": [part]})
    (problem,) = [p for p in rebuild(wrong, WANTED).problems if p.severity == "error"]
    assert "“Sprce” is no material" in problem.what
    assert "“Spruce”" in problem.hint
    weighed = Design.model_validate({**design.model_dump(), "parts": [{**part, "density": 0.5}]})
    assert rebuild(weighed, WANTED).whole


def test_a_cycle_is_told_once_with_its_loop() -> None:
    names = [f"a{k}" for k in range(40)]
    sizes = {name: f"{names[(k + 1) % 40]} + 1 mm" for k, name in enumerate(names)}
    found = table_of(plate(sizes=sizes), neutral()).problems
    loops = [p for p in found if "go round in a circle" in p.what]
    assert len(loops) == 1
    assert "→" in loops[0].what
    assert len(found) == 40
    assert sum(len(p.text) for p in found) < 6000
