"""Checks: statements that hold or do not, each with what speaks for or against it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..design.treat import cuts
from ..formula import FormulaError
from ..formula.parse import parse
from ..formula.rewrite import walk
from ..formula.tree import Name, Node, Output
from ..kernel.body import Body
from ..kernel.mesh import Mesh
from ..problem import Problem, errors
from ..process.model import Process
from ..quantity import TRUTH, plain, say
from .finding import Finding
from .holding import holding
from .narrow import narrow_places
from .thin import thin_places


def findings(design: Design, built: Rebuilt) -> list[Finding]:
    """All checks of a design as it was rebuilt: first those of every design, then its own."""
    found = quick_findings(design, built)
    own = len(design.checks)
    return [*found[: len(found) - own], *close_findings(built), *found[len(found) - own :]]


def close_findings(
    built: Rebuilt, meshes: Mapping[str, Mesh] | None = None, alive: Callable[[], bool] = lambda: True
) -> list[Finding]:
    """The checks that look at the whole shape, which takes a moment; see :func:`thin_places` for the arguments."""
    return [*narrow_places(built), *thin_places(built, meshes, alive)]


def quick_findings(design: Design, built: Rebuilt) -> list[Finding]:
    """The checks that take no time to speak of; the design's own come last."""
    found = [
        _formulas(built),
        _limits(design, built),
        _steps(built),
        _solid(built),
        *_bed(built),
        *holding(built),
    ]
    if design.publish.adjust:
        found.append(_publishable(design))
    return found + [_own(check.name, check.formula, check.note, built) for check in design.checks]


def _first(problems: list[Problem]) -> tuple[str, str, str, str]:
    """Text, hint, area and name of the problem that is the cause of others, if there is one."""
    cause = next((problem for problem in problems if not problem.waits_for), problems[0])
    more = f" (and {len(problems) - 1} more)" if len(problems) > 1 else ""
    return f"{cause.place}: {cause.what}{more}", cause.hint, cause.area, cause.name


def _of(name: str, problems: list[Problem], good: str) -> Finding:
    if not problems:
        return Finding(name, True, good)
    why, hint, area, place = _first(problems)
    return Finding(name, False, why, hint, False, area, place)


def _formulas(built: Rebuilt) -> Finding:
    wrong = [problem for problem in errors(built.problems) if problem.area == "size"]
    return _of("Every size has a value", wrong, f"{len(built.sheet.cells)} values")


def _limits(design: Design, built: Rebuilt) -> Finding:
    held = [problem for problem in built.problems if problem.area == "size" and problem.severity == "note"]
    count = sum(bool(size.low or size.high) for size in design.sizes)
    return _of("Every size is inside its limits", held, f"{count} with limits")


def _steps(built: Rebuilt) -> Finding:
    wrong = [problem for problem in errors(built.problems) if problem.area == "step"]
    made = sum(state.state in ("built", "carried") for state in built.steps.values())
    return _of("Every step can be made", wrong, f"{made} steps")


def _solid(built: Rebuilt) -> Finding:
    """Bodies of prisms are closed by construction; others are asked for volume and pieces."""
    if not built.bodies:
        return Finding("The part is solid", False, "There is no part yet.", "Draw a sketch and extrude it.")
    for name, body in built.bodies.items():
        volume = body.figures().volume
        if volume <= 0:
            return Finding("The part is solid", False, f"{name} has no volume.", "", False, "part", name)
    total = sum(body.figures().volume for body in built.bodies.values())
    return Finding("The part is solid", True, f"{plain(total / 1000, 2)} cm³")


def _bed(built: Rebuilt) -> list[Finding]:
    """Whether each part lies on the machine's bed, turned by a quarter if need be."""
    return [_bed_of(machine, bodies, built) for machine, bodies in built.by_machine() if bodies]


def _bed_of(process: Process, bodies: Mapping[str, Body], built: Rebuilt) -> Finding:
    title = f"Fits on the bed of {process.name}"
    for name in bodies:
        low, high = built.figures[name].bounds
        size = [b - a for a, b in zip(low, high, strict=True)]
        if cuts(process):
            size.sort(reverse=True)  # a flat part is laid flat
        bed = process.bed
        flat, room = sorted(size[:2]), sorted(bed[:2])
        over = [a - b for a, b in zip((*flat, size[2]), (*room, bed[2]), strict=True)]
        if max(over) > 1e-9:
            which = ("wider", "longer", "higher")[over.index(max(over))]
            why = f"{which} than the bed by {plain(max(over), 1)} mm"
            return Finding(title, False, why, "Choose a larger machine or divide the part.", False, "part", name)
    return Finding(title, True, " × ".join(plain(length, 0) for length in process.bed) + " mm")


def _publishable(design: Design) -> Finding:
    title = "What others may adjust has limits"
    for item in design.publish.adjust:
        size = design.size(item.size)
        if size is None:
            return Finding(
                title,
                False,
                f"“{item.size}” is no size.",
                "Take it out under Publish.",
                False,
                "publish",
                item.size,
            )
        if not ((item.low or size.low) and (item.high or size.high)):
            return Finding(
                title,
                False,
                f"“{item.size}” has no lower or no upper limit.",
                "Give it limits.",
                False,
                "size",
                item.size,
            )
    return Finding(title, True, f"{len(design.publish.adjust)} sizes")


def _own(name: str, formula: str, note: str, built: Rebuilt) -> Finding:
    try:
        holds = built.sheet.compile(formula, TRUTH).value(built.sheet.env()).value
    except FormulaError as error:
        return Finding(name, False, error.what, error.hint, True, "check", name)
    return Finding(name, bool(holds), _with_values(formula, built), "" if holds else note, True, "check", name)


def _with_values(formula: str, built: Rebuilt) -> str:
    """The formula with the values of its names, so that a verdict can be followed."""
    tree: Node = parse(formula)
    names: dict[str, None] = {}
    for node, _ in walk(tree):
        if isinstance(node, (Name, Output)) and node.name in built.sheet.cells:
            names[node.name] = None
    values = ", ".join(f"{name} = {say(built.sheet.cells[name].wanted)}" for name in names)
    return f"{formula}   ({values})" if values else formula
