"""Covering arrays of strength two: few rows in which every pair of levels of any two factors is
found.

Greedy, one row after the other, each with the levels by which most of the pairs that are missing
still are covered (after Cohen, Dalal, Fredman and Patton, *The AETG system*, 1997, without its
chance).
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

_Pair = tuple[tuple[int, int], tuple[int, int]]


def covering_pairs(levels: Sequence[int]) -> list[tuple[int, ...]]:
    """Rows of levels, one for each factor, given how many levels each has. With one factor each of
    its levels once; with none no row."""
    if not levels or min(levels) < 1:
        return []
    if len(levels) == 1:
        return [(level,) for level in range(levels[0])]
    missing: dict[_Pair, None] = {
        ((i, a), (j, b)): None
        for i, j in itertools.combinations(range(len(levels)), 2)
        for a in range(levels[i])
        for b in range(levels[j])
    }
    rows = []
    while missing:
        row = dict(next(iter(missing)))
        for factor in range(len(levels)):
            if factor not in row:
                row[factor] = max(
                    range(levels[factor]), key=lambda level: _covers(row, factor, level, missing)
                )
        rows.append(tuple(row[factor] for factor in range(len(levels))))
        for pair in itertools.combinations(sorted(row.items()), 2):
            missing.pop(pair, None)
    return rows


def _covers(row: dict[int, int], factor: int, level: int, missing: dict[_Pair, None]) -> int:
    """How many of the missing pairs a level of a factor covers, beside what is in the row."""
    mine = (factor, level)
    return sum(
        ((mine, other) if factor < other[0] else (other, mine)) in missing for other in row.items()
    )
