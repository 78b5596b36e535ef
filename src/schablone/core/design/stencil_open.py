"""A stencil opened in place: its steps are worked at where it sits, with the host around, and
closed to another edition of it again."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from ..formula.errors import FormulaError
from ..formula.rewrite import names_in, replace_names
from ..formula.tree import Name, Output
from ..formula.value_table import ValueTable
from ..kernel.frame import PLANES
from ..kernel.naming import owner_of
from ..quantity import formula_of
from ..reuse import HERE, HOST, Stencil, StencilSize
from ..steps.base import Step
from ..steps.plane import Plane
from ..steps.repeating import Repeats
from ..steps.stencil import Given, PutIn
from ..words import say_name, say_validation
from .edit import map_step, with_steps_renamed
from .model import Design, Size
from .stencil_edit import chosen, differences, unpacked
from .stencil_make import cannot_be_in


def opened_here(design: Design, name: str) -> Design:
    """The design with the steps of a stencil in the place of that which puts it in, in a group of
    their own; the plane that they stand on holds what it was.

    Raises:
        FormulaError: where plain steps cannot do what it does.
    """
    step = design.step(name)
    opened = unpacked(design, name)
    assert isinstance(step, PutIn)
    own = {one.name for one in design.steps}
    group = f"{say_name(name)}, opened"
    steps = [
        one.model_copy(
            update={"group": group, **({"holds": step} if isinstance(one, Plane) else {})}
        )
        if one.name == name or one.name not in own
        else one
        for one in opened.steps
    ]
    kept = {stencil.name for stencil in opened.stencils}
    stencils = tuple(one for one in design.stencils if one.name in kept or one.name == step.stencil)
    return opened.model_copy(update={"steps": tuple(steps), "stencils": stencils})


def is_opened(design: Design, name: str) -> bool:
    """Whether a step is the plane of a stencil that is opened."""
    step = design.step(name)
    return isinstance(step, Plane) and step.holds is not None


def closed_again(design: Design, name: str, table: ValueTable) -> tuple[Design, list[str]]:
    """The design with the stencil put in again, as its steps are now; wherever else it is put in it
    changes, too. And what changed, in words. ``table`` has the values of sizes.

    Raises:
        FormulaError: says what keeps it from being a stencil.
    """
    plane = design.step(name)
    if not isinstance(plane, Plane) or plane.holds is None:
        raise FormulaError(f"“{say_name(name)}” holds no stencil that is opened.")
    was = plane.holds
    old = design.stencil(was.stencil)
    if old is None:
        raise FormulaError(f"There is no stencil “{was.stencil}” any more.")
    mine = [step for step in design.steps if step.group == plane.group and step is not plane]
    for step in mine:
        if said := cannot_be_in(design, step):
            raise FormulaError(said)
    inside = _Inside(design, plane, mine, old, table)
    new = inside.stencil()
    given = tuple(Given(size=size.name, formula=inside.given[size.name]) for size in new.open_sizes)
    anchor = {
        field: getattr(plane, field)
        for field in ("name", "note", "on", "when", "colour", "part", "face", "where", "x", "y",
                      "sketch", "point", "turn")
    }  # fmt: skip
    put = was.model_copy(update={**anchor, "given": given, "group": was.group})
    gone = {step.name for step in mine}
    back = {one: f"{name}.{inner}" for one, inner in inside.steps.items()}
    steps: list[Step] = []
    for step in design.steps:
        if step is plane:
            continue
        if step.name in gone:
            if step is mine[-1]:
                steps.append(put)
            continue
        steps.append(map_step(with_steps_renamed(step, back), inside.outside))
    if not mine:
        raise FormulaError("None of its steps is left.", None, "Undo, or delete the plane.")
    sizes = tuple(
        _with_formulas(size, inside.outside)
        for size in design.sizes
        if size.name not in inside.sizes
    )
    stencils = tuple(new if one.name == old.name else one for one in design.stencils)
    closed = design.model_copy(update={"steps": tuple(steps), "sizes": sizes, "stencils": stencils})
    for step in closed.steps:
        if step.puts_in() == old.name and step.name != name:
            closed = chosen(closed, step.name, new.name)
    return Design.model_validate(closed.model_dump()), differences(old, new)


class _Inside:
    """What was opened, seen from within: names of the design as those of the stencil."""

    def __init__(
        self, design: Design, plane: Plane, mine: list[Step], old: Stencil, table: ValueTable
    ) -> None:
        assert plane.holds is not None
        self.design, self.plane, self.mine, self.old, self.table = design, plane, mine, old, table
        self.was = plane.holds
        prefix = f"{self.was.name}_"
        self.steps = {step.name: step.name.removeprefix(prefix) for step in mine}
        group = say_name(self.was.name)
        self.sizes = {
            size.name: size.name.removeprefix(prefix)
            for size in design.sizes
            if size.group == group and size.name.startswith(prefix)
        }
        self.given: dict[str, str] = {}

    def within(self, text: str) -> str:
        """A formula of the design as one of the stencil."""

        def new(node: Name | Output) -> str | None:
            if isinstance(node, Name):
                return self.sizes.get(node.name)
            if node.step == self.plane.name:
                return f"{HOST}.{node.output}"
            inner = self.steps.get(node.step)
            return f"{inner}.{node.output}" if inner else None

        return replace_names(text, new)

    def outside(self, text: str) -> str:
        """A formula of the design as it is when the stencil is closed."""
        name = self.plane.name

        def new(node: Name | Output) -> str | None:
            if isinstance(node, Name):
                inner = self.sizes.get(node.name)
                return f"{name}.{inner}" if inner else None
            if node.step == name:
                return f"{name}.{HOST}.{node.output}"
            inner = self.steps.get(node.step)
            return f"{name}.{inner}.{node.output}" if inner else None

        return replace_names(text, new)

    def stencil(self) -> Stencil:
        """Another edition of the stencil, of the steps as they are.

        Raises:
            FormulaError: where it makes no sense.
        """
        steps = [self._step(step) for step in self.mine]
        sizes = [self._size(size) for size in self.design.sizes if size.name in self.sizes]
        sizes += self._new_sizes(steps, {size.name for size in sizes})
        data = self.old.model_dump(exclude={"steps", "sizes"})
        try:
            return Stencil.model_validate(
                {
                    **data,
                    "edition": _next(self.old.edition),
                    "sizes": [size.model_dump() for size in sizes],
                    "steps": [step.model_dump() for step in steps],
                }
            )
        except ValidationError as error:
            raise FormulaError(say_validation(error, "design", "")[0].what) from None

    def _step(self, step: Step) -> Step:
        inside = with_steps_renamed(map_step(step, self.within), self.steps)
        real = {one.face: f"{HOST}/{one.name}" for one in self.was.faces}
        real[self.plane.face] = HERE
        changes: dict[str, object] = {"group": ""}
        for field in inside.places:
            changes[field] = self._place(str(getattr(inside, field)), real)
        for field in inside.face_lists:
            changes[field] = tuple(real.get(face, face) for face in getattr(inside, field))
        for field in inside.edge_rules:
            changes[field] = tuple(
                rule.model_copy(update={"of": tuple(real.get(face, face) for face in rule.of)})
                for rule in getattr(inside, field)
            )
        if isinstance(inside, Repeats) and inside.axes == self.plane.name:
            changes["axes"] = ""
        if "part" in type(inside).model_fields:
            parts = {one.part: one.name for one in self.was.parts} | {self.plane.part: HOST}
            part = str(getattr(inside, "part"))  # noqa: B009
            changes["part"] = parts.get(part, part)
        return inside.model_copy(update=changes)

    def _place(self, place: str, real: Mapping[str, str]) -> str:
        step, _, role = place.partition("/")
        if step != self.plane.name:
            return real.get(place, place)
        return role if role in PLANES else HERE

    def _size(self, size: Size) -> StencilSize:
        name = self.sizes[size.name]
        old = self.old.size(name)
        is_open = old.open if old is not None else True
        formula = self.within(size.formula)
        if is_open:
            self.given[name] = self.outside(size.formula)
            formula = old.formula if old is not None else self._value(size.name, size.formula)
        return StencilSize(
            name=name, formula=formula, open=is_open, note=size.note, low=self.within(size.low),
            high=self.within(size.high), kind=size.kind,
        )  # fmt: skip

    def _new_sizes(self, steps: list[Step], known: set[str]) -> list[StencilSize]:
        """Open sizes for what formulas use of the design besides."""
        sizes: list[StencilSize] = []
        inner = {step.name for step in steps}
        for step in steps:
            for slot in step.slots():
                for name in sorted(names_in(slot.formula) - set(step.runs_over(slot.path))):
                    if name in known or name in ("pi", "yes", "no"):
                        continue
                    if "." in name and owner_of(name) in (HOST, *inner):
                        continue
                    if "." in name:
                        raise FormulaError(
                            f"“{slot.formula}” asks for “{name}”, which lies outside of it.",
                            None,
                            "Make a size of that in the design, and use the size.",
                        )
                    known.add(name)
                    self.given[name] = name
                    sizes.append(StencilSize(name=name, formula=self._value(name, name)))
        return sizes

    def _value(self, name: str, formula: str) -> str:
        cell = self.table.cells.get(name)
        if cell is None:
            raise FormulaError(f"“{formula}” has no value yet.", None, "Mend it first.")
        return formula_of(cell.wanted.value, cell.wanted.kind)


def _with_formulas(size: Size, change: Any) -> Size:
    fields = ("formula", "low", "high", "step", "tolerance")
    return size.model_copy(update={name: change(getattr(size, name)) for name in fields})


def _next(edition: str) -> str:
    """The edition after one: its last number counted up."""
    last = re.search(r"(\d+)(?!.*\d)", edition)
    if last is None:
        return f"{edition} 2".strip()
    return edition[: last.start()] + str(int(last[0]) + 1) + edition[last.end() :]
