"""Rows of numbers, one for each thing that is asked for: which of them say nothing new, of what
others these follow, and what is left free."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import solve_triangular

Floats = NDArray[np.float64]

#: The share of the largest row below which one says nothing new.
RANK = 1e-8


def reduced(rates: Floats) -> tuple[Floats, list[int]]:
    """Rows reduced so that each has a column of its own, and these columns."""
    left = rates.copy()
    scale = float(np.abs(left).max(initial=0.0)) or 1.0
    pivots: list[int] = []
    row = 0
    for _ in range(min(left.shape)):
        rest = np.abs(left[row:])
        at = np.unravel_index(int(np.argmax(rest)), rest.shape)
        if float(rest[at]) < RANK * scale:
            break
        r, c = int(at[0]) + row, int(at[1])
        left[[row, r]] = left[[r, row]]
        left[row] /= left[row, c]
        others = np.arange(len(left)) != row
        left[others] -= np.outer(left[others, c], left[row])
        pivots.append(c)
        row += 1
    return left[:row], pivots


def repeated(lines: Mapping[int, tuple[Floats, Floats]]) -> dict[int, tuple[int, ...]]:
    """Ties whose first rows follow from those of others before them, with these others."""
    repeats: dict[int, tuple[int, ...]] = {}
    taken: list[Floats] = []
    owners: list[int] = []
    basis = _Basis(sum(len(part) for pair in lines.values() for part in pair))

    def take(rows: Floats, tie: int) -> bool:
        new = [row for row in rows if basis.take(row)]
        taken.extend(new)
        owners.extend([tie] * len(new))
        return bool(new)

    for part in lines.get(-1, ()):
        take(part, -1)
    for tie in sorted(k for k in lines if k >= 0):
        first, rest = lines[tie]
        take(rest, tie)
        if len(first) and not take(first, tie):
            repeats[tie] = _owners(first, taken, owners, tie)
    return repeats


def _owners(
    first: Floats, taken: Sequence[Floats], owners: Sequence[int], tie: int
) -> tuple[int, ...]:
    """The ties from whose rows others follow: those of which they have a share. Rows that were
    taken are independent, so that there is one way only."""
    if not taken:
        return ()
    # They are independent, so that no singular values are needed.
    q, r = np.linalg.qr(np.array(taken).T)
    shares = solve_triangular(r, q.T @ first.T)
    used = np.abs(shares).max(axis=1) > 1e-7
    return tuple(sorted({o for o, on in zip(owners, used, strict=True) if on} - {-1, tie}))


class _Basis:
    """Rows made square to each other, to see whether others say anything new."""

    def __init__(self, most: int) -> None:
        self._rows: Floats | None = None
        self._count, self._most = 0, most

    def take(self, row: Floats) -> bool:
        """Whether a row says anything new; then it is one of them."""
        size = float(np.sqrt(row @ row))
        if not size:
            return False
        if self._rows is None:
            self._rows = np.zeros((self._most, len(row)))
        known, left = self._rows[: self._count], row
        for _ in range(2):
            left = left - (known @ left) @ known
        far = float(np.sqrt(left @ left))
        if far <= RANK * max(size, 1.0):
            return False
        self._rows[self._count] = left / far
        self._count += 1
        return True
