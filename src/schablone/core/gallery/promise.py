"""The promise: the same edition, made on other people's machines, comes out with the same fit.

It is counted on what was truly made, beside what the same machines make without correction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ..design.model import Design
from ..formula import FormulaError, parse
from ..formula.functions import FIT_FUNCTIONS, PROCESS_FUNCTIONS
from ..formula.tree import Call, Name
from .makers import Care, MadeSize, MadeUp, Maker


@dataclass(frozen=True, slots=True)
class Fit:
    """A fit as it was made: the word of its class, the sizes that make it, and whether its gap is
    in the class. ``held`` says whether the program had said that it *holds*; else it was likely, or
    off."""

    word: str
    sizes: tuple[str, ...]
    is_in_class: bool
    held: bool


def fits_of(design: Design, sizes: Sequence[MadeSize]) -> list[Fit]:
    """The fits of a piece. Where both sides are made and share the gap, it is between both; else
    between the one that is made and its mate, which is as large as it is said to be."""
    fits = []
    sides: dict[tuple[str, str], dict[str, MadeSize]] = {}
    for size in sizes:
        call = _call(design, size.line.row.name)
        if call is None or size.is_as_meant is None:
            continue
        word = call.args[1].name if isinstance(call.args[1], Name) else ""
        if call.function.startswith("shared_"):
            text = design.formula_of(design.size(size.line.row.name))  # type: ignore[arg-type]
            start, end = call.args[0].span
            side = PROCESS_FUNCTIONS[call.function]
            sides.setdefault((text[start:end], word), {}).setdefault(side, size)
        else:
            held = size.line.verdict == "holds"
            fits.append(Fit(word, (size.line.row.name,), size.is_as_meant, held))
    for (_, word), both in sides.items():
        if "inside" in both and "outside" in both:
            fits.append(_between(word, both["inside"], both["outside"]))
    return fits


def _call(design: Design, name: str) -> Call | None:
    size = design.size(name)
    if size is None or size.tolerance.strip():
        return None
    try:
        tree = parse(design.formula_of(size))
    except FormulaError:
        return None
    return tree if isinstance(tree, Call) and tree.function in FIT_FUNCTIONS else None


def _between(word: str, inside: MadeSize, outside: MadeSize) -> Fit:
    hole, peg = inside.line.meant, outside.line.meant
    assert hole is not None
    assert peg is not None
    gap = inside.made - outside.made
    names = inside.line.row.name, outside.line.row.name
    held = inside.line.verdict == outside.line.verdict == "holds"
    return Fit(word, names, hole.low - peg.high <= gap <= hole.high - peg.low, held)


@dataclass(slots=True)
class Share:
    """How many of so many fits are in their class."""

    right: int = 0
    of: int = 0

    def count(self, fits: Sequence[Fit]) -> None:
        """Take fits in."""
        self.right += sum(fit.is_in_class for fit in fits)
        self.of += len(fits)

    def __str__(self) -> str:
        return f"{self.right} of {self.of}" if self.of else "none"


@dataclass(slots=True)
class Promise:
    """Shares by the word of the class and the care of the maker; the same without correction; and
    of those fits of which it was said before that they hold."""

    corrected: dict[tuple[str, Care], Share]
    without: dict[tuple[str, Care], Share]
    held: Share

    @classmethod
    def empty(cls) -> Promise:
        """Nothing counted yet."""
        return cls({}, {}, Share())

    def count(self, design: Design, maker: Maker, made: MadeUp) -> None:
        """Add what a maker made of an edition."""
        for counted, sizes in ((self.corrected, made.sent), (self.without, made.plain)):
            for fit in fits_of(design, sizes):
                counted.setdefault((fit.word, maker.care), Share()).count([fit])
                if counted is self.corrected and fit.held:
                    self.held.count([fit])

    def calibrated(self) -> tuple[Share, Share]:
        """All makers who calibrated: with correction and without."""
        return _sum(self.corrected, True), _sum(self.without, True)

    def others(self) -> tuple[Share, Share]:
        """All makers who did not."""
        return _sum(self.corrected, False), _sum(self.without, False)


def _sum(shares: dict[tuple[str, Care], Share], calibrated: bool) -> Share:
    mine = [one for (_, care), one in shares.items() if (care != "none") == calibrated]
    return Share(sum(one.right for one in mine), sum(one.of for one in mine))
