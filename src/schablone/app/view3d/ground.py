"""The ground under the parts: a ruled square whose lines give the scale."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from ...core.quantity import plain

Floats = NDArray[np.float64]

#: About how many lines there are along the longer side.
_LINES = 12


def spacing_for(length: float) -> float:
    """The distance between lines, mm: 1, 2 or 5 times a power of ten, so that about a dozen fit."""
    rough = max(length, 1.0) / _LINES
    power = 10.0 ** math.floor(math.log10(rough))
    return next(step * power for step in (1.0, 2.0, 5.0, 10.0) if step * power >= rough)


def say_ground(low: Floats, high: Floats) -> str:
    """How wide its fields are, in words."""
    return f"fields of {plain(spacing_of(low, high))} mm"


def spacing_of(low: Floats, high: Floats) -> float:
    """The distance between lines under a box, mm."""
    return spacing_for(float(max(high[0] - low[0], high[1] - low[1])))


def ground_under(low: Floats, high: Floats) -> list[Floats]:
    """Lines (2, 3) of the ruling under a box, mm, reaching one field beyond it on each side. Lines
    lie at whole multiples of the spacing."""
    gap = spacing_of(low, high)
    x0, y0 = (math.floor(low[k] / gap) - 1 for k in (0, 1))
    x1, y1 = (math.ceil(high[k] / gap) + 1 for k in (0, 1))
    # A breath below, so that what stands on it hides it.
    z = float(low[2]) - 1e-3 * gap
    ends = [((x * gap, y0 * gap, z), (x * gap, y1 * gap, z)) for x in range(x0, x1 + 1)]
    ends += [((x0 * gap, y * gap, z), (x1 * gap, y * gap, z)) for y in range(y0, y1 + 1)]
    return [np.array(pair) for pair in ends]
