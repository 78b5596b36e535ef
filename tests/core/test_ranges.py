"""The range run: faults that were planted are found and traced to what was planted; what was built
once is not built again."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass, field

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Adjustable, Design, Preset, Publishing, edit
from schablone.core.design.evaluate import table_of
from schablone.core.design.file import read_design_text, write_design
from schablone.core.process import Process, shipped_processes
from schablone.core.prove.ranges.allowed import Point, Sheets, allowed_of
from schablone.core.prove.ranges.covering import covering_pairs
from schablone.core.prove.ranges.judge import Judge, Outcome, outcome_from
from schablone.core.prove.ranges.limit import Mend, taken
from schablone.core.prove.ranges.over_two import map_over, values_along
from schablone.core.prove.ranges.plan import plan
from schablone.core.prove.ranges.result import found_as_data, say_point, verdict
from schablone.core.prove.ranges.turns import Watch, turns_of
from schablone.prover.run import RangeRun
from schablone.prover.talk import Task
from tests.conftest import plate

AMSEL = shipped_processes()[0]
#: What is scaled for shrinkage, and lies on the bed, may be as long as this.
BED = max(AMSEL.bed[:2]) * (1 - AMSEL.shrinkage_xy / 100)


def ranged(
    spans: dict[str, tuple[str, str, str]],
    *steps: dict,
    checks: dict[str, str] | None = None,
    sizes: dict[str, str] | None = None,
) -> Design:
    """A plate with sizes that have a formula and two limits, and others that have none."""
    design = plate(*steps)
    for name, (formula, low, high) in spans.items():
        design = edit.add_size(design, name, formula)
        design = edit.change_size(design, name, low=low, high=high)
    for name, formula in (sizes or {}).items():
        design = edit.add_size(design, name, formula)
    said = tuple({"name": name, "formula": formula} for name, formula in (checks or {}).items())
    return Design.model_validate({**design.model_dump(), "checks": said})


class Alone:
    """Judges in this process, one point after the other; counts what it builds."""

    def __init__(self, task: Task, kept: dict[str, str] | None = None) -> None:
        self.kept = {} if kept is None else kept
        self.judge = Judge(task.allowed(), self.kept.get, self._keep)
        self.built = 0
        self._waiting: list[tuple[int, Point]] = []

    def _keep(self, key: str, text: str) -> None:
        self.built += 1
        self.kept[key] = text

    def has_room(self) -> bool:
        return not self._waiting

    def ask(self, number: int, point: Point) -> None:
        self._waiting.append((number, point))

    def told(self, timeout: float) -> list[tuple[int, Outcome]]:
        found, self._waiting = [(n, self.judge.outcome(p)) for n, p in self._waiting], []
        return found

    def close(self) -> None:
        self._waiting.clear()


def run(
    design: Design, process: Process = AMSEL, builds: int = 70, kept: dict[str, str] | None = None
) -> tuple[RangeRun, Alone]:
    task = Task(design=write_design(design), process=process)
    crew = Alone(task, kept)
    going = RangeRun(task, crew, builds)
    for _ in going.go():
        pass
    return going, crew


# Plans


@given(st.lists(st.integers(1, 5), min_size=1, max_size=7))
def test_every_two_levels_are_together_in_some_row(levels: list[int]) -> None:
    rows = covering_pairs(levels)
    for i, j in itertools.combinations(range(len(levels)), 2):
        seen = {(row[i], row[j]) for row in rows}
        assert seen == set(itertools.product(range(levels[i]), range(levels[j])))
    most = sorted(levels)[-2:]
    if len(levels) > 1:
        assert math.prod(most) <= len(rows) <= 3 * math.prod(most) + 8
    else:
        assert rows == [(k,) for k in range(levels[0])]


def test_turns_are_found_where_counts_and_conditions_change() -> None:
    design = ranged(
        {"wide": ("100 mm", "50 mm", "190 mm")},
        sizes={
            "many": "floor(wide / (20 mm))",
            "deep": "if wide > 131.5 mm then 4 mm else 6 mm",
            "thick": "max(3 mm, wide / 25)",
        },
    )
    sheets = Sheets(allowed_of(design, AMSEL))
    span = sheets.allowed.span("wide")
    turns, count = turns_of(sheets, Watch(design), span, sheets.allowed.as_published, 20)
    # 60, 80 … 180, 131.5, and 75 = 3 · 25, by hand.
    wanted = sorted([60, 80, 100, 120, 140, 160, 180, 131.5, 75])
    assert count == len(wanted)
    for turn, at in zip(turns, wanted, strict=True):
        assert turn.below <= at <= turn.above
        assert turn.above - turn.below <= 0.0100001


def test_limits_that_are_formulas_are_kept_to() -> None:
    design = ranged(
        {
            "inner": ("20 mm", "10 mm", "outer - 2*wall"),
            "outer": ("60 mm", "30 mm", "90 mm"),
            "wall": ("2 mm", "1 mm", "outer / 10"),
        }
    )
    sheets = Sheets(allowed_of(design, AMSEL))
    points = plan(sheets, 120).points
    assert len(points) >= 120
    for point in points:
        inner, outer, wall = (point.value(name) for name in ("inner", "outer", "wall"))
        assert 30 - 1e-9 <= outer <= 90 + 1e-9
        assert 1 - 1e-9 <= wall <= outer / 10 + 1e-9
        assert 10 - 1e-9 <= inner <= outer - 2 * wall + 1e-9
    # The far corner is among them: all as large as the largest outside allows.
    assert any(p.value("outer") == 90 and p.value("inner") > 70 for p in points)


def test_presets_variants_and_machines_are_built() -> None:
    design = ranged({"a": ("10 mm", "5 mm", "20 mm"), "b": ("30 mm", "25 mm", "40 mm")})
    design = design.with_(
        process=AMSEL.name,
        publish=Publishing(
            adjust=(Adjustable(size="a"), Adjustable(size="b", high="35 mm")),
            presets=(Preset(name="Small", sizes={"a": "7 mm"}),),
        ),
        table={"columns": ["b"], "rows": [
            {"name": "one", "cells": {"b": "26 mm"}}, {"name": "two", "cells": {"b": "33 mm"}},
        ], "current": "one"},
    )  # fmt: skip
    known = shipped_processes()
    sheets = Sheets(allowed_of(design, AMSEL, known))
    points = plan(sheets, 60).points
    printers = {one.name for one in known if one.family == "print"}
    assert {point.process for point in points} == printers
    assert {point.row for point in points} == {"one", "two"}
    assert max(point.value("b") for point in points) == 35  # the edition's narrower limit
    small = [point for point in points if point.why == "Small"]
    assert {point.process for point in small} == printers
    assert all(point.value("a") == 7 for point in small)
    two = next(point for point in points if point.why == "a variant")
    assert (two.row, two.value("b")) == ("two", 33)
    # Every two ends are together on every machine.
    for machine in printers:
        mine = {(p.value("a"), p.value("b")) for p in points if p.process == machine}
        assert {v[0] for v in mine} >= {5.0, 20.0}


# Planted faults


@dataclass
class Plant:
    """A fault: in which sizes it lies, where each begins, and whether a point has it, by a closed
    formula that shares nothing with what looks for it."""

    design: Design
    has: Callable[[dict[str, float]], bool]
    away: set[str]
    ends: dict[str, float] = field(default_factory=dict)
    process: Process = AMSEL
    builds: int = 70


SIX = dict.fromkeys("abcdef", ("50 mm", "10 mm", "90 mm"))
SMALL_HOLES = AMSEL.with_(name="Closing", hole_small=1.0, hole_gain=-0.2, measured={}, spread=None)


def hole(across: str) -> dict:
    return {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": across,
            "x": "10 mm", "y": "0 mm"}  # fmt: skip


def plants() -> dict[str, Plant]:
    long = {"a": ("150 mm", "60 mm", "200 mm"), "b": ("20 mm", "5 mm", "60 mm")}
    rest = {name: SIX[name] for name in "cdef"}
    tall = {"kind": "sketch", "name": "top", "shapes": [
        {"kind": "circle", "name": "ring", "diameter": "16 mm"}]}  # fmt: skip
    return {
        "one size up": Plant(
            ranged(SIX, checks={"short": "a <= 70 mm"}), lambda v: v["a"] > 70, {"a"}, {"a": 70}
        ),
        "a step that cannot be made": Plant(
            ranged(SIX, tall, {"kind": "extrude", "name": "post", "sketch": "top",
                               "by": "b - 20 mm"}),
            lambda v: v["b"] <= 20, {"b"}, {"b": 20},
        ),
        "two sizes": Plant(
            ranged(SIX, checks={"apart": "not (a > 60 mm and b < 30 mm)"}),
            lambda v: v["a"] > 60 and v["b"] < 30, {"a", "b"}, {"a": 60, "b": 30},
        ),
        "a share": Plant(
            ranged({**long, **rest}, checks={"room": "b <= a/3"}),
            lambda v: v["b"] > v["a"] / 3 + 1e-12, {"b"}, {"b": 50},
        ),
        "three sizes": Plant(
            ranged(SIX, checks={"all": "not (a > 60 mm and b > 60 mm and c < 40 mm)"}),
            lambda v: v["a"] > 60 and v["b"] > 60 and v["c"] < 40, {"a", "b", "c"},
            {"a": 60, "b": 60, "c": 40},
        ),
        "off the bed": Plant(
            _long_plate(rest), lambda v: v["a"] > BED, {"a"}, {"a": BED},
        ),
        "a band": Plant(
            ranged(SIX, checks={"not there": "a < 61 mm or a > 66 mm"}),
            lambda v: 61 <= v["a"] <= 66, {"a"}, {"a": 61},
        ),
        "a count": Plant(
            ranged({"n": ("4", "1", "12"), **rest}, checks={"fit": "n * 9 mm <= 74 mm"}),
            lambda v: v["n"] >= 9, {"n"},
        ),
        "only as it is sent": Plant(
            ranged({"a": ("6 mm", "1 mm", "8 mm"), **rest}, hole("inside(a)")),
            lambda v: v["a"] + 0.2 < 2, {"a"}, {"a": 1.8}, SMALL_HOLES,
        ),
        "no value": Plant(
            ranged({"a": ("50 mm", "20 mm", "80 mm"), "b": ("50 mm", "20 mm", "80 mm"), **rest},
                   sizes={"root": "sqrt(a*b - 900 mm²)"}),
            lambda v: v["a"] * v["b"] < 900, {"a", "b"},
        ),
    }  # fmt: skip


def _long_plate(rest: dict) -> Design:
    """A plate that is as long as a size says."""
    design = ranged({"a": ("100 mm", "60 mm", "600 mm"), **rest})
    text = write_design(design)
    assert '"width": "100 mm"' in text
    return read_design_text(text.replace('"width": "100 mm"', '"width": "a"'))


PLANTS = sorted(plants())


@pytest.mark.parametrize("name", PLANTS)
def test_a_planted_fault_is_found_and_traced(name: str) -> None:
    plant = plants()[name]
    going, _ = run(plant.design, plant.process, plant.builds)
    seen = going.errands.seen
    assert len(going.planned) >= plant.builds
    for point in going.planned:
        assert seen[point].holds != plant.has(dict(point.values)), say_point(going.allowed, point)
    assert going.found
    if name == "only as it is sent":
        assert len(going.found) == 1  # told once
    for one in going.found:
        cause = one.cause
        assert set(cause.away) == plant.away
        assert plant.has(dict(cause.point.values))
        for edge in cause.edges:
            assert edge.holds is not None
            close = 1.0 if edge.name == "n" else 0.0021 * going.allowed.span(edge.name).high
            assert abs(edge.holds - edge.fails) <= max(close, 0.02)
            if edge.name in plant.ends:
                low, high = sorted((edge.holds, edge.fails))
                assert low - 1e-9 <= plant.ends[edge.name] <= high + 1e-9
    done = sum(count for count, _ in verdict(going.allowed, going.planned, seen).values())
    assert done == len(going.planned)


@pytest.mark.parametrize("name", [name for name in PLANTS if name != "a band"])
def test_what_is_proposed_rules_it_out(name: str) -> None:
    plant, kept = plants()[name], {}
    going, _ = run(plant.design, plant.process, plant.builds, kept)
    mends = [one.mend for one in going.found]
    assert all(mends)
    design = plant.design
    for mend in mends:
        assert mend is not None
        assert 0.2 < mend.keeps <= 1
        design = taken(design, mend)
    again, _ = run(design, plant.process, plant.builds, kept)
    assert again.found == []
    # What is published is still within what is allowed.
    assert again.allowed.as_published.values == going.allowed.as_published.values


def test_a_rule_between_two_sizes_is_said_as_people_would() -> None:
    going, _ = run(plants()["a share"].design)
    (found,) = going.found
    assert found.mend is not None
    assert found.mend.words() in ("b <= a/3", "a >= 3*b")
    told = found_as_data(going.allowed, found)
    assert told["title"] == "With b from 50.01 mm up"
    assert told["ends_said"] == "b 50 mm holds." or told["ends_said"].startswith("b 49.9")


def test_where_it_holds_again_is_said() -> None:
    going, _ = run(plants()["a band"].design, builds=40)
    (found,) = going.found
    assert found.cause.edges[0].until is not None
    assert 66 < found.cause.edges[0].until <= 66.2
    assert " to before " in found_as_data(going.allowed, found)["title"]


def test_a_limit_goes_where_the_edition_has_its_own() -> None:
    design = ranged({"a": ("10 mm", "5 mm", "20 mm"), "b": ("30 mm", "25 mm", "40 mm")})
    offered = Publishing(adjust=(Adjustable(size="a", high="18 mm"), Adjustable(size="b")))
    design = design.with_(publish=offered)
    within = taken(design, Mend("a", "high", "b/3", 0.9))
    assert within.publish.adjust[0].high == "min(18 mm, b/3)"
    assert within.size("a") == design.size("a")
    assert taken(design, Mend("a", "high", "12 mm", 0.9)).publish.adjust[0].high == "12 mm"
    assert taken(design, Mend("b", "low", "2*a", 0.9)).size("b").low == "max(25 mm, 2*a)"
    assert table_of(within, AMSEL).cells["a"].wanted.value == 10
    # A number beside a rule: both hold.
    both = taken(within, Mend("a", "high", "9 mm", 0.5))
    assert both.publish.adjust[0].high == "min(min(18 mm, b/3), 9 mm)"


# What is kept


def test_an_edit_builds_only_what_it_changes() -> None:
    design = ranged({"a": ("8 mm", "4 mm", "20 mm")}, hole("a"))
    kept: dict[str, str] = {}
    _, first = run(design, builds=20, kept=kept)
    assert first.built >= 20
    noted = design.with_(
        note="Anything.", checks=({"name": "wide", "formula": "a < 19 mm"},)
    )  # fmt: skip
    going, second = run(noted, builds=20, kept=kept)
    # All is looked at anew: the check that was added fails, though nothing is built for it but what
    # tells where it begins to.
    assert second.built < first.built
    assert [point for point in going.planned if not going.errands.seen[point].holds]
    assert {one.cause.failure.check for one in going.found} == {"wide"}
    renamed = edit.set_formula(edit.add_size(design, "four", "4 mm"), "four", "2 * 2 mm")
    _, same = run(renamed, builds=20, kept=kept)
    assert same.built == 0
    deeper = edit.change_step(design, "plate", "by", "5 mm")
    _, third = run(deeper, builds=20, kept=kept)
    assert third.built >= 20
    _, fourth = run(design, AMSEL.with_(hour_cost=9.0), 20, kept)
    assert fourth.built == 0
    _, fifth = run(design, AMSEL.with_(hole_gain=-0.31), 20, kept)
    assert fifth.built >= 20


def test_what_is_kept_comes_back_as_it_was() -> None:
    design = ranged({"a": ("8 mm", "4 mm", "20 mm")}, checks={"small “a”": "a < 10 mm"})
    task = Task(design=write_design(design), process=AMSEL)
    judge = Judge(task.allowed())
    point = judge.allowed.as_published.with_values({"a": 15.0})
    outcome = judge.outcome(point)
    assert not outcome.holds
    assert outcome_from(outcome.as_text()) == outcome


def test_a_cell_of_the_table_that_a_step_reads_is_part_of_what_is_kept() -> None:
    design = ranged({"a": ("8 mm", "4 mm", "20 mm"), "wide": ("6 mm", "5 mm", "9 mm")},
                    hole('from_row(wide, "two")'))  # fmt: skip
    rows = [{"name": "one", "cells": {"wide": "6 mm"}}, {"name": "two", "cells": {"wide": "7 mm"}}]
    table = {"columns": ["wide"], "rows": rows, "current": "one"}
    design = design.with_(table=table, checks=())
    kept: dict[str, str] = {}
    _, first = run(design, builds=12, kept=kept)
    wider = [rows[0], {"name": "two", "cells": {"wide": "45 mm"}}]
    going, other = run(design.with_(table={**table, "rows": wider}), builds=12, kept=kept)
    assert other.built >= first.built > 0
    assert not any(outcome.holds for outcome in going.errands.seen.values())


def test_what_is_proposed_does_not_hang_on_what_else_was_built() -> None:
    """A map that was painted before, or another order, changes no figure."""
    design = plants()["two sizes"].design
    going, _ = run(design)
    task = Task(design=write_design(design), process=AMSEL)
    other = RangeRun(task, Alone(task), 70)
    places = list(map_over(other.sheets, "a", "b"))
    for place in places[::-1]:
        assert place.point is not None
        other.errands.put(place.point)
    while not other.errands.is_done:
        other.errands.step(0)
    for _ in other.go():
        pass
    assert other.result() == going.result()


def test_only_what_was_built_is_said_to_hold() -> None:
    """Where b is small nothing but a small a is allowed: no value of b alone holds."""
    design = ranged(
        {"a": ("20 mm", "10 mm", "b - 5 mm"), "b": ("80 mm", "30 mm", "90 mm")},
        checks={"no": "a <= 60 mm"},
    )
    going, _ = run(design)
    (found,) = going.found
    allowed = Sheets(going.allowed)
    for edge in found.cause.edges:
        if edge.holds is not None:
            point = found.cause.point.with_values({edge.name: edge.holds})
            assert allowed.is_allowed(point)
            assert going.errands.seen[point].holds


def test_what_is_offered_by_name_and_lies_outside_is_told() -> None:
    design = ranged({"a": ("10 mm", "5 mm", "20 mm"), "b": ("30 mm", "25 mm", "40 mm")}).with_(
        publish=Publishing(
            adjust=(Adjustable(size="a", high="9 mm"), Adjustable(size="b")),
            presets=(Preset(name="Huge", sizes={"b": "50 mm"}),),
        ),
        table={"columns": ["b"], "rows": [{"name": "one", "cells": {"b": "26 mm"}},
               {"name": "far", "cells": {"b": "60 mm"}}], "current": "one"},
    )  # fmt: skip
    going, _ = run(design, builds=20)
    notes = "; ".join(going.notes)
    assert "“Huge” on" in notes
    assert "The variant “far” lies outside of the limits, and is not built" in notes
    assert "“a” is 10 mm, outside of its own limits" in notes


# Maps


def test_a_map_covers_two_sizes_coarsely_first() -> None:
    design = ranged(
        {"n": ("3", "1", "5"), "a": ("10 mm", "5 mm", "n * 8 mm"), "b": ("5 mm", "1 mm", "9 mm")}
    )
    sheets = Sheets(allowed_of(design, AMSEL))
    spans = sheets.allowed.span("n"), sheets.allowed.span("b")
    assert values_along(spans[0]) == [1, 2, 3, 4, 5]
    places = list(map_over(sheets, "n", "b"))
    assert len({(p.i, p.j) for p in places}) == len(places) == 5 * 17
    strides = [place.stride for place in places]
    assert strides == sorted(strides, reverse=True)
    # Where n leaves nothing of a's limits there is no point: a is 10 mm, and n = 1 allows 8 mm.
    assert all((place.point is None) == (place.i == 0) for place in places)


# Nothing to vary, and what cannot be varied


def test_nothing_to_vary() -> None:
    going, _ = run(plate(), builds=10)
    assert [point.values for point in going.planned] == [()]
    assert going.found == []


def test_what_cannot_be_varied_is_told() -> None:
    design = ranged({"a": ("8 mm", "4 mm", "20 mm")}, sizes={"loose": "3 mm"})
    design = edit.add_size(design, "wrong", "3 mm")
    design = edit.change_size(design, "wrong", low="9 mm", high="2 mm")
    offered = Publishing(adjust=tuple(Adjustable(size=n) for n in ("a", "loose", "gone", "wrong")))
    allowed = allowed_of(design.with_(publish=offered), AMSEL)
    assert [span.name for span in allowed.spans] == ["a"]
    told = "; ".join(allowed.untold)
    assert "“loose” has no lower or no upper limit" in told
    assert "“gone” is no size" in told
    assert "“wrong”" in told


def test_where_the_kerf_is_not_known_is_told_and_is_no_fault_of_the_design() -> None:
    """Nobody has measured the kerf of more than 4 mm, and a tenth: thicker sheets are built, and it
    is said."""
    laser = Process.model_validate(
        {
            "name": "L", "kind": "laser or knife", "material": {"name": "Birch", "density": 0.7},
            "kerfs": [{"thickness": 3, "kerf": 0.2}, {"thickness": 4, "kerf": 0.25}],
        }
    )  # fmt: skip
    design = edit.change_step(ranged({"thick": ("3 mm", "3 mm", "8 mm")}), "plate", "by", "thick")
    going, _ = run(design, laser, builds=12)
    result = going.result()
    assert result["found"] == []
    thicker = sum(point.value("thick") > 4.4 for point in going.planned)
    assert 0 < thicker < len(going.planned)
    (told,) = result["unsure"]
    assert told.startswith(f"At {thicker} builds: No kerf of Birch of ")
    assert told.endswith("is known on L: that of any material of 4 mm is taken")
