"""A design opened for building: what stencils do as steps and sizes of their own.

The steps of a stencil follow the step that puts it in, called ``grip.pocket``; its sizes are
``grip.length``. So tables, corrections, checks and files need know nothing of stencils. A size that
is given as one of the design's is that size, so that what is measured of it is found there.
"""

from __future__ import annotations

import re
from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from threading import Lock
from typing import Any

from ..formula.errors import FormulaError
from ..formula.parse import parse
from ..formula.rewrite import names_in, replace_names
from ..formula.tree import Name, Output
from ..kernel.frame import PLANES
from ..kernel.naming import owner_of
from ..problem import Problem
from ..reuse import HOST, Stencil
from ..steps.anchored import ASKED, Anchored, AskHost
from ..steps.base import Step
from ..steps.repeating import Repeats
from ..steps.stencil import PutIn
from ..words import say_name
from .blank import ANY, Blank
from .edit import map_step, with_steps_renamed
from .model import Check, Design, Size

#: The most steps, and the most sizes, that a design may have when it is opened; stencils beyond
#: stay closed, and say so when they are built.
MOST_OPENED = 20_000

#: The designs that were opened last: as it was, and opened.
_last: list[tuple[Design, Design]] = []


@dataclass(frozen=True, slots=True)
class _Known:
    """A stencil with what is worked out of it once for all places where it is put in: its text,
    what its formulas ask of the host, for each of its steps which of them it may speak of, and its
    steps as they are for any instance whose sizes are called so."""

    stencil: Stencil
    text: str
    asked: frozenset[str]
    named: tuple[tuple[str, ...], ...]
    for_any: dict[tuple[tuple[str, str], ...], tuple[Blank, ...]] = field(default_factory=dict)

    @classmethod
    def of(cls, stencil: Stencil) -> _Known:
        steps = [one.name for one in stencil.steps]
        texts = [one.model_dump_json() for one in stencil.steps]
        return cls(
            stencil,
            stencil.model_dump_json(),
            frozenset(_asked((text for text, _ in stencil.formulas()), f"{HOST}.")),
            tuple(tuple(name for name in steps if name in text) for text in texts),
        )


@dataclass(frozen=True, slots=True)
class _Instance:
    """What a stencil is where it is put in: its steps, sizes and checks as those of the design, and
    what these ask of the host."""

    steps: tuple[Step, ...]
    sizes: tuple[Size, ...]
    checks: tuple[Check, ...]
    asked: frozenset[str]


#: Instances by the texts of their stencil and of the step: most stay from edit to edit.
_instances: OrderedDict[tuple[str, str], _Instance] = OrderedDict()
#: Sizes are evaluated beside the window's own thread, too.
_one_at_a_time = Lock()
_MOST_KEPT = 2_000


def opened(design: Design) -> Design:
    """The design with the steps, sizes and checks of its stencils; itself where it has none, or is
    open."""
    global _last
    if not design.stencils or not any(step.puts_in() for step in design.steps):
        return design
    if is_open(design):
        return design
    for before, whole in _last:
        if before is design:
            return whole
    for before, whole in _last:
        same = before.steps is design.steps and before.stencils is design.stencils
        if same and _asked_by_sizes(before) == _asked_by_sizes(design):
            # Only sizes were changed, as most often.
            sizes = whole.sizes[len(before.sizes) :]
            checks = whole.checks[len(before.checks) :]
            new = design.model_copy(
                update={
                    "steps": whole.steps,
                    "sizes": (*design.sizes, *sizes),
                    "checks": (*design.checks, *checks),
                }
            )
            break
    else:
        new = _opened(design)
    _last = [(design, new), *_last[:3]]
    return new


def is_open(design: Design) -> bool:
    """Whether a design is opened for building."""
    return any("." in step.name for step in design.steps)


def _opened(design: Design) -> Design:
    stencils = {stencil.name: _Known.of(stencil) for stencil in design.stencils}
    elsewhere = _asked_by_sizes(design) | _asked_in(
        repr(step.__dict__) for step in design.steps if not step.puts_in()
    )
    steps: list[Step] = []
    sizes: list[Size] = []
    checks: list[Check] = []
    for step in design.steps:
        stencil = stencils.get(step.puts_in())
        full = max(len(steps), len(sizes)) > MOST_OPENED
        if stencil is None or not isinstance(step, PutIn) or full:
            steps.append(step)
            continue
        instance = _kept(step, stencil)
        wanted = instance.asked | {what for by, what in elsewhere if by == step.name}
        if asked := tuple(name for name in ASKED if name in wanted):
            steps.append(_asking(step, asked))
        steps += (step, *instance.steps)
        sizes += instance.sizes
        checks += instance.checks
    return design.model_copy(
        update={
            "steps": tuple(steps),
            "sizes": (*design.sizes, *sizes),
            "checks": (*design.checks, *checks),
        }
    )


