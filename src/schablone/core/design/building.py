"""One build of a design on one machine, step by step, nothing built twice.

Every step has a key, the hash of its evaluated inputs and of the keys that it builds on. Results
are kept by key, so that only what an edit changes is built again, in whatever order edits come,
undo included.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace

from ..formula import FormulaError
from ..formula.value_table import ValueTable
from ..kernel.naming import owner_of
from ..problem import Problem, errors
from ..process.lens import LensView
from ..quantity import LENGTH, TRUTH, Quantity
from ..reuse import HOST
from ..sketch.tracing import Trace
from ..steps.base import Step
from ..steps.stencil import PutIn
from ..steps.workshop import Feature, Outlines, Remark, StepError, Workshop
from ..words import say_name
from .built import Memory, Progress, Rebuilt, StepState, key_of
from .evaluate import looks_back, measured_again, table_of
from .finishing import Finishing
from .model import Design
from .parts_made import PartsMade
from .putting_in import PuttingIn
from .remaking import remade
from .slots import slot_values
from .step_facts import facts_of
from .trouble import problem_of, unknown_material


class Building:
    """One build of a design, on one machine.

    ``table`` has the values of its sizes, ``traced`` what followed edges of the part lie on, by
    step; with ``until`` the steps after that one are left out. ``finishes`` says which parts are
    treated as wholes at the end. ``within`` is the build that this one is made for, where a step is
    built again with other values.
    """

    def __init__(
        self,
        design: Design,
        view: LensView,
        table: ValueTable,
        memory: Memory,
        progress: Progress | None,
        traced: Mapping[str, Mapping[str, Trace]] | None = None,
        until: str = "",
        given: Mapping[str, str] | None = None,
        within: Building | None = None,
        finishes: Callable[[str], bool] = lambda part: True,
        measures_on: bool = False,
    ) -> None:
        self.finishes, self.measures_on = finishes, measures_on
        self.given, self.within = dict(given or {}), within
        names = [step.name for step in design.steps]
        self.last = names.index(until) if until in names else len(names) - 1
        self.traced = traced or {}
        self.design, self.view, self.table, self.memory, self.progress = (
            design,
            view,
            table,
            memory,
            progress,
        )
        self.result = Rebuilt(view, table)
        self.result.made_of = {part.name: part.made_of(view.process)[0] for part in design.parts}
        self.densities = {part.name: part.made_of(view.process)[1] for part in design.parts}
        self.features = self.result.features
        self.bought = {part.name: part for part in design.bought}
        self.stencils = {stencil.name for stencil in design.stencils}
        self.putting_in, self.parts_made = PuttingIn(self), PartsMade(self)
        self.opened = {owner_of(name) for name in names if "." in name}
        self.keys: dict[str, str] = {}
        self.carried_by = {
            carried: step.name
            for step in design.steps[: self.last + 1]
            if step.on and (carried := step.carries()) and self.wanted(step)
        }
        round_ = [view.gain("inside", 10.0, lying=lying) for lying in (False, True)]
        gains = (*round_, view.gain("inside"), view.gain("outside"), view.gain("outside", 10.0))
        plain = all(step.only_prisms() for step in design.steps if step.on)
        bends = [bend.model_dump() for bend in view.process.bends]
        beams = [(part, [kerf.model_dump() for kerf in cut.kerfs]) for part, cut in view.cutters]
        self.ground_key = key_of(
            view.lens, view.stretch, laid(design, view), gains, plain, bends, beams,
            self.result.made_of,
        )  # fmt: skip
        self.part_keys: dict[str, str] = {}
        self.stretch = view.stretch if plain else (1.0, 1.0, 1.0)
        if within is not None:
            # What is built for another build is stretched as that one stretches.
            self.ground_key, self.stretch = within.ground_key, within.stretch

    def run(self) -> Rebuilt:
        """Go through the steps, then treat the parts as wholes. What is wrong in the design is
        never raised: it is in the result."""
        steps = self.design.steps
        known = {name: k for k, name in enumerate(dict.fromkeys(owner_of(s.name) for s in steps))}
        for i, step in enumerate(steps):
            if self.progress is not None:
                owner = owner_of(step.name)
                self.progress(known[owner], len(known), owner)
            self.putting_in.come_to(step)
            self.result.steps[step.name] = self.one(step) if i <= self.last else StepState("later")
            self.putting_in.done(step)
        self.putting_in.finish()
        self.result.table = self.table
        self.result.problems[:0] = self.of_the_table()
        if self.within is None:
            Finishing(
                self.design, self.memory, self.result, self.part_keys, self.stretch, self.finishes
            ).run()
        if not self.result.bodies and not errors(self.result.problems):
            self.note(
                Problem(
                    area="design",
                    what="The design makes no part yet.",
                    severity="warning",
                    hint="Draw a sketch and extrude it.",
                )
            )
        return self.result

    def of_the_table(self) -> list[Problem]:
        """What is wrong with sizes and materials. That a figure is not measured yet is no problem
        of the step that measures it."""
        measuring = {step.name for step in self.design.steps if step.measures()}
        told = [p for p in self.table.problems if not (p.area == "step" and p.name in measuring)]
        machine = self.view.process
        wrong = [unknown_material(part, machine) for part in self.design.parts]
        return told + [problem for problem in wrong if problem is not None]

    def take_measured(self, step: Step, read: Mapping[str, float]) -> None:
        """Go on with what was read off the part, where later steps are to see it at once."""
        now = {f"{step.name}.{figure}": value for figure, value in read.items()}
        self.result.measured |= now
        if not self.measures_on:
            return
        cells = self.table.cells
        if any(name not in cells or cells[name].wanted.value != v for name, v in now.items()):
            again = measured_again(self.table, step, self.result.measured)
            self.table = again or table_of(
                self.design, self.view.process, self.given, self.result.measured
            )

    def note(self, problem: Problem) -> None:
        """Keep a problem."""
        self.result.problems.append(problem)

    def wanted(self, step: Step) -> bool:
        """Whether the step's condition holds; one that cannot be read counts as holding."""
        if not step.when.strip():
            return True
        try:
            return bool(self.table.compile(step.when, TRUTH).value(self.table.env()).value)
        except FormulaError:
            return True

    def one(self, step: Step) -> StepState:
        """Build one step, or say what keeps it from being built."""
        if not step.on:
            return StepState("off")
        broken = [
            p
            for p in self.table.problems
            if p.area == "step" and p.name == step.name and p.severity == "error"
        ]
        values: dict[str, Quantity] = {}
        numbers: dict[str, float] = {}
        failed = bool(broken) and not step.measures()
        if step.when.strip():
            try:
                if not self.table.compile(step.when, TRUTH).value(self.table.env()).value:
                    return StepState("left out")
            except FormulaError as error:
                self.fail(step, error, "when")
                failed = True
        reported = {p.field for p in broken}
        slots = slot_values(
            facts_of(step).slots,
            self.table,
            sent=self.view.sent_values,
            outputs=self.outputs_of(step),
        )
        values |= slots.values
        numbers |= slots.numbers
        for slot, trouble in slots.errors:
            failed = True
            if slot.path not in reported:
                self.fail(step, trouble, slot.path)
        if failed:
            return StepState("failed", values)
        try:
            return self.build(step, values, numbers)
        except Exception as error:
            problem = problem_of(step.name, error, self.sizes_as_long_as)
            if problem is None:
                raise
            self.note(problem)
        return StepState("failed", values)

    def fail(self, step: Step, error: FormulaError, where: str) -> None:
        """Note what is wrong with a formula of a step."""
        self.note(
            Problem(
                area="step",
                name=step.name,
                field=where,
                what=error.what,
                hint=error.hint,
                span=error.span,
                waits_for=error.waits_for,
            )
        )

    def build(
        self, step: Step, values: dict[str, Quantity], numbers: dict[str, float]
    ) -> StepState:
        """Build a step whose formulas have values; raises what :func:`.trouble.problem_of` tells
        in words."""
        facts = facts_of(step)
        needs = facts.needs
        waits = [name for name in needs if self.state_of(name) in ("failed", "waits")]
        if waits:
            self.note(
                Problem(
                    area="step",
                    name=step.name,
                    what=f"This waits for “{waits[0]}”, which has a problem.",
                    waits_for=waits[0],
                )
            )
            return StepState("waits", values)
        # What stands on something that a condition leaves out goes with it.
        gone = [name for name in needs if self.state_of(name) == "left out"]
        if gone:
            return StepState("left out", values, gone[0])
        off = [name for name in needs if self.state_of(name) == "off"]
        if off and step.carries():
            return StepState("left out", values, off[0])
        if off:
            raise StepError(
                f"“{say_name(off[0])}”, which this stands on, is switched off.",
                "Switch it on, or let this stand on something else.",
            )
        if step.puts_in() in self.stencils and step.name not in self.opened:
            raise StepError(
                "The stencils of the design come to too many steps; this one is left out.",
                "Repeat one of them by a row, a grid or a ring instead.",
            )
        outputs = self.outputs_of(step)
        shop = Workshop(
            numbers,
            self.view,
            self.result.bodies,
            self.result.drawings,
            self.features,
            outputs,
            self.traced,
            self.stretch,
            densities=self.densities if step.measures() else {},
            repeats=self.carried_by,
            materials=self.result.made_of,
            bought=self.bought,
            stencils=self.stencils,
        )
        alone = "" if step.looks_around else getattr(step, "part", "")
        part_key = self.part_keys.get(alone, "") or key_of(*sorted(self.part_keys.items()))
        below = [self.keys.get(name, "") for name in needs]
        if (wish := step.remakes()) is not None:
            shop.remade, remade_key = remade(self, step, *wish, values)
            below.append(remade_key)
        traced = repr(self.traced.get(step.name, ""))
        placed = self.bought.get(step.uses_bought())
        key = key_of(
            self.ground_key, facts.key, numbers, outputs, below, part_key, traced, shop.densities,
            placed and placed.model_dump(),
        )  # fmt: skip
        drawing = self.memory.get(f"drawing {key}", lambda: step.outlines(shop))
        if isinstance(drawing, Outlines):
            self.result.drawings[step.name] = drawing
            self.keys[step.name] = key
            return StepState("built", values)
        if step.measures():
            read = self.memory.get(f"measured {key}", lambda: step.measure(shop))
            assert isinstance(read, dict)
            self.take_measured(step, read)
        feature = self.memory.get(f"feature {key}", lambda: step.feature(shop))
        self.keys[step.name] = key
        if not isinstance(feature, Feature):
            return StepState("built", values)
        self.features[step.name] = feature
        if isinstance(step, PutIn) and f"{step.name}.{HOST}" not in self.result.steps:
            self.putting_in.offer(step, shop, key)
        if step.uses_bought():
            self.result.things[step.name] = feature.things
            self.result.thing_keys[step.name] = key
            for remark in feature.remarks:
                self.remark(step.name, remark)
            return StepState("built", values)
        if step.name in self.carried_by:
            return StepState("carried", values, self.carried_by[step.name])
        self.parts_made.put(step, feature, key)
        return StepState("built", values)

    def sizes_as_long_as(self, length: float) -> str:
        """The sizes that are of a length, in words, three at most."""
        cells = self.table.cells.items()
        names = [
            n
            for n, c in cells
            if c.wanted.kind == LENGTH and abs(c.wanted.value - length) < 1e-6 * max(1.0, length)
        ]
        return " or ".join(f"“{name}”" for name in names[:3])

    def outputs_of(self, step: Step) -> dict[str, float]:
        """What the step has worked out from its formulas."""
        prefix = f"{step.name}."
        cells = self.table.cells.items() if step.working() is not None or step.measures() else ()
        return {
            name[len(prefix) :]: cell.wanted.value
            for name, cell in cells
            if name.startswith(prefix)
        }

    def remark(self, step: str, remark: Remark) -> None:
        """Note what a step wants to be known."""
        self.note(
            Problem(
                area="step",
                name=step,
                field=remark.where,
                what=remark.what,
                hint=remark.hint,
                severity="note",
            )
        )

    def again(self, design: Design, table: ValueTable, given: Mapping[str, str]) -> Rebuilt:
        """Another design, built for this one with what is kept."""
        return Building(
            design, self.view, table, self.memory, None, self.traced, "", given, self
        ).run()

    def measured_of(
        self, design: Design, given: Mapping[str, str], measuring: list[str]
    ) -> dict[str, float]:
        """What steps of another design measure where it is built as it is wanted."""
        view = replace(self.view, lens="wanted")
        return built_as_measured(design, view, self.memory, given, None, measuring).measured

    def state_of(self, name: str) -> str:
        """How a step came out; nothing where it was not come to yet."""
        state = self.result.steps.get(name)
        return state.state if state is not None else ""


