"""The size table, spreadsheets, and values put in the place of a size."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import (
    Design,
    SizeTable,
    Variant,
    edit,
    read_design,
    read_design_text,
    write_design,
)
from schablone.core.design.evaluate import table_of
from schablone.core.design.exchange import read_sizes, read_table, write_sizes, write_table
from schablone.core.design.variants import VariantsLookedAt
from schablone.core.formula import FormulaError, compile_formula
from schablone.core.formula.env import Env
from schablone.core.formula.rewrite import put_in_place
from schablone.core.problem import SchabloneError
from schablone.core.process import neutral
from schablone.core.quantity import COUNT, LENGTH, Quantity, inches, say
from tests.conftest import TOP

RUNNER = TOP / "demo" / "frame-runner.schablone"


@pytest.fixture
def runner() -> Design:
    return read_design(RUNNER)


def value(design: Design, name: str) -> float:
    return table_of(design, neutral()).cells[name].wanted.value


@pytest.mark.parametrize(
    ("row", "depth", "wall", "area"),
    [
        ("U 3/4", 19.05, 25.4 * 3 / 32, None),
        ("U 1", 25.4, 25.4 * 3 / 32, None),
        ("U 1 1/4", 31.75, 25.4 / 8, None),
        ("U 20 mm", 20.0, 25.4 * 3 / 32, None),
        ("", 25.4, 25.4 * 3 / 32, None),
    ],
)
def test_a_suppliers_chart_in_inches_is_right_in_a_design_in_millimetres(
    runner, build, row, depth, wall, area
) -> None:
    design = edit.choose_row(runner, row)
    assert value(design, "depth") == pytest.approx(depth)
    assert value(design, "wall") == pytest.approx(wall)  # by condition on the depth, and back
    breadth, length, screw = value(design, "breadth"), 196 - 6, 4
    section = breadth * depth - (breadth - 2 * wall) * (depth - wall)
    # Ends at 45° take away, all the way up, as much as the height there.
    moment = (breadth * depth**2 - (breadth - 2 * wall) * (depth**2 - wall**2)) / 2
    volume = section * length - 2 * moment - 3 * 3.141592653589793 * screw**2 / 4 * wall
    built = build(design)
    assert built.whole
    assert built.bodies["rail"].figures().volume == pytest.approx(volume, rel=1e-9)


def test_the_cut_length_is_the_next_quarter_inch_above_the_allowance(runner: Design) -> None:
    for hive in range(150, 421, 7):
        cut = value(edit.set_formula(runner, "hive_inside", f"{hive} mm"), "cut_length")
        assert cut / 6.35 == pytest.approx(round(cut / 6.35))
        assert 0 <= cut - (hive - 6 + 4) < 6.35


def test_changing_a_size_of_the_table_changes_the_row_in_force(runner: Design) -> None:
    changed = edit.set_formula(runner, "depth", "26 mm")
    assert changed.table.row("U 1").cells["depth"] == "26 mm"
    assert changed.size("depth").formula == "1 in"
    out = edit.set_formula(edit.choose_row(runner, ""), "depth", "26 mm")
    assert out.size("depth").formula == "26 mm"
    assert out.table.rows == runner.table.rows


def test_renaming_and_deleting_reach_the_table(runner: Design) -> None:
    renamed = edit.rename_size(runner, "depth", "tall")
    assert renamed.table.columns == ("tall", "breadth")
    assert renamed.table.row("U 1").cells["tall"] == "1 in"
    assert edit.rename_size(renamed, "tall", "depth") == runner
    gone = edit.delete_size(runner, "breadth", "18 mm")
    assert gone.table.columns == ("depth",)
    assert gone.table.row("U 1").cells == {"depth": "1 in"}
    assert value(gone, "inside_width") == pytest.approx(18 - 2 * value(gone, "wall"))
    assert read_design_text(write_design(runner)) == runner


@pytest.mark.parametrize(
    ("table", "says"),
    [
        (SizeTable(columns=("dpth",)), "Did you mean “depth”"),
        (
            SizeTable(columns=("depth",), rows=(Variant(name="a", cells={"depth": "1 inn"}),)),
            "Row “a”, depth",
        ),
        (
            SizeTable(columns=("depth",), rows=(Variant(name="a", cells={"breadth": "1"}),)),
            "no column",
        ),
        (SizeTable(columns=("depth",), rows=(Variant(name="a"), Variant(name="a"))), "two rows"),
        (SizeTable(columns=("depth", "depth")), "two columns"),
    ],
)
def test_faulty_tables_are_refused(runner: Design, table: SizeTable, says: str) -> None:
    with pytest.raises(FormulaError) as caught:
        edit.put_size_table(runner, table)
    assert says in f"{caught.value.what} {caught.value.hint}"
    with pytest.raises(FormulaError, match="no row"):
        edit.choose_row(runner, "U 2")


# Spreadsheets


def test_tables_come_back_from_a_spreadsheet(runner: Design) -> None:
    for separator in (",", "\t"):
        assert read_table(runner, write_table(runner, separator)) == runner.table


def test_units_stand_in_the_header() -> None:
    design = Design.model_validate(
        {"sizes": [{"name": "a", "formula": "1 mm"}, {"name": "n", "formula": "1"}]}
    )
    table = read_table(
        design, "variant;a [in];n\nsmall;3/4;2\nbig;1 1/4;3\nmetric;20 mm;4\ncomma;1,5;5\n"
    )
    assert [row.cells["a"] for row in table.rows] == ["3/4 in", "1 1/4 in", "20 mm", "1.5 in"]
    assert table.rows[0].cells["n"] == "2"
    filled = edit.put_size_table(design, table.model_copy(update={"current": "small"}))
    assert value(filled, "a") == pytest.approx(19.05)


def test_everything_that_is_wrong_is_told_by_line_and_column(runner: Design) -> None:
    text = "variant,depth,dpth,depth\nU 1,1 in,2,\n,3 in\nU 1,4 inn\nU 2,1,2,3,4\n"
    with pytest.raises(SchabloneError) as caught:
        read_table(runner, text)
    told = [problem.what for problem in caught.value.problems]
    assert any("Line 1, column 3: there is no size “dpth”" in what for what in told)
    assert any("Line 1, column 4: “depth” is there twice" in what for what in told)
    assert any("Line 3, column 1: the variant has no name" in what for what in told)
    assert any("Line 4, column 1: “U 1” stands in line 2 already" in what for what in told)
    assert any(what.startswith("Line 4, depth:") for what in told)
    assert any("Line 5, column 5: there are more cells" in what for what in told)


def test_sizes_come_back_from_a_spreadsheet(slide: Design) -> None:
    assert read_sizes(write_sizes(slide)) == slide.sizes
    assert read_sizes(write_sizes(slide, "\t")) == slide.sizes
    bare = read_sizes("lip\t3 mm\nlips\t2 * lip\n")
    assert [(size.name, size.formula) for size in bare] == [("lip", "3 mm"), ("lips", "2 * lip")]
    assert read_sizes("name,formula [in]\nlip,3/4\n")[0].formula == "3/4 in"
    assert read_sizes("name,formula [mm]\nlip,3/4\n")[0].formula == "0 3/4 mm"
    assert compile_formula("0 3/4 mm", {}).value(Env({})).value == 0.75


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no sizes"),
        ("name,formula\n1st,3 mm\n", "Line 2, name"),
        ("name,formula\na,3 mm\na,4 mm\n", "stands in line 2 already"),
        ("name,formula\na,3 mmm\n", "Line 2, formula"),
        ("name,formula,colour\na,3 mm,red\n", "no column of sizes"),
        ("name,formula,policy\na,3 mm,bend\n", "no policy"),
    ],
)
def test_faulty_sizes_are_told(text: str, says: str) -> None:
    with pytest.raises(SchabloneError, match=says):
        read_sizes(text)


@given(st.text(max_size=80))
def test_any_pasted_text_is_read_or_refused_in_words(text: str) -> None:
    design = Design.model_validate({"sizes": [{"name": "a", "formula": "1 mm"}]})
    for read in (lambda: read_table(design, text), lambda: read_sizes(text)):
        try:
            read()
        except SchabloneError as error:
            assert error.problems


# A value or formula in the place of a size


@given(
    st.sampled_from(
        [
            "w",
            "2*w",
            "w^2",
            "w/w",
            "w - w",
            "-w",
            "max(w, 3 mm)",
            "10 mm - w*2",
            "7 mm / w",
            "if w > 2 mm then w else 0",
        ]
    ),
    st.sampled_from(
        [
            "5 mm",
            "3/16 in",
            "a + 1 mm",
            "a - 1 mm",
            "a*2",
            "-a",
            "if a > 1 mm then a else 2 mm",
            "1 3/4 in",
        ]
    ),
)
def test_a_formula_in_the_place_of_a_size_means_the_same(text: str, formula: str) -> None:
    values = {"a": 4.0}
    inner = compile_formula(formula, {"a": LENGTH}).value(Env(values)).value
    before = compile_formula(text, {"w": LENGTH}).value(Env({"w": inner}))
    after = compile_formula(put_in_place(text, "w", formula), {"a": LENGTH}).value(Env(values))
    assert after.kind == before.kind
    assert after.value == pytest.approx(before.value)


def test_deleting_with_something_in_its_place(slide: Design, build) -> None:
    gone = edit.delete_size(slide, "web", "max(5 mm, board)")
    assert gone.step("passage_row").pitch == "passage + max(5 mm, board)"
    assert gone.checks[1].formula == "max(5 mm, board) >= 4 mm"
    assert (
        build(gone).bodies["slide"].figures().volume
        == build(slide).bodies["slide"].figures().volume
    )


# Inches


@pytest.mark.parametrize(
    ("millimetres", "denominator", "text"),
    [
        (44.45, 16, "1 3/4 in"),
        (19.05, 8, "3/4 in"),
        (25.4, 8, "1 in"),
        (0.0, 8, "0 in"),
        (-44.45, 16, "-1 3/4 in"),
        (10.0, 16, "~3/8 in"),
        (25.4 * 5 / 64, 64, "5/64 in"),
    ],
)
def test_inches_to_a_chosen_fraction(millimetres: float, denominator: int, text: str) -> None:
    assert inches(millimetres, denominator) == text
    assert say(Quantity(millimetres, LENGTH), "in", denominator) == text
    assert say(Quantity(3, COUNT), "in", 16) == "3"


def test_what_variants_come_to_follows_the_sheet_and_what_is_read_off():
    rows = {"good": "span.value * 2", "cyclic": "b", "negative": "-4 mm"}
    design = Design.model_validate(
        {
            "sizes": [
                {"name": "a", "formula": "10 mm"},
                {"name": "b", "formula": "a + 1 mm"},
                {"name": "root", "formula": "sqrt(a * 1 mm)"},
            ],
            "steps": [{"kind": "measure", "name": "span", "first": "x/end", "second": "x/start"}],
            "table": {
                "columns": ["a"],
                "rows": [{"name": name, "cells": {"a": text}} for name, text in rows.items()],
            },
        }
    )
    look = VariantsLookedAt()

    def found(measured, changed=design):
        look.begin(changed, neutral(), measured)
        while look.go_on(0.0):
            pass
        return {name: set(wrong) for name, wrong in look.take().items()}

    assert found({"span.value": 3.0}) == {"good": set(), "cyclic": {"a"}, "negative": {""}}
    assert "round in a circle" in look.first
    assert found({})["good"] == {"a"}  # it is not built yet
    longer = edit.set_formula(design, "root", "sqrt((a + 5 mm) * 1 mm)")
    assert found({"span.value": 3.0}, longer)["negative"] == set()