def _sizes_of(step: PutIn, stencil: Stencil) -> tuple[dict[str, str], list[Size]]:
    """What each size of the stencil is called in the design, and those that the design gets."""
    given = {one.size: one.formula for one in step.given}
    names = {}
    for size in stencil.sizes:
        own = given.get(size.name, "") if size.open else ""
        names[size.name] = _alone(own) or f"{step.name}.{size.name}"
    within = _within(step, stencil, names)
    sizes = [
        Size.model_construct(
            name=f"{step.name}.{size.name}",
            formula=given[size.name] if size.open and size.name in given else within(size.formula),
            note=size.note,
            low=within(size.low),
            high=within(size.high),
            policy="refuse",
            kind=size.kind,
        )
        for size in stencil.sizes
    ]
    return names, sizes


def _alone(formula: str) -> str:
    """The size of the design that a formula is; empty where it is more than a name."""
    try:
        tree = parse(formula)
    except FormulaError:
        return ""
    return tree.name if isinstance(tree, Name) and tree.name not in ("pi", "yes", "no") else ""


def _within(step: PutIn, stencil: Stencil, names: Mapping[str, str]) -> Callable[[str], str]:
    """What makes a formula of the stencil one of the design."""
    steps = {HOST, *(one.name for one in stencil.steps)}

    def new(node: Name | Output) -> str | None:
        if isinstance(node, Output):
            return f"{step.name}.{node.name}" if node.step in steps else None
        return names.get(node.name)

    return lambda text: replace_names(text, new)


def _kept(step: PutIn, known: _Known) -> _Instance:
    """A stencil where it is put in."""
    key = (known.text, step.model_dump_json())
    with _one_at_a_time:
        instance = _instances.pop(key, None) or _instance_of(step, known)
        _instances[key] = instance
        while len(_instances) > _MOST_KEPT:
            _instances.popitem(last=False)
    return instance


def _instance_of(step: PutIn, known: _Known) -> _Instance:
    stencil = known.stencil
    names, sizes = _sizes_of(step, stencil)
    within = _within(step, stencil, names)
    checks = (
        Check.model_construct(
            name=f"{say_name(step.name)}: {check.name}",
            formula=within(check.formula),
            note=check.note,
        )
        for check in stencil.checks
    )
    given = [one.formula for one in step.given]
    asked = known.asked.union(*(_asked(given, by) for by in (f"{HOST}.", f"{step.name}.{HOST}.")))
    return _Instance(_steps_of(step, known, names), tuple(sizes), tuple(checks), asked)


_ASKS = re.compile(rf"(\w+)\.{HOST}\.(\w+)")


def _asked_in(texts: Iterable[str]) -> set[tuple[str, str]]:
    """What texts ask of hosts: by which step, and what."""
    return {(step, what) for text in texts for step, what in _ASKS.findall(text)}


def _asked_by_sizes(design: Design) -> set[tuple[str, str]]:
    """What sizes and checks of the design ask of hosts."""
    texts = [text for size in design.sizes for text in (size.formula, size.low, size.high)]
    texts += [cell for row in design.table.rows for cell in row.cells.values()]
    return _asked_in((*texts, *(check.formula for check in design.checks)))


def _asked(formulas: Iterable[str], prefix: str) -> set[str]:
    """What formulas ask of a host, whose outputs begin with a prefix."""
    asked: set[str] = set()
    for text in formulas:
        with suppress(FormulaError):
            asked |= {n.removeprefix(prefix) for n in names_in(text) if n.startswith(prefix)}
    return asked


def _asking(step: PutIn, asked: tuple[str, ...]) -> Step:
    """The step that asks the host, before that which puts the stencil in."""
    fields = {name: getattr(step, name) for name in Anchored.model_fields if name != "kind"}
    own = {**fields, "kind": "asked", "name": f"{step.name}.{HOST}", "asked": asked}
    return AskHost.model_construct(**own)


