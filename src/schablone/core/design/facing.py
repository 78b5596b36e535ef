"""Which way the ends of extrusions look, as people say it: read off the design, so that it is said
alike everywhere."""

from __future__ import annotations

from ..kernel.frame import PLANES, Vector, cross
from ..kernel.naming import FaceName
from ..steps.closed_shapes import Rectangle
from ..steps.sketch import Sketch
from .model import Design

_WORDS = ((("left end", "right end"), 0), (("front", "back"), 1), (("bottom", "top"), 2))


def facing(design: Design) -> dict[tuple[str, str], str]:
    """Words for the ends of steps, by step and role, as far as they lie along the axes: ``top``,
    ``left end``."""
    looks: dict[tuple[str, str], Vector] = {}
    frames: dict[str, tuple[Vector, Vector]] = {
        name: (plane.x, plane.y) for name, plane in PLANES.items()
    }
    sketches: dict[str, Sketch] = {}
    for step in design.steps:
        if isinstance(step, Sketch):
            sketches[step.name] = step
            continue
        downwards, needs = step.goes_down(), step.needs()
        if downwards is not None and needs and needs[0] in sketches:
            _ends(step.name, sketches[needs[0]], downwards, frames, looks)
    facings = {}
    for key, way in looks.items():
        for words, axis in _WORDS:
            if abs(way[axis]) > 0.999:
                facings[key] = words[way[axis] > 0]
    return facings


def _ends(
    step: str,
    sketch: Sketch,
    downwards: bool,
    frames: dict[str, tuple[Vector, Vector]],
    looks: dict[tuple[str, str], Vector],
) -> None:
    plane = frames.get(_bare(sketch.plane))
    if plane is None:
        return
    x, y = plane
    up = cross(x, y)
    way = _opposite(up) if downwards else up
    looks[step, "end"], looks[step, "start"] = way, _opposite(way)
    over, under = (x, y), (x, _opposite(y))
    frames[f"{step}/end"], frames[f"{step}/start"] = (under, over) if downwards else (over, under)
    for shape in sketch.shapes:
        if isinstance(shape, Rectangle) and shape.turn.strip() in ("0", "0 deg"):
            # The sides' own axes: x along the line as it is gone along, y along the height.
            sides = {"bottom": x, "right": y, "top": _opposite(x), "left": _opposite(y)}
            for side, along in sides.items():
                frames[f"{step}/side/{shape.name}.{side}"] = (along, up)


def _bare(plane: str) -> str:
    try:
        name = FaceName.read(plane)
    except ValueError:
        return plane
    return str(FaceName(name.step, name.role, name.element))


def _opposite(v: Vector) -> Vector:
    return (-v[0], -v[1], -v[2])
