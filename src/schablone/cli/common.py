"""What all commands have in common: opening a design with its process, reading options, printing
problems."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..core.formula import FormulaError
from ..core.formula.errors import did_you_mean
from ..core.formula.parse import check_name
from ..core.problem import Problem, SchabloneError
from ..core.process import Process, neutral, shipped_processes
from ..core.words import listed
from ..reader import read

if TYPE_CHECKING:
    from ..core.design import Design
    from ..core.quantity import Quantity

FINE, PROBLEMS, WRONG_USE = 0, 1, 2


class WrongUse(Exception):
    """The command was called in a way that makes no sense."""


def opened(file: Path, options: argparse.Namespace) -> tuple[Design, Process, tuple[Process, ...]]:
    """The design, the process asked for, named by the design, or none at all; and those that its
    parts may name."""
    from ..core.design.edit import choose_row  # here: what works out a formula needs none of it
    from ..core.design.facing import facing
    from ..core.kernel.naming import speak_of

    shipped: tuple[Process, ...] = shipped_processes()
    if not file.exists():
        raise WrongUse(f"there is no file “{file}”.")
    if file.suffix.lower() == ".zip":
        from ..core.design.offered import with_edition_limits

        edition = read("edition", file)
        design, shipped = with_edition_limits(edition.design), (*edition.processes, *shipped)
    else:
        design = read("design", file)
    if getattr(options, "variant", None) is not None:
        try:
            design = choose_row(design, options.variant)
        except FormulaError as error:
            raise WrongUse(f"{error.what} {error.hint}".strip()) from None
    speak_of(facing(design))
    design = _as_chosen(design, shipped, options)
    if options.process:
        return design, process_of(options.process, shipped), shipped
    if not design.process:
        return design, neutral(), shipped
    chosen = next((process for process in shipped if process.name == design.process), None)
    if chosen is None:
        raise SchabloneError(
            Problem(
                area="process",
                name=design.process,
                what=f"The design is for “{design.process}”, which is not known here.",
                hint="Name a process with --process.",
            )
        )
    return design, chosen, shipped


def _as_chosen(design: Design, known: Sequence[Process], options: argparse.Namespace) -> Design:
    """The design made by the machines of a choice; what it chose is put into the options.

    Raises:
        SchabloneError: where the choice is another edition's, or its values are not allowed.
    """
    if getattr(options, "choice", None) is None:
        return design
    from ..core.design.edit import make_by
    from ..core.publish.choices import take_choice

    choice = read("choice", options.choice)
    options.process = options.process or choice.process or None
    process = process_of(options.process or design.process, known)
    for part, machine in choice.made_by.items():
        if any(one.name == part for one in design.parts):
            design = make_by(design, part, process_of(machine, known).name)
    taken = take_choice(choice, design, process)
    if taken.outside:
        name = options.choice.name
        told = [Problem(area="file", name=name, what=f"{note}.") for note in taken.notes]
        raise SchabloneError(*told)
    for note in taken.notes:
        print(f"note: {note}", file=sys.stderr)
    options.chosen = dict(taken.values)
    return design


def process_of(text: str, known: Sequence[Process] | None = None) -> Process:
    """A process by its name, or from a file.

    Raises:
        WrongUse: where it is neither.
        SchabloneError: where the file is no process.
    """
    processes = known if known is not None else shipped_processes()
    for process in processes:
        if process.name.casefold() == text.casefold():
            return process
    if not Path(text).exists():
        names = [process.name for process in processes]
        hint = did_you_mean(text, names) or f"There are {listed([f'“{name}”' for name in names])}."
        raise WrongUse(f"there is no process “{text}”, and no file of that name. {hint}")
    named: Process = read("process", Path(text))
    return named


def pairs(texts: Sequence[str], option: str) -> dict[str, str]:
    pairs: dict[str, str] = {}
    for text in texts:
        name, sign, formula = text.partition("=")
        name = name.strip()
        if not sign:
            raise WrongUse(f"{option} takes NAME=FORMULA, not “{text}”.")
        try:
            check_name(name)
        except FormulaError as error:
            raise WrongUse(f"{option}: {error.what} {error.hint}".strip()) from None
        pairs[name] = formula.strip()
    return pairs


def given_by(options: argparse.Namespace, design: Design) -> dict[str, str]:
    given = {**getattr(options, "chosen", {}), **pairs(options.given, "--set")}
    for name in given:
        if design.size(name) is None:
            hint = did_you_mean(name, [size.name for size in design.sizes])
            raise SchabloneError(
                Problem(area="size", name=name, what=f"The design has no size “{name}”.", hint=hint)
            )
    return given


def value_of(value: float, kind: str) -> float | bool | int:
    if kind == "truth":
        return bool(value)
    return int(value) if kind == "count" and value == int(value) and abs(value) < 1e15 else value


def values_said(values: Sequence[Quantity]) -> dict[str, object]:
    """The values of a size as plain data: the first, and where it is a measure in several ways all
    of them."""
    if not values:
        return {"value": None, "kind": None}
    kind = values[0].kind.label
    said = [value_of(one.value, kind) for one in values]
    return {"value": said[0], "kind": kind, **({"values": said} if len(said) > 1 else {})}


def as_data(problem: Problem) -> dict[str, object]:
    return {**problem.model_dump(mode="json"), "text": problem.text}


def print_json(data: Any) -> None:
    print(json.dumps(data, indent=2, ensure_ascii=False))


#: So many problems are told at once; those that only wait for another come last.
_MOST_TOLD = 40


def print_problems(problems: Sequence[Problem]) -> None:
    first = sorted(problems, key=lambda problem: bool(problem.waits_for))
    for problem in first[:_MOST_TOLD]:
        mark = {"error": "problem", "warning": "warning", "note": "note"}[problem.severity]
        print(f"{mark}: {problem}", file=sys.stderr)
    if len(first) > _MOST_TOLD:
        print(f"And {len(first) - _MOST_TOLD} more; --json lists all.", file=sys.stderr)


def print_marked(problem: Problem, expression: str) -> None:
    """A problem of a formula with the offending part underlined."""
    if expression and problem.span and "\n" not in expression:
        start, end = problem.span
        print(f"  {expression}\n  {' ' * start}{'^' * max(1, end - start)}", file=sys.stderr)
    print(f"problem: {problem.text if expression else problem}", file=sys.stderr)


def each_file(options: argparse.Namespace, one: Any) -> int:
    """Run a command on each of the files it was given; the result is the worst. ``one`` gets the
    file, prints for people, and returns the exit code and what it prints as JSON."""
    files: list[Path] = options.files
    worst, results = FINE, {}
    for number, file in enumerate(files):
        if len(files) > 1 and not options.json:
            print(f"{chr(10) if number else ''}{file}:")
        try:
            code, data = one(file)
        except SchabloneError as error:
            code, data = PROBLEMS, {"problems": [as_data(problem) for problem in error.problems]}
            if not options.json:
                print_problems(error.problems)
        worst, results[str(file)] = max(worst, code), data
    if options.json:
        print_json(results if len(files) > 1 else next(iter(results.values())))
    return worst
