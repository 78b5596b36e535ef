"""What is lost on the way to a solution: circles and lines that shrink to nothing, arcs whose ends
meet or pass each other.

Equations know nothing of it. A circle whose radius has passed zero keeps every distance by its
signs, a line without length is parallel to everything, and an arc whose ends have passed each other
is the rest of its circle: all of it holds, and none of it is what was drawn.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..words import say_name
from .drawing import Arc, Circle, Dimension, Drawing, Ellipse, Line
from .system import System

Floats = NDArray[np.float64]

#: A length below this share of the sketch's size is none, and one below so many mm.
_NOTHING, _LEAST = 1e-6, 1e-5
#: The ends of an arc have met where it goes so little round, or so nearly all the way, radians.
_MET = 1e-6
#: An arc that is drawn so nearly closed may as well be.
_CLOSED = 2e-3

#: Constraints of lines that ask for their direction, which a line without length does not have.
_DIRECTED = frozenset(
    {"parallel", "perpendicular", "collinear", "tangent", "symmetric", "on", "angle", "distance",
     "at_30", "at_45", "at_60"}
)  # fmt: skip


class Watch:
    """Looks at a drawing while it is led to a solution, from where it starts.

    Where a dimension asks for nothing (``to_nothing``), lines whose direction nobody asks for may
    shrink to that."""

    def __init__(self, system: System, start: Floats, *, to_nothing: bool = False) -> None:
        curves = [curve for curve in system.drawing.curves if not curve.follows]
        self._radii = [
            (curve.name, system.at[curve.name, "minor" if isinstance(curve, Ellipse) else "r"])
            for curve in curves
            if isinstance(curve, (Circle, Arc, Ellipse))
        ]
        directed = {
            name
            for rule in system.drawing.rules
            if rule.kind in _DIRECTED and len(rule.of) > 1
            for name in rule.of
        }
        self._spans = [
            (curve.name, system.xy(a), system.xy(b))
            for curve in curves
            for a, b in _spans_of(curve)
            if not to_nothing or curve.name in directed or isinstance(curve, Ellipse)
        ]
        arcs = [curve for curve in curves if isinstance(curve, Arc)]
        self._arcs = [arc.name for arc in arcs]
        self._index = np.array(
            [[*system.xy(arc.centre), *system.xy(arc.start), *system.xy(arc.end)] for arc in arcs],
            dtype=np.int64,
        ).reshape(-1, 6)
        self._tiny = max(_NOTHING * system.size, _LEAST)
        #: Lines that are nothing to begin with are left alone, and so are arcs all but closed.
        self._left_alone = {
            name for name in self._short(start) if isinstance(system.elements[name], Line)
        }
        self._turned = self._sweeps(start)
        self._open = (self._turned > _CLOSED) & (self._turned < 2 * np.pi - _CLOSED)

    def _sweeps(self, x: Floats) -> Floats:
        """How far each arc goes round, radians from 0 to 2π."""
        cx, cy, sx, sy, ex, ey = x[self._index].T
        turned = np.arctan2(ey - cy, ex - cx) - np.arctan2(sy - cy, sx - cx)
        swept: Floats = np.mod(turned, 2 * np.pi)
        return swept

    def _short(self, x: Floats) -> list[str]:
        return [
            name
            for name, a, b in self._spans
            if np.hypot(x[b[0]] - x[a[0]], x[b[1]] - x[a[1]]) <= self._tiny
        ]

    def saw(self, x: Floats) -> None:
        """A step on the way. Arcs are followed from one to the next: from a third of a circle to
        two thirds is a long way, but not through nothing."""
        if self._arcs:
            self._turned = self._followed(x)

    def _followed(self, x: Floats) -> Floats:
        change = self._sweeps(x) - self._turned
        on: Floats = self._turned + change - 2 * np.pi * np.round(change / (2 * np.pi))
        return on

    def lost(self, x: Floats) -> tuple[str, ...]:
        """Names of what is nothing at the end of the way, or inside out."""
        shrunk = [name for name, at in self._radii if x[at] <= self._tiny]
        short = [name for name in self._short(x) if name not in self._left_alone]
        turned = self._followed(x)
        over = self._open & ((turned < _MET) | (turned > 2 * np.pi - _MET))
        inside_out = [self._arcs[place] for place in np.flatnonzero(over)]
        return tuple(dict.fromkeys([*shrunk, *short, *inside_out]))


def _spans_of(curve: object) -> list[tuple[str, str]]:
    """Pairs of points that have to lie apart."""
    if isinstance(curve, Line):
        return [(curve.start, curve.end)]
    return [(curve.centre, curve.vertex)] if isinstance(curve, Ellipse) else []


def holding(system: System, names: Sequence[str]) -> tuple[Drawing, dict[str, float]]:
    """The drawing in which what would be lost is held as long, wide or far round as it is drawn,
    and the values of the dimensions that hold it. They come last, and are no sizes of anybody's.
    """
    taken = {rule.name for rule in system.drawing.rules}
    holds, values = [], {}
    for name in names:
        element = system.elements[name]
        kind = {"circle": "radius", "line": "distance", "arc": "arc_length"}.get(element.kind)
        if kind is None:
            continue
        called = f"held_{name}"
        while called in taken:
            called += "_"
        dimension = Dimension.model_validate({"name": called, "kind": kind, "of": (name,)})
        drawn = system.read(dimension, system.start)
        if drawn > _LEAST:  # what is nothing to begin with is not held at that
            holds.append(dimension)
            values[called] = drawn
    dimensions = (*system.drawing.dimensions, *holds)
    return system.drawing.model_copy(update={"dimensions": dimensions}), values


def say_lost(drawing: Drawing, names: Sequence[str]) -> str:
    """What would be lost, in words."""
    elements = drawing.by_name
    said = [
        f"the ends of {say_name(name)} would meet or pass each other"
        if isinstance(elements.get(name), Arc)
        else f"nothing would be left of {say_name(name)}"
        for name in names[:3]
    ]
    return ", and ".join(said)
