"""What steps make, put to the parts of a build."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from ..kernel.body import Body
from ..kernel.figures import NoEffect
from ..kernel.operations import Applied, apply, merged
from ..steps.base import Step
from ..steps.workshop import Feature, StepError
from ..words import say_name
from .built import key_of
from .outcome import remarks_on, sound, still_sheet

if TYPE_CHECKING:
    from .building import Building


class PartsMade:
    """The parts of a build, to which the features of its steps are put one after the other."""

    def __init__(self, build: Building) -> None:
        self.build, self.result = build, build.result

    def put(self, step: Step, feature: Feature, key: str) -> None:
        """Put what a step makes to its part.

        Raises:
            StepError: where there is no such part.
        """
        if all(part.name != feature.part for part in self.build.design.parts):
            known = ", ".join(part.name for part in self.build.design.parts)
            raise StepError(f"There is no part “{feature.part}”.", f"Parts are: {known}.", "part")
        if feature.host is not None:
            self.build.putting_in.seat(
                step.name, feature, key_of(self.build.part_keys.get(feature.host.part, ""), key)
            )
            for number, one in enumerate(feature.then):
                self.put(step, one, key_of(key, number))
            for remark in feature.remarks:
                self.build.remark(step.name, remark)
            return
        before = self.result.bodies.get(feature.part)
        if not (feature.tools or feature.change or feature.brings or feature.others):
            for remark in feature.remarks:
                self.build.remark(step.name, remark)
            return
        body_key = key_of(self.build.part_keys.get(feature.part, self.build.ground_key), key)

        for part, make in feature.others.items():
            self._give_other(feature.part, part, make, before, body_key)

        def work() -> Applied:
            if feature.brings is not None:
                return Applied(feature.brings if before is None else merged(before, feature.brings))
            if feature.change is not None:
                if before is None:
                    raise NoEffect("there is no part yet that it could change")
                return Applied(still_sheet(before, feature.change(before)))
            if feature.check is not None and before is not None:
                feature.check(before, feature.tools)
            return apply(before, feature.operation, feature.tools, self.build.stretch)

        done = self.build.memory.get(f"body {body_key}", lambda: sound(work()))
        assert isinstance(done, Applied)
        for remark in (*feature.remarks, *remarks_on(feature, done)):
            self.build.remark(step.name, remark)
        self.result.bodies[feature.part] = done.body
        self.build.part_keys[feature.part] = self.result.keys[feature.part] = body_key

    def _give_other(
        self, of: str, part: str, make: Callable[[Body], Body], before: Body | None, body_key: str
    ) -> None:
        """Make the first body of another part from what a part was before a step."""
        if before is None:
            raise NoEffect("there is no part yet that it could change")
        if all(known.name != part for known in self.build.design.parts):
            raise StepError(
                f"There is no part “{part}”.", "Choose one, or make a new one.", "other"
            )
        if part in self.result.bodies:
            raise StepError(
                f"The part “{say_name(part)}” has something already.",
                "Choose another part, or make a new one.",
                "other",
            )
        key = key_of(body_key, "other", part)
        made = self.build.memory.get(f"body {key}", lambda: make(before))
        assert isinstance(made, Body)
        self.result.bodies[part] = made
        self.build.part_keys[part] = self.result.keys[part] = key
