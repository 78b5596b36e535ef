"""Whether bores lie in the face that they begin in."""

from __future__ import annotations

import math
from collections.abc import Sequence

from shapely.geometry import Point, Polygon

from ..kernel.body import Body
from ..kernel.frame import Frame, Vector, as_vector, cross, dot
from ..kernel.motion import Motion
from ..kernel.naming import FaceName
from ..kernel.prism import Prism, in_frame
from ..kernel.tools import Placed, Revolved, Tool
from ..quantity import say_spot
from ..sketch import shapes
from ..sketch.regions import Region, distance_within, polygon_of
from .workshop import COVER, StepError


def refuse_breaking_out(
    body: Body,
    tools: Sequence[Tool],
    across: float,
    frame: Frame,
    level: FaceName,
    stretch: Vector,
) -> None:
    """Refuse holes, ``across`` mm wide, that break out of their face: that is a cut, and rarely
    meant. The head of a screw may stand over an edge.

    Raises:
        StepError: names the hole that breaks out.
    """
    frame = frame.stretched(stretch)[0]
    outline: Polygon | None = None
    for hole in filter(None, (_bore_of(tool, across) for tool in tools)):
        if _lies_in_plate(hole.stretched(stretch), body, level):
            continue
        outline = outline or body.outline_of(level, frame)
        if outline is None:
            return
        placed = in_frame(hole.stretched(stretch), frame)
        if placed is None or _lies_in(placed, outline):
            continue
        # What was repeated with the hole brought faces of the same name: it may lie in another.
        alike = (name for name in body.names() if name.bare == level.bare and name != level)
        others = (body.outline_of(name, frame) for name in alike)
        if any(other is not None and _lies_in(placed, other) for other in others):
            continue
        x0, y0, x1, y1 = placed.region.outer.bounds()
        radius, u, v = min(x1 - x0, y1 - y0) / 2, (x0 + x1) / 2, (y0 + y1) / 2
        number = f" {'.'.join(map(str, hole.start.member))}" if hole.start.member else ""
        raise StepError(
            f"Hole{number} of ø {2 * radius:.4g} mm at {say_spot(u, v)} breaks out "
            f"of the {level.words()}.",
            "Make it smaller, move it inwards, or cut a sketch instead.",
            "diameter",
        )


def _bore_of(tool: Tool, across: float) -> Prism | None:
    """The bore of a hole, ``across`` mm wide where it is turned; None for what is no hole."""
    if isinstance(tool, Prism):
        return tool if tool.start.role == "floor" else None
    inner, motion = (tool.tool, tool.motion) if isinstance(tool, Placed) else (tool, Motion())
    floor = next((name for name in tool.names() if name.role == "floor"), None)
    if floor is None or not isinstance(inner, Revolved):
        return None
    root, axis = inner.axis()
    long = math.sqrt(dot(axis, axis))
    x = inner.frame.normal  # the half section lies in a plane through the axis
    y = as_vector(c / long for c in cross(axis, x))
    loop = shapes.circle("round", 0.0, 0.0, across)
    wall = FaceName(floor.step, "wall", "", floor.member)
    cover = FaceName(floor.step, COVER, "", floor.member)
    at = motion.frame(Frame(root, x, y))
    return Prism(at, Region(loop), -1.0, 0.0, floor, cover, {"round": wall})


def _lies_in_plate(hole: Prism, body: Body, level: FaceName) -> bool:
    """Whether a hole lies in a face that is the end of one prism; False where it is no such face,
    which says nothing."""
    hosts = [prism for prism in body.prisms if level in (prism.start, prism.end)]
    if len(hosts) != 1:
        return False
    placed = in_frame(hole, hosts[0].frame)
    if placed is None:
        return False
    outer = hosts[0].region.outer
    if len(placed.region.outer.curves) > 1:
        return _lies_in(placed, polygon_of(outer))
    x0, y0, x1, y1 = placed.region.outer.bounds()
    return distance_within(outer, ((x0 + x1) / 2, (y0 + y1) / 2)) > (x1 - x0) / 2 - 1e-6


def _lies_in(hole: Prism, outline: Polygon) -> bool:
    """Whether a hole lies in the outline of a face, both in one frame."""
    x0, y0, x1, y1 = hole.region.outer.bounds()
    if len(hole.region.outer.curves) > 1:
        return bool(outline.buffer(1e-6).contains(polygon_of(hole.region.outer)))
    centre, radius = Point((x0 + x1) / 2, (y0 + y1) / 2), (x1 - x0) / 2
    return bool(outline.contains(centre) and outline.exterior.distance(centre) > radius - 1e-6)
