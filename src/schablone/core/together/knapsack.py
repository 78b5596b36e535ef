"""What a bar is worth most with: a bounded knapsack."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

#: A room has at most so many cells, and none is finer, mm.
_CELLS, _FINE = 60_000, 0.1


def fullest(
    worth: NDArray[np.float64],
    takes: NDArray[np.float64],
    counts: NDArray[np.int64],
    room: float,
) -> tuple[tuple[int, ...], float]:
    """How many of each piece go into a room to be worth most, of each no more than its count; and
    what nothing that goes into it can be worth more than. Lengths in mm.

    Dynamic programming over cells of a tenth of a millimetre: the way takes lengths rounded up and
    so surely goes in, the limit lengths rounded down. Where they are whole tenths it is the best.
    What then still goes in by its true length is added: a piece may be just as long as the room.
    """
    cells = cells_of(room)
    cell = max(_FINE, room / _CELLS)
    up = np.ceil(takes / cell - 1e-6).astype(int)
    down = np.floor(takes / cell + 1e-6).astype(int)
    way, most = _packed(worth, up, counts, cells)
    if not np.array_equal(up, down):
        _, most = _packed(worth, down, counts, cells + 1)
    return _filled_up(way, worth, takes, counts, room), most


def _filled_up(
    way: tuple[int, ...],
    worth: NDArray[np.float64],
    takes: NDArray[np.float64],
    counts: NDArray[np.int64],
    room: float,
) -> tuple[int, ...]:
    more, left = list(way), room - float(takes @ way)
    for k in np.argsort(-worth, kind="stable").tolist():
        if worth[k] > 0 and takes[k] <= left:
            many = min(int(counts[k]) - more[k], math.floor(left / takes[k]))
            more[k] += many
            left -= many * float(takes[k])
    return tuple(more)


def cells_of(room: float) -> int:
    """How many cells a room has, mm."""
    return math.floor(room / max(_FINE, room / _CELLS) + 1e-6)


def _packed(
    worth: NDArray[np.float64], takes: NDArray[np.int64], counts: NDArray[np.int64], cells: int
) -> tuple[tuple[int, ...], float]:
    # As many of a piece as powers of two and a rest: all numbers up to its count are sums of them.
    bundles: list[tuple[int, int]] = []
    for k, (count, take) in enumerate(zip(counts.tolist(), takes.tolist(), strict=True)):
        left, many = min(count, cells // max(take, 1)), 1
        while left > 0 and worth[k] > 0:
            many = min(many, left)
            bundles.append((k, many))
            left, many = left - many, many * 2
    best = np.zeros(cells + 1)
    taken = np.zeros((len(bundles), cells + 1), dtype=np.bool_)
    for row, (k, many) in enumerate(bundles):
        take = int(takes[k]) * many
        with_it = best[: cells + 1 - take] + worth[k] * many
        np.greater(with_it, best[take:] + 1e-12, out=taken[row, take:])
        best[take:] = np.where(taken[row, take:], with_it, best[take:])
    way = [0] * len(counts)
    at = cells
    for row in range(len(bundles) - 1, -1, -1):
        if taken[row, at]:
            k, many = bundles[row]
            way[k] += many
            at -= int(takes[k]) * many
    return tuple(way), float(best[cells])
