"""Changing formulas by their trees: which names they use, and giving a name another name."""

from collections.abc import Iterator

from .errors import FormulaError
from .functions import FUNCTIONS
from .parse import parse
from .tree import Call, Fold, Name, Node, Number, Output, Quoted, TextSpan, children


def walk(node: Node, bound: frozenset[str] = frozenset()) -> Iterator[tuple[Node, frozenset[str]]]:
    """Every node with the counters of ``sum`` and ``product`` that are in force there."""
    yield node, bound
    if isinstance(node, Fold):
        yield from walk(node.first, bound)
        yield from walk(node.last, bound)
        yield from walk(node.body, bound | {node.counter})
        return
    for child in children(node):
        yield from walk(child, bound)


def names_in(text: str) -> frozenset[str]:
    """Names that a formula uses: sizes as ``width``, step outputs as ``row.count``.

    Raises:
        FormulaError: where the text is no formula.
    """
    used: set[str] = set()
    tree = parse(text)
    plain = fit_words(tree)
    for node, bound in walk(tree):
        if isinstance(node, Output) or (
            isinstance(node, Name) and node.name not in bound and node.span not in plain
        ):
            used.add(node.name)
    return frozenset(used)


def columns_in(text: str) -> frozenset[str]:
    """Columns of the size table that a formula reads.

    Raises:
        FormulaError: where the text is no formula.
    """
    return frozenset(arg.name for arg in _column_words(parse(text)))


def _column_words(tree: Node) -> list[Name]:
    words: list[Name] = []
    for node, _ in walk(tree):
        function = FUNCTIONS.get(node.function) if isinstance(node, Call) else None
        if isinstance(node, Call) and function and function.columns:
            words += [arg for arg in node.args[: function.columns] if isinstance(arg, Name)]
    return words


def fit_words(tree: Node) -> frozenset[TextSpan]:
    """Places where the word of a fit stands for itself, whatever sizes are called."""
    spans: set[TextSpan] = set()
    for node, _ in walk(tree):
        function = FUNCTIONS.get(node.function) if isinstance(node, Call) else None
        if isinstance(node, Call) and function and function.fit_at is not None:
            spans |= {
                arg.span
                for arg in node.args[function.fit_at : function.fit_at + 1]
                if isinstance(arg, Name)
            }
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
        if (steps and isinstance(node, Output) and node.step == old) or (
            not steps
            and isinstance(node, Name)
            and node.name == old
            and old not in bound
            and node.span not in plain
        ):
            spans.append((node.at, new))
    return _replace(text, spans)
