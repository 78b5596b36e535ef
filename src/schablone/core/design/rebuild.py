"""The rebuild: from a design, a process and a lens to bodies. Parts of other machines, or that lie
on other sides, are built by a build of their own; what is measured is measured first.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Set
from dataclasses import replace

from ..kernel.naming import owner_of, speaking_of
from ..problem import Problem
from ..process.lens import LensView
from ..process.lying import Down
from ..quantity import Quantity, say
from ..sketch.tracing import Trace, edges_followed
from ..steps.sketch import Sketch
from .building import Building, built_as_measured, laid
from .built import Cancelled, Memory, Progress, Rebuilt, StepState
from .evaluate import table_of
from .facing import facing
from .model import Design, Part
from .opened import all_told, opened

#: What is measured twice is the same within this, in base units.
_ALIKE = 1e-6

__all__ = ["Cancelled", "Memory", "Progress", "Rebuilt", "StepState", "rebuild"]


def rebuild(
    design: Design,
    view: LensView,
    memory: Memory | None = None,
    given: Mapping[str, str] | None = None,
    progress: Progress | None = None,
    until: str = "",
) -> Rebuilt:
    """Build a design in a view. ``given`` replaces the formulas of some sizes; with ``until`` the
    steps after that one are left out, though what they work out is there.

    Never raises for what is wrong in the design: problems are in the result, and what does not
    depend on them is built. Parts of another process (``view.own``) are built by that, from the
    same steps. ``progress`` is called before each step with its number, the count of steps and its
    name, and may raise :class:`Cancelled`.
    """
    whole = opened(design)
    if until and whole is not design:
        mine = [step.name for step in whole.steps if owner_of(step.name) == until]
        until = mine[-1] if mine else until
    with speaking_of(facing(whole)):
        built = _rebuilt(whole, view, memory or Memory(), given, progress, until)
    if whole is not design:
        built.problems = all_told(built.problems, design)
    return built


def _rebuilt(
    design: Design,
    view: LensView,
    memory: Memory,
    given: Mapping[str, str] | None,
    progress: Progress | None,
    until: str,
) -> Rebuilt:
    strange = [
        _unknown(part)
        for part in design.parts
        if part.process not in ("", view.of_part(part.name).process.name)
    ]
    base = replace(view, own=(), lying=(), down=_down_of_first(design, view))
    apart = {
        part.name: mine
        for part in design.parts
        if (mine := view.of_part(part.name)).process is not view.process
        or laid(design, mine) != laid(design, base)
    }
    if not apart:
        built = _on_one_machine(design, base, memory, given, progress, until)
        built.problems += strange
        built.view = view
        return built
    built = _on_one_machine(
        design, base, memory, given, progress, until, lambda part: part not in apart
    )
    built.problems = [
        p
        for p in built.problems
        if not (_parts_of(design, p) and _parts_of(design, p) <= set(apart))
    ]
    built.problems += strange
    bodies = built.bodies
    groups: dict[tuple[str, object], dict[str, LensView]] = {}
    for part, mine in apart.items():
        groups.setdefault((mine.process.name, laid(design, mine)), {})[part] = mine
    for members in groups.values():
        names = set(members)
        its = next(iter(members.values()))
        more = _on_one_machine(
            design,
            replace(base, process=its.process, down=its.down),
            memory,
            given,
            progress,
            until,
            members.__contains__,
        )
        bodies |= more.bodies
        built.keys |= {part: key for part, key in more.keys.items() if part in members}
        built.figures |= more.figures
        built.made_of |= {part: what for part, what in more.made_of.items() if part in members}
        # What its steps come to is what its machine makes of them.
        own = {step.name for step in design.steps if (on := design.parts_of(step)) and on <= names}
        built.steps |= {name: state for name, state in more.steps.items() if name in own}
        built.problems += _measured_otherwise(design, built, more, own)
        if its.process is not view.process:
            built.sheets[its.process.name] = more.table
        known = set(built.problems)
        built.problems += [
            p for p in more.problems if p not in known and _parts_of(design, p) & names
        ]
    built.bodies = {part.name: bodies[part.name] for part in design.parts if part.name in bodies}
    built.view = view
    return built


def _measured_otherwise(
    design: Design, built: Rebuilt, more: Rebuilt, own: Set[str]
) -> list[Problem]:
    """Measures on parts of another machine that are not what the design's machine would make of
    them: all sizes follow that one."""
    told = []
    for step in design.steps:
        for figure, kind in step.measures().items() if step.name in own else ():
            output = f"{step.name}.{figure}"
            value, usual = more.measured.get(output), built.measured.get(output)
            if value is None or usual is None or math.isclose(value, usual, abs_tol=_ALIKE):
                continue
            here, there = (say(Quantity(one, kind), design.units) for one in (value, usual))
            what = (
                f"It measures {here} on what {more.view.process.name} makes; sizes have {there}, "
                f"as {built.view.process.name} would make it."
            )
            hint = "Measure a part that the design's machine makes, or use the size that it is of."
            told.append(
                Problem(area="step", name=step.name, severity="warning", what=what, hint=hint)
            )
    return told


def _down_of_first(design: Design, view: LensView) -> Down:
    """How the first part lies that the design's own process makes."""
    seen = (view.of_part(part.name) for part in design.parts)
    return next((one.down for one in seen if one.process is view.process), view.down)


def _unknown(part: Part) -> Problem:
    return Problem(
        area="part",
        name=part.name,
        severity="warning",
        what=f"“{part.title or part.name}” is to be made by “{part.process}”, which is not "
        "known here; it is seen as made by the design's process.",
        hint="Add the process file, or choose another process for the part.",
    )


def _parts_of(design: Design, problem: Problem) -> set[str]:
    """The parts that a problem is about; none where it is about the design."""
    if problem.area == "part":
        return {problem.name}
    step = design.step(problem.name) if problem.area == "step" else None
    return design.parts_of(step) if step is not None else set()


def _on_one_machine(
    design: Design,
    view: LensView,
    memory: Memory,
    given: Mapping[str, str] | None,
    progress: Progress | None,
    until: str,
    finishes: Callable[[str], bool] = lambda part: True,
) -> Rebuilt:
    """Build a design by one process; parts that it does not finish are left out."""
    measuring = [step.name for step in design.steps if step.on and step.measures()]
    measured: dict[str, float] = {}
    traced: dict[str, Mapping[str, Trace]] = {}
    follows = any(isinstance(s, Sketch) and edges_followed(s.drawing) for s in design.steps)
    if measuring or (view.lens != "wanted" and follows):
        # What is measured or follows the part is taken from it as it is wanted, so that nothing is
        # corrected twice.
        wanted = built_as_measured(
            design, replace(view, lens="wanted"), memory, given, progress, measuring, finishes
        )
        measured = wanted.measured
        if view.lens == "wanted" and not until:
            return wanted
        traced = {name: drawing.traces for name, drawing in wanted.drawings.items()}
    table = table_of(design, view.process, given, measured)
    built = Building(
        design, view, table, memory, progress, traced, until, given, None, finishes
    ).run()
    built.measured = measured
    return built
