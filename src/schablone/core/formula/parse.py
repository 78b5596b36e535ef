"""From text to tree, with errors that say what was expected where.

Read by precedence, from the weakest to the strongest binding:

====================================  ==========================================
``if a then b else c``                a choice; stands alone, in parentheses or as an argument
``or``, ``and``                       over any number of conditions
``not``                               binds weaker than what it turns round: ``not a < b``
``=`` ``<`` ``<=`` ``≠`` …            chains: ``3 mm <= web < 8 mm``
``+ -``                               from left to right
``* /``                               from left to right
``-x``                                weaker than a power: ``-2^2`` is ``-4``
``^`` ``²`` ``³``                     from right to left: ``2^3^2`` is ``2^9``
numbers, names, ``f(…)``, ``(…)``     and ``sum(i in 1..n: …)``
====================================  ==========================================
"""

from __future__ import annotations

from copy import copy
from typing import Literal, NamedTuple, NoReturn

from ..model import LONGEST_FORMULA
from ..quantity import COUNT, UNITS
from .errors import FormulaError
from .kept import kept
from .literal import read_literal
from .misread import explained
from .tokens import KEYWORDS, SIGNS, Token, token_at
from .tree import (
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
    children,
)

#: How deeply a formula may be nested. Far above what a person can read, far below Python's own
#: limit.
DEEPEST = 60

#: How strongly signs between two operands bind.
_BINDS = {"add": 1, "multiply": 2}


