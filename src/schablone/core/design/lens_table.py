"""Every size through the three lenses: wanted, sent, expected.

Whether a size is scaled for shrinkage, and along which axis, and whether the machine's gain acts on it,
follows from where it is used: a size that is the diameter of a hole is an inside measure in the plane of
the bed, one that an extrusion rises by is a height. A size that reaches the part only through others (the
web between two holes, as part of a pitch) lies along the axes that those lie along. A size that the part
only has to fit, and counts and angles, are what they are.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, replace

from ..formula import FormulaError, parse
from ..formula.functions import FIT_FUNCTIONS, PROCESS_FUNCTIONS, STRAIGHT_FUNCTIONS
from ..formula.rewrite import walk
from ..formula.sheet import Sheet
from ..formula.tree import Call, Name, Node, Output, children
from ..process.lens import View
from ..process.model import Process
from ..quantity import LENGTH, Quantity
from ..steps.base import Slot, Step
from .model import Design
from .rebuild import Rebuilt


@dataclass(frozen=True, slots=True)
class Measure:
    """Which axes a size lies along (``xy``, ``z``), which side of the material it is on, and by which function the
    steps that use it correct it there (``inside(passage)``). ``direct`` says that a step uses it as it is;
    else it is only part of some distance. ``round`` is a diameter. ``parts`` are those that it is a measure of. ``thick`` says that
    a step raises a part by it: in what is cut, the thickness of the stock."""

    axes: frozenset[str] = frozenset()
    side: str = ""
    corrected: str = ""
    direct: bool = False
    round: bool = False
    parts: frozenset[str] = frozenset()
    thick: bool = False


@dataclass(frozen=True, slots=True)
class LensRow:
    """One size through the lenses, in base units, on the process that makes what it is a measure of."""

    name: str
    wanted: Quantity
    sent: Quantity
    expected: Quantity
    measure: Measure
    process: Process

    @property
    def difference(self) -> float:
        return self.expected.value - self.wanted.value


_PLANE_AXES = {"ground": ("xy", "xy", "z"), "front": ("xy", "z", "xy"), "side": ("xy", "z", "xy")}


def _plane_axes(design: Design, place: str, depth: int = 0) -> tuple[str, str, str]:
    """Axes of the part along x, y and normal of a plane or face; an empty word where it is inclined."""
    if place in _PLANE_AXES:
        return _PLANE_AXES[place]
    step = design.step(place.split("/")[0])
    if step is None or depth > 50:
        return ("", "", "")
    below = _step_axes(design, step, depth + 1)
    if "/side" in place:
        # Along the line, which lies in the plane, and up the extrusion.
        line = below[0] if below[0] == below[1] else ""
        return (line, below[2], line)
    return below


def _step_axes(design: Design, step: Step, depth: int = 0) -> tuple[str, str, str]:
    place = next((str(getattr(step, name)) for name in step.places), "")
    if place:
        return _plane_axes(design, place, depth)
    sketch = design.step(str(getattr(step, "sketch", "")))
    if sketch is not None and sketch is not step and depth < 50:
        return _step_axes(design, sketch, depth + 1)
    return ("xy", "xy", "z")


def _axis(design: Design, step: Step, slot: Slot) -> str:
    if slot.along.startswith("part "):
        return "z" if slot.along == "part z" else "xy"
    if not slot.along:
        return ""
    axes = _step_axes(design, step)
    if slot.along == "plane":
        # In some direction of the sketch: told only where all its directions are alike.
        return axes[0] if axes[0] == axes[1] else ""
    return dict(zip(("x", "y", "normal"), axes, strict=True))[slot.along]


def _side(design: Design, step: Step, slot: Slot) -> str:
    """Inside or outside of the material, for the outline of a sketch by what is done with it."""
    if slot.side not in ("outline", "lake"):
        return slot.side
    modes = {
        str(getattr(user, "mode", ""))
        for user in design.steps
        if getattr(user, "sketch", None) == step.name and user.on
    }
    raised = ("outside", "inside") if slot.side == "outline" else ("inside", "outside")
    return dict(zip(("add", "cut"), raised, strict=True)).get(next(iter(modes)), "") if len(modes) == 1 else ""


def _flows(node: Node) -> set[str]:
    """Names whose length becomes part of the formula's length: not the mate of a fit."""
    if isinstance(node, Call) and node.function in FIT_FUNCTIONS:
        return set()
    found = {node.name} if isinstance(node, Name) else set()
    for child in children(node):
        found |= _flows(child)
    return found


