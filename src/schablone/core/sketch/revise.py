"""Changing a drawing: taking out, turning into helpers, renaming, splitting, trimming."""

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


def split(drawing: Drawing, name: str, at: XY) -> Drawing:
    """Cut a line or arc in two at the place nearest to ``at``. The pieces stay in line, or on one
    circle."""
    element = drawing.element(name)
    if isinstance(element, Line):
        a, b = place_of(drawing, element.start), place_of(drawing, element.end)
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
    (cx, cy), (sx, sy), (ex, ey) = (place_of(drawing, n) for n in (arc.centre, arc.start, arc.end))
    first = math.atan2(sy - cy, sx - cx)
    sweep = (math.atan2(ey - cy, ex - cx) - first) % math.tau or math.tau
    radius = math.hypot(sx - cx, sy - cy)
    return EllipticArc((cx, cy), radius, radius, first, first + sweep, arc.name)


def place_of(drawing: Drawing, name: str) -> XY:
    """Where a point or the origin lies, mm."""
    if name == ORIGIN:
        return 0.0, 0.0
    element = drawing.element(name)
    assert isinstance(element, Point)
    return element.xy
