"""What a person is told where a part could not be built as it was asked for."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.design import Design
from ..core.design.edit import change_step
from ..core.problem import Problem
from ..core.words import say_name

#: What a person is told of a part that takes more memory than a worker may have.
TOO_LARGE = Problem(
    area="design",
    what="The part needs more memory than it may have.",
    hint="Undo the last change, or ask for fewer repeats. Your design is not lost.",
)


def without_steps(design: Design, names: Sequence[str]) -> tuple[Design, list[Problem]]:
    """The design with steps switched off that have ended the process which built them, and what
    is told of each."""
    broken = []
    for name in names:
        if (step := design.step(name)) is not None:
            design = change_step(design, name, "on", False)
            what = f"“{say_name(name)}” is left out here: it ended the geometry kernel twice."
            hint = "Change its sizes or what it stands on; it is tried again after each change."
            broken.append(Problem(area="step", name=step.name, what=what, hint=hint))
    return design, broken


def our_fault(error: Exception) -> Problem:
    """What a person is told of an error that nobody expected: that it is not theirs, that nothing
    is lost, what to do."""
    return Problem(
        area="design",
        what=f"This is a fault in Schablone, not in your design ({type(error).__name__}: {error}).",
        hint="Your design is as you left it. Undo the last change or try another way; what "
        "happened stands in the log.",
    )
