"""What follows from a step alone, worked out once for each: from edit to edit most steps are the
very same objects."""

from __future__ import annotations

from dataclasses import dataclass

from ..kernel.naming import owner_of
from ..steps.anchored import AskHost
from ..steps.base import Slot, Step
from .built import key_of

#: What of a step changes nothing that it builds.
_BESIDE = {"note", "when", "on", "group", "colour"}
#: Of so many steps it is kept, then begun anew.
_MOST_KEPT = 40_000


@dataclass(frozen=True, slots=True)
class StepFacts:
    """Its formulas; the steps that it builds on; and a key of all that it says."""

    slots: tuple[Slot, ...]
    needs: tuple[str, ...]
    key: str


#: By the identity of the step, which lives as long as it stands here.
_kept: dict[int, tuple[Step, StepFacts]] = {}


def facts_of(step: Step) -> StepFacts:
    """What follows from a step alone."""
    known = _kept.get(id(step))
    if known is None:
        if len(_kept) >= _MOST_KEPT:
            _kept.clear()
        facts = StepFacts(step.slots(), _needs_of(step), key_of(step.model_dump(exclude=_BESIDE)))
        known = _kept[id(step)] = step, facts
    return known[1]


def _needs_of(step: Step) -> tuple[str, ...]:
    """The steps that one builds on; one of a stencil on that which puts it in."""
    owner = owner_of(step.name)
    if owner == step.name or isinstance(step, AskHost):
        return step.needs()
    return tuple(dict.fromkeys((owner, *step.needs())))
