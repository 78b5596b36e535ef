"""Parts as they would be with other sizes, for the steps that take one from there."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING

from ..formula.value_table import names_of
from ..kernel.body import Body
from ..problem import errors
from ..quantity import Quantity, formula_of
from ..steps.base import Step
from ..steps.workshop import StepError
from ..words import say_name
from .evaluate import table_of
from .model import Design

if TYPE_CHECKING:
    from .building import Building


def remade(
    build: Building, step: Step, part: str, sizes: Mapping[str, str], values: Mapping[str, Quantity]
) -> tuple[Body, str]:
    """A part as it would be at this step with other sizes, and its key.

    Raises:
        StepError: where it cannot be built so, with the first of what is wrong.
    """
    unknown = next((name for name in sizes if build.design.size(name) is None), "")
    if unknown:
        raise StepError(
            f"There is no size “{unknown}”.", "Choose one of the design's sizes.", "sizes"
        )
    at = build.design.steps.index(step)
    steps = build.design.steps[:at]
    earlier = build.design.model_copy(update={"steps": steps})
    given = {
        **build.given,
        **{name: formula_of(values[path].value, values[path].kind) for name, path in sizes.items()},
    }
    measuring = [one.name for one in steps if one.on and one.measures()]
    measured = build.measured_of(earlier, given, measuring) if measuring else {}
    table = table_of(earlier, build.view.process, given, measured)
    built = build.again(earlier, table, given)
    wrong = errors(built.problems)
    if all(problem.area == "size" for problem in wrong):
        # What is measured later has no value yet; where no step asks for it, that is no fault.
        later = {one.name for one in build.design.steps[at:] if one.measures()}
        waiting = _sizes_that_read(build.design, later)
        wrong = tuple(problem for problem in wrong if problem.name not in waiting)
    if wrong:
        raise StepError(
            f"With these sizes the part cannot be built: {wrong[0].what}",
            wrong[0].hint,
            "sizes",
        )
    if part not in built.bodies:
        raise StepError(
            f"There is no part “{say_name(part)}” before this step."
            if part
            else "No part is chosen.",
            "Choose a part that is built before.",
            "other",
            list(built.bodies),
        )
    return built.bodies[part], built.keys[part]


def _sizes_that_read(design: Design, steps: Collection[str]) -> set[str]:
    """The sizes whose formulas read figures of some steps, or such sizes."""
    readers: set[str] = set()
    while True:
        more = {
            size.name
            for size in design.sizes
            if size.name not in readers
            and any(
                name in readers or name.partition(".")[0] in steps
                for name in names_of(size.formula) or ()
            )
        }
        if not more:
            return readers
        readers |= more
