"""Loose numbers: what is typed as a number and is, or simply follows from, a size. It stays where
it is when that size changes.

A number is only told where it can hardly be so by chance: the more digits it has, and the fewer
ways there are to come to it, the less likely that is.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from ..design.model import Design
from ..formula import FormulaError, parse
from ..formula.rewrite import is_number, names_in, walk
from ..formula.tree import Number
from ..formula.value_table import ValueTable
from ..quantity import LENGTH
from ..words import say_name

#: Of so many numbers that are told, one may be so by chance.
_CHANCE = 0.05
#: How much likelier a size is meant that the same step uses already.
_NEAR = 6.0
#: Lengths are the same where they agree in so many decimal places of a millimetre.
_PLACES = 6
#: So many sizes are put together at most; with more, chance would make anything of anything.
_MOST_SIZES = 60


@dataclass(frozen=True, slots=True)
class Loose:
    """A number in a formula: of a step (``area`` ``step``, with the ``path`` of its field) or of a
    size; where it stands in the text, the formula that could stand for it, the text with that in
    its place, and the sizes that it would follow."""

    area: str
    name: str
    path: str
    label: str
    text: str
    span: tuple[int, int]
    formula: str
    tied: str
    follows: tuple[str, ...]

    def words(self) -> str:
        """``step tray, length: 372 mm is width``."""
        start, end = self.span
        where = f"{say_name(self.name)}, {self.label}" if self.label else say_name(self.name)
        return f"{where}: {self.text[start:end]} is {self.formula}"


@dataclass(frozen=True, slots=True)
class _Place:
    area: str
    name: str
    path: str
    label: str
    text: str
    beside: frozenset[str]

    @property
    def is_position(self) -> bool:
        """Where something is, and not how large: equal positions say little."""
        return self.path.rpartition(".")[2] in ("x", "y", "z")


def loose_numbers(design: Design, table: ValueTable) -> list[Loose]:
    """Those of a design, in the order of its steps, then of its sizes.

    A size that is a number by itself is no loose number: it is what others follow.
    """
    sizes = {
        size.name: table.cells[size.name].wanted.value
        for size in design.sizes
        if size.name in table.cells and table.cells[size.name].wanted.kind == LENGTH
    }
    sizes = {name: value for name, value in sizes.items() if value > 0}
    if not sizes or len(sizes) > _MOST_SIZES:
        return []
    numbers, ways = [], _ways_to(sizes)
    for place in _places(design):
        own = {
            name for name in sizes if place.area == "size" and _hangs_on(name, place.name, table)
        }
        for number in _lengths(place.text):
            told = _told_by(number.value, ways, place, own)
            if told is not None:
                formula, names = told
                numbers.append(_loose(place, number, formula, names))
    return numbers


def _places(design: Design) -> Iterator[_Place]:
    for step in design.steps:
        slots = [slot for slot in step.slots() if slot.kind == LENGTH]
        beside = frozenset().union(*(_names(slot.formula) for slot in slots))
        for slot in slots:
            yield _Place("step", step.name, slot.path, slot.label, slot.formula, beside)
    for size in design.sizes:
        text = design.formula_of(size)
        if _lengths(text) and not is_number(text):
            yield _Place("size", size.name, "", "", text, _names(text))


def _names(text: str) -> frozenset[str]:
    try:
        return names_in(text)
    except FormulaError:
        return frozenset()


def _lengths(text: str) -> list[Number]:
    """The lengths that are written out in a formula."""
    try:
        tree = parse(text)
    except FormulaError:
        return []
    return [
        node
        for node, _ in walk(tree)
        if isinstance(node, Number) and node.kind == LENGTH and node.value > 0
    ]


def _hangs_on(name: str, on: str, table: ValueTable) -> bool:
    """Whether a size is, or hangs on, another."""
    seen, waiting = {name}, [name]
    while waiting:
        now = waiting.pop()
        if now == on:
            return True
        fresh = table.uses.get(now, frozenset()) - seen
        seen |= fresh
        waiting += fresh
    return False


@dataclass(frozen=True, slots=True)
class _Level:
    """Formulas of one form by what they come to, mm, and how many of them there are."""

    count: int
    by: Mapping[float, list[tuple[str, tuple[str, ...]]]]


def _ways_to(sizes: Mapping[str, float]) -> list[_Level]:
    """All simple formulas of some sizes, the simplest first."""
    pairs = list(itertools.permutations(sizes.items(), 2))
    levels: list[list[tuple[str, tuple[str, ...], float]]] = [
        [(name, (name,), value) for name, value in sizes.items()],
        [
            way
            for a, x in sizes.items()
            for way in ((f"{a}/2", (a,), x / 2), (f"2*{a}", (a,), 2 * x))
        ],
        [
            way
            for (a, x), (b, y) in pairs
            for way in ((f"{a} - {b}", (a, b), x - y), (f"{a} + {b}", (a, b), x + y))
        ],
        [
            way
            for (a, x), (b, y) in pairs
            for way in (
                (f"{a}/2 - {b}", (a, b), x / 2 - y),
                (f"{a}/2 + {b}", (a, b), x / 2 + y),
                (f"{a} - 2*{b}", (a, b), x - 2 * y),
                (f"{a} + 2*{b}", (a, b), x + 2 * y),
            )
        ],
    ]
    ways = []
    for level in levels:
        by: dict[float, list[tuple[str, tuple[str, ...]]]] = {}
        for formula, names, value in level:
            by.setdefault(round(value, _PLACES), []).append((formula, names))
        ways.append(_Level(len(level), by))
    return ways


def _told_by(
    value: float, levels: list[_Level], place: _Place, own: set[str]
) -> tuple[str, tuple[str, ...]] | None:
    """The simplest formula of sizes that comes to a value, unless chance may have made it so."""
    room = 10.0 ** _digits(value)
    for level in levels:
        fitting = level.by.get(round(value, _PLACES), [])
        for formula, names in sorted(fitting, key=lambda one: -len(place.beside & set(one[1]))):
            if own & set(names):
                continue
            near = _NEAR if place.beside & set(names) and not place.is_position else 1.0
            if level.count / room / near <= _CHANCE:
                return formula, names
    return None


def _digits(value: float) -> int:
    """How many digits of a length in mm tell something: 372 and 18.6 have three, 120 two."""
    text = f"{round(value, 6):.6f}".replace(".", "").strip("0")
    return len(text)


def _loose(place: _Place, number: Number, formula: str, names: tuple[str, ...]) -> Loose:
    start, end = number.span
    whole = start == 0 and end == len(place.text)
    plain = whole or formula.isidentifier()
    put = formula if plain else f"({formula})"
    tied = place.text[:start] + put + place.text[end:]
    return Loose(
        place.area, place.name, place.path, place.label, place.text, (start, end), formula,
        tied, names,
    )  # fmt: skip
