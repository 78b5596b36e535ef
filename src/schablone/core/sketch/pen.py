"""The pen: adds geometry to a drawing, with names of its own and what must hold from the start."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence

from .drawing import (
    ORIGIN,
    AnyElement,
    Arc,
    Circle,
    Constraint,
    ConstraintKind,
    Dimension,
    DimensionKind,
    Drawing,
    Ellipse,
    FormulaCurve,
    Line,
    Point,
    Spline,
)

XY = tuple[float, float]
#: A point of the drawing by name, or a place for a new one.
Spot = str | XY


class Pen:
    """Draws onto a copy of a drawing; :attr:`drawing` is what came of it. Names are given in order,
    and returned."""

    def __init__(self, drawing: Drawing, *, helper: bool = False) -> None:
        self.helper = helper
        self._before = drawing
        self._elements: list[AnyElement] = list(drawing.elements)
        self._constraints: list[Constraint] = list(drawing.constraints)
        self._dimensions: list[Dimension] = list(drawing.dimensions)
        self._taken = {element.name for element in drawing.elements} | {
            rule.name for rule in drawing.rules
        }
        self._places: dict[str, XY] = {point.name: point.xy for point in drawing.points} | {
            ORIGIN: (0.0, 0.0)
        }

    @property
    def drawing(self) -> Drawing:
        """What was drawn until now."""
        return Drawing(
            elements=tuple(self._elements),
            constraints=tuple(self._constraints),
            dimensions=tuple(self._dimensions),
        )

    def fresh(self, kind: str) -> str:
        """A name that is free: ``line_3``."""
        number = 1
        while f"{kind}_{number}" in self._taken:
            number += 1
        self._taken.add(f"{kind}_{number}")
        return f"{kind}_{number}"

    def place(self, spot: Spot) -> XY:
        """Where a spot is, mm."""
        return self._places[spot] if isinstance(spot, str) else spot

    # Elements

    def point(self, spot: Spot, *, helper: bool | None = None) -> str:
        """The named point, or a new one there."""
        if isinstance(spot, str):
            return spot
        name = self.fresh("point")
        is_helper = self.helper if helper is None else helper
        self._elements.append(Point(name=name, x=spot[0], y=spot[1], helper=is_helper))
        self._places[name] = spot
        return name

    def line(self, start: Spot, end: Spot) -> str:
        """Draw a line; its name."""
        a, b = self.point(start), self.point(end)
        name = self.fresh("line")
        self._elements.append(Line(name=name, start=a, end=b, helper=self.helper))
        return name

    def circle(self, centre: Spot, radius: float) -> str:
        """Draw a circle of a radius, mm; its name."""
        middle = self.point(centre)
        name = self.fresh("circle")
        self._elements.append(
            Circle(name=name, centre=middle, radius=max(radius, 1e-6), helper=self.helper)
        )
        return name

    def circle_through(self, a: Spot, b: Spot, c: Spot) -> str:
        """A circle through three points, which lie on it from now on.

        Raises:
            ValueError: where they lie in one line.
        """
        names = [self.point(spot) for spot in (a, b, c)]
        centre, radius = circle_of(*(self.place(name) for name in names))
        circle = self.circle(centre, radius)
        for name in names:
            self.hold("on", name, circle)
        return circle

    def arc(self, centre: Spot, start: Spot, end: Spot) -> str:
        """An arc, counter-clockwise from start to end; a new end is put at the radius of the
        start."""
        c, s = self.place(centre), self.place(start)
        if not isinstance(end, str):
            radius, angle = math.dist(c, s), math.atan2(end[1] - c[1], end[0] - c[0])
            end = (c[0] + radius * math.cos(angle), c[1] + radius * math.sin(angle))
        names = [self.point(spot) for spot in (centre, start, end)]
        name = self.fresh("arc")
        self._elements.append(
            Arc(name=name, centre=names[0], start=names[1], end=names[2], helper=self.helper)
        )
        return name

    def arc_through(self, start: Spot, end: Spot, middle: XY) -> str:
        """The arc from one point to another through a third place.

        Raises:
            ValueError: where they lie in one line.
        """
        a, b = self.place(start), self.place(end)
        centre, _ = circle_of(a, b, middle)
        left = (b[0] - a[0]) * (middle[1] - a[1]) - (b[1] - a[1]) * (middle[0] - a[0])
        return self.arc(centre, end, start) if left > 0 else self.arc(centre, start, end)

    def arc_on_from(self, curve: str, start: str, end: Spot) -> str:
        """The arc that goes on from the end of a line or arc without a corner.

        Raises:
            ValueError: where the end lies straight ahead.
        """
        dx, dy = self.heading(curve, start)
        (ax, ay), (bx, by) = self.place(start), self.place(end)
        # The centre is beside the start and as far from the end as from the start.
        nx, ny = -dy, dx
        ex, ey = bx - ax, by - ay
        across = 2 * (ex * nx + ey * ny)
        if abs(across) < 1e-9 * math.hypot(ex, ey):
            raise ValueError("the end lies straight ahead: draw a line")
        radius = (ex * ex + ey * ey) / across
        centre = (ax + nx * radius, ay + ny * radius)
        arc = self.arc(centre, start, end) if radius > 0 else self.arc(centre, end, start)
        self.hold("tangent", curve, arc)
        return arc

    def heading(self, curve: str, point: str) -> XY:
        """Direction, of length 1, in which a line or arc arrives at one of its ends."""
        element = next(e for e in self._elements if e.name == curve)
        if isinstance(element, Line):
            other = element.start if point == element.end else element.end
            (ax, ay), (bx, by) = self.place(other), self.place(point)
        elif isinstance(element, Arc):
            (cx, cy), (px, py) = self.place(element.centre), self.place(point)
            sign = 1.0 if point == element.end else -1.0
            ax, ay, bx, by = 0.0, 0.0, -(py - cy) * sign, (px - cx) * sign
        else:
            raise ValueError(f"“{curve}” is no line or arc")
        length = math.hypot(bx - ax, by - ay)
        if length < 1e-12:
            raise ValueError(f"“{curve}” has no direction")
        return (bx - ax) / length, (by - ay) / length

    def spline(self, spots: Sequence[Spot]) -> str:
        """Draw a curve through points; its name."""
        names = tuple(self.point(spot) for spot in spots)
        name = self.fresh("curve")
        self._elements.append(Spline(name=name, points=names, helper=self.helper))
        return name

    def handle(self, spline: str, *, at_start: bool) -> str:
        """Give an end of a smooth curve its handle, which lies where the curve runs now; the
        handle's name."""
        number = next(i for i, e in enumerate(self._elements) if e.name == spline)
        element = self._elements[number]
        assert isinstance(element, Spline)
        there = element.start_handle if at_start else element.end_handle
        if there:
            return there
        near, next_ = (0, 1) if at_start else (-1, -2)
        (ax, ay), (bx, by) = self.place(element.points[near]), self.place(element.points[next_])
        name = self.point(
            (
                ax + (bx - ax) / 3 * (1 if at_start else -1),
                ay + (by - ay) / 3 * (1 if at_start else -1),
            ),
            helper=True,
        )
        if at_start:
            self._elements[number] = element.model_copy(update={"start_handle": name})
        else:
            # A handle lies ahead of the end: the curve leaves towards it.
            self._elements[number] = element.model_copy(update={"end_handle": name})
        return name

    def ellipse(self, centre: Spot, vertex: Spot, minor: float) -> str:
        """An ellipse: its middle, the end of one half axis, the length of the other, mm."""
        names = [self.point(centre, helper=True), self.point(vertex, helper=True)]
        name = self.fresh("ellipse")
        self._elements.append(
            Ellipse(
                name=name,
                centre=names[0],
                vertex=names[1],
                minor=max(minor, 1e-6),
                helper=self.helper,
            )
        )
        return name

    def formula_curve(self, at: Spot, start: XY, end: XY, **formulas: str) -> str:
        """A curve by formulas with its origin on a point; its ends move to where the formulas
        say."""
        names = [self.point(spot) for spot in (at, start, end)]
        name = self.fresh("curve")
        self._elements.append(
            FormulaCurve.model_validate(
                {
                    "name": name,
                    "at": names[0],
                    "start": names[1],
                    "end": names[2],
                    "helper": self.helper,
                    **formulas,
                }
            )
        )
        return name

    # Whole shapes

    def polyline(self, spots: Sequence[Spot], *, closed: bool = False) -> list[str]:
        """Lines from point to point."""
        names = [self.point(spot) for spot in spots]
        pairs = list(itertools.pairwise(names)) + ([(names[-1], names[0])] if closed else [])
        return [self.line(a, b) for a, b in pairs]

    def rectangle(self, corner: Spot, opposite: Spot) -> list[str]:
        """Four lines from corner to corner, level and upright: bottom or top first."""
        (x0, y0), (x1, y1) = self.place(corner), self.place(opposite)
        lines = self.polyline([corner, (x1, y0), opposite, (x0, y1)], closed=True)
        kinds: tuple[ConstraintKind, ...] = ("horizontal", "vertical") * 2
        for line, kind in zip(lines, kinds, strict=True):
            self.hold(kind, line)
        return lines

    def rectangle_about(self, middle: Spot, corner: XY) -> list[str]:
        """A rectangle about its middle, which stays the middle."""
        cx, cy = self.place(middle)
        centre = self.point(middle, helper=True)
        lines = self.rectangle((2 * cx - corner[0], 2 * cy - corner[1]), corner)
        first, third = self._element(lines[0]), self._element(lines[2])
        assert isinstance(first, Line)
        assert isinstance(third, Line)
        self.hold("symmetric", first.start, third.start, centre)
        return lines

    def slot(self, first: Spot, second: Spot, radius: float) -> list[str]:
        """Two half circles of a radius in mm about two points, and the lines that touch both."""
        (ax, ay), (bx, by) = self.place(first), self.place(second)
        length = math.dist((ax, ay), (bx, by))
        if length < 1e-9:
            raise ValueError("a slot needs two places")
        nx, ny = -(by - ay) / length * radius, (bx - ax) / length * radius
        a, b = self.point(first, helper=True), self.point(second, helper=True)
        corners = [
            self.point(p)
            for p in (
                (ax + nx, ay + ny),
                (ax - nx, ay - ny),
                (bx - nx, by - ny),
                (bx + nx, by + ny),
            )
        ]
        left, right = self.arc(a, corners[0], corners[1]), self.arc(b, corners[2], corners[3])
        lower, upper = self.line(corners[1], corners[2]), self.line(corners[3], corners[0])
        for arc, line in ((left, lower), (lower, right), (right, upper), (upper, left)):
            self.hold("tangent", arc, line)
        self.hold("equal", left, right)
        return [left, lower, right, upper]

    def polygon(self, centre: Spot, corner: Spot, sides: int) -> list[str]:
        """A regular polygon: equal sides, corners on a helper circle."""
        if not 3 <= sides <= 100:
            raise ValueError("a polygon has 3 to 100 sides")
        (cx, cy), (px, py) = self.place(centre), self.place(corner)
        radius, first = math.dist((cx, cy), (px, py)), math.atan2(py - cy, px - cx)
        middle = self.point(centre, helper=True)
        angles = [first + math.tau * k / sides for k in range(1, sides)]
        spots: list[Spot] = [
            corner,
            *((cx + radius * math.cos(t), cy + radius * math.sin(t)) for t in angles),
        ]
        lines = self.polyline(spots, closed=True)
        was, self.helper = self.helper, True
        circle = self.circle(middle, radius)
        self.helper = was
        for line in lines:
            element = self._element(line)
            assert isinstance(element, Line)
            self.hold("on", element.start, circle)
        for line in lines[1:]:
            self.hold("equal", lines[0], line)
        return lines

    # What must hold

    def hold(self, kind: ConstraintKind, *of: str) -> str:
        """Add a constraint; its name."""
        name = self.fresh(kind)
        self._constraints.append(Constraint(name=name, kind=kind, of=of))
        return name

    def measure(
        self, kind: DimensionKind, *of: str, formula: str = "", reads: bool = False, name: str = ""
    ) -> str:
        """Add a dimension; its name."""
        given = name if name and name not in self._taken else self.fresh(name or kind)
        self._taken.add(given)
        self._dimensions.append(
            Dimension(name=given, kind=kind, of=of, formula=formula, reads=reads)
        )
        return given

    def _element(self, name: str) -> AnyElement:
        return next(element for element in self._elements if element.name == name)


def circle_of(a: XY, b: XY, c: XY) -> tuple[XY, float]:
    """Centre and radius, mm, of the circle through three places.

    Raises:
        ValueError: where they lie in one line.
    """
    ax, ay, bx, by = b[0] - a[0], b[1] - a[1], c[0] - a[0], c[1] - a[1]
    twice = 2 * (ax * by - ay * bx)
    if abs(twice) <= 1e-9 * max(math.hypot(ax, ay), math.hypot(bx, by), 1e-12) ** 2:
        raise ValueError("the three places lie in one line")
    p, q = ax * ax + ay * ay, bx * bx + by * by
    ux, uy = (by * p - ay * q) / twice, (ax * q - bx * p) / twice
    return (a[0] + ux, a[1] + uy), math.hypot(ux, uy)
