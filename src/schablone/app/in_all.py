"""All parts of a design as one: how large they are together, and how heavy."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.process.model import NO_MATERIAL
from ..core.quantity import grams_if_known, plain, say_grams
from ..worker import talk


def say_size(parts: Sequence[talk.PartReport]) -> str:
    """The box around all parts, at least one, with the unit."""
    boxes = [part["bounds"] for part in parts]
    sizes = (max(b[1][i] for b in boxes) - min(b[0][i] for b in boxes) for i in range(3))
    return " × ".join(plain(length, 2) for length in sizes) + " mm"


def mass_of(part: talk.PartReport) -> float | None:
    """What one part weighs, g; None where nobody knows how dense it is."""
    return grams_if_known(part["volume"], part["density"])


def say_mass(parts: Sequence[talk.PartReport]) -> str:
    """What all parts weigh, and what they are made of; that alone where it is not known of one."""
    made_of = ", ".join(dict.fromkeys(part["material"] for part in parts))
    known = [mass for part in parts if (mass := mass_of(part)) is not None]
    if len(known) < len(parts):
        return made_of if made_of == NO_MATERIAL else f"{made_of}, of unknown mass"
    return f"{say_grams(sum(known))} of {made_of}"
