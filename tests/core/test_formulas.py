"""The formula language: reading, kinds, values, errors in words, renaming, safety."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.formula import (
    FormulaError,
    compile_formula,
    names_in,
    parse,
    parse_definition,
    rename,
)
from schablone.core.formula.env import Env
from schablone.core.formula.evaluation import evaluate, evaluate_again
from schablone.core.formula.functions import FUNCTIONS
from schablone.core.formula.rewrite import columns_in, put_in_place, rename_row, rename_step
from schablone.core.formula.value_table import Cells, Entry, ValueTable
from schablone.core.formula.written import written
from schablone.core.process import neutral
from schablone.core.quantity import (
    ANGLE,
    AREA,
    COUNT,
    LENGTH,
    MASS,
    TRUTH,
    UNITS,
    VOLUME,
    Kind,
    Quantity,
    say,
)
from tests.conftest import examples

FORMATS = [
    Cells("inner_width", {"Hummel 10": "372 mm", "Hummel 8": "300 mm", "Hummel Mini": "196 mm"}),
    Cells("box_height", {"Hummel 10": "232 mm", "Hummel 8": "232 mm", "Hummel Mini": "158 mm"}),
    Cells("frames", {"Hummel 10": "10", "Hummel 8": "8", "Hummel Mini": "5"}),
    Cells("spare", {"Hummel 10": "width / 2", "Hummel 8": "no_such", "Hummel Mini": "3 deg"}),
]


def table(**formulas: str) -> ValueTable:
    return evaluate([Entry(name, text) for name, text in formulas.items()], (), neutral(), FORMATS)


def value(text: str, **sizes: str) -> Quantity:
    found = table(**sizes)
    return found.compile(text).value(found.env())


def wrong(text: str, **sizes: str) -> FormulaError:
    with pytest.raises(FormulaError) as caught:
        value(text, **sizes)
    return caught.value


@pytest.mark.parametrize(
    ("text", "millimetres"),
    [
        ("12 mm", 12.0),
        ("1.5cm", 15.0),
        (".5 mm", 0.5),
        ("2 m", 2000.0),
        ("3/16 in", 4.7625),
        ("1 3/4 in", 44.45),
        ("1 3/4 mm", 1.75),
        ('1/2"', 12.7),
        ("2 ft 3 1/2 in", 27.5 * 25.4),
        ("5' 3-1/2\"", 63.5 * 25.4),
        ("5' 3\"", 63 * 25.4),
        ("250 thou", 6.35),
        ("800 µm", 0.8),
        ("1e2 mm", 100.0),
        ("2*3/16 in", 9.525),
        ("0.3 in", 7.62),
    ],
)
def test_lengths_are_read_as_a_workshop_writes_them(text: str, millimetres: float) -> None:
    found = value(text)
    assert found.kind == LENGTH
    assert found.value == pytest.approx(millimetres, rel=1e-15)


@pytest.mark.parametrize(
    ("text", "number", "kind"),
    [
        ("5 mm^2", 5.0, AREA),
        ("(5 mm)^2", 25.0, AREA),
        ("2 cm³", 2000.0, VOLUME),
        ("3 mm * 4 mm * 5 mm", 60.0, VOLUME),
        ("12 mm / 4 mm", 3.0, COUNT),
        ("1 kg + 5 g", 1005.0, MASS),
        ("1.24 g/cm^3 * 10 cm^3", 12.4, MASS),
        ("1 turn / 4", 90.0, ANGLE),
        ("3.141592653589793 rad", 180.0, ANGLE),
        ("180 deg * 10 mm", 10 * math.pi, LENGTH),
        ("20 % * 50 mm", 10.0, LENGTH),
        ("-2^2", -4.0, COUNT),
        ("(3 mm)² + 5²*1 mm²", 34.0, AREA),
        ("(2 mm)³", 8.0, VOLUME),
        ("2^-1", 0.5, COUNT),
        ("2^3^2", 512.0, COUNT),
        ("7 − 2 · 3 ÷ 2 × 2", 1.0, COUNT),
        ("if 2 > 1 then 3 mm else 0", 3.0, LENGTH),
        ("if 1 > 2 then 3 mm else if 2 > 1 then 4 mm else 5 mm", 4.0, LENGTH),
        ("1 mm < 2 mm <= 2 mm", 1.0, TRUTH),
        ("not (1 > 2) and (2 != 3 or 1 = 2)", 1.0, TRUTH),
        ("sum(i in 1..4: i * 2 mm)", 20.0, LENGTH),
        ("product(i in 1..5: i)", 120.0, COUNT),
        ("sum(i in 1..3: sum(k in 1..i: k))", 10.0, COUNT),
        ("sum(i in 3..2: 1 mm)", 0.0, LENGTH),
        ("2 * pi", math.tau, COUNT),
        ("4 mm # as measured", 4.0, LENGTH),
        ("1 3/4", 1.75, COUNT),
        ("0 + 3 mm", 3.0, LENGTH),
        ("min(3 mm)", 3.0, LENGTH),
        ("max(2)", 2.0, COUNT),
    ],
)
def test_values_and_kinds(text: str, number: float, kind: Kind) -> None:
    found = value(text)
    assert found.kind == kind
    assert found.value == pytest.approx(number, rel=1e-14)


@pytest.mark.parametrize("function", FUNCTIONS.values(), ids=str)
def test_every_function_does_what_its_example_says(function) -> None:
    assert say(value(function.example)) == function.answer


@pytest.mark.parametrize(
    ("text", "answer"),
    [
        ("floor(0.3 in / 0.1 in)", 3.0),
        ("ceil(0.3 in / 0.1 in)", 3.0),
        ("floor(2.999)", 2.0),
        ("ceil(3.001)", 4.0),
        ("floor(-0.5)", -1.0),
        ("round(-2.5)", -3.0),
        ("mod(0.3 in, 0.1 in) / 1 mm", 0.0),
        ("floor((0.1 + 0.2) * 10)", 3.0),
    ],
)
def test_rounding_forgives_floating_point_and_nothing_else(text: str, answer: float) -> None:
    assert value(text).value == answer


@pytest.mark.parametrize(
    ("text", "part", "says"),
    [
        ("widht + 1 mm", "widht", "Did you mean “width”"),
        ("Width", "Width", "Did you mean “width”"),
        ("width + 1", "width + 1", "“width” is a length and “1” is a count"),
        ("flor(2.5)", "flor", "Did you mean “floor”"),
        ("floor", "floor", "needs its parentheses"),
        ("floor(3 mm)", "3 mm", "to which step"),
        ("hole_for(6 mm, slidng)", "slidng", "Did you mean “sliding”"),
        ("hole_for(6 mm)", "hole_for(6 mm)", "got 1 argument"),
        ("7/3/16 in", "/3/16 in", "two ways"),
        ("3,5 mm", ",", "point"),
        ("3 furlong", "furlong", "is no unit"),
        ("(1 + 2", "", "closing parenthesis is missing"),
        ("1 + 2)", ")", "one closing parenthesis too many"),
        ("1 / (width - 40 mm)", "(width - 40 mm)", "is 0"),
        ("sqrt(0 - 4 mm²)", "sqrt(0 - 4 mm²)", "negative"),
        ("sqrt(4 mm)", "4 mm", "no square root"),
        ("if width then 1 else 2", "width", "a yes or no is wanted"),
        ("if 1 < 2 then 3 mm", "", "else"),
        ("if 1 < 2 then 3 mm else 4", "if 1 < 2 then 3 mm else 4", "answers of one"),
        ("2^(3 mm)", "(3 mm)", "exponent"),
        ("width^0.5", "0.5", "whole number"),
        ("tan(90 deg)", "tan(90 deg)", "right angle"),
        ("asin(2)", "asin(2)", "from −1 to 1"),
        ("width width", "width", "sign is missing"),
        ("sum(i in 1..1e9: i)", "sum(i in 1..1e9: i)", "more than 100,000"),
        ("sum(i in 1..2.5: i)", "sum(i in 1..2.5: i)", "whole numbers"),
        ("average(i in 1..2: i)", "average", "run over a range"),
        ("clamp(1, 3, 2)", "clamp(1, 3, 2)", "lower limit"),
        ("screw_hole(4.7 mm)", "screw_hole(4.7 mm)", "no metric screw of 4.7 mm"),
        ("", "", "no formula"),
    ],
)
def test_errors_name_the_place_and_what_to_do(text: str, part: str, says: str) -> None:
    error = wrong(text, width="40 mm")
    assert says in f"{error.what} {error.hint}"
    if part:
        assert error.span is not None
        assert text[slice(*error.span)].strip() == part


def test_units_stay_free_as_names() -> None:
    assert value("m * 2 + in", m="3 mm", **{"in": "1 mm"}).value == 7.0
    assert value("t + d", t="1 mm", d="2 mm").value == 3.0


def test_a_definition_is_told_from_a_comparison() -> None:
    assert parse_definition("cut = 12 mm") == ("cut", "12 mm", 6)
    assert parse_definition("a == b") is None
    assert parse_definition("max(1, 2)") is None
    with pytest.raises(FormulaError) as caught:
        parse_definition("cut = 12 mm +")
    assert caught.value.span == (13, 13)
    with pytest.raises(FormulaError, match="word of the formula language"):
        parse_definition("if = 3 mm")


def test_names_and_renaming_go_by_the_tree() -> None:
    text = "width + widths*2 + sum(width in 1..3: width) + hole_for(width, sliding) # width"
    assert names_in(text) == {"width", "widths"}
    renamed = rename(text, "width", "breite")
    assert (
        renamed
        == "breite + widths*2 + sum(width in 1..3: width) + hole_for(breite, sliding) # width"
    )
    assert rename("hole_for(sliding, sliding)", "sliding", "gap") == "hole_for(gap, sliding)"
    assert rename("( # (width)\n width )", "width", "w") == "( # (width)\n w )"
    assert rename_step("row.count + rows.count", "row", "line") == "line.count + rows.count"
    assert rename("1 +", "width", "w") == "1 +"


def test_what_is_counted_or_decided_does_not_change_with_the_lens() -> None:
    process = neutral().with_(hole_gain=-0.4, peg_gain=0.3)
    found = evaluate(
        [
            Entry("hole", "inside(10 mm)"),
            Entry("n", "floor(100 mm / hole)"),
            Entry("wall", "if hole >= 10 mm then 3 mm else 2 mm"),
            Entry("mixed", "hole + 1 mm"),
        ],
        (),
        process,
    )
    assert found.cells["hole"].wanted.value == 10.0
    assert found.cells["hole"].sent.value == pytest.approx(10.4)
    assert found.cells["n"].sent.value == found.cells["n"].wanted.value == 10
    assert found.cells["wall"].sent.value == 3.0
    assert found.cells["mixed"].sent.value == pytest.approx(11.4)


# Properties

_numbers = st.integers(1, 999).map(str)
_lengths = st.builds("{} {}".format, _numbers, st.sampled_from(["mm", "cm", "in"]))


def _deeper(inner: st.SearchStrategy[tuple[str, Kind]]) -> st.SearchStrategy[tuple[str, Kind]]:
    def pair(op: str, a: tuple[str, Kind], b: tuple[str, Kind]) -> tuple[str, Kind]:
        if op in "+-":
            return (f"({a[0]} {op} {a[0]})", a[1])
        sign = 1 if op == "*" else -1
        return (f"({a[0]}) {op} ({b[0]})", Kind(a[1].length + sign * b[1].length))

    return st.builds(pair, st.sampled_from("+-*/"), inner, inner)


_typed = st.recursive(
    st.one_of(_numbers.map(lambda t: (t, COUNT)), _lengths.map(lambda t: (t, LENGTH))),
    _deeper,
    max_leaves=6,
)


@given(_typed)
def test_kinds_agree_with_plain_dimensional_analysis(typed: tuple[str, Kind]) -> None:
    text, kind = typed
    if abs(kind.length) <= 12:
        assert compile_formula(text, {}).kind == kind


_pieces = st.sampled_from(
    [
        "a",
        "row.count",
        "3",
        ".5",
        "2.5e3",
        "3 mm",
        "3mm",
        "1 3/4 in",
        "3/16 in",
        "5' 3-1/2\"",
        "30°",
        "yes",
        "4²",
        "m^2",
        'from_row(depth, "Hummel 8")',
        "hole_for(a, sliding)",
        "floor()",
    ]
)


def _nest(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    signs = st.sampled_from(["+", "-", "*", "/", "^", "<=", "≠", "and", "or", " . "])
    return st.one_of(
        st.tuples(inner, signs, inner).map(" ".join),
        st.tuples(inner, signs, inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        inner.map(lambda t: f"-{t}"),
        inner.map(lambda t: f"not {t}"),
        inner.map(lambda t: f"({t})²"),
        st.tuples(inner, inner, inner).map(lambda t: f"if {t[0]} then {t[1]} else {t[2]}"),
        st.tuples(inner, inner).map(lambda t: f"max({t[0]}, {t[1]})"),
        st.tuples(inner, inner).map(lambda t: f"sum(i in 1..{t[0]}: {t[1]})"),
    )


@examples(400)
@given(st.recursive(_pieces, _nest, max_leaves=9))
def test_a_formula_written_out_and_read_again_is_the_same(text: str) -> None:
    try:
        tree = parse(text)
    except FormulaError:
        return
    assert parse(written(tree)) == tree


def test_a_written_formula_has_no_more_parentheses_than_it_needs() -> None:
    assert written(parse("((a)*(3 mm+((b))))/(3/16 in)")) == "a * (3 mm + b) / (3/16 in)"
    assert written(parse("(3 mm)^2 - -x")) == "(3 mm)^2 - -x"


def test_the_size_table_is_read_by_row_by_key_and_between_keys() -> None:
    assert value('from_row(box_height, "Hummel Mini") + 2 mm') == Quantity(160, LENGTH)
    assert value("lookup(frames, inner_width, w)", w="30 cm") == Quantity(8, COUNT)
    assert value("interpolate(frames, inner_width, 196 mm)").value == 5
    # A quarter of the way from 300 (8 frames) to 372 (10 frames).
    assert value("interpolate(frames, inner_width, 318 mm)").value == pytest.approx(8.5)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ('from_row(frames, "Hummel 9")', "no row “Hummel 9”"),
        ("lookup(frames, inner_width, 301 mm)", "the nearest there are 300 mm and 372 mm"),
        ("lookup(inner_width, box_height, 232 mm)", "several rows have box_height = 232 mm"),
        ("interpolate(frames, inner_width, 400 mm)", "goes from 196 mm to 372 mm"),
        ("interpolate(frames, inner_width, 5)", "but the keys are lengths"),
        ("lookup(frame, inner_width, 5 mm)", "“frame” is no column"),
        ('"Hummel 8" + 1', "a value is wanted"),
        ("from_row(frames, 8)", "“8” is no name of a row"),
        ('from_row(spare, "Hummel 8")', "row “Hummel 8” of the size table has a problem"),
    ],
)
def test_what_is_not_in_the_size_table_is_told(text: str, words: str) -> None:
    assert words in wrong(text, width="10 mm").what


def test_a_cell_that_is_read_depends_on_what_its_formula_uses() -> None:
    made = table(x='from_row(spare, "Hummel 10")', width="10 mm", again="x + 1 mm")
    assert made.cells["again"].wanted == Quantity(6, LENGTH)
    assert [problem.what for problem in made.problems if "Mini" in problem.what] == [
        "Size table, row “Hummel Mini”: “3 deg” is an angle, the rows above are lengths."
    ]
    after = evaluate_again(made, {"width": Entry("width", "30 mm")})
    assert after is not None
    assert after.cells["again"].wanted == Quantity(16, LENGTH)
    looping = table(width='from_row(spare, "Hummel 10")')
    assert "circle" in looping.problems[0].what


def test_columns_and_rows_are_renamed_and_never_replaced_by_values() -> None:
    text = 'lookup(frames, inner_width, frames) + from_row(frames, "Hummel 8")'
    assert columns_in(text) == {"frames", "inner_width"}
    assert (
        rename(text, "frames", "count")
        == 'lookup(count, inner_width, count) + from_row(count, "Hummel 8")'
    )
    assert rename_row(text, "Hummel 8", "Eight").endswith('from_row(frames, "Eight")')
    assert put_in_place(text, "frames", "3").startswith("lookup(frames, inner_width, (3)) +")


@given(_typed)
def test_renaming_there_and_back_changes_nothing(typed: tuple[str, Kind]) -> None:
    text = f"size_a + {typed[0]} * size_b"
    assert rename(rename(text, "size_a", "x"), "x", "size_a") == text
    assert parse(rename(text, "size_a", "size_a")) == parse(f"  size_a  +  {typed[0]}*size_b ")


@examples(400)
@given(
    st.text(st.sampled_from("0123456789.+-*/^()=<> ,:'\"abmin_sumfthel²³°%#\n"), max_size=60)
    | st.text(max_size=40)
)
def test_any_text_gives_a_value_or_words(text: str) -> None:
    try:
        compiled = compile_formula(text, {"a": LENGTH, "m": COUNT})
        assert math.isfinite(compiled.value(Env({"a": 3.0, "m": 2.0})).value)
    except FormulaError as error:
        assert error.what
        assert error.span is None or 0 <= error.span[0] <= error.span[1] <= len(text)


@pytest.mark.parametrize(
    "text",
    [
        "(" * 5000 + "1" + ")" * 5000,
        "9^9^9^9^9",
        "1e999999999",
        "1" * 1900,
        "-" * 1500 + "1",
        "sum(i in 1..99999: sum(k in 1..99999: 1))",
        "+".join(["1"] * 900),
        "not " * 300 + "yes",
        "if 1>0 then " * 100 + "1" + " else 1" * 100,
        "x" * 3000,
    ],
)
def test_hostile_formulas_end_at_once_in_words(text: str) -> None:
    try:
        assert math.isfinite(value(text).value)
    except FormulaError as error:
        assert error.what


@given(st.floats(-1e6, 1e6), st.sampled_from(["mm", "in"]))
def test_a_length_is_said_so_that_it_can_be_read_again(number: float, units: str) -> None:
    text = say(Quantity(number, LENGTH), units)
    assert value(text).value == pytest.approx(
        number, abs=0.6e-3 if units == "mm" else 0.6e-4 * 25.4, rel=1e-5
    )


def test_units_are_exact() -> None:
    assert UNITS["in"].factor * 12 == UNITS["ft"].factor
    assert float(UNITS["in"].factor) == 25.4


EXTREMES = [
    "0",
    "-1",
    "0.5",
    "1e308",
    "1e308*10",
    "(1e308*10-1e308*10)",
    "1e-320",
    "3 mm",
    "-3 mm",
    "0 mm",
    "1e308 mm*10",
    "(1e308 mm*10-1e308 mm*10)",
    "30 deg",
    "1e308 deg*10",
    "5 mm²",
    "1e300 mm²",
    "sliding",
    "1 kg",
    "1 > 2",
    "a",
    "m",
]


@given(st.randoms(use_true_random=False))
@examples(300)
def test_whatever_a_function_is_given_comes_to_a_value_or_words(dice) -> None:
    def piece(depth: int) -> str:
        if depth == 0:
            return dice.choice(EXTREMES)
        function = dice.choice(list(FUNCTIONS.values()))
        count = dice.randint(function.least, function.most or function.least + 2)
        return dice.choice(
            [
                f"{function.name}({', '.join(piece(depth - 1) for _ in range(count))})",
                f"({piece(depth - 1)}) {dice.choice('+-*/^<=')} ({piece(depth - 1)})",
            ]
        )

    for _ in range(20):
        text = piece(dice.randint(1, 2))
        try:
            found = compile_formula(text, {"a": LENGTH, "m": COUNT}).value(
                Env({"a": 3.0, "m": 2.0}, neutral())
            )
        except FormulaError as error:
            assert str(error)
        else:
            assert math.isfinite(found.value), text


def test_what_is_wrong_in_a_definition_is_marked_in_its_own_text() -> None:
    text = "lip  =  3 mm + (2"
    with pytest.raises(FormulaError) as caught:
        parse_definition(text)
    assert caught.value.span == (len(text), len(text))
    assert parse_definition(" lip = 3 mm").at == 7


@pytest.mark.parametrize(
    ("text", "marked", "said"),
    [
        ("√2", "√", "Write sqrt(16 mm²)."),
        ("3½ in", "½", "Write 1/2, and 3½ as 3 1/2."),
        ("2 mm + ¾ in", "¾", "Write 3/4"),
        ("3 mm–1 mm", "–", "Minus is written -."),
        ("10 mm ± 0.1 mm", "±", "as its tolerance"),
        ("if(1 > 2, 3 mm, 4 mm)", ",", "Write if A then B else C."),
        ("7 % 3", "3", "mod(38 mm, 5 mm)"),
        ("7 mod 3", "m", "mod(38 mm, 5 mm)"),
        ("2(3 mm + 1 mm)", "(", "To multiply, write *."),
        ("10 mm + 10 %", "10 mm + 10 %", "Say of what it is a share: 10 % * 10 mm."),
        ("½", "½", "Write 1/2"),
    ],
)
def test_habits_are_met_with_how_it_is_written(text: str, marked: str, said: str) -> None:
    error = wrong(text)
    assert said in error.hint
    assert text[slice(*error.span)] == marked
