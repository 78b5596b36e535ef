"""The table of values of a design: its sizes and what its steps work out, under a process."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ..bought import BoughtPart, outputs_of
from ..bought.model import BOX
from ..formula import FormulaError, parse
from ..formula.evaluation import evaluate, evaluate_again
from ..formula.functions import ASKS_PROCESS
from ..formula.rewrite import names_in, walk
from ..formula.tree import Call, Name, Number, Output, Unary
from ..formula.value_table import Cells, Entry, Limits, ValueTable, Working
from ..process.model import Process
from ..quantity import KINDS, LENGTH
from ..reuse import HOST
from ..steps import Step
from ..steps.anchored import ASKED
from .model import Design, Size
from .opened import opened
from .step_facts import facts_of


def table_of(
    design: Design,
    process: Process,
    given: Mapping[str, str] | None = None,
    measured: Mapping[str, float] | None = None,
) -> ValueTable:
    """Evaluate all sizes; ``given`` replaces the formulas of some, ``measured`` is what steps read
    off the part.

    Steps that are switched off, or left out by their condition, work out nothing.
    """
    design = opened(design)
    given = given or {}
    entries = [_entry(design, size, given) for size in design.sizes]
    workings = [
        replace(working, when=step.when, on=step.on)
        for step in design.steps
        if (working := step.working()) is not None
    ]
    workings += [
        _reading(step, measured or {}) for step in design.steps if step.on and step.measures()
    ]
    workings += [_known_of(part) for part in design.bought]
    for step in design.steps:
        if step.on and step.puts_in():
            workings += _could_ask(step, design, measured or {})
    screws = {row.nominal: (row.fine, row.medium, row.coarse) for row in design.screws}
    return evaluate(entries, workings, _as_met(process, design), _columns(design), screws)


def _as_met(process: Process, design: Design) -> Process:
    """The process as the parts of a design that are made by it meet it."""
    mine = [part.material for part in design.parts if part.process == process.name]
    if not mine or design.process == process.name:
        mine += [part.material for part in design.parts if not part.process]
    return process.for_materials(mine)


def with_given(table: ValueTable, design: Design, given: Mapping[str, str]) -> ValueTable | None:
    """The table with other formulas for some sizes, of which only what depends on them is evaluated
    again; None where that is not enough (see :func:`evaluate_again`)."""
    entries = {s.name: _entry(design, s, given) for s in design.sizes if s.name in given}
    changed = {name: one for name, one in entries.items() if table.nodes.get(name) != one}
    return evaluate_again(table, changed) if changed else table


def _reading(step: Step, measured: Mapping[str, float]) -> Working:
    """What a measuring step read off the part, as outputs of it."""
    kinds = step.measures()

    def work(_: Mapping[str, float]) -> Mapping[str, float]:
        read = {figure: measured.get(f"{step.name}.{figure}") for figure in kinds}
        if None in read.values():
            raise ValueError("this is measured once the part is built")
        return {figure: value for figure, value in read.items() if value is not None}

    return Working(step.name, {}, {}, kinds, work)


def measured_again(
    table: ValueTable, step: Step, measured: Mapping[str, float]
) -> ValueTable | None:
    """The table after a step has read other figures off the part; None where the whole must be
    evaluated anew. ``measured`` is what steps have read so far."""
    return evaluate_again(table, {f"{step.name}.": _reading(step, measured)})


def looks_back(design: Design, table: ValueTable) -> bool:
    """Whether a step depends on what is read off the part only after it: then nothing says at once
    what is measured, if anything does."""
    later = {step.name for step in design.steps if step.on and step.measures()}
    reached: dict[str, frozenset[str]] = {}
    for step in design.steps:
        texts = [slot.formula for slot in facts_of(step).slots] + [step.when]
        working = step.working()
        texts += working.formulas.values() if working is not None else ()
        for text in texts:
            if later and _steps_behind(text, table, reached) & later:
                return True
        later.discard(step.name)
    return False


def _steps_behind(
    text: str, table: ValueTable, reached: dict[str, frozenset[str]]
) -> frozenset[str]:
    """The steps whose outputs a formula depends on, over any number of sizes; ``reached`` keeps
    them by name."""
    try:
        names = names_in(text) if text.strip() else frozenset[str]()
    except FormulaError:
        return frozenset()
    behind: set[str] = set()
    for name in names:
        if name not in reached:
            seen, waiting = {name}, [name]
            while waiting:
                below = table.uses.get(waiting.pop(), frozenset()) - seen
                seen |= below
                waiting += below
            reached[name] = frozenset(one.rpartition(".")[0] for one in seen if "." in one)
        behind |= reached[name]
    return frozenset(behind)


def _could_ask(step: Step, design: Design, offered: Mapping[str, float]) -> list[Working]:
    """What could be asked of the host of a stencil where no formula asks yet, as it was read off
    aside: so that it can be seen while one is typed."""
    name = f"{step.name}.{HOST}"
    known = {what: offered.get(f"{name}.{what}") for what in ASKED}
    if None in known.values() or design.step(name) is not None:
        return []
    asked = {what: value for what, value in known.items() if value is not None}
    return [Working(name, {}, {}, dict.fromkeys(ASKED, LENGTH), lambda _: asked)]


def _known_of(part: BoughtPart) -> Working:
    """The dimensions of a bought part, as outputs of it: ``cage.length``."""
    kinds = dict.fromkeys((*BOX, *(d.name for d in part.dimensions)), LENGTH)

    def work(_: Mapping[str, float]) -> Mapping[str, float]:
        return outputs_of(part)  # what is wrong with it is a ValueError with words

    return Working(part.name, {}, {}, kinds, work)


def _columns(design: Design) -> list[Cells]:
    """The columns of the size table, as formulas read them; a row without a cell has the size's own
    formula."""
    columns = []
    for name in design.table.columns:
        size = design.size(name)
        own = size.formula if size else "0"
        columns.append(
            Cells(name, {row.name: row.cells.get(name, own) for row in design.table.rows})
        )
    return columns


def _entry(design: Design, size: Size, given: Mapping[str, str]) -> Entry:
    formula = given.get(size.name, design.formula_of(size))
    return Entry(size.name, formula, Limits(size.low, size.high, size.policy), KINDS.get(size.kind))


#: What steps read off the part, and formulas that are given for some sizes.
_Beside = tuple[Mapping[str, float], Mapping[str, str]]


class TableKeeper:
    """Keeps the table of a design from edit to edit, so that an edit evaluates only what depends on
    it."""

    def __init__(self) -> None:
        self._last: tuple[Design, Process, _Beside, ValueTable] | None = None

    @property
    def last(self) -> ValueTable | None:
        """The table that was worked out last."""
        return self._last[3] if self._last is not None else None

    def table(
        self,
        design: Design,
        process: Process,
        measured: Mapping[str, float] | None = None,
        given: Mapping[str, str] | None = None,
    ) -> ValueTable:
        """The table of this design, from the one before where that is possible; ``measured`` and
        ``given`` as :func:`table_of` takes them."""
        design = opened(design)
        beside = (dict(measured or {}), dict(given or {}))
        if self._last is not None:
            before, machine, known, table = self._last
            same = machine is process and known == beside
            if before is design and same:
                return table
            again = self._again(before, design, table) if same and not given else None
            if again is not None:
                self._last = (design, process, beside, again)
                return again
        table = table_of(design, process, given, measured)
        self._last = (design, process, beside, table)
        return table

    @staticmethod
    def _again(before: Design, design: Design, table: ValueTable) -> ValueTable | None:
        """Designs are values, so what is the same object has not changed."""
        if (
            before.steps is not design.steps
            or before.parts is not design.parts  # of what they are chooses the stock
            or before.screws is not design.screws
            or before.table is not design.table
            or before.bought is not design.bought
            or len(before.sizes) != len(design.sizes)
        ):
            return None
        changed: dict[str, Entry] = {}
        for old, new in zip(before.sizes, design.sizes, strict=True):
            if old is not new:
                if old.name != new.name:
                    return None
                changed[new.name] = _entry(design, new, {})
        return evaluate_again(table, changed) if changed else table


def role_of(size: Size, formula: str | None = None) -> str:
    """Where a size comes from: ``set``, ``worked out``, ``read off`` or ``from the process``.

    ``formula`` is the one in force, where a size table gives another than the size's own.
    """
    try:
        tree = parse(size.formula if formula is None else formula)
    except FormulaError:
        return "set"
    if isinstance(tree, Output):
        return "read off"
    nodes = [node for node, _ in walk(tree)]
    if any(isinstance(node, Call) and node.function in ASKS_PROCESS for node in nodes):
        return "from the process"
    if isinstance(tree, Number) or (isinstance(tree, Unary) and isinstance(tree.operand, Number)):
        return "set"
    return "worked out" if any(isinstance(node, (Name, Output, Call)) for node in nodes) else "set"
