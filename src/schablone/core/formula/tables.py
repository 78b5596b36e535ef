"""Reading the size table from a formula: by the name of a row, by a key, or between two keys.

A column reaches a formula as a :class:`Column`: its values in base units, one for each row, all of
one kind.
A value of NaN stands for a cell that has a problem of its own.
"""

from __future__ import annotations

import itertools
import math
from typing import NamedTuple

from ..quantity import Kind, Quantity, say
from .errors import did_you_mean
from .fitting import TOLERANCE


class Column(NamedTuple):
    """Values of one column of the size table, with the names of the rows they stand in."""

    name: str
    rows: tuple[str, ...]
    values: tuple[float, ...]
    kind: Kind

    def say(self, value: float) -> str:
        """A value of the column in words, with its unit."""
        return say(Quantity(value, self.kind))

    def at(self, row: int) -> float:
        """The value in a row, by its number.

        Raises:
            ValueError: where that cell has a problem.
        """
        value = self.values[row]
        if math.isnan(value):
            raise ValueError(
                f"row “{self.rows[row]}” of the size table has a problem in column “{self.name}”"
            )
        return value


def from_row(column: Column, row: str) -> float:
    """The value of a column in the row of this name.

    Raises:
        ValueError: where there is no such row; says the nearest name.
    """
    if row not in column.rows:
        hint = did_you_mean(row, column.rows)
        raise ValueError(
            f"the size table has no row “{row}”{'. ' + hint.rstrip('.?') if hint else ''}"
        )
    return column.at(column.rows.index(row))


def lookup(column: Column, keys: Column, key: float) -> float:
    """The value of a column in the row whose key is ``key``, to one part in 10⁹.

    Raises:
        ValueError: where no row has the key (says the nearest keys), or several with different
        values do.
    """
    matching = [
        i
        for i, value in enumerate(keys.values)
        if abs(value - key) <= TOLERANCE * max(abs(value), abs(key))
    ]
    if not matching:
        below = max((value for value in keys.values if value < key), default=None)
        above = min((value for value in keys.values if value > key), default=None)
        near = " and ".join(keys.say(value) for value in (below, above) if value is not None)
        there = (
            f"the nearest there {'are' if ' and ' in near else 'is'} {near}"
            if near
            else "the table has no rows"
        )
        raise ValueError(f"no row of the size table has {keys.name} = {keys.say(key)}; {there}")
    values = [column.at(i) for i in matching]
    if any(
        abs(value - values[0]) > TOLERANCE * max(abs(value), abs(values[0])) for value in values
    ):
        rows = ", ".join(f"“{keys.rows[i]}”" for i in matching[:4])
        raise ValueError(
            f"several rows have {keys.name} = {keys.say(key)} ({rows}), "
            f"with different {column.name}"
        )
    return values[0]


def interpolate(column: Column, keys: Column, key: float) -> float:
    """The value of a column at ``key``, linear between the two rows around it; rows may stand in
    any order.

    Raises:
        ValueError: outside the range of the keys, or where two rows share a key but not a value.
    """
    pairs = sorted((keys.at(i), column.at(i)) for i in range(len(keys.values)))
    if not pairs:
        raise ValueError("the size table has no rows")
    slack = TOLERANCE * max(abs(key), abs(pairs[0][0]), abs(pairs[-1][0]))
    if not pairs[0][0] - slack <= key <= pairs[-1][0] + slack:
        raise ValueError(
            f"{keys.name} = {keys.say(key)} lies outside the table, which goes from "
            f"{keys.say(pairs[0][0])} to {keys.say(pairs[-1][0])}"
        )
    for (x0, y0), (x1, y1) in itertools.pairwise(pairs):
        if x0 == x1 and y0 != y1:
            raise ValueError(
                f"two rows have {keys.name} = {keys.say(x0)}, with different {column.name}"
            )
    if key <= pairs[0][0]:
        return pairs[0][1]
    for (x0, y0), (x1, y1) in itertools.pairwise(pairs):
        if key == x1:
            return y1
        if key < x1:
            return y0 + (y1 - y0) * ((key - x0) / (x1 - x0))
    return pairs[-1][1]
