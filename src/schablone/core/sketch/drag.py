"""Dragging: what is taken goes with the pointer as far as the constraints let it; all else moves as
little as can be."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from .newton import newton
from .system import System
from .vanishing import Watch

Floats = NDArray[np.float64]

#: How much dearer it is to leave the pointer than to move something else.
_HOLD = 1e4


class Drag:
    """One drag, from taking hold to letting go.

    Every position is worked out from where things stood at the start, so a drag forth and back ends
    where it began.
    """

    def __init__(
        self, system: System, x: Floats, taken: Sequence[str], *, radius: str = ""
    ) -> None:
        """Take hold of points by name, and with ``radius`` of the edge of a circle or arc.

        The dimensions hold at the values that ``x`` gives them.
        """
        self.begun = x.copy()
        self.x = x.copy()
        self.taken = [system.xy(name) for name in taken]
        self.radius = system.at[radius, "r"] if radius else None
        held = [v for pair in self.taken for v in pair if system.free[v]]
        if self.radius is not None:
            held.append(self.radius)
        clusters = {int(system.cluster_of_column[system._place[v]]) for v in held}
        self.watch = Watch(system, x)
        self.system = _part(system, clusters)
        self.system.targets = self.system.targets + self.system.residuals(x)
        self.weights = np.ones(len(self.system.columns))
        for v in held:
            place = self.system._place[v]
            if place >= 0:
                self.weights[place] = _HOLD

    def to(self, dx: float, dy: float, grow: float = 0.0) -> Floats:
        """Where everything is when the pointer has gone so far from where it took hold, mm.

        Returns the variables; where the constraints cannot follow, those of the position before.
        """
        wish = self.begun.copy()
        for ix, iy in self.taken:
            if self.system.free[ix]:
                wish[ix] += dx
                wish[iy] += dy
        if self.radius is not None:
            wish[self.radius] = max(wish[self.radius] + grow, 1e-3)
        solution = newton(self.system, self.x, self.weights, wish, most=12)
        # The pull of a wish that cannot be reached leaves a trace in the last digits; this takes it
        # away.
        solution = newton(self.system, solution.x, most=12)
        if solution.holds and np.isfinite(solution.x).all() and not self.watch.lost(solution.x):
            self.x = solution.x
            self.watch.saw(self.x)
        return self.x


def _part(system: System, clusters: set[int]) -> System:
    """The same system with only the equations of some clusters; everything else stays where it
    is."""
    rows = np.flatnonzero(np.isin(system.cluster_of_row, list(clusters)))
    number = np.full(system.rows, -1)
    number[rows] = np.arange(len(rows))
    part = object.__new__(System)
    part.__dict__.update(system.__dict__)
    part.blocks = []
    for block in system.blocks:
        kept = number[block.rows] >= 0
        if kept.any():
            part.blocks.append(
                type(block)(
                    block.form, block.index[kept], block.params[kept], number[block.rows[kept]]
                )
            )
    part.rows = len(rows)
    part.owners = [system.owners[row] for row in rows]
    part.angular = [system.angular[row] for row in rows]
    part.targets = system.targets[rows]
    part.free = system.free.copy()
    outside = system.columns[~np.isin(system.cluster_of_column, list(clusters))]
    part.free[outside] = False
    part._prepare()
    return part