def measures_of(design: Design) -> dict[str, Measure]:
    """Axes and side of every size.

    Where a step uses a size as it is, that tells. Else the axes come from the formulas that it is part of,
    and for a size that nothing uses, from those that it is made of.
    """
    trees = _trees(design)
    direct: dict[str, set[str]] = {}
    raised: set[str] = set()
    sides: dict[str, set[tuple[str, str, bool]]] = {}
    parts_of: list[tuple[str, str]] = []
    in_parts: list[tuple[str, str]] = []
    outputs: dict[str, str] = {}
    for step in design.steps:
        if step.kind == "row":
            outputs |= dict.fromkeys((f"{step.name}.pitch", f"{step.name}.margin"), _row_axis(step))
        for slot in step.slots() if step.on else ():
            if slot.kind != LENGTH:
                continue
            try:
                tree = parse(slot.formula)
            except FormulaError:
                continue
            axis = _axis(design, step, slot)
            parts_of += [(name, axis) for name in _flows(tree)]
            in_parts += [(name, part) for name in _flows(tree) for part in design.parts_of(step)]
            corrects = isinstance(tree, Call) and tree.function in PROCESS_FUNCTIONS.keys() - FIT_FUNCTIONS
            plain = tree.args[0] if isinstance(tree, Call) and corrects and tree.args else tree
            if isinstance(plain, Name):
                direct.setdefault(plain.name, set()).add(axis)
                if step.kind == "extrude" and getattr(step, "mode", "") == "add":
                    raised.add(plain.name)
                side = _side(design, step, slot)
                if side:
                    how = tree.function if isinstance(tree, Call) and corrects else ""
                    sides.setdefault(plain.name, set()).add((side, how, slot.round))
    axes, parts = _spread(trees, parts_of), _spread(trees, in_parts)
    found = {}
    for name, tree in trees.items():
        along = {axis for axis in direct.get(name) or axes.get(name, set()) if axis}
        if not along and name not in direct:
            along = {axis for below in _flows(tree) for axis in axes.get(below, set())}
            along |= {outputs[node.name] for node, _ in walk(tree) if isinstance(node, Output) and node.name in outputs}
        known = sides.get(name, set())
        if isinstance(tree, Call) and tree.function in PROCESS_FUNCTIONS:
            side = PROCESS_FUNCTIONS[tree.function]
            round_ = tree.function not in STRAIGHT_FUNCTIONS
            known, along = {(side, "", round_)}, along or {"xy"}
        side, corrected, is_round = next(iter(known)) if len(known) == 1 else ("", "", False)
        mine = frozenset(parts.get(name, ()))
        found[name] = Measure(frozenset(along), side, corrected, name in direct, is_round, mine, name in raised)
    return found


def _row_axis(step: Step) -> str:
    return "z" if getattr(step, "along", "x") == "z" else "xy"


def _trees(design: Design) -> dict[str, Node]:
    trees: dict[str, Node] = {}
    for size in design.sizes:
        try:
            trees[size.name] = parse(size.formula)
        except FormulaError:
            continue
    return trees


def _spread(trees: dict[str, Node], pending: list[tuple[str, str]]) -> dict[str, set[str]]:
    """Axes (or parts) of every size from the formulas that it is part of, over any number of steps."""
    axes: dict[str, set[str]] = {}
    while pending:
        name, axis = pending.pop()
        if not axis or axis in axes.setdefault(name, set()):
            continue
        axes[name].add(axis)
        if name in trees:
            pending += [(below, axis) for below in _flows(trees[name])]
    return axes


