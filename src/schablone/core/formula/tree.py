"""The parsed form of a formula.

Every node knows its place in the text (``span``), which does not count when trees are compared: two
formulas are equal when they mean the same, however they are spaced.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from ..quantity import Kind

TextSpan = tuple[int, int]


@dataclass(frozen=True, slots=True)
class Number:
    """A literal: value in base units, kind, and the text it was written as."""

    value: float
    kind: Kind
    text: str = field(compare=False)
    fraction: bool = field(compare=False, default=False)
    span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Name:
    """A size, or in the place of a fit a word like ``sliding``. ``at`` is the name without
    parentheses."""

    name: str
    span: TextSpan = field(compare=False, default=(0, 0))
    at: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Output:
    """What a step works out: ``passages.count``, or one within a stencil: ``vent.slots.count``.
    ``at`` is the step's name in it."""

    step: str
    output: str
    span: TextSpan = field(compare=False, default=(0, 0))
    at: TextSpan = field(compare=False, default=(0, 0))

    @property
    def name(self) -> str:
        """The name as formulas write it."""
        return f"{self.step}.{self.output}"


@dataclass(frozen=True, slots=True)
class Quoted:
    """The name of a row of the size table, as in ``from_row(depth, "Hummel 10")``."""

    text: str
    span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Unary:
    """``-x``, ``+x`` or ``not x``."""

    op: Literal["-", "+", "not"]
    operand: Node
    span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Binary:
    """Arithmetic on two operands."""

    op: Literal["+", "-", "*", "/", "^"]
    left: Node
    right: Node
    span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Compare:
    """A chain of comparisons: ``3 mm <= web < 8 mm`` has three operands and two signs."""

    ops: tuple[str, ...]
    operands: tuple[Node, ...]
    span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Logic:
    """``and`` or ``or`` over two or more operands."""

    op: Literal["and", "or"]
    operands: tuple[Node, ...]
    span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class If:
    """``if condition then yes else no``."""

    condition: Node
    yes: Node
    no: Node
    span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Call:
    """A function with its arguments."""

    function: str
    args: tuple[Node, ...]
    span: TextSpan = field(compare=False, default=(0, 0))
    name_span: TextSpan = field(compare=False, default=(0, 0))


@dataclass(frozen=True, slots=True)
class Fold:
    """``sum(i in 1..n: …)`` and ``product(i in 1..n: …)``."""

    op: Literal["sum", "product"]
    counter: str
    first: Node
    last: Node
    body: Node
    span: TextSpan = field(compare=False, default=(0, 0))


Node = Number | Quoted | Name | Output | Unary | Binary | Compare | Logic | If | Call | Fold


def children(node: Node) -> tuple[Node, ...]:
    """The direct parts of a node, left to right."""
    match node:
        case Unary():
            return (node.operand,)
        case Binary():
            return (node.left, node.right)
        case Compare() | Logic():
            return node.operands
        case If():
            return (node.condition, node.yes, node.no)
        case Call():
            return node.args
        case Fold():
            return (node.first, node.last, node.body)
        case _:
            return ()
