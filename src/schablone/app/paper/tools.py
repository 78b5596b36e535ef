"""The tools of the sheet: what they ask for, click by click, and what they draw."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

from ...core.quantity import plain
from ...core.sketch.drawing import Arc, Drawing, Line
from ...core.sketch.pen import Pen, Spot
from ...core.sketch.snap import Snap

XY = tuple[float, float]


@dataclass(slots=True)
class Stroke:
    """Clicks so far, and formulas that were typed on the way, each with its value in mm."""

    snaps: list[Snap] = field(default_factory=list)
    typed: list[tuple[str, float]] = field(default_factory=list)
    sides: int = 6


#: An arc ends at a point that is clicked where its distances from the centre differ by no more than
#: this share.
_SAME = 0.02

Build = Callable[[Pen, list[Spot], Stroke], list[str]]


@dataclass(frozen=True, slots=True)
class DrawingTool:
    """One tool: ``asks`` says what each click is for; ``build`` draws once all are there.

    ``types`` says what typed numbers are, in order. ``goes_on`` begins the next stroke at the end
    of the last; ``any_number`` takes clicks until Enter.
    """

    name: str
    words: str
    key: str
    asks: tuple[str, ...]
    build: Build
    types: tuple[str, ...] = ()
    goes_on: bool = False
    any_number: bool = False
    levels: bool = False


def spots_of(pen: Pen, stroke: Stroke, *, declined: bool = False) -> list[Spot]:
    """The clicks as points of the drawing, with what they were snapped to held."""
    spots: list[Spot] = []
    for snap in stroke.snaps:
        if snap.point and not declined:
            spots.append(snap.point)
            continue
        name = pen.point(snap.xy)
        for kind, other in () if declined else snap.holds:
            pen.hold(kind, name, other)
        spots.append(name)
    return spots


def _line(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    line = pen.line(*spots)
    level = stroke.snaps[-1].level
    if level is not None:
        pen.hold(level, line)
    if stroke.typed:
        pen.measure("distance", line, formula=stroke.typed[0][0])
    return [line]


def _rectangle(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    lines = pen.rectangle(*spots)
    _size(pen, lines, stroke)
    return lines


def _rectangle_about(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    lines = pen.rectangle_about(spots[0], stroke.snaps[1].xy)
    _size(pen, lines, stroke)
    return lines


def _size(pen: Pen, lines: list[str], stroke: Stroke) -> None:
    for line, (formula, _) in zip(lines, stroke.typed, strict=False):
        pen.measure("distance", line, formula=formula)


def _circle(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    last = stroke.snaps[-1]
    circle = pen.circle(spots[0], math.dist(pen.place(spots[0]), last.xy))
    if stroke.typed:
        pen.measure("diameter", circle, formula=stroke.typed[0][0])
    elif last.point or last.holds:
        pen.hold("on", str(spots[1]), circle)
    return [circle]


def _arc_on(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    start = str(spots[0])
    for element in reversed(pen.drawing.elements):
        if isinstance(element, (Line, Arc)) and start in (element.start, element.end):
            return [pen.arc_on_from(element.name, start, spots[1])]
    raise ValueError("begin at the end of a line or arc")


def _slot(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    (ax, ay), (bx, by) = pen.place(spots[0]), pen.place(spots[1])
    px, py = stroke.snaps[2].xy
    length = max(math.hypot(bx - ax, by - ay), 1e-9)
    radius = max(abs((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / length, 0.01 * length)
    names = pen.slot(spots[0], spots[1], radius)
    if stroke.typed:
        pen.measure("diameter", names[0], formula=stroke.typed[0][0])
    return names


def _ellipse(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    (cx, cy), (vx, vy) = pen.place(spots[0]), pen.place(spots[1])
    px, py = stroke.snaps[2].xy
    half = max(math.hypot(vx - cx, vy - cy), 1e-9)
    across = abs((vx - cx) * (py - cy) - (vy - cy) * (px - cx)) / half
    return [pen.ellipse(spots[0], spots[1], max(across, 0.01 * half))]


def _curve_by_formula(pen: Pen, spots: list[Spot], stroke: Stroke) -> list[str]:
    x, y = pen.place(spots[0])
    return [
        pen.formula_curve(
            spots[0],
            (x + 10, y),
            (x + 25, y),
            form="polar",
            parameter="turned",
            first="0 deg",
            last="360 deg",
            radius="10 mm + 15 mm * turned / (360 deg)",
        )
    ]


TOOLS = (
    DrawingTool(
        "line",
        "Line",
        "L",
        ("Where does the line begin?", "Where does it end?"),
        _line,
        ("length",),
        True,
        levels=True,
    ),
    DrawingTool(
        "rectangle",
        "Rectangle",
        "R",
        ("One corner?", "The opposite corner?"),
        _rectangle,
        ("width", "height"),
    ),
    DrawingTool(
        "rectangle_about",
        "Rectangle about its middle",
        "Shift+R",
        ("The middle?", "A corner?"),
        _rectangle_about,
        ("width", "height"),
    ),
    DrawingTool("circle", "Circle", "C", ("The centre?", "How wide?"), _circle, ("diameter",)),
    DrawingTool(
        "circle_through",
        "Circle through three points",
        "Shift+C",
        ("First point?", "Second?", "Third?"),
        lambda pen, s, _: [pen.circle_through(*s)],
    ),
    DrawingTool(
        "ellipse",
        "Ellipse",
        "E",
        ("The middle?", "The end of one half axis?", "How wide the other way?"),
        _ellipse,
    ),
    DrawingTool(
        "arc_through",
        "Arc through three points",
        "B",
        ("Where does it begin?", "Where does it end?", "Through where?"),
        lambda pen, s, stroke: [pen.arc_through(s[0], s[1], stroke.snaps[2].xy)],
    ),
    DrawingTool(
        "arc",
        "Arc about its centre",
        "Shift+B",
        ("The centre?", "Where does it begin?", "Where does it end, counter-clockwise?"),
        lambda pen, s, _: [pen.arc(*s)],
    ),
    DrawingTool(
        "arc_on",
        "Arc on from an end",
        "O",
        ("On from which end?", "Where does it end?"),
        _arc_on,
        (),
        True,
    ),
    DrawingTool(
        "slot",
        "Slot",
        "S",
        ("Middle of one end?", "Middle of the other?", "How wide?"),
        _slot,
        ("width",),
    ),
    DrawingTool(
        "polygon",
        "Polygon",
        "P",
        ("The middle?", "A corner? (+ and − change the sides)"),
        lambda pen, s, stroke: pen.polygon(s[0], s[1], stroke.sides),
    ),
    DrawingTool(
        "curve",
        "Smooth curve",
        "V",
        ("Where does the curve begin?", "Through where next? (Enter ends it)"),
        lambda pen, s, _: [pen.spline(s)],
        any_number=True,
    ),
    DrawingTool(
        "formula", "Curve by formula", "Shift+V", ("Where is its origin?",), _curve_by_formula
    ),
    DrawingTool("point", "Point", "Shift+P", ("Where?",), lambda pen, s, _: [str(s[0])]),
)

#: Tools whose last click is a place on the way rather than a point of the drawing.
_ENDS_ON_THE_WAY = ("arc_through", "slot", "ellipse", "circle", "arc", "rectangle_about")

BY_NAME = {tool.name: tool for tool in TOOLS}


def drawn(
    tool: DrawingTool, drawing: Drawing, stroke: Stroke, *, helper: bool, declined: bool = False
) -> tuple[Drawing, list[str]]:
    """The drawing with a finished stroke, and the names of the new curves or points.

    Raises:
        ValueError: where the places make nothing, in words.
    """
    pen = Pen(drawing, helper=helper)
    placed = stroke
    if tool.name in _ENDS_ON_THE_WAY and len(stroke.snaps) == len(tool.asks):
        last = stroke.snaps[-1]
        if not _ends_there(tool, stroke):
            kept = Stroke(stroke.snaps[:-1], stroke.typed, stroke.sides)
            spots = spots_of(pen, kept, declined=declined)
            spots.append(last.xy)
            names = tool.build(pen, spots, placed)
            return pen.drawing, names
    spots = spots_of(pen, stroke, declined=declined)
    if declined and stroke.snaps:
        snaps = [Snap(snap.xy) for snap in stroke.snaps]
        placed = Stroke(snaps, stroke.typed, stroke.sides)
    names = tool.build(pen, spots, placed)
    return pen.drawing, names


def _ends_there(tool: DrawingTool, stroke: Stroke) -> bool:
    """Whether what the last click was snapped to is a point of what is drawn, not just a place on
    the way. An arc that would have to be torn there ends beside it."""
    last = stroke.snaps[-1]
    if not (last.point or last.holds) or tool.name not in ("circle", "arc"):
        return False
    centre, start = (snap.xy for snap in stroke.snaps[:2])
    radius = math.dist(centre, start)
    return tool.name == "circle" or abs(math.dist(centre, last.xy) - radius) <= _SAME * radius


def draws_nothing(tool: DrawingTool, stroke: Stroke, at: XY, near: float) -> str:
    """Why a click at ``at`` would draw nothing that can be seen: it and what was clicked before are
    not farther apart than ``near`` mm. Empty where it draws something."""
    if not stroke.snaps:
        return ""
    before = stroke.snaps[-1:] if tool.any_number else stroke.snaps
    if any(math.dist(snap.xy, at) <= near for snap in before):
        return "You clicked there already. Zoom in to draw something so small"
    (ax, ay), (bx, by) = stroke.snaps[0].xy, stroke.snaps[-1].xy
    match tool.name:
        case "rectangle" | "rectangle_about" if min(abs(at[0] - ax), abs(at[1] - ay)) <= near:
            return "That has no width or no height. Click beside and above it"
        case "slot" | "ellipse" if len(stroke.snaps) == 2:
            across = (bx - ax) * (at[1] - ay) - (by - ay) * (at[0] - ax)
            if abs(across) <= near * math.dist((ax, ay), (bx, by)):
                return "That has no width. Click beside its axis"
        case "arc" if len(stroke.snaps) == 2:
            turned = math.atan2(at[1] - ay, at[0] - ax) - math.atan2(by - ay, bx - ax)
            if abs(math.remainder(turned, math.tau)) * math.dist((ax, ay), (bx, by)) <= near:
                return "That goes round by nothing. Click farther along it"
    return ""


def drawn_size(tool: DrawingTool, stroke: Stroke, at: XY) -> float:
    """The figure that is typed next as the pointer at ``at`` draws it, mm; 0 where it draws
    none."""
    if not stroke.snaps:
        return 0.0
    (x0, y0), (x, y) = stroke.snaps[-1].xy if tool.name != "slot" else stroke.snaps[0].xy, at
    match tool.name:
        case "line":
            return math.hypot(x - x0, y - y0)
        case "circle":
            return 2 * math.hypot(x - x0, y - y0)
        case "rectangle" | "rectangle_about":
            times = 2 if tool.name == "rectangle_about" else 1
            return times * abs((x - x0, y - y0)[len(stroke.typed) % 2])
        case _:
            return 0.0


def typed_end(tool: DrawingTool, stroke: Stroke, at: XY) -> Snap | None:
    """Where the stroke ends once numbers were typed, seen from where the pointer is; None while
    more are open."""
    (x0, y0), (x, y) = stroke.snaps[-1].xy if tool.name != "slot" else stroke.snaps[0].xy, at
    values = [value for _, value in stroke.typed]
    match tool.name:
        case "line":
            angle = math.atan2(y - y0, x - x0)
            return Snap((x0 + values[0] * math.cos(angle), y0 + values[0] * math.sin(angle)))
        case "circle":
            return Snap((x0 + values[0] / 2, y0))
        case "rectangle" | "rectangle_about":
            if len(values) < 2:
                return None
            half = 2 if tool.name == "rectangle_about" else 1
            return Snap(
                (
                    x0 + math.copysign(values[0] / half, x - x0),
                    y0 + math.copysign(values[1] / half, y - y0),
                )
            )
        case "slot":
            (ax, ay), (bx, by) = stroke.snaps[0].xy, stroke.snaps[1].xy
            length = max(math.hypot(bx - ax, by - ay), 1e-9)
            return Snap(
                (ax - (by - ay) / length * values[0] / 2, ay + (bx - ax) / length * values[0] / 2)
            )
    return None


def figures(tool: DrawingTool, stroke: Stroke, at: XY) -> str:
    """What the stroke measures now, beside the pointer."""
    if not stroke.snaps:
        return ""
    x0, y0 = stroke.snaps[-1].xy
    dx, dy = at[0] - x0, at[1] - y0
    match tool.name:
        case "line" | "arc_on" | "curve":
            return (
                f"{plain(math.hypot(dx, dy), 2)} mm  {plain(math.degrees(math.atan2(dy, dx)), 1)}°"
            )
        case "rectangle":
            return f"{plain(abs(dx), 2)} × {plain(abs(dy), 2)} mm"
        case "rectangle_about":
            return f"{plain(2 * abs(dx), 2)} × {plain(2 * abs(dy), 2)} mm"
        case "circle":
            return f"ø {plain(2 * math.hypot(dx, dy), 2)} mm"
        case "polygon":
            return f"{stroke.sides} sides"
    return ""