class _Reader:
    """Reads one formula, looking one token ahead.

    Where only a name can stand, a word of the language is one: ``then`` begins nothing, so that in
    ``then + 1`` it is a name (that no size has). What is wrong with a piece that can be read is
    told only where the whole can.
    """

    def __init__(self, text: str) -> None:
        self.text = text
        self.fault: FormulaError | None = None
        self.token = token_at(text, 0)

    def whole(self) -> Node:
        tree = self.expression()
        if self.token.kind != "end":
            self.stop()
        if self.fault is not None:
            raise self.fault
        return tree

    def stop(self) -> NoReturn:
        raise explained(self.text, self.token)

    def take(self) -> Token:
        """The token, after which the next is looked at."""
        token = self.token
        self.token = token_at(self.text, token.end)
        return token

    def expect(self, text: str) -> Token:
        if self.token.text != text:
            self.stop()
        return self.take()

    def note(self, fault: FormulaError) -> None:
        self.fault = self.fault or fault

    def expression(self) -> Node:
        if self.token.text != "if":
            return self.any_of()
        start = self.take().start
        condition = self.expression()
        self.expect("then")
        yes = self.expression()
        self.expect("else")
        no = self.expression()
        return If(condition, yes, no, (start, no.span[1]))

    def any_of(self) -> Node:
        terms = [self.all_of()]
        while self.token.text == "or":
            self.take()
            terms.append(self.all_of())
        return (
            terms[0]
            if len(terms) == 1
            else Logic("or", tuple(terms), (terms[0].span[0], terms[-1].span[1]))
        )

    def all_of(self) -> Node:
        terms = [self.negation()]
        while self.token.text == "and":
            self.take()
            terms.append(self.negation())
        return (
            terms[0]
            if len(terms) == 1
            else Logic("and", tuple(terms), (terms[0].span[0], terms[-1].span[1]))
        )

    def negation(self) -> Node:
        if self.token.text != "not":
            return self.comparison()
        start = self.take().start
        operand = self.negation()
        return Unary("not", operand, (start, operand.span[1]))

    def comparison(self) -> Node:
        terms, signs = [self.operation(1)], []
        while self.token.kind == "compare":
            sign = self.take().text
            signs.append(SIGNS.get(sign, sign))
            terms.append(self.operation(1))
        return (
            Compare(tuple(signs), tuple(terms), (terms[0].span[0], terms[-1].span[1]))
            if signs
            else terms[0]
        )

    def operation(self, least: int) -> Node:
        """Operands between signs that bind at least so strongly."""
        left = self.sign()
        while (binds := _BINDS.get(self.token.kind, 0)) >= least:
            sign = self.take()
            left = self.binary(left, sign, self.operation(binds + 1) if binds < 2 else self.sign())
        return left

    def binary(self, left: Node, sign: Token, right: Node) -> Binary:
        op = SIGNS.get(sign.text, sign.text)
        # Parentheses make a number's span wider than its text.
        bare = (
            isinstance(right, Number)
            and right.fraction
            and right.span[1] - right.span[0] == len(right.text)
        )
        if op in ("/", "^") and isinstance(right, Number) and bare:
            self.note(
                FormulaError(
                    f"“{sign.text} {right.text}” can be read in two ways.",
                    (sign.start, right.span[1]),
                    f"Put the fraction in parentheses: {sign.text} ({right.text}).",
                )
            )
        return Binary(op, left, right, (left.span[0], right.span[1]))  # type: ignore[arg-type]

    def sign(self) -> Node:
        if self.token.kind != "add":
            return self.power()
        sign = self.take()
        operand = self.sign()
        return Unary(SIGNS.get(sign.text, sign.text), operand, (sign.start, operand.span[1]))  # type: ignore[arg-type]

    def power(self) -> Node:
        base = self.atom()
        if self.token.kind == "power":
            return self.binary(base, self.take(), self.sign())
        if self.token.kind == "raised":
            mark = self.take()  # width² is width^2
            exponent = Number({"²": 2.0, "³": 3.0}[mark.text], COUNT, mark.text, False, mark.span)
            return Binary("^", base, exponent, (base.span[0], mark.end))
        return base

    def atom(self) -> Node:
        kind = self.token.kind
        if kind == "number":
            return self.number()
        if kind == "word":
            return self.named()
        if kind == "quoted":
            token = self.take()
            return Quoted(token.text[1:-1], token.span)
        start = self.expect("(").start
        inner = self.expression()
        return _widened(inner, (start, self.expect(")").end))

    def number(self) -> Number:
        token = self.take()
        try:
            value, kind, fraction = read_literal(token.text)
        except ValueError as error:
            self.note(FormulaError(str(error), token.span))
            return Number(0.0, COUNT, token.text, False, token.span)
        return Number(value, kind, token.text, fraction, token.span)

    def named(self) -> Node:
        """A name, what a step works out, or a function with its arguments."""
        name = self.token
        self.token = _after_name(self.text, name.end)
        if self.token.text == ".":
            self.take()
            if self.token.kind != "word":
                self.stop()
            output, step, at = self.token, name.text, name.span
            self.token = _after_name(self.text, output.end)
            if self.token.text == ".":  # what a step within a stencil works out
                step, at = f"{name.text}.{output.text}", (name.start, output.end)
                self.take()
                if self.token.kind != "word":
                    self.stop()
                output = self.take()
            return Output(step, output.text, (name.start, output.end), at)
        if self.token.text == "(":
            self.take()
            return self.called(name)
        return Name(name.text, name.span, name.span)

    def called(self, function: Token) -> Node:
        args: list[Node] = []
        if self.token.text != ")":
            args.append(self.expression())
            first = args[0]
            if self.token.text == "in" and isinstance(first, Name) and first.span == first.at:
                return self.fold(function, first.name)
        while self.token.text == ",":
            self.take()
            args.append(self.expression())
        end = self.expect(")").end
        return Call(function.text, tuple(args), (function.start, end), function.span)

    def fold(self, word: Token, counter: str) -> Fold:
        self.expect("in")
        first = self.expression()
        self.expect("..")
        last = self.expression()
        self.expect(":")
        body = self.expression()
        end = self.expect(")").end
        if word.text not in ("sum", "product"):
            self.note(
                FormulaError(
                    f"“{word.text}” cannot run over a range.",
                    word.span,
                    "Only sum and product can.",
                )
            )
        op: Literal["sum", "product"] = "sum" if word.text == "sum" else "product"
        return Fold(op, counter, first, last, body, (word.start, end))


