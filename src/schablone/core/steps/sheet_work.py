"""What the steps of folded sheets have in common: the sheet of a part, a bend as the machine makes
it, the panel that a sketch lies on, the edges that a rule means."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from ..kernel.body import Body
from ..kernel.folding import Folded, Leg, Relief, Turn, leg_there
from ..kernel.folding.outline import is_joint
from ..kernel.folding.parts import TORN
from ..kernel.frame import Frame, as_vector, cross, dot
from ..kernel.motion import Motion
from ..kernel.naming import FaceName
from ..kernel.operations import Operation
from ..process.bend_chart import BendFigures, bend_figures
from ..quantity import ANGLE
from ..sketch.curves import Segment
from ..sketch.mapping import XY
from ..words import say_name
from .base import Slot
from .revolve import axis_in
from .selecting import EdgeRule, is_meant
from .sentence import ChoicePiece, FormulaPiece, SentencePiece, Words
from .workshop import Feature, Member, Outlines, Remark, StepError, Workshop, above_zero

#: A sketch lies on a panel within this, mm.
_ON = 1e-6
#: The sharpest bend, inside, mm.
_SHARPEST = 0.01
#: What can be chosen for the notches that free the ends of a bend.
RELIEFS = {"none": "no relief", "square": "square relief", "round": "round relief", "torn": "torn"}


def sheet_of(bodies: Mapping[str, Body], part: str) -> Folded:
    """The folded sheet that a part is.

    Raises:
        StepError: where it is none.
    """
    body = bodies.get(part)
    if body is None or body.folded is None:
        raise StepError(
            f"“{say_name(part)}” is no sheet that can be folded.",
            "Begin it with the step “Sheet”.",
            "edges",
        )
    return body.folded


@dataclass(frozen=True, slots=True)
class MadeBend:
    """A bend as a machine makes it of a sheet."""

    turn: Turn
    figures: BendFigures

    @property
    def remarks(self) -> tuple[Remark, ...]:
        """What is to be known of how the bend was worked out."""
        told = self.figures.remark
        return (
            (Remark(told, "Add the bend to the process, or bend a test strip.", "angle"),)
            if told
            else ()
        )


def bend_for(
    shop: Workshop, part: str, thickness: float, angle: float, radius: float | None
) -> MadeBend:
    """A bend of a part's sheet by a signed angle in degrees, with the machine's usual radius or
    one that is asked for."""
    material = shop.materials.get(part, shop.view.process.material.name)
    figures = bend_figures(shop.view.process, material, thickness, abs(angle), radius)
    length = figures.length(angle, thickness)
    if length <= 1e-6:
        raise StepError(
            f"A bend of {abs(angle):.4g}° with a radius of {figures.radius:.4g} mm has no length "
            "on the blank.",
            "Make the radius or the angle larger.",
            "radius",
        )
    return MadeBend(Turn(angle, figures.radius, length), figures)


def radius_slot(by: str, radius: str) -> tuple[Slot, ...]:
    """The slot of a radius, where a formula says it."""
    return (Slot("radius", radius, "inside radius"),) if by == "formula" else ()


def radius_pieces(by: str) -> tuple[SentencePiece, ...]:
    """The line of a sentence that says the inside radius."""
    choice = ChoicePiece(
        "radius_by",
        {
            "machine": "with the machine's usual inside radius",
            "formula": "with an inside radius of",
        },
    )
    return (choice, FormulaPiece("radius")) if by == "formula" else (choice,)


def asked_radius(shop: Workshop, by: str, formula: str) -> float | None:
    """The inside radius that is asked for, mm; None where the machine's is taken.

    Raises:
        StepError: where it is below zero.
    """
    if by != "formula":
        return None
    value = shop.values["radius"]
    if value < _SHARPEST:
        raise StepError(
            f"The inside radius is {value:g} mm (from “{formula}”); no tool bends sharper than "
            f"{_SHARPEST:g} mm.",
            f"Change “{formula}”, or take the machine's usual one.",
            "radius",
        )
    return value


def angle_in(shop: Workshop, formula: str, most: float, instead: str) -> float:
    """The angle of a bend in degrees, above zero and below ``most``.

    Raises:
        StepError: names the formula, and what to do ``instead``.
    """
    value = shop.values["angle"]
    if not 0.1 <= value < most - 1e-9:
        raise StepError(
            f"The angle is {value:g}° (from “{formula}”); a bend goes from 0.1° to below "
            f"{most:g}°.",
            instead if value >= most else f"Change “{formula}”; the way it goes is chosen beside.",
            "angle",
        )
    return value


def angle_slot(formula: str) -> Slot:
    """The slot of the angle of a bend."""
    return Slot("angle", formula, "angle of the bend", ANGLE)


def relief_slots(by: str, form: str, width: str, depth: str) -> tuple[Slot, ...]:
    """The slots of a relief, where formulas say it."""
    if by != "formula" or form not in ("square", "round"):
        return ()
    return (
        Slot("relief_width", width, "width of the relief"),
        Slot("relief_depth", depth, "depth of the relief"),
    )


def relief_pieces(by: str, form: str, where: str = "its ends with") -> tuple[SentencePiece, ...]:
    """The line of a sentence that says how the ends of a bend are freed, and ``where``."""
    pieces: list[SentencePiece] = [Words(where), ChoicePiece("relief", RELIEFS)]
    if form in ("square", "round"):
        pieces.append(
            ChoicePiece("relief_by", {"machine": "as the sheet needs it", "formula": "wide"})
        )
        if by == "formula":
            pieces += [
                FormulaPiece("relief_width"),
                Words("and beyond the bend by"),
                FormulaPiece("relief_depth"),
            ]
    return tuple(pieces)


def relief_of(
    shop: Workshop,
    part: str,
    said: tuple[str, str, str, str],
    sheet: Folded,
    radius: float,
) -> Relief:
    """The relief of a bend of a part's sheet, mm: as wide as the sheet is thick and as deep as the
    bend is round, where nothing else is ``said``: by whom, its form, and the formulas of its width
    and depth."""
    by, form, width, depth = said
    if form not in ("square", "round"):
        return Relief("torn" if form == "torn" else "none", torn_width(shop, part, sheet))
    wide, deep = sheet.thickness, sheet.thickness + radius
    if by == "formula":
        wide = above_zero(shop.values["relief_width"], "width of the relief", width, "relief_width")
        deep = shop.values["relief_depth"]
        if deep < 0:
            raise StepError(
                f"The relief is {deep:g} mm deep (from “{depth}”); it cannot be below zero.",
                f"Change “{depth}”.",
                "relief_depth",
            )
        if form == "round" and deep < wide / 2 - 1e-9:
            raise StepError(
                f"A round relief {wide:g} mm wide goes {wide / 2:g} mm beyond the bend at least; "
                f"it is to go {deep:g} mm (from “{depth}”).",
                f"Make “{depth}” larger, the relief narrower, or choose a square one.",
                "relief_depth",
            )
    return Relief("round" if form == "round" else "square", wide, deep)


def torn_width(shop: Workshop, part: str, sheet: Folded) -> float:
    """How wide a relief is that is one cut, mm: next to nothing more than the beam that cuts the
    blank, so that it is still there when the outline is moved off by half of that."""
    cutter = shop.view.cutter_of(part)
    if cutter is None:
        return TORN
    material = shop.materials.get(part, cutter.process.material.name)
    return TORN + cutter.process.kerf_in(material, sheet.thickness)


# Changes of a sheet


def change_of_sheet(
    operation: Operation,
    part: str,
    make: Callable[[Folded, str], Folded],
    again: Callable[[Folded, str, Motion], Folded],
    step: str,
    remarks: tuple[Remark, ...] = (),
) -> Feature:
    """A step that makes another sheet of a sheet. ``make`` does so, with its faces named after the
    step that it is told; ``again`` does it where a motion brings it to."""

    def change(body: Body) -> Body:
        return _still(body, make(_folded(body), step))

    def at_all(body: Body, members: Sequence[Member]) -> Body:
        sheet = _folded(body)
        for number, (member, motion) in enumerate(members, 1):
            # A name that no other member's curves bear; what they raise is named as a member.
            own = f"{step}_member{number}"
            sheet = again(sheet, own, motion).renamed(partial(_of_member, own, step, member))
        return _still(body, sheet)

    return Feature(operation, part, change=change, again=at_all, remarks=remarks)


def flanges_on(
    operation: Operation,
    part: str,
    make: Callable[[Folded, Sequence[Leg]], Folded],
    legs: Sequence[Leg],
    sheet: Folded,
    remarks: tuple[Remark, ...] = (),
) -> Feature:
    """A step that puts flanges on edges, all at once, so that those of a row meet in corners as
    others do."""

    def change(body: Body) -> Body:
        return _still(body, make(_folded(body), legs))

    def at_all(body: Body, members: Sequence[Member]) -> Body:
        now = _folded(body)
        meant = [
            leg_there(now, sheet.frames[leg.panel], leg, motion, (*member, *leg.member))
            for member, motion in members
            for leg in legs
        ]
        return _still(body, make(now, meant))

    return Feature(operation, part, change=change, again=at_all, remarks=remarks)


def _folded(body: Body) -> Folded:
    assert body.folded is not None  # the step has asked
    return body.folded


def _still(body: Body, made: Folded) -> Body:
    return Body((), None, {**body.frames, **made.face_frames()}, made)


def _of_member(own: str, step: str, member: tuple[int, ...], name: FaceName) -> FaceName:
    if name.step != own:
        return name
    return FaceName(step, name.role, name.element, (*member, *name.member))


# Edges


def edges_meant(sheet: Folded, rules: Sequence[EdgeRule]) -> list[tuple[int, Segment]]:
    """The straight edges of panels that rules mean, each with its panel's number.

    Raises:
        StepError: where there is none any more, or one is curved.
    """
    meant: list[tuple[int, Segment]] = []
    for rule in rules:
        mine = _edges_of(sheet, rule)
        if not mine:
            raise StepError(
                f"There is no free edge of the sheet where “{rule.words()}” says.",
                "Pick a straight edge of a panel.",
                "edges",
                sorted(str(name) for panel in sheet.panels for name in panel.sides.values()),
            )
        meant += [one for one in mine if one not in meant]
    return meant


def _edges_of(sheet: Folded, rule: EdgeRule) -> list[tuple[int, Segment]]:
    edges = []
    for number, panel in enumerate(sheet.panels):
        faces = (panel.lower, panel.upper)
        for loop in panel.region.loops:
            for curve in loop.curves:
                if is_joint(curve.name):
                    continue
                side = panel.sides[curve.name]
                picked = _is_picked(rule, faces, side)
                if picked and not isinstance(curve, Segment):
                    if rule.how == "around" and any(is_meant(f, rule.of[0]) for f in faces):
                        continue
                    raise StepError(
                        f"The {side.words()} is curved: a sheet is bent along straight edges.",
                        "Choose another edge.",
                        "edges",
                    )
                if picked and isinstance(curve, Segment) and loop is panel.region.outer:
                    edges.append((number, curve))
    return edges


def _is_picked(rule: EdgeRule, faces: tuple[FaceName, FaceName], side: FaceName) -> bool:
    if rule.how == "between":
        a, b = rule.of[0], rule.of[-1]
        return any(
            (is_meant(face, a) and is_meant(side, b)) or (is_meant(face, b) and is_meant(side, a))
            for face in faces
        )
    if rule.how == "around":
        return is_meant(side, rule.of[0]) or any(is_meant(face, rule.of[0]) for face in faces)
    return rule.how in ("all", "level") and any(face.step == rule.of[0] for face in faces)


# Lines


@dataclass(frozen=True, slots=True)
class DrawnLine:
    """A line of a sketch on a panel: the panel's number; a point of the line on the blank, the
    direction of what moves, and its length along that line; ``up`` says whether the sketch looks at
    the upper face."""

    panel: int
    at: XY
    out: XY
    span: tuple[float, float]
    up: bool


def panel_under(sheet: Folded, frame: Frame, at: Sequence[XY]) -> tuple[int, bool]:
    """The panel that a sketch lies on, nearest to some of its points, and whether it looks at the
    upper face.

    Raises:
        StepError: where it lies on none.
    """
    panels = []
    for number, there in enumerate(sheet.frames):
        along = dot(frame.normal, there.normal)
        height = there.coordinates(frame.origin)[2]
        if abs(abs(along) - 1) > 1e-9 or not -_ON <= height <= sheet.thickness + _ON:
            continue
        x0, y0, x1, y1 = sheet.panels[number].region.outer.bounds()
        far = 0.0
        for p in at:
            u, v, _ = there.coordinates(frame.at(*p))
            far += max(x0 - u, 0.0, u - x1) + max(y0 - v, 0.0, v - y1)
        panels.append((far, number, along > 0))
    if not panels:
        raise StepError(
            "The sketch does not lie on the sheet.",
            "Draw it on one of the sheet's faces.",
            "sketch",
        )
    _, number, up = min(panels)
    return number, up


def no_ellipse() -> StepError:
    """That an ellipse is not along the axes of the panel that it is to lie on."""
    return StepError(
        "An ellipse cannot be turned onto the blank.",
        "Draw it along the axes of the panel, or of arcs.",
        "sketch",
    )


def line_on(sheet: Folded, drawing: Outlines, name: str, moves: str) -> DrawnLine:
    """A line of a sketch on the panel that it lies on; ``moves`` is the side that is moved, left or
    right of the line as it is drawn.

    Raises:
        StepError: where there is no such line, or no panel under it.
    """
    if not name and len(drawing.lines) == 1:
        name = next(iter(drawing.lines))  # there is no other that could be meant
    if not name:
        raise StepError(
            "No line is chosen.", "Choose a line of the sketch.", "about", [*drawing.lines],
            asks=True,
        )  # fmt: skip
    at, way = axis_in(drawing, name)
    long = math.hypot(*way)
    number, up = panel_under(sheet, drawing.frame, [at, (at[0] + way[0], at[1] + way[1])])
    there = sheet.frames[number]
    frame = drawing.frame
    ahead = as_vector((frame.x[i] * way[0] + frame.y[i] * way[1]) / long for i in range(3))
    left = cross(frame.normal, ahead)
    out3 = left if moves == "left" else as_vector(-c for c in left)
    out = (dot(out3, there.x), dot(out3, there.y))
    u, v, _ = there.coordinates(frame.at(*at))
    along = (-out[1], out[0])
    s = along[0] * dot(ahead, there.x) + along[1] * dot(ahead, there.y)
    ends = sorted((0.0, s * long))
    return DrawnLine(number, (u, v), out, (ends[0], ends[1]), up)
