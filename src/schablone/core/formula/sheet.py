"""The sheet: named formulas that depend on each other, evaluated in the order of their dependencies.

The sheet knows nothing of designs. It takes entries (a name, a formula or a function that works out several
outputs, what kind is wanted, limits) and returns values or problems for each.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from ..problem import Problem
from ..quantity import COUNT, TRUTH, ZERO, Kind, Quantity, say
from .compile import Compiled, Env, compile_formula
from .errors import FormulaError
from .functions import Habits, Screws
from .order import in_order
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

    ``formulas`` maps a field to its text; ``work`` gets their values by field and returns the outputs, or
    raises ValueError with words. ``outputs`` gives each output's kind. ``over`` names for a field that is a
    formula of a parameter that parameter and the fields of its range; its values are given as ``field@0`` … Where the
    condition ``when`` does not hold, or ``on`` is false, nothing is worked out and nothing is wrong with it.
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
    """A column of the size table that formulas may read: a formula for each row, by the row's name."""

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
    """What became of an entry: its value in force, and the value asked for where limits changed it."""

    wanted: Quantity
    sent: Quantity
    asked: Quantity
    low: float | None = None
    high: float | None = None
    held_at: str = ""
    side: str = ""


Node = Entry | Working | Cells

# The field of a problem with a cell of the size table.
_IN_TABLE = "table"


@dataclass(slots=True)
class Sheet:
    """Values of all names that could be worked out, problems of the others."""

    cells: dict[str, Cell] = field(default_factory=dict)
    kinds: dict[str, Kind] = field(default_factory=dict)
    problems: list[Problem] = field(default_factory=list)
    uses: dict[str, frozenset[str]] = field(default_factory=dict)
    habits: Habits | None = None
    nodes: dict[str, Node] = field(default_factory=dict)
    table: Mapping[str, Cells] = field(default_factory=dict)
    plan: Mapping[str, int] = field(default_factory=dict)
    followers: Mapping[str, Sequence[str]] = field(default_factory=dict)
    looping: frozenset[str] = frozenset()
    idle: dict[str, str] = field(default_factory=dict)
    _wanted: dict[str, float] = field(default_factory=dict)
    _sent: dict[str, float] = field(default_factory=dict)
    _wanted_columns: dict[str, Column] = field(default_factory=dict)
    screws: Screws = field(default_factory=dict)
    _sent_columns: dict[str, Column] = field(default_factory=dict)

    def env(self, *, sent: bool = False) -> Env:
        """What formulas are evaluated in, under the lens *Wanted* or *Sent*."""
        uncorrected = _Uncorrected(self.habits) if self.habits else None
        wanted = Env(self._wanted, uncorrected, columns=self._wanted_columns, screws=self.screws)
        return Env(self._sent, self.habits, wanted, columns=self._sent_columns, screws=self.screws) if sent else wanted

    def compile(self, text: str, wanted: Kind | None = None, over: Mapping[str, Kind] | None = None) -> Compiled:
        """Compile a formula that uses names of this sheet, and of what it runs over, and check its kind.

        Raises:
            FormulaError: also where a name it uses has a problem of its own.
        """
        names = _names(text)
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
                            f"“{base}” {self.idle[base]}, and works out nothing.", None,
                            "Let the formula do without it, or let the step be made.", base,
                        )  # fmt: skip
                    raise FormulaError(f"This waits for “{base}”, which has a problem.", None, "", base)
        kinds = {**self.kinds, **over} if over else self.kinds
        compiled = compile_formula(text, kinds, self._column_kinds(text) if self.table else None)
        if wanted is not None and compiled.kind not in (wanted, ZERO):
            raise FormulaError(
                _wrong_kind(text, compiled.kind, wanted), (0, len(text)), _mend_kind(compiled.kind, wanted)
            )
        return compiled

    def sample(
        self, text: str, wanted: Kind | None, parameter: Parameter, *, sent: bool = False, panels: bool = False
    ) -> list[float]:
        """Values of a formula at the nodes of a parameter's range, or at those of its panels, in base units.

        Raises:
            FormulaError: for a formula of another kind, or one that has no value somewhere on the way.
        """
        if parameter.first == parameter.last:
            raise FormulaError(f"“{parameter.name}” runs from {parameter.first:g} to itself.", None, "Give it a range.")
        compiled = self.compile(text, wanted, {parameter.name: parameter.kind})
        inner, give = self.env(sent=sent).within(parameter.name)
        found = []
        spread = panel_nodes if panels else nodes
        for value in spread(parameter.first, parameter.last).tolist():
            give(value)
            found.append(compiled.value(inner).value)
        return found

    def each(self, text: str, wanted: Kind | None, names: Sequence[str], keys: Sequence[Sequence[int]]) -> list[float]:
        """Values of a formula of whole numbers, one for each of the keys, in base units and as wanted.

        Raises:
            FormulaError: for a formula of another kind, or one that has no value for a key.
        """
        compiled = self.compile(text, wanted, dict.fromkeys(names, COUNT))
        outer = self.env()
        values = dict(outer.values)
        inner = Env(values, outer.habits, columns=outer.columns, screws=outer.screws)
        found = []
        for key in keys:
            values |= {name: float(number) for name, number in zip(names, key, strict=True)}
            found.append(compiled.value(inner).value)
        return found

    def _column_kinds(self, text: str) -> Mapping[str, Kind]:
        """Kinds of all columns; those that the formula reads are worked out where that has not happened yet."""
        for name in sorted(_columns(text)):
            if name in self.table and name not in self._wanted_columns:
                _evaluate_column(self, self.table[name])
        found = self._wanted_columns
        return {name: found[name].kind if name in found else ZERO for name in self.table}

    def put_column(self, wanted: Column, sent: Column) -> None:
        """Set the values of a column, under *Wanted* and *Sent*."""
        self._wanted_columns[wanted.name], self._sent_columns[sent.name] = wanted, sent

    def put(self, name: str, cell: Cell, kind: Kind | None = None) -> None:
        """Set a value in force. ``kind`` is what formulas take it for, where that is not its own."""
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


