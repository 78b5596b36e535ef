"""What a design consists of. The order of the fields is the order in the file."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from ..bought import BoughtPart
from ..formula.errors import FormulaError
from ..formula.parse import check_name
from ..model import FormulaText, Frozen, Identifier, OneLine, Paragraphs, Tint
from ..process.lens import Lens, LensView
from ..process.lying import Down
from ..process.materials import MATERIALS
from ..process.model import NO_MATERIAL, Process
from ..reuse import Stencil
from ..steps import AnyStep, Step

Units = Literal["mm", "in"]

#: The number of an edition: ``2.1``. The first figure goes up where choices that somebody saved no
#: longer fit.
NUMBER = r"^[0-9]{1,4}\.[0-9]{1,4}$"
EditionNumber = Annotated[str, StringConstraints(pattern=NUMBER)]


class Size(Frozen):
    """A named quantity with a formula.

    ``low`` and ``high`` are its limits, formulas that may be empty; past them it is held there
    (``policy`` stop) or refused. ``step`` is by how much a drag or a key changes it. ``units``
    shows it in millimetres or inches whatever the design does. ``tolerance`` says how far the
    finished size may be off either way. ``kind``, normally left to the formula, refuses formulas
    of another kind.
    """

    name: Identifier
    formula: FormulaText
    note: Paragraphs = ""
    group: OneLine = ""
    low: FormulaText = ""
    high: FormulaText = ""
    policy: Literal["stop", "refuse"] = "stop"
    step: FormulaText = ""
    tolerance: FormulaText = ""
    units: Units | Literal[""] = ""
    kind: Literal["", "count", "length", "area", "volume", "mass", "angle", "density", "truth"] = ""

    @model_validator(mode="after")
    def _usable_name(self) -> Self:
        try:
            check_name(self.name)
        except FormulaError as error:
            raise ValueError(error.what.rstrip(".")) from None
        return self


class Variant(Frozen):
    """One row of a size table: formulas for some of its columns. A column that is left out keeps
    its size's own."""

    name: Annotated[OneLine, Field(min_length=1)]
    cells: dict[Identifier, FormulaText] = {}


class SizeTable(Frozen):
    """Standard sizes: rows are variants, columns are sizes. The formulas of the current row are in
    force."""

    columns: Annotated[tuple[Identifier, ...], Field(max_length=200)] = ()
    rows: Annotated[tuple[Variant, ...], Field(max_length=5000)] = ()
    current: OneLine = ""

    def row(self, name: str) -> Variant | None:
        """The row of a name; None where there is none."""
        return next((row for row in self.rows if row.name == name), None)


class Part(Frozen):
    """One thing to be made. Without a ``material`` it is of what the process works; ``density`` in
    g/cm³ is stated where it is not that of the table of materials. ``process`` names the one that
    it is made by, where that is not the design's; and that which cuts its blank, where it is folded
    of one. ``count`` says how many of it are made,
    ``down`` which of its sides lies on the bed that it is printed on, ``colour`` how it is told
    from others in the view."""

    name: Identifier = "part"
    title: OneLine = ""
    material: OneLine = ""
    density: Annotated[float, Field(gt=0, le=30, allow_inf_nan=False)] | None = None
    process: OneLine = ""
    cut_by: OneLine = ""
    count: FormulaText = "1"
    down: Down = "bottom"
    colour: Tint = ""

    def made_of(self, process: Process) -> tuple[str, float | None]:
        """The name of the material and its density, g/cm³; None where nobody knows it."""
        name = self.material or process.material.name
        if self.density is not None:
            return name, self.density
        if name == process.material.name:
            return name, None if name == NO_MATERIAL else process.material.density
        return name, MATERIALS.get(name)


class ScrewRow(Frozen):
    """A screw that the table of the standard does not have, or other clearances for one that it
    has; all mm."""

    nominal: Annotated[float, Field(gt=0, le=200, allow_inf_nan=False)]
    fine: Annotated[float, Field(gt=0, le=300, allow_inf_nan=False)]
    medium: Annotated[float, Field(gt=0, le=300, allow_inf_nan=False)]
    coarse: Annotated[float, Field(gt=0, le=300, allow_inf_nan=False)]
    source: OneLine = ""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.fine <= self.medium <= self.coarse:
            raise ValueError(
                f"the holes of the {self.nominal:g} mm screw must not "
                "get smaller from fine to coarse"
            )
        return self


class Check(Frozen):
    """A statement about the design that holds or does not: a formula whose answer is yes or no."""

    name: OneLine
    formula: FormulaText
    note: Paragraphs = ""


