"""Values worth trying for a size: its limits, itself, and where a count changes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from ..design.evaluate import table_of
from ..design.model import Design
from ..process.model import Process
from ..quantity import COUNT, LENGTH, formula_of

#: How closely the value at which a count changes is found, as a share of the range.
_CLOSE = 1e-7
_STEPS = 24


@dataclass(frozen=True, slots=True)
class Trial:
    """A value to try: why it is worth it, the counts that it gives, by name, and those that are
    others than now."""

    value: float
    why: str
    counts: Mapping[str, float]
    changed: Mapping[str, float]


def values_to_try(design: Design, process: Process, name: str) -> list[Trial]:
    """The smallest, itself, the largest, and on each side of itself the first value with another
    count.

    Only the sheet of sizes is worked out for this. Where limits are open, half and twice the value
    stand for them.

    Raises:
        KeyError: for a size without a value.
    """

    def counts(value: float) -> dict[str, float]:
        table = table_of(design, process, {name: formula_of(value, kind)})
        return {
            key: cell.wanted.value
            for key, cell in table.cells.items()
            if cell.wanted.kind == COUNT and key != name
        }

    cell = table_of(design, process, None).cells[name]
    kind, now = cell.wanted.kind, cell.wanted.value
    low = cell.low if cell.low is not None else now / 2
    high = cell.high if cell.high is not None else now * 2
    values = {now: "now"}
    if kind == COUNT:
        for value in (round(now) - 1.0, round(now) + 1.0):
            if low <= value <= high:
                values.setdefault(value, "one fewer" if value < now else "one more")
    else:
        here = counts(now)
        for end in (low, high):
            edge = _first_change(counts, here, now, end)
            if edge is not None:
                values.setdefault(
                    _rounded(edge, now, end, kind == LENGTH, counts, here), "where a count changes"
                )
    values.setdefault(low, "smallest")
    values.setdefault(high, "largest")
    before = counts(now)
    tries = []
    for value in sorted(values):
        mine = counts(value)
        tries.append(
            Trial(value, values[value], mine, {k: v for k, v in mine.items() if before.get(k) != v})
        )
    return tries


def _first_change(
    counts: object, here: Mapping[str, float], now: float, end: float
) -> float | None:
    """The nearest value towards ``end`` at which a count is another: looked for in steps, then
    halved."""
    assert callable(counts)
    inside = now
    for k in range(1, _STEPS + 1):
        value = now + (end - now) * (k / _STEPS) ** 2
        if counts(value) != here:
            outside = value
            break
        inside = value
    else:
        return None
    while abs(outside - inside) > _CLOSE * abs(end - now):
        middle = (inside + outside) / 2
        if counts(middle) != here:
            outside = middle
        else:
            inside = middle
    return outside


def _rounded(
    edge: float, now: float, end: float, is_length: bool, counts: object, here: Mapping[str, float]
) -> float:
    """The edge as a value that people would type, a little beyond it where it must be."""
    assert callable(counts)
    if not is_length:
        return edge
    away = 1.0 if end > now else -1.0
    for step in (1.0, 0.5, 0.1, 0.01, 0.001):
        value = (
            math.ceil(edge / step - 1e-3) if away > 0 else math.floor(edge / step + 1e-3)
        ) * step
        value = value + away * step if counts(value) == here else value
        if (
            (end - value) * away >= 0
            and abs(value - edge) <= 0.2 * abs(edge - now) + step
            and counts(value) != here
        ):
            return float(f"{value:.10g}")
    return edge
