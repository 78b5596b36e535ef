"""From a drawing to equations: what each constraint and dimension asks of the variables."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from ..words import say_name
from . import equations as eq
from .drawing import (
    X_AXIS,
    AnyElement,
    Arc,
    Circle,
    Constraint,
    Dimension,
    Drawing,
    Ellipse,
    FormulaCurve,
    Point,
    Spline,
)
from .foot import hold_on_formula_curve, hold_on_spline
from .formula_curve import ChebyshevCurve
from .sentences import say_element
from .variables import CannotHold, Equations, Floats, Way

_RIGHT = math.pi / 2
#: Lines of which one turns away from the other by no more than this, radians, are parallel.
_PARALLEL = 1e-6


class System(Equations):
    """All equations of a drawing; ``dimension_rows`` is the row of each dimension."""

    def __init__(
        self, drawing: Drawing, shapes: Mapping[str, tuple[ChebyshevCurve, float]] | None = None
    ) -> None:
        """Make the equations; ``shapes`` gives each formula curve's shape and its turn in radians.

        Raises:
            CannotHold: for constraints between things that they do not go with.
        """
        super().__init__(drawing, shapes)
        for element in drawing.elements:
            self._add_own(element)
        for constraint in drawing.constraints:
            self._add_constraint(constraint)
        for dimension in drawing.dimensions:
            self._add_dimension(dimension)
        self._close()

    # Variables

    # Looking things up

    # Equations

    def _add_own(self, element: AnyElement) -> None:
        """What an element asks of its own points."""
        name = element.name
        if isinstance(element, Arc):
            for end in (element.start, element.end):
                index = [*self.xy(element.centre), *self.xy(end), self.at[name, "r"], 0]
                self.put(name, eq.apart, index, (1.0, 0.0))
        elif isinstance(element, FormulaCurve):
            shape, turn = self.shapes[name]
            c, s = math.cos(turn), math.sin(turn)
            at = self.xy(element.at)
            for end, where in ((element.start, -1.0), (element.end, 1.0)):
                x, y = shape.at(where)
                self._linear(name, [(self.xy(end)[0], 1.0), (at[0], -1.0)], c * x - s * y)
                self._linear(name, [(self.xy(end)[1], 1.0), (at[1], -1.0)], s * x + c * y)

    def _turn(self, owner: str, first: Way, second: Way, choices: tuple[float, ...]) -> int:
        """The angle between two directions is the nearest of the choices, as drawn."""
        if first.angle is not None and second.angle is not None:
            raise CannotHold(owner, "both curves are given by formulas, and neither can turn")
        if second.angle is not None:
            first, second = second, first
        off = second.turned - first.turned
        form, index = eq.turn, [*first.tail, *first.head, *second.tail, *second.head]
        if first.angle is not None:
            form, index, off = (
                eq.direction,
                [*second.tail, *second.head],
                second.turned - first.angle,
            )
        value = self._as_drawn(form, index, (off, 1.0))
        best = min(choices, key=lambda choice: abs(math.remainder(value - choice, math.tau)))
        return self.put(owner, form, index, (off - best, self.size))

    def _add_constraint(self, c: Constraint) -> None:
        method = getattr(self, f"_hold_{c.kind}")
        try:
            method(c)
        except (KeyError, AssertionError, ValueError, IndexError) as error:
            if isinstance(error, CannotHold):
                raise
            raise CannotHold(c.name, f"“{c.kind}” does not go with {' and '.join(c.of)}") from None

    def _want(self, c: Constraint, holds: bool, what: str) -> None:
        if not holds:
            raise CannotHold(c.name, what)

    def _hold_coincident(self, c: Constraint) -> None:
        self._want(
            c, all(map(self.is_point, c.of)) and len(c.of) > 1, "points are wanted to coincide"
        )
        first = self.xy(c.of[0])
        for other in c.of[1:]:
            at = self.xy(other)
            self._linear(c.name, [(first[0], 1.0), (at[0], -1.0)])
            self._linear(c.name, [(first[1], 1.0), (at[1], -1.0)])

    def _hold_on(self, c: Constraint) -> None:
        point, curve = c.of
        self._want(c, self.is_point(point), "a point and a curve are wanted")
        p, element = self.xy(point), self.elements.get(curve)
        if self.is_line(curve):
            a, b = self._ends(curve)
            self.put(c.name, eq.side, [*a, *b, *p, 0], (1.0, 0.0))
        elif isinstance(element, (Circle, Arc)):
            self.put(
                c.name, eq.apart, [*self.xy(element.centre), *p, self.at[curve, "r"], 0], (1.0, 0.0)
            )
        elif isinstance(element, Ellipse):
            index = [
                *self.xy(element.centre),
                *self.xy(element.vertex),
                self.at[curve, "minor"],
                *p,
            ]
            self.put(c.name, eq.on_ellipse, index)
        elif isinstance(element, Spline):
            hold_on_spline(self, c.name, point, element)
        elif isinstance(element, FormulaCurve):
            hold_on_formula_curve(self, c.name, point, element)
        else:
            raise CannotHold(c.name, f"“{curve}” is no curve")

    def _pairs(self, c: Constraint) -> tuple[tuple[int, int], tuple[int, int]]:
        if len(c.of) == 1:
            return self._ends(c.of[0])
        return self.xy(c.of[0]), self.xy(c.of[1])

    def _hold_horizontal(self, c: Constraint) -> None:
        a, b = self._pairs(c)
        self._linear(c.name, [(a[1], 1.0), (b[1], -1.0)])

    def _hold_vertical(self, c: Constraint) -> None:
        a, b = self._pairs(c)
        self._linear(c.name, [(a[0], 1.0), (b[0], -1.0)])

    def _lines(self, c: Constraint) -> tuple[Way, Way]:
        self._want(c, all(map(self.is_line, c.of)) and len(c.of) == 2, "two lines are wanted")
        return Way(*self._ends(c.of[0])), Way(*self._ends(c.of[1]))

    def _hold_parallel(self, c: Constraint) -> None:
        self._turn(c.name, *self._lines(c), (0.0, math.pi))

    def _hold_perpendicular(self, c: Constraint) -> None:
        self._turn(c.name, *self._lines(c), (_RIGHT, -_RIGHT))

    def _hold_slanted(self, c: Constraint, degrees: float) -> None:
        """One line to the x axis, or two to each other, at an angle to either side as drawn."""
        self._want(
            c, all(map(self.is_line, c.of)) and len(c.of) in (1, 2), "one line or two are wanted"
        )
        other = c.of[1] if len(c.of) == 2 else X_AXIS
        angle = math.radians(degrees)
        choices = (angle, -angle, math.pi - angle, angle - math.pi)
        self._turn(c.name, Way(*self._ends(other)), Way(*self._ends(c.of[0])), choices)

    def _hold_at_30(self, c: Constraint) -> None:
        self._hold_slanted(c, 30.0)

    def _hold_at_45(self, c: Constraint) -> None:
        self._hold_slanted(c, 45.0)

    def _hold_at_60(self, c: Constraint) -> None:
        self._hold_slanted(c, 60.0)

    def _hold_collinear(self, c: Constraint) -> None:
        self._lines(c)
        a, b = self._ends(c.of[0])
        for p in self._ends(c.of[1]):
            self.put(c.name, eq.side, [*a, *b, *p, 0], (1.0, 0.0))

    def _hold_concentric(self, c: Constraint) -> None:
        self._want(c, len(c.of) == 2, "two circles or arcs are wanted")
        a, b = self._centre(c.of[0]), self._centre(c.of[1])
        self._linear(c.name, [(a[0], 1.0), (b[0], -1.0)])
        self._linear(c.name, [(a[1], 1.0), (b[1], -1.0)])

    def _hold_tangent(self, c: Constraint) -> None:
        first, second = c.of
        for end in self._ends_of_curve(first):
            for other in self._ends_of_curve(second):
                if self._same.get(end) == self._same.get(other):
                    ways = self._way_at(first, end), self._way_at(second, other)
                    if ways[0] is None or ways[1] is None:
                        raise CannotHold(
                            c.name, "the end of a spline needs a handle to be tangent there"
                        )
                    self._turn(c.name, ways[0], ways[1], (0.0, math.pi))
                    return
        if self.is_line(second) and not self.is_line(first):
            first, second = second, first
        element = self.elements.get(second)
        if self.is_line(first) and isinstance(element, (Circle, Arc)):
            a, b = self._ends(first)
            index = [*a, *b, *self.xy(element.centre), self.at[second, "r"]]
            sign = 1.0 if self._as_drawn(eq.side, index, (1.0, 0.0)) >= 0 else -1.0
            self.put(c.name, eq.side, index, (sign, 1.0))
        elif self.is_line(first) and isinstance(element, Ellipse):
            a, b = self._ends(first)
            middle = [*a, *b, *self.xy(element.centre), 0]
            sign = 1.0 if self._as_drawn(eq.side, middle, (1.0, 0.0)) >= 0 else -1.0
            index = [
                *self.xy(element.centre),
                *self.xy(element.vertex),
                self.at[second, "minor"],
                *a,
                *b,
            ]
            self.put(c.name, eq.line_at_ellipse, index, (sign,))
        elif self.is_round(first) and self.is_round(second):
            index = [
                *self._centre(first),
                *self._centre(second),
                self.at[first, "r"],
                self.at[second, "r"],
            ]
            r0, r1 = self.values[index[4]], self.values[index[5]]
            far = self._as_drawn(eq.apart, index, (0.0, 0.0))
            inside = abs(far - abs(r0 - r1)) < abs(far - (r0 + r1))
            signs = ((1.0, -1.0) if r0 >= r1 else (-1.0, 1.0)) if inside else (1.0, 1.0)
            self.put(c.name, eq.apart, index, signs)
        else:
            raise CannotHold(c.name, "these two can only be tangent where their ends meet")

    def _hold_equal(self, c: Constraint) -> None:
        first, second = c.of
        if self.is_line(first) and self.is_line(second):
            index = [v for name in c.of for end in self._ends(name) for v in end]
            self.put(c.name, eq.equal_length, index)
        else:
            self._want(
                c,
                self.is_round(first) and self.is_round(second),
                "two lines, or two circles or arcs, are wanted",
            )
            self._linear(c.name, [(self.at[first, "r"], 1.0), (self.at[second, "r"], -1.0)])

    def _hold_symmetric(self, c: Constraint) -> None:
        first, second, about = c.of
        if self.is_point(first) and self.is_point(second):
            pairs = [(self.xy(first), self.xy(second))]
        elif self.is_round(first) and self.is_round(second):
            pairs = [(self._centre(first), self._centre(second))]
            self._linear(c.name, [(self.at[first, "r"], 1.0), (self.at[second, "r"], -1.0)])
        else:
            pairs = self._mirrored_ends(first, second, about)
        for p, q in pairs:
            if self.is_line(about):
                a, b = self._ends(about)
                self.put(c.name, eq.side_sum, [*a, *b, *p, *q])
                self.put(c.name, eq.along, [*a, *b, *p, *q])
            else:
                m = self.xy(about)
                for axis in (0, 1):
                    self._linear(c.name, [(p[axis], 0.5), (q[axis], 0.5), (m[axis], -1.0)])

    def _mirrored_ends(
        self, first: str, second: str, about: str
    ) -> list[tuple[tuple[int, int], tuple[int, int]]]:
        """Ends of two lines in pairs: start with start or with end, whichever is drawn so."""
        (a, b), (c, d) = self._ends(first), self._ends(second)
        if not self.is_line(about):
            return (
                [(a, d), (b, c)]
                if self._reflects(a, d, about) <= self._reflects(a, c, about)
                else [(a, c), (b, d)]
            )
        straight = self._reflects(a, c, about) + self._reflects(b, d, about)
        crossed = self._reflects(a, d, about) + self._reflects(b, c, about)
        return [(a, c), (b, d)] if straight <= crossed else [(a, d), (b, c)]

    def _reflects(self, p: tuple[int, int], q: tuple[int, int], about: str) -> float:
        """How far two points are from being mirror images, as drawn."""
        (px, py), (qx, qy) = self.value_of(p), self.value_of(q)
        if not self.is_line(about):
            mx, my = self.value_of(self.xy(about))
            return math.hypot(px + qx - 2 * mx, py + qy - 2 * my)
        a, b = self._ends(about)
        index = [*a, *b, *p, *q]
        return abs(self._as_drawn(eq.side_sum, index, (0.0,))) + abs(
            self._as_drawn(eq.along, index, (0.0,))
        )

    def _hold_midpoint(self, c: Constraint) -> None:
        m = self.xy(c.of[0])
        a, b = self._ends(c.of[1]) if len(c.of) == 2 else (self.xy(c.of[1]), self.xy(c.of[2]))
        for axis in (0, 1):
            self._linear(c.name, [(a[axis], 0.5), (b[axis], 0.5), (m[axis], -1.0)])

    def _hold_fixed(self, c: Constraint) -> None:
        for name in c.of:
            element = self.elements[name]
            for point in (name,) if isinstance(element, Point) else element.uses():
                for v in self.xy(point):
                    self._linear(c.name, [(v, 1.0)], self.values[v])
            for what in ("r", "minor"):
                if (name, what) in self.at and not isinstance(element, Arc):
                    v = self.at[name, what]
                    self._linear(c.name, [(v, 1.0)], self.values[v])

    # Dimensions

    def _add_dimension(self, d: Dimension) -> None:
        if d.reads:
            return
        try:
            form, index, params, angular = self.measure(d)
        except (KeyError, AssertionError, ValueError, IndexError) as error:
            if isinstance(error, CannotHold):
                raise
            raise CannotHold(
                d.name, f"“{d.kind}” cannot be measured on {' and '.join(d.of)}"
            ) from None
        row = self.put(
            d.name, form, index, params, self._as_drawn(form, index, params), angular=angular
        )
        self.dimension_rows[d.name] = row
        if self._between_lines(d):
            # Lines have one distance from each other only where they are parallel.
            a, b = (Way(*self._ends(name)) for name in d.of)
            self._turn(d.name, a, b, (0.0, math.pi))

    def _between_lines(self, d: Dimension) -> bool:
        return d.kind == "distance" and len(d.of) == 2 and all(map(self.is_line, d.of))

    def measure(self, d: Dimension) -> tuple[eq.Form, list[int], tuple[float, ...], bool]:
        """The equation whose value a dimension is: form, variables, parameters, and whether it is
        an angle."""
        first, second = d.of[0], d.of[-1]
        match d.kind:
            case "radius" | "diameter":
                factor = 1.0 if d.kind == "radius" else 2.0
                return eq.linear, [self.at[first, "r"], 0, 0], (factor, 0.0, 0.0), False
            case "arc_length":
                arc = self.elements[first]
                assert isinstance(arc, Arc)
                points = [*self.xy(arc.centre), *self.xy(arc.start), *self.xy(arc.end)]
                return eq.arc_length, [*points, self.at[first, "r"]], (0.0,), False
            case "angle":
                a = Way(*self._ends(X_AXIS if len(d.of) == 1 else first))
                b = Way(*self._ends(second))
                index = [*a.tail, *a.head, *b.tail, *b.head]
                value = self._as_drawn(eq.turn, index, (0.0, 1.0))
                if value < 0:
                    index = [*index[4:], *index[:4]]
                return eq.turn, index, (0.0, self.size), True
            case "across" | "upright":
                axis = 0 if d.kind == "across" else 1
                p, q = (
                    self._ends(first)
                    if len(d.of) == 1
                    else (self._centre(first), self._centre(second))
                )
                if self.values[q[axis]] < self.values[p[axis]]:
                    p, q = q, p
                return eq.linear, [q[axis], p[axis], 0], (1.0, -1.0, 0.0), False
        return self._distance(d)

    def _distance(self, d: Dimension) -> tuple[eq.Form, list[int], tuple[float, ...], bool]:
        first, second = d.of[0], d.of[-1]
        if len(d.of) == 1:
            a, b = self._ends(first)
            return eq.apart, [*a, *b, 0, 0], (0.0, 0.0), False
        if self.is_line(first) and not self.is_line(second):
            first, second = second, first
        if self.is_line(second):
            a, b = self._ends(second)
            p = self._ends(first)[0] if self.is_line(first) else self._centre(first)
            radius = self.at[first, "r"] if self.is_round(first) else 0
            index = [*a, *b, *p, radius]
            sign = 1.0 if self._as_drawn(eq.side, index, (1.0, 0.0)) >= 0 else -1.0
            return eq.side, index, (sign, 1.0), False
        radii = [self.at[name, "r"] if self.is_round(name) else 0 for name in (first, second)]
        index = [*self._centre(first), *self._centre(second), *radii]
        gap = self._as_drawn(eq.apart, index, (1.0, 1.0))
        if gap < 0 and radii[0] and radii[1]:
            # One circle lies in the other, or they overlap: from edge to edge where they are
            # nearest.
            signs = (1.0, -1.0) if self.values[radii[0]] >= self.values[radii[1]] else (-1.0, 1.0)
            return _inward, index, signs, False
        if gap < 0:
            # The point lies inside the circle: how far it is from the edge.
            return _inward, index, (1.0, 1.0), False
        return eq.apart, index, (1.0, 1.0), False

    def target(self, d: Dimension, value: float) -> float:
        """A dimension's value (mm, degrees) as the target of its row.

        Raises:
            CannotHold: for a value that no drawing can have.
        """
        if d.kind in ("radius", "diameter", "arc_length") and value <= 0:
            raise CannotHold(
                d.name,
                f"the {say_name(d.kind)} would be {value:g} mm; it must be above zero",
            )
        if d.kind == "distance" and value < 0:
            raise CannotHold(
                d.name, f"the distance would be {value:g} mm; it must not be below zero"
            )
        if d.kind == "angle":
            if not -360 <= value <= 360:
                raise CannotHold(
                    d.name, f"the angle would be {value:g}°; it must lie within a full turn"
                )
            return math.radians(value) * self.size
        return value

    # Evaluation

    def read(self, d: Dimension, x: Floats) -> float:
        """What a dimension measures, in mm or degrees.

        Raises:
            CannotHold: for the distance of lines that are not parallel, which they do not have.
        """
        if self._between_lines(d):
            (ax, ay), (bx, by) = (
                np.subtract(*(x[list(end)] for end in self._ends(name))) for name in d.of
            )
            if abs(ax * by - ay * bx) > _PARALLEL * math.hypot(ax, ay) * math.hypot(bx, by):
                raise CannotHold(
                    d.name,
                    f"{say_element(d.of[0])} and {say_element(d.of[1])} are not parallel, and have "
                    "no one distance from each other: make them parallel, or measure from a point "
                    "of one",
                )
        return self.would_start_at(d, x)

    def would_start_at(self, d: Dimension, x: Floats) -> float:
        """The value that a new dimension moves least with, in mm or degrees; that of lines that are
        nearly parallel is how far the start of the first is from the second."""
        form, index, params, angular = self.measure(d)
        value = float(form(x[np.array([index])], np.array([params]))[0][0])
        return math.degrees(value / self.size) if angular else value


def _inward(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    value, jac = eq.apart(x, s)
    return -value, -jac


def drawing_at(system: System, x: Floats) -> Drawing:
    """The drawing with everything where the variables (n,), mm, say."""
    moved: list[AnyElement] = []
    for element in system.drawing.elements:
        match element:
            case Point():
                ix, iy = system.xy(element.name)
                moved.append(element.model_copy(update={"x": float(x[ix]), "y": float(x[iy])}))
            case Circle():
                moved.append(
                    element.model_copy(
                        update={"radius": float(abs(x[system.at[element.name, "r"]]))}
                    )
                )
            case Ellipse():
                moved.append(
                    element.model_copy(
                        update={"minor": float(abs(x[system.at[element.name, "minor"]]))}
                    )
                )
            case _:
                moved.append(element)
    return system.drawing.model_copy(update={"elements": tuple(moved)})


__all__ = ["CannotHold", "Constraint", "System", "drawing_at"]
