"""Steps that become a stencil, drawn from its anchor, with the host for the part that they stood
on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..kernel.frame import PLANES
from ..reuse import HERE, HOST
from ..steps.base import Step
from ..steps.hole import Hole
from ..steps.plane import Plane
from ..steps.ring import Ring
from ..steps.sketch import Sketch

#: The plane within a stencil that is drawn on where the anchor is not the origin of its face.
_DRAWN_ON = "drawn_on"


@dataclass(frozen=True, slots=True)
class Anchorage:
    """Where the anchor of a new stencil lies: on which face of the design (empty: the ground), at
    which formulas of its x and y."""

    face: str = ""
    x: str = "0 mm"
    y: str = "0 mm"


def drawn_from_anchor(
    taken: list[Step],
    anchor: Anchorage,
    further: Mapping[str, str],
    others: Mapping[str, str],
    main: str,
    may_shift: bool,
) -> tuple[list[Step], Step | None]:
    """The steps with the host's faces and parts for those of the design, drawn from the anchor: by
    places at it becoming zero, where they ``may_shift``, or else by a plane that lies back from it;
    that plane."""
    faces = {face: f"{HOST}/{name}" for name, face in further.items()}
    on = anchor.face or "ground"
    at_zero = may_shift and _all_at(taken, on, anchor)
    moved = anchor.x.strip() not in ("0", "0 mm") or anchor.y.strip() not in ("0", "0 mm")
    plane = moved and not at_zero
    here = f"{_DRAWN_ON}/here" if plane else (HERE if anchor.face else "ground")
    parts = {part: name for name, part in others.items()} | {main: HOST}
    steps = []
    for step in taken:
        changes: dict[str, object] = {}
        for name in step.places:
            place = str(getattr(step, name))
            if place == on:
                changes[name] = here
            elif place in PLANES and plane:
                changes[name] = f"{_DRAWN_ON}/{place}"
            elif place in faces:
                changes[name] = faces[place]
        known = {**faces, **({anchor.face: HERE} if anchor.face else {})}
        for name in step.face_lists:
            changes[name] = tuple(known.get(face, face) for face in getattr(step, name))
        for name in step.edge_rules:
            changes[name] = tuple(
                rule.model_copy(update={"of": tuple(known.get(face, face) for face in rule.of)})
                for rule in getattr(step, name)
            )
        if "part" in type(step).model_fields:
            changes["part"] = parts.get(str(getattr(step, "part")), HOST)  # noqa: B009
        changes["group"] = ""
        unused = [name for name in step.refers if getattr(step, name) not in step.uses_whole()]
        changes |= dict.fromkeys(unused, "")
        own = _at_zero(step, on, taken) if moved and at_zero else step
        steps.append(own.model_copy(update=changes))
    back = (
        Plane(name=_DRAWN_ON, part=HOST, face=HERE, x=_minus(anchor.x), y=_minus(anchor.y))
        if plane
        else None
    )
    return steps, back


def _minus(formula: str) -> str:
    return "0 mm" if formula.strip() in ("0", "0 mm") else f"-({formula.strip()})"


def _all_at(taken: list[Step], on: str, anchor: Anchorage) -> bool:
    """Whether all that is measured in the axes of the anchor's face stands at the anchor itself, by
    the same formulas, so that it can stand at zero instead."""
    at = (anchor.x, anchor.y)
    for step in taken:
        if isinstance(step, (Ring, Plane)):
            return False
        if isinstance(step, Sketch) and _in_its_axes(step.plane, on, taken):
            if step.drawing.elements:
                return False
            for shape in step.shapes:
                if (getattr(shape, "x", None), getattr(shape, "y", None)) != at:
                    return False
        elif (
            isinstance(step, Hole)
            and step.where == "here"
            and _in_its_axes(step.face, on, taken)
            and (step.x, step.y) != at
        ):
            return False
    return True


def _in_its_axes(place: str, on: str, taken: list[Step]) -> bool:
    """Whether positions on a face are measured in the axes of the anchor's face: on that, and on
    the ends and floors of what was drawn on it."""
    if place == on:
        return True
    step, _, role = place.partition("/")
    return step in {one.name for one in taken} and role.split("/")[0] in ("start", "end", "floor")


def _at_zero(step: Step, on: str, taken: list[Step]) -> Step:
    zero = {"x": "0 mm", "y": "0 mm"}
    if isinstance(step, Sketch) and _in_its_axes(step.plane, on, taken):
        return step.model_copy(
            update={"shapes": tuple(shape.model_copy(update=zero) for shape in step.shapes)}
        )
    if isinstance(step, Hole) and _in_its_axes(step.face, on, taken) and step.where == "here":
        return step.model_copy(update=zero)
    return step
