"""What the pointer is near, and what could hold because of it."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass, replace

from ..words import say_name
from .crossing import Span
from .curves import Curve, Segment
from .drawing import ORIGIN, SHEET, X_AXIS, Y_AXIS, ConstraintKind, Drawing, Point

XY = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Snap:
    """Where a stroke would go, and what would hold from then on.

    ``point`` is a point of the drawing that would be used; ``holds`` are constraints on the new
    point: kind and the other element; ``level`` is ``horizontal`` or ``vertical`` for the line from
    the stroke's start.
    """

    xy: XY
    words: str = ""
    point: str = ""
    holds: tuple[tuple[ConstraintKind, str], ...] = ()
    level: ConstraintKind | None = None


def still(snapped: Snap, drawing: Drawing) -> Snap:
    """What was snapped to once the drawing is another: where its point lies now; what is gone is no
    longer held, and the place stays."""
    there = drawing.by_name
    holds = tuple((kind, of) for kind, of in snapped.holds if of in there or of in SHEET)
    point = there.get(snapped.point)
    if isinstance(point, Point):
        return replace(snapped, xy=point.xy, holds=holds)
    name = snapped.point if snapped.point == ORIGIN else ""
    return replace(snapped, point=name, holds=holds)


def snap(
    drawing: Drawing,
    curves: dict[str, list[Curve]],
    at: XY,
    near: float,
    *,
    start: XY | None = None,
    without: Collection[str] = (),
    grid: float = 0.0,
) -> Snap:
    """What the pointer at ``at`` is nearer to than ``near`` mm: a point first, then a middle, a
    curve, an axis.

    ``start`` is where the stroke began: a line that is nearly level or upright is made so.
    ``without`` names elements that are being drawn or dragged. ``grid`` above zero is the spacing
    to round to where nothing else is near.
    """
    points = [(ORIGIN, (0.0, 0.0)), *((p.name, p.xy) for p in drawing.points)]
    spots = [(math.dist(at, xy), name, xy) for name, xy in points if name not in without]
    distance, name, xy = min(spots, default=(math.inf, "", (0.0, 0.0)))
    if distance <= near:
        words = "the origin" if name == ORIGIN else say_name(name)
        return Snap(xy, words, name)
    level, level_xy = _level(at, start, near)
    on = _on_curves(curves, at, near, without)
    if on is not None:
        return _with_level(on, level, at, start, curves, near) if level else on
    if abs(at[1]) <= near and not level:
        return Snap((at[0], 0.0), "on the x axis", "", (("on", X_AXIS),))
    if abs(at[0]) <= near and not level:
        return Snap((0.0, at[1]), "on the y axis", "", (("on", Y_AXIS),))
    if level is not None:
        # A level line may still end straight above or below the origin, and an upright one beside
        # it.
        if level == "horizontal" and abs(at[0]) <= near:
            return Snap((0.0, level_xy[1]), "level, on the y axis", "", (("on", Y_AXIS),), level)
        if level == "vertical" and abs(at[1]) <= near:
            return Snap((level_xy[0], 0.0), "upright, on the x axis", "", (("on", X_AXIS),), level)
        if grid > 0:
            along = 0 if level == "horizontal" else 1
            rounded = list(level_xy)
            rounded[along] = round(level_xy[along] / grid) * grid
            level_xy = (rounded[0], rounded[1])
        return Snap(level_xy, "level" if level == "horizontal" else "upright", "", (), level)
    if grid > 0:
        return Snap((round(at[0] / grid) * grid, round(at[1] / grid) * grid))
    return Snap(at)


def _level(at: XY, start: XY | None, near: float) -> tuple[ConstraintKind | None, XY]:
    if start is None or math.dist(at, start) <= 2 * near:
        return None, at
    if abs(at[1] - start[1]) <= near:
        return "horizontal", (at[0], start[1])
    if abs(at[0] - start[0]) <= near:
        return "vertical", (start[0], at[1])
    return None, at


def _on_curves(
    curves: dict[str, list[Curve]], at: XY, near: float, without: Collection[str]
) -> Snap | None:
    best: tuple[float, Snap] | None = None
    for name, pieces in curves.items():
        if name in without:
            continue
        for piece in pieces:
            span = Span(piece)
            t = span.nearest(at)
            xy = span.at(t)
            distance = math.dist(xy, at)
            if distance > near or (best is not None and distance >= best[0]):
                continue
            words = say_name(name)
            best = (distance, Snap(xy, f"on {words}", "", (("on", name),)))
            if isinstance(piece, Segment):
                middle = span.at(0.5)
                if math.dist(middle, at) <= near:
                    best = (distance, Snap(middle, f"middle of {words}", "", (("midpoint", name),)))
    return best[1] if best else None


def _with_level(
    on: Snap,
    level: ConstraintKind,
    at: XY,
    start: XY | None,
    curves: dict[str, list[Curve]],
    near: float,
) -> Snap:
    """Level and on a curve at once, where the level line meets the curve close by."""
    assert start is not None
    if on.holds[0][0] == "midpoint":
        return on
    from .crossing import crossings

    reach = 4 * near
    end = (at[0], start[1]) if level == "horizontal" else (start[0], at[1])
    dx, dy = end[0] - start[0], end[1] - start[1]
    length = math.hypot(dx, dy) or 1.0
    line = Segment(start, (end[0] + dx / length * reach, end[1] + dy / length * reach))
    for piece in curves[on.holds[0][1]]:
        for s, _ in crossings(Span(line), Span(piece)):
            xy = Span(line).at(s)
            if math.dist(xy, at) <= 2 * near:
                word = "level" if level == "horizontal" else "upright"
                return Snap(xy, f"{word}, {on.words}", "", on.holds, level)
    return on
