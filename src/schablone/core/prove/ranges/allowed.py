"""What may vary: the sizes that an edition lets others adjust, each within its limits; the rows of
the size table; the machines that the design is something for.

Limits may be formulas of other sizes, so how far a size reaches is known at a point only: it is
placed by its share of the way from its lower to its upper limit there.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ...design.edit import choose_row
from ...design.evaluate import table_of, with_given
from ...design.model import Design
from ...design.offered import suitable, with_edition_limits
from ...formula import FormulaError
from ...formula.rewrite import is_number
from ...formula.value_table import ValueTable, names_of
from ...process.model import Process
from ...quantity import ANGLE, COUNT, LENGTH, TRUTH, Kind, Quantity, formula_of, say
from .told import PointTold

#: Lengths and angles that are chosen at random have so many decimal places, as people type them.
_PLACES = 2
#: So often limits that hang on each other are looked at anew.
_ROUNDS = 4
#: A value this near to a limit, as a share of it, is at it.
_AT = 1e-9


@dataclass(frozen=True, slots=True)
class Span:
    """A size that may vary: its kind, its value as published, its limits then, and by how much it
    is stepped; 0 where nobody says."""

    name: str
    kind: Kind
    now: float
    low: float
    high: float
    step: float = 0.0


@dataclass(frozen=True, slots=True)
class Point:
    """One build: values of sizes by name, in base units, the row of the size table (empty for none)
    and the process. ``why`` says what it is built for."""

    values: tuple[tuple[str, float], ...]
    row: str
    process: str
    why: str = field(default="", compare=False)

    def with_values(self, values: Mapping[str, float], why: str = "") -> Point:
        """The same with other values of some sizes."""
        return Point(tuple({**dict(self.values), **values}.items()), self.row, self.process, why)

    def value(self, name: str) -> float:
        """The value of a size, in the unit of its kind.

        Raises:
            KeyError: where the size does not vary.
        """
        return dict(self.values)[name]


def point_as_data(point: Point) -> PointTold:
    """A point as plain data."""
    return {
        "values": dict(point.values),
        "row": point.row,
        "process": point.process,
        "why": point.why,
    }


def point_from(data: PointTold) -> Point:
    """What :func:`point_as_data` gave."""
    values = tuple((str(name), float(value)) for name, value in data["values"].items())
    return Point(values, str(data["row"]), str(data["process"]), str(data["why"]))


@dataclass(frozen=True, slots=True)
class Allowed:
    """All that may vary of a design. ``design`` has the limits of its edition. ``rows`` and
    ``processes`` begin with those in force; ``untold`` says in words what is adjusted and could not
    be varied."""

    design: Design
    spans: tuple[Span, ...]
    rows: tuple[str, ...]
    processes: tuple[Process, ...]
    kinds: Mapping[str, Kind]
    known: tuple[Process, ...] = ()
    untold: tuple[str, ...] = ()

    def process(self, name: str) -> Process:
        """The machine of a name."""
        return next(process for process in self.processes if process.name == name)

    def span(self, name: str) -> Span:
        """What a size may be."""
        return next(span for span in self.spans if span.name == name)

    def given(self, point: Point) -> dict[str, str]:
        """The values of a point as formulas."""
        return {name: formula_of(value, self.kinds[name]) for name, value in point.values}

    def in_row(self, point: Point) -> Design:
        """The design with the row of the size table that a point takes."""
        return choose_row(self.design, point.row) if point.row else self.design

    @property
    def as_published(self) -> Point:
        """The point at which all sizes are as they are published."""
        values = tuple((span.name, span.now) for span in self.spans)
        return Point(values, self.rows[0], self.processes[0].name, "as it is")


def allowed_of(design: Design, process: Process, known: Sequence[Process] = ()) -> Allowed:
    """What may vary of a design on a process, and on those ``known`` that it is something for too.

    Where nothing is published yet, these are the sizes that somebody set and gave two limits.
    """
    design = with_edition_limits(design)
    machines = [process, *(one for one in suitable(design, known) if one.name != process.name)]
    if process.name not in {one.name for one in known} or not design.process:
        machines = [process]  # a machine of nobody's, or one for trying something out
    table = table_of(design, process)
    spans, untold = [], []
    for name in _adjusted(design, table):
        span = _span(design, name, table)
        if isinstance(span, Span):
            spans.append(span)
            asked = table.cells[name].asked.value
            if asked != span.now:
                now = say(Quantity(asked, span.kind), design.units)
                untold.append(f"“{name}” is {now}, outside of its own limits, and is held there")
        else:
            untold.append(span)
    current = design.table.current
    rows = [row.name for row in design.table.rows if row.name != current]
    mine = (current, *rows) if design.table.row(current) else ("",)
    kinds = {name: cell.asked.kind for name, cell in table.cells.items()}
    return Allowed(design, tuple(spans), mine, tuple(machines), kinds, tuple(known), tuple(untold))


def _adjusted(design: Design, table: ValueTable) -> list[str]:
    if design.publish.adjust:
        return list(dict.fromkeys(item.size for item in design.publish.adjust))
    return [
        size.name
        for size in design.sizes
        if size.low and size.high and not names_of(design.formula_of(size))
    ]


def _span(design: Design, name: str, table: ValueTable) -> Span | str:
    """What a size may be; or why it is not varied, in words."""
    size, cell = design.size(name), table.cells.get(name)
    if size is None:
        return f"“{name}” is no size"
    if cell is None:
        return f"“{name}” has no value yet"
    kind, now = cell.wanted.kind, cell.wanted.value
    if kind == TRUTH:
        return Span(name, kind, now, 0.0, 1.0, 1.0)
    if cell.low is None or cell.high is None:
        return f"“{name}” has no lower or no upper limit"
    if not (math.isfinite(cell.low) and math.isfinite(cell.high)) or cell.low > cell.high:
        return f"the limits of “{name}” leave nothing between them"
    step = 1.0 if kind == COUNT else 0.0
    if size.step.strip():
        try:
            step = abs(table.compile(size.step).value(table.env()).value) or step
        except FormulaError:
            pass  # told where the size stands
    return Span(name, kind, now, cell.low, cell.high, step)


class Sheets:
    """The sheet of sizes at any point of what is allowed. Sheets are worked out from one another,
    so that a point costs what hangs on the sizes that differ."""

    def __init__(self, allowed: Allowed) -> None:
        self.allowed = allowed
        self._bases: dict[tuple[str, str], tuple[Design, ValueTable]] = {}
        #: Whether limits of what varies are formulas: of other sizes, or of the machine.
        named = [allowed.design.size(span.name) for span in allowed.spans]
        texts = [text for size in named if size for text in (size.low, size.high) if text]
        self.limits_vary = not all(is_number(text) for text in texts)

    def at(self, point: Point, measured: Mapping[str, float] | None = None) -> ValueTable:
        """The sheet there; ``measured`` is what steps have read off the part."""
        allowed, given = self.allowed, self.allowed.given(point)
        if measured:
            return table_of(allowed.in_row(point), allowed.process(point.process), given, measured)
        key = point.row, point.process
        if key not in self._bases:
            design, process = allowed.in_row(point), allowed.process(point.process)
            first = {**allowed.given(allowed.as_published), **given}
            self._bases[key] = design, table_of(design, process, first)
        design, base = self._bases[key]
        changed = {**allowed.given(allowed.as_published), **given}
        table = with_given(base, design, changed)
        if table is not None:
            return table
        return table_of(design, allowed.process(point.process), given)

    def variant(self, row: str, process: str) -> Point:
        """The point with a row of the size table, which says what the sizes in its columns are."""
        allowed = self.allowed
        point = Point(allowed.as_published.values, row, process, "a variant")
        table = table_of(allowed.in_row(point), allowed.process(process))
        return point.with_values(
            {
                span.name: table.cells[span.name].asked.value
                for span in allowed.spans
                if span.name in table.cells
            },
            "a variant",
        )

    def placed(self, shares: Mapping[str, float], row: str, process: str, why: str) -> Point | None:
        """The point at shares, 0 to 1, of the way from the lower to the upper limit of each size;
        those without a share are as published. None where the limits leave nothing."""
        allowed = self.allowed
        point = allowed.as_published
        point = Point(point.values, row, process, why)
        ends = {span.name: (span.low, span.high) for span in allowed.spans}
        for _ in range(_ROUNDS):
            values = {
                span.name: rounded(
                    span, *ends[span.name], ends[span.name][0]
                    + shares[span.name] * (ends[span.name][1] - ends[span.name][0]),
                )
                if span.name in shares
                else min(max(span.now, ends[span.name][0]), ends[span.name][1])
                for span in allowed.spans
            }  # fmt: skip
            fresh = point.with_values(values, why)
            if not self.limits_vary:
                return fresh
            settled, point = fresh == point, fresh
            ends = self._ends(point)
            if any(low > high for low, high in ends.values()):
                return None
            if settled:
                return point
        return point if self.is_allowed(point) else None

    def _ends(self, point: Point) -> dict[str, tuple[float, float]]:
        table = self.at(point)
        ends = {}
        for span in self.allowed.spans:
            cell = table.cells.get(span.name)
            low = span.low if cell is None or cell.low is None else cell.low
            high = span.high if cell is None or cell.high is None else cell.high
            ends[span.name] = (low, high)
        return ends

    def is_allowed(self, point: Point) -> bool:
        """Whether all sizes are within their limits there."""
        if not self.limits_vary:
            ends = {span.name: (span.low, span.high) for span in self.allowed.spans}
        else:
            ends = self._ends(point)
        for name, value in point.values:
            if name in ends:
                low, high = ends[name]
                if not low - _AT * abs(low) <= value <= high + _AT * abs(high):
                    return False
        return True


def rounded(span: Span, low: float, high: float, value: float) -> float:
    """A value as people choose it: whole for counts, by the size's step where it has one; the
    limits themselves stay as they are."""
    if value in (low, high):
        return value if span.kind != COUNT else float(round(value))
    if span.kind in (COUNT, TRUTH):
        return float(round(value))
    if span.step > 0 and span.step <= (high - low) / 8:
        value = low + round((value - low) / span.step) * span.step
    if span.kind in (LENGTH, ANGLE):
        value = round(value, _PLACES)
    return min(max(value, low), high)
