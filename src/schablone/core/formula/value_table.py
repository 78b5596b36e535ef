"""The sheet: named formulas that depend on each other, evaluated in the order of their
dependencies.

The sheet knows nothing of designs. It takes entries (a name, a formula or a function that works out
several outputs, what kind is wanted, limits) and returns values or problems for each.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

from ..problem import Problem
from ..quantity import COUNT, ZERO, Kind, Quantity
from .compile import compile_formula
from .env import Compiled, Env, Spent
from .errors import FormulaError
from .habits import Habits, Screws
from .parse import parse
from .rewrite import columns_in, names_in
from .sampling import nodes, panel_nodes
from .tables import Column


@dataclass(frozen=True, slots=True)
class Limits:
    """The range of an entry, each end a formula or empty, and what happens outside it."""

    low: str = ""
    high: str = ""
    policy: str = "stop"


@dataclass(frozen=True, slots=True)
class Entry:
    """One named formula of the sheet. ``kind`` None leaves the kind to the formula."""

    name: str
    formula: str
    limits: Limits = Limits()
    kind: Kind | None = None


@dataclass(frozen=True, slots=True)
class Working:
    """A step that works out outputs from formulas, such as a row its count.

    ``formulas`` maps a field to its text; ``work`` gets their values by field and returns the
    outputs, or raises ValueError with words. ``outputs`` gives each output's kind. ``over`` names
    for a field that is a formula of a parameter that parameter and the fields of its range; its
    values are given as ``field@0`` … Where the condition ``when`` does not hold, or ``on`` is
    false, nothing is worked out and nothing is wrong with it.
    """

    step: str
    formulas: Mapping[str, str]
    wanted: Mapping[str, Kind | None]
    outputs: Mapping[str, Kind]
    work: Callable[[Mapping[str, float]], Mapping[str, float]]
    over: Mapping[str, tuple[str, str, str]] = field(default_factory=dict)
    when: str = ""
    on: bool = True


@dataclass(frozen=True, slots=True)
class Cells:
    """A column of the size table that formulas may read: a formula for each row, by the row's
    name."""

    name: str
    formulas: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Parameter:
    """What a formula runs over: its name, its kind, and where from and to in base units."""

    name: str
    kind: Kind
    first: float
    last: float


@dataclass(frozen=True, slots=True)
class Cell:
    """What became of an entry: its value in force, and the value asked for where limits changed
    it."""

    wanted: Quantity
    sent: Quantity
    asked: Quantity
    low: float | None = None
    high: float | None = None
    held_at: str = ""
    side: str = ""


Evaluable = Entry | Working | Cells


#: The field of a problem with a cell of the size table.
IN_TABLE = "table"


@dataclass(slots=True)
class ValueTable:
    """Values of all names that could be worked out, problems of the others."""

    cells: dict[str, Cell] = field(default_factory=dict)
    kinds: dict[str, Kind] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    uses: dict[str, frozenset[str]] = field(default_factory=dict)
    habits: Habits | None = None
    nodes: dict[str, Evaluable] = field(default_factory=dict)
    columns: Mapping[str, Cells] = field(default_factory=dict)
    plan: Mapping[str, int] = field(default_factory=dict)
    followers: Mapping[str, Sequence[str]] = field(default_factory=dict)
    looping: frozenset[str] = frozenset()
    idle: dict[str, str] = field(default_factory=dict)
    #: What sums and products took while the sheet was worked out; what is asked of it later, one
    #: formula at a time, has a limit of its own.
    spent: Spent | None = None
    #: How many terms each took, by its name; and whether all together were too many.
    terms: dict[str, int] = field(default_factory=dict)
    overspent: bool = False
    _wanted: dict[str, float] = field(default_factory=dict)
    _sent: dict[str, float] = field(default_factory=dict)
    _wanted_columns: dict[str, Column] = field(default_factory=dict)
    screws: Screws = field(default_factory=dict)
    _sent_columns: dict[str, Column] = field(default_factory=dict)

    @property
    def reads_columns(self) -> bool:
        """Whether a formula reads a column of the size table."""
        return bool(self._wanted_columns)

    def env(self, *, sent: bool = False) -> Env:
        """What formulas are evaluated in, under the lens *Wanted* or *Sent*."""
        uncorrected = _Uncorrected(self.habits) if self.habits else None
        wanted = Env(
            self._wanted, uncorrected, columns=self._wanted_columns, screws=self.screws,
            spent=self.spent,
        )  # fmt: skip
        return (
            Env(
                self._sent,
                self.habits,
                wanted,
                columns=self._sent_columns,
                screws=self.screws,
                spent=self.spent,
            )
            if sent
            else wanted
        )

    def compile(
        self, text: str, wanted: Kind | None = None, over: Mapping[str, Kind] | None = None
    ) -> Compiled:
        """Compile a formula that uses names of this sheet, and of what it runs over, and check its
        kind.

        Raises:
            FormulaError: also where a name it uses has a problem of its own.
        """
        names = names_of(text)
        if names is None:
            parse(text)
            names = frozenset()
        over = over or {}
        if not names <= self.cells.keys():
            for name in sorted(names - self.cells.keys()):
                if name in self.uses and name not in over:
                    base = name.split(".")[0]
                    if base in self.idle:
                        raise FormulaError(
                            f"“{base}” {self.idle[base]}, and works out nothing.",
                            None,
                            "Let the formula do without it, or let the step be made.",
                            base,
                        )
                    raise FormulaError(
                        f"This waits for “{base}”, which has a problem.", None, "", base
                    )
        kinds = {**self.kinds, **over} if over else self.kinds
        compiled = compile_formula(text, kinds, self._column_kinds(text) if self.columns else None)
        if wanted is not None and compiled.kind not in (wanted, ZERO):
            raise FormulaError(
                _wrong_kind(text, compiled.kind, wanted),
                (0, len(text)),
                mend_kind(compiled.kind, wanted),
            )
        return compiled

    def sample(
        self,
        text: str,
        wanted: Kind | None,
        parameter: Parameter,
        *,
        sent: bool = False,
        panels: bool = False,
    ) -> list[float]:
        """Values of a formula at the nodes of a parameter's range, or at those of its panels, in
        base units.

        Raises:
            FormulaError: for a formula of another kind, or one that has no value somewhere on the
            way.
        """
        if parameter.first == parameter.last:
            raise FormulaError(
                f"“{parameter.name}” runs from {parameter.first:g} to itself.",
                None,
                "Give it a range.",
            )
        compiled = self.compile(text, wanted, {parameter.name: parameter.kind})
        inner, give = self.env(sent=sent).within(parameter.name)
        samples = []
        spread = panel_nodes if panels else nodes
        for value in spread(parameter.first, parameter.last).tolist():
            give(value)
            samples.append(compiled.value(inner).value)
        return samples

    def each(
        self, text: str, wanted: Kind | None, names: Sequence[str], keys: Sequence[Sequence[int]]
    ) -> list[float]:
        """Values of a formula of whole numbers, one for each of the keys, in base units and as
        wanted.

        Raises:
            FormulaError: for a formula of another kind, or one that has no value for a key.
        """
        compiled = self.compile(text, wanted, dict.fromkeys(names, COUNT))
        outer = self.env()
        values = dict(outer.values)
        inner = Env(values, outer.habits, columns=outer.columns, screws=outer.screws)
        results = []
        for key in keys:
            values |= {name: float(number) for name, number in zip(names, key, strict=True)}
            results.append(compiled.value(inner).value)
        return results

    def _column_kinds(self, text: str) -> Mapping[str, Kind]:
        """Kinds of all columns; those that the formula reads are worked out where that has not
        happened yet."""
        for name in sorted(columns_of(text)):
            if name in self.columns and name not in self._wanted_columns:
                self.work_out(self.columns[name])
        kinds = self._wanted_columns
        return {name: kinds[name].kind if name in kinds else ZERO for name in self.columns}

    def work_out(self, column: Cells) -> None:
        """Every cell of a column; one with a problem says so and is NaN. The first that works sets
        the kind."""
        wanted: list[float] = []
        sent: list[float] = []
        kind = ZERO
        for row, text in column.formulas.items():
            try:
                compiled = self.compile(text)
                if compiled.kind not in (kind, ZERO):
                    if kind != ZERO:
                        raise FormulaError(
                            f"“{text}” is {compiled.kind.with_article}, the "
                            f"rows above are {kind.plural}."
                        )
                    kind = compiled.kind
                values = compiled.value(self.env()).value, compiled.value(self.env(sent=True)).value
            except FormulaError as error:
                told = FormulaError(
                    f"Size table, row “{row}”: {error.what}", None, error.hint, error.waits_for
                )
                self.problems.append(problem_of(column, told, IN_TABLE))
                values = math.nan, math.nan
            wanted.append(values[0])
            sent.append(values[1])
        rows = tuple(column.formulas)
        self.put_column(
            Column(column.name, rows, tuple(wanted), kind),
            Column(column.name, rows, tuple(sent), kind),
        )

    def put_column(self, wanted: Column, sent: Column) -> None:
        """Set the values of a column, under *Wanted* and *Sent*."""
        self._wanted_columns[wanted.name], self._sent_columns[sent.name] = wanted, sent

    def put(self, name: str, cell: Cell, kind: Kind | None = None) -> None:
        """Set a value in force. ``kind`` is what formulas take it for, where that is not its
        own."""
        self.cells[name] = cell
        self.kinds[name] = cell.wanted.kind if kind is None else kind
        self._wanted[name], self._sent[name] = cell.wanted.value, cell.sent.value

    def users_of(self, name: str) -> list[str]:
        """Names whose formulas use this one directly, in order of evaluation."""
        return [user for user, used in self.uses.items() if name in used]


class _Uncorrected:
    """A process seen under *Wanted*: its clearances hold, its corrections are left out."""

    def __init__(self, habits: Habits) -> None:
        self._habits = habits

    def clearance(self, fit: str, size: float) -> float:
        return self._habits.clearance(fit, size)

    def stock_of(self, nominal: float) -> float:
        return self._habits.stock_of(nominal)

    def whole_steps(self, what: str, size: float) -> float:
        return self._habits.whole_steps(what, size)

    def send_inside(self, wanted: float, *, lying: bool = False, straight: bool = False) -> float:
        return wanted

    def send_outside(self, wanted: float, *, straight: bool = True) -> float:
        return wanted


def _wrong_kind(text: str, given: Kind, wanted: Kind) -> str:
    short = text if len(text) <= 40 else f"{text[:36]} …"
    return f"“{short}” is {given.with_article}, {wanted.with_article} is wanted."


def mend_kind(given: Kind, wanted: Kind) -> str:
    """What to do about a value of another kind than is wanted; empty where nothing is likely."""
    if given == COUNT and wanted.label == "length":
        return "Give it its unit, such as mm."
    if given == COUNT and wanted.label == "angle":
        return "Give it its unit: deg."
    if wanted == COUNT and given.label == "length":
        return "Divide it by a length to get a count."
    return ""


def names_of(text: str) -> frozenset[str] | None:
    """The names that a formula uses; None where it cannot be read."""
    try:
        return names_in(text)
    except FormulaError:
        return None


def columns_of(text: str) -> frozenset[str]:
    """The columns of the size table that a formula reads."""
    try:
        return columns_in(text)
    except FormulaError:
        return frozenset()


def problem_of(
    node: Evaluable, error: FormulaError, where: str = "formula", severity: str = "error"
) -> Problem:
    """An error at a node, told at its place."""
    area, name = ("step", node.step) if isinstance(node, Working) else ("size", node.name)
    return Problem.model_validate(
        {
            "area": area,
            "name": name,
            "field": where,
            "what": error.what,
            "hint": error.hint,
            "span": error.span,
            "waits_for": error.waits_for,
            "severity": severity,
        }
    )
