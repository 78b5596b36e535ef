"""The reader of formulas against the grammar: the same trees with the same places, or the same
words at the same marks."""

from __future__ import annotations

import random
import re

import pytest

from schablone.core.formula.errors import FormulaError
from schablone.core.formula.parse import parse
from schablone.core.formula.tree import children

from .formula_grammar import by_grammar

PIECES = [
    *[
        "1",
        "2.5",
        "3 mm",
        "3mm",
        ".5",
        "1/2",
        "3/16 in",
        "1 3/4 in",
        "5' 3-1/2\"",
        "30°",
        "1e3",
        "5/3",
        "1,5",
        "½",
        "①",
    ],
    *[
        "a",
        "b",
        "width",
        "wall_2",
        "é",
        "iffy",
        "andy",
        "sum",
        "product",
        "max",
        "m²",
        "g/cm³",
        "a²",
        "a.b",
        "×2",
    ],
    *[
        "if",
        "then",
        "else",
        "and",
        "or",
        "not",
        "in",
        "f(a, b)",
        "sum(i in 1..3: i)",
        'from_row(d, "H")',
        "(a)",
    ],
    *[
        "+",
        "-",
        "−",
        "*",
        "/",
        "·",
        "×",
        "÷",
        "^",
        "²",
        "³",
        "(",
        ")",
        "(",
        ")",
        ",",
        ".",
        "..",
        ":",
        "!",
        "$",
        "√",
        "–",
        "±",
        "7 %",
        "mod",
    ],
    *[
        "=",
        "==",
        "<",
        "<=",
        ">",
        "≥",
        "≠",
        "!=",
        '"x"',
        "“y z”",
        '"',
        "#c",
        "#c\n",
        "\n",
        "\t",
        " ",
        " ",
        " ",
    ],
]
LEAVES = [
    "1",
    "2.5",
    "3 mm",
    "3mm",
    ".5",
    "3/16 in",
    "1 3/4 in",
    "30°",
    "a",
    "width",
    "p.count",
    "i",
]

#: After the first name in a call the grammar takes one point of two by itself, and marks the
#: second.
TOO_SOON = re.compile(r"\((?:\s|#c\n)*[^\W\d²³][^\W²³]*(?:\s|#c\n)*\.\.")


def a_formula(dice: random.Random, depth: int) -> str:
    def inner() -> str:
        return a_formula(dice, depth - 1)

    if depth == 0 or dice.random() < 0.2:
        return dice.choice(LEAVES)
    gap = dice.choice(["", " "])
    ways = [
        lambda: inner() + gap + dice.choice("+-*/^=<≤·×") + gap + inner(),
        lambda: f"({inner()})",
        lambda: f"-{inner()}",
        lambda: f"({inner()}){dice.choice('²³')}",
        lambda: f"max({inner()},{gap}{inner()})",
        lambda: f"sum(i in 1..{inner()}: {inner()})",
        lambda: f"if {inner()} then {inner()} else {inner()}",
        lambda: f"{inner()} {dice.choice(['and', 'or'])} {inner()}",
        lambda: f"not {inner()}",
    ]
    return dice.choice(ways)()


def a_text(dice: random.Random) -> str:
    """A formula, a formula with slips, or anything at all."""
    if dice.random() < 0.5:
        text = a_formula(dice, 4)[:300]
    else:
        text = "".join(
            dice.choice(PIECES) + dice.choice(["", " "]) for _ in range(dice.randrange(1, 12))
        )
    slips = list(text)
    for _ in range(dice.choice([0, 0, 0, 2])):
        slips[dice.randrange(len(slips))] = dice.choice(["", "(", ")", " ", ".", "1", "a", ","])
    return "".join(slips)


def read_by(reader, text):
    def places(node):
        more = [getattr(node, name, None) for name in ("at", "name_span", "text")]
        return (node.span, *more, [places(child) for child in children(node)])

    try:
        tree = reader(text)
    except FormulaError as error:
        return error.what, error.span, error.hint
    return tree, places(tree)


def same_for(seed: int, count: int) -> None:
    dice = random.Random(seed)
    read = 0
    for _ in range(count):
        text = a_text(dice)
        mine = read_by(parse, text)
        if TOO_SOON.search(text):
            continue
        if not text.strip() or mine[0] in (
            "The formula is nested too deeply.",
            "The formula is too long a chain.",
        ):
            continue
        assert mine == read_by(by_grammar, text), text
        read += not isinstance(mine[0], str)
    assert count * 0.2 < read < count * 0.8  # both are tried: what can be read and what cannot


def test_formulas_are_read_as_the_grammar_says() -> None:
    same_for(0, 3000)


@pytest.mark.nightly
@pytest.mark.parametrize("seed", range(1, 21))
def test_so_are_a_hundred_thousand(seed: int) -> None:
    same_for(seed, 5000)


@pytest.mark.parametrize(
    "deep", ["(" * 58 + "1" + ")" * 58, "if a then " * 58 + "1" + " else 2" * 58, "-" * 58 + "1"]
)
def test_deep_formulas_are_read(deep: str) -> None:
    assert parse(deep) == by_grammar(deep)


@pytest.mark.parametrize(
    "deep", ["(" * 61 + "1" + ")" * 61, "+".join("1" * 400), "a.b + " * 300 + "1"]
)
def test_what_is_too_deep_is_told(deep: str) -> None:
    with pytest.raises(FormulaError, match=r"nested too deeply|too long a chain|can.t|cannot"):
        parse(deep)


def test_all_kinds_of_depth_at_once_end_in_a_tree_or_in_words() -> None:
    try:
        assert parse("(if a then -" * 59 + "not_1^2" + " else 2)" * 59).span[0] == 0
    except FormulaError as error:
        assert "nested too deeply" in error.what
