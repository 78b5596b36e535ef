"""The sheet of sizes: order, cycles, limits, what a row works out."""

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.formula import fitting
from schablone.core.formula.evaluation import evaluate, evaluate_again
from schablone.core.formula.value_table import Entry, Limits, Working
from schablone.core.problem import errors
from schablone.core.quantity import COUNT, LENGTH


def test_order_of_the_entries_does_not_matter() -> None:
    entries = [Entry("a", "b + c"), Entry("b", "c * 2"), Entry("c", "3 mm"), Entry("d", "a / c")]
    answers = []
    for seed in range(6):
        mixed = entries[:]
        random.Random(seed).shuffle(mixed)
        found = evaluate(mixed)
        answers.append({name: cell.wanted for name, cell in found.cells.items()})
    assert all(answer == answers[0] for answer in answers)
    assert answers[0]["d"].value == 3.0


def test_a_cycle_is_reported_as_the_loop_of_names() -> None:
    found = evaluate(
        [
            Entry("a", "b + 1 mm"),
            Entry("b", "c"),
            Entry("c", "a"),
            Entry("d", "a"),
            Entry("e", "1 mm"),
        ]
    )
    loops = [problem for problem in found.problems if "circle" in problem.what]
    assert {problem.name for problem in loops} == {"a", "b", "c"}
    assert "a → b → c → a" in loops[0].what
    (waiting,) = [problem for problem in found.problems if problem.name == "d"]
    assert waiting.waits_for == "a"
    assert found.cells["e"].wanted.value == 1.0


def test_a_formula_of_itself_is_a_cycle() -> None:
    found = evaluate([Entry("a", "a + 1 mm")])
    assert "a → a" in found.problems[0].what


@pytest.mark.parametrize(
    ("formula", "policy", "value", "held", "severity"),
    [
        ("50 mm", "stop", 50.0, "", None),
        ("5 mm", "stop", 10.0, "low", "note"),
        ("500 mm", "stop", 60.0, "high", "note"),
        ("500 mm", "refuse", None, "", "error"),
        ("60 mm", "refuse", 60.0, "", None),
    ],
)
def test_limits_hold_or_refuse(
    formula: str, policy: str, value: float, held: str, severity: str
) -> None:
    found = evaluate(
        [
            Entry("w", formula, Limits("10 mm", "top", policy)),
            Entry("top", "60 mm"),
            Entry("u", "w"),
        ]
    )
    if value is None:
        assert "w" not in found.cells
        assert "waits for “w”" in found.problems[-1].what
    else:
        assert found.cells["w"].wanted.value == value
        assert found.cells["w"].held_at == held
        assert found.cells["u"].wanted.value == value
    assert [problem.severity for problem in found.problems][:1] == ([severity] if severity else [])


def test_the_request_beyond_a_limit_is_kept() -> None:
    found = evaluate([Entry("w", "700 mm", Limits("", "600 mm"))])
    assert found.cells["w"].asked.value == 700.0


def test_a_count_where_limits_are_lengths_is_told_at_the_formula() -> None:
    (problem,) = evaluate([Entry("w", "12", Limits("10 mm", "60 mm"))]).problems
    assert problem.field == "formula"
    assert "“12” is a count" in problem.what
    assert "unit" in problem.hint


def test_a_plain_zero_is_of_any_kind_also_as_a_size() -> None:
    found = evaluate(
        [
            Entry("gap", "0"),
            Entry("wall", "gap + 3 mm"),
            Entry("n", "gap + 2"),
            Entry("board", "0", Limits("3 mm", "8 mm")),
            Entry("lift", "0", kind=LENGTH),
        ]
    )
    assert not errors(found.problems)
    assert found.cells["wall"].wanted == (3.0, LENGTH)
    assert found.cells["n"].wanted == (2.0, COUNT)
    assert found.cells["board"].wanted == (3.0, LENGTH)
    assert found.cells["lift"].wanted == (0.0, LENGTH)


def test_limits_the_wrong_way_round_are_told() -> None:
    (problem,) = evaluate([Entry("w", "12 mm", Limits("60 mm", "10 mm"))]).problems
    assert "lower limit is above" in problem.what


def test_two_sizes_of_one_name_are_told() -> None:
    found = evaluate([Entry("w", "1 mm"), Entry("w", "2 mm")])
    assert "two sizes" in errors(found.problems)[0].what


def test_a_chain_of_a_thousand_is_no_trouble() -> None:
    entries = [Entry("s0", "1 mm")] + [Entry(f"s{i}", f"s{i - 1} + 1 mm") for i in range(1, 1000)]
    assert evaluate(entries[::-1]).cells["s999"].wanted.value == 1000.0


# How many fit


@given(st.integers(1, 6000), st.integers(1, 300), st.integers(0, 100), st.integers(0, 300))
def test_most_that_fit_fit_and_one_more_does_not(
    span: int, item: int, gap: int, margin: int
) -> None:
    """In tenths of a millimetre, so that the oracle can count in whole numbers."""
    found = fitting.most_that_fit(span / 10, item / 10, gap / 10, margin / 10)
    n = int(found.count)
    if n:
        assert n * item + (n - 1) * gap <= span - 2 * margin
        assert found.margin * 10 == pytest.approx((span - n * item - (n - 1) * gap) / 2, abs=1e-6)
    assert (n + 1) * item + n * gap > span - 2 * margin


