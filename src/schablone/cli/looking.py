"""Commands that look at a design: its sizes, whether it holds, its sketches, the design in words,
what differs."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from ..core.design import Design
from ..core.design.evaluate import role_of, table_of
from ..core.design.lens_table import seen_through
from ..core.design.measures import Measures, measures_of
from ..core.design.opened import all_told
from ..core.design.opened import opened as whole
from ..core.problem import Problem, errors
from ..core.process import Lens, Process
from ..core.quantity import say
from ..reader import read
from .common import (
    FINE,
    PROBLEMS,
    as_data,
    each_file,
    given_by,
    opened,
    print_json,
    print_problems,
    values_said,
)


def sizes(options: argparse.Namespace) -> int:
    """The sizes, through a lens. What steps read off the part is measured first, which builds
    it."""

    def one(file: Path) -> tuple[int, Any]:
        design, process, known = opened(file, options)
        given = given_by(options, design)
        lens: Lens = options.lens or "wanted"
        view = design.seen(lens, process, known)
        measured: dict[str, float] = {}
        measures, faults = Measures(), list[Problem]()
        # What a machine does to a size follows from where the material is.
        if lens != "wanted" or any(step.on and step.measures() for step in whole(design).steps):
            from ..core.design.rebuild import rebuild

            built = rebuild(design, view, given=given)
            measured, measures = built.measured, measures_of(design, built)
            faults = built.problems
        table = table_of(design, process, given, measured)
        own = {
            part: (machine, table_of(design, machine, given, measured))
            for part, machine in view.own
        }
        shown = seen_through(design, measures, view, table, own)
        untold = ""
        if lens != "wanted":
            # Here: it takes long to load.
            from ..core.prove.size_report import not_known, size_report

            lines = size_report(design, measures, process, table, own)
            untold = not_known(design, measures, table, lines)
        results = {}
        for size in design.sizes:
            results[size.name] = {
                **values_said(shown.get(size.name, ())),
                "formula": given.get(size.name, design.formula_of(size)),
                "role": role_of(size, design.formula_of(size)),
            }
        told = all_told(list(dict.fromkeys([*table.problems, *faults])), design)
        problems = [as_data(p) for p in told]
        if not options.json:
            width = max((len(name) for name in results), default=0)
            for name, entry in results.items():
                value = " / ".join(say(one) for one in shown.get(name, ())) or "–"
                print(f"{name:<{width}}  {value:>12}  {entry['formula']}")
            if untold:
                print(f"note: {untold}")
            print_problems(told)
        data = {"lens": lens, "process": process.name, "sizes": results, "problems": problems}
        return PROBLEMS if errors(told) else FINE, data

    return each_file(options, one)


def check(options: argparse.Namespace) -> int:
    """Whether a design holds: as it is wanted and as it is sent, or through the one lens that is
    asked for."""

    def one(file: Path) -> tuple[int, Any]:
        design, process, known = opened(file, options)
        given = given_by(options, design)
        lenses: tuple[Lens, ...] = (options.lens,) if options.lens else ("wanted", "sent")
        listed: list[dict[str, object]] = []
        told: dict[Problem, None] = {}
        holds = True
        for lens in lenses:
            checks, problems = _looked_at(design, lens, process, known, given)
            fresh = [p for p in problems if p not in told]
            told |= dict.fromkeys(fresh)
            holds = holds and all(f.holds for f in checks) and not errors(fresh)
            named = [f for f in checks if lens == lenses[0] or not f.holds]
            listed += [
                {
                    "name": f.name,
                    "holds": f.holds,
                    "why": f.why,
                    "hint": f.hint,
                    "own": f.own,
                    "lens": lens,
                }
                for f in checks
            ]
            if not options.json:
                for f in named:
                    where = "" if lens == lenses[0] else f" ({lens})"
                    print(
                        f"{'holds ' if f.holds else 'FAILS '} "
                        f"{f.name}{where}: {f.why} {f.hint}".rstrip()
                    )
                print_problems(fresh)
        if not options.json:
            print(f"looked through {' and '.join(lenses)}, made by {process.name}")
        return FINE if holds else PROBLEMS, {
            "checks": listed,
            "problems": [as_data(p) for p in told],
        }

    return each_file(options, one)


def _looked_at(
    design: Design, lens: Lens, process: Process, known: tuple[Process, ...], given: dict[str, str]
) -> tuple[Any, Any]:
    from ..core.design.rebuild import rebuild
    from ..core.prove import findings

    built = rebuild(design, design.seen(lens, process, known), given=given)
    return findings(design, built), list(built.problems)


def sketch(options: argparse.Namespace) -> int:
    """The sketches: how many freedoms each drawing has left, which elements are loose, and what is
    at odds."""
    from ..core.design.rebuild import rebuild
    from ..core.steps.sketch import Sketch
    from .sketches import told_of

    def one(file: Path) -> tuple[int, Any]:
        design, process, known = opened(file, options)
        built = rebuild(
            design, design.seen("wanted", process, known), given=given_by(options, design)
        )
        told = {}
        for step in design.steps:
            if isinstance(step, Sketch):
                told[step.name] = told_of(step, built)
        if not options.json:
            for name, about in told.items():
                print(f"{name}: {about['words']}")
            if not told:
                print("The design has no sketch.")
        at_odds = any(about["at_odds"] for about in told.values())
        return PROBLEMS if at_odds else FINE, {"sketches": told, "problems": []}

    return each_file(options, one)


def text(options: argparse.Namespace) -> int:
    """The design in words."""
    from ..core.design.rebuild import rebuild
    from ..core.design.text import design_text
    from ..core.markup import as_html

    def one(file: Path) -> tuple[int, Any]:
        design, process, known = opened(file, options)
        built = rebuild(design, design.seen("wanted", process, known))
        words = design_text(design, process, built.steps)
        if not options.json:
            print(as_html(words, design.name) if options.html else words, end="")
            print_problems(built.problems)
        data = {"text": words, "problems": [as_data(p) for p in built.problems]}
        return PROBLEMS if errors(built.problems) else FINE, data

    return each_file(options, one)


def compare(options: argparse.Namespace) -> int:
    """What differs between two designs."""
    from ..core.design.compare import compare as compared
    from ..core.design.compare import comparison_text

    design, process, _ = opened(options.file, options)
    other: Design = read("design", options.other)
    words = comparison_text(design, other, process, (options.file.stem, options.other.stem))
    if options.json:
        print_json(
            {"text": words, "same": compared(design, other, process).is_same, "problems": []}
        )
    else:
        print(words, end="")
    return FINE
