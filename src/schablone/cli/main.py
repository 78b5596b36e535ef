"""``schablone``: formulas, sizes, builds, editions and checks without a window.

Every command takes ``--json``. It ends with 0 where all is well, 1 where the design has problems, 2 where it
was called wrongly. Lengths are mm, angles degrees, volumes mm³.
"""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NoReturn

from ..core.design import Design, read_design, save_design, write_design
from ..core.design.compare import compare, comparison_text
from ..core.design.edit import choose_row
from ..core.design.evaluate import role_of, sheet_of
from ..core.design.lens_table import machines_of, seen_through
from ..core.design.rebuild import Rebuilt, rebuild
from ..core.design.text import as_html, design_text
from ..core.files import write_whole
from ..core.formula import FormulaError
from ..core.formula.parse import check_name
from ..core.formula.sheet import Entry, evaluate
from ..core.problem import Problem, SchabloneError, errors
from ..core.process import LENSES, Process, neutral, read_process, shipped_processes
from ..core.process.store import write_process
from ..core.prove import findings
from ..core.publish.edition import make_edition, pieces_of, read_edition, with_edition_limits
from ..core.publish.exports import FORMATS, export
from ..core.quantity import plain, say

FINE, PROBLEMS, WRONG_USE = 0, 1, 2


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        print(
            f"schablone: {message}. See “schablone {' '.join(self.prog.split()[1:])} --help”.",
            file=sys.stderr,
        )
        raise SystemExit(WRONG_USE)


