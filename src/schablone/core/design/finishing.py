"""What is done to parts as a whole when all steps are built: stretched for the lens, treated for
the machine, measured."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import partial

from ..kernel.body import Body, stretched, unfolded
from ..kernel.figures import Figures, is_kernel_failure
from ..kernel.flat import leaning_faces, plate_of
from ..kernel.flat_cuts import CUT_UPRIGHT, said_leaning
from ..kernel.frame import Vector
from ..kernel.naming import FaceName
from ..kernel.operations import apply
from ..kernel.tools import stretched_tool
from ..problem import Problem, Severity
from ..process.model import Process
from .built import Memory, Rebuilt, key_of
from .model import Design
from .treat import MEASURE_KERF, bevels, cuts, treated, unknown_kerf


@dataclass(slots=True)
class Finishing:
    """Finishes the parts of a rebuild, those that ``finishes`` tells. ``stretch`` is by what tools
    were stretched as they were used, ``part_keys`` the keys of the parts by then."""

    design: Design
    memory: Memory
    result: Rebuilt
    part_keys: Mapping[str, str]
    stretch: Vector
    finishes: Callable[[str], bool]

    def run(self) -> None:
        """Stretch as a whole what was not stretched tool by tool, treat it, and measure it."""
        self.result.bodies = {
            part: body for part, body in self.result.bodies.items() if self.finishes(part)
        }
        for part, body in self.result.bodies.items():
            if self.stretch == self.result.view.stretch:
                break
            key = key_of(self.part_keys.get(part, ""), "stretched", self.result.view.stretch)
            attempted = self.attempt(
                part,
                f"body {key}",
                partial(self.stretched_as_a_whole, part, body),
                f"could not be scaled for the shrinkage of {self.result.view.process.name}; it "
                "is seen as it was drawn",
            )
            if isinstance(attempted, Body):
                self.result.bodies[part] = attempted
                self.result.keys[part] = key
        self.unfold()
        self.treat()
        for part, body in [*self.result.bodies.items()]:
            key = f"figures {self.result.keys[part]}"
            weighed = self.attempt(
                part, key, body.figures, "came out so that it cannot be measured"
            )
            if isinstance(weighed, Figures):
                self.result.figures[part] = weighed
            else:
                del self.result.bodies[part]

    def stretched_as_a_whole(self, part: str, body: Body) -> Body:
        """A part stretched at the end."""
        return stretched(body, self.result.view.stretch, self._of_stretched_tools(part))

    def _of_stretched_tools(self, part: str) -> Callable[[], Body] | None:
        """How a part is built anew of tools that are stretched each by itself; None where a step
        changes it otherwise than by tools."""
        features = [
            one
            for step in self.design.steps
            if (feature := self.result.features.get(step.name)) is not None
            and feature.part == part
            and self.result.steps[step.name].state == "built"
            for one in feature.then or (feature,)
        ]
        if any(one.change or one.brings or one.others for one in features):
            return None
        used = [(one.operation, tuple(one.tools)) for one in features if one.tools]
        factors = self.result.view.stretch

        def anew() -> Body:
            body: Body | None = None
            for operation, tools in used:
                ready = [stretched_tool(tool, factors) for tool in tools]
                body = apply(body, operation, ready).body
            if body is None:
                raise ValueError("there is nothing to build it of")
            return body

        return anew

    def attempt(self, part: str, key: str, make: Callable[[], object], what: str) -> object | None:
        """What is remembered or made of a whole part; None, with a problem, where the kernel fails
        at it."""
        try:
            return self.memory.get(key, make)
        except Exception as error:
            if not isinstance(error, ValueError) and not is_kernel_failure(error):
                raise
            self.tell(
                part,
                f"“{part}” {what}.",
                "Look for faces that only just touch, and for very thin places.",
            )
            return None

    def tell(self, part: str, what: str, hint: str, severity: Severity = "error") -> None:
        """Say what is wrong with a part as a whole."""
        self.result.problems.append(
            Problem(area="part", name=part, what=what, hint=hint, severity=severity)
        )

    def unfold(self) -> None:
        """What is sent of a folded sheet is its blank."""
        if self.result.view.lens != "sent":
            return
        for part, body in self.result.bodies.items():
            if body.folded is None:
                continue
            cutter = self.result.view.cutter_of(part)
            key = key_of(
                self.result.keys[part],
                "blank",
                cutter and (cutter.process.model_dump(), cutter.on_line, cutter.relieved),
            )
            try:
                blank = unfolded(body)
            except ValueError as error:
                self.tell(
                    part,
                    f"“{part}” cannot be cut from one flat piece: {error}.",
                    "Make flanges lower or shorter, leave a gap between them, or make "
                    "it of two parts.",
                )
                continue
            if cutter is not None and cuts(cutter.process):
                off = partial(treated, blank, cutter, self.result.made_of[part])
                try:
                    cut = self.memory.get(f"body {key}", off)
                except ValueError as error:
                    self.tell(
                        part,
                        f"The blank of “{part}” cannot be cut as it is drawn: {error}.",
                        f"Look for holes, slots and arcs smaller than the cut of "
                        f"{cutter.process.name}.",
                    )
                    continue
                assert isinstance(cut, Body)
                self.tell_of_kerf(part, cutter.process, blank, key)
                blank = replace(cut, blank_of=blank.blank_of)
            self.result.bodies[part] = blank
            self.result.keys[part] = key

    def treat(self) -> None:
        """What is done to flat parts as a whole for a machine that cuts, or what its cut does to
        them."""
        view, machine = self.result.view, self.result.view.process
        if view.lens == "wanted" or not (cuts(machine) or bevels(view)):
            return
        made_of = self.result.made_of
        down = {part.name: part.down for part in self.design.parts}
        for part, body in self.result.bodies.items():
            if body.folded is not None or body.blank_of is not None:
                continue  # its blank is cut to size, so that it comes out as it is wanted
            key = key_of(
                self.result.keys[part],
                "treated",
                view.lens,
                view.on_line,
                view.relieved,
                view.bevelled,
                machine.model_dump(),
                down.get(part, "bottom"),
            )
            treat = partial(treated, body, view, made_of[part], down.get(part, "bottom"))
            try:
                whole = self.memory.get(f"body {key}", treat)
                sides = self.leaning(body, key) if cuts(machine) else ()
            except Exception as error:
                if not isinstance(error, (ValueError, RuntimeError)) and not is_kernel_failure(
                    error
                ):
                    raise
                self.tell(
                    part,
                    f"“{part}” cannot be made as it is drawn: {str(error) or 'the kernel failed'}.",
                    f"Look for slots narrower than the cut of {machine.name}, for "
                    "parts that are not flat, and for thin first layers.",
                )
                continue
            assert isinstance(whole, Body)
            self.result.bodies[part] = whole
            self.result.keys[part] = key
            if cuts(machine):
                self.tell_of_kerf(part, machine, body, key)
            if sides:
                self.tell(
                    part,
                    f"“{part}” has sides that are not upright ({said_leaning(sides)}); "
                    f"on {machine.name} they are {CUT_UPRIGHT}.",
                    "Change the part, or choose another machine for it.",
                    severity="warning",
                )

    def tell_of_kerf(self, part: str, machine: Process, body: Body, key: str) -> None:
        """Say so where a part is cut by a width that nobody knows of its material."""
        thick = self.memory.get(f"thick {key}", lambda: plate_of(body).thickness)
        assert isinstance(thick, float)
        if told := unknown_kerf(machine, self.result.made_of[part], thick):
            self.tell(part, told, MEASURE_KERF, severity="warning")

    def leaning(self, body: Body, key: str) -> tuple[FaceName, ...]:
        """What of a part as it is drawn a machine that cuts leaves upright instead."""
        sides = self.memory.get(f"leaning {key}", partial(leaning_faces, body))
        assert isinstance(sides, tuple)
        return sides
