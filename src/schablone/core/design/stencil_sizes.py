"""The sizes that steps need from outside when they become a stencil: which are open, and which
follow from others."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from ..formula.errors import FormulaError
from ..formula.rewrite import columns_in, names_in, replace_names
from ..formula.value_table import ValueTable
from ..kernel.naming import owner_of
from ..quantity import formula_of
from ..reuse import HOST, StencilSize
from ..steps.base import Step
from .model import Design, Size


@dataclass(frozen=True, slots=True)
class Asked:
    """A size that the steps need from outside: what it is called in the stencil, the formula of the
    design that it stands for, its value there, and whether it is suggested to be open."""

    name: str
    formula: str
    value: str
    open: bool = True


def renames(names: Mapping[str, str]) -> Callable[[str], str]:
    """What puts other names into a formula."""
    return lambda text: replace_names(text, lambda node: names.get(node.name))


def _used(steps: list[Step], own: set[str]) -> dict[str, None]:
    """The names that formulas of the steps use, of sizes and of steps that are none of them."""
    used: dict[str, None] = {}
    for step in steps:
        texts = [(step.when, set[str]())]
        texts += [(slot.formula, set(step.runs_over(slot.path))) for slot in step.slots()]
        for text, runs_over in texts:
            if text.strip():
                used |= dict.fromkeys(
                    name
                    for name in sorted(names_in(text))
                    if name not in runs_over
                    and name not in ("pi", "yes", "no")
                    and owner_of(name) not in own
                )
    return used


def asked_sizes(
    design: Design, steps: list[Step], table: ValueTable, opens: Mapping[str, bool]
) -> tuple[list[StencilSize], tuple[Asked, ...], dict[str, str], list[str]]:
    """The sizes of the stencil, what they stand for, what each is called in it, what is missing.

    A size that follows from others which the steps use as well goes on following from them; all
    else is open.
    """
    own = {step.name for step in steps} | {HOST}
    direct = _used(steps, own)
    names: dict[str, str] = {}
    for name in direct:
        plain = name.replace(".", "_")
        while plain in names.values() or plain in own:
            plain += "_"
        names[name] = plain
    sizes: list[StencilSize] = []
    asked: list[Asked] = []
    missing: list[str] = []
    for name in _in_order(design, direct):
        size = design.size(name)
        cell = table.cells.get(name)
        if cell is None:
            missing.append(f"“{name}” has no value, so nothing can be open with it.")
            continue
        value = formula_of(cell.wanted.value, cell.wanted.kind)
        follows = size is not None and _follows(design, size, direct)
        is_open = opens.get(name, not follows)
        formula = value
        if size is not None and (follows or _is_plain(design.formula_of(size))):
            formula = renames(names)(design.formula_of(size))
        if not is_open and not follows:
            formula = value
        asked.append(Asked(names[name], name, value, is_open))
        low, high = (
            (_bound(size.low, names), _bound(size.high, names)) if size is not None else ("", "")
        )
        sizes.append(
            StencilSize(
                name=names[name],
                formula=formula,
                open=is_open,
                note=size.note if size is not None else "",
                low=low,
                high=high,
            )
        )
    return sizes, tuple(asked), names, missing


def _in_order(design: Design, names: Mapping[str, None]) -> list[str]:
    """As the sizes stand in the design, outputs of steps last."""
    place = {size.name: k for k, size in enumerate(design.sizes)}
    return sorted(names, key=lambda name: (place.get(name, len(place)), name))


def _is_plain(formula: str) -> bool:
    """Whether a formula uses nothing else, and so holds anywhere."""
    try:
        return not names_in(formula) and not columns_in(formula)
    except FormulaError:
        return False


def _follows(design: Design, size: Size, used: Mapping[str, None]) -> bool:
    """Whether a size follows from others that the steps use, and from nothing else."""
    try:
        names = names_in(design.formula_of(size)) - {"pi", "yes", "no"}
        return bool(names) and names <= set(used) and not columns_in(design.formula_of(size))
    except FormulaError:
        return False


def _bound(text: str, names: Mapping[str, str]) -> str:
    """A limit, where all that it uses is in the stencil."""
    try:
        used = names_in(text) if text.strip() else frozenset[str]()
    except FormulaError:
        return ""
    return renames(names)(text) if used <= set(names) | {"pi"} else ""
