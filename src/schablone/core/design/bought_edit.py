"""Edits of the bought parts of a design: taken in, changed for another, given back."""

from __future__ import annotations

from ..bought import BoughtPart, resolved
from ..bought.model import BOX
from ..formula.rewrite import rename_step
from ..problem import Problem, SchabloneError
from ..steps import Step
from ..steps.around_things import AroundThings
from ..words import say_name
from .edit import free_name, is_asked, map_formulas
from .model import Design


def put_bought(design: Design, part: BoughtPart) -> tuple[Design, str]:
    """The design with a bought part, and what it is called there: its own name, or with a number
    where something else is called so."""
    there = next((one for one in design.bought if one.name == part.name), None)
    if there == part:
        return design, part.name
    name = free_name(design, part.name)
    taken = part.model_copy(update={"name": name})
    return design.model_copy(update={"bought": (*design.bought, taken)}), name


def change_bought(design: Design, part: BoughtPart) -> Design:
    """A bought part of the design described anew, under the same name."""
    bought = tuple(part if one.name == part.name else one for one in design.bought)
    return design.model_copy(update={"bought": bought})


def swap_bought(design: Design, old: str, part: BoughtPart) -> tuple[Design, list[str]]:
    """A bought part changed for another, in all steps and formulas; and what is asked of it that
    the other does not have, in words."""
    rest = design.model_copy(
        update={"bought": tuple(one for one in design.bought if one.name != old)}
    )
    name = free_name(rest, part.name)
    swapped = map_formulas(rest, lambda text: rename_step(text, old, name))
    steps = tuple(
        step.with_(thing=name) if step.uses_bought() == old else step for step in swapped.steps
    )
    taken = part.model_copy(update={"name": name})
    bought = tuple(taken if one.name == old else one for one in design.bought)
    swapped = swapped.model_copy(update={"steps": steps, "bought": bought})
    return swapped, _missed(design, swapped, old, taken)


def _missed(before: Design, after: Design, old: str, part: BoughtPart) -> list[str]:
    was = next(one for one in before.bought if one.name == old)
    known = {*BOX, *(d.name for d in part.dimensions)}
    lost = {*(d.name for d in was.dimensions)} - known
    missed = []
    for name in sorted(lost):
        if is_asked(before, f"{old}.{name}"):
            missed.append(f"It has no {say_name(name)}, which formulas ask for.")
    placing = {step.name for step in after.steps if step.uses_bought() == part.name}
    for step in after.steps:
        anchor = str(getattr(step, "anchor", ""))
        if step.name in placing and anchor not in part.anchor_names():
            missed.append(f"It has no anchor “{say_name(anchor)}”, by which {step.name} places it.")
        if isinstance(step, AroundThings) and step.of in placing:
            missed += _asked_in_vain(step, part)
    return missed


def _asked_in_vain(step: Step, part: BoughtPart) -> list[str]:
    port = str(getattr(step, "port", ""))
    if step.kind == "opening_for" and port not in ("", *(p.name for p in part.ports)):
        return [f"It has no port “{say_name(port)}”, for which {say_name(step.name)} cuts."]
    if step.kind == "opening_for" and not part.ports:
        return [f"It has no ports, for which {say_name(step.name)} cuts."]
    if step.kind == "posts_for" and not part.holes:
        return [f"It has no holes, under which {say_name(step.name)} puts posts."]
    return []


def forget_bought(design: Design, name: str) -> Design:
    """The design without a bought part.

    Raises:
        SchabloneError: where a step places it.
    """
    users = [step.name for step in design.steps if step.uses_bought() == name]
    if users:
        raise SchabloneError(
            Problem(
                area="design",
                what=f"“{say_name(users[0])}” places {say_name(name)}.",
                hint="Delete that step, or let it place something else.",
            )
        )
    return design.model_copy(
        update={"bought": tuple(one for one in design.bought if one.name != name)}
    )


def alike(part: BoughtPart, others: tuple[BoughtPart, ...]) -> list[BoughtPart]:
    """What a bought part can be changed for: others of its sort."""
    return [one for one in others if one.sort == part.sort and one.sort and one.name != part.name]


def said_size(part: BoughtPart) -> str:
    """The size of the box around it: ``76 × 34 × 13.5 mm``."""
    return " × ".join(f"{length:.4g}" for length in resolved(part).box) + " mm"
