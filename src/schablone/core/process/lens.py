"""The lenses: how a design is seen.

*Wanted* is the design as it must be in the hand. *Sent* is what the machine is given: process functions in
formulas correct for the constant habits, and the whole part is scaled for shrinkage. *Expected* is what
should come off: the machine's habits applied to what was sent.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from .model import Process

Lens = Literal["wanted", "sent", "expected"]
LENSES: tuple[Lens, ...] = ("wanted", "sent", "expected")


@dataclass(frozen=True, slots=True)
class View:
    """A lens with its process; ``scaled`` says whether the part is scaled for shrinkage before it is sent."""

    lens: Lens
    process: Process
    scaled: bool = True

    @property
    def sent_values(self) -> bool:
        """Whether formulas give corrected sizes."""
        return self.lens != "wanted"

    def sent_factor(self, axis: str) -> float:
        """By what the whole part is scaled before it is sent, along ``xy`` or ``z``."""
        return 1.0 / self.process.kept(axis) if self.scaled else 1.0

    def factor(self, axis: str) -> float:
        """Length in this view over length in the formulas, gains apart."""
        if self.lens == "sent":
            return self.sent_factor(axis)
        # What was scaled up for shrinkage shrinks back to its length; what was not comes out short.
        return self.process.kept(axis) if self.lens == "expected" and not self.scaled else 1.0

    def gain(self, side: str) -> float:
        """What to add to a measure in the formulas so that it shows the machine's gain, mm."""
        return self.process.gain(side) / self.factor("xy") if self.lens == "expected" else 0.0

    @property
    def stretch(self) -> tuple[float, float, float]:
        """Factors along x, y and z from the formulas' space to this view."""
        return (self.factor("xy"), self.factor("xy"), self.factor("z"))

    def of(self, wanted: float, sent: float, side: str, axis: str) -> float:
        """A size in this view, from its wanted value and the corrected one that formulas give, mm."""
        if self.lens == "wanted":
            return wanted
        return (sent + self.gain(side)) * self.factor(axis)
