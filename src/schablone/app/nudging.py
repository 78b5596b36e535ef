"""Values that are changed by dragging: a size by its step, a dimension that is shown on the part,
or the size that it is."""

from __future__ import annotations

import re

from ..core.design import Size
from ..core.design import edit as edits
from ..core.formula import FormulaError
from ..core.quantity import ANGLE, COUNT, LENGTH, UNITS, Kind, plain
from .session import Session

#: A number as people type it, with its unit.
TYPED = re.compile(r"^\s*-?\s*[\d.\s/-]+?\s*([^\W\d][\w²³/^%]*|[\"'°%])?\s*$")


def nudge_size(session: Session, name: str, steps: int) -> bool:
    """Change a size by so many of its steps, within its limits; whether it changed."""
    size, cell = session.design.size(name), session.table.cells.get(name)
    if size is None or cell is None:
        return False
    value = cell.wanted.value + steps * _step(session, size, cell.wanted.kind)
    if cell.low is not None:
        value = max(cell.low, value)
    if cell.high is not None:
        value = min(cell.high, value)
    text = _typed(value, session.design.formula_of(size))
    return session.edit(
        lambda design: edits.set_formula(design, name, text), f"{name} = {text}", f"drag {name}"
    )


def nudge_figure(session: Session, step: str, path: str, steps: int) -> bool:
    """Change a dimension of a step by so many steps, or the size that it is; says why not, where it
    is worked out."""
    current = session.design.step(step)
    slot = next((one for one in current.slots() if one.path == path), None) if current else None
    if slot is None:
        return False
    size = session.design.size(slot.formula.strip())
    if size is not None and TYPED.match(session.design.formula_of(size)):
        return nudge_size(session, size.name, steps)
    if not TYPED.match(slot.formula) or slot.kind not in (LENGTH, ANGLE, COUNT):
        session.said.emit(f"{slot.label} is worked out: {slot.formula}. Change what it hangs on.")
        return False
    try:
        now = session.table.compile(slot.formula, slot.kind).value(session.table.env()).value
    except FormulaError:
        return False
    # A length that is above zero stays so: below it most steps cannot be made.
    value = max(now + steps, 1.0) if now > 0 else now + steps
    text = _typed(value, slot.formula)
    return session.edit(
        lambda design: edits.change_step(design, step, path, text),
        f"{slot.label} = {text}",
        f"drag {step} {path}",
    )


def _typed(value: float, like: str) -> str:
    """A value with the unit that a formula was typed with."""
    match = TYPED.match(like)
    unit = (match[1] or "") if match else ""
    factor = float(UNITS[unit].factor) if unit in UNITS else 1.0
    return f"{plain(value / factor, 6)} {unit}".strip()


def _step(session: Session, size: Size, kind: Kind) -> float:
    if size.step.strip():
        try:
            return float(session.table.compile(size.step, kind).value(session.table.env()).value)
        except FormulaError:
            pass
    return 1.0
