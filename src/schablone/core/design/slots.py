"""The formulas of a step as values, under a lens."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from ..formula import FormulaError
from ..formula.sheet import Parameter, Sheet
from ..quantity import Quantity
from ..steps.base import Slot


@dataclass(slots=True)
class SlotValues:
    """``values`` are those wanted, by path; ``numbers`` those to build with, in base units, with the samples of
    formulas of a parameter; ``errors`` say which slots have none, and why."""

    values: dict[str, Quantity] = field(default_factory=dict)
    numbers: dict[str, float] = field(default_factory=dict)
    errors: list[tuple[Slot, FormulaError]] = field(default_factory=list)


def slot_values(slots: Sequence[Slot], sheet: Sheet, *, sent: bool = False) -> SlotValues:
    """Evaluate slots in order. A formula of a parameter comes after the slots that give its range."""
    found = SlotValues()
    for slot in slots:
        try:
            if slot.over is not None:
                name, first, last = slot.over
                if first in found.numbers and last in found.numbers:
                    ends = found.numbers[first], found.numbers[last]
                    parameter = Parameter(name, found.values[first].kind, *ends)
                    samples = sheet.sample(slot.formula, slot.kind, parameter, sent=sent)
                    found.numbers |= {f"{slot.path}@{number}": sample for number, sample in enumerate(samples)}
                continue
            compiled = sheet.compile(slot.formula, slot.kind)
            found.values[slot.path] = compiled.value(sheet.env())
            value = compiled.value(sheet.env(sent=True)) if sent else found.values[slot.path]
            found.numbers[slot.path] = value.value
        except FormulaError as error:
            found.errors.append((slot, error))
    return found
