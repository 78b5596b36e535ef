"""Numbers with their units, as a workshop writes them: ``3.5 mm``, ``1 3/4 in``, ``5' 3-1/2"``."""

import re
from fractions import Fraction

from ..quantity import COUNT, LENGTH, UNITS, Kind, unit

_DECIMAL = r"(?:\d+(?:\.\d+)?|\.\d+)(?:[eE][+-]?\d+)?"
_PROPER = r"\d+/\d+"
# The longest spelling first, so that `mm` is not read as `m` and `g/cm³` not as `g`.
_UNIT = (
    "(?:"
    + "|".join(re.escape(name) for name in sorted(UNITS, key=len, reverse=True))
    + r")(?:²|³|\^[23])?"
)
_END = r"(?![\w²³])"
_FEET = r"(?:ft(?!\w)|')"
_INCH = r"(?:in(?!\w)|\")"
_MIXED = rf"(?:\d+[ \t-]+{_PROPER}|{_PROPER}|{_DECIMAL})"

#: A number with or without unit. The alternatives go from the most to the least specific.
PATTERN = (
    rf"{_DECIMAL}[ \t]*{_FEET}[ \t]*{_MIXED}[ \t]*{_INCH}"
    rf"|\d+[ \t]+{_PROPER}(?:[ \t]*{_UNIT}{_END})?"
    rf"|{_PROPER}[ \t]*(?:{_FEET}|{_INCH}|thou(?!\w))"
    rf"|{_DECIMAL}(?:[ \t]*{_UNIT}{_END})?"
)

_FEET_AND_INCHES = re.compile(rf"({_DECIMAL})[ \t]*{_FEET}[ \t]*({_MIXED})[ \t]*{_INCH}$")
# The commonest need no exact fractions: they are in base units already.
_PLAIN = re.compile(r"(\d{1,15}(?:\.\d{1,15})?)[ \t]*(mm)?$")
_NUMBER_THEN_UNIT = re.compile(rf"({_MIXED})[ \t]*(.*)$")


def _number(text: str) -> Fraction:
    """A decimal, a fraction or a mixed number, exactly."""
    whole, *rest = re.split(r"[ \t-]+", text) if "/" in text else [text]
    if rest:
        return Fraction(whole) + Fraction(rest[0])
    return Fraction(whole)


def read_literal(text: str) -> tuple[float, Kind, bool]:
    """Value in base units, kind, and whether it was written as a bare fraction (``3/16 in``).

    The value is worked out exactly and rounded once, so ``0.3 in`` is the float nearest to 7.62 mm.

    Raises:
        ValueError: for a fraction with a zero below the line, or a number beyond all measure.
    """
    try:
        if plain := _PLAIN.match(text):
            return float(plain[1]), LENGTH if plain[2] else COUNT, False
        if match := _FEET_AND_INCHES.match(text):
            feet, inches = _number(match[1]), _number(match[2])
            exact = feet * UNITS["ft"].factor + inches * UNITS["in"].factor
            return float(exact), UNITS["ft"].kind, False
        match = _NUMBER_THEN_UNIT.match(text)
        assert match is not None  # the lexer used the same pattern
        _refuse_huge_exponent(match[1])
        number = _number(match[1])
        fraction = bool(re.fullmatch(_PROPER, match[1]))
        if not match[2]:
            return float(number), COUNT, fraction
        named = unit(match[2])
        return float(number * named.factor), named.kind, fraction
    except ZeroDivisionError:
        raise ValueError(f"“{text}” divides by zero.") from None
    except OverflowError:
        raise ValueError(f"“{text}” is too large a number.") from None


def _refuse_huge_exponent(text: str) -> None:
    """Keep ``1e999999999`` from becoming a number of a billion digits."""
    exponent = re.search(r"[eE]([+-]?\d+)$", text)
    if len(text) > 60 or (exponent and abs(int(exponent[1])) > 400):
        raise ValueError(f"“{text[:40]}” is too large or too long a number.")
