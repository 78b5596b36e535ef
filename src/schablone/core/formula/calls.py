"""Calls of functions in a formula: that they are there, get as many arguments as they take, and of
which kinds; and what is read in place of a value: fits, tolerance classes, columns and rows."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol

from ..quantity import Kind
from ..words import sentence
from .env import Env, Run, Typed
from .errors import FormulaError, did_you_mean
from .functions import ASKS_PROCESS, FUNCTIONS, SCREW_FUNCTIONS, Function
from .habits import FITS
from .iso286 import deviations
from .kind_rules import WrongKind
from .tree import Call, Name, Node, Quoted


class Reader(Protocol):
    """What a call asks about its arguments of what reads the formula around it."""

    columns: Mapping[str, Kind]

    def piece(self, node: Node) -> str:
        """Its text, for messages."""
        ...

    def visit(self, node: Node) -> Typed:
        """Its kind, and how it is worked out."""
        ...

    def number(self, node: Node) -> Typed:
        """The same where a yes or no is refused."""
        ...


def call(reader: Reader, node: Call) -> Typed:
    """The kind of a call, and how it is worked out.

    Raises:
        FormulaError: for a function that is not there, and arguments that do not go with it.
    """
    function = FUNCTIONS.get(node.function)
    if function is None:
        hint = did_you_mean(node.function, sorted(FUNCTIONS))
        raise FormulaError(f"There is no function “{node.function}”.", node.name_span, hint)
    given = len(node.args)
    if given < function.least or (function.most is not None and given > function.most):
        raise FormulaError(
            f"“{function.name}” got {given} argument{'s' * (given != 1)}.",
            node.span,
            f"It is used as {function.usage}.",
        )
    if function.fit_at is not None:
        return _process_call(reader, node, function)
    if function.columns:
        return _table_call(reader, node, function)
    args = [reader.visit(arg) for arg in node.args]
    try:
        kind = function.rule([arg.kind for arg in args])
    except WrongKind as error:
        wrong = node.args[error.index]
        raise FormulaError(
            f"“{reader.piece(wrong)}” {error.what}.",
            wrong.span,
            f"It is used as {function.usage}.",
        ) from None
    runs, body, decides = [arg.run for arg in args], function.run, function.decides
    asks, of_screws = function.name in ASKS_PROCESS, function.name in SCREW_FUNCTIONS

    def run(env: Env) -> float:
        place = env.wanted if decides else env
        try:
            values = [each(place) for each in runs]
            if of_screws:
                return float(body(env.screws, *values))
            return float(body(env.habits, *values) if asks else body(*values))
        except ValueError as error:
            raise FormulaError(f"{function.name}: {error}.", node.span) from None
        except OverflowError:
            raise FormulaError(
                f"{function.name}: the answer is too large a number.", node.span
            ) from None

    return Typed(kind, run)


def _process_call(reader: Reader, node: Call, function: Function) -> Typed:
    fit_node = node.args[function.fit_at or 0]
    fit = fit_node.name if isinstance(fit_node, Name) else reader.piece(fit_node)
    if function.name.startswith("iso_"):
        _check_class(function.name, fit, fit_node)
    elif fit not in FITS:
        hint = did_you_mean(fit, FITS) or f"Fits are {', '.join(FITS)}."
        raise FormulaError(f"“{fit}” is no fit.", fit_node.span, hint)
    size = reader.number(node.args[0])
    try:
        kind = function.rule([size.kind])
    except WrongKind as error:
        raise FormulaError(
            f"“{reader.piece(node.args[0])}” {error.what}.", node.args[0].span
        ) from None
    run, body = size.run, function.run
    if len(node.args) > 2:
        within = reader.number(node.args[2])
        try:
            function.rule([within.kind])
        except WrongKind as error:
            raise FormulaError(
                f"“{reader.piece(node.args[2])}” {error.what}.", node.args[2].span
            ) from None
        off = within.run
        return Typed(
            kind,
            _told(node, lambda env: float(body(env.habits, run(env.wanted), fit, off(env.wanted)))),
        )
    return Typed(kind, _told(node, lambda env: float(body(env.habits, run(env.wanted), fit))))


def _check_class(function: str, name: str, node: Node) -> None:
    """Refuse what is no tolerance class, or one of the other side."""
    try:
        deviations(10.0, name)
    except ValueError as error:
        raise FormulaError(sentence(str(error)), node.span) from None
    if name[0].isupper() != (function == "iso_hole"):
        side = (
            "holes have capital letters" if function == "iso_hole" else "shafts have small letters"
        )
        raise FormulaError(f"“{name}” is of the other side: {side}.", node.span)


def _table_call(reader: Reader, node: Call, function: Function) -> Typed:
    names = []
    for arg in node.args[: function.columns]:
        name = arg.name if isinstance(arg, Name) else reader.piece(arg)
        if name not in reader.columns:
            known = sorted(reader.columns)
            hint = did_you_mean(name, known) or (
                f"Its columns are {', '.join(known)}."
                if known
                else "The design has no size table yet."
            )
            raise FormulaError(f"“{name}” is no column of the size table.", arg.span, hint)
        names.append(name)
    kinds = [reader.columns[name] for name in names]
    last, body = node.args[-1], function.run
    if function.name == "from_row":
        if not isinstance(last, Quoted):
            raise FormulaError(
                f"“{reader.piece(last)}” is no name of a row.",
                last.span,
                f"Put it in quotes: {function.usage}.",
            )
        row = last.text
        return Typed(kinds[0], _told(node, lambda env: float(body(env.columns[names[0]], row))))
    key = reader.number(last)
    try:
        kind = function.rule([*kinds, key.kind])
    except WrongKind as error:
        raise FormulaError(f"“{reader.piece(last)}” {error.what}.", last.span) from None

    def read(env: Env) -> float:
        # Which row it is, is decided on the wanted sizes.
        return float(body(env.columns[names[0]], env.wanted.columns[names[1]], key.run(env.wanted)))

    return Typed(kind, _told(node, read))


def _told(node: Call, run: Run) -> Run:
    """A function whose complaints are told with its name and place."""

    def safe(env: Env) -> float:
        try:
            return run(env)
        except ValueError as error:
            raise FormulaError(f"{node.function}: {error}.", node.span) from None

    return safe
