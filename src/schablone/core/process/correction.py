"""What a length of a part is for the machine that makes it: along which axes it shrinks, and which
gains act on it.

Read off the geometry once, it feeds all that is said of a size: what is sent, what is to be
expected, how sure that is.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

Side = Literal["inside", "outside"]


@dataclass(frozen=True, slots=True)
class Gain:
    """How a length takes part in the machine's gain on one side of the material.

    ``share`` is 1 where both its ends lie on that side, a half where one does, and below zero where
    it is what is left beside it. ``round`` is how many times the length the diameter of its round
    wall is (2 for a radius), 0 between straight walls. ``lying``: of a hole that lies while it is
    made.
    """

    side: Side
    share: float = 1.0
    round: float = 0.0
    lying: bool = False


@dataclass(frozen=True, slots=True)
class Correction:
    """The axes that a length lies along, ``xy`` or ``z`` or both, and its gains. No axis: it lies
    at a slant, or is no length of the part."""

    axes: frozenset[str] = frozenset()
    gains: tuple[Gain, ...] = ()

    @property
    def axis(self) -> str:
        """The axis by which it is scaled: along the bed where it lies along both."""
        return "xy" if "xy" in self.axes or not self.axes else "z"

    @property
    def side(self) -> str:
        """The side of the material that all of it is on; empty where it has none or two."""
        sides = {gain.side for gain in self.gains if gain.share > 0}
        return sides.pop() if len(sides) == 1 and all(gain.share > 0 for gain in self.gains) else ""

    @property
    def round(self) -> bool:
        """Whether it measures a round wall."""
        return any(gain.round for gain in self.gains)

    @property
    def lying(self) -> bool:
        """Whether it measures a hole that lies."""
        return any(gain.lying for gain in self.gains)

    def gained(self, gain: Callable[[Side, float, bool], float], drawn: float) -> float:
        """By how much it grows, mm, where ``gain`` tells what a side gains at a diameter (0 for
        straight walls), standing or lying, and it is drawn as ``drawn`` mm."""
        return math.fsum(
            one.share * gain(one.side, drawn * one.round, one.lying) for one in self.gains
        )

    def moved(self, by: float) -> float:
        """By how much it grows where all outlines move out of the material by ``by`` mm."""
        return math.fsum(
            one.share * (2 * by if one.side == "outside" else -2 * by) for one in self.gains
        )
