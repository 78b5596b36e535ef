"""Where a formula of a parameter is evaluated, so that a polynomial through the values stands for
it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

#: At how many values of its parameter a formula is evaluated.
SAMPLES = 65


#: A path that goes round often is sampled in panels, each by a polynomial of its own with so many
#: nodes; the panels share their ends.
PANELS, PANEL_NODES = 64, 17


def panel_nodes(first: float, last: float) -> NDArray[np.float64]:
    """The nodes of all panels of a range, those shared by two panels once: (PANELS · (PANEL_NODES −
    1) + 1,)."""
    ends = np.linspace(first, last, PANELS + 1)
    k = np.arange(PANEL_NODES - 1)
    share = (1 - np.cos(np.pi * k / (PANEL_NODES - 1))) / 2
    inner = ends[:-1, None] + np.diff(ends)[:, None] * share
    nodes: NDArray[np.float64] = np.append(inner.ravel(), last)
    nodes[0] = first
    return nodes


def nodes(first: float, last: float) -> NDArray[np.float64]:
    """The Chebyshev points of a range; the first and the last are its ends themselves."""
    k = np.arange(SAMPLES)
    spots: NDArray[np.float64] = (first + last) / 2 - (last - first) / 2 * np.cos(
        np.pi * k / (SAMPLES - 1)
    )
    spots[0], spots[-1] = first, last
    return spots
