"""Where a formula of a parameter is evaluated, so that a polynomial through the values stands for it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

#: At how many values of its parameter a formula is evaluated.
SAMPLES = 65


def nodes(first: float, last: float) -> NDArray[np.float64]:
    """The Chebyshev points of a range; the first and the last are its ends themselves."""
    k = np.arange(SAMPLES)
    found: NDArray[np.float64] = (first + last) / 2 - (last - first) / 2 * np.cos(np.pi * k / (SAMPLES - 1))
    found[0], found[-1] = first, last
    return found
