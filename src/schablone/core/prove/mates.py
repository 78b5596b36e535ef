"""Fits between two made parts: the gap that is wanted, that which is to be expected of the machines
that make both, how sure that is, and whether it is the fit that was meant."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from ..design.lens_table import cut_sheet, machines_of
from ..design.measures import Measures, measures_of
from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..formula import FormulaError, parse
from ..formula.functions import FIT_FUNCTIONS, PROCESS_FUNCTIONS
from ..formula.tree import Call, Name
from ..process.priors import PRIORS
from ..process.sure import HOLDS_95, mean_and_days
from ..quantity import plain
from ..words import say_name
from .finding import Finding
from .size_report import SizeLine, size_report, slopes_of, unmet

#: An expected gap this near to an end of what is meant, mm, lies within.
_SAME = 5e-5


@dataclass(frozen=True, slots=True)
class Mate:
    """What goes into what: the size of a hole or slot of some parts, and that of a peg, tab or
    board of others.

    ``word`` is the class of fit; gaps are inside minus outside, mm, negative where they press;
    ``around`` holds 95 of 100 pairs to be expected, ``low`` and ``high`` bound the class. The
    verdict is ``holds``, ``likely`` or ``off``, as in the size report.
    """

    inside: str
    outside: str
    inside_parts: frozenset[str]
    outside_parts: frozenset[str]
    word: str
    wanted: float
    expected: float
    around: float
    low: float
    high: float
    measured: bool
    verdict: str


def mates_of(design: Design, measures: Measures, lines: Sequence[SizeLine]) -> list[Mate]:
    """Every fit between sizes of different parts, from their lines of the size report.

    Two sizes are mates where one is ``shared_hole`` and the other ``shared_peg`` of the same size
    and class, or where one is a hole, slot, peg or tab for the other.
    """
    mates = []
    for inside, outside, word, low, high in mating(design, lines):
        one, other = inside.row, outside.row
        wanted = one.wanted.value - other.wanted.value
        expected = one.expected.value - other.expected.value
        around = HOLDS_95 * math.sqrt(_variance(measures, inside, outside))
        around += unmet(one) + unmet(other)
        within = low - _SAME <= expected <= high + _SAME
        whole = low - _SAME <= expected - around and expected + around <= high + _SAME
        known = inside.sure.piece > 0 or outside.sure.piece > 0
        verdict = "holds" if whole and known else "likely" if within else "off"
        mates.append(
            Mate(
                one.name, other.name, one.measure.parts, other.measure.parts, word, wanted,
                expected, around, low, high,
                inside.sure.measured and outside.sure.measured, verdict,
            )
        )  # fmt: skip
    return mates


def mating(
    design: Design, lines: Sequence[SizeLine]
) -> Iterator[tuple[SizeLine, SizeLine, str, float, float]]:
    """Lines of sizes that are mates, the inside first, with their class and the least and largest
    gap that is of it, mm."""
    fits = [(line, call) for line in lines if (call := _fit_of(design, line)) is not None]
    for line, call in fits:
        meant = line.meant
        if meant is None or meant.trouble or _side_of(call) != "inside":
            continue
        word = _word(call)
        if call.function == "shared_hole":
            for other, peg in fits:
                if peg.function == "shared_peg" and peg.args == call.args:
                    assert other.meant is not None
                    low, high = meant.low - other.meant.high, meant.high - other.meant.low
                    if _made_apart(line, other):
                        yield line, other, word, low, high
            continue
        for mate in _named(call, lines, "outside", line):
            size = mate.row.wanted.value
            yield line, mate, word, meant.low - size, meant.high - size
    for line, call in fits:
        meant = line.meant
        outside = _side_of(call) == "outside" and call.function != "shared_peg"
        if not outside or meant is None or meant.trouble:
            continue
        for mate in _named(call, lines, "inside", line):
            size = mate.row.wanted.value
            yield mate, line, _word(call), size - meant.high, size - meant.low


def _fit_of(design: Design, line: SizeLine) -> Call | None:
    """The call of a fit that a size is, if it is one."""
    size = design.size(line.row.name)
    try:
        tree = parse(design.formula_of(size)) if size is not None else None
    except FormulaError:
        return None
    if not isinstance(tree, Call) or tree.function not in FIT_FUNCTIONS:
        return None
    by_class = not tree.function.startswith("iso_") and isinstance(tree.args[1], Name)
    return tree if by_class else None


def _word(call: Call) -> str:
    word = call.args[1]
    assert isinstance(word, Name)
    return word.name


def _side_of(call: Call) -> str:
    return PROCESS_FUNCTIONS[call.function]


def _named(call: Call, lines: Sequence[SizeLine], side: str, own: SizeLine) -> list[SizeLine]:
    """The lines of the size that a fit is for, as far as other parts are of that size."""
    mate = call.args[0]
    if not isinstance(mate, Name):
        return []
    return [
        line
        for line in lines
        if line.row.name == mate.name
        and (line.row.measure.correction.side == side or (side == "outside" and _is_board(line)))
        and _made_apart(own, line)
    ]


def _is_board(line: SizeLine) -> bool:
    """Whether a size is the thickness of what is cut from a sheet, which goes into slots as it
    is."""
    return line.row.measure.thick and line.row.process.family == "cut"


def _made_apart(one: SizeLine, other: SizeLine) -> bool:
    return one.row.measure.parts.isdisjoint(other.row.measure.parts)


def _variance(measures: Measures, inside: SizeLine, outside: SizeLine) -> float:
    """The variance of a gap, mm². What is not known of one machine, and moves both sizes alike,
    moves the gap by the difference only. Both may be made on one day or on two, and on a day on
    which holes come out narrow pegs come out thick: whichever is worse counts."""
    apart = inside.sure.piece**2 + outside.sure.piece**2
    one, other = inside.row, outside.row
    if one.process.name != other.process.name or one.process.kind not in PRIORS:
        return apart
    if not (one.is_made and other.is_made):
        return apart
    sheets = [cut_sheet(measures, row.measure.parts, row.process) for row in (one, other)]
    if one.process.family == "cut" and sheets[0] != sheets[1]:
        return apart
    slopes = [slopes_of(row, one.process) for row in (one, other)]
    names = tuple(dict.fromkeys(name for mine in slopes for name in mine))
    if not names:
        return apart
    mean, days = mean_and_days(one.process, names, one.process.spread_in(*sheets[0]))
    a, b = (np.array([mine.get(name, 0.0) for name in names]) for mine in slopes)
    shared = min(float(a @ mean @ b), float(a @ (mean + days) @ b))
    return max(apart - 2 * shared, 0.0)


def fits_of_parts(design: Design, built: Rebuilt) -> list[Finding]:
    """Whether every fit between made parts is to be expected as it was meant; nothing where there
    is none. Told of the design as it is wanted."""
    texts = [design.formula_of(size) for size in design.sizes]
    uses = any(name in text for text in texts for name in FIT_FUNCTIONS)
    if built.view.lens != "wanted" or len(design.parts) < 2 or not uses:
        return []
    measures = measures_of(design, built)
    lines = size_report(design, measures, built.view.process, built.table, machines_of(built))
    mates = mates_of(design, measures, lines)
    off = [mate for mate in mates if mate.verdict == "off"]
    title = "Parts that fit each other come out so"
    if not mates:
        return []
    if not off:
        return [Finding(title, True, f"{len(mates)} fit{'s' if len(mates) != 1 else ''}")]
    mate = off[0]
    titles = {part.name: part.title or say_name(part.name) for part in design.parts}
    why = (
        f"{say_mate(mate, titles)}: a gap of {plain(mate.expected, 2)} mm is to be expected, "
        f"{plain(mate.low, 2)} to {plain(mate.high, 2)} mm is {mate.word}."
    )
    hint = "Let both sides use functions of fits, so that each is corrected for its machine."
    return [Finding(title, False, why, hint, False, "size", mate.inside)]


def say_mate(mate: Mate, titles: Mapping[str, str]) -> str:
    """A fit in words: ``pin of handle in bore of head``."""
    return _said((mate.outside, mate.outside_parts), (mate.inside, mate.inside_parts), titles)


def say_sizes(inside: SizeLine, outside: SizeLine, titles: Mapping[str, str]) -> str:
    """The same of two lines of the size report."""
    one, other = outside.row, inside.row
    return _said((one.name, one.measure.parts), (other.name, other.measure.parts), titles)


def _said(
    outside: tuple[str, frozenset[str]],
    inside: tuple[str, frozenset[str]],
    titles: Mapping[str, str],
) -> str:
    def of(parts: frozenset[str]) -> str:
        return " and ".join(titles.get(part, part) for part in sorted(parts))

    return f"{say_name(outside[0])} of {of(outside[1])} in {say_name(inside[0])} of {of(inside[1])}"
