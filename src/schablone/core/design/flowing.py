"""Which sizes flow into which others, and into steps that are not built."""

from __future__ import annotations

from collections.abc import Iterator

from ..formula import FormulaError, parse
from ..formula.functions import FIT_FUNCTIONS
from ..formula.tree import Call, Name, Node, Output, children
from ..quantity import LENGTH
from ..steps.base import Step
from ..steps.sketch import Sketch
from .built import Rebuilt
from .model import Design


def flows_into(node: Node) -> set[str]:
    """Names whose length becomes part of the formula's length: not the mate of a fit."""
    if isinstance(node, Call) and node.function in FIT_FUNCTIONS:
        return set()
    flows = {node.name} if isinstance(node, (Name, Output)) else set()
    for child in children(node):
        flows |= flows_into(child)
    return flows


def trees_of(design: Design) -> dict[str, Node]:
    """The formulas of all sizes that can be read, as trees."""
    trees: dict[str, Node] = {}
    for size in design.sizes:
        try:
            trees[size.name] = parse(design.formula_of(size))
        except FormulaError:
            continue
    return trees


def spread(trees: dict[str, Node], pending: list[tuple[str, str]]) -> dict[str, set[str]]:
    """Axes (or parts, or steps) of every size from the formulas that it is part of, over any number
    of formulas."""
    axes: dict[str, set[str]] = {}
    while pending:
        name, axis = pending.pop()
        if not axis or axis in axes.setdefault(name, set()):
            continue
        axes[name].add(axis)
        if name in trees:
            pending += [(below, axis) for below in flows_into(trees[name])]
    return axes


def is_built(built: Rebuilt, step: Step) -> bool:
    """Whether a step is part of what was built."""
    state = built.steps.get(step.name)
    return step.on and state is not None and state.state in ("built", "carried")


def waiting_sketches(design: Design, built: Rebuilt) -> set[str]:
    """The sketches that steps use which are not built: what is made of their lengths is not known
    yet."""
    needed = {
        name
        for step in design.steps
        if step.on and not is_built(built, step)
        for name in step.needs()
    }
    return {s.name for s in design.steps if isinstance(s, Sketch) and s.name in needed}


def into_unbuilt(design: Design, built: Rebuilt) -> Iterator[tuple[str, str]]:
    """The sizes whose length goes into steps that are not built, for whatever reason, or into what
    is drawn for such a step; each with the step."""
    waiting = waiting_sketches(design, built)
    for step in design.steps:
        if not step.on or (is_built(built, step) and step.name not in waiting):
            continue
        for slot in step.slots():
            if slot.kind == LENGTH:
                try:
                    yield from ((name, step.name) for name in flows_into(parse(slot.formula)))
                except FormulaError:
                    continue  # told where the step stands
