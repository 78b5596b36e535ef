"""What is still free, moved a little to and fro: so it is seen before anything changes."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ..kernel.occ import Solid
from ..kernel.occ.plain import CannotChange, changed
from .settle import Held, Mode
from .states import State

#: How far it goes at first, as a share of the part, and how often that is halved.
_FAR, _HALVES = 0.05, 6
#: The ways of one swing.
_SWING = (0.0, 0.7, 1.0, 0.7, 0.0, -0.7, -1.0, -0.7)


def modes_of(ready: Held, surface: int) -> list[Mode]:
    """The ways in which a surface can still move, those that move least else first."""
    mine = [mode for mode in ready.modes if surface in mode.surfaces]
    return sorted(mine, key=lambda mode: len(mode.surfaces))


def wiggled(ready: Held, values: Mapping[int, float], mode: Mode) -> list[Solid]:
    """The solids of one swing; none where it cannot move at all. Tied faces stay at ``values``, mm
    or degrees."""
    state = ready.settled(values).state
    far = _FAR * ready.layout.size
    for _ in range(_HALVES):
        try:
            known = {share: _at(ready, state, mode, far * share) for share in set(_SWING)}
        except CannotChange:
            far /= 2
            continue
        return [known[share] for share in _SWING]
    return []


def _at(ready: Held, state: State, mode: Mode, by: float) -> Solid:
    values = np.array(state.values, dtype=float)
    for k, times in mode.ways.items():
        values[k] += by * times
    now = ready.at(State(ready.layout, values))
    return changed(ready.plain, now.surfaces, now.radii).solid
