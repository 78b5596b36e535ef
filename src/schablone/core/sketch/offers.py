"""Which constraints and dimensions make sense for what is chosen."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from .drawing import (
    ORIGIN,
    X_AXIS,
    Y_AXIS,
    AnyElement,
    Arc,
    Circle,
    Constraint,
    ConstraintKind,
    Dimension,
    DimensionKind,
    Drawing,
    Ellipse,
    FormulaCurve,
    Line,
    Spline,
)
from .sentences import say_constraint, say_dimension


@dataclass(frozen=True, slots=True)
class Offer:
    """A constraint or dimension that could be added, with its words."""

    kind: ConstraintKind | DimensionKind
    of: tuple[str, ...]
    words: str
    measures: bool = False


def offers_for(drawing: Drawing, chosen: Sequence[str]) -> list[Offer]:
    """What can be asked of the chosen elements, likeliest first; nothing that is there already."""
    elements = drawing.by_name
    points = [n for n in chosen if n == ORIGIN or (n in elements and elements[n].kind == "point")]
    lines = [n for n in chosen if n in (X_AXIS, Y_AXIS) or isinstance(elements.get(n), Line)]
    rounds = [n for n in chosen if isinstance(elements.get(n), (Circle, Arc))]
    curves = [n for n in chosen if isinstance(elements.get(n), (Spline, FormulaCurve, Ellipse))]
    there = {(rule.kind, frozenset(rule.of)) for rule in drawing.rules}
    offers = []
    for kind, of in _sensible(drawing, points, lines, rounds, curves):
        if _of_itself(kind, of, elements):
            continue
        if any((other, frozenset(of)) in there for other in (kind, *_RULES_OUT.get(kind, ()))):
            continue
        if kind in _DIMENSIONS:
            dimension = Dimension.model_validate({"name": "x", "kind": kind, "of": of})
            offers.append(Offer(dimension.kind, of, say_dimension(dimension), True))
        else:
            constraint = Constraint.model_validate({"name": "x", "kind": kind, "of": of})
            offers.append(Offer(constraint.kind, of, say_constraint(constraint, drawing)))
    return offers


def _of_itself(kind: str, of: Sequence[str], elements: Mapping[str, AnyElement]) -> bool:
    """Whether it would be asked between a curve and a point that it is drawn by, or make both ends
    of a line or arc one point: that holds anyhow, or leaves nothing of the curve."""
    own = [set(elements[name].uses()) for name in of if name in elements]
    if any(not points.isdisjoint(of) for points in own):
        return True
    ends = {
        frozenset((one.start, one.end)) for one in elements.values() if isinstance(one, (Line, Arc))
    }
    return kind == "coincident" and frozenset(of) in ends


def _sensible(
    drawing: Drawing,
    points: Sequence[str],
    lines: Sequence[str],
    rounds: Sequence[str],
    curves: Sequence[str],
) -> list[tuple[str, tuple[str, ...]]]:
    """Kinds of constraint and dimension with the elements in the order that they take them."""
    all_of = (*points, *lines, *rounds, *curves)
    match (len(points), len(lines), len(rounds), len(curves)):
        case (1, 0, 0, 0):
            return [("fixed", all_of)] if points[0] != ORIGIN else []
        case (0, 1, 0, 0):
            return _for_a_line(drawing, lines[0])
        case (0, 2, 0, 0):
            return _for_two_lines(drawing, tuple(lines))
        case (0, 0, 1, 0):
            is_arc = isinstance(drawing.by_name[rounds[0]], Arc)
            kinds = ("diameter", "radius", "arc_length") if is_arc else ("diameter", "radius")
            return [(kind, all_of) for kind in kinds]
        case (1, 1, 0, 0) if lines[0] in (X_AXIS, Y_AXIS):
            return [("on", all_of), ("distance", all_of)]
        case (0, 1, 1, 0):
            return [("tangent", all_of), ("distance", (rounds[0], lines[0]))]
        case (3, 0, 0, 0):
            return [("symmetric", all_of), ("midpoint", (points[2], points[0], points[1]))]
        case (0, 1, 2, 0):
            return [("symmetric", (*rounds, lines[0]))]
        case count:
            return [(kind, all_of) for kind in _KINDS.get(count, ())]


#: What can be asked of so many points, lines, circles or arcs, and other curves, in this order.
_KINDS = {
    (2, 0, 0, 0): ("distance", "across", "upright", "coincident", "horizontal", "vertical"),
    (1, 1, 0, 0): ("on", "midpoint", "distance"),
    (0, 0, 2, 0): ("equal", "concentric", "tangent", "distance"),
    (1, 0, 1, 0): ("on", "distance", "concentric"),
    (1, 0, 0, 1): ("on",),
    (0, 1, 0, 1): ("tangent",),
    (0, 0, 1, 1): ("tangent",),
    (0, 0, 0, 2): ("tangent",),
    (2, 1, 0, 0): ("symmetric",),
    (0, 3, 0, 0): ("symmetric",),
}


def _for_a_line(drawing: Drawing, line: str) -> list[tuple[str, tuple[str, ...]]]:
    if line not in drawing.by_name:
        return []
    slants = _slants(drawing, (line,))
    kinds = ("distance", "horizontal", "vertical", *slants, "angle", "across", "upright")
    return [(kind, (line,)) for kind in kinds]


def _for_two_lines(drawing: Drawing, pair: tuple[str, ...]) -> list[tuple[str, tuple[str, ...]]]:
    kinds = ["equal"] if all(name in drawing.by_name for name in pair) else []
    kinds += ["parallel", "perpendicular", *_slants(drawing, pair), "angle", "collinear"]
    # It makes them parallel; of lines that plainly are not nobody means that.
    if not self_touching(drawing, pair) and _apart(drawing, pair) <= _ABOUT:
        kinds.append("distance")
    return [(kind, pair) for kind in kinds]


_SLANTED = ("at_30", "at_45", "at_60")
#: How far a line may be drawn from an angle that is offered, degrees.
_ABOUT = 7.5


def _slants(drawing: Drawing, lines: Sequence[str]) -> list[str]:
    """The angle without a number that lines are drawn nearly at: one line to the x axis, or two to
    each other."""
    apart = _apart(drawing, lines if len(lines) == 2 else (*lines, X_AXIS))
    return [f"at_{angle}" for angle in (30, 45, 60) if abs(apart - angle) <= _ABOUT]


def _apart(drawing: Drawing, lines: Sequence[str]) -> float:
    """The angle that two lines are drawn at, degrees from 0 to 90."""
    places = {p.name: p.xy for p in drawing.points}
    ways = []
    for name in lines:
        line = drawing.element(name)
        if isinstance(line, Line):
            (ax, ay), (bx, by) = (places.get(p, (0.0, 0.0)) for p in line.uses())
            ways.append(math.degrees(math.atan2(by - ay, bx - ax)))
        else:
            ways.append(90.0 if name == Y_AXIS else 0.0)
    return abs(math.remainder(ways[0] - ways[1], 180.0))


#: What cannot be asked of the same elements beside what is there already, or says no more.
_RULES_OUT = {
    "horizontal": ("vertical", "coincident", *_SLANTED),
    "vertical": ("horizontal", "coincident", *_SLANTED),
    "parallel": ("perpendicular", "collinear", "angle", *_SLANTED),
    "perpendicular": ("parallel", "collinear", "angle", *_SLANTED),
    "collinear": ("perpendicular", "distance"),
    "angle": ("parallel", "perpendicular", "collinear", "horizontal", "vertical", *_SLANTED),
    **dict.fromkeys(
        _SLANTED,
        ("parallel", "perpendicular", "collinear", "horizontal", "vertical", "angle", *_SLANTED),
    ),
    "distance": ("coincident", "collinear"),
    "across": ("coincident", "vertical"),
    "upright": ("coincident", "horizontal"),
    "radius": ("diameter",),
    "diameter": ("radius",),
}

_DIMENSIONS = ("distance", "across", "upright", "angle", "radius", "diameter", "arc_length")


def self_touching(drawing: Drawing, pair: Sequence[str]) -> bool:
    """Whether two lines share an end."""
    ends = [set(e.uses()) for e in drawing.elements if e.name in pair]
    return len(ends) == 2 and not ends[0].isdisjoint(ends[1])
