"""A limit that was found to rule a failure out, and putting it into the design."""

from __future__ import annotations

from dataclasses import dataclass

from ...design.model import Design
from ...formula.rewrite import is_number


@dataclass(frozen=True, slots=True)
class Mend:
    """A limit that rules a failure out: the ``end`` (``low`` or ``high``) of a size, its formula,
    and what share of all builds that hold is still allowed."""

    size: str
    end: str
    formula: str
    keeps: float

    def words(self) -> str:
        """``margin <= width/3``."""
        sign = "<=" if self.end == "high" else ">="
        return f"{self.size} {sign} {self.formula}"


def taken(design: Design, mend: Mend) -> Design:
    """The design with a limit that was proposed: in its edition where the size is adjusted there
    within limits of its own, at the size elsewhere. What it was held to before still holds."""
    adjust = list(design.publish.adjust)
    for k, item in enumerate(adjust):
        own = getattr(item, mend.end)
        if item.size == mend.size and own:
            adjust[k] = item.with_(**{mend.end: _both(own, mend)})
            publish = design.publish.model_copy(update={"adjust": tuple(adjust)})
            return design.model_copy(update={"publish": publish})
    sizes = [
        size.with_(**{mend.end: _both(getattr(size, mend.end), mend)})
        if size.name == mend.size
        else size
        for size in design.sizes
    ]
    return design.model_copy(update={"sizes": tuple(sizes)})


def _both(before: str, mend: Mend) -> str:
    """A limit beside the one before; of two numbers the new one is the narrower."""
    if not before.strip() or (is_number(before) and is_number(mend.formula)):
        return mend.formula
    return f"{'min' if mend.end == 'high' else 'max'}({before}, {mend.formula})"
