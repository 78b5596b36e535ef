"""What all steps have in common: data with formulas in it, a sentence that shows them, and geometry."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from ..formula.sheet import Working
from ..kernel.body import Body, Operation
from ..kernel.frame import PLANES, Frame, Vector
from ..kernel.naming import FaceName, say_name
from ..kernel.spots import is_spot, say_spot, steps_named, with_step_renamed
from ..kernel.tools import Tool
from ..model import FormulaText, Frozen, Identifier, Line, Paragraphs
from ..process.lens import View
from ..quantity import COUNT, LENGTH, Kind
from ..sketch.arrangement import Arrangement, arrange
from ..sketch.curves import Curve, Loop, Point
from ..sketch.regions import Region
from ..sketch.tracing import Trace


class StepError(Exception):
    """A step that cannot be built: what is wrong, what to do, and which of its fields is to blame.

    ``candidates`` offers replacements where a picked thing was lost. ``length`` is a length of the part, mm, that is
    to blame: the sizes that are as long are named with it.
    """

    def __init__(
        self, what: str, hint: str = "", where: str = "", candidates: Sequence[str] = (), length: float = 0.0
    ) -> None:
        super().__init__(what)
        self.what, self.hint, self.where, self.candidates = what, hint, where, tuple(candidates)
        self.length = length


@dataclass(frozen=True, slots=True)
class Slot:
    """A formula of a step, and what it measures.

    ``side`` says which side of the material a length lies on (``inside``, ``outside``, or neither: a
    position or a height); ``along`` is the axis of the part, as x, y or z of the step's own plane. ``over``
    makes it a formula of a parameter: its name and the paths of the slots that say where it runs from and
    to. Its values are then those at the nodes of the curve, or with ``panels`` at those of many pieces of it, under
    ``path@0``, ``path@1`` … ``counted`` makes it a
    formula of whole numbers from 1: their names, each with the path of the slot, or the output of the step, that
    gives the count (``round`` marks the diameter of a round hole); its values are under ``path@1``, or ``path@2.3`` where there are two.
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


@dataclass(frozen=True, slots=True)
class Words:
    """Plain words of a sentence."""

    text: str


@dataclass(frozen=True, slots=True)
class FormulaPiece:
    """A formula, edited where it stands."""

    path: str


@dataclass(frozen=True, slots=True)
class ChoicePiece:
    """One of several words."""

    path: str
    options: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class PlacePiece:
    """A plane or a flat face, picked in the view; with ``spots`` also any face, a corner, a middle or a centre."""

    path: str
    planes: bool = False
    spots: bool = False


@dataclass(frozen=True, slots=True)
class StepPiece:
    """Another step, of one of the kinds."""

    path: str
    kinds: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class PartPiece:
    """Another part of the design; ``new`` offers to make one, ``itself`` also the part that the step works on."""

    path: str
    new: bool = False
    itself: bool = False


@dataclass(frozen=True, slots=True)
class SizePiece:
    """One of the design's sizes."""

    path: str


@dataclass(frozen=True, slots=True)
class TextPiece:
    """Plain text that goes onto the part."""

    path: str


@dataclass(frozen=True, slots=True)
class LinePiece:
    """An axis of the sheet or a line of the sketch that another field names."""

    path: str
    sketch: str


@dataclass(frozen=True, slots=True)
class EdgesPiece:
    """Edges by rules, picked in the view."""

    path: str


@dataclass(frozen=True, slots=True)
class FacesPiece:
    """Faces by name, picked in the view."""

    path: str


@dataclass(frozen=True, slots=True)
class ListPiece:
    """Items of a list, one more or one less of them; ``new`` is what one more is at first."""

    path: str
    what: str
    new: Frozen
    least: int = 0


#: Kinds of step that rows, rings and mirrors repeat: those that add or cut.
REPEATABLE = (
    "extrude", "revolve", "sweep", "lead", "loft", "rib", "gusset", "imported", "hole", "row", "ring", "grid", "trail",
    "mirror",
)  # fmt: skip

Piece = (
    Words
    | FormulaPiece
    | ChoicePiece
    | PlacePiece
    | StepPiece
    | TextPiece
    | EdgesPiece
    | FacesPiece
    | LinePiece
    | PartPiece
    | ListPiece
    | SizePiece
)
Sentence = tuple[tuple[Piece, ...], ...]


@dataclass(slots=True)
class Outlines:
    """A sketch as built: its plane, its closed shapes by name, the curves of its drawing, where the edges are that
    it follows, its straight lines and points by name, helpers included, and the points that stand alone."""

    frame: Frame
    loops: Mapping[str, Loop]
    curves: Sequence[Curve] = ()
    traces: Mapping[str, Trace] = field(default_factory=dict)
    lines: Mapping[str, tuple[Point, Point]] = field(default_factory=dict)
    places: Mapping[str, Point] = field(default_factory=dict)
    marks: Mapping[str, Point] = field(default_factory=dict)
    _arranged: Arrangement | None = None

    def arrangement(self) -> Arrangement:
        """All areas that shapes and drawing enclose together; worked out at first use."""
        if self._arranged is None:
            shapes = [curve for loop in self.loops.values() for curve in loop.curves]
            self._arranged = arrange([*shapes, *self.curves])
        return self._arranged


