"""Edits of sizes and of their groups."""

from __future__ import annotations

from functools import partial

from ...formula import FormulaError, rename
from ...formula.parse import check_name, parse
from ...formula.rewrite import put_in_place
from ..model import Adjustable, Design, DrawingSheet, Size
from .formulas import checked, map_formulas, uses
from .rows import put_cell, readers_of, without_column


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
    changed: Size = checked(lambda: size.with_(**changes))
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
    size: Size = checked(lambda: Size(name=name, formula=formula.strip(), group=group))
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
        readers = readers_of(design, name)
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
        table = without_column(table, name)
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
        checked(partial(size.with_, group=new)) if size.group == old else size
        for size in design.sizes
    )
    return design.model_copy(update={"sizes": sizes})


def users_of(design: Design, name: str) -> list[str]:
    """Who uses a size, in words: other sizes by name, steps as ``step plate``, and so on."""
    users = []
    for size in design.sizes:
        if any(
            uses(text, name)
            for text in (size.formula, size.low, size.high, size.step, size.tolerance)
        ):
            users.append(size.name)
    for step in design.steps:
        if any(uses(text, name) for text in (step.when, *(slot.formula for slot in step.slots()))):
            users.append(f"step {step.name}")
    for row in design.table.rows:
        if any(uses(text, name) for text in row.cells.values()):
            users.append(f"row {row.name}")
    users += [f"check {check.name}" for check in design.checks if uses(check.formula, name)]
    return users
