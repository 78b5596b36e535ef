"""What outlines are apart from where they lie: holes of a pattern are alike, and what is worked out
of one holds for all."""

from __future__ import annotations

from .curves import Bezier, Curve, Segment
from .loops import Loop

#: The numbers of each curve of an outline, relative to where it begins.
Form = tuple[tuple[float, ...], ...]


def form_of(loop: Loop) -> Form:
    """What an outline is apart from where it lies, to a billionth of a millimetre: equal for those
    that are the same but moved."""
    x0, y0 = loop.curves[0].start
    return tuple(_form(curve, x0, y0) for curve in loop.curves)


def _form(curve: Curve, x0: float, y0: float) -> tuple[float, ...]:
    values: tuple[float, ...]
    if isinstance(curve, Segment):
        values = (curve.start[0] - x0, curve.start[1] - y0, curve.end[0] - x0, curve.end[1] - y0)
    elif isinstance(curve, Bezier):
        values = tuple(
            c - o
            for p in (curve.start, curve.first, curve.second, curve.end)
            for c, o in zip(p, (x0, y0), strict=True)
        )
    else:
        values = (
            curve.centre[0] - x0,
            curve.centre[1] - y0,
            curve.rx,
            curve.ry,
            curve.t0,
            curve.t1,
        )
    return tuple(round(value, 9) for value in values)
