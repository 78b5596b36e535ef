"""What a failure comes from: the fewest sizes that must be away from where they are published, and
the nearest values at which it fails and does not.

These are generators: they yield the point that they want built and are sent what came of it, so
that whoever builds may do so for several at once. After delta debugging (Zeller and Hildebrandt,
*Simplifying and isolating failure-inducing input*, 2002) for sizes, and bisection for values.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Generator, Sequence
from dataclasses import dataclass
from typing import TypeVar

from ...quantity import ANGLE, COUNT, LENGTH, TRUTH
from .allowed import Point, Sheets, Span, rounded
from .judge import Failure, Outcome

_T = TypeVar("_T")
#: Yields points that are to be built, gets what came of them.
Asking = Generator[Point, Outcome, _T]

_Kind = tuple[str, str, str]
#: Asks for a point and tells whether it fails like what is looked into.
Alike = Callable[[Point], "Asking[Failure | None]"]
#: An end is found to so much of a size's range, or to what people type where that is coarser.
_CLOSE = 1e-3
_TYPED = 0.01
#: Beyond an end, so many values are tried.
_BEYOND = 4


@dataclass(frozen=True, slots=True)
class Edge:
    """Where it begins to fail with one size, the others as at the cause: the nearest value to the
    published one that ``fails``, and the nearest to that which was built and ``holds``; None where
    the limits allow none that does. ``until``: from there on it holds again; None where no value
    beyond was found that does."""

    name: str
    holds: float | None
    fails: float
    until: float | None = None


@dataclass(frozen=True, slots=True)
class Cause:
    """A failure at the point that differs least from what is published: in the sizes ``away``, and
    perhaps in the variant or machine. ``edges`` for each of these sizes."""

    failure: Failure
    point: Point
    away: tuple[str, ...]
    edges: tuple[Edge, ...]


def fails_alike(outcome: Outcome, kind: _Kind) -> Failure | None:
    """The failure of a kind in an outcome, if it is there."""
    return next((f for f in outcome.failures if f.kind == kind), None)


def distance(sheets: Sheets, point: Point) -> tuple[int, float]:
    """How far a point is from what is published: in how many sizes, and in shares of their
    ranges."""
    base = sheets.allowed.as_published
    away = away_from(sheets, point)
    far = sum(
        abs(point.value(name) - base.value(name)) / _range(sheets.allowed.span(name))
        for name in away
    )
    other = (point.row != base.row) + (point.process != base.process)
    return len(away) + other, far


def away_from(sheets: Sheets, point: Point) -> tuple[str, ...]:
    """The sizes whose value is another than it is published."""
    base = dict(sheets.allowed.as_published.values)
    return tuple(name for name, value in point.values if name in base and value != base[name])


def _range(span: Span) -> float:
    return max(span.high - span.low, 1e-9)


def shrink(sheets: Sheets, point: Point, failure: Failure) -> Asking[Cause]:
    """The cause of a failure at a point."""
    kind, base = failure.kind, sheets.allowed.as_published
    failed = failure

    def alike(candidate: Point) -> Asking[Failure | None]:
        if not sheets.is_allowed(candidate):
            return None
        return fails_alike((yield candidate), kind)

    for other in (
        Point(point.values, point.row, base.process, "shrinking"),
        Point(point.values, base.row, point.process, "shrinking"),
    ):
        if other != point:
            still = yield from alike(other)
            if still is not None:
                point, failed = other, still
    point, failed = yield from _fewest(sheets, point, failed, alike)
    away = away_from(sheets, point)
    if len(away) > 1:
        point, failed = yield from _nearest_on_the_way(sheets, point, failed, away, alike)
    edges = []
    for name in away:
        edge = yield from _edge(sheets, point, name, alike)
        if edge is None:
            continue
        edges.append(edge)
        if len(away) == 1:
            point = point.with_values({name: edge.fails}, "a cause")
            still = yield from alike(point)
            failed = still or failed
    return Cause(failed, point, away, tuple(edges))


def _fewest(
    sheets: Sheets, point: Point, failed: Failure, alike: Alike
) -> Asking[tuple[Point, Failure]]:
    """With as few sizes away from what is published as it takes: one alone where one is enough,
    else none more that could go back."""
    base = sheets.allowed.as_published
    away = away_from(sheets, point)
    if len(away) > 1:
        for name in away:
            alone = Point(base.values, point.row, point.process).with_values(
                {name: point.value(name)}, "shrinking"
            )
            still = yield from alike(alone)
            if still is not None:
                return alone, still
    going = True
    while going and len(away) > 1:
        going = False
        for name in sorted(away, key=lambda name: _far(sheets, point, name)):
            back = point.with_values({name: base.value(name)}, "shrinking")
            still = yield from alike(back)
            if still is not None:
                point, failed, going = back, still, True
        away = away_from(sheets, point)
    return point, failed


def _far(sheets: Sheets, point: Point, name: str) -> float:
    base = sheets.allowed.as_published
    return abs(point.value(name) - base.value(name)) / _range(sheets.allowed.span(name))


def _nearest_on_the_way(
    sheets: Sheets, point: Point, failed: Failure, away: Sequence[str], alike: Alike
) -> Asking[tuple[Point, Failure]]:
    """On the straight way from what is published to a point, the first that fails."""
    base, low, high, nearest = sheets.allowed.as_published, 0.0, 1.0, point
    while high - low > 1 / 64:
        middle = (low + high) / 2
        values = {}
        for name in away:
            span = sheets.allowed.span(name)
            value = base.value(name) + middle * (point.value(name) - base.value(name))
            values[name] = rounded(span, span.low, span.high, value)
        candidate = point.with_values(values, "shrinking")
        still = yield from alike(candidate)
        if still is None:
            low = middle
        else:
            high, failed, nearest = middle, still, candidate
    return nearest, failed


def closeness(span: Span) -> float:
    """To how much the end of what holds is found for a size."""
    if span.kind in (COUNT, TRUTH):
        return 1.0
    typed = _TYPED if span.kind in (LENGTH, ANGLE) else 0.0
    return max(_CLOSE * _range(span), typed, 1e-12)


def _edge(sheets: Sheets, point: Point, name: str, alike: Alike) -> Asking[Edge | None]:
    """Where it begins to fail with one size on the way from its published value."""
    near = sheets.allowed.as_published.value(name)
    if (yield from alike(point.with_values({name: near}, "looking for the end"))) is not None:
        return None  # fails there as well: what it comes from is another size
    end = yield from _ended(sheets, point, name, (near, point.value(name)), alike)
    until = yield from _until(sheets, point, name, end[1], alike)
    return Edge(name, end[0], end[1], until)


def _ended(
    sheets: Sheets, point: Point, name: str, ends: tuple[float, float], alike: Alike
) -> Asking[tuple[float | None, float]]:
    """Two values next to each other, between one that does not fail and one that does, of which the
    first holds and the second fails. What is not allowed does not fail, and is no value that holds:
    None where there is no other."""
    span, (near, fails) = sheets.allowed.span(name), ends

    def holding(value: float) -> float | None:
        return value if sheets.is_allowed(point.with_values({name: value})) else None

    holds, close = holding(near), closeness(span)
    while abs(fails - near) > close * 1.5:
        middle = rounded(span, span.low, span.high, (near + fails) / 2)
        if span.kind in (LENGTH, ANGLE):
            middle = _to_grid((near + fails) / 2, close)
        if middle in (near, fails):
            break
        if (yield from alike(point.with_values({name: middle}, "looking for the end"))) is None:
            near = middle
            holds = holding(middle) or holds
        else:
            fails = middle
    return holds, fails


def _to_grid(value: float, close: float) -> float:
    """A value rounded to no more places than its closeness bears."""
    places = max(0, math.ceil(-math.log10(close)))
    return round(value, places)


def _until(
    sheets: Sheets, point: Point, name: str, fails: float, alike: Alike
) -> Asking[float | None]:
    """From where on it holds again beyond where it fails; None where it does not."""
    span, base = sheets.allowed.span(name), sheets.allowed.as_published
    end = span.high if fails > base.value(name) else span.low
    before = fails
    for k in range(1, _BEYOND + 1):
        value = rounded(span, span.low, span.high, fails + (end - fails) * k / _BEYOND)
        if value == before:
            continue
        candidate = point.with_values({name: value}, "beyond the end")
        if not sheets.is_allowed(candidate):
            return None
        if (yield from alike(candidate)) is None:
            holds, _ = yield from _ended(sheets, point, name, (value, before), alike)
            return holds
        before = value
    return None
