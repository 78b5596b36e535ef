"""What people write out of habit, and how formulas write it."""

from __future__ import annotations

import re
import unicodedata

from .errors import FormulaError

_DASHES = "–—‒"
#: A comma in parentheses that follow ``if``.
_IF_CALLED = re.compile(r"\bif\s*\([^()]*$")


def slip(text: str, at: int) -> FormulaError | None:
    """What was meant by a text that can be read up to a place; None where that is no habit that
    is known."""
    before, sign = text[:at].rstrip(), text[at : at + 1]
    span = (at, at + 1)
    for start in (at, len(before) - 1):
        if 0 <= start < len(text) and (hint := said_as_fraction(text[start])):
            what = f"“{text[start]}” is not read as a number."
            return FormulaError(what, (start, start + 1), hint)
    if sign and sign in _DASHES:
        return FormulaError(f"“{sign}” is a dash.", span, "Minus is written -.")
    if sign == "√":
        return FormulaError("“√” is written in letters.", span, "Write sqrt(16 mm²).")
    if sign == "±":
        hint = "How far it may be off is said beside it, as its tolerance."
        return FormulaError("A formula gives one value.", span, hint)
    if sign == "," and _IF_CALLED.search(before):
        return FormulaError("“if” takes words, no commas.", span, "Write if A then B else C.")
    if before.endswith("%") or re.match(r"mod\b(?!\s*\()", text[at:]):
        hint = "What is left over after whole steps: mod(38 mm, 5 mm)."
        return FormulaError(f"“{text[at:].split()[0]}” cannot stand here.", span, hint)
    if sign == "(" and (before[-1:].isdigit() or before[-1:] == ")"):
        return FormulaError("A sign is missing before “(”.", span, "To multiply, write *.")
    return None


def said_as_fraction(sign: str) -> str:
    """How a fraction that is one sign is written; nothing where it is none."""
    top, stroke, bottom = unicodedata.normalize("NFKD", sign).partition("⁄")
    if not stroke or not top.isdigit() or not bottom.isdigit():
        return ""
    return f"Write {top}/{bottom}, and 3{sign} as 3 {top}/{bottom}."
