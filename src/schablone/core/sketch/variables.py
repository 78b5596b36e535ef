"""The variables of a drawing and its equations as arrays: looked up, gathered by form, and
evaluated."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from . import equations as eq
from .drawing import (
    ORIGIN,
    X_AXIS,
    Y_AXIS,
    AnyElement,
    Arc,
    Circle,
    Drawing,
    Ellipse,
    FormulaCurve,
    Line,
    Point,
    Spline,
)
from .formula_curve import ChebyshevCurve
from .sparse import clusters, scipy

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_RIGHT = math.pi / 2

#: Up to so many equations, arrays are quicker than sparse matrices.
FEW = 90


def dense(derivatives: Floats | csr_matrix) -> Floats:
    """Derivatives as an array, whichever way they are kept."""
    if isinstance(derivatives, np.ndarray):
        return derivatives
    array: Floats = derivatives.toarray()
    return array


class CannotHold(ValueError):
    """A constraint or dimension that does not make sense: ``name`` says which."""

    def __init__(self, name: str, what: str) -> None:
        super().__init__(what)
        self.name, self.what = name, what


@dataclass(slots=True)
class Block:
    """Equations of one form: ``index`` (k, m) variable numbers, ``params`` (k, p), ``rows`` (k,)
    row numbers."""

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
class Way:
    """A direction at a point of a curve: from ``tail`` to ``head``, turned by ``turned``; or fixed
    at ``angle``."""

    tail: tuple[int, int] = (0, 0)
    head: tuple[int, int] = (0, 0)
    turned: float = 0.0
    angle: float | None = None


class Equations:
    """Variables and equations of a drawing. What is asked of them, :class:`~.system.System` adds.

    ``start`` (n,) are the variables as drawn; ``free`` (n,) says which may change; ``owners`` names
    for each row the constraint, dimension or element that asks for it; ``targets`` (rows,) are what
    the equations' values have to be, in mm and for angles in radians times ``size``.
    """

    def __init__(
        self, drawing: Drawing, shapes: Mapping[str, tuple[ChebyshevCurve, float]] | None = None
    ) -> None:
        """Take up the variables; ``shapes`` gives each formula curve's shape and its turn in
        radians."""
        self.drawing, self.shapes = drawing, dict(shapes or {})
        #: How often it was linearised: most of what solving costs.
        self.looks = 0
        self.elements: dict[str, AnyElement] = drawing.by_name
        # the constants 0, and 1 for the far end of an axis
        self.values: list[float] = [0.0, 0.0, 1.0]
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

    def _close(self) -> None:
        """Everything is asked: the equations become arrays."""
        self.start: Floats = np.array(self.values)
        follows = {e.name for e in self.drawing.elements if e.follows}
        self.free = np.array([name != "" and name not in follows for name, _ in self.variables])
        self.rows = len(self.owners)
        self.targets: Floats = np.array(self.targets_list)
        self.blocks = [
            Block(
                form,
                np.array(g.index, dtype=np.int64),
                np.array(g.params, dtype=np.float64).reshape(len(g.rows), -1),
                np.array(g.rows),
            )
            for form, g in self._gathered.items()
        ]
        self._prepare()

    # Variables and what is looked up

    def _add_variables(self, element: AnyElement) -> None:
        match element:
            case Point():
                self.add_variable(element.name, "x", element.x)
                self.add_variable(element.name, "y", element.y)
            case Circle():
                self.add_variable(element.name, "r", element.radius)
            case Arc():
                centre, start = (
                    self._point_as_drawn(element.centre),
                    self._point_as_drawn(element.start),
                )
                self.add_variable(element.name, "r", max(math.dist(centre, start), 1e-6))
            case Ellipse():
                self.add_variable(element.name, "minor", element.minor)
            case _:
                pass

    def add_variable(self, name: str, what: str, value: float) -> int:
        """A variable of an element or rule, with where it starts; its number."""
        self.at[name, what] = len(self.values)
        self.variables.append((name, what))
        self.values.append(value)
        return len(self.values) - 1

    def _point_as_drawn(self, name: str) -> tuple[float, float]:
        if name == ORIGIN:
            return 0.0, 0.0
        element = self.elements[name]
        assert isinstance(element, Point)
        return element.xy

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

    def xy(self, name: str) -> tuple[int, int]:
        """The two variables of a point."""
        return (0, 0) if name == ORIGIN else (self.at[name, "x"], self.at[name, "y"])

    def value_of(self, at: tuple[int, int]) -> tuple[float, float]:
        """Where a point is drawn, mm, by its two variables."""
        return self.values[at[0]], self.values[at[1]]

    def is_point(self, name: str) -> bool:
        """Whether a name is that of a point."""
        return name == ORIGIN or isinstance(self.elements.get(name), Point)

    def is_line(self, name: str) -> bool:
        """Whether a name is that of a line or an axis."""
        return name in (X_AXIS, Y_AXIS) or isinstance(self.elements.get(name), Line)

    def is_round(self, name: str) -> bool:
        """Whether a name is that of a circle or an arc."""
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
        return (
            [element.start, element.end]
            if isinstance(element, (Line, Arc, Spline, FormulaCurve))
            else []
        )

    def _way_at(self, name: str, point: str) -> Way | None:
        """The direction of a curve at one of its ends."""
        element = self.elements.get(name)
        match element:
            case Line():
                return Way(self.xy(element.start), self.xy(element.end))
            case Arc():
                return Way(self.xy(element.centre), self.xy(point), _RIGHT)
            case Spline():
                handle = element.start_handle if point == element.start else element.end_handle
                return Way(self.xy(point), self.xy(handle)) if handle else None
            case FormulaCurve():
                shape, turn = self.shapes[name]
                dx, dy = shape.slope(-1.0 if point == element.start else 1.0)
                return Way(angle=math.atan2(dy, dx) + turn)
        return None

    def put(
        self,
        owner: str,
        form: eq.Form,
        index: list[int],
        params: tuple[float, ...] = (0.0,),
        target: float = 0.0,
        *,
        angular: bool = False,
    ) -> int:
        """Ask for an equation of a form to come to a target; the number of its row."""
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
        return self.put(owner, eq.linear, [v for v, _ in terms], tuple(c for _, c in terms), target)

    def _as_drawn(self, form: eq.Form, index: list[int], params: tuple[float, ...]) -> float:
        value, _ = form(np.array([[self.values[i] for i in index]]), np.array([params]))
        return float(value[0])

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

    def _prepare(self) -> None:
        vars(self).pop("_clusters", None)  # other variables may be free than before
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
        # Where each derivative goes in the sparse matrix: worked out once, since only the numbers
        # change.
        self._flat = self._kept_rows * max(count, 1) + self._kept_cols
        flat, self._slots = np.unique(self._flat, return_inverse=True)
        self._indices = (flat % max(count, 1)).astype(np.int32)
        self._starts = np.searchsorted(flat, np.arange(self.rows + 1) * max(count, 1)).astype(
            np.int32
        )

    @cached_property
    def _clusters(self) -> Ints:
        """The cluster of each row, then of each free variable: what has no equation in common is
        apart. What holds as it is drawn does without."""
        size = self.rows + len(self.columns)
        return clusters(size, self._kept_rows, self._kept_cols + self.rows)

    @property
    def cluster_of_row(self) -> Ints:
        """The cluster of each equation, (rows,)."""
        return self._clusters[: self.rows]

    @property
    def cluster_of_column(self) -> Ints:
        """The cluster of each free variable, (free,)."""
        return self._clusters[self.rows :]

    def clusters_of(self, names: Iterable[str]) -> set[int]:
        """The clusters that elements take part in, with their own variables or those of their
        points."""
        elements = [self.elements[name] for name in names]
        own = {name for one in elements for name in (one.name, *one.uses())}
        return {
            int(self.cluster_of_column[self._place[at]])
            for (name, _), at in self.at.items()
            if name in own and self._place[at] >= 0
        }

    def residuals(self, x: Floats) -> Floats:
        """How far each equation is from its target, (rows,)."""
        residual = np.empty(self.rows)
        for block in self.blocks:
            residual[block.rows] = block.form(x[block.index], block.params)[0]
        residual -= self.targets
        if self._angular.any():
            residual = self._wrapped(residual)
        return residual

    def _wrapped(self, residual: Floats) -> Floats:
        mask = self._angular
        residual[mask] = eq.wrapped(residual[mask] / self.size) * self.size
        return residual

    def linearised(self, x: Floats) -> tuple[Floats, Floats | csr_matrix]:
        """Residuals and their derivatives by the free variables, (rows, free): an array where there
        are up to :data:`FEW` rows, sparse where there are more."""
        self.looks += 1
        residual = np.empty(self.rows)
        data = []
        for block in self.blocks:
            value, jac = block.form(x[block.index], block.params)
            residual[block.rows] = value
            data.append(jac.ravel())
        residual -= self.targets
        if self._angular.any():
            residual = self._wrapped(residual)
        values = np.concatenate(data)[self._kept] if data else np.zeros(0)
        count = len(self.columns)
        if self.rows <= FEW:
            slopes: Floats = np.bincount(self._flat, values, self.rows * count).astype(float)
            return residual, slopes.reshape(self.rows, count)
        summed = np.bincount(self._slots, values, len(self._indices))
        sparse = scipy().sparse.csr_matrix(
            (summed, self._indices, self._starts), shape=(self.rows, count)
        )
        return residual, sparse