def _mend_kind(given: Kind, wanted: Kind) -> str:
    if given == COUNT and wanted.label == "length":
        return "Give it its unit, such as mm."
    if given == COUNT and wanted.label == "angle":
        return "Give it its unit: deg."
    if wanted == COUNT and given.label == "length":
        return "Divide it by a length to get a count."
    return ""


@lru_cache(maxsize=20_000)
def _names(text: str) -> frozenset[str] | None:
    try:
        return names_in(text)
    except FormulaError:
        return None


@lru_cache(maxsize=20_000)
def _columns(text: str) -> frozenset[str]:
    try:
        return columns_in(text)
    except FormulaError:
        return frozenset()


def evaluate(
    entries: Sequence[Entry],
    workings: Sequence[Working] = (),
    habits: Habits | None = None,
    table: Sequence[Cells] = (),
    screws: Screws | None = None,
) -> Sheet:
    """Evaluate all entries and workings in the order of their dependencies.

    Of the size table only the columns that a formula reads are evaluated. ``screws`` are clearance holes that the
    design has beside those of the standard.

    Cyclic entries are reported once, as the loop of their names; what depends on a problem says which name
    it waits for. Takes time linear in the number of formulas and uses.
    """
    sheet = Sheet(habits=habits, table={cells.name: cells for cells in table}, screws=screws or {})
    nodes = sheet.nodes
    owner: dict[str, str] = {}
    for entry in entries:
        if entry.name in nodes:
            sheet.problems.append(
                Problem(
                    area="size",
                    name=entry.name,
                    what=f"There are two sizes “{entry.name}”.",
                    hint="Rename one.",
                )
            )
            continue
        nodes[entry.name] = entry
        owner[entry.name] = entry.name
    for working in workings:
        nodes[f"{working.step}."] = working
        owner |= {f"{working.step}.{output}": f"{working.step}." for output in working.outputs}
    read = {name for node in nodes.values() for text in _texts(node) for name in _columns(text)}
    waiting = [sheet.table[name] for name in sorted(read) if name in sheet.table]
    while waiting:
        column = waiting.pop()
        nodes[_key_of(column)] = column
        further = {name for text in _texts(column) for name in _columns(text) if name in sheet.table}
        waiting += [sheet.table[name] for name in sorted(further) if f"[{name}]" not in nodes]
    owner |= {f"[{name}]": f"[{name}]" for name in sheet.table}
    graph: dict[str, list[str]] = {}
    for key, node in nodes.items():
        used = _uses_of(node)
        for name in _given_by(key, node):
            sheet.uses[name] = used
        graph[key] = [owner[name] for name in sorted(used) if name in owner]
    order, loops = in_order(graph)
    looping = {key for loop in loops for key in loop}
    for loop in loops:
        names = [key.rstrip(".").strip("[]") for key in loop]
        path = " → ".join([*_shortened(names), names[0]])
        # Told once, at the first of them; the others wait for that one.
        told = FormulaError(f"These go round in a circle: {path}.", None, "Give one of them a value of its own.")
        sheet.problems.append(_problem(nodes[loop[0]], told))
        for key in loop[1:]:
            waits = FormulaError(f"This waits for “{names[0]}”, which goes round in a circle.", None, "", names[0])
            sheet.problems.append(_problem(nodes[key], waits))
    followers: dict[str, list[str]] = {}
    for key, below in graph.items():
        for name in below:
            followers.setdefault(name, []).append(key)
    sheet.plan = {key: number for number, key in enumerate(order) if key not in looping}
    sheet.followers, sheet.looping = followers, frozenset(looping)
    for key in order:
        if key not in looping:
            _evaluate_node(sheet, nodes[key])
    return sheet