def laid(design: Design, view: LensView) -> object:
    """What of how a part lies changes what steps make: the axis that stands upright, and where a
    step asks for it also which way up."""
    return view.down if any(s.on and s.knows_up() for s in design.steps) else view.up


def built_as_measured(
    design: Design,
    view: LensView,
    memory: Memory,
    given: Mapping[str, str] | None,
    progress: Progress | None,
    measuring: list[str],
    finishes: Callable[[str], bool] = lambda part: True,
) -> Rebuilt:
    """Build with what is measured on the way: once, where only later steps depend on it; else until
    it does not change any more, once more for each measure that others wait for."""
    table = table_of(design, view.process, given)
    on = not looks_back(design, table)
    measured: dict[str, float] = {}
    for _ in range(len(measuring) + 2):
        table = table_of(design, view.process, given, measured) if measured else table
        built = Building(
            design, view, table, memory, progress, None, "", given, None, finishes, on
        ).run()
        if built.measured == measured or on:
            return built
        before, measured = measured, built.measured
    names = (name for name in measured if measured[name] != before.get(name))
    changed = next(names, measuring[0]).partition(".")[0]
    built.problems.append(
        Problem(
            area="step",
            name=changed,
            what="What is measured here changes each time the part is built with it.",
            hint="Something before this step depends on its value: "
            "let it depend on a size instead.",
        )
    )
    return built