class WrongUse(Exception):
    """The command was called in a way that makes no sense."""


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="schablone", description="Parametric parts that know the machine they are made on.")
    commands = parser.add_subparsers(dest="command", metavar="COMMAND", parser_class=_Parser)

    def command(name: str, help: str, run: Any, *, file: bool = False, view: bool = False) -> argparse.ArgumentParser:
        found = commands.add_parser(name, help=help, description=help)
        found.set_defaults(run=run)
        found.add_argument("--json", action="store_true", help="print JSON")
        if file:
            found.add_argument("file", metavar="FILE", type=Path, help="a .schablone design, or an edition (.zip)")
        if view:
            found.add_argument("--set", dest="given", metavar="NAME=FORMULA", action="append", default=[])
            found.add_argument("--variant", metavar="NAME", help="row of the size table to use")
            found.add_argument("--lens", choices=LENSES, default="wanted")
        if file:
            found.add_argument("--process", metavar="FILE|NAME", help="the process to use instead of the design's")
        return found

    one = command("formula", "Work out one formula.", _formula)
    one.add_argument("expression", metavar="EXPR")
    one.add_argument("--let", metavar="NAME=FORMULA", action="append", default=[])
    one.add_argument("--process", metavar="FILE|NAME")
    command("sizes", "Show the sizes of a design.", _sizes, file=True, view=True)
    build = command("build", "Build a design and export its parts.", _build, file=True, view=True)
    build.add_argument("-o", "--output", metavar="OUT", type=Path, action="append", default=[], help=", ".join(FORMATS))
    publish = command("publish", "Write an edition.", _publish, file=True)
    publish.add_argument("-o", "--output", metavar="OUT.zip", type=Path, required=True)
    command("check", "Say whether a design holds.", _check, file=True)
    command("text", "Write a design in words.", _text, file=True).add_argument(
        "--html", action="store_true", help="as a page of HTML, fit to print"
    )
    command("compare", "Say what differs between two designs.", _compare, file=True).add_argument(
        "other", metavar="OTHER", type=Path
    )
    new = command("new", "Make a new, empty design.", _new)
    new.add_argument("file", metavar="FILE", type=Path)
    new.add_argument("--name", default="")
    command("processes", "List the processes that ship, or write one out to start from.", _processes).add_argument(
        "--write", nargs=2, metavar=("NAME", "FILE"), default=None
    )
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; the result is the exit code."""
    parser = _parser()
    options = parser.parse_args(arguments)
    if options.command is None:
        parser.print_help(sys.stderr)
        return WRONG_USE
    try:
        return int(options.run(options))
    except WrongUse as error:
        print(f"schablone: {error}", file=sys.stderr)
        return WRONG_USE
    except SchabloneError as error:
        if options.json:
            _print_json({"problems": [_problem(problem) for problem in error.problems]})
        else:
            _print_problems(error.problems)
        return PROBLEMS


def run() -> NoReturn:
    """Entry point of the ``schablone`` command."""
    try:
        raise SystemExit(main())
    except BrokenPipeError:
        raise SystemExit(PROBLEMS) from None


# Commands


def _formula(options: argparse.Namespace) -> int:
    entries = [Entry(name, formula) for name, formula in _pairs(options.let, "--let").items()]
    answer = "the formula"
    while any(entry.name == answer for entry in entries):
        answer += " "
    habits = _process(options.process) if options.process else neutral()
    sheet = evaluate([*entries, Entry(answer, options.expression)], (), habits)
    problems = [
        problem.model_copy(update={"name": "", "area": "design"}) if problem.name == answer else problem
        for problem in sheet.problems
    ]
    cell = sheet.cells.get(answer)
    if cell is None or errors(problems):
        if options.json:
            _print_json({"value": None, "kind": None, "text": "", "problems": [_problem(p) for p in problems]})
        else:
            for problem in problems:
                _print_marked(problem, options.expression if problem.area == "design" else "")
        return PROBLEMS
    value: float | bool = cell.wanted.value
    if cell.wanted.kind.label == "truth":
        value = bool(value)
    text = say(cell.wanted)
    if options.json:
        _print_json({"value": value, "kind": cell.wanted.kind.label, "text": text})
    else:
        print(text)
    return FINE


def _sizes(options: argparse.Namespace) -> int:
    design, process, known = _open(options)
    given = _given(options, design)
    view = design.seen(options.lens, process, known)
    sheet = sheet_of(design, process, given)
    own = {part: (machine, sheet_of(design, machine, given)) for part, machine in view.own}
    shown = seen_through(design, view, sheet, own)
    sizes = {}
    for size in design.sizes:
        quantity = shown.get(size.name)
        sizes[size.name] = {
            "value": _value(quantity.value, quantity.kind.label) if quantity else None,
            "kind": quantity.kind.label if quantity else None,
            "formula": given.get(size.name, design.formula_of(size)),
            "role": role_of(size, design.formula_of(size)),
        }
    if options.json:
        _print_json(
            {
                "lens": options.lens,
                "process": process.name,
                "sizes": sizes,
                "problems": [_problem(p) for p in sheet.problems],
            }
        )
    else:
        width = max((len(name) for name in sizes), default=0)
        for name, entry in sizes.items():
            found = shown.get(name)
            print(f"{name:<{width}}  {say(found) if found else '–':>12}  {entry['formula']}")
        _print_problems(sheet.problems)
    return PROBLEMS if errors(sheet.problems) else FINE


def _build(options: argparse.Namespace) -> int:
    for output in options.output:
        if output.suffix.lower() not in FORMATS:
            raise WrongUse(f"“{output.suffix or output}” is no format that is written here; use {', '.join(FORMATS)}.")
    design, process, known = _open(options)
    built = rebuild(design, design.seen(options.lens, process, known), given=_given(options, design))
    problems = list(built.problems)
    parts = _parts(built)
    for part in parts:
        if not part["valid"]:
            problems.append(Problem(area="part", name=part["name"], what="The kernel finds this solid faulty."))
    written = []
    if options.output and not errors(problems):
        for output in options.output:
            data = export(pieces_of(design, built, output.suffix), output.name)
            write_whole(output, data)
            written.append(str(output))
    sizes = {
        name: {"value": _value(q.value, q.kind.label), "kind": q.kind.label}
        for name, q in seen_through(design, built.view, built.sheet, machines_of(built)).items()
    }
    if options.json:
        report = {
            "parts": parts,
            "sizes": sizes,
            "problems": [_problem(p) for p in problems],
            "written": written,
        }
        _print_json({"lens": options.lens, "process": process.name, **report})
    else:
        for part in parts:
            low, high = part["bounds"]
            box = " × ".join(plain(b - a, 3) for a, b in zip(low, high, strict=True))
            print(f"{part['name']}: {plain(part['volume'], 2)} mm³, {plain(part['area'], 2)} mm², {box} mm, "
                  f"{part['faces']} faces, {part['edges']} edges")  # fmt: skip
        for path in written:
            print(f"wrote {path}")
        _print_problems(problems)
    if options.output and not written:
        print("schablone: nothing was written, because the design has problems.", file=sys.stderr)
    return PROBLEMS if errors(problems) else FINE


def _parts(built: Rebuilt) -> list[dict[str, Any]]:
    """Figures of each part, measured on the kernel's solid."""
    from ..core.kernel.occ import figures_of

    parts = []
    for name, body in built.bodies.items():
        solid = body.solid()
        figures = figures_of(solid)
        faces, edges = solid.counts()
        parts.append(
            {
                "name": name,
                "volume": figures.volume,
                "area": figures.area,
                "bounds": [list(corner) for corner in figures.bounds],
                "valid": solid.is_valid(),
                "faces": faces,
                "edges": edges,
            }
        )
    return parts