#: The most names of a loop that are told.
_MOST_TOLD = 12


def _shortened(names: Sequence[str]) -> list[str]:
    """The names of a loop, the middle of a long one left out."""
    if len(names) <= _MOST_TOLD:
        return list(names)
    return [*names[: _MOST_TOLD - 2], "…", names[-1]]


def evaluate_again(sheet: Sheet, changed: Mapping[str, Entry]) -> Sheet | None:
    """The sheet with some entries changed; only what depends on them is evaluated again.

    Returns None where that is not enough: an entry is new, uses other names than before, or is part of a
    loop. Takes time in the number of entries that depend on the changed ones, plus a plain copy of the values.
    """
    for name, entry in changed.items():
        old = sheet.nodes.get(name)
        if not isinstance(old, Entry) or name in sheet.looping or _uses_of(old) != _uses_of(entry):
            return None
        column = sheet.table.get(name)
        if column is not None and old.formula in column.formulas.values():
            # A row without a cell takes the size's own formula.
            return None
    fresh = Sheet(
        cells=dict(sheet.cells),
        kinds=dict(sheet.kinds),
        uses=sheet.uses,
        habits=sheet.habits,
        nodes={**sheet.nodes, **changed},
        table=sheet.table,
        screws=sheet.screws,
        plan=sheet.plan,
        followers=sheet.followers,
        looping=sheet.looping,
        idle=dict(sheet.idle),
        _wanted=dict(sheet._wanted),
        _sent=dict(sheet._sent),
        _wanted_columns={k: v for k, v in sheet._wanted_columns.items() if f"[{k}]" in sheet.nodes},
        _sent_columns={k: v for k, v in sheet._sent_columns.items() if f"[{k}]" in sheet.nodes},
    )
    stale, waiting = set(changed), list(changed)
    while waiting:
        for key in sheet.followers.get(waiting.pop(), ()):
            if key in sheet.plan and key not in stale:
                stale.add(key)
                waiting.append(key)
    again = sorted(stale, key=sheet.plan.__getitem__)
    nodes = [fresh.nodes[key] for key in again]
    touched = {_place(node) for node in nodes}
    fresh.problems = [
        problem for problem in sheet.problems if (problem.area, problem.name, problem.field == _IN_TABLE) not in touched
    ]
    for key in again:
        for name in _given_by(key, sheet.nodes[key]):
            for kept in (fresh.cells, fresh.kinds, fresh._wanted, fresh._sent):
                kept.pop(name, None)
    for key in again:
        _evaluate_node(fresh, fresh.nodes[key])
    return fresh


