"""A bought part at its place."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from ..kernel.body import Body
from ..kernel.frame import Frame, Vector
from ..kernel.motion import Motion
from ..kernel.tools import Tool, placed
from .model import BoughtPart, Side
from .resolved import OUTWARD, Resolved, resolved

_ORIGIN = (0.0, 0.0, 0.0)
#: How the part is turned so that a side looks down: about which axis, and by how many degrees.
_ONTO: dict[Side, tuple[Vector, float]] = {
    "bottom": ((1.0, 0.0, 0.0), 0.0),
    "top": ((1.0, 0.0, 0.0), 180.0),
    "front": ((1.0, 0.0, 0.0), 90.0),
    "back": ((1.0, 0.0, 0.0), -90.0),
    "left": ((0.0, 1.0, 0.0), -90.0),
    "right": ((0.0, 1.0, 0.0), 90.0),
}


@dataclass(frozen=True)
class Thing:
    """A bought part where it was placed: by which step, its number there, and the motion from its
    own coordinates to those of the design. ``up`` is away from what it is placed on."""

    part: BoughtPart
    step: str
    number: int
    motion: Motion
    up: Vector

    @property
    def resolved(self) -> Resolved:
        """The part with all its lengths in mm."""
        return resolved(self.part)

    @property
    def name(self) -> str:
        """``cages``, and with more than one ``cages 2``."""
        return self.step if self.number == 1 else f"{self.step} {self.number}"

    @property
    def is_over(self) -> bool:
        """Whether its underside looks up."""
        own = self.motion.vector((0.0, 0.0, 1.0))
        return sum(a * b for a, b in zip(own, self.up, strict=True)) < -0.5

    @cached_property
    def tool(self) -> Tool:
        """Its outline in the design's own space, faces named after the step that placed it."""
        return placed(self.resolved.tool, self.motion)

    @cached_property
    def body(self) -> Body:
        """Its solid at its place, seen as it is."""
        from ..kernel.operations import apply

        return apply(None, "add", [self.tool]).body

    def frame(self) -> Frame:
        """Where its own origin is, with its own axes."""
        return self.motion.frame(Frame())


def placing(
    part: BoughtPart, anchor: str, there: Frame, lift: float, turn: float, over: bool
) -> Motion:
    """The motion that brings a bought part to a place: with the side that the anchor looks to on
    the plane of ``there``, the anchor at its origin, lifted by ``lift`` mm and turned by ``turn``
    degrees about the normal. ``over``: turned over first, in the room that it takes, about what is
    then its own x.
    """
    known = resolved(part)
    hold = known.anchors[anchor]
    axis, by = _ONTO[hold.towards]
    onto = Motion.turn(_ORIGIN, axis, by).after(Motion.move(_negative(hold.at)))
    if over:
        corners = [
            onto.point((x * known.box[0] / 2, y * known.box[1] / 2, z * known.box[2]))
            for x in (-1, 1)
            for y in (-1, 1)
            for z in (0, 1)
        ]
        middle = (min(c[2] for c in corners) + max(c[2] for c in corners)) / 2
        onto = Motion.turn((0.0, 0.0, middle), (1.0, 0.0, 0.0), 180.0).after(onto)
    turned = Motion.turn(_ORIGIN, (0.0, 0.0, 1.0), turn).after(onto)
    return to_frame(there.lifted(lift)).after(turned)


def to_frame(frame: Frame) -> Motion:
    """The motion from a frame's own coordinates to space."""
    x, y, n = frame.x, frame.y, frame.normal
    return Motion(((x[0], y[0], n[0]), (x[1], y[1], n[1]), (x[2], y[2], n[2])), frame.origin)


def outward(side: Side) -> Vector:
    """Which way a side looks, in the part's own coordinates."""
    return OUTWARD[side]


def _negative(v: Vector) -> Vector:
    return (-v[0], -v[1], -v[2])