def _after_name(text: str, at: int) -> Token:
    """The token after a name, where a point belongs to what follows it: ``passages.count``."""
    token = token_at(text, at)
    point = token.kind == "number" and token.text[0] == "."
    return Token("mark", ".", token.start, token.start + 1) if point else token


def _widened(node: Node, span: TextSpan) -> Node:
    """The same node, reaching over its parentheses."""
    wider = copy(node)
    # only its place differs, which does not count when trees are compared
    object.__setattr__(wider, "span", span)
    return wider


def _depth_ok(text: str) -> bool:
    """Whether nesting, counted over parentheses and the words that nest, stays within bounds."""
    if len(text) <= DEEPEST:
        return True
    depth = deepest = 0
    for character in text:
        depth += (character == "(") - (character == ")")
        deepest = max(deepest, depth)
    chains = max(text.count("if"), text.count("not"))
    signs = longest = 0
    for character in text.replace(" ", ""):
        signs = signs + 1 if character in "+-−^" else 0
        longest = max(longest, signs)
    return (
        deepest <= DEEPEST
        and chains <= DEEPEST
        and longest <= DEEPEST
        and text.count("^") <= DEEPEST
    )


def _depth(node: Node) -> int:
    """Depth of a tree without recursion, so that measuring it is safe."""
    deepest, waiting = 0, [(node, 1)]
    while waiting:
        current, depth = waiting.pop()
        deepest = max(deepest, depth)
        waiting.extend((child, depth + 1) for child in children(current))
    return deepest


def _read(text: str) -> Node:
    if len(text) > LONGEST_FORMULA:
        raise FormulaError(
            f"The formula is longer than {LONGEST_FORMULA} characters.",
            None,
            "Split it in two sizes.",
        )
    if not text.strip():
        raise FormulaError(
            "There is no formula.", (0, len(text)), "Type a number with its unit, such as 12 mm."
        )
    if not _depth_ok(text):
        raise FormulaError("The formula is nested too deeply.", None, "Split it in two sizes.")
    try:
        tree = _Reader(text).whole()
    except RecursionError:
        raise FormulaError(
            "The formula is nested too deeply.", None, "Split it in two sizes."
        ) from None
    if _depth(tree) > 200:
        raise FormulaError("The formula is too long a chain.", None, "Split it in two sizes.")
    return tree


@kept
def _parse(text: str) -> Node | FormulaError:
    try:
        return _read(text)
    except FormulaError as error:
        return error


def parse(text: str) -> Node:
    """Read a formula. The same text is read only once.

    Raises:
        FormulaError: says what cannot be read and where.
    """
    result = _parse(text)
    if isinstance(result, FormulaError):
        raise FormulaError(result.what, result.span, result.hint)
    return result


class Definition(NamedTuple):
    """The two sides of ``name = formula``, and where in the text the formula begins."""

    name: str
    formula: str
    at: int


def parse_definition(text: str) -> Definition | None:
    """Split ``name = formula`` into its two sides, or None where the text is not of that form.

    Raises:
        FormulaError: where the right side cannot be read, or the name cannot be used.
    """
    left, sign, right = text.partition("=")
    name = left.strip()
    if not sign or not name.isidentifier() or right.startswith("="):
        return None
    check_name(name)
    definition = Definition(name, right.strip(), len(text) - len(right.lstrip()))
    try:
        parse(definition.formula)
    except FormulaError as error:
        raise error.moved(definition.at) from None
    return definition


def check_name(name: str) -> None:
    """Refuse what cannot be the name of a size or step.

    Raises:
        FormulaError: says why.
    """
    if not name:
        raise FormulaError("A name is missing.", None, "Type one, such as width.")
    if not name.isidentifier():
        raise FormulaError(
            f"“{name}” cannot be a name.",
            None,
            "Use letters, digits and _, and begin with a letter: wall_2.",
        )
    if name in KEYWORDS - {"in"} or name == "pi":
        raise FormulaError(
            f"“{name}” is a word of the formula language.", None, "Choose another name."
        )


__all__ = ["KEYWORDS", "UNITS", "check_name", "parse", "parse_definition"]