class Adjustable(Frozen):
    """A size that others may adjust in an edition: what it is called there, help, and narrower
    limits. ``formerly`` are the names that it had in earlier editions: choices saved with those are
    still read."""

    size: Identifier
    label: OneLine = ""
    help: Paragraphs = ""
    low: FormulaText = ""
    high: FormulaText = ""
    formerly: Annotated[tuple[Identifier, ...], Field(max_length=50)] = ()


class Preset(Frozen):
    """Sizes for which ready-made files are put into an edition."""

    name: Annotated[OneLine, Field(min_length=1)]
    sizes: dict[Identifier, FormulaText] = {}


class EditionRecord(Frozen):
    """An edition that was written: its number, ``major.minor``, its day, by whom, what had changed
    since the one before, and the values that could be adjusted, as published."""

    number: EditionNumber
    date: Annotated[str, StringConstraints(pattern=r"^[0-9]{4}-[0-9]{2}-[0-9]{2}$")]
    author: OneLine = ""
    changed: Paragraphs = ""
    values: Annotated[dict[Identifier, OneLine], Field(max_length=5000)] = {}


class Source(Frozen):
    """An edition that a design was adapted from, of whoever made that."""

    id: OneLine = ""
    title: OneLine = ""
    number: EditionNumber | Literal[""] = ""
    author: OneLine = ""
    licence: OneLine = ""


#: Sides from which a part is drawn, and cuts through it by their number.
SideName = Annotated[
    str, StringConstraints(pattern=r"^(front|top|left|right|picture|cut [1-4])$", max_length=10)
]
#: A place on paper, mm.
OnPaper = Annotated[float, Field(ge=-2000.0, le=2000.0)]


class CutAcross(Frozen):
    """A cut through a part on its drawing sheet: across an axis, at a place on it; where none is
    given, through the middle."""

    across: Literal["x", "y", "z"] = "y"
    at: FormulaText = ""


class PutByHand(Frozen):
    """Where a dimension stands that somebody moved: in which view, how far beyond the view (below
    zero: on its lower or left side), and how far from the middle of what it measures, mm on paper.
    Of a note with a line to its place, both from there. Or in the list beside the views."""

    part: Identifier
    size: OneLine
    view: SideName | Literal["list"]
    out: OnPaper = 0.0
    along: OnPaper = 0.0


class ViewByHand(Frozen):
    """By how much a view was moved on paper, mm."""

    part: Identifier
    view: SideName
    right: OnPaper = 0.0
    up: OnPaper = 0.0


class DrawingSheet(Frozen):
    """How the drawing sheet of a design is laid out; all that is not said is found."""

    paper: Literal["A4", "A3", "A2"] = "A4"
    scale: Annotated[str, StringConstraints(pattern=r"^([1-9][0-9]{0,2}:[1-9][0-9]{0,2})?$")] = ""
    angle: Literal["first", "third"] = "first"
    cuts: Annotated[tuple[CutAcross, ...], Field(max_length=4)] = ()
    dimensions: Annotated[tuple[PutByHand, ...], Field(max_length=2000)] = ()
    views: Annotated[tuple[ViewByHand, ...], Field(max_length=500)] = ()


class Publishing(Frozen):
    """What an edition says and offers, and the life of its editions.

    ``id`` is the same for all editions of a design. ``history`` lists those that were written, the
    latest last; ``last`` is the design as it was in that one, so that what changed since can be
    told. ``next_number`` and ``next_changed`` are what its author says of the one to come.
    """

    title: OneLine = ""
    summary: Paragraphs = ""
    measure_first: Paragraphs = ""
    author: OneLine = ""
    licence: OneLine = "CC-BY-4.0"
    adjust: tuple[Adjustable, ...] = ()
    presets: tuple[Preset, ...] = ()
    id: OneLine = ""
    next_number: EditionNumber | Literal[""] = ""
    next_changed: Paragraphs = ""
    adapted_from: Annotated[tuple[Source, ...], Field(max_length=200)] = ()
    history: Annotated[tuple[EditionRecord, ...], Field(max_length=1000)] = ()
    sheet: DrawingSheet = DrawingSheet()
    last: Design | None = None

    @property
    def latest(self) -> EditionRecord | None:
        """The edition that was written last."""
        return self.history[-1] if self.history else None

    @property
    def number(self) -> str:
        """Its number; empty where none was written yet."""
        return self.history[-1].number if self.history else ""

    @model_validator(mode="after")
    def _last_holds_no_other(self) -> Self:
        if self.last is not None and (self.last.publish.last or self.last.publish.history):
            raise ValueError("the last edition must not hold the ones before it")
        return self


