"""What formulas ask of a machine and of tables of makers: sizes for mates, ISO holes and shafts,
clearance holes of screws."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Protocol

from .iso286 import deviations

#: The classes of fit, from tightest to loosest.
FITS = ("press", "push", "sliding", "loose")


class Habits(Protocol):
    """What formulas ask of a process. Lengths in mm."""

    def clearance(self, fit: str, size: float) -> float:
        """Hole minus peg for a class of fit at a size, all mm."""
        ...

    def send_inside(self, wanted: float, *, lying: bool = False, straight: bool = False) -> float:
        """What to draw so that an inside measure finishes at ``wanted``, mm, before scaling for
        shrinkage: of a round hole that stands or lies, or between straight walls."""
        ...

    def stock_of(self, nominal: float) -> float:
        """The measured thickness of the stock with a nominal one, mm."""
        ...

    def whole_steps(self, what: str, size: float) -> float:
        """The least whole number of printed ``lines`` or ``layers`` that is as wide or high."""
        ...

    def send_outside(self, wanted: float, *, straight: bool = True) -> float:
        """The same for an outside measure."""
        ...


def _gap(habits: Habits, size: float, fit: str, within: float) -> float:
    """Hole minus mate as it is to be meant, mm, where the mate may be off by ``within``: what
    slides still does at the worst mate, and what is pressed in still holds.

    Raises:
        ValueError: for a tolerance below zero.
    """
    if within < 0:
        raise ValueError("by how much the mate may be off must not be below zero")
    return habits.clearance(fit, size) + (within if fit in ("sliding", "loose") else -within)


def for_mate(side: str, *, straight: bool = False, share: float = 1.0) -> Callable[..., float]:
    """A size for a mate on a side of the material, round unless it is ``straight``, that takes its
    ``share`` of the gap."""

    def run(habits: Habits | None, size: float, fit: str, within: float = 0.0) -> float:
        if habits is None:
            return size
        gap = share * _gap(habits, size, fit, within)
        if side == "inside":
            return habits.send_inside(size + gap, straight=straight)
        return habits.send_outside(size - gap, straight=straight)

    return run


def iso_hole(habits: Habits | None, size: float, name: str) -> float:
    """A hole of a tolerance class of ISO 286, mm, at the middle of what is allowed."""
    wanted = size + deviations(size, name).middle
    return habits.send_inside(wanted) if habits else wanted


def iso_shaft(habits: Habits | None, size: float, name: str) -> float:
    """The same for a shaft."""
    wanted = size + deviations(size, name).middle
    return habits.send_outside(wanted, straight=False) if habits else wanted


#: Clearance holes for metric screws, mm, by their nominal diameter: fine, medium and coarse series
#: of ISO 273:1979.
CLEARANCE_HOLES: dict[float, tuple[float, float, float]] = {
    1.6: (1.7, 1.8, 2.0), 2.0: (2.2, 2.4, 2.6), 2.5: (2.7, 2.9, 3.1), 3.0: (3.2, 3.4, 3.6),
    4.0: (4.3, 4.5, 4.8),
    5.0: (5.3, 5.5, 5.8), 6.0: (6.4, 6.6, 7.0), 8.0: (8.4, 9.0, 10.0), 10.0: (10.5, 11.0, 12.0),
    12.0: (13.0, 13.5, 14.5),
    14.0: (15.0, 15.5, 16.5), 16.0: (17.0, 17.5, 18.5), 20.0: (21.0, 22.0, 24.0),
}  # fmt: skip


#: Clearance holes by nominal diameter: fine, medium and coarse, mm.
Screws = Mapping[float, tuple[float, float, float]]


def clearance_hole(series: int) -> Callable[[Screws, float], float]:
    """The hole of a series (0 fine, 1 medium, 2 coarse) for a screw, mm, by a design's own table
    first; ValueError where no table has that screw."""

    def run(own: Screws, screw: float) -> float:
        table = {**CLEARANCE_HOLES, **own}
        hole = table.get(round(screw, 9))
        if hole is None:
            known = ", ".join(f"{size:g}" for size in sorted(table))
            raise ValueError(
                f"there is no metric screw of {screw:g} mm in the table; there are {known} mm, "
                "and the design can have its own"
            )
        return hole[series]

    return run