def _publish(options: argparse.Namespace) -> int:
    from ..app.view3d.picture import paint_parts

    design, process, known = _open(options)
    tried = [process] if options.process else [process, *(p for p in shipped_processes() if p.name != process.name)]
    tried += [p for p in known if p.name in design.own_processes() and p not in tried]
    data = make_edition(design, tried, paint_parts)
    write_whole(options.output, data)
    if options.json:
        _print_json(
            {
                "written": str(options.output),
                "bytes": len(data),
                "processes": [p.name for p in tried],
                "problems": [],
            }
        )
    else:
        print(f"wrote {options.output}, {len(data):,} bytes, tried with {', '.join(p.name for p in tried)}")
    return FINE


def _check(options: argparse.Namespace) -> int:
    design, process, known = _open(options)
    built = rebuild(design, design.seen("wanted", process, known))
    found = findings(design, built)
    problems = list(built.problems)
    if options.json:
        listed = [{"name": f.name, "holds": f.holds, "why": f.why, "hint": f.hint, "own": f.own} for f in found]
        _print_json({"checks": listed, "problems": [_problem(p) for p in problems]})
    else:
        for finding in found:
            print(f"{'holds ' if finding.holds else 'FAILS '} {finding.name}: {finding.why} {finding.hint}".rstrip())
        _print_problems(problems)
    return FINE if all(f.holds for f in found) and not errors(problems) else PROBLEMS


def _text(options: argparse.Namespace) -> int:
    design, process, known = _open(options)
    built = rebuild(design, design.seen("wanted", process, known))
    text = design_text(design, process, built.steps)
    if options.json:
        _print_json({"text": text, "problems": [_problem(p) for p in built.problems]})
    else:
        print(as_html(text, design.name) if options.html else text, end="")
        _print_problems(built.problems)
    return PROBLEMS if errors(built.problems) else FINE


def _compare(options: argparse.Namespace) -> int:
    design, process, _ = _open(options)
    other = read_design(options.other)
    text = comparison_text(design, other, process, (options.file.stem, options.other.stem))
    if options.json:
        _print_json({"text": text, "same": compare(design, other, process).is_same, "problems": []})
    else:
        print(text, end="")
    return FINE


def _new(options: argparse.Namespace) -> int:
    if options.file.exists():
        raise WrongUse(f"{options.file} is there already; choose another name.")
    design = Design(name=options.name or options.file.stem.replace("_", " ").replace("-", " "))
    save_design(design, options.file)
    if options.json:
        _print_json({"written": str(options.file), "design": json.loads(write_design(design)), "problems": []})
    else:
        print(f"wrote {options.file}")
    return FINE


