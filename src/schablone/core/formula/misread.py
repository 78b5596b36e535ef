"""What to say of a text that is no formula."""

from __future__ import annotations

from .errors import FormulaError
from .slips import slip
from .tokens import KEYWORDS, Token

_UNITS_TO_NAME = "mm, cm, m, in, ft, deg, rad, g, kg"


def explained(text: str, token: Token) -> FormulaError:
    """What is wrong with a text that can be read up to a token, which cannot stand there."""
    if token.kind == "end":
        return _cut_short(text)
    if (meant := slip(text, token.start)) is not None:
        return meant
    return _strange(text, token.start) if token.kind == "strange" else _out_of_place(text, token)


def _cut_short(text: str) -> FormulaError:
    at_end = (len(text), len(text))
    if text.count("(") > text.count(")"):
        return FormulaError("A closing parenthesis is missing.", at_end, "Add “)” at the end.")
    words = text.split()
    if "if" in words and "then" not in words:
        return FormulaError(
            "“if” needs a “then” and an “else”.", (0, len(text)), "if A then B else C"
        )
    if "then" in words and "else" not in words:
        return FormulaError("“else” is missing.", at_end, "Say what it is otherwise: else …")
    return FormulaError("The formula stops in the middle.", at_end, "Finish it.")


def _out_of_place(text: str, token: Token) -> FormulaError:
    before = text[: token.start].rstrip()
    last = before[-1:]
    is_name = token.kind == "word" and token.text not in KEYWORDS
    if token.text == ")" and before.count("(") == before.count(")"):
        return FormulaError(
            "There is one closing parenthesis too many.", token.span, "Take it out."
        )
    if is_name and last.isdigit():
        hint = f"Units are {_UNITS_TO_NAME}. To multiply, write *."
        return FormulaError(f"“{token.text}” is no unit.", token.span, hint)
    if token.text == "," and last.isdigit():
        return _decimal_comma(token.start)
    if token.kind == "number" and (last.isalnum() or last in (")", "_")):
        return FormulaError(
            f"A sign is missing before “{token.text}”.", token.span, "Write * to multiply."
        )
    if is_name and (last.isalnum() or last in (")", "_")):
        return FormulaError(
            f"A sign is missing before “{token.text}”.", token.span, "Write *, +, - or /."
        )
    return FormulaError(
        f"“{token.text}” cannot stand here.", token.span, "Something is missing before it."
    )


def _strange(text: str, start: int) -> FormulaError:
    character = text[start]
    words = text[start:].split()
    rest = words[0] if words else character
    if rest[0].isalpha():
        hint = "A sign is missing before it: * + - /."
        return FormulaError(f"“{rest}” cannot stand here.", (start, start + len(rest)), hint)
    hint = "Formulas use + - * / ^ ( ) and names."
    return FormulaError(f"“{character}” cannot stand here.", (start, start + 1), hint)


def _decimal_comma(at: int) -> FormulaError:
    hint = "Decimals are written with a point: 3.5 mm."
    return FormulaError("A comma stands where none belongs.", (at, at + 1), hint)
