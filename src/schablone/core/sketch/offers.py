"""Which constraints and dimensions make sense for what is chosen."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from .drawing import (
    ORIGIN,
    X_AXIS,
    Y_AXIS,
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
    drawn = [n for n in lines if n in elements]
    found: list[tuple[str, tuple[str, ...]]] = []
    count = (len(points), len(lines), len(rounds), len(curves))
    match count:
        case (1, 0, 0, 0) if points[0] != ORIGIN:
            found = [("fixed", (points[0],))]
        case (0, 1, 0, 0) if drawn:
            found = [
                ("distance", tuple(lines)),
                ("horizontal", tuple(lines)),
                ("vertical", tuple(lines)),
            ]
            found += [(slant, tuple(lines)) for slant in _slants(drawing, lines)]
            found += [("angle", tuple(lines)), ("across", tuple(lines)), ("upright", tuple(lines))]
        case (0, 0, 1, 0):
            found = [("diameter", tuple(rounds)), ("radius", tuple(rounds))]
            if isinstance(elements[rounds[0]], Arc):
                found.append(("arc_length", tuple(rounds)))
        case (2, 0, 0, 0):
            pair = tuple(points)
            found = [("distance", pair), ("across", pair), ("upright", pair), ("coincident", pair)]
            found += [("horizontal", pair), ("vertical", pair)]
        case (1, 1, 0, 0):
            pair = (points[0], lines[0])
            found = [("on", pair), ("midpoint", pair), ("distance", pair)]
            found = [f for f in found if f[0] != "midpoint" or drawn]
        case (0, 2, 0, 0):
            pair = tuple(lines)
            found = [("equal", pair)] if len(drawn) == 2 else []
            found += [
                ("parallel", pair),
                ("perpendicular", pair),
                *((slant, pair) for slant in _slants(drawing, lines)),
                ("angle", pair),
                ("collinear", pair),
                ("distance", pair),
            ]
            if self_touching(drawing, pair):
                found = [f for f in found if f[0] not in ("distance", "collinear")] + [
                    ("collinear", pair)
                ]
        case (0, 0, 2, 0):
            pair = tuple(rounds)
            found = [("equal", pair), ("concentric", pair), ("tangent", pair), ("distance", pair)]
        case (0, 1, 1, 0):
            found = [("tangent", (lines[0], rounds[0])), ("distance", (rounds[0], lines[0]))]
        case (1, 0, 1, 0):
            found = [
                ("on", (points[0], rounds[0])),
                ("distance", (points[0], rounds[0])),
                ("concentric", (points[0], rounds[0])),
            ]
        case (1, 0, 0, 1):
            found = [("on", (points[0], curves[0]))]
        case (0, 1, 0, 1) | (0, 0, 1, 1):
            found = [("tangent", ((lines or rounds)[0], curves[0]))]
        case (0, 0, 0, 2):
            found = [("tangent", tuple(curves))]
        case (2, 1, 0, 0):
            found = [("symmetric", (*points, lines[0]))]
        case (3, 0, 0, 0):
            found = [("symmetric", tuple(points)), ("midpoint", (points[2], points[0], points[1]))]
        case (0, 3, 0, 0):
            found = [("symmetric", tuple(lines))]
        case (0, 1, 2, 0):
            found = [("symmetric", (*rounds, lines[0]))]
        case _:
            pass
    there = {(rule.kind, frozenset(rule.of)) for rule in drawing.rules}
    offers = []
    for kind, of in found:
        if any((other, frozenset(of)) in there for other in (kind, *_RULES_OUT.get(kind, ()))):
            continue
        if kind in _DIMENSIONS:
            dimension = Dimension(name="x", kind=kind, of=of)  # type: ignore[arg-type]
            offers.append(Offer(kind, of, say_dimension(dimension), True))  # type: ignore[arg-type]
        else:
            constraint = Constraint(name="x", kind=kind, of=of)  # type: ignore[arg-type]
            offers.append(Offer(kind, of, say_constraint(constraint, drawing)))  # type: ignore[arg-type]
    return offers


_SLANTED = ("at_30", "at_45", "at_60")
#: How far a line may be drawn from an angle that is offered, degrees.
_ABOUT = 7.5


def _slants(drawing: Drawing, lines: Sequence[str]) -> list[str]:
    """The angle without a number that lines are drawn nearly at: one line to the x axis, or two to
    each other."""
    places = {p.name: p.xy for p in drawing.points}
    ways = []
    for name in lines if len(lines) == 2 else (*lines, X_AXIS):
        line = drawing.element(name)
        if isinstance(line, Line):
            (ax, ay), (bx, by) = (places.get(p, (0.0, 0.0)) for p in line.uses())
            ways.append(math.degrees(math.atan2(by - ay, bx - ax)))
        else:
            ways.append(90.0 if name == Y_AXIS else 0.0)
    apart = abs(math.remainder(ways[0] - ways[1], 180.0))
    return [f"at_{angle}" for angle in (30, 45, 60) if abs(apart - angle) <= _ABOUT]


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
