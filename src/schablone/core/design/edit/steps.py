"""Edits of steps: what they say, their order, their names and groups."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from ...formula import FormulaError, names_in
from ...formula.parse import check_name
from ...formula.rewrite import rename_step
from ...kernel.naming import owner_of
from ...steps import Step
from ...words import say_name
from ..model import Design
from .formulas import checked, map_formulas, put_path


def change_step(design: Design, name: str, path: str, new: Any) -> Design:
    """Change one field of a step, given by its path."""
    step = design.step(name)
    if step is None:
        raise FormulaError(f"There is no step “{name}”.")
    changed = checked(lambda: put_path(step, path.split("."), new))
    return put_step(design, changed)


def put_step(design: Design, step: Step, at: int | None = None) -> Design:
    """Add a step (at a place, or last), or replace the one of its name."""
    steps = list(design.steps)
    for i, old in enumerate(steps):
        if old.name == step.name:
            steps[i] = step
            break
    else:
        steps.insert(len(steps) if at is None else at, step)
    return design.model_copy(update={"steps": tuple(steps)})


def delete_step(design: Design, name: str) -> Design:
    """Take a step out.

    Raises:
        FormulaError: where other steps or formulas build on it; says which.
    """
    users = [
        other.name
        for other in design.steps
        if other.name != name and any(owner_of(needed) == name for needed in other.needs())
    ]
    outputs: set[str] = set()

    def note(text: str) -> str:
        try:
            outputs.update(used for used in names_in(text) if used.startswith(f"{name}."))
        except FormulaError:
            pass
        return text

    map_formulas(design, note)
    if users or outputs:
        listed = ", ".join([*users, *sorted(outputs)])
        raise FormulaError(
            f"“{name}” is still used: {listed}.",
            None,
            "Change those first, or switch the step off.",
        )
    return design.model_copy(
        update={"steps": tuple(step for step in design.steps if step.name != name)}
    )


def group_steps(design: Design, names: Collection[str], group: str) -> Design:
    """Put steps under a heading, or under none."""
    steps = tuple(
        s.model_copy(update={"group": group.strip()}) if s.name in names else s
        for s in design.steps
    )
    return design.model_copy(update={"steps": steps})


def move_step(design: Design, name: str, to: int) -> Design:
    """Put a step at another place in the order."""
    step = design.step(name)
    if step is None:
        raise FormulaError(f"There is no step “{name}”.")
    rest = [other for other in design.steps if other.name != name]
    rest.insert(max(0, min(to, len(rest))), step)
    return design.model_copy(update={"steps": tuple(rest)})


def would_break(design: Design, name: str, to: int) -> list[str]:
    """What a step at another place would come too early or too late for, in words; empty where all
    is well."""
    moved = move_step(design, name, to)
    order = {step.name: number for number, step in enumerate(moved.steps)}
    broken = []
    for step in moved.steps:
        for needed in map(owner_of, step.needs()):
            if needed in order and order[needed] > order[step.name] and name in (step.name, needed):
                words = say_name(step.name), say_name(needed)
                broken.append(f"“{words[0]}” builds on “{words[1]}”, which would come after it")
    return broken


def rename_step_everywhere(design: Design, old: str, new: str) -> Design:
    """Rename a step, in other steps' references and in formulas that use its outputs."""
    check_name(new)
    if old == new:
        return design
    if design.step(new) is not None:
        raise FormulaError(f"There is a step “{new}” already.", None, "Choose another name.")
    if any(part.name == new for part in design.bought):
        raise FormulaError(f"A bought part is called “{new}”.", None, "Choose another name.")
    design = map_formulas(design, lambda text: rename_step(text, old, new))
    steps = tuple(step.with_step_renamed(old, new) for step in design.steps)
    return design.model_copy(update={"steps": steps})


def free_name(design: Design, wanted: str) -> str:
    """The wanted name, or with a number behind it where it is taken by a step."""
    taken = {step.name for step in design.steps} | {part.name for part in design.bought}
    if wanted not in taken:
        return wanted
    number = 2
    while f"{wanted}_{number}" in taken:
        number += 1
    return f"{wanted}_{number}"
