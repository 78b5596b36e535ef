"""A step of a stencil as it is for any instance, to be filled in with the name of one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from ..steps.base import Step

#: In the place of the instance's name; nobody calls a step so.
ANY = "any__instance__0"

#: Makes what stands in a field for an instance of a name.
_Filling = Callable[[str], Any]


@dataclass(frozen=True, slots=True)
class Blank:
    """A step in which an instance is called :data:`ANY`, and for each field that speaks of it what
    makes it that of an instance."""

    step: Step
    fields: Mapping[str, _Filling]

    @classmethod
    def of(cls, step: Step) -> Blank:
        """The blank of a step as a stencil has it."""
        return cls(step, _fillings(step))

    def filled(self, name: str) -> dict[str, object]:
        """The fields that are other ones for an instance of a name."""
        return {field: make(name) for field, make in self.fields.items()}


def _fillings(value: BaseModel) -> dict[str, _Filling]:
    fillings = {}
    for name in type(value).model_fields:
        make = _filling(getattr(value, name))
        if make is not None:
            fillings[name] = make
    return fillings


def _filling(value: Any) -> _Filling | None:
    """What makes a value that of an instance; None where it speaks of none."""
    if isinstance(value, str):
        return (lambda name: value.replace(ANY, name)) if ANY in value else None
    if isinstance(value, tuple):
        makes = [_filling(item) for item in value]
        if not any(makes):
            return None
        pairs = list(zip(value, makes, strict=True))
        return lambda name: tuple(item if make is None else make(name) for item, make in pairs)
    if isinstance(value, dict):
        makes_of = {key: make for key, item in value.items() if (make := _filling(item))}
        if not makes_of:
            return None
        return lambda name: {**value, **{key: make(name) for key, make in makes_of.items()}}
    if isinstance(value, BaseModel):
        fields = _fillings(value)
        if not fields:
            return None
        return lambda name: value.model_copy(
            update={field: make(name) for field, make in fields.items()}
        )
    return None
