"""Where the dimensions of a step lie on the part, so that they can be shown and changed there."""

from __future__ import annotations

from ..kernel.frame import Frame, Vector
from ..kernel.naming import FaceName
from ..sketch.curves import Arc, Loop
from ..sketch.drawing import Dimension
from ..steps.base import Outlines, Step, StepError
from ..steps.extrude import Extrude
from ..steps.hole import Hole
from ..steps.measure import Measure
from ..steps.revolve import Revolve
from ..steps.sketch import Sketch
from .model import Design
from .rebuild import Rebuilt

Anchors = dict[str, list[tuple[str, Vector]]]


def anchors_of(design: Design, built: Rebuilt) -> Anchors:
    """For each step that was built: paths of formulas, each with a point in the design's space, mm."""
    found: Anchors = {}
    for step in design.steps:
        state = built.steps.get(step.name)
        if state is None or state.state not in ("built", "carried"):
            continue
        mine = _of(step, built)
        if mine:
            found[step.name] = mine
    return found


def notes_of(design: Design, built: Rebuilt) -> dict[str, tuple[Vector, Vector]]:
    """For each distance that is measured: the two points that it lies between."""
    found: dict[str, tuple[Vector, Vector]] = {}
    for step in design.steps:
        state = built.steps.get(step.name)
        if isinstance(step, Measure) and step.what == "distance" and state is not None and state.state == "built":
            try:
                found[step.name] = step.ends(built.bodies)
            except (StepError, ValueError):
                continue  # later steps have taken away what it was measured on
    return found


def _of(step: Step, built: Rebuilt) -> list[tuple[str, Vector]]:
    if isinstance(step, Sketch):
        drawing = built.drawings.get(step.name)
        return _sketch(step, drawing) if drawing else []
    values = built.steps[step.name].values
    if isinstance(step, (Extrude, Revolve)):
        drawing = built.drawings.get(step.sketch)
        if drawing is None or "by" not in values:
            return []
        x0, y0, x1, _ = _bounds(drawing)
        if isinstance(step, Revolve):
            return [("by", drawing.frame.at((x0 + x1) / 2, y0))]
        by = values["by"].value
        down = step.extent == "by" and step.direction == "down"
        middle = 0.0 if step.extent == "both" else -by / 2 if down else by / 2
        found = [("by", drawing.frame.at(x1, y0, middle))]
        if "down_by" in values:
            found.append(("down_by", drawing.frame.at(x1, y0, -values["down_by"].value / 2)))
        return found
    if isinstance(step, Hole):
        return _hole(step, built)
    return []


def _hole(step: Hole, built: Rebuilt) -> list[tuple[str, Vector]]:
    values = built.steps[step.name].values
    frame = _face_frame(built, step.face)
    if frame is None or not {"x", "y", "diameter"} <= values.keys():
        return []
    x, y, radius = values["x"].value, values["y"].value, values["diameter"].value / 2
    found = [("diameter", frame.at(x + radius, y))]
    if "depth" in values:
        found.append(("depth", frame.at(x, y, -values["depth"].value)))
    return found


def _face_frame(built: Rebuilt, face: str) -> Frame | None:
    try:
        name = FaceName.read(face)
    except ValueError:
        return None
    return next((body.frames[name] for body in built.bodies.values() if name in body.frames), None)


def _bounds(drawing: Outlines) -> tuple[float, float, float, float]:
    boxes = [loop.bounds() for loop in drawing.loops.values()] + [Loop((curve,)).bounds() for curve in drawing.curves]
    if not boxes:
        return 0.0, 0.0, 0.0, 0.0
    return min(b[0] for b in boxes), min(b[1] for b in boxes), max(b[2] for b in boxes), max(b[3] for b in boxes)


def _sketch(step: Sketch, drawing: Outlines) -> list[tuple[str, Vector]]:
    found: list[tuple[str, Vector]] = []
    for i, dimension in enumerate(step.drawing.dimensions):
        spot = _dimension(dimension, drawing)
        if spot is not None and not dimension.reads:
            found.append((f"drawing.dimensions.{i}.formula", drawing.frame.at(*spot)))
    for i, shape in enumerate(step.shapes):
        loop = drawing.loops.get(shape.name)
        if loop is None:
            continue
        x0, y0, x1, y1 = loop.bounds()
        beside = {"width": ((x0 + x1) / 2, y0), "height": (x1, (y0 + y1) / 2), "diameter": (x1, (y0 + y1) / 2),
                  "length": ((x0 + x1) / 2, y0)}  # fmt: skip
        if shape.kind == "slot":  # type: ignore[attr-defined]
            beside["width"] = (x1, (y0 + y1) / 2)
        for field, _, _ in shape.fields:
            if field in beside:
                found.append((f"shapes.{i}.{field}", drawing.frame.at(*beside[field])))
    return found


def _dimension(dimension: Dimension, drawing: Outlines) -> tuple[float, float] | None:
    spots = [_spot(name, drawing, edge=dimension.kind in ("radius", "diameter")) for name in dimension.of]
    known = [spot for spot in spots if spot is not None]
    if not known:
        return None
    return sum(p[0] for p in known) / len(known), sum(p[1] for p in known) / len(known)


def _spot(name: str, drawing: Outlines, *, edge: bool) -> tuple[float, float] | None:
    if name == "origin":
        return 0.0, 0.0
    if name in drawing.places:
        return drawing.places[name]
    if name in drawing.lines:
        (ax, ay), (bx, by) = drawing.lines[name]
        return (ax + bx) / 2, (ay + by) / 2
    curve = next((c for c in drawing.curves if c.name == name), None)
    if isinstance(curve, Arc):
        return (curve.at((curve.t0 + curve.t1) / 2 if not curve.is_full else 0.0)) if edge else curve.centre
    return None
