"""``schablone formula``: one formula worked out."""

from __future__ import annotations

import argparse

from ..core.formula.evaluation import evaluate
from ..core.formula.value_table import Entry
from ..core.problem import errors
from ..core.process import neutral
from ..core.quantity import say
from .common import FINE, PROBLEMS, as_data, pairs, print_json, print_marked, process_of


def formula(options: argparse.Namespace) -> int:
    entries = [Entry(name, formula) for name, formula in pairs(options.let, "--let").items()]
    answer = "the formula"
    while any(entry.name == answer for entry in entries):
        answer += " "
    process = process_of(options.process) if options.process else neutral()
    table = evaluate([*entries, Entry(answer, options.expression)], (), process.for_materials(()))
    problems = [
        problem.model_copy(update={"name": "", "area": "design"})
        if problem.name == answer
        else problem
        for problem in table.problems
    ]
    cell = table.cells.get(answer)
    if cell is None or errors(problems):
        if options.json:
            print_json(
                {
                    "value": None,
                    "kind": None,
                    "text": "",
                    "problems": [as_data(p) for p in problems],
                }
            )
        else:
            for problem in problems:
                print_marked(problem, options.expression if problem.area == "design" else "")
        return PROBLEMS
    value: float | bool = cell.wanted.value
    if cell.wanted.kind.label == "truth":
        value = bool(value)
    text = say(cell.wanted)
    if options.json:
        print_json({"value": value, "kind": cell.wanted.kind.label, "text": text})
    else:
        print(text)
    return FINE
