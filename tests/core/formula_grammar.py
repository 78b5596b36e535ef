"""The language of formulas as a grammar, read by lark: what the reader written by hand is compared
with."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from lark import Lark, Token, Transformer, v_args
from lark.exceptions import (
    LarkError,
    UnexpectedCharacters,
    UnexpectedEOF,
    UnexpectedToken,
    VisitError,
)
from lark.tree import Meta

from schablone.core.formula.errors import FormulaError
from schablone.core.formula.literal import PATTERN, read_literal
from schablone.core.formula.slips import slip
from schablone.core.formula.tree import (
    Binary,
    Call,
    Compare,
    Fold,
    If,
    Logic,
    Name,
    Node,
    Number,
    Output,
    Quoted,
    TextSpan,
    Unary,
)
from schablone.core.quantity import COUNT

_SIGNS = {"−": "-", "·": "*", "×": "*", "÷": "/", "≤": "<=", "≥": ">=", "≠": "!=", "==": "="}


@lru_cache(maxsize=1)
def _lark() -> Lark:
    grammar = Path(__file__).with_name("formulas.lark").read_text("utf8")
    pattern = PATTERN.replace("/", r"\/")
    return Lark(
        grammar.replace("@LITERAL@", pattern),
        parser="lalr",
        start="start",
        propagate_positions=True,
        maybe_placeholders=False,
    )


def _span(meta: Meta) -> TextSpan:
    return (meta.start_pos, meta.end_pos) if not meta.empty else (0, 0)


def _token_span(token: Token) -> TextSpan:
    return (token.start_pos or 0, token.end_pos or 0)


def _widen(node: Node, span: TextSpan) -> Node:
    """The same node, reaching over its parentheses."""
    kept = {name: getattr(node, name) for name in node.__dataclass_fields__}
    return type(node)(**{**kept, "span": span})


@v_args(meta=True)
class _Build(Transformer[Token, Any]):
    """Turns lark's tree into ours. Method names are the rule names of the grammar."""

    def start(self, meta: Meta, items: list[Any]) -> Node:
        return items[0]  # type: ignore[no-any-return]

    def literal(self, meta: Meta, items: list[Token]) -> Node:
        text = str(items[0])
        try:
            value, kind, fraction = read_literal(text)
        except ValueError as error:
            raise FormulaError(str(error), _span(meta)) from None
        return Number(value, kind, text, fraction, _span(meta))

    def quoted(self, meta: Meta, items: list[Token]) -> Node:
        return Quoted(str(items[0])[1:-1], _span(meta))

    def name(self, meta: Meta, items: list[Token]) -> Node:
        return Name(str(items[0]), _span(meta), _span(meta))

    def output(self, meta: Meta, items: list[Token]) -> Node:
        *step, output = (item for item in items if item is not None)
        at = (_token_span(step[0])[0], _token_span(step[-1])[1])
        return Output(".".join(map(str, step)), str(output), _span(meta), at)

    def parenthesis(self, meta: Meta, items: list[Node]) -> Node:
        return _widen(items[0], _span(meta))

    def signed(self, meta: Meta, items: list[Any]) -> Node:
        sign = _SIGNS.get(items[0], str(items[0]))
        return Unary(sign, items[1], _span(meta))  # type: ignore[arg-type]

    def negate(self, meta: Meta, items: list[Node]) -> Node:
        return Unary("not", items[0], _span(meta))

    def binary(self, meta: Meta, items: list[Any]) -> Node:
        left, sign, right = items
        op = _SIGNS.get(sign, str(sign))
        if (
            op in ("/", "^")
            and isinstance(right, Number)
            and right.fraction
            and right.span[0] == _first(right)
        ):
            raise FormulaError(
                f"“{sign} {right.text}” can be read in two ways.",
                (_token_span(sign)[0], right.span[1]),
                f"Put the fraction in parentheses: {sign} ({right.text}).",
            )
        return Binary(op, left, right, _span(meta))  # type: ignore[arg-type]

    def raised(self, meta: Meta, items: list[Any]) -> Node:
        """``width²`` is ``width^2``."""
        base, mark = items
        digit = {"²": "2", "³": "3"}[str(mark)]
        exponent = Number(float(digit), COUNT, str(mark), False, _token_span(mark))
        return Binary("^", base, exponent, _span(meta))

    def comparison(self, meta: Meta, items: list[Any]) -> Node:
        ops = tuple(_SIGNS.get(sign, str(sign)) for sign in items[1::2])
        return Compare(ops, tuple(items[0::2]), _span(meta))

    def any_of(self, meta: Meta, items: list[Node]) -> Node:
        return Logic("or", tuple(items), _span(meta))

    def all_of(self, meta: Meta, items: list[Node]) -> Node:
        return Logic("and", tuple(items), _span(meta))

    def choose(self, meta: Meta, items: list[Node]) -> Node:
        return If(items[0], items[1], items[2], _span(meta))

    def call(self, meta: Meta, items: list[Any]) -> Node:
        return Call(str(items[0]), tuple(items[1:]), _span(meta), _token_span(items[0]))

    def fold(self, meta: Meta, items: list[Any]) -> Node:
        word, counter, first, last, body = items
        if word not in ("sum", "product"):
            raise FormulaError(
                f"“{word}” cannot run over a range.", _token_span(word), "Only sum and product can."
            )
        op: Literal["sum", "product"] = "sum" if word == "sum" else "product"
        return Fold(op, str(counter), first, last, body, _span(meta))


