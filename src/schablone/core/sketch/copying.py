"""Copies of what is drawn: aside, mirrored, in a row, around a point."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from .drawing import ORIGIN, SHEET, Arc, Circle, Constraint, Drawing, Line, Point
from .pen import Pen
from .revise import XY, place_of

#: A copy of the origin that comes to lie no farther from it, mm, is the origin.
_ON_ORIGIN = 1e-9


def with_points_of(drawing: Drawing, names: Iterable[str]) -> list[str]:
    """The chosen elements with the points that they are drawn between, in the order of the drawing;
    first the origin, where a curve is drawn to that."""
    chosen = set(names)
    for curve in drawing.curves:
        if curve.name in chosen:
            chosen.update(curve.uses())
    first = [ORIGIN] if ORIGIN in chosen else []
    return first + [e.name for e in drawing.elements if e.name in chosen]


def copied(
    drawing: Drawing,
    names: Iterable[str],
    place: Sequence[tuple[float, float, float, float, float, float]] | None = None,
    *,
    source: Drawing | None = None,
) -> tuple[Drawing, list[dict[str, str]]]:
    """Copies of elements under mappings (a, b, c, d, e, f), with the constraints and dimensions
    among them.

    ``source`` is where they are copied from, another drawing for pasting. A mapping that mirrors
    turns arcs round. What is drawn to the origin is drawn to a point of its own in a copy, where
    that does not stand on the origin too. Returns for each copy the names of the originals with
    those of the copies.
    """
    origin = source or drawing
    chosen = with_points_of(origin, names)
    known = origin.by_name
    pen = Pen(drawing)
    elements, constraints, dimensions = (
        list(drawing.elements),
        list(drawing.constraints),
        list(drawing.dimensions),
    )
    made: list[dict[str, str]] = []
    for a, b, c, d, e, f in place or [(1.0, 0.0, 0.0, 1.0, 0.0, 0.0)]:
        fresh = {
            name: pen.fresh(name.rsplit("_", 1)[0] if name[-1].isdigit() else name)
            for name in chosen
            if name != ORIGIN
        }
        if ORIGIN in chosen:
            stays = math.hypot(e, f) <= _ON_ORIGIN
            fresh[ORIGIN] = ORIGIN if stays else pen.fresh("point")
            if not stays:
                elements.append(Point(name=fresh[ORIGIN], x=e, y=f))
        for name in chosen:
            if name == ORIGIN:
                continue
            element = known[name].renamed(fresh)
            if isinstance(element, Point):
                x, y = element.xy
                element = element.model_copy(
                    update={"x": a * x + b * y + e, "y": c * x + d * y + f}
                )
            elif isinstance(element, Arc) and a * d - b * c < 0:
                element = element.model_copy(update={"start": element.end, "end": element.start})
            elements.append(element)
        for rule in origin.rules:
            if set(rule.of) <= fresh.keys() and (a, b, c, d) == (1.0, 0.0, 0.0, 1.0):
                copy = rule.model_copy(
                    update={"name": pen.fresh(rule.kind), "of": tuple(fresh[n] for n in rule.of)}
                )
                (constraints if isinstance(copy, Constraint) else dimensions).append(copy)  # type: ignore[arg-type]
        made.append(fresh)
    return Drawing(
        elements=tuple(elements), constraints=tuple(constraints), dimensions=tuple(dimensions)
    ), made


def mirrored(drawing: Drawing, names: Iterable[str], about: str) -> Drawing:
    """Copies on the other side of a line or axis, held as mirror images."""
    a, b = _line(drawing, about)
    ux, uy = b[0] - a[0], b[1] - a[1]
    square = ux * ux + uy * uy
    p, q = (ux * ux - uy * uy) / square, 2 * ux * uy / square
    chosen = [n for n in names if n != about]
    on_line = {pt.name for pt in drawing.points if _beside(pt.xy, a, b) <= 1e-7 * math.sqrt(square)}
    mapping = (p, q, q, -p, a[0] - p * a[0] - q * a[1], a[1] - q * a[0] + p * a[1])
    fresh, made = copied(drawing, chosen, [mapping])
    pen = Pen(fresh)
    for old, new in made[0].items():
        element = fresh.element(old)
        if old == new:
            continue
        if old == ORIGIN or isinstance(element, Point):
            if old in on_line:
                pen.hold("coincident", old, new)
            else:
                pen.hold("symmetric", old, new, about)
        elif isinstance(element, Circle):
            pen.hold("equal", old, new)
    return pen.drawing


def repeated(drawing: Drawing, names: Iterable[str], count: int, step: XY) -> Drawing:
    """A row of copies, each a step further: lines parallel and equal, circles equal, steps equal.

    The second copy is held by two dimensions, so that the step can be given a formula.
    """
    if not 2 <= count <= 200:
        raise ValueError("a row has 2 to 200 members, the first included")
    chosen = list(names)
    places = [(1.0, 0.0, 0.0, 1.0, step[0] * k, step[1] * k) for k in range(1, count)]
    fresh, made = copied(_bare(drawing, chosen), chosen, places)
    pen = Pen(drawing.model_copy(update={"elements": fresh.elements}))
    first = next(n for n in with_points_of(drawing, chosen) if _is_point(drawing, n))
    # A dimension counts in the direction in which it is drawn.
    pen.measure("across", first, made[0][first], formula=f"{abs(step[0]):.10g} mm")
    pen.measure("upright", first, made[0][first], formula=f"{abs(step[1]):.10g} mm")
    before = {name: name for name in made[0]}
    for k, members in enumerate(made):
        for old in members:
            element = drawing.element(old)
            if isinstance(element, Circle):
                pen.hold("equal", old, members[old])
            if _is_point(drawing, old):
                if k:
                    # Every member lies as far beyond the one before as that beyond its own.
                    earlier = made[k - 2][old] if k > 1 else old
                    pen.hold("midpoint", before[old], earlier, members[old])
                elif old != first:
                    # A helper line from each point to its copy, parallel and equal to the first.
                    _same_step(pen, first, made[0][first], old, members[old])
        before = members
    return pen.drawing


def _same_step(pen: Pen, a: str, b: str, c: str, d: str) -> None:
    """c → d is a → b: the middle of a–d is the middle of b–c."""
    (ax, ay), (dx, dy) = pen.place(a), pen.place(d)
    middle = pen.point(((ax + dx) / 2, (ay + dy) / 2), helper=True)
    pen.hold("midpoint", middle, a, d)
    pen.hold("midpoint", middle, b, c)


def ringed(drawing: Drawing, names: Iterable[str], count: int, centre: str) -> Drawing:
    """Copies around a point, evenly over the full turn, held by equal angles from spoke to
    spoke."""
    if not 2 <= count <= 200:
        raise ValueError("a ring has 2 to 200 members, the first included")
    chosen = [n for n in names if n != centre]
    cx, cy = (0.0, 0.0) if centre == ORIGIN else place_of(drawing, centre)
    places = []
    for k in range(1, count):
        c, s = math.cos(math.tau * k / count), math.sin(math.tau * k / count)
        places.append((c, -s, s, c, cx - c * cx + s * cy, cy - s * cx - c * cy))
    fresh, made = copied(_bare(drawing, chosen), chosen, places)
    pen = Pen(drawing.model_copy(update={"elements": fresh.elements}), helper=True)
    spokes: dict[str, str] = {}
    for k, members in enumerate(made, 1):
        for old, new in members.items():
            element = drawing.element(old)
            if isinstance(element, Circle):
                pen.hold("equal", old, new)
            if not _is_point(drawing, old) or old == new:
                continue
            if math.dist(place_of(drawing, old), (cx, cy)) <= 1e-9:
                pen.hold("coincident", old, new)
            else:
                spokes.setdefault(old, pen.line(centre, old))
                spoke = pen.line(centre, new)
                pen.hold("equal", spokes[old], spoke)
                pen.measure(
                    "angle", spokes[old], spoke, formula=f"{_round_angle(360 * k / count)} deg"
                )
    return pen.drawing


def _round_angle(angle: float) -> str:
    folded = angle if angle <= 180 else 360 - angle
    return f"{folded:.12g}"


def _bare(drawing: Drawing, names: Iterable[str]) -> Drawing:
    return drawing.model_copy(update={"constraints": (), "dimensions": ()})


def _is_point(drawing: Drawing, name: str) -> bool:
    return name == ORIGIN or isinstance(drawing.element(name), Point)


def _line(drawing: Drawing, name: str) -> tuple[XY, XY]:
    if name in SHEET:
        return (0.0, 0.0), ((1.0, 0.0) if name == "x_axis" else (0.0, 1.0))
    element = drawing.element(name)
    if not isinstance(element, Line):
        raise ValueError("choose a line to mirror about last")
    return place_of(drawing, element.start), place_of(drawing, element.end)


def _beside(p: XY, a: XY, b: XY) -> float:
    length = math.dist(a, b)
    return abs((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])) / length
