"""Edits of the stencils of a design: put in, changed for another version, unpacked into plain
steps."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ..formula.errors import FormulaError
from ..formula.parse import check_name
from ..formula.rewrite import replace_names
from ..formula.tree import Name, Output
from ..kernel.naming import owner_of
from ..problem import Problem, SchabloneError
from ..reuse import HOST, Stencil
from ..steps.base import Step
from ..steps.plane import Plane
from ..steps.stencil import Given, GivenFace, GivenPart, PutIn
from ..words import say_name
from .edit import free_name, is_asked, map_formulas, put_step, with_steps_renamed
from .model import Check, Design, Size
from .opened import is_open, opened


def put_stencil(design: Design, stencil: Stencil) -> tuple[Design, str]:
    """The design with a stencil, and what it is called there: its own name, or with a number where
    another is called so."""
    if stencil in design.stencils:
        return design, stencil.name
    taken = {one.name for one in design.stencils}
    name, number = stencil.name, 1
    while name in taken:
        number += 1
        name = f"{stencil.name}_{number}"
    mine = stencil if name == stencil.name else stencil.model_copy(update={"name": name})
    same = next((one for one in design.stencils if _alike(one, stencil)), None)
    if same is not None:
        return design, same.name
    return design.model_copy(update={"stencils": (*design.stencils, mine)}), name


def _alike(one: Stencil, other: Stencil) -> bool:
    """Whether two stencils differ in nothing but what they are called in formulas."""
    return one.model_copy(update={"name": other.name}) == other


def put_in(design: Design, stencil: Stencil, at: int | None = None, **where: Any) -> Design:
    """Put a stencil into the design by a new step; ``where`` are fields of the step. Its open sizes
    are at first as the stencil says.

    Raises:
        SchabloneError: where that makes no step.
    """
    wider, called = put_stencil(design, stencil)
    name = free_name(wider, where.pop("name", "") or stencil.name)
    step = PutIn(
        name=name,
        stencil=called,
        given=given_for(name, stencil),
        faces=tuple(GivenFace(name=one.name) for one in stencil.faces),
        parts=tuple(GivenPart(name=one.name) for one in stencil.parts),
        **where,
    )
    return put_step(wider, step, at)


def given_for(name: str, stencil: Stencil, kept: tuple[Given, ...] = ()) -> tuple[Given, ...]:
    """What the open sizes of a stencil are where a step of this name puts it in: what was given, or
    else what the stencil says, in terms of the design."""
    known = {one.size: one.formula for one in kept}
    sizes = {size.name for size in stencil.sizes}

    def new(node: Name | Output) -> str | None:
        if isinstance(node, Output):
            return f"{name}.{node.name}"
        return f"{name}.{node.name}" if node.name in sizes else None

    return tuple(
        Given(size=size.name, formula=known.get(size.name) or replace_names(size.formula, new))
        for size in stencil.open_sizes
    )


def chosen(design: Design, step: str, stencil: str) -> Design:
    """Let a step put another stencil of the design in; what both have open keeps its formula.

    Raises:
        FormulaError: where there is no such step or stencil.
    """
    old, new = design.step(step), design.stencil(stencil)
    if not isinstance(old, PutIn) or new is None:
        raise FormulaError(f"There is no stencil “{stencil}”.")
    faces = {one.name: one for one in old.faces}
    parts = {one.name: one for one in old.parts}
    return put_step(
        design,
        old.model_copy(
            update={
                "stencil": stencil,
                "given": given_for(step, new, old.given),
                "faces": tuple(faces.get(one.name, GivenFace(name=one.name)) for one in new.faces),
                "parts": tuple(parts.get(one.name, GivenPart(name=one.name)) for one in new.parts),
            }
        ),
    )


def swap_stencil(design: Design, old: str, new: Stencil) -> tuple[Design, list[str]]:
    """A stencil changed for another, or another edition of it, wherever it is put in; and in words
    what changes, and what is asked of it that the other does not have."""
    before = design.stencil(old)
    if before is None:
        raise FormulaError(f"There is no stencil “{old}”.")
    rest = design.model_copy(
        update={"stencils": tuple(one for one in design.stencils if one.name != old)}
    )
    wider, name = put_stencil(rest, new)
    # It stays where it stood in the list.
    ordered = [wider.stencils[-1] if one.name == old else one for one in design.stencils]
    swapped = design.model_copy(
        update={"stencils": tuple(ordered) if len(wider.stencils) > len(rest.stencils)
                else wider.stencils}
    )  # fmt: skip
    users = [step.name for step in design.steps if step.puts_in() == old]
    for step in users:
        swapped = chosen(swapped, step, name)
    return swapped, [*differences(before, new), *_missed(design, before, new, users)]


def differences(old: Stencil, new: Stencil) -> list[str]:
    """What another version of a stencil does otherwise, in words."""
    from .text import plain_step

    told = []
    before = {size.name: size for size in old.sizes}
    for size in new.sizes:
        was = before.pop(size.name, None)
        said = f"“{say_name(size.name)}”"
        if was is None:
            told.append(f"{'It asks for' if size.open else 'It has'} {said}: {size.formula}.")
        elif was.open != size.open:
            told.append(f"{said} is {'open' if size.open else 'worked out'} now: {size.formula}.")
        elif was.formula != size.formula:
            first = " at first" if size.open else ""
            told.append(f"{said} is {size.formula}{first}; it was {was.formula}.")
        elif (was.low, was.high) != (size.low, size.high):
            told.append(f"{said} goes from {size.low or 'anything'} to {size.high or 'anything'}.")
    told += [f"It has no “{say_name(name)}” any more." for name in before]
    steps = [{step.name: plain_step(step) for step in one.steps} for one in (old, new)]
    for name, words in steps[1].items():
        if name not in steps[0]:
            told.append(f"New: {say_name(name)}, {words}.")
        elif steps[0][name] != words:
            told.append(f"{say_name(name)}: {words}; it was: {steps[0][name]}.")
    told += [f"Without {say_name(name)}." for name in steps[0] if name not in steps[1]]
    return told


def _missed(design: Design, old: Stencil, new: Stencil, users: list[str]) -> list[str]:
    """What the design asks of a stencil that another version does not have."""
    missed = []
    sizes = {size.name for size in old.sizes} - {size.name for size in new.sizes}
    gone = {step.name for step in old.steps} - {step.name for step in new.steps}
    for user in users:
        for size in sorted(sizes):
            if is_asked(design, f"{user}.{size}"):
                missed.append(f"A formula asks for {user}.{size}, which it does not have.")
        for step in design.steps:
            lost = sorted({f"{user}.{name}" for name in gone} & set(step.needs()))
            if lost:
                inner = lost[0].partition(".")[2]
                missed.append(
                    f"{say_name(step.name)} stands on its {say_name(inner)}, which is gone."
                )
    return missed


def forget_stencil(design: Design, name: str) -> Design:
    """The design without a stencil.

    Raises:
        SchabloneError: where a step puts it in.
    """
    users = [step.name for step in design.steps if step.puts_in() == name]
    if users:
        raise SchabloneError(
            Problem(
                area="design",
                what=f"“{say_name(users[0])}” puts {say_name(name)} in.",
                hint="Delete that step, or let it put something else in.",
            )
        )
    return design.model_copy(
        update={"stencils": tuple(one for one in design.stencils if one.name != name)}
    )


def unpacked(design: Design, name: str) -> Design:
    """The design with plain steps and sizes for a stencil that is put in, which build the same. Its
    anchor becomes a plane on the face, its steps ``name_step``, its sizes ``name_size``.

    Raises:
        FormulaError: where there is no such step, or plain steps cannot do what it does.
    """
    step = design.step(name)
    stencil = design.stencil(step.puts_in()) if isinstance(step, PutIn) else None
    if not isinstance(step, PutIn) or stencil is None:
        raise FormulaError(f"“{say_name(name)}” puts no stencil in.")
    if step.image == "mirrored":
        raise FormulaError(
            f"“{say_name(name)}” is mirrored, which plain steps cannot be.",
            None,
            "Let it be as it is drawn first.",
        )
    by = next((one.name for one in design.steps if one.carries() == name), "")
    if by:
        raise FormulaError(
            f"“{say_name(by)}” repeats “{say_name(name)}” as a whole, which plain steps cannot be.",
            None,
            f"Take “{say_name(by)}” out first.",
        )
    whole = opened(design)
    inner = [one for one in whole.steps if owner_of(one.name) == name and "." in one.name]
    plain = {one.name: _free(design, f"{name}_{one.name.partition('.')[2]}") for one in inner}
    sizes = {
        f"{name}.{size.name}": _free(design, f"{name}_{size.name}", plain.values())
        for size in stencil.sizes
    }
    told = _renaming(name, plain, sizes)
    steps: list[Step] = []
    for one in design.steps:
        if one.name != name:
            steps.append(with_steps_renamed(one, plain))
            continue
        anchor = {field: getattr(step, field) for field in Plane.model_fields
                  if field != "kind" and field in PutIn.model_fields}  # fmt: skip
        steps.append(Plane.model_validate(anchor))
        for own in inner:
            if own.name != f"{name}.{HOST}":
                steps.append(with_steps_renamed(own, plain))
    new_sizes = [
        Size.model_validate(
            {**size.model_dump(), "name": sizes[size.name], "group": say_name(name)}
        )
        for size in whole.sizes
        if size.name in sizes
    ]
    checks = [
        Check.model_validate(check.model_dump())
        for check in whole.checks[len(design.checks) :]
        if check.name.startswith(f"{say_name(name)}: ")
    ]
    changed = design.model_copy(
        update={
            "steps": tuple(steps),
            "sizes": (*design.sizes, *new_sizes),
            "checks": (*design.checks, *checks),
        }
    )
    anew = map_formulas(changed, told)
    used = {one.puts_in() for one in anew.steps}
    anew = anew.model_copy(
        update={"stencils": tuple(one for one in anew.stencils if one.name in used)}
    )
    assert not is_open(anew)
    # Everything is looked at again, names that were put together included.
    return Design.model_validate(anew.model_dump())


def _free(design: Design, wanted: str, taken: Any = ()) -> str:
    """A name that no step, size or bought part has."""
    known = {*(size.name for size in design.sizes), *taken}
    name, number = free_name(design, wanted), 1
    while name in known:
        number += 1
        name = free_name(design, f"{wanted}_{number}")
    check_name(name)
    return name


def _renaming(name: str, plain: dict[str, str], sizes: dict[str, str]) -> Callable[[str], str]:
    """What makes formulas that use a stencil ones that use its plain steps and sizes."""

    def new(node: Name | Output) -> str | None:
        if not isinstance(node, Output):
            return None
        if node.name in sizes:
            return sizes[node.name]
        if node.step == f"{name}.{HOST}":
            return f"{name}.{node.output}"
        return f"{plain[node.step]}.{node.output}" if node.step in plain else None

    return lambda text: replace_names(text, new)
