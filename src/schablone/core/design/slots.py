"""The formulas of a step as values, under a lens."""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from ..formula import FormulaError
from ..formula.value_table import Parameter, ValueTable
from ..quantity import LENGTH, LONGEST_MADE, Quantity
from ..steps.base import Slot


@dataclass(slots=True)
class SlotValues:
    """``values`` are those wanted, by path; ``numbers`` those to build with, in base units, with
    the samples of formulas of a parameter; ``errors`` say which slots have none, and why."""

    values: dict[str, Quantity] = field(default_factory=dict)
    numbers: dict[str, float] = field(default_factory=dict)
    errors: list[tuple[Slot, FormulaError]] = field(default_factory=list)


#: The most members of a row or grid whose conditions are worked out.
_MOST_COUNTED = 5000


def slot_values(
    slots: Sequence[Slot],
    table: ValueTable,
    *,
    sent: bool = False,
    outputs: Mapping[str, float] | None = None,
) -> SlotValues:
    """Evaluate slots in order. A formula of a parameter comes after the slots that give its range
    or its count; ``outputs`` are what the step has worked out."""
    values = SlotValues()
    for slot in slots:
        try:
            if slot.counted:
                values.numbers |= _counted(slot, table, {**(outputs or {}), **values.numbers})
                continue
            if slot.over is not None:
                name, first, last = slot.over
                if first in values.numbers and last in values.numbers:
                    ends = values.numbers[first], values.numbers[last]
                    parameter = Parameter(name, values.values[first].kind, *ends)
                    samples = table.sample(
                        slot.formula, slot.kind, parameter, sent=sent, panels=slot.panels
                    )
                    for sample in samples:
                        _not_too_long(slot, sample)
                    values.numbers |= {
                        f"{slot.path}@{number}": sample for number, sample in enumerate(samples)
                    }
                continue
            compiled = table.compile(slot.formula, slot.kind)
            values.values[slot.path] = compiled.value(table.env())
            _not_too_long(slot, values.values[slot.path].value)
            value = compiled.value(table.env(sent=True)) if sent else values.values[slot.path]
            values.numbers[slot.path] = value.value
        except FormulaError as error:
            values.errors.append((slot, error))
    return values


def _not_too_long(slot: Slot, value: float) -> None:
    """Refuse lengths of which nothing is made here and with which the geometry loses its digits.

    Raises:
        FormulaError: says so.
    """
    if slot.kind == LENGTH and abs(value) > LONGEST_MADE:
        raise FormulaError(
            f"The {slot.label} comes to more than 1 km, and nothing here is made as long.",
            None,
            f"Look for a slipped point or a wrong unit in “{slot.formula}”.",
        )


def _counted(slot: Slot, table: ValueTable, counts: Mapping[str, float]) -> dict[str, float]:
    """Values of a formula of whole numbers, always as wanted: what is counted is never changed by a
    correction.

    Raises:
        FormulaError: where the formula has no value for one of them.
    """
    if any(path not in counts for _, path in slot.counted):
        return {}  # the count itself has an error, which is told where it stands
    ranges = [range(1, int(counts[path]) + 1) for _, path in slot.counted]
    if math.prod(len(r) for r in ranges) > _MOST_COUNTED:
        return {}  # the step says that it is too many
    keys = list(itertools.product(*ranges))
    values = table.each(slot.formula, slot.kind, [name for name, _ in slot.counted], keys)
    return {
        f"{slot.path}@{'.'.join(map(str, key))}": value
        for key, value in zip(keys, values, strict=True)
    }
