"""Which way the ends of extrusions look, as people say it: read off the design, so that it is said
alike everywhere."""

from __future__ import annotations

from ..kernel.frame import PLANES, Vector, cross
from ..kernel.naming import FaceName
from ..steps.extrude import Extrude
from ..steps.sketch import Rectangle, Sketch
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
        elif isinstance(step, Extrude) and step.sketch in sketches:
            _ends(step, sketches[step.sketch], frames, looks)
    found = {}
    for key, way in looks.items():
        for words, axis in _WORDS:
            if abs(way[axis]) > 0.999:
                found[key] = words[way[axis] > 0]
    return found


def _ends(
    step: Extrude,
    sketch: Sketch,
    frames: dict[str, tuple[Vector, Vector]],
    looks: dict[tuple[str, str], Vector],
) -> None:
    plane = frames.get(_bare(sketch.plane))
    if plane is None:
        return
    x, y = plane
    up = cross(x, y)
    downwards = step.direction == "down" and step.extent in ("by", "next")
    way = _opposite(up) if downwards else up
    looks[step.name, "end"], looks[step.name, "start"] = way, _opposite(way)
    over, under = (x, y), (x, _opposite(y))
    frames[f"{step.name}/end"], frames[f"{step.name}/start"] = (
        (under, over) if downwards else (over, under)
    )
    for shape in sketch.shapes:
        if isinstance(shape, Rectangle) and shape.turn.strip() in ("0", "0 deg"):
            # The sides' own axes: x along the line as it is gone along, y along the height.
            sides = {"bottom": x, "right": y, "top": _opposite(x), "left": _opposite(y)}
            for side, along in sides.items():
                frames[f"{step.name}/side/{shape.name}.{side}"] = (along, up)


def _bare(plane: str) -> str:
    try:
        name = FaceName.read(plane)
    except ValueError:
        return plane
    return str(FaceName(name.step, name.role, name.element))


def _opposite(v: Vector) -> Vector:
    return (-v[0], -v[1], -v[2])
