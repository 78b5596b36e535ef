"""Every size through the three lenses: wanted, sent, expected."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from ..formula import FormulaError
from ..formula.value_table import Cell, ValueTable
from ..process.correction import Correction
from ..process.lens import LensView
from ..process.model import Process, neutral
from ..quantity import LENGTH, Quantity
from .built import Rebuilt
from .measures import Measures, PartMeasure
from .model import Design


@dataclass(frozen=True, slots=True)
class LensRow:
    """One size through the lenses, in base units, on the process that makes what it is a measure
    of.

    ``share`` is what share of it the step's length is that it is read off (a half for a radius),
    ``drawn`` that length as formulas give it under Sent, mm.
    """

    name: str
    wanted: Quantity
    sent: Quantity
    expected: Quantity
    measure: PartMeasure
    process: Process
    share: float = 1.0
    drawn: float = 0.0

    @property
    def difference(self) -> float:
        """By how much what is expected is larger than what is wanted, in the unit of both."""
        return self.expected.value - self.wanted.value

    @property
    def is_made(self) -> bool:
        """Whether it is a length that the machine makes."""
        return self.wanted.kind == LENGTH and bool(self.measure.correction.axes)


#: Processes of parts beside the design's, each with the sheet as it is under it.
Machines = Mapping[str, tuple[Process, ValueTable]]


def machines_of(built: Rebuilt) -> Machines:
    """By part, the process and the table of those parts that have a process of their own."""
    return {part: (process, built.sheets[process.name]) for part, process in built.view.own}


def lens_table(
    design: Design,
    measures: Measures,
    process: Process,
    table: ValueTable,
    own: Machines | None = None,
) -> list[LensRow]:
    """Every size that has a value and of which is known what it measures, through the lenses, in
    the order of the design.

    A size along both the bed and the height shrinks by different shares; it is shown as along the
    bed. A size that is a measure in several ways (of a hole here and of a peg there), or of parts
    made by different processes (``own``), has a row for each. What a printer makes of a length that
    is ``unclear`` nobody works out: it has none.
    """
    rows = []
    for size in design.sizes:
        by_machine: dict[str, tuple[Process, ValueTable, list[PartMeasure]]] = {}
        for measure in measures.of.get(size.name, ()):
            # A measure of a part is one on the machine that makes that part, and on no other.
            for part in sorted(measure.parts) or [""]:
                machine, mine = (own or {}).get(part, (process, table))
                known = by_machine.setdefault(machine.name, (machine, mine, []))[2]
                if measure not in known:
                    known.append(measure)
        for machine, mine, each in by_machine.values():
            known = [m for m in each if not m.unclear or not _acts_on_all(machine)]
            if size.name in mine.cells and known:
                rows += _different(
                    [
                        _row(design, measures, size.name, machine, mine, m)
                        for m in _made(known, machine)
                    ]
                )
    return rows


def _acts_on_all(machine: Process) -> bool:
    """Whether it acts on every length: what cuts or folds acts on outlines and blanks only."""
    return machine.family == "print" and machine != neutral()


def _different(rows: list[LensRow]) -> list[LensRow]:
    """The rows of one size on one machine without those that say the same."""
    told = {
        (round(row.sent.value, 9), round(row.expected.value, 9), row.measure.correction.side): row
        for row in rows[::-1]
    }
    return [row for row in rows if row in told.values()]


def _made(measures: list[PartMeasure], process: Process) -> list[PartMeasure]:
    """The measures that a machine makes differ: to one that cuts the thickness of its stock is what
    it is."""
    if process.family == "cut" and any(measure.thick for measure in measures):
        thick = next(measure for measure in measures if measure.thick)
        return [replace(thick, correction=Correction(thick.correction.axes))]
    if process.family == "fold":
        return [measures[0]]
    return measures


def _row(
    design: Design,
    measures: Measures,
    name: str,
    process: Process,
    table: ValueTable,
    measure: PartMeasure,
) -> LensRow:
    cell = table.cells[name]
    correction = measure.correction
    if cell.wanted.kind != LENGTH or not correction.axes:
        return LensRow(name, cell.wanted, cell.wanted, cell.wanted, measure, process)
    wanted, drawn = _lengths(measure, cell, table)
    share = wanted / cell.wanted.value if measure.formula and cell.wanted.value else 1.0
    cut = (
        cut_sheet(measures, measure.parts, process)
        if process.family == "cut" and correction.gains
        else ("", 0.0)
    )
    cells = []
    for view in (design.seen("sent", process), design.seen("expected", process)):
        moved = view.moved_off(*cut) if cut[1] else 0.0
        cells.append(Quantity(view.of(wanted, drawn, correction, moved) / share, LENGTH))
    return LensRow(name, cell.wanted, cells[0], cells[1], measure, process, share, drawn)


def _lengths(measure: PartMeasure, cell: Cell, table: ValueTable) -> tuple[float, float]:
    """The length that a step makes of a size, mm, as wanted and as it is drawn under Sent; those of
    the size itself where no step tells, or where no drawing would do."""
    if measure.formula and cell.wanted.value != 0:
        try:
            compiled = table.compile(measure.formula, LENGTH)
            wanted = compiled.value(table.env()).value
            if wanted != 0:
                return wanted, compiled.value(table.env(sent=True)).value
        except FormulaError:
            pass
    return cell.wanted.value, cell.sent.value


def cut_sheet(measures: Measures, parts: Iterable[str], process: Process) -> tuple[str, float]:
    """The material and thickness, mm, of the sheet that parts are cut from; a thickness of 0 where
    none is flat."""
    known = [measures.sheets[part] for part in sorted(parts) if part in measures.sheets]
    return known[0] if known else (process.material.name, 0.0)


def seen_through(
    design: Design,
    measures: Measures,
    view: LensView,
    table: ValueTable,
    own: Machines | None = None,
) -> dict[str, tuple[Quantity, ...]]:
    """The values of every size in one view: one, but for a size that is several measures, such as
    of a hole here and of a peg there, those of each. Under another lens than Wanted a size is left
    out as long as nothing is known of what it measures."""
    if view.lens == "wanted":
        return {
            size.name: (table.cells[size.name].wanted,)
            for size in design.sizes
            if size.name in table.cells
        }
    seen: dict[str, dict[float, Quantity]] = {}
    for row in lens_table(design, measures, view.process, table, own):
        value = row.sent if view.lens == "sent" else row.expected
        seen.setdefault(row.name, {}).setdefault(round(value.value, 9), value)
    return {name: tuple(values.values()) for name, values in seen.items()}
