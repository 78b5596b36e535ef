"""From tree back to text: the plainest way of writing a formula that reads as the same tree."""

from __future__ import annotations

from .tree import Binary, Call, Compare, Fold, If, Logic, Name, Node, Number, Output, Quoted, Unary

# How strongly each form binds, as in the table at the top of parse.py.
_IF, _OR, _AND, _NOT, _COMPARE, _ADD, _MULTIPLY, _SIGN, _POWER, _ATOM = range(10)


def written(node: Node) -> str:
    """The text of a tree, with no more parentheses than it needs.

    Reading it again gives an equal tree, for every tree that came from reading text.
    """
    return _write(node)[0]


def _write(node: Node) -> tuple[str, int]:
    match node:
        case Number():
            # A unit would take a power to itself: (3 mm)^2 is not 3 mm^2.
            return node.text, _ATOM if node.text.replace(".", "").isdigit() else _POWER
        case Quoted():
            return f'"{node.text}"', _ATOM
        case Name() | Output():
            return node.name, _ATOM
        case Unary("not"):
            return f"not {_inside(node.operand, _NOT)}", _NOT
        case Unary():
            return f"{node.op}{_inside(node.operand, _SIGN)}", _SIGN
        case Binary("^"):
            if isinstance(node.right, Number) and node.right.text in ("²", "³"):
                return f"{_inside(node.left, _ATOM)}{node.right.text}", _POWER
            return f"{_inside(node.left, _ATOM)}^{_under(node.right, _SIGN)}", _POWER
        case Binary():
            place = _ADD if node.op in "+-" else _MULTIPLY
            right = (
                _under(node.right, place + 1) if node.op == "/" else _inside(node.right, place + 1)
            )
            return f"{_inside(node.left, place)} {node.op} {right}", place
        case Compare():
            words = [_inside(node.operands[0], _ADD)]
            for op, operand in zip(node.ops, node.operands[1:], strict=True):
                words += [op, _inside(operand, _ADD)]
            return " ".join(words), _COMPARE
        case Logic():
            place = _OR if node.op == "or" else _AND
            return f" {node.op} ".join(
                _inside(operand, place + 1) for operand in node.operands
            ), place
        case If():
            condition, yes, no = written(node.condition), written(node.yes), written(node.no)
            return f"if {condition} then {yes} else {no}", _IF
        case Call():
            return f"{node.function}({', '.join(written(arg) for arg in node.args)})", _ATOM
        case Fold():
            first, last = written(node.first), written(node.last)
            return f"{node.op}({node.counter} in {first} .. {last}: {written(node.body)})", _ATOM


def _inside(node: Node, least: int) -> str:
    """A piece in a place that wants it to bind at least so strongly."""
    text, place = _write(node)
    return text if place >= least else f"({text})"


def _under(node: Node, least: int) -> str:
    """A piece behind a stroke or a power, where a bare fraction could be read in two ways."""
    return f"({node.text})" if isinstance(node, Number) and node.fraction else _inside(node, least)
