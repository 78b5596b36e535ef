"""Numbers in fields that hold no formula, as people type them: with a point or a comma, and of
lengths and masses with their unit."""

from __future__ import annotations

import math
import re

from ..quantity import LENGTH, MASS, Kind
from .literal import PATTERN, read_literal

_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_LITERAL = re.compile(rf"([+-]?)\s*({PATTERN})")


def typed_number(text: str) -> float | None:
    """A number as it was typed; None where it is none."""
    text = _usual(text)
    value = float(text) if _NUMBER.fullmatch(text) else math.nan
    return value if math.isfinite(value) else None


def typed_length(text: str) -> float | None:
    """A length as it was typed, mm, such as ``12,5``, ``2.5 cm`` or ``1 1/2 in``; None where it is
    none. A bare number is in mm."""
    return _typed(text, LENGTH)


def typed_mass(text: str) -> float | None:
    """A mass as it was typed, g, such as ``12,5`` or ``2 kg``; None where it is none. A bare number
    is in g."""
    return _typed(text, MASS)


def _typed(text: str, wanted: Kind) -> float | None:
    value = typed_number(text)
    if value is not None:
        return value
    match = _LITERAL.fullmatch(_usual(text))
    if match is None:
        return None
    try:
        value, kind, _ = read_literal(match[2])
    except ValueError:
        return None
    return (-value if match[1] == "-" else value) if kind == wanted else None


def _usual(text: str) -> str:
    return text.strip().replace("−", "-").replace(",", ".")