def _place(node: Node) -> tuple[str, str, bool]:
    """Where the problems of a node are told: area, name, and whether in a column of the size table."""
    if isinstance(node, Working):
        return "step", node.step, False
    return "size", node.name, isinstance(node, Cells)


def _uses_of(node: Node) -> frozenset[str]:
    """Names that a node uses, and the columns that it reads as ``[name]``."""
    used: set[str] = set()
    for text in _texts(node):
        used |= _uses_of_text(text)
    return frozenset(used)


@lru_cache(maxsize=20_000)
def _uses_of_text(text: str) -> frozenset[str]:
    names = _names(text)
    return frozenset({"?"}) if names is None else names | {f"[{name}]" for name in _columns(text)}


def _evaluate_node(sheet: Sheet, node: Node) -> None:
    match node:
        case Entry():
            _evaluate_entry(sheet, node)
        case Working():
            _evaluate_working(sheet, node)
        case Cells():
            _evaluate_column(sheet, node)


def _texts(node: Node) -> list[str]:
    if isinstance(node, Entry):
        return [text for text in (node.formula, node.limits.low, node.limits.high) if text.strip()]
    when = node.when if isinstance(node, Working) else ""
    return [text for text in (when, *node.formulas.values()) if text.strip()]


def _key_of(node: Cells) -> str:
    return f"[{node.name}]"


def _given_by(key: str, node: Node) -> list[str]:
    return [f"{node.step}.{output}" for output in node.outputs] if isinstance(node, Working) else [key]


def _problem(node: Node, error: FormulaError, where: str = "formula", severity: str = "error") -> Problem:
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


def _evaluate_entry(sheet: Sheet, entry: Entry) -> None:
    where = "formula"
    try:
        compiled = sheet.compile(entry.formula, entry.kind)
        asked = compiled.value(sheet.env())
        if compiled.kind == ZERO and entry.kind is not None:
            asked = Quantity(asked.value, entry.kind)
        sent = asked if asked.kind in (COUNT,) else compiled.value(sheet.env(sent=True))
        bounds: dict[str, float | None] = {"low": None, "high": None}
        for where, text in (("low", entry.limits.low), ("high", entry.limits.high)):
            if text.strip():
                limit = sheet.compile(text).value(sheet.env())
                if limit.kind != asked.kind and compiled.kind != ZERO and limit.value != 0:
                    where = "formula"
                    raise FormulaError(
                        f"“{entry.formula}” is {asked.kind.with_article}, but its limit “{text}” is {limit.kind.with_article}.",
                        (0, len(entry.formula)),
                        _mend_kind(asked.kind, limit.kind),
                    )
                bounds[where] = limit.value
                if compiled.kind == ZERO and entry.kind is None:
                    # A plain 0 goes with everything; with limits of a kind it is of that kind.
                    asked, sent = Quantity(asked.value, limit.kind), Quantity(sent.value, limit.kind)
        where = "formula"
        low, high = bounds["low"], bounds["high"]
        if low is not None and high is not None and low > high:
            raise FormulaError("The lower limit is above the upper one.", None, "Change one of the limits.")
    except FormulaError as error:
        sheet.problems.append(_problem(entry, error, where))
        return
    held_at, value = "", asked.value
    slack = 1e-9 * max(1.0, abs(value))
    if low is not None and value < low - slack:
        held_at, value = "low", low
    elif high is not None and value > high + slack:
        held_at, value = "high", high
    if held_at:
        shown, asked_text = say(Quantity(value, asked.kind)), say(asked)
        side = "below its lower" if held_at == "low" else "above its upper"
        if entry.limits.policy == "refuse":
            sheet.problems.append(
                _problem(
                    entry,
                    FormulaError(
                        f"{asked_text} is {side} limit of {shown}, and is refused.",
                        None,
                        f"Keep to {shown} or change the limit.",
                    ),
                )
            )
            return
        sheet.problems.append(
            _problem(
                entry,
                FormulaError(f"{asked_text} is {side} limit; it is held at {shown}."),
                severity="note",
            )
        )
        sent = Quantity(value, asked.kind)
    kept = Quantity(value, asked.kind)
    plain_zero = compiled.kind == ZERO and asked.kind == COUNT and entry.kind is None
    cell = Cell(kept, sent, asked, low, high, held_at, compiled.side)
    sheet.put(entry.name, cell, ZERO if plain_zero else None)


