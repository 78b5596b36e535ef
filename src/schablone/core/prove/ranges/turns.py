"""Turns: values of a size at which a count or a condition changes, found on the sheet of sizes
without building anything.

What is looked at: sizes and outputs that are counts or yes-or-no, conditions of steps, checks that
the designer wrote, and within formulas what ``if`` asks, what is rounded to whole steps, and which
of its values ``min`` and ``max`` take. Most designs that break do so right beside one of these.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TypeVar

from ...design.edit import map_formulas
from ...design.model import Design
from ...design.opened import opened
from ...formula import FormulaError, parse
from ...formula.rewrite import names_in, walk
from ...formula.tree import Call, If
from ...formula.value_table import ValueTable
from ...quantity import COUNT, LENGTH, TRUTH
from .allowed import Point, Sheets, Span

#: In so many equal parts a range is looked through; turns nearer to each other may be missed.
_PARTS = 64
#: How closely a turn is found, as a share of the range.
_CLOSE = 1e-7
_ROUNDS_TO = frozenset({"floor", "ceil", "round", "trunc", "mod"})
_PICKS = frozenset({"min", "max"})
#: So many of what formulas ask are followed.
_MOST = 300

_T = TypeVar("_T")
#: What is told apart; equal where nothing has turned.
_State = tuple[float | None, ...]


@dataclass(frozen=True, slots=True)
class Turn:
    """Two values of a size that lie on either side of a change."""

    name: str
    below: float
    above: float


class Watch:
    """Looks at everything of a design that can turn."""

    def __init__(self, design: Design) -> None:
        design = opened(design)
        texts: list[str] = []

        def heard(text: str) -> str:
            texts.append(text)
            return text

        map_formulas(design, heard)
        watched: dict[tuple[str, str], None] = {}
        for text in dict.fromkeys(texts):
            for asked in _asked_in(text):
                watched[asked] = None
        conditions = [step.when for step in design.steps]
        conditions += [check.formula for check in design.checks]
        for text in conditions:
            if text.strip():
                watched["truth", text] = None
        self._asked = list(watched)[:_MOST]

    def state(self, table: ValueTable) -> _State:
        """What the sheet says of all that can turn; None for what has no value."""
        counts = [
            round(cell.wanted.value, 9)
            for name, cell in sorted(table.cells.items())
            if cell.wanted.kind in (COUNT, TRUTH)
        ]
        return (*counts, *(_value(how, text, table) for how, text in self._asked))


def _asked_in(text: str) -> list[tuple[str, str]]:
    """What a formula asks, each with how it is looked at: ``truth``, ``value`` or ``which``."""
    try:
        tree = parse(text) if text.strip() else None
    except FormulaError:
        return []
    questions = []
    for node, bound in walk(tree) if tree is not None else ():
        if bound:
            continue  # of a counter there is no one value
        start, end = node.span
        if isinstance(node, If):
            start, end = node.condition.span
            questions.append(("truth", text[start:end]))
        elif isinstance(node, Call) and node.function in _ROUNDS_TO:
            questions.append(("value", text[start:end]))
        elif isinstance(node, Call) and node.function in _PICKS:
            questions += [
                ("which", f"{text[slice(*a.span)]} - ({text[slice(*b.span)]})")
                for a, b in zip(node.args, node.args[1:], strict=False)
            ]
    return [(how, asked) for how, asked in questions if _has_names(asked)]


def _has_names(text: str) -> bool:
    try:
        return bool(names_in(text))
    except FormulaError:
        return False


def _value(how: str, text: str, table: ValueTable) -> float | None:
    try:
        value = table.compile(text, TRUTH if how == "truth" else None).value(table.env()).value
    except (FormulaError, ValueError):
        return None
    return math.copysign(1.0, value) if how == "which" else round(value, 9)


def turns_of(
    sheets: Sheets, watch: Watch, span: Span, point: Point, most: int
) -> tuple[list[Turn], int]:
    """Where something turns while one size goes over its range and the others stay as at a point:
    at most so many, evenly picked, and how many there are."""

    def state(value: float) -> _State:
        return watch.state(sheets.at(point.with_values({span.name: value})))

    if span.kind in (COUNT, TRUTH):
        # Every whole number may be another design: all of them, where they are few.
        low, high = round(span.low), round(span.high)
        turns = [Turn(span.name, float(k), float(k + 1)) for k in range(low, min(high, low + 999))]
        return _picked(turns, most), high - low
    places = [span.low + (span.high - span.low) * k / _PARTS for k in range(_PARTS + 1)]
    states = [state(value) for value in places]
    between = [k for k in range(_PARTS) if states[k] != states[k + 1]]
    turns = [
        _narrowed(span, state, places[k], places[k + 1], states[k]) for k in _picked(between, most)
    ]
    return turns, len(between)


def _picked(turns: Sequence[_T], most: int) -> list[_T]:
    """So many of them, the first and the last among them."""
    if len(turns) <= most:
        return list(turns)
    return [turns[round(k * (len(turns) - 1) / (most - 1))] for k in range(most)]


def _narrowed(
    span: Span, state: Callable[[float], _State], low: float, high: float, here: _State
) -> Turn:
    """The first change between two values, as values on either side that people would type."""
    close = _CLOSE * (span.high - span.low)
    while high - low > close:
        middle = (low + high) / 2
        if middle in (low, high):
            break
        if state(middle) == here:
            low = middle
        else:
            high = middle
    if span.kind == LENGTH:
        for grid in (0.01, 0.001):
            first = math.floor(low / grid)
            for k in (first - 1, first, first + 1):  # which side a change right on the grid is of
                below, above = float(f"{k * grid:.10g}"), float(f"{(k + 1) * grid:.10g}")
                inside = span.low <= below and above <= span.high
                if inside and state(below) == here and state(above) != here:
                    return Turn(span.name, below, above)
    return Turn(span.name, low, high)
