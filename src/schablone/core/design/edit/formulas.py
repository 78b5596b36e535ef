"""The formulas of a design, wherever they stand: read, rewritten, reached by a path."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import cache
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from ...formula import FormulaError, names_in
from ...kernel.naming import owner_of
from ...model import LONGEST_FORMULA, Frozen
from ...steps import Step
from ...words import say_validation
from ..model import Design

_F = TypeVar("_F", bound=Frozen)


def checked(make: Callable[[], Any]) -> Any:
    try:
        return make()
    except ValidationError as error:
        raise FormulaError(say_validation(error, "design", "")[0].what) from None


def uses(text: str, name: str) -> bool:
    try:
        return bool(text.strip()) and name in names_in(text)
    except FormulaError:
        return False


def map_formulas(design: Design, change: Callable[[str], str]) -> Design:
    """Every formula of the design through a function. Which fields are formulas, the models say.
    Those of bought parts and of stencils run over their own sizes, and stay."""
    return _map(design, change).model_copy(
        update={"bought": design.bought, "stencils": design.stencils}
    )


def with_steps_renamed(step: Step, names: Mapping[str, str]) -> Step:
    """A step with several steps renamed at once, in its own name and all that it refers to."""
    if any(owner_of(new) in names for new in names.values()):
        # One is called as another was: by way of names that nobody has.
        for number, old in enumerate(names):
            step = step.with_step_renamed(old, f"@{number}")
        names = {f"@{number}": new for number, new in enumerate(names.values())}
    for old, new in names.items():
        step = step.with_step_renamed(old, new)
    return step


def is_asked(design: Design, output: str) -> bool:
    """Whether any formula of the design uses an output, such as ``cage.length``."""
    seen: list[str] = []

    def note(text: str) -> str:
        seen.append(text)
        return text

    map_formulas(design, note)
    return any(uses(text, output) for text in seen)


def map_step(step: Step, change: Callable[[str], str]) -> Step:
    """Every formula of a step through a function."""
    return _map(step, change)


def _map(value: _F, change: Callable[[str], str]) -> _F:
    changes: dict[str, object] = {}
    for name, is_formula in _fields_of(type(value)).items():
        old = getattr(value, name)
        new = _map_field(old, change, is_formula=is_formula)
        if new is not old:
            changes[name] = new
    return value.model_copy(update=changes) if changes else value


@cache
def _fields_of(kind: type[Frozen]) -> dict[str, bool]:
    """The fields of a model, and whether each is formula text."""
    return {name: _is_formula(info) for name, info in kind.model_fields.items()}


def _is_formula(info: Any) -> bool:
    """Whether a field is declared as formula text, which is known by its bound of length."""
    return "FormulaText" in repr(info.annotation) or any(
        getattr(item, "max_length", None) == LONGEST_FORMULA for item in info.metadata
    )


def _map_field(old: Any, change: Callable[[str], str], *, is_formula: bool) -> Any:
    if isinstance(old, str):
        return change(old) if is_formula and old.strip() else old
    if isinstance(old, BaseModel):
        return _map(old, change)  # type: ignore[type-var]
    if isinstance(old, tuple):
        new = tuple(_map_field(item, change, is_formula=is_formula) for item in old)
        return new if any(a is not b for a, b in zip(new, old, strict=True)) else old
    if isinstance(old, dict):
        # The only mappings are presets and rows of the size table, name of size to formula.
        return {key: change(text) if text.strip() else text for key, text in old.items()}
    return old


def get_path(step: Frozen, path: str) -> Any:
    """A field of a step by its path: ``by``, ``shapes.0.width``."""
    value: Any = step
    for part in path.split("."):
        value = value[int(part)] if isinstance(value, tuple) else getattr(value, part)
    return value


def put_path(value: Any, parts: list[str], new: Any) -> Any:
    if not parts:
        return new
    head, *rest = parts
    if isinstance(value, tuple):
        i = int(head)
        return (*value[:i], put_path(value[i], rest, new), *value[i + 1 :])
    return value.with_(**{head: put_path(getattr(value, head), rest, new)})
