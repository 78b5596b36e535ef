"""What the lengths of a sketch reach from and to in space."""

from __future__ import annotations

import math
from dataclasses import replace

from ..kernel.frame import add, dot
from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.mapping import XY
from .gauges import End, Gauge, gauges_of
from .sketch import Sketch
from .span import Span, between, round_span
from .workshop import Outlines


def spans_of_sketch(
    sketch: Sketch, outlines: Outlines, axis: tuple[XY, XY] | None = None
) -> list[Span]:
    """The lengths of a sketch, mm, on its plane. With the point and the direction of an ``axis``
    that it is turned about, what is measured from there is drawn to both sides, as what it becomes:
    a diameter."""
    curves = [
        *(curve for loop in outlines.loops.values() for curve in loop.curves), *outlines.curves,
    ]  # fmt: skip
    spans = []
    for path, gauge in gauges_of(sketch, outlines).items():
        mine = _flat(path, gauge, curves, outlines)
        both = _both_sides(path, gauge, curves, outlines, mine, axis)
        spans += [span for span in (mine, both) if span is not None]
    return spans


def _both_sides(
    path: str,
    gauge: Gauge,
    curves: list[Curve],
    outlines: Outlines,
    mine: Span | None,
    axis: tuple[XY, XY] | None,
) -> Span | None:
    """What a length from a fixed place is together with its like on the other side."""
    if mine is None or not gauge.placed:
        return None
    frame = outlines.frame
    if axis is None:
        across = gauge.across(list(outlines.loops.values()))
        whole = _flat(path, across, curves, outlines) if across is not None else None
        return whole and replace(whole, times=2)
    (px, py), (wx, wy) = axis
    flat = [frame.coordinates(end)[:2] for end in mine.ends]
    off = [(x - px) * wy - (y - py) * wx for x, y in flat]
    long = abs(dot(add(mine.ends[1], mine.ends[0], -1.0), mine.along))
    if abs(off[0]) > 1e-9 or abs(abs(off[1]) - long) > 1e-6:
        return None
    (x, y), by = flat[1], 2 * off[1]
    other = (x - by * wy, y + by * wx)
    # The circle lies across the axis.
    about = add(add((0.0, 0.0, 0.0), frame.x, wx), frame.y, wy)
    line = between(path, frame.at(*other), frame.at(x, y), about)
    return line and replace(line, form="diameter", times=2)


def _flat(path: str, gauge: Gauge, curves: list[Curve], outlines: Outlines) -> Span | None:
    frame = outlines.frame
    first, last = (_on(end, curves) for end in (gauge.ends[0], gauge.ends[-1]))
    if gauge.form in ("diameter", "radius", "over"):
        if not isinstance(first, EllipticArc) or not isinstance(last, EllipticArc):
            return None
        if gauge.form == "diameter":
            return round_span(path, frame, first.centre, first.rx)
        if gauge.form == "radius":
            tip = first.at((first.t0 + first.t1) / 2)
            line = between(path, frame.at(*first.centre), frame.at(*tip), frame.normal)
            return line and Span(path, "radius", line.ends, line.along, line.normal)
        way = _way(first.centre, last.centre)
        if way is None:
            return None
        a = (first.centre[0] - first.rx * way[0], first.centre[1] - first.rx * way[1])
        b = (last.centre[0] + last.rx * way[0], last.centre[1] + last.rx * way[1])
        return between(path, frame.at(*a), frame.at(*b), frame.normal)
    reached = _reached(first, last, gauge.axis)
    if reached is None:
        return None
    a, b, way = reached
    along = add(add((0.0, 0.0, 0.0), frame.x, way[0]), frame.y, way[1])
    return Span(path, "length", (frame.at(*a), frame.at(*b)), along, frame.normal)


def _on(end: End, curves: list[Curve]) -> Curve | XY:
    """What a length reaches to: a curve, or a place."""
    if len(end.curves) != 1:
        return end.at
    mine = [curve for curve in curves if curve.name == end.curves[0]]
    return min(mine, key=lambda curve: math.dist(curve.start, end.at), default=end.at)


def _reached(one: Curve | XY, other: Curve | XY, axis: int | None) -> tuple[XY, XY, XY] | None:
    """The points that a length lies between, and its direction. Of a line, that end which the other
    point is nearer to: there the part ends, and nothing is drawn across it."""
    if isinstance(one, Segment) and isinstance(other, Segment):
        pairs = [(a, b) for a in (one.start, one.end) for b in (other.start, other.end)]
        a, b = min(pairs, key=lambda pair: (round(math.dist(*pair), 6), pair[0][0] + pair[0][1]))
        return _square(a, b, one)
    if isinstance(one, Segment) and isinstance(other, tuple):
        return _square(min((one.start, one.end), key=lambda p: math.dist(p, other)), other, one)
    if isinstance(other, Segment) and isinstance(one, tuple):
        return _square(one, min((other.start, other.end), key=lambda p: math.dist(p, one)), other)
    if not isinstance(one, tuple) or not isinstance(other, tuple):
        return None
    if axis is not None:
        return (one, other, ((1.0, 0.0), (0.0, 1.0))[axis])
    way = _way(one, other)
    return None if way is None else (one, other, way)


def _square(a: XY, b: XY, line: Segment) -> tuple[XY, XY, XY] | None:
    way = _way(line.start, line.end)
    return None if way is None else (a, b, (-way[1], way[0]))


def _way(a: XY, b: XY) -> XY | None:
    length = math.dist(a, b)
    return None if length < 1e-9 else ((b[0] - a[0]) / length, (b[1] - a[1]) / length)