class Design(Frozen):
    """A design: sizes, parts, steps, checks, and what is published of it. An edit returns a new
    one. ``least_gap`` is how far apart must be what does not touch; empty where that is not
    asked."""

    format: Literal["schablone design"] = "schablone design"
    version: Literal[1] = 1
    name: OneLine = "Untitled"
    note: Paragraphs = ""
    units: Units = "mm"
    process: OneLine = ""
    scale_for_shrinkage: bool = True
    cut_beside_line: bool = True
    relieve_corners: bool = True
    bevel_first_layer: bool = False
    hold_by_tabs: bool = True
    inch_fraction: Literal[0, 2, 4, 8, 16, 32, 64] = 0
    sizes: Annotated[tuple[Size, ...], Field(max_length=5000)] = ()
    table: SizeTable = SizeTable()
    parts: Annotated[tuple[Part, ...], Field(min_length=1, max_length=200)] = (Part(),)
    steps: Annotated[tuple[AnyStep, ...], Field(max_length=2000)] = ()
    least_gap: FormulaText = ""
    bought: Annotated[tuple[BoughtPart, ...], Field(max_length=200)] = ()
    stencils: Annotated[tuple[Stencil, ...], Field(max_length=100)] = ()
    screws: Annotated[tuple[ScrewRow, ...], Field(max_length=200)] = ()
    checks: Annotated[tuple[Check, ...], Field(max_length=500)] = ()
    publish: Publishing = Field(default_factory=lambda: Publishing())

    @model_validator(mode="after")
    def _names_are_distinct(self) -> Self:
        for what, names in (
            ("sizes", [size.name for size in self.sizes]),
            ("steps", [step.name for step in self.steps]),
            ("parts", [part.name for part in self.parts]),
            ("bought parts", [part.name for part in self.bought]),
            ("stencils", [stencil.name for stencil in self.stencils]),
            ("rows of the size table", [row.name for row in self.table.rows]),
            ("columns of the size table", list(self.table.columns)),
        ):
            twice = (
                next((name for i, name in enumerate(names) if name in names[:i]), None)
                if len(set(names)) < len(names)
                else None
            )
            if twice is not None:
                raise ValueError(f"two {what} are called “{twice}”")
        steps = {step.name for step in self.steps}
        both = next((part.name for part in self.bought if part.name in steps), None)
        if both is not None:
            raise ValueError(f"a step and a bought part are both called “{both}”")
        return self

    @property
    def title(self) -> str:
        """What it is called in public, or its name."""
        return self.publish.title or self.name

    def formula_of(self, size: Size) -> str:
        """The formula in force: that of the current row of the size table, or the size's own."""
        row = self.table.row(self.table.current)
        return (
            row.cells.get(size.name, size.formula)
            if row and size.name in self.table.columns
            else size.formula
        )

    def seen(self, lens: Lens, process: Process, known: Iterable[Process] = ()) -> LensView:
        """The design through a lens on a process, treated as the design says. Parts with a process
        of their own are made by that, if it is among those ``known``."""
        by_name = {one.name: one for one in known}
        own = tuple(
            (p.name, by_name[p.process])
            for p in self.parts
            if p.process in by_name and p.process != process.name
        )
        cutters = tuple((p.name, by_name[p.cut_by]) for p in self.parts if p.cut_by in by_name)
        return LensView(
            lens,
            process,
            self.scale_for_shrinkage,
            self.cut_beside_line,
            self.relieve_corners,
            self.bevel_first_layer,
            self.hold_by_tabs,
            own,
            cutters,
            tuple((part.name, part.down) for part in self.parts if part.down != "bottom"),
        )

    def own_processes(self) -> set[str]:
        """The names of the processes of parts that have one of their own, or one that cuts their
        blank."""
        named = (name for part in self.parts for name in (part.process, part.cut_by))
        return {name for name in named if name}

    def parts_of(self, step: Step, depth: int = 0) -> set[str]:
        """The parts that a step works on: its own, or those of the steps that it builds on. For a
        sketch those of the steps that use it."""
        if step.works_on():
            return {step.works_on()}
        if step.kind == "sketch" and depth == 0:
            users = [
                user
                for user in self.steps
                if user.on and user.kind != "sketch" and step.name in user.needs()
            ]
            return {part for user in users for part in self.parts_of(user, 1)}
        below = (self.step(name) for name in (*step.needs(), step.carries()))
        return {
            p
            for one in below
            if one is not None and depth < 50
            for p in self.parts_of(one, depth + 1)
        }

    def stencil(self, name: str) -> Stencil | None:
        return next((stencil for stencil in self.stencils if stencil.name == name), None)

    def size(self, name: str) -> Size | None:
        return next((size for size in self.sizes if size.name == name), None)

    def step(self, name: str) -> Step | None:
        """The step of a name; None where there is none."""
        return next((step for step in self.steps if step.name == name), None)


Publishing.model_rebuild()
