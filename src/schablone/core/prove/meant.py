"""What a size is meant to be: its tolerance, its fit with a mate, or its tolerance class, as a
range of finished sizes."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

from ..design.model import Size
from ..formula import FormulaError, parse
from ..formula.functions import FIT_FUNCTIONS, PROCESS_FUNCTIONS
from ..formula.habits import FITS
from ..formula.iso286 import deviations
from ..formula.tree import Call, Name
from ..formula.value_table import ValueTable
from ..process.model import Process
from ..quantity import LENGTH, plain


@dataclass(frozen=True, slots=True)
class Meant:
    """In words, and the least and largest finished size that is as good, mm. ``trouble`` says why
    there is no range."""

    words: str
    low: float = 0.0
    high: float = 0.0
    trouble: str = ""


def meant_of(size: Size, formula: str, process: Process, table: ValueTable) -> Meant | None:
    """What a size is meant to be; None where nothing is said of that. Its own tolerance goes before
    a fit."""
    if size.tolerance.strip():
        try:
            off = table.compile(size.tolerance, LENGTH).value(table.env()).value
        except FormulaError as error:
            return Meant("", trouble=f"its tolerance: {error.what}")
        wanted = table.cells[size.name].wanted.value
        return Meant(f"± {plain(abs(off), 3)} mm", wanted - abs(off), wanted + abs(off))
    try:
        tree = parse(formula)
        if (
            isinstance(tree, Call)
            and tree.function in FIT_FUNCTIONS
            and isinstance(tree.args[1], Name)
        ):
            return _by_function(tree, tree.args[1].name, formula, process, table)
    except FormulaError:
        pass  # told where the size stands
    return None


def _by_function(tree: Call, word: str, text: str, process: Process, table: ValueTable) -> Meant:
    def length(number: int) -> float:
        start, end = tree.args[number].span
        return table.compile(text[start:end]).value(table.env()).value

    mate = length(0)
    if tree.function.startswith("iso_"):
        allowed = deviations(mate, word)
        return Meant(
            f"{word}: {_signed(allowed.low)} to {_signed(allowed.high)} mm",
            mate + allowed.low,
            mate + allowed.high,
        )
    gap, low, high = class_of(word, mate, process)
    within = length(2) if len(tree.args) > 2 else 0.0
    moved = within if word in ("sliding", "loose") else -within
    share = 0.5 if tree.function.startswith("shared_") else 1.0
    least, most = (mate + share * (g + moved) for g in (low, high))
    if PROCESS_FUNCTIONS[tree.function] == "outside":
        least, most = (mate - share * (g + moved) for g in (high, low))
    off = f" ± {plain(within, 3)}" if within else ""
    return Meant(
        f"{word} on {plain(mate, 3)}{off} mm, gap {plain(gap, 3)} mm".replace("-", "−"), least, most
    )


def class_of(word: str, mate: float, process: Process) -> tuple[float, float, float]:
    """The gap of a class of fit, and the least and largest that is nearer to it than to the next
    class, mm. The tightest and the loosest class reach as far beyond as to their neighbour."""
    gap = process.clearance(word, mate)
    others = sorted({process.clearance(fit, mate) for fit in FITS})
    middles = [(a + b) / 2 for a, b in itertools.pairwise(others)]
    low = max((m for m in middles if m < gap), default=None)
    high = min((m for m in middles if m > gap), default=None)
    if low is None and high is None:
        return gap, gap, gap
    return (
        gap,
        low if low is not None else 2 * gap - (high or 0.0),
        high if high is not None else 2 * gap - (low or 0.0),
    )


def _signed(value: float) -> str:
    return f"{value:+.3f}".replace("-", "−") if abs(value) > 5e-4 else "0"
