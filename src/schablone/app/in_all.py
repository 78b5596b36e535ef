"""All parts of a design as one: how large they are together, and how heavy."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.quantity import grams, plain, say_grams
from ..worker import talk


def say_size(parts: Sequence[talk.PartReport]) -> str:
    """The box around all parts, at least one, with the unit."""
    boxes = [part["bounds"] for part in parts]
    sizes = (max(b[1][i] for b in boxes) - min(b[0][i] for b in boxes) for i in range(3))
    return " × ".join(plain(length, 2) for length in sizes) + " mm"


def mass_of(part: talk.PartReport) -> float:
    """What one part weighs, g."""
    return grams(part["volume"], part["density"])


def say_mass(parts: Sequence[talk.PartReport]) -> str:
    """What all parts weigh, and what they are made of."""
    made_of = ", ".join(dict.fromkeys(part["material"] for part in parts))
    return f"{say_grams(sum(map(mass_of, parts)))} of {made_of}"
