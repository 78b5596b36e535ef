"""From tree to value: kinds are worked out first, over all branches; then the formula is a plain
function.

Kinds never depend on values, so a wrong unit is found even in the branch of an ``if`` that is not
taken, and evaluation itself is arithmetic on floats.

*Wanted and sent.* Under the lens *Sent* the process functions return corrected sizes. What is
counted, rounded or decided (floor, comparisons, ``if``) is always worked out on the wanted sizes,
so that a correction of a tenth of a millimetre never changes how many holes there are.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from ..quantity import COUNT, TRUTH, ZERO, Kind
from .calls import call
from .env import MOST_TERMS, Compiled, Env, Run, Typed
from .errors import FormulaError, did_you_mean
from .fitting import TOLERANCE
from .functions import FUNCTIONS, PROCESS_FUNCTIONS
from .kept import kept
from .parse import parse
from .rewrite import columns_in, names_in
from .slips import said_as_fraction
from .tree import Binary, Call, Compare, Fold, If, Logic, Name, Node, Number, Output, Quoted, Unary


class _UnknownName(FormulaError):
    """A name that is no size. The hint is added where all names are known."""

    def __init__(self, name: str, span: tuple[int, int]) -> None:
        super().__init__(f"There is no size “{name}”.", span)
        self.name = name


#: The largest exponent of what has a unit.
_SIGNED_POWERS = 6
#: So many characters of a term count as one step more.
_CHEAP = 20


class _Compiler:
    def __init__(self, text: str, kinds: Mapping[str, Kind], columns: Mapping[str, Kind]) -> None:
        self.text, self.kinds, self.columns = text, dict(kinds), columns

    def piece(self, node: Node) -> str:
        """The text of a node, for messages; long ones are cut in the middle."""
        text = " ".join(self.text[slice(*node.span)].split())
        return text if len(text) <= 40 else f"{text[:24]} … {text[-12:]}"

    def visit(self, node: Node) -> Typed:
        match node:
            case Number():
                value = node.value
                kind = ZERO if value == 0 and node.kind == COUNT else node.kind
                return Typed(kind, lambda env: value, value)
            case Name() | Output():
                return self.name(node)
            case Quoted():
                raise FormulaError(
                    f"“{node.text}” is the name of a row, a value is wanted.",
                    node.span,
                    f"Say which column: {FUNCTIONS['from_row'].usage}.",
                )
            case Unary():
                return self.unary(node)
            case Binary():
                return self.binary(node)
            case Compare():
                return self.compare(node)
            case Logic():
                return self.logic(node)
            case If():
                return self.choose(node)
            case Call():
                return call(self, node)
            case Fold():
                return self.fold(node)

    def name(self, node: Name | Output) -> Typed:
        name = node.name
        if name in self.kinds:
            return Typed(self.kinds[name], lambda env: env.values[name])
        if name == "pi":
            return Typed(COUNT, lambda env: math.pi, math.pi)
        if name in ("yes", "no"):
            truth = float(name == "yes")
            return Typed(TRUTH, lambda env: truth, truth)
        if name in FUNCTIONS:
            raise FormulaError(
                f"“{name}” is a function and needs its parentheses.",
                node.span,
                FUNCTIONS[name].usage,
            )
        raise _UnknownName(name, node.span)

    def number(self, node: Node) -> Typed:
        """A piece that must be a number."""
        typed = self.visit(node)
        if typed.kind == TRUTH:
            raise FormulaError(
                f"“{self.piece(node)}” is a yes or no, a number is wanted.", node.span
            )
        return typed

    def truth(self, node: Node) -> Run:
        typed = self.visit(node)
        if typed.kind != TRUTH:
            raise FormulaError(
                f"“{self.piece(node)}” is {typed.kind.with_article}, a yes or no is wanted.",
                node.span,
                "Compare it with something: > 100 mm.",
            )
        return typed.run

    def unary(self, node: Unary) -> Typed:
        if node.op == "not":
            inner = self.truth(node.operand)
            return Typed(TRUTH, lambda env: 1.0 - inner(env))
        typed = self.number(node.operand)
        if node.op == "+":
            return typed
        run = typed.run
        constant = None if typed.constant is None else -typed.constant
        return Typed(typed.kind, lambda env: -run(env), constant)

    def agree(
        self, left: tuple[Node, Kind], right: tuple[Node, Kind], doing: str, whole: Node
    ) -> Kind:
        """The common kind of two pieces, or an error that names both and where they come from."""
        (a_node, a), (b_node, b) = left, right
        if a == ZERO:
            return b
        if b in (ZERO, a):
            return a
        hint = ""
        for node, kind, other in ((a_node, a, b), (b_node, b, a)):
            if kind == COUNT and isinstance(node, Number):
                unit = {"length": " mm", "angle": " deg", "mass": " g", "area": " mm²"}.get(
                    other.label, ""
                )
                hint = f"Give {node.text} its unit: {node.text}{unit}." if unit else ""
                if node.text.endswith("%"):
                    rest = self.piece(a_node if node is b_node else b_node)
                    hint = f"Say of what it is a share: {node.text} * {rest}."
        raise FormulaError(
            f"“{self.piece(a_node)}” is {a.with_article} and “{self.piece(b_node)}” is "
            f"{b.with_article}; "
            f"they cannot be {doing}.",
            whole.span,
            hint,
        )

    def binary(self, node: Binary) -> Typed:
        left, right = self.number(node.left), self.number(node.right)
        a, b = left.run, right.run
        if node.op in "+-":
            doing = "added" if node.op == "+" else "subtracted"
            kind = self.agree((node.left, left.kind), (node.right, right.kind), doing, node)
            if kind == ZERO:
                kind = COUNT
            return Typed(
                kind,
                (lambda env: a(env) + b(env)) if node.op == "+" else (lambda env: a(env) - b(env)),
            )
        left_kind = COUNT if left.kind == ZERO else left.kind
        right_kind = COUNT if right.kind == ZERO else right.kind
        if node.op == "*":
            kind, factor = left_kind.times(right_kind)
            self.keep_small(kind, node)
            if factor == 1.0:
                return Typed(kind, lambda env: a(env) * b(env))
            return Typed(kind, lambda env: a(env) * b(env) * factor)
        if node.op == "/":
            kind, factor = left_kind.times(right_kind.inverse())
            self.keep_small(kind, node)
            below = node.right

            def divide(env: Env) -> float:
                divisor = b(env)
                if divisor == 0:
                    raise FormulaError(
                        f"“{self.piece(below)}” is 0, and nothing can be divided by 0.",
                        below.span,
                        "Guard it: if … then … else …",
                    )
                return a(env) / divisor * factor

            return Typed(kind, divide)
        return self.power(node, left, right)

    def keep_small(self, kind: Kind, node: Node) -> None:
        if max(abs(exponent) for exponent in kind[:3]) > 12:
            raise FormulaError(f"“{self.piece(node)}” has no kind that means anything.", node.span)

    def power(self, node: Binary, left: Typed, right: Typed) -> Typed:
        if right.kind not in (COUNT, ZERO):
            raise FormulaError(
                f"The exponent “{self.piece(node.right)}” is "
                f"{right.kind.with_article}, a count is wanted.",
                node.right.span,
            )
        kind = COUNT
        if left.kind not in (COUNT, ZERO):
            exponent = right.constant
            if exponent is None or exponent != int(exponent) or abs(exponent) > _SIGNED_POWERS:
                raise FormulaError(
                    f"“{self.piece(node.left)}” is {left.kind.with_article}; its exponent must "
                    "be a whole number "
                    f"up to {_SIGNED_POWERS} that is typed here.",
                    node.right.span,
                    "For a root, use sqrt().",
                )
            kind = left.kind.power(int(exponent))
            self.keep_small(kind, node)
        a, b = left.run, right.run

        def raise_to(env: Env) -> float:
            base, exponent = a(env), b(env)
            if not (math.isfinite(base) and math.isfinite(exponent)):
                raise FormulaError("The answer is too large a number.", node.span)
            if base == 0 and exponent < 0:
                raise FormulaError("0 to a negative power has no value.", node.span)
            if base < 0 and exponent != int(exponent):
                raise FormulaError("A negative number has no broken powers.", node.span)
            return float(base**exponent)

        return Typed(kind, raise_to)

    def compare(self, node: Compare) -> Typed:
        pieces = [self.visit(operand) for operand in node.operands]
        for index in range(len(pieces) - 1):
            left = (node.operands[index], pieces[index].kind)
            right = (node.operands[index + 1], pieces[index + 1].kind)
            self.agree(left, right, "compared", node)
        runs, ops = [piece.run for piece in pieces], node.ops

        def test(env: Env) -> float:
            values = [run(env.wanted) for run in runs]
            return float(all(_holds(values[i], op, values[i + 1]) for i, op in enumerate(ops)))

        return Typed(TRUTH, test)

    def logic(self, node: Logic) -> Typed:
        runs = [self.truth(operand) for operand in node.operands]
        combine = all if node.op == "and" else any
        return Typed(TRUTH, lambda env: float(combine(run(env) for run in runs)))

    def choose(self, node: If) -> Typed:
        condition = self.truth(node.condition)
        yes, no = self.visit(node.yes), self.visit(node.no)
        if {yes.kind, no.kind} == {TRUTH}:
            kind = TRUTH
        else:
            kind = self.agree(
                (node.yes, yes.kind), (node.no, no.kind), "the two answers of one “if”", node
            )
        a, b = yes.run, no.run
        return Typed(kind, lambda env: a(env) if condition(env) else b(env))

    def fold(self, node: Fold) -> Typed:
        first, last = self.number(node.first), self.number(node.last)
        for piece, part in ((first, node.first), (last, node.last)):
            if piece.kind not in (COUNT, ZERO):
                raise FormulaError(
                    f"“{self.piece(part)}” is {piece.kind.with_article}; a "
                    "range goes from count to count.",
                    part.span,
                )
        shadowed = self.kinds.get(node.counter)
        self.kinds[node.counter] = COUNT
        body = self.number(node.body)
        if shadowed is None:
            del self.kinds[node.counter]
        else:
            self.kinds[node.counter] = shadowed
        if node.op == "product" and body.kind not in (COUNT, ZERO):
            raise FormulaError(
                f"“{self.piece(node.body)}” is {body.kind.with_article}; only counts can be "
                "multiplied over a range.",
                node.body.span,
            )

        start, end = node.body.span
        weight = 1 + (end - start) // _CHEAP

        def run(env: Env) -> float:
            low, high = first.run(env.wanted), last.run(env.wanted)
            terms = high - low + 1
            if terms > env.terms or not math.isfinite(terms):
                raise FormulaError(f"The range has more than {MOST_TERMS:,} terms.", node.span)
            if low != int(low) or high != int(high):
                raise FormulaError(
                    "A range goes over whole numbers.", node.span, "Use floor() or ceil()."
                )
            if env.spent is not None:
                env.spent.take(int(terms) * weight, node.span)
            values = []
            inner, give = env.within(node.counter)
            inner.terms = inner.wanted.terms = int(env.terms // max(1.0, terms))
            for counter in range(int(low), int(high) + 1):
                give(float(counter))
                values.append(body.run(inner))
            return math.fsum(values) if node.op == "sum" else float(math.prod(values))

        return Typed(body.kind, run)


def _holds(a: float, op: str, b: float) -> bool:
    """Compare with the tolerance of floor and ceil: equal within one part in 10⁹ is equal."""
    equal = abs(a - b) <= TOLERANCE * max(abs(a), abs(b))
    match op:
        case "=":
            return equal
        case "!=":
            return not equal
        case "<":
            return a < b and not equal
        case ">":
            return a > b and not equal
        case "<=":
            return a < b or equal
        case _:
            return a > b or equal


@kept
def _compiled(
    text: str, kinds: tuple[tuple[str, Kind], ...], columns: tuple[tuple[str, Kind], ...]
) -> Compiled:
    tree = parse(text)
    try:
        typed = _Compiler(text, dict(kinds), dict(columns)).visit(tree)
    except RecursionError:
        raise FormulaError(
            "The formula is nested too deeply.", None, "Split it in two sizes."
        ) from None
    side = PROCESS_FUNCTIONS.get(tree.function, "") if isinstance(tree, Call) else ""
    return Compiled(text, tree, typed.kind, typed.run, side)


def compile_formula(
    text: str, kinds: Mapping[str, Kind], columns: Mapping[str, Kind] | None = None
) -> Compiled:
    """Work out the kind of a formula and make it ready to run.

    ``kinds`` gives the kind of every name that the formula may use, ``columns`` those of the size
    table.

    Raises:
        FormulaError: for what cannot be read, unknown names, and kinds that do not go together.
    """
    used = tuple((name, kinds[name]) for name in sorted(names_in(text)) if name in kinds)
    try:
        return _compiled(text, used, tuple((columns or {}).items()) if columns_in(text) else ())
    except _UnknownName as error:
        raise _explain_unknown(error, kinds) from None


def _explain_unknown(error: _UnknownName, kinds: Mapping[str, Kind]) -> FormulaError:
    step, point, output = error.name.partition(".")
    outputs = sorted(known.split(".")[1] for known in kinds if known.startswith(f"{step}."))
    if point and outputs:
        hint = f"“{step}” works out {', '.join(outputs)}."
        return FormulaError(f"“{step}” works out no “{output}”.", error.span, hint)
    hint = did_you_mean(error.name, sorted(kinds)) or said_as_fraction(error.name[:1])
    return FormulaError(
        error.what,
        error.span,
        hint or "Make a size of that name first, or choose one that is there.",
    )