#: Processes of parts beside the design's, each with the sheet as it is under it.
Machines = Mapping[str, tuple[Process, Sheet]]


def machines_of(built: Rebuilt) -> Machines:
    """By part, the process and the sheet of those parts that have a process of their own."""
    return {part: (process, built.sheets[process.name]) for part, process in built.view.own}


def lens_table(design: Design, process: Process, sheet: Sheet, own: Machines | None = None) -> list[LensRow]:
    """Every size that has a value, through the lenses, in the order of the design.

    A size along both the bed and the height shrinks by different shares; it is shown as along the bed. A size that is a
    measure of parts made by different processes (``own``) has a row for each.
    """
    measures = measures_of(design)
    rows = []
    for size in design.sizes:
        measure = measures.get(size.name, Measure())
        machines = {}
        for part in sorted(measure.parts) or [""]:
            machine, mine = (own or {}).get(part, (process, sheet))
            machines[machine.name] = (machine, mine)
        for machine, mine in machines.values():
            if size.name in mine.cells:
                rows.append(_row(design, size.name, machine, mine, measure))
    return rows


def _row(design: Design, name: str, process: Process, sheet: Sheet, measure: Measure) -> LensRow:
    cell = sheet.cells[name]
    if cell.wanted.kind != LENGTH or not measure.axes:
        return LensRow(name, cell.wanted, cell.wanted, cell.wanted, measure, process)
    if process.family == "cut" and measure.thick:
        measure = replace(measure, side="", corrected="")
    axis = "xy" if "xy" in measure.axes else "z"
    drawn = _corrected(process, measure, cell.sent.value) if measure.corrected else cell.sent.value
    cuts = process.family == "cut" and bool(measure.side)
    sheet_of_it = cut_sheet(design, measure.parts, process, sheet) if cuts else ("", 0.0)
    found = []
    for view in (design.seen("sent", process), design.seen("expected", process)):
        moved = view.moved_off(*sheet_of_it) if cuts else 0.0
        value = view.of(cell.wanted.value, drawn, measure.side, axis, round_=measure.round, moved=moved)
        found.append(Quantity(value, LENGTH))
    return LensRow(name, cell.wanted, found[0], found[1], measure, process)


def cut_sheet(design: Design, parts: Iterable[str], process: Process, sheet: Sheet) -> tuple[str, float]:
    """The material and thickness, mm, of the sheet that parts are cut from: as thick as their first extrusion."""
    made_of = {part.name: part.made_of(process)[0] for part in design.parts}
    for step in design.steps:
        part = step.works_on()
        if step.kind != "extrude" or part not in parts or not step.on or getattr(step, "mode", "") != "add":
            continue
        with suppress(FormulaError):
            by = next((slot.formula for slot in step.slots() if slot.path == "by"), "")
            return made_of.get(part, process.material.name), sheet.compile(by).value(sheet.env()).value
    return process.material.name, 0.0


def _corrected(process: Process, measure: Measure, drawn: float) -> float:
    """What a step draws of a size that it corrects; the size itself where no drawing would do."""
    try:
        if measure.side == "outside":
            return process.send_outside(drawn, straight=measure.corrected != "peg")
        return process.send_inside(
            drawn, lying=measure.corrected == "inside_lying", straight=measure.corrected == "gap"
        )
    except ValueError:
        return drawn


def seen_through(design: Design, view: View, sheet: Sheet, own: Machines | None = None) -> dict[str, Quantity]:
    """The value of every size in one view; of a size of parts made by several processes, that on the first."""
    if view.lens == "wanted":
        return {size.name: sheet.cells[size.name].wanted for size in design.sizes if size.name in sheet.cells}
    table = reversed(lens_table(design, view.process, sheet, own))
    return {row.name: row.sent if view.lens == "sent" else row.expected for row in table}
