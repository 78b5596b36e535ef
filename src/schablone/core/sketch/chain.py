"""Curves put one after another into a path."""

from __future__ import annotations

import math
from collections.abc import Sequence

from ..quantity import say_spot
from .curves import Curve

_MEET = 1e-4


def chained(curves: Sequence[Curve]) -> tuple[list[Curve], bool]:
    """Curves in the order in which they follow each other, turned round where they must be; whether
    they close.

    An open path starts at the end that was drawn first.

    Raises:
        ValueError: where there are none, they lie apart, or more than two meet.
    """
    if not curves:
        raise ValueError("there is no curve")
    spots: list[tuple[float, float]] = []

    def spot(point: tuple[float, float]) -> int:
        for k, known in enumerate(spots):
            if math.dist(known, point) <= _MEET:
                return k
        spots.append(point)
        return len(spots) - 1

    ends = [(spot(curve.start), spot(curve.end)) for curve in curves]
    at: dict[int, list[int]] = {}
    for k, (a, b) in enumerate(ends):
        at.setdefault(a, []).append(k)
        at.setdefault(b, []).append(k)
    crowded = next((k for k, met in at.items() if len(met) > 2), None)
    if crowded is not None:
        x, y = spots[crowded]
        raise ValueError(f"more than two curves meet at {say_spot(x, y)}; a path has one way on")
    loose = [k for k, met in at.items() if len(met) == 1]
    here = min(loose) if loose else ends[0][0]
    path: list[Curve] = []
    left = set(range(len(curves)))
    while left:
        step = next((k for k in at[here] if k in left), None)
        if step is None:
            raise ValueError("the curves do not all follow each other; they must make one path")
        left.discard(step)
        a, b = ends[step]
        path.append(curves[step] if a == here else curves[step].reversed())
        here = b if a == here else a
    return path, not loose
