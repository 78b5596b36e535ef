"""What rows, grids, rings and mirrors have in common: a step that adds or cuts, used at several places."""

from __future__ import annotations

from collections.abc import Iterable

from ..kernel.motion import Motion
from ..kernel.tools import Tool, placed
from .base import Feature, StepError, Workshop, say_step

#: The most members. A count beyond it is a slip in a formula, not a design.
MOST_MEMBERS = 5000


def seed_of(shop: Workshop, of: str) -> Feature:
    """What a step did, to be repeated.

    Raises:
        StepError: where there is no such step, or one that changes the part as a whole.
    """
    seed = shop.features.get(of)
    if seed is None:
        what = f"“{say_step(of)}” is not there to be repeated." if of else "No step is chosen."
        raise StepError(what, "Choose a step above this one that adds or cuts.", "of", sorted(shop.features))
    if seed.change is not None:
        raise StepError(
            f"“{say_step(of)}” changes the part as a whole, and cannot be repeated.", "Choose another step.", "of"
        )
    return seed


def repeated(seed: Feature, motions: Iterable[Motion]) -> Feature:
    """The seed under each motion, its faces numbered from 1."""
    tools: list[Tool] = []
    for number, motion in enumerate(motions, 1):
        tools += [placed(tool, motion).of_member(number) for tool in seed.tools]
    return Feature(seed.operation, seed.part, tools, seed.check)


def whole(value: float, what: str, formula: str, where: str, least: int = 1) -> int:
    """A count.

    Raises:
        StepError: where it is no whole number, too small, or far too large.
    """
    if value != round(value) or value < least:
        raise StepError(
            f"The {what} is {value:g} (from “{formula}”); it must be a whole number from {least}.",
            f"Change “{formula}”.",
            where,
        )
    if value > MOST_MEMBERS:
        raise StepError(f"The {what} is {value:,.0f}; {MOST_MEMBERS:,} are the most.", f"Change “{formula}”.", where)
    return int(value)