def _steps_of(step: PutIn, known: _Known, names: Mapping[str, str]) -> tuple[Step, ...]:
    faces = {f"{HOST}/here": step.face}
    faces |= {f"{HOST}/{one.name}": one.face for one in step.faces}
    parts = {HOST: step.part} | {one.name: one.part for one in step.parts}
    steps: list[Step] = []
    for blank in _for_any(step, known, names):
        one = blank.step
        changes = blank.filled(step.name)
        when = changes.get("when", one.when)
        changes |= on_host(one, changes, step.name, faces)
        changes |= {
            "when": f"({step.when}) and ({when})" if step.when and when else step.when or when,
            "on": step.on and one.on,
            "group": step.group,
            "colour": one.colour or step.colour,
        }
        if isinstance(one, Repeats):
            changes["axes"] = changes.get("axes", one.axes) or step.name
        if "part" in type(one).model_fields:
            changes["part"] = parts.get(str(getattr(one, "part")), "")  # noqa: B009
        steps.append(one.model_copy(update=changes))
    return tuple(steps)


def _for_any(step: PutIn, known: _Known, names: Mapping[str, str]) -> tuple[Blank, ...]:
    """The steps of a stencil, where an instance may be called anything and its sizes are called as
    those of this one; worked out once."""
    own = f"{step.name}."
    anyhow = {
        size: f"{ANY}.{name.removeprefix(own)}" if name.startswith(own) else name
        for size, name in names.items()
    }
    key = tuple(anyhow.items())
    if key not in known.for_any:
        within = _within(step.model_copy(update={"name": ANY}), known.stencil, anyhow)
        known.for_any[key] = tuple(
            Blank.of(
                with_steps_renamed(map_step(one, within), {name: f"{ANY}.{name}" for name in named})
            )
            for one, named in zip(known.stencil.steps, known.named, strict=True)
        )
    return known.for_any[key]


_HOST_FACE = re.compile(rf"(?<![\w./]){HOST}/\w+")


def on_host(
    step: Step, changes: Mapping[str, Any], instance: str, faces: Mapping[str, str]
) -> dict[str, Any]:
    """What further changes of a step of a stencil put the faces of the design for those of the
    host, and the planes of the anchor for those of the design. Where it takes the axes of the
    anchor's face, it takes those of the anchor."""
    here = f"{instance}/here"

    def real(text: str) -> str:
        return _HOST_FACE.sub(lambda found: faces.get(found[0], found[0]), text)

    def now(field_name: str) -> Any:
        return changes[field_name] if field_name in changes else getattr(step, field_name)

    values: dict[str, Any] = {}
    for name in step.places:
        text = str(now(name))
        if text in PLANES:
            values[name] = f"{instance}/{text}"
        else:
            values[name] = here if text == f"{HOST}/here" else real(text)
    for name in step.face_lists:
        values[name] = tuple(real(face) for face in now(name))
    for name in step.edge_rules:
        values[name] = tuple(
            rule.model_copy(update={"of": tuple(real(face) for face in rule.of)})
            for rule in now(name)
        )
    return values


def told(problem: Problem, design: Design) -> Problem:
    """A problem of an opened design as one of the design that people see."""
    owner, _, inner = problem.name.partition(".")
    step = design.step(owner)
    if not inner or not isinstance(step, PutIn) or problem.area not in ("size", "step"):
        return problem
    if problem.area == "size":
        field = next((f"given.{k}.formula" for k, one in enumerate(step.given)
                      if one.size == inner), "stencil")  # fmt: skip
        what = f"Its {say_name(inner)}: {problem.what}"
        span = problem.span if field != "stencil" and problem.field in ("", "formula") else None
        return problem.model_copy(
            update={"area": "step", "name": owner, "field": field, "what": what, "span": span,
                    "waits_for": owner_of(problem.waits_for)}
        )  # fmt: skip
    waits = owner_of(problem.waits_for)
    return problem.model_copy(
        update={
            "name": owner,
            "field": problem.field if inner == HOST else "stencil",
            "what": problem.what if inner == HOST else f"In its {say_name(inner)}: {problem.what}",
            "span": None,
            "waits_for": "" if waits == owner else waits,
        }
    )


def all_told(problems: list[Problem], design: Design) -> list[Problem]:
    """Problems of an opened design as those of the design that people see: each once, and of what
    waits within one stencil for something else in it nothing."""
    every: dict[Problem, None] = {}  # a list would be looked through for each of thousands
    causes = {owner_of(p.name) for p in problems if not p.waits_for}
    for problem in problems:
        owner = owner_of(problem.name)
        if problem.waits_for and owner_of(problem.waits_for) == owner and owner in causes:
            continue
        every[told(problem, design)] = None
    return list(every)
