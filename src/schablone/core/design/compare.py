"""Two designs side by side: which sizes differ and by how much, and which steps and checks, in
words."""

from __future__ import annotations

from dataclasses import dataclass

from ..markup import Marked, as_typed, code, code_in_a_cell, marked, page_of, table_head, table_row
from ..process.model import Process
from ..quantity import COUNT, TRUTH, ZERO, Quantity, say
from .evaluate import table_of
from .model import Design
from .text import title_of, told_bought, told_stencil, told_step


@dataclass(frozen=True, slots=True)
class Difference:
    """One size in two designs. A formula is None where the design has no such size, a value where
    it has none."""

    name: str
    formulas: tuple[str | None, str | None]
    values: tuple[Quantity | None, Quantity | None]

    @property
    def change(self) -> Quantity | None:
        """Second value less the first, where both are of one kind of number."""
        first, second = self.values
        if first is None or second is None or TRUTH in (first.kind, second.kind):
            return None
        if (
            first.kind != second.kind
            and ZERO not in (first.kind, second.kind)
            and 0 not in (first.value, second.value)
        ):
            return None
        kind = second.kind if first.kind in (ZERO, COUNT) and first.value == 0 else first.kind
        return Quantity(second.value - first.value, kind)


def differing_sizes(first: Design, second: Design, process: Process) -> list[Difference]:
    """Sizes and step outputs that differ in formula or in value, in the order of the second design.

    Values are those wanted, under the one process. Sizes that only the first design has come last.
    """
    sheets = table_of(first, process), table_of(second, process)
    formulas = [
        {size.name: design.formula_of(size) for size in design.sizes} for design in (first, second)
    ]
    names = list(dict.fromkeys([*formulas[1], *sheets[1].cells, *formulas[0], *sheets[0].cells]))
    differences = []
    for name in names:
        cells = [table.cells.get(name) for table in sheets]
        values = [cell.wanted if cell else None for cell in cells]
        written = formulas[0].get(name), formulas[1].get(name)
        if written[0] != written[1] or _apart(*values):
            differences.append(Difference(name, written, (values[0], values[1])))
    return differences


def _apart(first: Quantity | None, second: Quantity | None) -> bool:
    if first is None or second is None:
        return first is not second
    return abs(first.value - second.value) > 1e-9 * max(abs(first.value), abs(second.value))


@dataclass(frozen=True, slots=True)
class ChangedText:
    """A step or check in two designs, in Markdown; empty where a design does not have it."""

    name: str
    first: Marked
    second: Marked


@dataclass(frozen=True, slots=True)
class Comparison:
    """What differs between two designs, in the same words as the designs are told in."""

    sizes: list[Difference]
    steps: list[ChangedText]
    checks: list[ChangedText]
    order: bool
    bought: list[ChangedText]
    stencils: list[ChangedText]

    @property
    def is_same(self) -> bool:
        """Whether both come to the same."""
        listed = (self.sizes, self.steps, self.checks, self.bought, self.stencils)
        return not (any(listed) or self.order)


def compare(first: Design, second: Design, process: Process) -> Comparison:
    """All that differs. Steps and checks go by their names; ``order`` says that the steps both have
    come in another order."""
    both = [
        {step.name: Marked("; ").join(told_step(step, design)) for step in design.steps}
        for design in (first, second)
    ]
    common = [
        [step.name for step in design.steps if all(step.name in known for known in both)]
        for design in (first, second)
    ]
    holds = [
        {check.name: code(check.formula) for check in design.checks}
        | ({"least gap": code(design.least_gap)} if design.least_gap else {})
        for design in (first, second)
    ]
    return Comparison(
        differing_sizes(first, second, process),
        _changed(*both),
        _changed(*holds),
        common[0] != common[1],
        _changed(
            *(
                {part.name: told_bought(part) for part in design.bought}
                for design in (first, second)
            )
        ),
        _changed(
            *(
                {one.name: Marked("; ").join(told_stencil(one)) for one in design.stencils}
                for design in (first, second)
            )
        ),
    )


def _changed(first: dict[str, Marked], second: dict[str, Marked]) -> list[ChangedText]:
    names, none = dict.fromkeys([*second, *first]), Marked("")
    pairs = ((name, first.get(name, none), second.get(name, none)) for name in names)
    return [ChangedText(*pair) for pair in pairs if pair[1] != pair[2]]


def comparison_text(
    first: Design, second: Design, process: Process, names: tuple[str, str]
) -> Marked:
    """What differs between two designs, in Markdown; ``names`` say which is which."""
    differences = compare(first, second, process)
    lines = [marked("# {} and {}", *names), Marked("")]
    if differences.is_same:
        return page_of([*lines, Marked("Both say the same."), Marked("")])
    if differences.sizes:
        lines += [Marked("## Sizes"), Marked(""), *table_head(["size", *names, "change"])]
        lines += [_size_row(item, second.units) for item in differences.sizes]
        lines.append(Marked(""))
    for heading, listed in (
        ("Bought parts", differences.bought),
        ("Stencils", differences.stencils),
        ("Steps", differences.steps),
        ("Must hold", differences.checks),
    ):
        if listed:
            lines += [marked("## {}", heading), Marked("")]
        for text in listed:
            lines.append(marked("**{}**", title_of(text.name)))
            for name, said in zip(names, (text.first, text.second), strict=True):
                lines += [Marked(""), marked("- {}: {}", name, said or "not there")]
            lines.append(Marked(""))
    if differences.order:
        lines += [Marked("The steps come in another order."), Marked("")]
    return page_of(lines)


def _size_row(item: Difference, units: str) -> Marked:
    """A size as it is in both, and by how much it differs."""
    told = [
        _told_size(value, formula, units)
        for value, formula in zip(item.values, item.formulas, strict=True)
    ]
    change = item.change
    plus = "+" if change is not None and change.value > 0 else ""
    by = f"{plus}{say(change, units)}" if change is not None and change.value else ""
    return table_row([marked("**{}**", item.name), *told, by])


def _told_size(value: Quantity | None, formula: str | None, units: str) -> Marked:
    if value is None:
        return Marked("not there") if formula is None else Marked("no value")
    if formula and formula != say(value):
        return marked("{} = {}", say(value, units), code_in_a_cell(formula))
    return as_typed(say(value, units))