def _first(number: Number) -> int:
    """Where the literal's own text begins: at the span's start unless parentheses were put around
    it."""
    return number.span[1] - len(number.text)


def _meant(text: str, error: LarkError) -> FormulaError | None:
    """What is known of habits; the end of a text is none of them."""
    if isinstance(error, UnexpectedToken) and error.token.type != "$END":
        return slip(text, error.token.start_pos or 0)
    if isinstance(error, UnexpectedCharacters):
        return slip(text, error.pos_in_stream or 0)
    return None


def _explain(text: str, error: LarkError) -> FormulaError:
    if isinstance(error, UnexpectedEOF) or (
        isinstance(error, UnexpectedToken) and error.token.type == "$END"
    ):
        missing = text.count("(") - text.count(")")
        if missing > 0:
            return FormulaError(
                "A closing parenthesis is missing.", (len(text), len(text)), "Add “)” at the end."
            )
        if "if" in text.split() and "then" not in text.split():
            return FormulaError(
                "“if” needs a “then” and an “else”.", (0, len(text)), "if A then B else C"
            )
        if "then" in text.split() and "else" not in text.split():
            return FormulaError(
                "“else” is missing.", (len(text), len(text)), "Say what it is otherwise: else …"
            )
        return FormulaError(
            "The formula stops in the middle.", (len(text), len(text)), "Finish it."
        )
    if isinstance(error, UnexpectedToken):
        token = error.token
        start = token.start_pos or 0
        span = (start, token.end_pos or start + 1)
        before = text[:start].rstrip()
        if token == ")" and text[:start].count("(") == text[:start].count(")"):
            return FormulaError("There is one closing parenthesis too many.", span, "Take it out.")
        if token.type == "NAME" and before and before[-1].isdigit():
            known = ", ".join(["mm", "cm", "m", "in", "ft", "deg", "rad", "g", "kg"])
            return FormulaError(
                f"“{token}” is no unit.", span, f"Units are {known}. To multiply, write *."
            )
        if token.type == "COMMA" and before and before[-1].isdigit():
            return FormulaError(
                "A comma stands where none belongs.",
                span,
                "Decimals are written with a point: 3.5 mm.",
            )
        if token.type == "LITERAL" and before and (before[-1].isalnum() or before[-1] in ")_"):
            return FormulaError(
                f"A sign is missing before “{token}”.", span, "Write * to multiply."
            )
        if token.type == "NAME" and before and (before[-1].isalnum() or before[-1] in ")_"):
            return FormulaError(f"A sign is missing before “{token}”.", span, "Write *, +, - or /.")
        return FormulaError(
            f"“{token}” cannot stand here.", span, "Something is missing before it."
        )
    if isinstance(error, UnexpectedCharacters):
        start = error.pos_in_stream or 0
        character = text[start]
        if character == "," and start and text[start - 1].isdigit():
            return FormulaError(
                "A comma stands where none belongs.",
                (start, start + 1),
                "Decimals are written with a point: 3.5 mm.",
            )
        if character.isdigit() or character == ".":
            what = f"A sign is missing before “{text[start:].split()[0]}”."
            return FormulaError(what, (start, start + 1), "Write *, +, - or / between two numbers.")
        rest = text[start:].split()[0] if text[start:].split() else character
        if rest[0].isalpha():
            return FormulaError(
                f"“{rest}” cannot stand here.",
                (start, start + len(rest)),
                "A sign is missing before it: * + - /.",
            )
        return FormulaError(
            f"“{character}” cannot stand here.",
            (start, start + 1),
            "Formulas use + - * / ^ ( ) and names.",
        )
    return FormulaError("This cannot be read as a formula.", (0, len(text)))


def by_grammar(text: str) -> Node:
    """The tree of a formula by the grammar.

    Raises:
        FormulaError: what it would say of a text that is none.
    """
    try:
        return _Build().transform(_lark().parse(text))
    except VisitError as error:
        if isinstance(error.orig_exc, FormulaError):
            raise error.orig_exc from None
        raise
    except LarkError as error:
        raise _meant(text, error) or _explain(text, error) from None
