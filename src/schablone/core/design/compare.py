"""Two designs side by side: which sizes differ, and by how much."""

from __future__ import annotations

from dataclasses import dataclass

from ..process.model import Process
from ..quantity import COUNT, TRUTH, ZERO, Quantity
from .evaluate import sheet_of
from .model import Design


@dataclass(frozen=True, slots=True)
class Difference:
    """One size in two designs. A formula is None where the design has no such size, a value where it has none."""

    name: str
    formulas: tuple[str | None, str | None]
    values: tuple[Quantity | None, Quantity | None]

    @property
    def change(self) -> Quantity | None:
        """Second value less the first, where both are of one kind of number."""
        first, second = self.values
        if first is None or second is None or TRUTH in (first.kind, second.kind):
            return None
        if first.kind != second.kind and ZERO not in (first.kind, second.kind) and 0 not in (first.value, second.value):
            return None
        kind = second.kind if first.kind in (ZERO, COUNT) and first.value == 0 else first.kind
        return Quantity(second.value - first.value, kind)


def differing_sizes(first: Design, second: Design, process: Process) -> list[Difference]:
    """Sizes and step outputs that differ in formula or in value, in the order of the second design.

    Values are those wanted, under the one process. Sizes that only the first design has come last.
    """
    sheets = sheet_of(first, process), sheet_of(second, process)
    formulas = [{size.name: design.formula_of(size) for size in design.sizes} for design in (first, second)]
    names = list(dict.fromkeys([*formulas[1], *sheets[1].cells, *formulas[0], *sheets[0].cells]))
    found = []
    for name in names:
        cells = [sheet.cells.get(name) for sheet in sheets]
        values = [cell.wanted if cell else None for cell in cells]
        written = formulas[0].get(name), formulas[1].get(name)
        if written[0] != written[1] or _apart(*values):
            found.append(Difference(name, written, (values[0], values[1])))
    return found


def _apart(first: Quantity | None, second: Quantity | None) -> bool:
    if first is None or second is None:
        return first is not second
    return abs(first.value - second.value) > 1e-9 * max(abs(first.value), abs(second.value))
