"""A drawing with constraints, as data: points, curves between them, what must hold, and dimensions.

Coordinates, radii and the like are where things stand; what must hold is said by constraints and
dimensions.
The coordinates matter all the same: of the many ways in which the constraints could be kept (which
side of a line, which of two crossings), the drawing keeps to the one in which it is drawn.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal, Self

from pydantic import Field, FiniteFloat, model_validator

from ..model import FormulaText, Frozen, Identifier
from ..model import OneLine as Line_

#: Names that every drawing has: the origin and the two axes of its sheet.
ORIGIN, X_AXIS, Y_AXIS = "origin", "x_axis", "y_axis"
SHEET = (ORIGIN, X_AXIS, Y_AXIS)

Coordinate = Annotated[FiniteFloat, Field(ge=-1e6, le=1e6)]
Radius = Annotated[FiniteFloat, Field(gt=0, le=1e6)]


class Element(Frozen):
    """One thing on the sheet. A ``helper`` holds others in place and is no part of an outline.

    ``follows`` names an edge of the part, and which of its points this is: it stands where the edge
    is.
    """

    kind: str
    name: Identifier
    helper: bool = False
    follows: Line_ = ""

    def uses(self) -> tuple[str, ...]:
        """Names of the points that it is drawn between."""
        return ()

    def renamed(self, names: dict[str, str]) -> Self:
        """The same with other names, its own and those of its points."""
        changes: dict[str, object] = {"name": names.get(self.name, self.name)}
        for field in type(self).model_fields:
            value = getattr(self, field)
            if field in _POINT_FIELDS and isinstance(value, str):
                changes[field] = names.get(value, value)
            elif field == "points":
                changes[field] = tuple(names.get(name, name) for name in value)
        return self.model_copy(update=changes)


_POINT_FIELDS = ("start", "end", "centre", "vertex", "at", "start_handle", "end_handle")


class Point(Element):
    """A point, mm."""

    kind: Literal["point"] = "point"
    x: Coordinate
    y: Coordinate

    @property
    def xy(self) -> tuple[float, float]:
        return self.x, self.y


class Line(Element):
    """A straight line between two points."""

    kind: Literal["line"] = "line"
    start: Identifier
    end: Identifier

    def uses(self) -> tuple[str, ...]:
        return self.start, self.end


class Circle(Element):
    """A full circle about a point."""

    kind: Literal["circle"] = "circle"
    centre: Identifier
    radius: Radius

    def uses(self) -> tuple[str, ...]:
        return (self.centre,)


class Arc(Element):
    """Part of a circle about ``centre``, counter-clockwise from ``start`` to ``end``."""

    kind: Literal["arc"] = "arc"
    centre: Identifier
    start: Identifier
    end: Identifier

    def uses(self) -> tuple[str, ...]:
        return self.centre, self.start, self.end


class Ellipse(Element):
    """A full ellipse: ``vertex`` is the end of its first half axis, ``minor`` the length of the
    other, mm."""

    kind: Literal["ellipse"] = "ellipse"
    centre: Identifier
    vertex: Identifier
    minor: Radius

    def uses(self) -> tuple[str, ...]:
        return self.centre, self.vertex


class Spline(Element):
    """A smooth curve through points. A handle sets the direction, and by its distance the pull, at
    an end."""

    kind: Literal["spline"] = "spline"
    points: Annotated[tuple[Identifier, ...], Field(min_length=2, max_length=200)]
    start_handle: Identifier | Literal[""] = ""
    end_handle: Identifier | Literal[""] = ""

    @property
    def start(self) -> str:
        """The name of its first point."""
        return self.points[0]

    @property
    def end(self) -> str:
        """The name of its last point."""
        return self.points[-1]

    def uses(self) -> tuple[str, ...]:
        return tuple(name for name in (*self.points, self.start_handle, self.end_handle) if name)


class FormulaCurve(Element):
    """A curve given by formulas of a parameter that runs from ``first`` to ``last``.

    ``xy``: ``x`` and ``y`` are lengths. ``polar``: ``radius`` is a length, the parameter an angle.
    The curve lies with its own origin on the point ``at``, turned by ``turn``; ``start`` and
    ``end`` are its ends.
    """

    kind: Literal["formula"] = "formula"
    at: Identifier
    start: Identifier
    end: Identifier
    form: Literal["xy", "polar"] = "polar"
    parameter: Identifier = "t"
    first: FormulaText = "0 deg"
    last: FormulaText = "360 deg"
    x: FormulaText = ""
    y: FormulaText = ""
    radius: FormulaText = ""
    turn: FormulaText = "0 deg"

    def uses(self) -> tuple[str, ...]:
        return self.at, self.start, self.end


AnyElement = Annotated[
    Point | Line | Circle | Arc | Ellipse | Spline | FormulaCurve, Field(discriminator="kind")
]

ConstraintKind = Literal[
    "coincident", "on", "horizontal", "vertical", "parallel", "perpendicular", "collinear",
    "concentric",
    "tangent", "equal", "symmetric", "midpoint", "fixed", "at_30", "at_45", "at_60",
]  # fmt: skip
DimensionKind = Literal[
    "distance", "across", "upright", "angle", "radius", "diameter", "arc_length"
]


class Constraint(Frozen):
    """What must hold between elements. ``of`` names them, in the order of the sentence."""

    name: Identifier
    kind: ConstraintKind
    of: Annotated[tuple[Identifier, ...], Field(min_length=1, max_length=3)]


class Dimension(Frozen):
    """A measure: one that a formula sets, or with ``reads`` one that is read off and usable as a
    size.

    ``distance`` is the shortest, ``across`` along the sheet's x, ``upright`` along its y. ``label``
    is where the figure stands, mm from the middle of what is measured.
    """

    name: Identifier
    kind: DimensionKind
    of: Annotated[tuple[Identifier, ...], Field(min_length=1, max_length=2)]
    formula: FormulaText = ""
    reads: bool = False
    label: tuple[Coordinate, Coordinate] | None = None


class Drawing(Frozen):
    """All of it. Names are distinct; points that curves are drawn between are there."""

    elements: Annotated[tuple[AnyElement, ...], Field(max_length=5000)] = ()
    constraints: Annotated[tuple[Constraint, ...], Field(max_length=10000)] = ()
    dimensions: Annotated[tuple[Dimension, ...], Field(max_length=5000)] = ()

    @model_validator(mode="after")
    def _hangs_together(self) -> Self:
        kinds: dict[str, str] = {}
        for element in self.elements:
            if element.name in kinds or element.name in SHEET:
                raise ValueError(f"two elements of the drawing are called “{element.name}”")
            kinds[element.name] = element.kind
        for element in self.elements:
            for used in element.uses():
                if kinds.get(used) != "point" and used != ORIGIN:
                    raise ValueError(
                        f"“{element.name}” is drawn to “{used}”, which is no point of the drawing"
                    )
        names: set[str] = set()
        for rule in self.rules:
            if rule.name in names:
                raise ValueError(f"two constraints or dimensions are called “{rule.name}”")
            names.add(rule.name)
            for used in rule.of:
                if used not in kinds and used not in SHEET:
                    raise ValueError(
                        f"“{rule.name}” is about “{used}”, which is not in the drawing"
                    )
        return self

    @property
    def rules(self) -> tuple[Constraint | Dimension, ...]:
        """All that must hold: constraints, then dimensions."""
        return (*self.constraints, *self.dimensions)

    @property
    def by_name(self) -> dict[str, AnyElement]:
        """All elements by name."""
        return {element.name: element for element in self.elements}

    def element(self, name: str) -> AnyElement | None:
        """The element of a name; None where there is none."""
        return next((element for element in self.elements if element.name == name), None)

    @property
    def points(self) -> Iterator[Point]:
        return (element for element in self.elements if isinstance(element, Point))

    @property
    def curves(self) -> Iterator[Line | Circle | Arc | Ellipse | Spline | FormulaCurve]:
        return (element for element in self.elements if not isinstance(element, Point))

    def rules_about(self, name: str) -> list[Constraint | Dimension]:
        """Constraints and dimensions that name an element."""
        return [rule for rule in self.rules if name in rule.of]
