"""What keeps a step from being built, in words: which of its fields is to blame, and what to do."""

from __future__ import annotations

from collections.abc import Callable

from ..formula.errors import did_you_mean
from ..kernel.figures import CannotBe, NoEffect, NothingLeft, is_kernel_failure
from ..kernel.level import KEEP_TOGETHER, Touching
from ..kernel.naming import say_face
from ..problem import Problem
from ..process.materials import MATERIALS
from ..process.model import Process
from ..steps.workshop import StepError
from ..words import capital
from .model import Part


def problem_of(
    step: str, error: Exception, sizes_as_long_as: Callable[[float], str]
) -> Problem | None:
    """The problem of a step that could not be built. ``sizes_as_long_as`` names the sizes that are
    of a length, mm. None for a fault of the program's own."""
    if isinstance(error, StepError):
        return _of_step(step, error, sizes_as_long_as)
    if isinstance(error, CannotBe):
        return _problem(step, error.what, error.hint, error.where)
    if isinstance(error, Touching):
        return _problem(
            step,
            f"{capital(str(error))}.",
            KEEP_TOGETHER,
        )
    if isinstance(error, NoEffect | NothingLeft):
        what = f"This step does nothing: {error}." if isinstance(error, NoEffect) else f"{error}."
        return _problem(
            step, capital(what), "Look at where its sketch or face lies and how far it goes."
        )
    if isinstance(error, ValueError | ArithmeticError | RuntimeError) or is_kernel_failure(error):
        # What the kernel says of itself helps nobody.
        text = "" if is_kernel_failure(error) else str(error).strip()
        return _problem(
            step,
            f"The geometry of this step could not be made{': ' if text else ''}{text}.",
            "Look for sizes that are very small, very large or equal.",
        )
    return None


def _of_step(step: str, error: StepError, sizes_as_long_as: Callable[[float], str]) -> Problem:
    hint = error.hint
    if error.candidates and not error.asks and error.where in ("face", "plane"):
        known = dict.fromkeys(say_face(name) for name in error.candidates[:6])
        hint = f"{hint} There are: {', '.join(known)}."
    if error.length > 0 and (named := sizes_as_long_as(error.length)):
        hint = f"{hint} {error.length:.4g} mm is what {named} says."
    return _problem(step, error.what, hint, error.where, asks=error.asks)


def _problem(
    step: str, what: str, hint: str = "", where: str = "", *, asks: bool = False
) -> Problem:
    return Problem(area="step", name=step, field=where, what=what, hint=hint, asks=asks)


def unknown_material(part: Part, process: Process) -> Problem | None:
    """What is wrong with the material that a part is to be made of: that nothing is known of it."""
    known = {
        process.material.name,
        *(kerf.material for kerf in process.kerfs),
        *(stock.material for stock in process.stock),
    }
    if (
        not part.material
        or part.density is not None
        or part.material in MATERIALS
        or part.material in known
    ):
        return None
    hint = did_you_mean(part.material, [*MATERIALS, *sorted(name for name in known if name)])
    return Problem(
        area="part",
        name=part.name,
        field="material",
        what=f"“{part.material}” is no material that is known here, and its density is not given.",
        hint=hint or "Choose one of the list, or give the part a density.",
    )
