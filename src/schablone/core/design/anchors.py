"""Where the dimensions of a step lie on the part, so that they can be shown and changed there."""

from __future__ import annotations

from ..kernel.frame import Frame, Vector
from ..kernel.naming import FaceName
from ..steps.measure import Measure
from ..steps.workshop import StepError
from .model import Design
from .opened import opened
from .rebuild import Rebuilt

Anchors = dict[str, list[tuple[str, Vector]]]


def anchors_of(design: Design, built: Rebuilt) -> Anchors:
    """For each step that was built: paths of formulas, each with a point in the design's space,
    mm."""
    design = opened(design)
    anchors: Anchors = {}

    def frame_of(face: str) -> Frame | None:
        try:
            name = FaceName.read(face)
        except ValueError:
            return None
        return next(
            (body.frames[name] for body in built.bodies.values() if name in body.frames), None
        )

    for step in design.steps:
        state = built.steps.get(step.name)
        if state is None or state.state not in ("built", "carried"):
            continue
        values = {path: quantity.value for path, quantity in state.values.items()}
        mine = step.figure_spots(values, built.drawings, frame_of)
        if mine:
            anchors[step.name] = mine
    return anchors


def notes_of(design: Design, built: Rebuilt) -> dict[str, tuple[Vector, Vector]]:
    """For each distance that is measured: the two points that it lies between, mm."""
    notes: dict[str, tuple[Vector, Vector]] = {}
    for step in design.steps:
        state = built.steps.get(step.name)
        if (
            isinstance(step, Measure)
            and step.what == "distance"
            and state is not None
            and state.state == "built"
        ):
            try:
                notes[step.name] = step.ends(built.bodies)
            except (StepError, ValueError):
                continue  # later steps have taken away what it was measured on
    return notes
