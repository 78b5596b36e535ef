"""What the steps have in common that make room for bought parts: the things that a step placed,
their outlines seen from where they lie, and openings as the machine has to be sent them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from ..bought import BoughtError, Resolved, Thing
from ..bought.model import CylinderOutline
from ..bought.resolved import rectangle
from ..kernel.frame import Frame, Vector, as_vector, cross, dot
from ..kernel.second import manifold_of
from ..model import Identifier
from ..process.lens import LensView
from ..sketch.curves import EllipticArc, Segment
from ..sketch.loops import Loop
from ..sketch.mapping import XY, Mapping2D
from ..sketch.offsetting import moved_region
from ..sketch.regions import Region
from ..words import say_name
from .base import Slot, Standing, Step
from .choosing import with_gains
from .sentence import ChoicePiece, FormulaPiece, SentencePiece
from .workshop import StepError, Workshop

if TYPE_CHECKING:
    from manifold3d import Manifold

FIT = {
    "formula": "with a gap all round of",
    "press": "with a press fit",
    "push": "with a push fit",
    "sliding": "with a sliding fit",
    "loose": "with a loose fit",
}
Fit = Literal["formula", "press", "push", "sliding", "loose"]

#: Chord tolerance where walls are only looked for, mm.
_ROUGH = 0.05


class AroundThings(Step):
    """A step that makes something of a part for all things that another step placed."""

    refers = ("of",)

    of: Identifier | Literal[""] = ""
    part: Identifier = "part"

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        last = before.last
        placed = last.name if last is not None and last.uses_bought() else ""
        return {**super().likely(before), "of": placed}

    def only_prisms(self) -> bool:
        return False

    def things(self, shop: Workshop) -> tuple[Thing, ...]:
        """The bought parts that it is for, at their places."""
        return things_of(shop, self.of)

    def seen_walls(self, shop: Workshop) -> Manifold | None:
        """The part as walls are looked for in it, within chords of 0.05 mm; made once for all that
        look."""
        body = shop.bodies.get(self.part)
        return manifold_of(body.mesh(_ROUGH)) if body is not None else None


def things_of(shop: Workshop, of: str) -> tuple[Thing, ...]:
    """What a step placed.

    Raises:
        StepError: where there is no such step.
    """
    made = shop.features.get(of)
    if made is None or not (made.things or (made.operation == "add" and not made.part)):
        known = [name for name, one in shop.features.items() if one.things]
        what = f"“{say_name(of)}” places nothing." if of else "It is not chosen for what."
        raise StepError(what, "Choose a step that places bought parts.", "of", known, asks=not of)
    return made.things


@dataclass(frozen=True, slots=True)
class Plan:
    """A thing seen from above where it lies: ``frame`` has its normal up and its origin in the
    middle of its underside; ``region`` is its outline there, and it is ``height`` mm high."""

    frame: Frame
    region: Region
    height: float


def plan_of(thing: Thing) -> Plan:
    """A thing seen from above.

    Raises:
        StepError: where it is not placed square to what it lies on.
    """
    known = known_of(thing)
    axes = [thing.motion.vector(as_vector(float(i == k) for i in range(3))) for k in range(3)]
    upright = next((k for k, axis in enumerate(axes) if abs(dot(axis, thing.up)) > 1 - 1e-9), None)
    assert upright is not None  # placing lays a side flat
    ends = [dot(thing.motion.point(corner), thing.up) for corner in _corners(known.box)]
    low, high = min(ends), max(ends)
    x = axes[0] if upright != 0 else axes[1]
    middle = thing.motion.point((0.0, 0.0, known.box[2] / 2))
    drop = dot(middle, thing.up) - low
    origin = as_vector(middle[i] - thing.up[i] * drop for i in range(3))
    frame = Frame(origin, x, cross(thing.up, x))
    if upright == 2:
        own_y = dot(axes[1], frame.y)
        region = known.footprint.mapped(Mapping2D(d=math.copysign(1.0, own_y)))
        return Plan(frame, region, high - low)
    wide = known.box[0] if upright != 0 else known.box[1]
    deep = known.box[2]
    outline = thing.part.outline
    if isinstance(outline, CylinderOutline) and outline.lies and upright == 0:
        half = wide / 2
        return Plan(frame, Region(Loop((_circle(half),))), high - low)
    return Plan(frame, Region(rectangle(-wide / 2, -deep / 2, wide / 2, deep / 2)), high - low)


def known_of(thing: Thing) -> Resolved:
    """A thing's lengths.

    Raises:
        StepError: where its file makes no sense.
    """
    try:
        return thing.resolved
    except BoughtError as error:
        raise StepError(f"{error.what}", error.hint, "thing") from None


def _corners(box: Vector) -> list[Vector]:
    return [
        (x * box[0] / 2, y * box[1] / 2, z * box[2])
        for x in (-1, 1)
        for y in (-1, 1)
        for z in (0, 1)
    ]


def _circle(radius: float, name: str = "wall") -> EllipticArc:
    return EllipticArc((0.0, 0.0), radius, radius, 0.0, math.tau, name)


def disc(at: XY, across: float, name: str = "wall") -> Region:
    """A round region; mm."""
    return Region(Loop((EllipticArc(at, across / 2, across / 2, 0.0, math.tau, name),)))


def fit_slots(fit: str, gap: str) -> tuple[Slot, ...]:
    """The slot of a gap, where a formula says it."""
    return (Slot("gap", gap, "gap all round"),) if fit == "formula" else ()


def say_fit(fit: str) -> tuple[SentencePiece, ...]:
    """How it fits, in a sentence."""
    choice = ChoicePiece("fit", FIT)
    return (choice, FormulaPiece("gap")) if fit == "formula" else (choice,)


def room_around(region: Region, fit: str, gap: float, view: LensView) -> tuple[Region, ...]:
    """An opening around an outline: wider by the gap, mm, on each side, or by the clearance of a
    class of fit in all, drawn so that the machine leaves it so.

    Raises:
        StepError: where the outline closes up.
    """
    grow: Callable[[float], float]
    if fit == "formula":
        grow = lambda length: length + 2 * gap  # noqa: E731
    else:
        grow = lambda length: length + view.process.fits.clearance(fit, length)  # noqa: E731
    return opening(region, grow, view)


def opening(region: Region, grow: Callable[[float], float], view: LensView) -> tuple[Region, ...]:
    """A region as an opening of other lengths, mm, which ``grow`` gives, as it is drawn for the
    machine: rectangles and discs by each of their lengths, other outlines by the smaller of the two
    around them."""

    def drawn(length: float, *, straight: bool) -> float:
        wanted = grow(length)
        return view.process.send_inside(wanted, straight=straight) if view.sent_values else wanted

    try:
        return with_gains((_opened(region, drawn),), "cut", view)
    except ValueError as error:
        text = str(error)
        raise StepError(f"The opening closes up: {text}.", "Make the gap larger.", "gap") from None


def _opened(region: Region, drawn: Callable[..., float]) -> Region:
    curves = region.outer.curves
    x0, y0, x1, y1 = region.outer.bounds()
    cx, cy = (x0 + x1) / 2, (y0 + y1) / 2
    if len(curves) == 1 and isinstance(curves[0], EllipticArc):
        across = drawn(x1 - x0, straight=False)
        _positive(across)
        return disc((cx, cy), across, curves[0].name)
    is_box = (
        len(curves) == 4
        and all(isinstance(curve, Segment) for curve in curves)
        and abs(region.area - (x1 - x0) * (y1 - y0)) < 1e-9 * max(1.0, region.area)
    )
    if is_box:
        wide, deep = (drawn(length, straight=True) for length in (x1 - x0, y1 - y0))
        _positive(wide)
        _positive(deep)
        return Region(rectangle(cx - wide / 2, cy - deep / 2, cx + wide / 2, cy + deep / 2))
    least = min(x1 - x0, y1 - y0)
    by = (drawn(least, straight=True) - least) / 2
    (opened,) = moved_region(region, by, [by] * len(region.holes))
    return opened


def _positive(length: float) -> None:
    if length <= 1e-6:
        raise ValueError(f"{length:.4g} mm would be left")