@dataclass(frozen=True, slots=True)
class Remark:
    """Something that a person should know of a step that is built all the same: what, what to do, and of which field."""

    what: str
    hint: str = ""
    where: str = ""


@dataclass(slots=True)
class Feature:
    """What a step does to a part: tools to add or to cut, in the design's own space, or a change of the part.

    ``check`` is asked before tools are used, with the part and all of them, those of a row included.
    ``change`` makes another body of the part; ``others`` make bodies of other parts from the part as it was before.
    ``brings`` is a whole body that comes to the part, or is its first. ``remarks`` are told though it is built.
    ``frame`` is where the axes of the step's own slots lie, ``lying`` says that what is round in it lies.
    """

    operation: Operation
    part: str
    tools: list[Tool] = field(default_factory=list)
    check: Callable[[Body, Sequence[Tool]], None] | None = None
    remarks: tuple[Remark, ...] = ()
    change: Callable[[Body], Body] | None = None
    others: Mapping[str, Callable[[Body], Body]] = field(default_factory=dict)
    brings: Body | None = None
    frame: Frame | None = None
    lying: bool = False


@dataclass(slots=True)
class Workshop:
    """What a step finds when it is built: values of its slots, the parts so far, the drawings, the view.

    ``densities`` are those of the parts, g/cm³. ``repeats`` tells by the name of a step which other repeats it. ``remade`` is the part that a step asked for with changed sizes (:meth:`Step.remakes`).
    ``stretch`` is by what tools are stretched as they are used; parts with steps that make more than prisms are
    stretched as a whole, at the end. ``traced`` gives, under another lens than Wanted, the edges that each sketch follows as they are wanted.
    """

    values: Mapping[str, float]
    view: View
    bodies: Mapping[str, Body]
    drawings: Mapping[str, Outlines]
    features: Mapping[str, Feature]
    outputs: Mapping[str, float]
    traced: Mapping[str, Mapping[str, Trace]] = field(default_factory=dict)
    stretch: Vector = (1.0, 1.0, 1.0)
    remade: Body | None = None
    densities: Mapping[str, float] = field(default_factory=dict)
    repeats: Mapping[str, str] = field(default_factory=dict)

    def plane(self, place: str, where: str) -> Frame:
        """The frame of a plane or of a named flat face.

        Raises:
            StepError: where there is no such face, with the flat faces that there are.
        """
        if place in PLANES:
            return PLANES[place]
        return self.face(place, where)[1]

    def face(self, place: str, where: str) -> tuple[Body, Frame, FaceName]:
        """The body that has a named flat face, and the face's frame."""
        try:
            name = FaceName.read(place)
        except ValueError:
            raise StepError("No face is chosen.", "Pick a flat face in the view.", where, self.flat_faces()) from None
        for body in self.bodies.values():
            if name in body.frames and name in body.names():
                return body, body.frames[name], name
        for body in self.bodies.values():
            level = self._joined_with(name, body)
            if level is not None:
                return body, body.frames[name], level
        known = self.flat_faces(name)
        raise StepError(
            f"The face “{name.words()}” is not there any more{self.why_lost(name)}.",
            "Pick another face in the view." if known else "There are no flat faces yet.",
            where,
            known,
        )

    def _joined_with(self, name: FaceName, body: Body) -> FaceName | None:
        """The face that a face of something added has become one with, since both lie level."""
        made = self.features.get(name.step)
        frame = body.frames.get(name)
        if frame is None or made is None or made.operation != "add":
            return None
        for other in sorted(body.names() & body.frames.keys()):
            there = body.frames[other]
            if abs(frame.coordinates(there.origin)[2]) < 1e-6 and math.dist(frame.normal, there.normal) < 1e-9:
                return other
        return None

    def flat_faces(self, like: FaceName | None = None) -> list[str]:
        """The flat faces that there are; with ``like`` those that are most like it first."""
        known = [name for body in self.bodies.values() for name in sorted(body.frames) if name in body.names()]
        return [str(name) for name in (sorted(known, key=lambda name: name.unlike(like)) if like else known)]

    def why_lost(self, name: FaceName) -> str:
        """What has changed a face away, where that can be told: a repeat that has fewer members now."""
        by = self.repeats.get(name.step, "")
        if not by:
            return ""
        count = max(
            (n.member[0] for body in self.bodies.values() for n in body.names() if n.step == name.step and n.member),
            default=0,
        )
        return (
            f": “{say_name(by)}” makes {count} of {say_name(name.step)} now"
            if count
            else f": “{say_name(by)}” makes none of {say_name(name.step)} now"
        )

    def reach(self, part: str) -> float:
        """A length that is sure to go through the whole part, mm."""
        body = self.bodies.get(part)
        if body is None:
            return 1000.0
        low, high = body.figures().bounds
        return 10.0 + 2 * max(abs(c) for c in (*low, *high)) + sum(b - a for a, b in zip(low, high, strict=True))


