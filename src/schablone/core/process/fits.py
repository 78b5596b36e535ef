"""Fits: the gap between a hole and what goes into it, by classes of feel."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, model_validator

from ..formula.iso286 import tolerance_unit
from ..model import Frozen

#: The widest gap of a fit, mm.
WIDEST = 5.0
Clearance = Annotated[float, Field(ge=-2, le=WIDEST, allow_inf_nan=False)]


class Fits(Frozen):
    """Clearance, hole minus peg, for each class of fit, in mm. A press fit may be negative.

    With a ``reference`` size above zero the clearances are those at that size, and grow and shrink
    with the tolerance unit of ISO 286; else they are the same for every size.
    """

    press: Clearance = -0.05
    push: Clearance = 0.05
    sliding: Clearance = 0.2
    loose: Clearance = 0.4
    reference: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.press <= self.push <= self.sliding <= self.loose:
            raise ValueError("fits must not get tighter from press over push and sliding to loose")
        return self

    def clearance(self, fit: str, size: float) -> float:
        """Hole minus peg in mm for a class of fit at a size in mm."""
        gap = float(getattr(self, fit))
        if self.reference <= 0 or size <= 0:
            return gap
        return gap * tolerance_unit(size) / tolerance_unit(self.reference)

    def kept_for(self, gap: float, size: float) -> float:
        """What is kept of a gap in mm that was found at a size in mm: what :meth:`clearance` gives
        it back from."""
        if self.reference <= 0 or size <= 0:
            return gap
        return gap * tolerance_unit(self.reference) / tolerance_unit(size)
