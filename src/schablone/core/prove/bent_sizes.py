"""How sure the sizes are that a bend comes out at: heights of flanges, lengths of hems, angles."""

from __future__ import annotations

from ..design.model import Design
from ..formula import FormulaError
from ..formula.value_table import ValueTable
from ..process.bend_chart import bend_figures
from ..process.model import Process
from ..process.sure import HOLDS_95, Sure, holds_95
from ..quantity import LENGTH
from ..steps.base import Step
from ..steps.hem import Hem
from ..steps.sheet import Sheet


def bent_sure(
    design: Design, size: str, process: Process, table: ValueTable
) -> tuple[str, Sure] | None:
    """Whether a size that a step bends to is a ``leg`` or an ``angle``, and how sure it is: of the
    machine on the whole, and of the next piece, mm or degrees, by the row of the chart that makes
    it. None for every other size, and for machines that do not fold."""
    if process.family != "fold":
        return None
    for step in design.steps:
        kinds = [kind for path, kind in step.bent_to().items() if _says(step, path) == size]
        sheet = next((part for part in design.parts_of(step)), "")
        thick = _thickness(design, sheet, table) if kinds else 0.0
        if not thick:
            continue
        part = next(part for part in design.parts if part.name == sheet)
        angle = table.compile(getattr(step, "angle", "180 deg")).value(table.env()).value
        radius = _radius(step, table)
        row = bend_figures(process, part.made_of(process)[0], thick, angle, radius).known
        if row is None:
            return kinds[0], Sure(0.0, 0.0, False)
        mean, piece = row.of_angle(angle) if kinds[0] == "angle" else row.of_leg(angle)
        # The report takes what holds 95 of 100 as for many readings: few strips say less.
        wider = holds_95(row.freedom) / HOLDS_95
        return kinds[0], Sure(mean * wider, piece * wider, True)
    return None


def _radius(step: Step, table: ValueTable) -> float | None:
    """The inside radius that a step asks for, mm; None where it takes the machine's usual one."""
    if isinstance(step, Hem):
        pressed = step.form == "closed"
        return 0.0 if pressed else table.compile(step.gap, LENGTH).value(table.env()).value / 2
    if getattr(step, "radius_by", "machine") == "machine":
        return None
    return float(table.compile(str(getattr(step, "radius", "")), LENGTH).value(table.env()).value)


def _says(step: Step, path: str) -> str:
    return str(getattr(step, path, "")).strip()


def _thickness(design: Design, part: str, table: ValueTable) -> float:
    """The thickness of the sheet that a part is folded from, mm; 0 where there is none."""
    for step in design.steps:
        if isinstance(step, Sheet) and step.part == part:
            try:
                return table.compile(step.thickness, LENGTH).value(table.env()).value
            except FormulaError:
                return 0.0
    return 0.0
