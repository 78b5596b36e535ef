"""Solving: from a drawing as drawn to one in which everything holds.

Dimensions do not jump to their values: the drawing is first made to hold with its dimensions as
drawn, then these are led to their values together, in steps as large as the drawing follows without
leaping (continuation, E. Allgower, K. Georg, Introduction to Numerical Continuation Methods, SIAM
2003). So a triangle or a tangent never flips over because a size was changed much at once, and the
outcome does not depend on what was typed before.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from .newton import GOOD, MOST_STEPS, Floats, Solution, newton
from .system import System
from .together import Wholes
from .vanishing import Watch, holding
from .variables import FEW

_SMALLEST_SHARE = 1 / 256
#: How far a step of the continuation may go from its first, straight part.
_MOST_BEND = 0.35


def solve(
    system: System,
    values: Mapping[str, float],
    start: Floats | None = None,
    *,
    patient: bool = True,
    as_wholes: bool = False,
) -> Solution:
    """Lead the dimensions to ``values`` (mm and degrees, by name) and make everything hold.

    Dimensions without a value stay as drawn. Where something cannot hold, the solution is the last
    that did, with the residuals of the first step that failed. Not ``patient``, it gives up sooner.

    What is loose moves as little as can be, each point for itself; ``as_wholes`` it keeps its shape
    where that is possible, and moves and turns instead. What is settled comes out alike.

    Raises:
        CannotHold: for a value that no drawing can have.
    """
    begun = system.start if start is None else start
    # What moves point by point may tear a shape apart on the way to where it could simply go; and
    # what keeps its shape may be in its own way.
    ways = [True, False] if as_wholes else [False, True]
    for whole in ways if system.rows <= FEW else [False]:
        leading = _Leading(system, values, begun, patient=patient and not whole, whole=whole)
        found = leading.to_the_end()
        if found.holds:
            return found
        if found.lost and not as_wholes:
            break
    if not found.lost:
        return found
    # Nearest is not best there: another way may leave what would be lost as it is drawn.
    drawing, held = holding(system, found.lost)
    keeping = System(drawing, system.shapes)
    kept = _Leading(keeping, {**values, **held}, begun, patient=patient).to_the_end()
    system.looks += keeping.looks
    if kept.holds and held:
        return replace(kept, residuals=kept.residuals[: system.rows])
    return found


class _Leading:
    """A drawing on its way from ``start`` to where its dimensions have their ``values``.

    ``whole``: shapes move and turn as wholes as far as they can.
    """

    def __init__(
        self,
        system: System,
        values: Mapping[str, float],
        start: Floats,
        *,
        patient: bool,
        whole: bool = False,
    ) -> None:
        self.system, self.start = system, start
        self.wholes = Wholes(system) if whole else None
        self.smallest, self.most = (_SMALLEST_SHARE, MOST_STEPS) if patient else (1 / 16, 12)
        self.steps = 0
        self.drawn = system.targets.copy()
        wanted = system.targets.copy()
        for dimension in system.drawing.dimensions:
            row = system.dimension_rows.get(dimension.name)
            if row is not None and dimension.name in values:
                wanted[row] = system.target(dimension, values[dimension.name])
        angles = np.array(system.angular, dtype=bool)
        self.change = wanted - self.drawn
        if angles.any():
            # An angle goes the short way round.
            turn = 2 * np.pi * system.size
            self.change[angles] -= turn * np.round(self.change[angles] / turn)
        nothing = ~angles & (np.abs(wanted) <= GOOD * system.size)
        to_nothing = any(nothing[row] for row in system.dimension_rows.values())
        self.watch = Watch(system, start, to_nothing=to_nothing)

    def to_the_end(self) -> Solution:
        """Lead it; what is lost on the way is no solution."""
        try:
            found = self._led()
        finally:
            self.system.targets = self.drawn
        lost = self.watch.lost(found.x) if found.holds else ()
        return replace(found, holds=False, lost=lost) if lost else found

    def _newton(self, x: Floats, system: System | None = None, most: int | None = None) -> Solution:
        found = newton(system or self.system, x, most=most or self.most, wholes=self.wholes)
        self.steps += found.steps
        return found

    def _led(self) -> Solution:
        system, drawn, change = self.system, self.drawn, self.change
        near = (
            max(
                np.abs(change).max(initial=0.0),
                np.abs(system.residuals(self.start)).max(initial=0.0),
            )
            <= 0.02 * system.size
        )
        if near:
            # A small change is one step, most times.
            system.targets = drawn + change
            solution = self._newton(self.start)
            if solution.holds and solution.bend <= _MOST_BEND:
                return solution
            system.targets = drawn
        # Dimensions as drawn, and everything else made to hold; then they are measured anew from
        # there.
        first = self._loosened(change != 0)
        if not first.holds:
            return self._all_led(drawn + change)
        x = first.x
        self.watch.saw(x)
        measured = drawn + (system.residuals(x) + system.targets - drawn)
        moving = change != 0
        change = change.copy()
        change[moving] += (drawn - measured)[moving]
        drawn = np.where(moving, measured, drawn)
        found = self._in_steps(x, lambda share: drawn + change * share, 1.0)
        if found.holds:
            return found
        # Dimensions that say the same in different terms agree at both ends of the way, not on it.
        # Nor does every demand that only just touches hold on the way.
        system.targets = drawn + change
        for place in (found.x, self.start):
            whole = self._newton(place)
            if whole.holds:
                return whole
        return found

    def _all_led(self, final: Floats) -> Solution:
        """Lead every equation from the value it has at the start to the one it must have.

        For a drawing that something else has moved far, such as a curve whose formula has other
        sizes now.
        """
        self.system.targets = final
        off = self.system.residuals(self.start)
        return self._in_steps(self.start, lambda share: final + (1.0 - share) * off, 0.25)

    def _in_steps(self, x: Floats, targets: Callable[[float], Floats], share: float) -> Solution:
        """Go from ``x`` all the way, with a first step of a ``share`` of it, and then in steps as
        large as the drawing follows without leaping."""
        system, done = self.system, 0.0
        while done < 1.0:
            share = min(share, 1.0 - done)
            system.targets = targets(done + share)
            solution = self._newton(x)
            leapt = solution.bend > _MOST_BEND and share > self.smallest * 4
            if solution.holds and not leapt:
                x, done = solution.x, done + share
                self.watch.saw(x)
                share *= 2 if solution.steps <= 4 else 1
            elif share <= self.smallest:
                system.targets = targets(1.0)
                return Solution(x, False, solution.residuals, done, self.steps)
            else:
                share /= 4 if not solution.holds else 2
        system.targets = targets(1.0)
        return Solution(x, True, system.residuals(x), 1.0, self.steps)

    def _loosened(self, loose: NDArray[np.bool_]) -> Solution:
        """A Newton solve in which some dimensions keep whatever value they come to."""
        system = self.system
        names = {system.owners[row] for row in np.flatnonzero(loose)}
        if not names:
            return self._newton(self.start, most=MOST_STEPS)
        drawing = system.drawing.model_copy(
            update={
                "dimensions": tuple(d for d in system.drawing.dimensions if d.name not in names)
            }
        )
        base = System(drawing, system.shapes)
        keep = [row for row, owner in enumerate(system.owners) if owner not in names]
        base.targets = system.targets[keep]
        # Both number the variables alike: dimensions bring none.
        return self._newton(self.start, base, most=MOST_STEPS)
