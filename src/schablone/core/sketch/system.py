"""From a drawing to equations: which variables there are, and what each constraint and dimension asks of them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix, csr_matrix
from scipy.sparse.csgraph import connected_components

from . import equations as eq
from . import spline
from .drawing import (
    ORIGIN,
    X_AXIS,
    Y_AXIS,
    AnyElement,
    Arc,
    Circle,
    Constraint,
    Dimension,
    Drawing,
    Ellipse,
    FormulaCurve,
    Line,
    Point,
    Spline,
)
from .formula_curve import Shape

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_RIGHT = math.pi / 2


class CannotHold(ValueError):
    """A constraint or dimension that does not make sense: ``name`` says which."""

    def __init__(self, name: str, what: str) -> None:
        super().__init__(what)
        self.name, self.what = name, what


@dataclass(slots=True)
class Block:
    """Equations of one form: ``index`` (k, m) variable numbers, ``params`` (k, p), ``rows`` (k,) row numbers."""

    form: eq.Form
    index: Ints
    params: Floats
    rows: Ints


@dataclass(slots=True)
class _Gathered:
    index: list[list[int]] = field(default_factory=list)
    params: list[tuple[float, ...]] = field(default_factory=list)
    rows: list[int] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class _Way:
    """A direction at a point of a curve: from ``tail`` to ``head``, turned by ``turned``; or fixed at ``angle``."""

    tail: tuple[int, int] = (0, 0)
    head: tuple[int, int] = (0, 0)
    turned: float = 0.0
    angle: float | None = None


class System:
    """All equations of a drawing.

    ``start`` (n,) are the variables as drawn; ``free`` (n,) says which may change; ``owners`` names for each
    row the constraint, dimension or element that asks for it; ``targets`` (rows,) are what the equations'
    values have to be, in mm and for angles in radians times ``size``; ``dimension_rows`` is the row of each
    dimension.
    """

    def __init__(self, drawing: Drawing, shapes: Mapping[str, tuple[Shape, float]] | None = None) -> None:
        """Make the equations; ``shapes`` gives each formula curve's shape and its turn in radians.

        Raises:
            CannotHold: for constraints between things that they do not go with.
        """
        self.drawing, self.shapes = drawing, dict(shapes or {})
        self.elements: dict[str, AnyElement] = drawing.by_name
        self.values: list[float] = [0.0, 0.0, 1.0]  # the constants 0, and 1 for the far end of an axis
        self.variables: list[tuple[str, str]] = [("", "0"), ("", "0"), ("", "1")]
        self.at: dict[tuple[str, str], int] = {}
        self.owners: list[str] = []
        self.targets_list: list[float] = []
        self.angular: list[bool] = []
        self.dimension_rows: dict[str, int] = {}
        self._gathered: dict[eq.Form, _Gathered] = {}
        for element in drawing.elements:
            self._add_variables(element)
        xy = [(p.x, p.y) for p in drawing.points]
        spans = np.ptp(np.array(xy), axis=0) if xy else np.zeros(2)
        radii = [c.radius for c in drawing.curves if isinstance(c, Circle)]
        #: A length that stands for the size of the sketch, mm: what is small is small against it.
        self.size = max(float(np.hypot(*spans)), *(2 * radius for radius in radii), 1e-3)
        self._same = self._united()
        for element in drawing.elements:
            self._add_own(element)
        for constraint in drawing.constraints:
            self._add_constraint(constraint)
        for dimension in drawing.dimensions:
            self._add_dimension(dimension)
        self.start: Floats = np.array(self.values)
        follows = {e.name for e in drawing.elements if e.follows}
        self.free = np.array([name != "" and name not in follows for name, _ in self.variables])
        self.rows = len(self.owners)
        self.targets: Floats = np.array(self.targets_list)
        self.blocks = [
            Block(form, np.array(g.index, dtype=np.int64), np.array(g.params, dtype=np.float64).reshape(len(g.rows), -1), np.array(g.rows))
            for form, g in self._gathered.items()
        ]  # fmt: skip
        self._prepare()

    # Variables

    def _add_variables(self, element: AnyElement) -> None:
        match element:
            case Point():
                self._variable(element.name, "x", element.x)
                self._variable(element.name, "y", element.y)
            case Circle():
                self._variable(element.name, "r", element.radius)
            case Arc():
                centre, start = self._point_as_drawn(element.centre), self._point_as_drawn(element.start)
                self._variable(element.name, "r", max(math.dist(centre, start), 1e-6))
            case Ellipse():
                self._variable(element.name, "minor", element.minor)
            case _:
                pass

    def _variable(self, name: str, what: str, value: float) -> int:
        self.at[name, what] = len(self.values)
        self.variables.append((name, what))
        self.values.append(value)
        return len(self.values) - 1

    def _point_as_drawn(self, name: str) -> tuple[float, float]:
        if name == ORIGIN:
            return 0.0, 0.0
        found = self.elements[name]
        assert isinstance(found, Point)
        return found.xy

    def _united(self) -> dict[str, str]:
        """Points that coincide by constraints, each with one that stands for all of them."""
        parent: dict[str, str] = {}

        def top(name: str) -> str:
            while parent.get(name, name) != name:
                name = parent[name]
            return name

        for constraint in self.drawing.constraints:
            if constraint.kind == "coincident":
                for other in constraint.of[1:]:
                    parent[top(other)] = top(constraint.of[0])
        return {name: top(name) for name in (*self.elements, ORIGIN)}

    # Looking things up

    def xy(self, name: str) -> tuple[int, int]:
        """The two variables of a point."""
        return (0, 0) if name == ORIGIN else (self.at[name, "x"], self.at[name, "y"])

    def _value_of(self, at: tuple[int, int]) -> tuple[float, float]:
        return self.values[at[0]], self.values[at[1]]

    def is_point(self, name: str) -> bool:
        return name == ORIGIN or isinstance(self.elements.get(name), Point)

    def is_line(self, name: str) -> bool:
        return name in (X_AXIS, Y_AXIS) or isinstance(self.elements.get(name), Line)

    def is_round(self, name: str) -> bool:
        return isinstance(self.elements.get(name), (Circle, Arc))

    def _ends(self, name: str) -> tuple[tuple[int, int], tuple[int, int]]:
        """The variables of both ends of a line or axis."""
        if name == X_AXIS:
            return (0, 0), (2, 0)
        if name == Y_AXIS:
            return (0, 0), (0, 2)
        line = self.elements[name]
        assert isinstance(line, Line)
        return self.xy(line.start), self.xy(line.end)

    def _centre(self, name: str) -> tuple[int, int]:
        element = self.elements.get(name)
        if isinstance(element, (Circle, Arc, Ellipse)):
            return self.xy(element.centre)
        return self.xy(name)

    def _ends_of_curve(self, name: str) -> list[str]:
        element = self.elements.get(name)
        return [element.start, element.end] if isinstance(element, (Line, Arc, Spline, FormulaCurve)) else []

    def _way_at(self, name: str, point: str) -> _Way | None:
        """The direction of a curve at one of its ends."""
        element = self.elements.get(name)
        match element:
            case Line():
                return _Way(self.xy(element.start), self.xy(element.end))
            case Arc():
                return _Way(self.xy(element.centre), self.xy(point), _RIGHT)
            case Spline():
                handle = element.start_handle if point == element.start else element.end_handle
                return _Way(self.xy(point), self.xy(handle)) if handle else None
            case FormulaCurve():
                shape, turn = self.shapes[name]
                dx, dy = shape.slope(-1.0 if point == element.start else 1.0)
                return _Way(angle=math.atan2(dy, dx) + turn)
        return None

    # Equations

    def _put(
        self,
        owner: str,
        form: eq.Form,
        index: list[int],
        params: tuple[float, ...] = (0.0,),
        target: float = 0.0,
        *,
        angular: bool = False,
    ) -> int:
        gathered = self._gathered.setdefault(form, _Gathered())
        gathered.index.append(index)
        gathered.params.append(params)
        gathered.rows.append(len(self.owners))
        self.owners.append(owner)
        self.targets_list.append(target)
        self.angular.append(angular)
        return len(self.owners) - 1

    def _linear(self, owner: str, terms: list[tuple[int, float]], target: float = 0.0) -> int:
        """Σ c·v = target, with up to three terms."""
        terms = [*terms, (0, 0.0), (0, 0.0)][:3]
        return self._put(owner, eq.linear, [v for v, _ in terms], tuple(c for _, c in terms), target)

    def _as_drawn(self, form: eq.Form, index: list[int], params: tuple[float, ...]) -> float:
        value, _ = form(np.array([[self.values[i] for i in index]]), np.array([params]))
        return float(value[0])

    def _add_own(self, element: AnyElement) -> None:
        """What an element asks of its own points."""
        name = element.name
        if isinstance(element, Arc):
            for end in (element.start, element.end):
                index = [*self.xy(element.centre), *self.xy(end), self.at[name, "r"], 0]
                self._put(name, eq.apart, index, (1.0, 0.0))
        elif isinstance(element, FormulaCurve):
            shape, turn = self.shapes[name]
            c, s = math.cos(turn), math.sin(turn)
            at = self.xy(element.at)
            for end, where in ((element.start, -1.0), (element.end, 1.0)):
                x, y = shape.at(where)
                self._linear(name, [(self.xy(end)[0], 1.0), (at[0], -1.0)], c * x - s * y)
                self._linear(name, [(self.xy(end)[1], 1.0), (at[1], -1.0)], s * x + c * y)

    def _turn(self, owner: str, first: _Way, second: _Way, choices: tuple[float, ...]) -> int:
        """The angle between two directions is the nearest of the choices, as drawn."""
        if first.angle is not None and second.angle is not None:
            raise CannotHold(owner, "both curves are given by formulas, and neither can turn")
        if second.angle is not None:
            first, second = second, first
        off = second.turned - first.turned
        form, index = eq.turn, [*first.tail, *first.head, *second.tail, *second.head]
        if first.angle is not None:
            form, index, off = eq.direction, [*second.tail, *second.head], second.turned - first.angle
        value = self._as_drawn(form, index, (off, 1.0))
        best = min(choices, key=lambda choice: abs(math.remainder(value - choice, math.tau)))
        return self._put(owner, form, index, (off - best, self.size))

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
        self._want(c, all(map(self.is_point, c.of)) and len(c.of) > 1, "points are wanted to coincide")
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
            self._put(c.name, eq.side, [*a, *b, *p, 0], (1.0, 0.0))
        elif isinstance(element, (Circle, Arc)):
            self._put(c.name, eq.apart, [*self.xy(element.centre), *p, self.at[curve, "r"], 0], (1.0, 0.0))
        elif isinstance(element, Ellipse):
            index = [*self.xy(element.centre), *self.xy(element.vertex), self.at[curve, "minor"], *p]
            self._put(c.name, eq.on_ellipse, index)
        elif isinstance(element, Spline):
            self._on_spline(c, p, element)
        elif isinstance(element, FormulaCurve):
            self._on_formula(c, p, element)
        else:
            raise CannotHold(c.name, f"“{curve}” is no curve")

    def _on_spline(self, c: Constraint, p: tuple[int, int], element: Spline) -> None:
        names = element.uses()
        count, first, last = len(element.points), bool(element.start_handle), bool(element.end_handle)

        def curve(z: NDArray[np.complex128]) -> NDArray[np.complex128]:
            points = z.reshape(-1, 2)
            head = points[count] if first else None
            tail = points[count + first] if last else None
            return spline.pieces(points[:count], head, tail)

        drawn = np.array([self._value_of(self.xy(name)) for name in names])
        control = curve(drawn.ravel().astype(np.complex128))
        there = self._value_of(p)
        nearest = min(
            np.linspace(0, len(control), 40 * len(control) + 1),
            key=lambda t: math.dist(np.real(spline.at(control, t)), there),
        )
        t = self._variable(c.name, "t", float(nearest))
        points = [v for name in names for v in self.xy(name)]
        for axis in (0, 1):

            def value(z: NDArray[np.complex128], s: Floats, axis: int = axis) -> NDArray[np.complex128]:
                rows = [spline.at(curve(row[2:]), row[1])[axis] - row[0] for row in z]
                return np.array(rows)

            self._put(c.name, eq.by_complex_step(value), [p[axis], t, *points])

    def _on_formula(self, c: Constraint, p: tuple[int, int], element: FormulaCurve) -> None:
        shape, turn = self.shapes[element.name]
        cos, sin = math.cos(turn), math.sin(turn)
        origin = self._value_of(self.xy(element.at))
        there = self._value_of(p)

        def place(s: float) -> tuple[float, float]:
            x, y = shape.at(s)
            return cos * x - sin * y + origin[0], sin * x + cos * y + origin[1]

        nearest = min(np.linspace(-1, 1, 401), key=lambda s: math.dist(place(float(s)), there))
        t = self._variable(c.name, "t", float(nearest))
        for axis, mix in ((0, (cos, -sin)), (1, (sin, cos))):

            def form(x: Floats, s: Floats, mix: tuple[float, float] = mix) -> tuple[Floats, Floats]:
                value, jac = np.empty(len(x)), np.ones((len(x), 3))
                for row, (a, b, u) in enumerate(x):
                    px, py = shape.at(u)
                    dx, dy = shape.slope(u)
                    value[row] = a - b - (mix[0] * px + mix[1] * py)
                    jac[row] = 1.0, -1.0, -(mix[0] * dx + mix[1] * dy)
                return value, jac

            self._put(c.name, form, [p[axis], self.xy(element.at)[axis], t])

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

    def _lines(self, c: Constraint) -> tuple[_Way, _Way]:
        self._want(c, all(map(self.is_line, c.of)) and len(c.of) == 2, "two lines are wanted")
        return _Way(*self._ends(c.of[0])), _Way(*self._ends(c.of[1]))

    def _hold_parallel(self, c: Constraint) -> None:
        self._turn(c.name, *self._lines(c), (0.0, math.pi))

    def _hold_perpendicular(self, c: Constraint) -> None:
        self._turn(c.name, *self._lines(c), (_RIGHT, -_RIGHT))

    def _hold_collinear(self, c: Constraint) -> None:
        self._lines(c)
        a, b = self._ends(c.of[0])
        for p in self._ends(c.of[1]):
            self._put(c.name, eq.side, [*a, *b, *p, 0], (1.0, 0.0))

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
                        raise CannotHold(c.name, "the end of a spline needs a handle to be tangent there")
                    self._turn(c.name, ways[0], ways[1], (0.0, math.pi))
                    return
        if self.is_line(second) and not self.is_line(first):
            first, second = second, first
        element = self.elements.get(second)
        if self.is_line(first) and isinstance(element, (Circle, Arc)):
            a, b = self._ends(first)
            index = [*a, *b, *self.xy(element.centre), self.at[second, "r"]]
            sign = 1.0 if self._as_drawn(eq.side, index, (1.0, 0.0)) >= 0 else -1.0
            self._put(c.name, eq.side, index, (sign, 1.0))
        elif self.is_line(first) and isinstance(element, Ellipse):
            a, b = self._ends(first)
            middle = [*a, *b, *self.xy(element.centre), 0]
            sign = 1.0 if self._as_drawn(eq.side, middle, (1.0, 0.0)) >= 0 else -1.0
            index = [*self.xy(element.centre), *self.xy(element.vertex), self.at[second, "minor"], *a, *b]
            self._put(c.name, eq.line_at_ellipse, index, (sign,))
        elif self.is_round(first) and self.is_round(second):
            index = [*self._centre(first), *self._centre(second), self.at[first, "r"], self.at[second, "r"]]
            r0, r1 = self.values[index[4]], self.values[index[5]]
            far = self._as_drawn(eq.apart, index, (0.0, 0.0))
            inside = abs(far - abs(r0 - r1)) < abs(far - (r0 + r1))
            signs = ((1.0, -1.0) if r0 >= r1 else (-1.0, 1.0)) if inside else (1.0, 1.0)
            self._put(c.name, eq.apart, index, signs)
        else:
            raise CannotHold(c.name, "these two can only be tangent where their ends meet")

    def _hold_equal(self, c: Constraint) -> None:
        first, second = c.of
        if self.is_line(first) and self.is_line(second):
            index = [v for name in c.of for end in self._ends(name) for v in end]
            self._put(c.name, eq.equal_length, index)
        else:
            self._want(
                c, self.is_round(first) and self.is_round(second), "two lines, or two circles or arcs, are wanted"
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
                self._put(c.name, eq.side_sum, [*a, *b, *p, *q])
                self._put(c.name, eq.along, [*a, *b, *p, *q])
            else:
                m = self.xy(about)
                for axis in (0, 1):
                    self._linear(c.name, [(p[axis], 0.5), (q[axis], 0.5), (m[axis], -1.0)])

    def _mirrored_ends(self, first: str, second: str, about: str) -> list[tuple[tuple[int, int], tuple[int, int]]]:
        """Ends of two lines in pairs: start with start or with end, whichever is drawn so."""
        (a, b), (c, d) = self._ends(first), self._ends(second)
        if not self.is_line(about):
            return [(a, d), (b, c)] if self._reflects(a, d, about) <= self._reflects(a, c, about) else [(a, c), (b, d)]
        straight = self._reflects(a, c, about) + self._reflects(b, d, about)
        crossed = self._reflects(a, d, about) + self._reflects(b, c, about)
        return [(a, c), (b, d)] if straight <= crossed else [(a, d), (b, c)]

    def _reflects(self, p: tuple[int, int], q: tuple[int, int], about: str) -> float:
        """How far two points are from being mirror images, as drawn."""
        (px, py), (qx, qy) = self._value_of(p), self._value_of(q)
        if not self.is_line(about):
            mx, my = self._value_of(self.xy(about))
            return math.hypot(px + qx - 2 * mx, py + qy - 2 * my)
        a, b = self._ends(about)
        index = [*a, *b, *p, *q]
        return abs(self._as_drawn(eq.side_sum, index, (0.0,))) + abs(self._as_drawn(eq.along, index, (0.0,)))

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
            raise CannotHold(d.name, f"“{d.kind}” cannot be measured on {' and '.join(d.of)}") from None
        row = self._put(d.name, form, index, params, self._as_drawn(form, index, params), angular=angular)
        self.dimension_rows[d.name] = row

    def measure(self, d: Dimension) -> tuple[eq.Form, list[int], tuple[float, ...], bool]:
        """The equation whose value a dimension is: form, variables, parameters, and whether it is an angle."""
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
                a = _Way(*self._ends(X_AXIS if len(d.of) == 1 else first))
                b = _Way(*self._ends(second))
                index = [*a.tail, *a.head, *b.tail, *b.head]
                value = self._as_drawn(eq.turn, index, (0.0, 1.0))
                if value < 0:
                    index = [*index[4:], *index[:4]]
                return eq.turn, index, (0.0, self.size), True
            case "across" | "upright":
                axis = 0 if d.kind == "across" else 1
                p, q = self._ends(first) if len(d.of) == 1 else (self._centre(first), self._centre(second))
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
            # One circle lies in the other, or they overlap: from edge to edge where they are nearest.
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
            raise CannotHold(d.name, f"the {d.kind.replace('_', ' ')} would be {value:g} mm; it must be above zero")
        if d.kind == "distance" and value < 0:
            raise CannotHold(d.name, f"the distance would be {value:g} mm; it must not be below zero")
        if d.kind == "angle":
            if not -360 <= value <= 360:
                raise CannotHold(d.name, f"the angle would be {value:g}°; it must lie within a full turn")
            return math.radians(value) * self.size
        return value

    def following(self, now: Drawing) -> Floats:
        """The variables as drawn, but with what follows edges where it stands in ``now``."""
        goal = self.start.copy()
        for element in now.elements:
            if element.follows:
                if isinstance(element, Point):
                    goal[list(self.xy(element.name))] = element.xy
                elif isinstance(element, Circle):
                    goal[self.at[element.name, "r"]] = element.radius
        return goal

    # Evaluation

    def _prepare(self) -> None:
        self._angular = np.array(self.angular, dtype=bool)
        rows = [np.repeat(b.rows, b.index.shape[1]) for b in self.blocks]
        cols = [b.index.ravel() for b in self.blocks]
        self._rows = np.concatenate(rows) if rows else np.zeros(0, dtype=np.int64)
        self._cols = np.concatenate(cols) if cols else np.zeros(0, dtype=np.int64)
        self._kept = self.free[self._cols] if len(self._cols) else np.zeros(0, dtype=bool)
        self.columns = np.flatnonzero(self.free)
        place = np.full(len(self.start), -1)
        place[self.columns] = np.arange(len(self.columns))
        self._place = place
        self._kept_rows = self._rows[self._kept]
        self._kept_cols = place[self._cols[self._kept]]
        count = len(self.columns)
        # Where each derivative goes in the sparse matrix: worked out once, since only the numbers change.
        flat, self._slots = np.unique(self._kept_rows * max(count, 1) + self._kept_cols, return_inverse=True)
        self._indices = (flat % max(count, 1)).astype(np.int32)
        self._starts = np.searchsorted(flat, np.arange(self.rows + 1) * max(count, 1)).astype(np.int32)
        graph = coo_matrix(
            (np.ones(len(self._kept_rows)), (self._kept_rows, self._kept_cols + self.rows)),
            shape=(self.rows + count, self.rows + count),
        )
        _, labels = connected_components(graph, directed=False)
        #: The cluster of each row and of each free variable: what has no equation in common is apart.
        self.cluster_of_row, self.cluster_of_column = labels[: self.rows], labels[self.rows :]

    def residuals(self, x: Floats) -> Floats:
        """How far each equation is from its target, (rows,)."""
        found = np.empty(self.rows)
        for block in self.blocks:
            found[block.rows] = block.form(x[block.index], block.params)[0]
        found -= self.targets
        if self._angular.any():
            found = self._wrapped(found)
        return found

    def _wrapped(self, found: Floats) -> Floats:
        mask = self._angular
        found[mask] = eq.wrapped(found[mask] / self.size) * self.size
        return found

    def linearised(self, x: Floats) -> tuple[Floats, csr_matrix]:
        """Residuals and their derivatives by the free variables, (rows, free)."""
        found = np.empty(self.rows)
        data = []
        for block in self.blocks:
            value, jac = block.form(x[block.index], block.params)
            found[block.rows] = value
            data.append(jac.ravel())
        found -= self.targets
        if self._angular.any():
            found = self._wrapped(found)
        values = np.concatenate(data)[self._kept] if data else np.zeros(0)
        summed = np.bincount(self._slots, values, len(self._indices)) if data else values
        sparse = csr_matrix((summed, self._indices, self._starts), shape=(self.rows, len(self.columns)))
        return found, sparse

    def read(self, d: Dimension, x: Floats) -> float:
        """What a dimension measures, in mm or degrees."""
        form, index, params, angular = self.measure(d)
        value = float(form(x[np.array([index])], np.array([params]))[0][0])
        return math.degrees(value / self.size) if angular else value


def _inward(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    value, jac = eq.apart(x, s)
    return -value, -jac


def drawing_at(system: System, x: Floats) -> Drawing:
    """The drawing with everything where the variables say."""
    moved: list[AnyElement] = []
    for element in system.drawing.elements:
        match element:
            case Point():
                ix, iy = system.xy(element.name)
                moved.append(element.model_copy(update={"x": float(x[ix]), "y": float(x[iy])}))
            case Circle():
                moved.append(element.model_copy(update={"radius": float(abs(x[system.at[element.name, "r"]]))}))
            case Ellipse():
                moved.append(element.model_copy(update={"minor": float(abs(x[system.at[element.name, "minor"]]))}))
            case _:
                moved.append(element)
    return system.drawing.model_copy(update={"elements": tuple(moved)})


__all__ = ["CannotHold", "Constraint", "System", "drawing_at"]
