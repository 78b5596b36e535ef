"""The closed shapes of a sketch as loops: rectangle, circle, slot, closed polyline. Lengths mm,
angles degrees."""

import math
from collections.abc import Sequence

from .curves import EllipticArc, Segment
from .loops import Loop
from .mapping import XY, Mapping2D


def placed(loop: Loop, x: float, y: float, turn: float) -> Loop:
    """The loop turned by degrees about the origin, then moved."""
    if turn == 0:
        return loop.moved(x, y)
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    return loop.mapped(Mapping2D(c, -s, s, c, x, y))


def _positive(value: float, what: str, name: str) -> None:
    if value <= 0:
        raise ValueError(f"the {what} of “{name}” is {value:g} mm; it must be above zero")


def rectangle(
    name: str, x: float, y: float, width: float, height: float, turn: float = 0.0
) -> Loop:
    """A rectangle about its centre, mm, turned by degrees; its sides are named bottom, right, top,
    left."""
    _positive(width, "width", name)
    _positive(height, "height", name)
    w, h = width / 2, height / 2
    corners = [(-w, -h), (w, -h), (w, h), (-w, h)]
    sides = ("bottom", "right", "top", "left")
    lines = tuple(Segment(corners[i], corners[(i + 1) % 4], f"{name}.{sides[i]}") for i in range(4))
    return placed(Loop(lines, name), x, y, turn)


def circle(name: str, x: float, y: float, diameter: float) -> Loop:
    """A circle about its centre, mm."""
    _positive(diameter, "diameter", name)
    return Loop((EllipticArc((x, y), diameter / 2, diameter / 2, 0.0, math.tau, name),), name)


def slot(name: str, x: float, y: float, length: float, width: float, turn: float = 0.0) -> Loop:
    """Two half circles and the lines between them; ``length`` is over all; mm."""
    _positive(width, "width", name)
    if length < width:
        raise ValueError(
            f"the slot “{name}” is {length:g} mm long over all and {width:g} mm wide; it must "
            "be longer than wide"
        )
    if length == width:
        return circle(name, x, y, width)
    r, half = width / 2, (length - width) / 2
    curves = (
        Segment((-half, -r), (half, -r), f"{name}.bottom"),
        EllipticArc((half, 0.0), r, r, -math.pi / 2, math.pi / 2, f"{name}.right"),
        Segment((half, r), (-half, r), f"{name}.top"),
        EllipticArc((-half, 0.0), r, r, math.pi / 2, 3 * math.pi / 2, f"{name}.left"),
    )
    return placed(Loop(curves, name), x, y, turn)


def polyline(name: str, points: Sequence[XY]) -> Loop:
    """A closed polyline, mm; side i runs from point i to the next, numbered from 1 in the order
    they were given."""
    if len(points) < 3:
        raise ValueError(f"the outline “{name}” has {len(points)} points; it needs three at least")
    for i, point in enumerate(points):
        if math.dist(point, points[(i + 1) % len(points)]) < 1e-6:
            raise ValueError(
                f"points {i + 1} and {(i + 1) % len(points) + 1} of “{name}” fall together"
            )
    lines = tuple(
        Segment(p, points[(i + 1) % len(points)], f"{name}.{i + 1}") for i, p in enumerate(points)
    )
    loop = Loop(lines, name)
    if abs(loop.area) < 1e-9:
        raise ValueError(f"the outline “{name}” encloses no area")
    return loop if loop.area > 0 else loop.reversed()