@given(st.integers(10, 6000), st.integers(1, 500))
def test_spacing_is_never_above_and_never_needlessly_small(span: int, spacing: int) -> None:
    found = fitting.spaced_at_most(float(span), 0.0, float(spacing), 0.0)
    n = int(found.count)
    assert (n - 1) * found.pitch == pytest.approx(span)
    assert found.pitch <= spacing * (1 + 1e-9)
    assert n == 2 or span / (n - 2) > spacing


@given(st.integers(1, 40), st.integers(0, 20), st.integers(1000, 5000))
def test_pieces_and_gaps_fill_the_span(count: int, gap: int, span: int) -> None:
    length = fitting.piece_length(float(span), float(count), float(gap))
    assert count * length + (count - 1) * gap == pytest.approx(span)


# Edit by edit


@given(st.lists(st.tuples(st.integers(0, 7), st.integers(0, 9)), min_size=1, max_size=12))
def test_edit_by_edit_gives_the_same_as_all_at_once(changes: list[tuple[int, int]]) -> None:
    formulas = [
        "2 mm",
        "a0 * 2",
        "a1 + a0",
        "if a2 > 20 mm then a1 else a0",
        "a9",
        "a3 + a6",
        "a5 * 2",
        "row.n * a0",
    ]
    entries = [Entry(f"a{i}", text, Limits("", "400 mm")) for i, text in enumerate(formulas)]
    working = Working("row", {"x": "a2"}, {}, {"n": COUNT}, lambda values: {"n": values["x"] // 3})
    kept = evaluate(entries, [working])
    for at, number in changes:
        text = (
            formulas[at]
            if number > 7
            else f"{formulas[at]} + {number} mm"
            if number
            else f"{number} deg + {formulas[at]}"
        )
        entries[at] = Entry(f"a{at}", text, Limits("", "400 mm"))
        again = evaluate_again(kept, {f"a{at}": entries[at]})
        whole = evaluate(entries, [working])
        kept = again or whole
        assert kept.cells == whole.cells
        assert sorted(map(str, kept.problems)) == sorted(map(str, whole.problems))
        assert kept.env().values == {name: cell.wanted.value for name, cell in whole.cells.items()}


def test_a_stated_kind_refuses_formulas_of_another() -> None:
    found = evaluate(
        [
            Entry("turns", "(free - 2*board)", kind=COUNT),
            Entry("free", "80 mm"),
            Entry("board", "4 mm"),
        ]
    )
    (problem,) = found.problems
    assert problem.what == "“(free - 2*board)” is a length, a count is wanted."
    assert "Divide it by a length" in problem.hint


def _sums(many: int, terms: int) -> list[Entry]:
    return [
        Entry(f"s{k}", f"sum(i in 1..n{k}: i)") for k in range(many)
    ] + [Entry(f"n{k}", str(terms)) for k in range(many)]  # fmt: skip


def test_all_sums_together_have_a_limit_and_the_dearest_are_named() -> None:
    fine = evaluate(_sums(10, 100_000))
    assert not errors(fine.problems)
    assert fine.cells["s9"].wanted.value == 100_000 * 100_001 / 2
    much = evaluate([*_sums(10, 100_000), Entry("t", "sum(i in 1..3: i)")])
    (problem,) = errors(much.problems)
    assert "All sizes together take more than 1,000,000 steps" in problem.what
    assert "(100,000)" in problem.hint
    # Within one formula, too: a sum of sums counts each of its terms.
    nested = evaluate(
        [Entry(f"x{k}", "sum(i in 1..300: sum(j in 1..300: i*j))") for k in range(12)]
    )
    assert len(errors(nested.problems)) == 1


def test_long_terms_count_for_more_and_more_text_than_is_read_is_told_at_once() -> None:
    long = "+".join(["i"] * 100)  # 199 characters: 10 steps for each term
    found = evaluate([Entry(f"s{k}", f"sum(i in 1..10000: {long})") for k in range(12)])
    assert [problem.name for problem in errors(found.problems)] == ["s10", "s11"]
    wide = "+".join(["1 mm * 2"] * 180)
    much = evaluate([Entry(f"s{k}", wide) for k in range(5000)] + [Entry("n", "4")])
    (problem,) = much.problems
    assert "longer than 500,000 characters" in problem.what
    assert not much.cells
    # Of formulas as long as these, all that together are short enough have values.
    some = evaluate([Entry(f"s{k}", wide) for k in range(300)])
    assert not some.problems
    assert {cell.wanted.value for cell in some.cells.values()} == {360.0}


def test_what_takes_too_much_after_an_edit_is_told_as_on_the_whole_sheet() -> None:
    table = evaluate(_sums(12, 80_000))
    assert not errors(table.problems)
    more = evaluate_again(table, {"n3": Entry("n3", "90000")})
    assert more is not None
    assert more.cells["s3"].wanted.value == 90_000 * 90_001 / 2
    # One more is too much: the whole sheet tells which.
    over = {"n3": Entry("n3", "100000"), "n4": Entry("n4", "100000"), "n5": Entry("n5", "100000")}
    assert evaluate_again(table, over) is None
    entries = [over.get(entry.name, entry) for entry in _sums(12, 80_000)]
    whole = evaluate(entries)
    assert len(errors(whole.problems)) == 1
    assert evaluate_again(whole, {"n3": Entry("n3", "10")}) is None