def _processes(options: argparse.Namespace) -> int:
    if options.write:
        name, path = options.write
        write_whole(Path(path), write_process(_process(name)).encode("utf8"))
        print(f"wrote {path}") if not options.json else _print_json({"written": path})
        return FINE
    if options.json:
        _print_json({"processes": [process.model_dump(mode="json") for process in shipped_processes()]})
    else:
        for process in shipped_processes():
            print(f"{process.name}: {process.kind}, shrinks {process.shrinkage_xy:g} % in x/y, {process.shrinkage_z:g} % in z, "
                  f"holes {process.hole_gain:+g} mm, outsides {process.peg_gain:+g} mm")  # fmt: skip
    return FINE


# Common parts


def _open(options: argparse.Namespace) -> tuple[Design, Process, tuple[Process, ...]]:
    """The design, the process asked for, named by the design, or none at all; and those that its parts may name."""
    shipped: tuple[Process, ...] = shipped_processes()
    if not options.file.exists():
        raise WrongUse(f"there is no file “{options.file}”.")
    if options.file.suffix.lower() == ".zip":
        edition = read_edition(options.file)
        design, shipped = with_edition_limits(edition.design), (*edition.processes, *shipped)
    else:
        design = read_design(options.file)
    if getattr(options, "variant", None) is not None:
        try:
            design = choose_row(design, options.variant)
        except FormulaError as error:
            raise WrongUse(f"{error.what} {error.hint}".strip()) from None
    if options.process:
        return design, _process(options.process, shipped), shipped
    if not design.process:
        return design, neutral(), shipped
    found = next((process for process in shipped if process.name == design.process), None)
    if found is None:
        raise SchabloneError(
            Problem(
                area="process", name=design.process, what=f"The design is for “{design.process}”, which is not known here.",
                hint="Name a process with --process.",
            )
        )  # fmt: skip
    return design, found, shipped


def _process(text: str, known: Sequence[Process] | None = None) -> Process:
    """A process by its name, or from a file."""
    for process in known if known is not None else shipped_processes():
        if process.name.casefold() == text.casefold():
            return process
    return read_process(Path(text))


def _pairs(texts: Sequence[str], option: str) -> dict[str, str]:
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


def _given(options: argparse.Namespace, design: Design) -> dict[str, str]:
    given = _pairs(options.given, "--set")
    for name in given:
        if design.size(name) is None:
            from ..core.formula.errors import did_you_mean

            hint = did_you_mean(name, [size.name for size in design.sizes])
            raise SchabloneError(Problem(area="size", name=name, what=f"The design has no size “{name}”.", hint=hint))
    return given


def _value(value: float, kind: str) -> float | bool | int:
    if kind == "truth":
        return bool(value)
    return int(value) if kind == "count" and value == int(value) and abs(value) < 1e15 else value


def _problem(problem: Problem) -> dict[str, Any]:
    return {**problem.model_dump(mode="json"), "text": problem.text}


def _print_json(data: Any) -> None:
    print(json.dumps(data, indent=2, ensure_ascii=False))


def _print_problems(problems: Sequence[Problem]) -> None:
    for problem in problems:
        mark = {"error": "problem", "warning": "warning", "note": "note"}[problem.severity]
        print(f"{mark}: {problem}", file=sys.stderr)


def _print_marked(problem: Problem, expression: str) -> None:
    """A problem of a formula with the offending part underlined."""
    if expression and problem.span and "\n" not in expression:
        start, end = problem.span
        print(f"  {expression}\n  {' ' * start}{'^' * max(1, end - start)}", file=sys.stderr)
    print(f"problem: {problem.text if expression else problem}", file=sys.stderr)


if __name__ == "__main__":
    run()
