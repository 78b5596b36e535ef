"""What the variants of a size table come to, put into force or not."""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping

from ..formula import FormulaError
from ..formula.value_table import ValueTable
from ..process.model import Process
from .evaluate import table_of, with_given
from .model import Design, Variant

#: What is wrong in a variant, in words, by its columns; by ``""`` what is with other sizes.
Wrong = Mapping[str, str]
#: How long variants are looked at before others may have their turn, s.
_AT_ONCE = 0.02
#: Sheets with more sizes than this are not worked out once more for each variant.
_MOST_SIZES = 1000


def wrong_in(
    design: Design,
    variant: Variant,
    table: ValueTable,
    process: Process,
    measured: Mapping[str, float] | None = None,
) -> Wrong:
    """What is wrong with the cells of a variant, by their columns: what cannot be worked out, and
    what is held at a limit; and what comes of it for other sizes, that is right without it.
    ``table`` is that of the design without one in force, ``measured`` what steps have read off the
    part."""
    given = {name: text for name, text in variant.cells.items() if name in design.table.columns}
    again = with_given(table, design, given) or table_of(design, process, given, measured)
    wrong = _of_another_kind(given, table)
    for problem in again.problems:
        if problem.name in design.table.columns:
            wrong.setdefault(problem.name, problem.text)
        elif (
            problem.severity == "error" and not problem.waits_for and problem not in table.problems
        ):
            wrong.setdefault("", f"{problem.name}: {problem.text}")
    return wrong


def _of_another_kind(given: Mapping[str, str], table: ValueTable) -> dict[str, str]:
    """The cells that are of another kind than their size is without them, such as a bare number in
    the place of a length."""
    wrong: dict[str, str] = {}
    for name, text in given.items():
        try:
            table.compile(text, table.kinds.get(name))
        except FormulaError as error:
            if not error.waits_for:
                wrong[name] = f"{error.what} {error.hint}".strip()
    return wrong


class VariantsLookedAt:
    """Looks at the variants of a design one after the other, a few at a time; what was found of a
    variant stays as long as neither it nor anything else of the sheet changes."""

    def __init__(self) -> None:
        self._design: Design | None = None
        self._process: Process | None = None
        self._measured: Mapping[str, float] = {}
        self._table: ValueTable | None = None
        self._known: dict[str, tuple[Variant, Wrong]] = {}
        self._left: Iterator[Variant] = iter(())
        self._fresh: list[str] = []

    def begin(self, design: Design, process: Process, measured: Mapping[str, float]) -> None:
        """Look at the variants of this design; ``measured`` is what steps have read off the
        part."""
        design = _with_table(design, {"current": ""})
        if measured != self._measured or not self._still_holds(design, process):
            self._table, self._known = None, {}
        self._design, self._process, self._measured = design, process, dict(measured)
        rows = design.table.rows if len(design.sizes) <= _MOST_SIZES else ()
        before = self._known
        self._known = {
            row.name: before[row.name]
            for row in rows
            if row.name in before and before[row.name][0] == row
        }
        self._left = iter([row for row in rows if row.name not in self._known])
        self._fresh = list(self._known)

    def _still_holds(self, design: Design, process: Process) -> bool:
        """Whether nothing else of the sheet has changed."""
        if self._design is None or self._table is None or process is not self._process:
            return False
        if self._table.reads_columns:
            return design == self._design
        bare = {"rows": ()}
        return _with_table(design, bare) == _with_table(self._design, bare)

    def go_on(self, seconds: float = _AT_ONCE) -> bool:
        """Look at some more for about so long, at one at least; False where all are looked at."""
        if self._design is None or self._process is None:
            return False
        until = time.monotonic() + seconds
        for row in self._left:
            if self._table is None:
                self._table = table_of(self._design, self._process, None, self._measured)
            wrong = wrong_in(self._design, row, self._table, self._process, self._measured)
            self._known[row.name] = row, wrong
            self._fresh.append(row.name)
            if time.monotonic() >= until:
                return True
        return False

    def take(self) -> Mapping[str, Wrong]:
        """What was found since it was taken last, by the names of the variants."""
        fresh, self._fresh = self._fresh, []
        return {name: self._known[name][1] for name in fresh}

    @property
    def first(self) -> str:
        """What is wrong in the first variant in which anything is, in words; empty where nothing
        is, or nothing is known of it yet."""
        for row in self._design.table.rows if self._design is not None else ():
            for column, words in self._known.get(row.name, (row, {}))[1].items():
                return f"{row.name}, {column}: {words}" if column else f"{row.name}, {words}"
        return ""


def _with_table(design: Design, update: Mapping[str, object]) -> Design:
    return design.model_copy(update={"table": design.table.model_copy(update=dict(update))})