class Step(Frozen):
    """One operation. Subclasses add their data and define the methods below."""

    #: Place of the kind in lists that people choose from.
    order: ClassVar[int] = 100
    #: What the kind is called and what it is for.
    title: ClassVar[str] = ""
    purpose: ClassVar[str] = ""
    #: Fields that name other steps.
    refers: ClassVar[tuple[str, ...]] = ()
    #: Fields that name a plane or a face; those that list faces; those that list rules for edges.
    places: ClassVar[tuple[str, ...]] = ()
    face_lists: ClassVar[tuple[str, ...]] = ()
    edge_rules: ClassVar[tuple[str, ...]] = ()
    #: Whether it turns its sketch about an axis, from which lengths then count.
    turns: ClassVar[bool] = False

    kind: str
    name: Identifier
    note: Paragraphs = ""
    on: bool = True
    when: FormulaText = ""
    group: Line = ""

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
        named += [face.split("/")[0] for field_name in self.face_lists for face in getattr(self, field_name)]
        named += [step for field_name in self.edge_rules for rule in getattr(self, field_name) for step in rule.steps()]
        return tuple(dict.fromkeys(name for name in named if name))

    def carries(self) -> str:
        """The step that this one uses in its own way, so that it is not made on its own: what a row repeats."""
        return ""

    def measures(self) -> Mapping[str, Kind]:
        """The figures that the step reads off what is built, with their kinds, usable as ``step.figure``."""
        return {}

    def measure(self, shop: Workshop) -> dict[str, float]:
        """The figures, in base units.

        Raises:
            StepError: says why they cannot be read.
        """
        raise TypeError(f"{type(self).__name__} measures nothing")

    def works_on(self) -> str:
        """The part that the step works on by its own data; empty where that follows from what it is picked for."""
        return str(getattr(self, "part", "")) if not self.carries() else ""

    def remakes(self) -> tuple[str, Mapping[str, str]] | None:
        """A part that the step wants as it would be with other sizes: its name, and by size the path of the slot with
        the size's value."""
        return None

    def thickens_by(self) -> str:
        """The path of the length by which it raises a part: in what is cut, the thickness of the stock."""
        return ""

    def works_out_along(self) -> Mapping[str, str]:
        """The axis, ``xy`` or ``z``, of lengths that the step works out, by output."""
        return {}

    def only_prisms(self) -> bool:
        """Whether all that it makes is prisms, which are stretched exactly as they are used."""
        return True

    def outlines(self, shop: Workshop) -> Outlines | None:
        """The outlines that the step draws, if it draws any."""
        return None

    def sections(self, shop: Workshop) -> Mapping[str, tuple[Region, ...]]:
        """The regions that the step uses of sketches, by the sketch, with the machine's gains on them in the shop's view."""
        return {}

    def feature(self, shop: Workshop) -> Feature | None:
        """What the step does to a part.

        Raises:
            StepError: says what is wrong.
        """
        return None

    def with_step_renamed(self, old: str, new: str) -> Step:
        """The step with its references to another step, or its own name, changed."""
        changes: dict[str, Any] = {}
        if self.name == old:
            changes["name"] = new
        for field_name in self.refers:
            if getattr(self, field_name) == old:
                changes[field_name] = new
        for field_name in self.places:
            text = str(getattr(self, field_name))
            if (renamed_place := with_step_renamed(text, old, new)) != text:
                changes[field_name] = renamed_place
        for field_name in self.face_lists:
            faces = getattr(self, field_name)
            moved = tuple(new + face[len(old) :] if face.startswith(f"{old}/") else face for face in faces)
            if moved != faces:
                changes[field_name] = moved
        for field_name in self.edge_rules:
            rules = getattr(self, field_name)
            renamed = tuple(rule.with_step_renamed(old, new) for rule in rules)
            if renamed != rules:
                changes[field_name] = renamed
        return self.with_(**changes) if changes else self


def above_zero(value: float, what: str, formula: str, where: str) -> float:
    """The value, if it is above zero.

    Raises:
        StepError: names the formula that is to blame.
    """
    if value <= 1e-9:
        raise StepError(
            f"The {what} is {value:g} mm (from “{formula}”); it must be above zero.",
            f"Change “{formula}”.",
            where,
        )
    return value


def say_place(place: str) -> str:
    """A plane or face in words."""
    if place in PLANES:
        return {"ground": "the ground", "front": "the front plane", "side": "the side plane"}[place]
    if is_spot(place):
        return say_spot(place)
    try:
        return FaceName.read(place).words()
    except ValueError:
        return "no face yet"


def say_step(name: str) -> str:
    """The name of a step in words."""
    return say_name(name) if name else "no step yet"
