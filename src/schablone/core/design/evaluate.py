"""The sheet of a design: its sizes and what its steps work out, under a process."""

from __future__ import annotations

from collections.abc import Mapping

from ..formula import FormulaError, parse
from ..formula.functions import PROCESS_FUNCTIONS
from ..formula.rewrite import walk
from ..formula.sheet import Entry, Limits, Sheet, evaluate
from ..formula.tree import Call, Name, Number, Output, Unary
from ..process.model import Process
from .model import Design, Size


def sheet_of(design: Design, process: Process, given: Mapping[str, str] | None = None) -> Sheet:
    """Evaluate all sizes; ``given`` replaces the formulas of some.

    Switched-off steps work out nothing.
    """
    given = given or {}
    entries = [
        Entry(size.name, given.get(size.name, design.formula_of(size)), Limits(size.low, size.high, size.policy))
        for size in design.sizes
    ]
    workings = [working for step in design.steps if step.on and (working := step.working()) is not None]
    return evaluate(entries, workings, process)


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
    if any(isinstance(node, Call) and node.function in PROCESS_FUNCTIONS for node in nodes):
        return "from the process"
    if isinstance(tree, Number) or (isinstance(tree, Unary) and isinstance(tree.operand, Number)):
        return "set"
    return "worked out" if any(isinstance(node, (Name, Output, Call)) for node in nodes) else "set"
