"""Changing formulas by their trees: which names they use, and giving a name another name."""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from .errors import FormulaError
from .functions import FUNCTIONS
from .kept import kept
from .parse import parse
from .tree import Call, Fold, Name, Node, Number, Output, Quoted, TextSpan, children


def walk(node: Node, bound: frozenset[str] = frozenset()) -> Iterator[tuple[Node, frozenset[str]]]:
    """Every node, a whole before its parts from left to right, with the counters of ``sum`` and
    ``product`` that are in force there. Takes time in the number of nodes."""
    waiting = [(node, bound)]
    while waiting:
        node, bound = waiting.pop()
        yield node, bound
        if isinstance(node, Fold):
            within = bound | {node.counter}
            waiting += [(node.body, within), (node.last, bound), (node.first, bound)]
        else:
            waiting += [(child, bound) for child in reversed(children(node))]


@dataclass(frozen=True, slots=True)
class Reads:
    """What a formula reads: names of sizes and outputs (``width``, ``row.count``), and columns of
    the size table."""

    names: frozenset[str]
    columns: frozenset[str]


@kept
def reads_of(text: str) -> Reads:
    """What a formula reads, in one walk over its tree.

    Raises:
        FormulaError: where the text is no formula.
    """
    names: list[tuple[str, TextSpan]] = []
    columns: set[str] = set()
    plain: set[TextSpan] = set()
    for node, bound in walk(parse(text)):
        if isinstance(node, Name):
            if node.name not in bound:
                names.append((node.name, node.span))
        elif isinstance(node, Output):
            names.append((node.name, (-1, -1)))
        elif isinstance(node, Call):
            columns |= {arg.name for arg in _columns_of(node)}
            plain |= _fit_word_of(node)
    return Reads(frozenset(name for name, span in names if span not in plain), frozenset(columns))


def is_number(text: str) -> bool:
    """Whether a text is a plain number, with or without a unit."""
    try:
        return isinstance(parse(text), Number)
    except FormulaError:
        return False


def names_in(text: str) -> frozenset[str]:
    """Names that a formula uses: sizes as ``width``, step outputs as ``row.count``.

    Raises:
        FormulaError: where the text is no formula.
    """
    return reads_of(text).names


def columns_in(text: str) -> frozenset[str]:
    """Columns of the size table that a formula reads.

    Raises:
        FormulaError: where the text is no formula.
    """
    return reads_of(text).columns


def _columns_of(node: Call) -> list[Name]:
    function = FUNCTIONS.get(node.function)
    known = node.args[: function.columns] if function and function.columns else ()
    return [arg for arg in known if isinstance(arg, Name)]


def _column_words(tree: Node) -> list[Name]:
    return [word for node, _ in walk(tree) if isinstance(node, Call) for word in _columns_of(node)]


def _fit_word_of(node: Call) -> set[TextSpan]:
    function = FUNCTIONS.get(node.function)
    if function is None or function.fit_at is None:
        return set()
    words = node.args[function.fit_at : function.fit_at + 1]
    return {arg.span for arg in words if isinstance(arg, Name)}


def fit_words(tree: Node) -> frozenset[TextSpan]:
    """Places where the word of a fit stands for itself, whatever sizes are called."""
    spans: set[TextSpan] = set()
    for node, _ in walk(tree):
        if isinstance(node, Call):
            spans |= _fit_word_of(node)
    return frozenset(spans)


def _replace(text: str, spans: list[tuple[TextSpan, str]]) -> str:
    for (start, end), new in sorted(spans, reverse=True):
        text = text[:start] + new + text[end:]
    return text


def rename(text: str, old: str, new: str) -> str:
    """Rename a size in one formula, leaving everything else as it was typed.

    Text that cannot be read is returned unchanged: it holds no names yet.
    """
    return _rename(text, old, new, steps=False)


def rename_row(text: str, old: str, new: str) -> str:
    """Rename a row of the size table in one formula."""
    try:
        tree = parse(text)
    except FormulaError:
        return text
    spans = [
        ((node.span[0] + 1, node.span[1] - 1), new)
        for node, _ in walk(tree)
        if isinstance(node, Quoted) and node.text == old
    ]
    return _replace(text, spans)


def rename_step(text: str, old: str, new: str) -> str:
    """Rename the step before the point in ``step.output``."""
    return _rename(text, old, new, steps=True)


def replace_names(text: str, new: Callable[[Name | Output], str | None]) -> str:
    """A formula with other text for names that it reads, where ``new`` gives some; counters of sums
    and words of fits are none. Text that cannot be read is returned unchanged."""
    try:
        if not reads_of(text).names:
            return text
        tree = parse(text)
    except FormulaError:
        return text
    plain = fit_words(tree) | {word.span for word in _column_words(tree)}
    spans: list[tuple[TextSpan, str]] = []
    for node, bound in walk(tree):
        if isinstance(node, Name) and (node.name in bound or node.span in plain):
            continue
        if isinstance(node, (Name, Output)) and (other := new(node)) is not None:
            spans.append((node.at if isinstance(node, Name) else _whole(text, node), other))
    return _replace(text, spans)


def _whole(text: str, node: Output) -> TextSpan:
    """Where ``step.output`` stands in a formula, without parentheses around it."""
    output = re.compile(rf"\s*\.\s*{re.escape(node.output)}").match(text, node.at[1])
    return (node.at[0], output.end() if output is not None else node.span[1])


def put_in_place(text: str, name: str, formula: str) -> str:
    """Replace a size in one formula by another formula, in parentheses where it needs them."""
    try:
        tree = parse(text)
        alone = isinstance(parse(formula), (Number, Name, Output, Call))
    except FormulaError:
        return text
    inner = formula.strip() if alone else f"({formula.strip()})"
    plain = fit_words(tree) | {word.span for word in _column_words(tree)}
    spans: list[tuple[TextSpan, str]] = []
    for node, bound in walk(tree):
        if (
            isinstance(node, Name)
            and node.name == name
            and name not in bound
            and node.span not in plain
        ):
            # A number with a unit before a power, or a fraction behind a stroke, would be read in
            # another way.
            wrapped = (
                inner
                if text.strip() == name
                else f"({inner})"
                if isinstance(parse(formula), Number)
                else inner
            )
            spans.append((node.at, wrapped))
    return _replace(text, spans)


def _rename(text: str, old: str, new: str, *, steps: bool) -> str:
    try:
        tree = parse(text)
    except FormulaError:
        return text
    plain = fit_words(tree)
    spans: list[tuple[TextSpan, str]] = []
    for node, bound in walk(tree):
        if steps and isinstance(node, Output) and node.step.startswith(f"{old}."):
            spans.append((node.at, new + node.step[len(old) :]))
        if (steps and isinstance(node, Output) and node.step == old) or (
            not steps
            and isinstance(node, Name)
            and node.name == old
            and old not in bound
            and node.span not in plain
        ):
            spans.append((node.at, new))
    return _replace(text, spans)
