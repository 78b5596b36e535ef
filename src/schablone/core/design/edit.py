"""Edits: small functions from a design to a new design. None changes what it is given.

All raise :class:`~schablone.core.formula.FormulaError` with words where the edit is not possible.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from functools import cache, partial
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from ..formula import FormulaError, names_in, rename
from ..formula.errors import did_you_mean
from ..formula.parse import check_name, parse
from ..formula.rewrite import columns_in, put_in_place, rename_step
from ..formula.rewrite import rename_row as rewrite_row
from ..kernel.naming import owner_of
from ..model import LONGEST_FORMULA, Frozen
from ..steps import Step
from ..words import say_name, say_validation
from .model import Adjustable, Design, DrawingSheet, Part, ScrewRow, Size, SizeTable

_F = TypeVar("_F", bound=Frozen)


def _checked(make: Callable[[], Any]) -> Any:
    try:
        return make()
    except ValidationError as error:
        raise FormulaError(say_validation(error, "design", "")[0].what) from None


# Sizes


def put_size(design: Design, size: Size, *, before: str | None = None) -> Design:
    """Add a size, or replace the one of its name where it stands."""
    sizes = list(design.sizes)
    for i, old in enumerate(sizes):
        if old.name == size.name:
            sizes[i] = size
            break
    else:
        at = next((i for i, old in enumerate(sizes) if old.name == before), len(sizes))
        sizes.insert(at, size)
    return design.model_copy(update={"sizes": tuple(sizes)})


def change_size(design: Design, name: str, **changes: str) -> Design:
    """Change fields of a size other than its name."""
    size = design.size(name)
    if size is None:
        raise FormulaError(f"There is no size “{name}”.")
    if changes.get("tolerance", "").strip():
        parse(changes["tolerance"])
    changed: Size = _checked(lambda: size.with_(**changes))
    return put_size(design, changed)


def set_formula(design: Design, name: str, formula: str) -> Design:
    """Give a size another formula, which must be readable.

    A size that does not exist yet is made; where the size table is in force, its current row is
    changed.
    """
    parse(formula)
    if design.size(name) is None:
        return add_size(design, name, formula)
    if name in design.table.columns and design.table.row(design.table.current) is not None:
        return put_cell(design, design.table.current, name, formula)
    return change_size(design, name, formula=formula.strip())


def add_size(design: Design, name: str, formula: str, group: str = "") -> Design:
    """Make a new size."""
    check_name(name)
    if design.size(name) is not None:
        raise FormulaError(f"There is a size “{name}” already.", None, "Choose another name.")
    parse(formula)
    size: Size = _checked(lambda: Size(name=name, formula=formula.strip(), group=group))
    return put_size(design, size)


def delete_size(design: Design, name: str, instead: str | None = None) -> Design:
    """Take a size out. Where it is used, ``instead`` is put in its place: its formula, or a value
    as text.

    Raises:
        FormulaError: where it is still used and nothing is to take its place; says by what.
    """
    users = users_of(design, name)
    if users and instead is None:
        listed = ", ".join(users[:5]) + (" …" if len(users) > 5 else "")
        raise FormulaError(f"“{name}” is still used by {listed}.", None, "Change those first.")
    if instead is not None:
        parse(instead)
        readers = _readers_of(design, name)
        if readers:
            raise FormulaError(
                f"“{name}” is read as a column of the size table by {', '.join(readers)}.",
                None,
                "Change those first.",
            )
        design = map_formulas(design, lambda text: put_in_place(text, name, instead))
    publish, table = design.publish, design.table
    adjust = tuple(item for item in publish.adjust if item.size != name)
    presets = tuple(
        preset.model_copy(update={"sizes": {k: v for k, v in preset.sizes.items() if k != name}})
        for preset in publish.presets
    )
    sheet = _on_sheet(publish.sheet, name, "")
    publish = publish.model_copy(update={"adjust": adjust, "presets": presets, "sheet": sheet})
    if name in table.columns:
        table = _without_column(table, name)
    sizes = tuple(size for size in design.sizes if size.name != name)
    return design.model_copy(update={"sizes": sizes, "publish": publish, "table": table})


def rename_size(design: Design, old: str, new: str) -> Design:
    """Rename a size in every formula of the design."""
    check_name(new)
    if old == new:
        return design
    if design.size(new) is not None:
        raise FormulaError(f"There is a size “{new}” already.", None, "Choose another name.")
    design = map_formulas(design, lambda text: rename(text, old, new))
    size = design.size(old)
    if size is None:
        raise FormulaError(f"There is no size “{old}”.")
    sizes = tuple(size.with_(name=new) if size.name == old else size for size in design.sizes)
    publish = design.publish
    adjust = tuple(
        _renamed(item, publish.last, new) if item.size == old else item for item in publish.adjust
    )
    presets = tuple(
        preset.model_copy(
            update={"sizes": {new if k == old else k: v for k, v in preset.sizes.items()}}
        )
        for preset in publish.presets
    )
    sheet = _on_sheet(publish.sheet, old, new)
    publish = publish.model_copy(update={"adjust": adjust, "presets": presets, "sheet": sheet})
    table = design.table.model_copy(
        update={
            "columns": tuple(new if column == old else column for column in design.table.columns),
            "rows": tuple(
                row.model_copy(
                    update={"cells": {new if k == old else k: v for k, v in row.cells.items()}}
                )
                for row in design.table.rows
            ),
        }
    )
    return design.model_copy(update={"sizes": sizes, "publish": publish, "table": table})


def _on_sheet(sheet: DrawingSheet, old: str, new: str) -> DrawingSheet:
    """The drawing sheet with another name of a size, or without it."""
    mine = (
        item.model_copy(update={"size": new}) if item.size == old else item
        for item in sheet.dimensions
    )
    return sheet.model_copy(update={"dimensions": tuple(item for item in mine if item.size)})


def _renamed(item: Adjustable, last: Design | None, new: str) -> Adjustable:
    """With another name of its size; the one that is published already is kept beside it."""
    known = last is not None and any(one.size == item.size for one in last.publish.adjust)
    formerly = tuple(name for name in item.formerly if name != new)
    if known and item.size not in formerly:
        formerly = (*formerly, item.size)
    return item.model_copy(update={"size": new, "formerly": formerly})


def move_size(design: Design, name: str, to: int, group: str | None = None) -> Design:
    """Put a size at another place in the order, and into another group if one is given."""
    size = design.size(name)
    if size is None:
        raise FormulaError(f"There is no size “{name}”.")
    rest = [other for other in design.sizes if other.name != name]
    moved = size if group is None else size.model_copy(update={"group": group})
    rest.insert(max(0, min(to, len(rest))), moved)
    return design.model_copy(update={"sizes": tuple(rest)})


def move_group(design: Design, group: str, before: str) -> Design:
    """Put all sizes of a group, in their order, before the first size of another group."""
    moved = [size for size in design.sizes if size.group == group]
    rest = [size for size in design.sizes if size.group != group]
    at = next((i for i, size in enumerate(rest) if size.group == before), len(rest))
    return design.model_copy(update={"sizes": (*rest[:at], *moved, *rest[at:])})


def rename_group(design: Design, old: str, new: str) -> Design:
    """Give a group another name; an empty one dissolves it."""
    sizes = tuple(
        _checked(partial(size.with_, group=new)) if size.group == old else size
        for size in design.sizes
    )
    return design.model_copy(update={"sizes": sizes})


def users_of(design: Design, name: str) -> list[str]:
    """Who uses a size, in words: other sizes by name, steps as ``step plate``, and so on."""
    users = []
    for size in design.sizes:
        if any(
            _uses(text, name)
            for text in (size.formula, size.low, size.high, size.step, size.tolerance)
        ):
            users.append(size.name)
    for step in design.steps:
        if any(_uses(text, name) for text in (step.when, *(slot.formula for slot in step.slots()))):
            users.append(f"step {step.name}")
    for row in design.table.rows:
        if any(_uses(text, name) for text in row.cells.values()):
            users.append(f"row {row.name}")
    users += [f"check {check.name}" for check in design.checks if _uses(check.formula, name)]
    return users


def rename_row(design: Design, old: str, new: str) -> Design:
    """Rename a row of the size table, also in the formulas that read it."""
    if not new.strip():
        raise FormulaError("A variant needs a name.", None, "Type one, such as Hummel 10.")
    if '"' in new or "”" in new:
        raise FormulaError("The name of a variant cannot contain quotes.", None, "Leave them out.")
    if old == new:
        return design
    if design.table.row(new) is not None:
        raise FormulaError(f"There is a variant “{new}” already.", None, "Choose another name.")
    design = map_formulas(design, lambda text: rewrite_row(text, old, new))
    rows = tuple(
        row.model_copy(update={"name": new}) if row.name == old else row
        for row in design.table.rows
    )
    current = new if design.table.current == old else design.table.current
    return put_size_table(
        design, design.table.model_copy(update={"rows": rows, "current": current})
    )


def _readers_of(design: Design, column: str) -> list[str]:
    """Users of a size that read it as a column of the size table."""
    readers: list[str] = []

    def note(text: str) -> str:
        try:
            if column in columns_in(text):
                readers.append(f"“{text}”")
        except FormulaError:
            pass
        return text

    map_formulas(design, note)
    return readers[:3]


def put_size_table(design: Design, table: SizeTable) -> Design:
    """Give the design another size table; its columns must be sizes and its cells readable.

    Raises:
        FormulaError: names the row and column of what cannot be used.
    """
    known = [size.name for size in design.sizes]
    for column in table.columns:
        if column not in known:
            raise FormulaError(
                f"There is no size “{column}” for a column.", None, did_you_mean(column, known)
            )
    for row in table.rows:
        for column, text in row.cells.items():
            if column not in table.columns:
                raise FormulaError(
                    f"Row “{row.name}” has a cell for “{column}”, which is no column."
                )
            try:
                parse(text)
            except FormulaError as error:
                raise FormulaError(
                    f"Row “{row.name}”, {column}: {error.what}", None, error.hint
                ) from None
    if table.current and table.row(table.current) is None:
        table = table.model_copy(update={"current": ""})
    changed: Design = _checked(lambda: design.with_(table=table))
    return changed


def put_cell(design: Design, row: str, column: str, formula: str) -> Design:
    """Change one cell of the size table."""
    parse(formula)
    rows = tuple(
        old.model_copy(update={"cells": {**old.cells, column: formula.strip()}})
        if old.name == row
        else old
        for old in design.table.rows
    )
    return design.model_copy(update={"table": design.table.model_copy(update={"rows": rows})})


def choose_row(design: Design, row: str) -> Design:
    """Put a row of the size table into force, or none (an empty name)."""
    if row and design.table.row(row) is None:
        raise FormulaError(
            f"The size table has no row “{row}”.",
            None,
            did_you_mean(row, [r.name for r in design.table.rows]),
        )
    return design.model_copy(update={"table": design.table.model_copy(update={"current": row})})


def _without_column(table: SizeTable, column: str) -> SizeTable:
    rows = tuple(
        row.model_copy(update={"cells": {k: v for k, v in row.cells.items() if k != column}})
        for row in table.rows
    )
    return table.model_copy(
        update={"columns": tuple(c for c in table.columns if c != column), "rows": rows}
    )


def _uses(text: str, name: str) -> bool:
    try:
        return bool(text.strip()) and name in names_in(text)
    except FormulaError:
        return False


# Formulas everywhere


def map_formulas(design: Design, change: Callable[[str], str]) -> Design:
    """Every formula of the design through a function. Which fields are formulas, the models say.
    Those of bought parts and of stencils run over their own sizes, and stay."""
    return _map(design, change).model_copy(
        update={"bought": design.bought, "stencils": design.stencils}
    )


def with_steps_renamed(step: Step, names: Mapping[str, str]) -> Step:
    """A step with several steps renamed at once, in its own name and all that it refers to."""
    if any(owner_of(new) in names for new in names.values()):
        # One is called as another was: by way of names that nobody has.
        for number, old in enumerate(names):
            step = step.with_step_renamed(old, f"@{number}")
        names = {f"@{number}": new for number, new in enumerate(names.values())}
    for old, new in names.items():
        step = step.with_step_renamed(old, new)
    return step


def is_asked(design: Design, output: str) -> bool:
    """Whether any formula of the design uses an output, such as ``cage.length``."""
    seen: list[str] = []

    def note(text: str) -> str:
        seen.append(text)
        return text

    map_formulas(design, note)
    return any(_uses(text, output) for text in seen)


def map_step(step: Step, change: Callable[[str], str]) -> Step:
    """Every formula of a step through a function."""
    return _map(step, change)


def _map(value: _F, change: Callable[[str], str]) -> _F:
    changes: dict[str, object] = {}
    for name, is_formula in _fields_of(type(value)).items():
        old = getattr(value, name)
        new = _map_field(old, change, is_formula=is_formula)
        if new is not old:
            changes[name] = new
    return value.model_copy(update=changes) if changes else value


@cache
def _fields_of(kind: type[Frozen]) -> dict[str, bool]:
    """The fields of a model, and whether each is formula text."""
    return {name: _is_formula(info) for name, info in kind.model_fields.items()}


def _is_formula(info: Any) -> bool:
    """Whether a field is declared as formula text, which is known by its bound of length."""
    return "FormulaText" in repr(info.annotation) or any(
        getattr(item, "max_length", None) == LONGEST_FORMULA for item in info.metadata
    )


def _map_field(old: Any, change: Callable[[str], str], *, is_formula: bool) -> Any:
    if isinstance(old, str):
        return change(old) if is_formula and old.strip() else old
    if isinstance(old, BaseModel):
        return _map(old, change)  # type: ignore[type-var]
    if isinstance(old, tuple):
        new = tuple(_map_field(item, change, is_formula=is_formula) for item in old)
        return new if any(a is not b for a, b in zip(new, old, strict=True)) else old
    if isinstance(old, dict):
        # The only mappings are presets and rows of the size table, name of size to formula.
        return {key: change(text) if text.strip() else text for key, text in old.items()}
    return old


# Steps


def get_path(step: Frozen, path: str) -> Any:
    """A field of a step by its path: ``by``, ``shapes.0.width``."""
    value: Any = step
    for part in path.split("."):
        value = value[int(part)] if isinstance(value, tuple) else getattr(value, part)
    return value


def _put_path(value: Any, parts: list[str], new: Any) -> Any:
    if not parts:
        return new
    head, *rest = parts
    if isinstance(value, tuple):
        i = int(head)
        return (*value[:i], _put_path(value[i], rest, new), *value[i + 1 :])
    return value.with_(**{head: _put_path(getattr(value, head), rest, new)})


def change_step(design: Design, name: str, path: str, new: Any) -> Design:
    """Change one field of a step, given by its path."""
    step = design.step(name)
    if step is None:
        raise FormulaError(f"There is no step “{name}”.")
    changed = _checked(lambda: _put_path(step, path.split("."), new))
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


def add_part(design: Design, title: str) -> tuple[Design, str]:
    """Add a part of this title; also its name."""
    name = "_".join(title.split()).lower()
    check_name(name)
    if any(part.name == name for part in design.parts):
        raise FormulaError(f"There is a part “{name}” already.", None, "Choose another name.")
    return design.model_copy(
        update={"parts": (*design.parts, Part(name=name, title=title.strip()))}
    ), name


def group_steps(design: Design, names: Collection[str], group: str) -> Design:
    """Put steps under a heading, or under none."""
    steps = tuple(
        s.model_copy(update={"group": group.strip()}) if s.name in names else s
        for s in design.steps
    )
    return design.model_copy(update={"steps": steps})


def put_screws(design: Design, rows: Sequence[tuple[float, float, float, float, str]]) -> Design:
    """State clearance holes beside those of the standard: nominal, fine, medium, coarse in mm, and
    where from.

    Raises:
        FormulaError: where one is no screw.
    """
    screws = tuple(
        _checked(partial(ScrewRow, nominal=n, fine=f, medium=m, coarse=c, source=source))
        for n, f, m, c, source in rows
    )
    return design.model_copy(update={"screws": screws})


def make_of(design: Design, part: str, material: str, density: float | None = None) -> Design:
    """State what a part is made of; an empty material is that of the process."""
    changes = {"material": material, "density": density}
    parts = tuple(
        _checked(partial(p.with_, **changes)) if p.name == part else p for p in design.parts
    )
    return design.model_copy(update={"parts": parts})


def make_by(design: Design, part: str, process: str) -> Design:
    """State by which process a part is made; an empty name is that of the design."""
    parts = tuple(p.with_(process=process) if p.name == part else p for p in design.parts)
    return design.model_copy(update={"parts": parts})


def cut_by(design: Design, part: str, process: str) -> Design:
    """State by which process the blank of a folded part is cut; an empty name says nothing."""
    parts = tuple(p.with_(cut_by=process) if p.name == part else p for p in design.parts)
    return design.model_copy(update={"parts": parts})


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
