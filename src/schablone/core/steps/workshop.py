"""What steps build with and what they make: the parts so far, drawings, tools, and errors that say
what to do."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field

from ..bought import BoughtPart, Thing
from ..kernel.body import Body
from ..kernel.frame import GROUND, PLANES, Frame, Vector
from ..kernel.motion import Motion
from ..kernel.naming import FaceName
from ..kernel.operations import Operation
from ..kernel.tools import Tool
from ..process.lens import LensView
from ..sketch.arrangement import Arrangement, arrange
from ..sketch.curves import Curve
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..sketch.tracing import Trace
from ..words import say_name


class StepError(Exception):
    """A step that cannot be built: what is wrong, what to do, and which of its fields is to blame.

    ``candidates`` offers replacements where a picked thing was lost. ``length`` is a length of the
    part, mm, that is to blame: the sizes that are as long are named with it. ``asks``: nothing is
    wrong, something is still to be chosen.
    """

    def __init__(
        self,
        what: str,
        hint: str = "",
        where: str = "",
        candidates: Sequence[str] = (),
        length: float = 0.0,
        asks: bool = False,
    ) -> None:
        super().__init__(what)
        self.what, self.hint, self.where, self.candidates = what, hint, where, tuple(candidates)
        self.length, self.asks = length, asks


@dataclass(slots=True)
class Outlines:
    """A sketch as built: its plane, its closed shapes by name, the curves of its drawing, where the
    edges are that it follows, its straight lines and points by name, helpers included, and the
    points that stand alone."""

    frame: Frame
    loops: Mapping[str, Loop]
    curves: Sequence[Curve] = ()
    traces: Mapping[str, Trace] = field(default_factory=dict)
    lines: Mapping[str, tuple[XY, XY]] = field(default_factory=dict)
    places: Mapping[str, XY] = field(default_factory=dict)
    marks: Mapping[str, XY] = field(default_factory=dict)
    _arranged: Arrangement | None = None

    def arrangement(self) -> Arrangement:
        """All areas that shapes and drawing enclose together; worked out at first use."""
        if self._arranged is None:
            shapes = [curve for loop in self.loops.values() for curve in loop.curves]
            self._arranged = arrange([*shapes, *self.curves])
        return self._arranged


#: The role of the face that a hole begins with, level with the face that it is in: it is there only
#: where something stands over it.
COVER = "cover"


@dataclass(frozen=True, slots=True)
class Remark:
    """Something that a person should know of a step that is built all the same: what, what to do,
    and of which field."""

    what: str
    hint: str = ""
    where: str = ""


#: A member of a row: its numbers, outermost repeat first, and where it is.
Member = tuple[tuple[int, ...], Motion]


@dataclass(frozen=True, slots=True)
class Host:
    """Where a stencil sits: in which part, on which of its faces, and its anchor, x being its
    direction and the normal looking out of the part."""

    part: str
    face: FaceName
    frame: Frame


@dataclass(slots=True)
class Feature:
    """What a step does to a part: tools to add or to cut, in the design's own space, or a change of
    the part.

    ``check`` is asked before tools are used, with the part and all of them, those of a row
    included.
    ``change`` makes another body of the part, ``again`` makes it at several places instead, where
    it can be repeated; ``others`` make bodies of other parts from the part
    as it was before.
    ``brings`` is a whole body that comes to the part, or is its first. ``remarks`` are told though
    it is built.
    ``things`` are bought parts at their places; a step that places some changes no part.
    ``frame`` is where the axes of the step's own slots lie, ``lying`` says that what is round in it
    lies. ``through`` says that it is to go through everything. ``host`` says where a stencil sits,
    ``then`` is what follows at the same places: all that a stencil does, to be repeated; and
    ``members`` are the frames of its anchors where it is.
    """

    operation: Operation
    part: str
    tools: list[Tool] = field(default_factory=list)
    check: Callable[[Body, Sequence[Tool]], None] | None = None
    remarks: tuple[Remark, ...] = ()
    change: Callable[[Body], Body] | None = None
    again: Callable[[Body, Sequence[Member]], Body] | None = None
    others: Mapping[str, Callable[[Body], Body]] = field(default_factory=dict)
    brings: Body | None = None
    frame: Frame | None = None
    lying: bool = False
    things: tuple[Thing, ...] = ()
    through: bool = False
    host: Host | None = None
    then: tuple[Feature, ...] = ()
    members: tuple[Frame, ...] = ()


@dataclass(slots=True)
class Workshop:
    """What a step finds when it is built: values of its slots, the parts so far, the drawings, the
    view.

    ``densities`` are those of the parts, g/cm³, None where nobody knows one, ``materials`` what
    they are made of. ``repeats`` tells by the name of a step which other repeats it. ``bought`` are
    the design's bought parts. ``remade`` is the part that a step asked for with changed sizes
    (:meth:`Step.remakes`). ``stretch`` is by what tools are stretched as they are used; parts with
    steps that make more than prisms are stretched as a whole, at the end. ``traced`` gives, under
    another lens than Wanted, the edges that each sketch follows as they are wanted. ``stencils``
    are those that the design has.
    """

    values: Mapping[str, float]
    view: LensView
    bodies: Mapping[str, Body]
    drawings: Mapping[str, Outlines]
    features: Mapping[str, Feature]
    outputs: Mapping[str, float]
    traced: Mapping[str, Mapping[str, Trace]] = field(default_factory=dict)
    stretch: Vector = (1.0, 1.0, 1.0)
    remade: Body | None = None
    densities: Mapping[str, float | None] = field(default_factory=dict)
    repeats: Mapping[str, str] = field(default_factory=dict)
    materials: Mapping[str, str] = field(default_factory=dict)
    bought: Mapping[str, BoughtPart] = field(default_factory=dict)
    stencils: Collection[str] = ()

    def plane(self, place: str, where: str) -> Frame:
        """The frame of a plane or of a named flat face.

        Raises:
            StepError: where there is no such face, with the flat faces that there are.
        """
        if place in PLANES:
            return PLANES[place]
        step, _, role = place.partition("/")
        made = self.features.get(step)
        if made is not None and made.host is not None and role in PLANES:
            return PLANES[role].within(made.host.frame)
        return self.face(place, where)[1]

    def axes(self, step: str, where: str) -> Frame:
        """The axes of a plane on a face, or of where a stencil sits; without a name those of the
        design.

        Raises:
            StepError: where there is no such plane.
        """
        made = self.features.get(step)
        if step and (made is None or made.host is None):
            known = sorted(name for name, one in self.features.items() if one.host is not None)
            raise StepError(
                f"“{say_name(step)}” is no plane above this step.", "Choose one.", where, known
            )
        return made.host.frame if made is not None and made.host is not None else GROUND

    def face(self, place: str, where: str) -> tuple[Body, Frame, FaceName]:
        """The body that has a named flat face, and the face's frame."""
        try:
            name = FaceName.read(place)
        except ValueError:
            raise StepError(
                "No face is chosen.",
                "Pick a flat face in the view.",
                where,
                self.flat_faces(),
                asks=not place,
            ) from None
        if name.role == "here" and (made := self.features.get(name.step)) and made.host:
            # The face that a stencil's anchor lies on, in the axes of the anchor.
            return self.bodies[made.host.part], made.host.frame, made.host.face
        for body in self.bodies.values():
            if name in body.frames and body.has_face(name):
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
            if (
                abs(frame.coordinates(there.origin)[2]) < 1e-6
                and math.dist(frame.normal, there.normal) < 1e-9
            ):
                return other
        return None

    def flat_faces(self, like: FaceName | None = None) -> list[str]:
        """The flat faces that there are; with ``like`` those that are most like it first."""
        known = [
            name
            for body in self.bodies.values()
            for name in sorted(body.frames)
            if name in body.names()
        ]
        return [
            str(name)
            for name in (sorted(known, key=lambda name: name.unlike(like)) if like else known)
        ]

    def why_lost(self, name: FaceName) -> str:
        """What has changed a face away, where that can be told: a repeat that has fewer members
        now."""
        by = self.repeats.get(name.step, "")
        if not by:
            return ""
        count = max(
            (
                n.member[0]
                for body in self.bodies.values()
                for n in body.names()
                if n.step == name.step and n.member
            ),
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
        low, high = body.box()
        return (
            10.0
            + 2 * max(abs(c) for c in (*low, *high))
            + sum(b - a for a, b in zip(low, high, strict=True))
        )


def above_zero(value: float, what: str, formula: str, where: str) -> float:
    """The value, in the unit it has, if it is above zero.

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
