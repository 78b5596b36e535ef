"""Changing a drawing: taking out, turning into helpers, copying, mirroring, repeating, splitting,
trimming."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from ..words import say_name
from .crossing import Span, crossings
from .curves import Curve, EllipticArc, Segment
from .drawing import (
    ORIGIN,
    SHEET,
    AnyElement,
    Arc,
    Circle,
    Constraint,
    Dimension,
    Drawing,
    Line,
    Point,
)
from .pen import Pen

XY = tuple[float, float]

#: A copy of the origin that comes to lie no farther from it, mm, is the origin.
_ON_ORIGIN = 1e-9


def without(drawing: Drawing, names: Iterable[str]) -> Drawing:
    """The drawing without some elements and rules: curves lose what they are drawn between, rules
    go with what they are about, and points that only the curves taken out used go too."""
    gone = set(names)
    for curve in drawing.curves:
        if not gone.isdisjoint(curve.uses()):
            gone.add(curve.name)
    used = {point for curve in drawing.curves if curve.name not in gone for point in curve.uses()}
    for curve in drawing.curves:
        if curve.name in gone:
            gone.update(point for point in curve.uses() if point not in used and point != ORIGIN)
    return Drawing(
        elements=tuple(e for e in drawing.elements if e.name not in gone),
        constraints=tuple(
            c for c in drawing.constraints if c.name not in gone and gone.isdisjoint(c.of)
        ),
        dimensions=tuple(
            d for d in drawing.dimensions if d.name not in gone and gone.isdisjoint(d.of)
        ),
    )


def as_helpers(drawing: Drawing, names: Iterable[str], *, helper: bool) -> Drawing:
    """Make elements helpers, or outlines again."""
    chosen = set(names)
    elements = tuple(
        e.model_copy(update={"helper": helper}) if e.name in chosen else e for e in drawing.elements
    )
    return drawing.model_copy(update={"elements": elements})


def put_element(drawing: Drawing, element: AnyElement) -> Drawing:
    """Replace the element of this name, everything checked."""
    elements = tuple(element if e.name == element.name else e for e in drawing.elements)
    return drawing.with_(elements=elements)


def put_rule(drawing: Drawing, rule: Constraint | Dimension) -> Drawing:
    """Replace the constraint or dimension of this name."""
    field = "constraints" if isinstance(rule, Constraint) else "dimensions"
    rules = tuple(rule if old.name == rule.name else old for old in getattr(drawing, field))
    return drawing.with_(**{field: rules})


def renamed(drawing: Drawing, old: str, new: str) -> Drawing:
    """Rename an element or a rule everywhere in the drawing."""
    names = {old: new}
    return drawing.with_(
        elements=tuple(e.renamed(names) for e in drawing.elements),
        constraints=tuple(
            c.model_copy(
                update={
                    "name": names.get(c.name, c.name),
                    "of": tuple(names.get(n, n) for n in c.of),
                }
            )
            for c in drawing.constraints
        ),
        dimensions=tuple(
            d.model_copy(
                update={
                    "name": names.get(d.name, d.name),
                    "of": tuple(names.get(n, n) for n in d.of),
                }
            )
            for d in drawing.dimensions
        ),
    )


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
    cx, cy = (0.0, 0.0) if centre == ORIGIN else _place(drawing, centre)
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
            if math.dist(_place(drawing, old), (cx, cy)) <= 1e-9:
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


def split(drawing: Drawing, name: str, at: XY) -> Drawing:
    """Cut a line or arc in two at the place nearest to ``at``. The pieces stay in line, or on one
    circle."""
    element = drawing.element(name)
    if isinstance(element, Line):
        a, b = _place(drawing, element.start), _place(drawing, element.end)
        t = _inside(Span(Segment(a, b)).nearest(at), name)
        cut = (a[0] + (b[0] - a[0]) * t, a[1] + (b[1] - a[1]) * t)
        pen = Pen(drawing, helper=element.helper)
        middle = pen.point(cut, helper=False)
        second = pen.line(middle, element.end)
        shorter = put_element(pen.drawing, element.model_copy(update={"end": middle}))
        pen = Pen(_moved_rules(shorter, name))
        pen.hold("collinear", name, second)
        return pen.drawing
    if isinstance(element, Arc):
        span = Span(_as_arc(drawing, element))
        pen = Pen(drawing, helper=element.helper)
        middle = pen.point(span.at(_inside(span.nearest(at), name)), helper=False)
        pen.arc(element.centre, middle, element.end)
        shorter = put_element(pen.drawing, element.model_copy(update={"end": middle}))
        return _moved_rules(shorter, name)
    raise ValueError("only lines and arcs can be split")


def _moved_rules(drawing: Drawing, name: str) -> Drawing:
    """A piece of a curve keeps what is said of its direction, and loses what is said of its
    length."""
    lengths = {"equal", "midpoint"}
    measures = {"distance", "across", "upright", "arc_length"}
    return drawing.model_copy(
        update={
            "constraints": tuple(
                c for c in drawing.constraints if not (name in c.of and c.kind in lengths)
            ),
            "dimensions": tuple(
                d for d in drawing.dimensions if not (d.of == (name,) and d.kind in measures)
            ),
        }
    )


def trimmed(drawing: Drawing, curves: dict[str, list[Curve]], name: str, at: XY) -> Drawing:
    """Take away the piece of a line, arc or circle under ``at``, up to where other curves cross
    it."""
    element = drawing.element(name)
    if not isinstance(element, (Line, Arc, Circle)):
        raise ValueError("only lines, arcs and circles can be trimmed")
    span = Span(curves[name][0])
    meets: list[tuple[float, str]] = []
    for other, pieces in curves.items():
        if other != name:
            meets += [(s, other) for piece in pieces for s, _ in crossings(span, Span(piece))]
    here = span.nearest(at)
    if isinstance(element, Circle):
        return _trimmed_circle(drawing, element, span, sorted(meets), here)
    below = max((m for m in meets if 1e-7 < m[0] < here), default=None)
    above = min((m for m in meets if here < m[0] < 1 - 1e-7), default=None)
    if below is None and above is None:
        return without(drawing, [name])
    pen = Pen(drawing)
    start, end = element.start, element.end
    changed = drawing
    if below is not None:
        cut = pen.point(span.at(below[0]))
        pen.hold("on", cut, below[1])
        if above is not None:
            second = pen.point(span.at(above[0]))
            pen.hold("on", second, above[1])
            rest = (
                pen.line(second, end)
                if isinstance(element, Line)
                else pen.arc(element.centre, second, end)
            )
            if isinstance(element, Line):
                pen.hold("collinear", name, rest)
        changed = put_element(pen.drawing, element.model_copy(update={"end": cut}))
    elif above is not None:
        cut = pen.point(span.at(above[0]))
        pen.hold("on", cut, above[1])
        changed = put_element(pen.drawing, element.model_copy(update={"start": cut}))
    return _without_lone(_moved_rules(changed, name), [start, end])


def _without_lone(drawing: Drawing, names: Sequence[str]) -> Drawing:
    used = {point for curve in drawing.curves for point in curve.uses()}
    return without(drawing, [n for n in names if n not in used and n not in SHEET])


def _trimmed_circle(
    drawing: Drawing, circle: Circle, span: Span, meets: list[tuple[float, str]], here: float
) -> Drawing:
    distinct = [m for k, m in enumerate(meets) if k == 0 or m[0] - meets[k - 1][0] > 1e-7]
    if len(distinct) < 2:
        return without(drawing, [circle.name])
    below = max((m for m in distinct if m[0] < here), default=distinct[-1])
    above = min((m for m in distinct if m[0] > here), default=distinct[0])
    pen = Pen(drawing, helper=circle.helper)
    start, end = (
        pen.point(span.at(above[0]), helper=False),
        pen.point(span.at(below[0]), helper=False),
    )
    pen.hold("on", start, above[1])
    pen.hold("on", end, below[1])
    arc = Arc(name=circle.name, helper=circle.helper, centre=circle.centre, start=start, end=end)
    elements = [e for e in pen.drawing.elements if e.name != circle.name]
    return pen.drawing.with_(elements=(*elements, arc))


def _inside(t: float, name: str) -> float:
    """A parameter at which a curve can be cut in two."""
    if not 1e-6 < t < 1 - 1e-6:
        raise ValueError(f"{say_name(name)} ends there: cut it farther in")
    return t


def _as_arc(drawing: Drawing, arc: Arc) -> Curve:
    (cx, cy), (sx, sy), (ex, ey) = (_place(drawing, n) for n in (arc.centre, arc.start, arc.end))
    first = math.atan2(sy - cy, sx - cx)
    sweep = (math.atan2(ey - cy, ex - cx) - first) % math.tau or math.tau
    radius = math.hypot(sx - cx, sy - cy)
    return EllipticArc((cx, cy), radius, radius, first, first + sweep, arc.name)


def _is_point(drawing: Drawing, name: str) -> bool:
    return name == ORIGIN or isinstance(drawing.element(name), Point)


def _place(drawing: Drawing, name: str) -> XY:
    if name == ORIGIN:
        return 0.0, 0.0
    element = drawing.element(name)
    assert isinstance(element, Point)
    return element.xy


def _line(drawing: Drawing, name: str) -> tuple[XY, XY]:
    if name in SHEET:
        return (0.0, 0.0), ((1.0, 0.0) if name == "x_axis" else (0.0, 1.0))
    element = drawing.element(name)
    if not isinstance(element, Line):
        raise ValueError("choose a line to mirror about last")
    return _place(drawing, element.start), _place(drawing, element.end)


def _beside(p: XY, a: XY, b: XY) -> float:
    length = math.dist(a, b)
    return abs((b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])) / length
