"""What all steps have in common: data with formulas in it, a sentence that shows them, and
geometry; and what a kind of step says of itself, so that lists, pictures, tables and tests need not
know it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import ClassVar

from ..formula.value_table import Working
from ..kernel.frame import Frame, Vector
from ..kernel.naming import step_renamed
from ..kernel.spots import steps_named, with_step_renamed
from ..model import FormulaText, Frozen, Identifier, OneLine, Paragraphs, Tint
from ..quantity import COUNT, LENGTH, Kind
from ..sketch.mapping import XY
from ..sketch.regions import Region
from .sentence import Sentence
from .span import Span
from .workshop import Feature, Outlines, Workshop


@dataclass(frozen=True, slots=True)
class Slot:
    """A formula of a step, and what it measures.

    ``side`` says which side of the material a length lies on (``inside``, ``outside``, or neither:
    a position or a height); ``along`` is the axis of the part, as x, y or z of the step's own
    plane. ``over`` makes it a formula of a parameter: its name and the paths of the slots that say
    where it runs from and to. Its values are then those at the nodes of the curve, or with
    ``panels`` at those of many pieces of it, under ``path@0``, ``path@1`` … ``counted`` makes it a
    formula of whole numbers from 1: their names, each with the path of the slot, or the output of
    the step, that gives the count (``round`` marks the diameter of a round hole, ``bored`` the axis
    of the part along which that runs, where the step's own plane does not tell); its values are
    under ``path@1``, or ``path@2.3`` where there are two.
    """

    path: str
    formula: str
    label: str
    kind: Kind | None = LENGTH
    side: str = ""
    along: str = ""
    over: tuple[str, str, str] | None = None
    counted: tuple[tuple[str, str], ...] = ()
    round: bool = False
    panels: bool = False
    bored: str = ""


@dataclass(frozen=True, slots=True)
class Standing:
    """What stands in a design before a step is added: its sketches and parts in their order, the
    part that was worked on last, and the last step."""

    sketches: tuple[str, ...] = ()
    parts: tuple[str, ...] = ()
    part: str = ""
    last: Step | None = None


class Step(Frozen):
    """One operation. Subclasses add their data and define the methods below."""

    #: Place of the kind in lists that people choose from.
    order: ClassVar[int] = 100
    #: What the kind is called, what it is for, and other words under which people look for it.
    title: ClassVar[str] = ""
    purpose: ClassVar[str] = ""
    also: ClassVar[str] = ""
    #: Its icon as SVG, 24 by 24, drawn in ``currentColor``; where there is none, that of the kind
    #: among the program's own.
    icon: ClassVar[str] = ""
    #: Whether rows, rings and mirrors can repeat it: what adds or cuts.
    repeatable: ClassVar[bool] = False
    #: Whether it can be a step of a stencil: what stands on a sketch or on steps before it, and
    #: nowhere else.
    in_stencils: ClassVar[bool] = False
    #: What is to be picked as soon as it is added: a field (``edges+edge`` for edges), or
    #: ``drawing``, ``ties``; ``shelf`` where it is chosen from the shelf before it is added.
    asks: ClassVar[str] = ""
    #: Whether it looks at parts beside the one that it works on.
    looks_around: ClassVar[bool] = False
    #: Fields that name other steps.
    refers: ClassVar[tuple[str, ...]] = ()
    #: Fields that name a plane or a face; those that list faces; those that list rules for edges.
    places: ClassVar[tuple[str, ...]] = ()
    face_lists: ClassVar[tuple[str, ...]] = ()
    edge_rules: ClassVar[tuple[str, ...]] = ()

    kind: str
    name: Identifier
    note: Paragraphs = ""
    on: bool = True
    when: FormulaText = ""
    group: OneLine = ""
    colour: Tint = ""

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        """The fields of a step as it is first added, on what stands before it; what it has no use
        for is left out."""
        last = before.sketches[-1] if before.sketches else ""
        likely: dict[str, object] = {"part": before.part, "sketch": last}
        likely |= {"path": last, "drawn": last} if last else {}
        likely["of"] = (
            before.last.name if before.last is not None and cls.repeats(type(before.last)) else ""
        )
        return likely

    @classmethod
    def repeats(cls, kind: type[Step]) -> bool:
        """Whether a step of this kind, just after one of another, most likely repeats that."""
        return kind.repeatable

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        """Where figures of the step stand on the part: paths of formulas, each with a point in
        space, mm. ``values`` are those wanted; ``frame_of`` gives the frame of a flat face by its
        name."""
        return []

    def spans(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[Span]:
        """What the lengths of the step reach from and to, mm, for those that a drawing can show as
        a dimension between two points. What is given is as with :meth:`figure_spots`."""
        return []

    def slots(self) -> tuple[Slot, ...]:
        """All formulas of the step that are needed to build it."""
        return ()

    def runs_over(self, path: str) -> dict[str, Kind]:
        """The names that the formula at a path runs over, with their kinds."""
        slot = next((slot for slot in self.slots() if slot.path == path), None)
        if slot is None:
            return {}
        if slot.over is not None:
            name, first, _ = slot.over
            kind = next((s.kind for s in self.slots() if s.path == first), None)
            return {name: kind or COUNT}
        return {name: COUNT for name, _ in slot.counted}

    def sentence(self) -> Sentence:
        """The step in words, in one or more lines."""
        raise TypeError(f"{type(self).__name__} has no sentence")

    def working(self) -> Working | None:
        """What the step works out from its formulas, for others to use."""
        return None

    def needs(self) -> tuple[str, ...]:
        """Names of the steps that this one builds on directly, as far as its own data tells."""
        named = [str(getattr(self, field_name)) for field_name in self.refers]
        for field_name in self.places:
            named += steps_named(str(getattr(self, field_name)))
        named += [
            face.split("/")[0]
            for field_name in self.face_lists
            for face in getattr(self, field_name)
        ]
        named += [
            step
            for field_name in self.edge_rules
            for rule in getattr(self, field_name)
            for step in rule.steps()
        ]
        return tuple(dict.fromkeys(name for name in named if name))

    def uses_whole(self) -> set[str]:
        """The steps that this one uses as they are: its sketch, what it repeats."""
        return {str(getattr(self, name)) for name in self.refers} & set(self.needs())

    def carries(self) -> str:
        """The step that this one uses in its own way, so that it is not made on its own: what a row
        repeats."""
        return ""

    def uses_bought(self) -> str:
        """The bought part of the design that the step places."""
        return ""

    def puts_in(self) -> str:
        """The stencil of the design that the step puts in."""
        return ""

    def measures(self) -> Mapping[str, Kind]:
        """The figures that the step reads off what is built, with their kinds, usable as
        ``step.figure``."""
        return {}

    def measure(self, shop: Workshop) -> dict[str, float]:
        """The figures, in base units.

        Raises:
            StepError: says why they cannot be read.
        """
        raise TypeError(f"{type(self).__name__} measures nothing")

    def works_on(self) -> str:
        """The part that the step works on by its own data; empty where that follows from what it is
        picked for."""
        return str(getattr(self, "part", "")) if not self.carries() else ""

    def remakes(self) -> tuple[str, Mapping[str, str]] | None:
        """A part that the step wants as it would be with other sizes: its name, and by size the
        path of the slot with the size's value."""
        return None

    def turns_about(self, drawing: Outlines) -> tuple[XY, XY] | None:
        """A point and the direction of the axis that it turns its sketch about, from which lengths
        then count."""
        return None

    def thickens_by(self) -> str:
        """The path of the length by which it raises a part: in what is cut, the thickness of the
        stock."""
        return ""

    def bent_to(self) -> Mapping[str, str]:
        """The paths of formulas that a bend comes out at: ``leg`` for a length that is measured
        over one, ``angle`` for its angle."""
        return {}

    def goes_down(self) -> bool | None:
        """Whether it raises its sketch, the first step that it needs, downwards; None where it
        raises none."""
        return None

    def works_out_along(self) -> Mapping[str, str]:
        """The axis of the part, ``x``, ``y`` or ``z``, of lengths that the step works out, by
        output."""
        return {}

    def only_prisms(self) -> bool:
        """Whether all that it makes is prisms, which are stretched exactly as they are used."""
        return True

    def knows_up(self) -> bool:
        """Whether what it makes depends on which side is up while the part is made."""
        return False

    def outlines(self, shop: Workshop) -> Outlines | None:
        """The outlines that the step draws, if it draws any."""
        return None

    def sections(self, shop: Workshop) -> Mapping[str, tuple[Region, ...]]:
        """The regions that the step uses of sketches, by the sketch, with the machine's gains on
        them in the shop's view."""
        return {}

    def feature(self, shop: Workshop) -> Feature | None:
        """What the step does to a part.

        Raises:
            StepError: says what is wrong.
        """
        return None

    def with_step_renamed(self, old: str, new: str) -> Step:
        """The step with its references to another step, or its own name, changed."""
        changes: dict[str, object] = {}
        if self.name == old:
            changes["name"] = new
        for field_name in self.refers:
            name = str(getattr(self, field_name))
            if (renamed_step := step_renamed(name, old, new)) != name:
                changes[field_name] = renamed_step
        for field_name in self.places:
            text = str(getattr(self, field_name))
            if (renamed_place := with_step_renamed(text, old, new)) != text:
                changes[field_name] = renamed_place
        for field_name in self.face_lists:
            faces = getattr(self, field_name)
            moved = tuple(step_renamed(face, old, new) for face in faces)
            if moved != faces:
                changes[field_name] = moved
        for field_name in self.edge_rules:
            rules = getattr(self, field_name)
            renamed = tuple(rule.with_step_renamed(old, new) for rule in rules)
            if renamed != rules:
                changes[field_name] = renamed
        return self.model_copy(update=changes) if changes else self
