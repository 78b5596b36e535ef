"""Evaluation of a sheet: all of it in the order of its dependencies, or only what an edit
reaches."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from ..problem import Problem
from ..quantity import COUNT, TRUTH, ZERO, Quantity, say
from ..words import say_name, sentence
from .env import MOST_IN_ALL, Spent
from .errors import FormulaError
from .habits import Habits, Screws
from .kept import kept
from .order import in_order
from .value_table import (
    IN_TABLE,
    Cell,
    Cells,
    Entry,
    Evaluable,
    Parameter,
    ValueTable,
    Working,
    columns_of,
    mend_kind,
    names_of,
    problem_of,
)


def evaluate(
    entries: Sequence[Entry],
    workings: Sequence[Working] = (),
    habits: Habits | None = None,
    columns: Sequence[Cells] = (),
    screws: Screws | None = None,
) -> ValueTable:
    """Evaluate all entries and workings in the order of their dependencies.

    Of the size table only the columns that a formula reads are evaluated. ``screws`` are clearance
    holes that the design has beside those of the standard.

    Cyclic entries are reported once, as the loop of their names; what depends on a problem says
    which name it waits for. Takes time linear in the number of formulas and uses.
    """
    table = ValueTable(
        habits=habits, columns={cells.name: cells for cells in columns}, screws=screws or {}
    )
    nodes = table.nodes
    owner: dict[str, str] = {}
    for entry in entries:
        if entry.name in nodes:
            table.problems.append(
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
    if _is_too_long(table):
        return table
    read = {name for node in nodes.values() for text in _texts(node) for name in columns_of(text)}
    waiting = [table.columns[name] for name in sorted(read) if name in table.columns]
    while waiting:
        column = waiting.pop()
        nodes[_key_of(column)] = column
        further = {
            name for text in _texts(column) for name in columns_of(text) if name in table.columns
        }
        waiting += [table.columns[name] for name in sorted(further) if f"[{name}]" not in nodes]
    owner |= {f"[{name}]": f"[{name}]" for name in table.columns}
    graph: dict[str, list[str]] = {}
    for key, node in nodes.items():
        used = _uses_of(node)
        for name in _given_by(key, node):
            table.uses[name] = used
        graph[key] = [owner[name] for name in sorted(used) if name in owner]
    order, loops = in_order(graph)
    looping = {key for loop in loops for key in loop}
    for loop in loops:
        names = [key.rstrip(".").strip("[]") for key in loop]
        path = " → ".join([*_shortened(names), names[0]])
        # Told once, at the first of them; the others wait for that one.
        told = FormulaError(
            f"These go round in a circle: {path}.", None, "Give one of them a value of its own."
        )
        table.problems.append(problem_of(nodes[loop[0]], told))
        for key in loop[1:]:
            waits = FormulaError(
                f"This waits for “{names[0]}”, which goes round in a circle.", None, "", names[0]
            )
            table.problems.append(problem_of(nodes[key], waits))
    followers: dict[str, list[str]] = {}
    for key, below in graph.items():
        for name in below:
            followers.setdefault(name, []).append(key)
    table.plan = {key: number for number, key in enumerate(order) if key not in looping}
    table.followers, table.looping = followers, frozenset(looping)
    _evaluate_all(table, [key for key in order if key not in looping])
    return table


def _evaluate_all(table: ValueTable, keys: Sequence[str]) -> None:
    """Work out nodes in their order, within what all may take together."""
    table.spent = spent = Spent()
    for key in keys:
        spent.at = key.rstrip(".").strip("[]")
        _evaluate_node(table, table.nodes[key])
    table.spent = None
    table.terms.update(spent.by)
    table.overspent |= spent.is_over or sum(table.terms.values()) > MOST_IN_ALL


#: So many characters all formulas together may have: reading more would keep a person waiting.
MOST_TEXT = 500_000


def _is_too_long(table: ValueTable) -> bool:
    """Whether there is more text than is read; nothing has a value then, and the longest tell
    why."""
    lengths = {key: sum(map(len, _texts(node))) for key, node in table.nodes.items()}
    if sum(lengths.values()) <= MOST_TEXT:
        return False
    table.overspent = True
    longest = sorted(lengths, key=lambda key: -lengths[key])[:3]
    names = ", ".join(f"“{key.rstrip('.').strip('[]')}”" for key in longest)
    told = FormulaError(
        f"All formulas together are longer than {MOST_TEXT:,} characters, so none is worked out.",
        None,
        f"The longest are {names}.",
    )
    table.problems.append(problem_of(table.nodes[longest[0]], told))
    return True


#: The most names of a loop that are told.
_MOST_TOLD = 12


def _shortened(names: Sequence[str]) -> list[str]:
    """The names of a loop, the middle of a long one left out."""
    if len(names) <= _MOST_TOLD:
        return list(names)
    return [*names[: _MOST_TOLD - 2], "…", names[-1]]


def evaluate_again(table: ValueTable, changed: Mapping[str, Entry | Working]) -> ValueTable | None:
    """The sheet with some entries changed, or what steps work out; only what depends on them is
    evaluated again. Entries go by their names, steps by theirs with a point behind.

    Returns None where that is not enough: an entry is new, uses other names than before, or is part
    of a loop. Takes time in the number of entries that depend on the changed ones, plus a plain
    copy of the values.
    """
    if table.overspent:
        return None
    for name, entry in changed.items():
        old = table.nodes.get(name)
        if old is None or type(old) is not type(entry) or name in table.looping:
            return None
        if _uses_of(old) != _uses_of(entry):
            return None
        column = table.columns.get(name)
        if (
            column is not None
            and isinstance(old, Entry)
            and old.formula in column.formulas.values()
        ):
            # A row without a cell takes the size's own formula.
            return None
    fresh = ValueTable(
        cells=dict(table.cells),
        kinds=dict(table.kinds),
        uses=table.uses,
        habits=table.habits,
        nodes={**table.nodes, **changed},
        columns=table.columns,
        screws=table.screws,
        plan=table.plan,
        followers=table.followers,
        looping=table.looping,
        idle=dict(table.idle),
        _wanted=dict(table._wanted),
        _sent=dict(table._sent),
        _wanted_columns={k: v for k, v in table._wanted_columns.items() if f"[{k}]" in table.nodes},
        _sent_columns={k: v for k, v in table._sent_columns.items() if f"[{k}]" in table.nodes},
    )
    stale, waiting = set(changed), list(changed)
    while waiting:
        for key in table.followers.get(waiting.pop(), ()):
            if key in table.plan and key not in stale:
                stale.add(key)
                waiting.append(key)
    again = sorted(stale, key=table.plan.__getitem__)
    touched_names = {key.rstrip(".").strip("[]") for key in again}
    nodes = [fresh.nodes[key] for key in again]
    touched = {_place(node) for node in nodes}
    fresh.problems = [
        problem
        for problem in table.problems
        if (problem.area, problem.name, problem.field == IN_TABLE) not in touched
    ]
    for key in again:
        for name in _given_by(key, table.nodes[key]):
            for values in (fresh.cells, fresh.kinds, fresh._wanted, fresh._sent):
                values.pop(name, None)
    fresh.terms = {k: v for k, v in table.terms.items() if k not in touched_names}
    _evaluate_all(fresh, again)
    # Which of them goes too far is told by the whole sheet in its order.
    return None if fresh.overspent else fresh


def _place(node: Evaluable) -> tuple[str, str, bool]:
    """Where the problems of a node are told: area, name, and whether in a column of the size
    table."""
    if isinstance(node, Working):
        return "step", node.step, False
    return "size", node.name, isinstance(node, Cells)


def _uses_of(node: Evaluable) -> frozenset[str]:
    """Names that a node uses, and the columns that it reads as ``[name]``."""
    used: set[str] = set()
    for text in _texts(node):
        used |= _uses_of_text(text)
    return frozenset(used)


@kept
def _uses_of_text(text: str) -> frozenset[str]:
    names = names_of(text)
    return frozenset({"?"}) if names is None else names | {f"[{name}]" for name in columns_of(text)}


def _evaluate_node(table: ValueTable, node: Evaluable) -> None:
    match node:
        case Entry():
            _evaluate_entry(table, node)
        case Working():
            _evaluate_working(table, node)
        case Cells():
            table.work_out(node)


def _texts(node: Evaluable) -> list[str]:
    if isinstance(node, Entry):
        return [text for text in (node.formula, node.limits.low, node.limits.high) if text.strip()]
    when = node.when if isinstance(node, Working) else ""
    return [text for text in (when, *node.formulas.values()) if text.strip()]


def _key_of(node: Cells) -> str:
    return f"[{node.name}]"


def _given_by(key: str, node: Evaluable) -> list[str]:
    return (
        [f"{node.step}.{output}" for output in node.outputs] if isinstance(node, Working) else [key]
    )


def _evaluate_entry(table: ValueTable, entry: Entry) -> None:
    where = "formula"
    try:
        compiled = table.compile(entry.formula, entry.kind)
        asked = compiled.value(table.env())
        if compiled.kind == ZERO and entry.kind is not None:
            asked = Quantity(asked.value, entry.kind)
        sent = asked if asked.kind in (COUNT,) else compiled.value(table.env(sent=True))
        bounds: dict[str, float | None] = {"low": None, "high": None}
        for where, text in (("low", entry.limits.low), ("high", entry.limits.high)):
            if text.strip():
                limit = table.compile(text).value(table.env())
                if limit.kind != asked.kind and compiled.kind != ZERO and limit.value != 0:
                    where = "formula"
                    raise FormulaError(
                        f"“{entry.formula}” is {asked.kind.with_article}, but its limit "
                        f"“{text}” is {limit.kind.with_article}.",
                        (0, len(entry.formula)),
                        mend_kind(asked.kind, limit.kind),
                    )
                bounds[where] = limit.value
                if compiled.kind == ZERO and entry.kind is None:
                    # A plain 0 goes with everything; with limits of a kind it is of that kind.
                    asked, sent = (
                        Quantity(asked.value, limit.kind),
                        Quantity(sent.value, limit.kind),
                    )
        where = "formula"
        low, high = bounds["low"], bounds["high"]
        if low is not None and high is not None and low > high:
            raise FormulaError(
                "The lower limit is above the upper one.", None, "Change one of the limits."
            )
    except FormulaError as error:
        table.problems.append(problem_of(entry, error, where))
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
            table.problems.append(
                problem_of(
                    entry,
                    FormulaError(
                        f"{asked_text} is {side} limit of {shown}, and is refused.",
                        None,
                        f"Keep to {shown} or change the limit.",
                    ),
                )
            )
            return
        table.problems.append(
            problem_of(
                entry,
                FormulaError(f"{asked_text} is {side} limit; it is held at {shown}."),
                severity="note",
            )
        )
        sent = Quantity(value, asked.kind)
    kept = Quantity(value, asked.kind)
    plain_zero = compiled.kind == ZERO and asked.kind == COUNT and entry.kind is None
    cell = Cell(kept, sent, asked, low, high, held_at, compiled.side)
    table.put(entry.name, cell, ZERO if plain_zero else None)


def _evaluate_working(table: ValueTable, working: Working) -> None:
    table.idle.pop(working.step, None)
    if not working.on:
        table.idle[working.step] = "is switched off"
        return
    if working.when.strip():
        try:
            if not table.compile(working.when, TRUTH).value(table.env()).value:
                table.idle[working.step] = "is left out by its condition"
                return
        except FormulaError:
            pass  # the condition tells that itself, where it stands
    values: dict[str, float] = {}
    where = ""
    try:
        for where, text in working.formulas.items():
            if where in working.over:
                name, first, last = working.over[where]
                kind = table.compile(working.formulas[first]).kind
                parameter = Parameter(name, kind, values[first], values[last])
                samples = table.sample(text, working.wanted.get(where), parameter)
                values |= {f"{where}@{number}": sample for number, sample in enumerate(samples)}
            elif text.strip():
                values[where] = (
                    table.compile(text, working.wanted.get(where)).value(table.env()).value
                )
        where = ""
        outputs = working.work(values)
    except FormulaError as error:
        table.problems.append(problem_of(working, error, where))
        return
    except KeyError as error:
        missing = str(error.args[0])
        if missing not in working.formulas:
            raise
        what = f"The {say_name(missing)} has no formula."
        table.problems.append(problem_of(working, FormulaError(what, None, "Type one."), missing))
        return
    except ValueError as error:
        what = str(error)
        table.problems.append(problem_of(working, FormulaError(sentence(what)), where))
        return
    for name, kind in working.outputs.items():
        if name in outputs:
            value = Quantity(outputs[name], kind)
            table.put(f"{working.step}.{name}", Cell(value, value, value))
