"""Stencils within a build: their steps are made like any others, and when the last of them is done
it is seen to that the whole is repeated, mirrored, and known for how it sits."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from ..kernel.body import Body
from ..kernel.naming import owner_of
from ..kernel.seating import Deed
from ..reuse import HOST
from ..steps.anchored import ASKED
from ..steps.base import Step
from ..steps.repeating import repeated
from ..steps.stencil import PutIn
from ..steps.workshop import Feature, StepError, Workshop
from .built import Seat, StepState, key_of
from .trouble import problem_of

if TYPE_CHECKING:
    from .building import Building

#: Of so many stencils what could be asked of their hosts is read off unasked.
_MOST_OFFERED = 40


@dataclass(slots=True)
class Instance:
    """A stencil that is being put in: by which step, what the parts were before, and its own
    steps."""

    step: PutIn
    bodies: dict[str, Body]
    part_keys: dict[str, str]
    steps: list[Step] = field(default_factory=list)


class PuttingIn:
    """What a build does for stencils: :meth:`come_to` before each step, :meth:`done` after it, and
    :meth:`finish` at the end."""

    def __init__(self, build: Building) -> None:
        self.build, self.result = build, build.result
        self.instance: Instance | None = None

    def come_to(self, step: Step) -> None:
        """The next step is to be made: a stencil that it is no part of is done."""
        if self.instance is not None and owner_of(step.name) != self.instance.step.name:
            self.finish()

    def done(self, step: Step) -> None:
        """A step was made: one that puts a stencil in, one of that stencil's, or another."""
        build = self.build
        if isinstance(step, PutIn):
            self.instance = Instance(step, dict(build.result.bodies), dict(build.part_keys))
        elif self.instance is not None:
            self.instance.steps.append(step)

    def finish(self) -> None:
        """What a stencil comes to when its steps are done: one that is repeated is taken back, and
        made where its repeat says; one that is mirrored is taken back and made mirrored."""
        instance, self.instance = self.instance, None
        if instance is None:
            return
        name, states = instance.step.name, self.result.steps
        state = states[name]
        if any(states[one.name].state in ("failed", "waits") for one in instance.steps):
            states[name] = StepState("failed", state.values)
            if state.state == "carried" or instance.step.image == "mirrored":
                self.take_back(instance)  # what it did so far is nowhere wanted as it stands
            return
        feature = self.build.features.get(name)
        if feature is None or feature.host is None or state.state not in ("built", "carried"):
            return
        # What repeats it depends on all that it does.
        inner = [self.build.keys.get(one.name, "") for one in instance.steps]
        self.build.keys[name] = key_of(self.build.keys[name], *inner)
        mirrored = instance.step.image_motion(feature.host.frame)
        done = [one.name for one in instance.steps if states[one.name].state == "built"]
        made = tuple(self.build.features[one] for one in done if one in self.build.features)
        if state.state == "built" and mirrored.is_nothing:
            before = instance.bodies.get(feature.host.part)
            key = key_of(instance.part_keys.get(feature.host.part, ""), self.build.keys[name])
            self.seat(name, replace(feature, then=made), key, before)
            return
        feature = self.build.features[name] = replace(feature, then=made)
        for one in done:
            states[one] = StepState("carried", states[one].values, state.by or name)
        self.take_back(instance)
        if not mirrored.is_nothing:
            feature = self.build.features[name] = repeated(feature, [mirrored])
        if state.state == "built":
            try:
                self.build.parts_made.put(
                    instance.step, feature, key_of(self.build.keys[name], "mirrored")
                )
            except Exception as error:
                problem = problem_of(name, error, self.build.sizes_as_long_as)
                if problem is None:
                    raise
                self.build.note(problem)
                states[name] = StepState("failed", state.values)

    def take_back(self, instance: Instance) -> None:
        """The parts as they were before a stencil's own steps."""
        self.result.bodies.clear()
        self.result.bodies |= instance.bodies
        self.build.part_keys.clear()
        self.build.part_keys |= instance.part_keys
        self.result.keys |= instance.part_keys

    def seat(self, name: str, feature: Feature, key: str, before: Body | None = None) -> None:
        """Keep where a stencil is put in, for the checks that look at how it sits."""
        host = feature.host
        body = before or (self.result.bodies.get(host.part) if host is not None else None)
        if host is None or body is None or not feature.then:
            return
        deeds = tuple(
            Deed(one.operation == "cut", one.tools, one.through)
            for one in feature.then
            if one.part == host.part and one.tools and one.operation != "common"
        )
        frames = feature.members or (host.frame,)
        self.result.seats[name] = Seat(body, host.face, frames, deeds, key)

    def offer(self, step: PutIn, shop: Workshop, key: str) -> None:
        """Read off what nobody asks of the host of a stencil yet, for who is about to: where there
        are few of them."""
        if (
            len(self.result.offered) > _MOST_OFFERED * len(ASKED)
            or self.build.view.lens != "wanted"
        ):
            return

        def read() -> dict[str, float]:
            try:
                return step.room(shop, ASKED)
            except StepError:
                return {}  # beside its face there is nothing to tell

        offered = self.build.memory.get(f"offered {key}", read)
        assert isinstance(offered, dict)
        self.result.offered |= {f"{step.name}.{HOST}.{what}": v for what, v in offered.items()}
