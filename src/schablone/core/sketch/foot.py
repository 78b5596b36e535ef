"""A point that is held on a curve with ends: which variable says where on the curve it is, and what
is asked of it.

A spline and a curve by formula go on beyond their ends as far as the numbers go, and nobody sees
that. So the variable is an angle whose sine runs from one end of the curve to the other and back:
whatever it comes to, the point is on the curve.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from . import spline
from .drawing import FormulaCurve, Spline
from .mapping import XY
from .variables import Equations

Floats = NDArray[np.float64]

#: At an end itself the sine stands still, and nothing would lead away from there: a point that is
#: not on the curve yet starts so far inside, as an angle.
_INSIDE = 0.2
#: A point nearer to a curve than this share of the sketch's size lies on it.
_THERE = 1e-8


@dataclass(frozen=True, slots=True)
class _Stretch:
    """The parameters of a curve, from nothing to ``long``, by an angle; ``looks`` are enough to see
    how it runs."""

    long: float
    looks: int

    def at(self, angle: float) -> float:
        """The parameter at an angle."""
        return self.long / 2 * (1 + math.sin(angle))

    def rate(self, angle: float) -> float:
        """By how much the parameter grows with the angle."""
        return self.long / 2 * math.cos(angle)

    def start_for(
        self, there: XY, place: Callable[[float], XY], slope: Callable[[float], XY], near: float
    ) -> float:
        """The angle of the point of a curve that is nearest to ``there``, to the last digit: what
        holds as it is drawn is not to move. Where it is farther away than ``near``, mm, it is not
        that of an end."""
        steps = np.linspace(0, self.long, self.looks + 1)
        best = int(np.argmin([math.dist(place(t), there) for t in steps]))
        low, high = float(steps[max(best - 1, 0)]), float(steps[min(best + 1, self.looks)])
        for _ in range(60):
            middle = (low + high) / 2
            (x, y), (dx, dy) = place(middle), slope(middle)
            goes_away = (x - there[0]) * dx + (y - there[1]) * dy > 0
            low, high = (low, middle) if goes_away else (middle, high)
        found = min(((low + high) / 2, 0.0, self.long), key=lambda t: math.dist(place(t), there))
        angle = math.asin(max(-1.0, min(1.0, 2 * found / self.long - 1)))
        if math.dist(place(found), there) <= near:
            return angle
        return max(_INSIDE - math.pi / 2, min(math.pi / 2 - _INSIDE, angle))


class _Shape:
    """The Bézier pieces of a spline for the points that it is drawn by, and how they follow these.

    Both coordinates of a point on it ask for them, at every step: those that were asked for last
    are kept."""

    def __init__(self, element: Spline) -> None:
        self._count = len(element.points)
        self._first, self._last = bool(element.start_handle), bool(element.end_handle)
        self._known: tuple[Floats, Floats, Floats] | None = None

    def pieces(self, points: NDArray[Any]) -> NDArray[Any]:
        """Control points (pieces, 4, 2) for points and handles (n, 2), real or complex."""
        count = self._count
        head = points[count] if self._first else None
        tail = points[count + self._first] if self._last else None
        return spline.pieces(points[:count], head, tail)

    def and_its_changes(self, points: Floats) -> tuple[Floats, Floats]:
        """Control points, and their derivatives by each coordinate (2 n, pieces, 4, 2)."""
        if self._known is None or not np.array_equal(self._known[0], points):
            changes = []
            for k in range(points.size):
                step = points.astype(np.complex128)
                step.flat[k] += 1e-30j
                changes.append(np.imag(self.pieces(step)) / 1e-30)
            self._known = points.copy(), self.pieces(points), np.stack(changes)
        return self._known[1], self._known[2]


def hold_on_spline(system: Equations, owner: str, point: str, element: Spline) -> None:
    """Ask of a point that it lies on a spline, between its ends."""
    names, p, shape = element.uses(), system.xy(point), _Shape(element)
    control = shape.pieces(np.array([system.value_of(system.xy(name)) for name in names]))
    stretch = _Stretch(float(len(control)), 40 * len(control))

    def place(t: float) -> XY:
        x, y = spline.at(control, t)
        return float(x), float(y)

    def slope(t: float) -> XY:
        x, y = _slope(control, t)
        return float(x), float(y)

    start = stretch.start_for(system.value_of(p), place, slope, _THERE * system.size)
    angle = system.add_variable(owner, "t", start)
    points = [v for name in names for v in system.xy(name)]
    for axis in (0, 1):

        def form(x: Floats, s: Floats, axis: int = axis) -> tuple[Floats, Floats]:
            value, jac = np.empty(len(x)), np.empty(x.shape)
            for row, variables in enumerate(x):
                t = stretch.at(variables[1])
                there, changes = shape.and_its_changes(variables[2:].reshape(-1, 2))
                value[row] = spline.at(there, t)[axis] - variables[0]
                along = _slope(there, t)[axis] * stretch.rate(variables[1])
                follows = [spline.at(change, t)[axis] for change in changes]
                jac[row] = -1.0, along, *follows
            return value, jac

        system.put(owner, form, [p[axis], angle, *points])


def _slope(control: Floats, t: float) -> Floats:
    """The derivative by the parameter, by the complex step."""
    rate: Floats = np.imag(spline.at(control, complex(t, 1e-30))) / 1e-30
    return rate


def hold_on_formula_curve(system: Equations, owner: str, point: str, element: FormulaCurve) -> None:
    """Ask of a point that it lies on a curve by formula, between its ends."""
    shape, turn = system.shapes[element.name]
    cos, sin = math.cos(turn), math.sin(turn)
    p, at = system.xy(point), system.xy(element.at)
    x0, y0 = system.value_of(at)
    stretch = _Stretch(2.0, 400)

    def turned(x: float, y: float) -> XY:
        return cos * x - sin * y, sin * x + cos * y

    def place(t: float) -> XY:
        x, y = turned(*shape.at(t - 1))
        return x + x0, y + y0

    def slope(t: float) -> XY:
        return turned(*shape.slope(t - 1))

    start = stretch.start_for(system.value_of(p), place, slope, _THERE * system.size)
    angle = system.add_variable(owner, "t", start)
    for axis in (0, 1):

        def form(x: Floats, s: Floats, axis: int = axis) -> tuple[Floats, Floats]:
            value, jac = np.empty(len(x)), np.ones((len(x), 3))
            for row, (a, b, u) in enumerate(x):
                t = stretch.at(u)
                value[row] = a - b - turned(*shape.at(t - 1))[axis]
                jac[row] = 1.0, -1.0, -turned(*shape.slope(t - 1))[axis] * stretch.rate(u)
            return value, jac

        system.put(owner, form, [p[axis], at[axis], angle])