def _evaluate_column(sheet: Sheet, column: Cells) -> None:
    """Every cell of a column; one with a problem says so and is NaN. The first that works sets the kind."""
    wanted: list[float] = []
    sent: list[float] = []
    kind = ZERO
    for row, text in column.formulas.items():
        try:
            compiled = sheet.compile(text)
            if compiled.kind not in (kind, ZERO):
                if kind != ZERO:
                    raise FormulaError(f"“{text}” is {compiled.kind.with_article}, the rows above are {kind.plural}.")
                kind = compiled.kind
            values = compiled.value(sheet.env()).value, compiled.value(sheet.env(sent=True)).value
        except FormulaError as error:
            told = FormulaError(f"Size table, row “{row}”: {error.what}", None, error.hint, error.waits_for)
            sheet.problems.append(_problem(column, told, _IN_TABLE))
            values = math.nan, math.nan
        wanted.append(values[0])
        sent.append(values[1])
    rows = tuple(column.formulas)
    sheet.put_column(Column(column.name, rows, tuple(wanted), kind), Column(column.name, rows, tuple(sent), kind))


def _evaluate_working(sheet: Sheet, working: Working) -> None:
    sheet.idle.pop(working.step, None)
    if not working.on:
        sheet.idle[working.step] = "is switched off"
        return
    if working.when.strip():
        try:
            if not sheet.compile(working.when, TRUTH).value(sheet.env()).value:
                sheet.idle[working.step] = "is left out by its condition"
                return
        except FormulaError:
            pass  # the condition tells that itself, where it stands
    values: dict[str, float] = {}
    where = ""
    try:
        for where, text in working.formulas.items():
            if where in working.over:
                name, first, last = working.over[where]
                kind = sheet.compile(working.formulas[first]).kind
                parameter = Parameter(name, kind, values[first], values[last])
                samples = sheet.sample(text, working.wanted.get(where), parameter)
                values |= {f"{where}@{number}": sample for number, sample in enumerate(samples)}
            elif text.strip():
                values[where] = sheet.compile(text, working.wanted.get(where)).value(sheet.env()).value
        where = ""
        outputs = working.work(values)
    except FormulaError as error:
        sheet.problems.append(_problem(working, error, where))
        return
    except KeyError as error:
        missing = str(error.args[0])
        if missing not in working.formulas:
            raise
        what = f"The {missing.replace('_', ' ')} has no formula."
        sheet.problems.append(_problem(working, FormulaError(what, None, "Type one."), missing))
        return
    except ValueError as error:
        what = str(error)
        sheet.problems.append(_problem(working, FormulaError(what[:1].upper() + what[1:] + "."), where))
        return
    for name, kind in working.outputs.items():
        if name in outputs:
            value = Quantity(outputs[name], kind)
            sheet.put(f"{working.step}.{name}", Cell(value, value, value))
