"""A drawing made to hold: where everything is, the curves of its outlines, and what its read-off
dimensions read."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from . import spline
from .crossing import plain_curves
from .curves import Bezier, Curve, EllipticArc, Segment
from .diagnose import conflict
from .drawing import Arc, Circle, Drawing, Ellipse, FormulaCurve, Line, Spline
from .formula_curve import ChebyshevCurve
from .mapping import Mapping2D
from .newton import Floats, Solution
from .sentences import say_rule
from .solve import solve
from .system import CannotHold, System, drawing_at
from .tracing import Trace, placed
from .vanishing import say_lost


class NotSettled(ValueError):
    """The constraints cannot hold together; ``names`` is the smallest set that cannot."""

    def __init__(self, what: str, names: tuple[str, ...]) -> None:
        super().__init__(what)
        self.what, self.names = what, names


@dataclass(frozen=True, slots=True)
class Settled:
    """A drawing in which everything holds; ``drawing`` stands where ``x`` says."""

    drawing: Drawing
    system: System
    x: Floats
    solution: Solution

    def curves(self, *, helpers: bool = False) -> list[Curve]:
        """The curves of the outlines, each with the name of its element; ``helpers`` gives those
        instead."""
        curves: list[Curve] = []
        for element in self.drawing.curves:
            if element.helper == helpers:
                curves += self.curve(element.name)
        return curves

    def curve(self, name: str) -> list[Curve]:
        """One element as curves: a spline and a curve by formula have several pieces."""
        element = self.system.elements[name]
        system, x = self.system, self.x

        def at(point: str) -> tuple[float, float]:
            ix, iy = system.xy(point)
            return float(x[ix]), float(x[iy])

        match element:
            case Line():
                return [Segment(at(element.start), at(element.end), name)]
            case Circle():
                radius = float(abs(x[system.at[name, "r"]]))
                return [EllipticArc(at(element.centre), radius, radius, 0.0, math.tau, name)]
            case Arc():
                (cx, cy), (sx, sy), (ex, ey) = (
                    at(element.centre),
                    at(element.start),
                    at(element.end),
                )
                t0 = math.atan2(sy - cy, sx - cx)
                sweep = (math.atan2(ey - cy, ex - cx) - t0) % math.tau
                radius = float(abs(x[system.at[name, "r"]]))
                return [EllipticArc((cx, cy), radius, radius, t0, t0 + (sweep or math.tau), name)]
            case Ellipse():
                (cx, cy), (vx, vy) = at(element.centre), at(element.vertex)
                major = math.hypot(vx - cx, vy - cy)
                minor = float(abs(x[system.at[name, "minor"]]))
                if not major:
                    return []
                c, s = (vx - cx) / major, (vy - cy) / major
                pieces = plain_curves(EllipticArc((0.0, 0.0), major, minor, 0.0, math.tau, name))
                return [piece.mapped(Mapping2D(c, -s, s, c, cx, cy)) for piece in pieces]
            case Spline():
                points = np.array([at(point) for point in element.points])
                handles = [
                    np.array(at(h)) if h else None
                    for h in (element.start_handle, element.end_handle)
                ]
                control = spline.pieces(points, *handles)
                return [Bezier.of(piece, name) for piece in control if np.ptp(piece, axis=0).any()]
            case FormulaCurve():
                shape, turn = system.shapes[name]
                return list(shape.beziers(name, at(element.at), turn))
        return []

    def readings(self) -> dict[str, float]:
        """What the read-off dimensions read, mm and degrees.

        Raises:
            NotSettled: where one has nothing to read.
        """
        try:
            return {d.name: self.system.read(d, self.x) for d in self.drawing.dimensions if d.reads}
        except CannotHold as error:
            raise NotSettled(error.what, (error.name,)) from None


def settle(
    drawing: Drawing,
    values: Mapping[str, float],
    shapes: Mapping[str, tuple[ChebyshevCurve, float]],
    traces: Mapping[str, Trace] | None = None,
) -> Settled:
    """Make a drawing hold with its dimensions at ``values`` (mm, degrees) and with what follows
    edges at their ``traces``.

    Raises:
        NotSettled: where it cannot; says which constraints and dimensions are at odds.
        LostEdge: where an edge that it follows is not among the traces.
    """
    now = placed(drawing, traces or {}) if traces is not None else drawing
    try:
        system = System(drawing, shapes)
        solution = solve_following(system, values, now)
    except CannotHold as error:
        raise NotSettled(error.what, (error.name,)) from None
    if not solution.holds:
        names = conflict(now, values, shapes)
        raise NotSettled(say_conflict(drawing, names, values, solution.lost), names)
    return Settled(drawing_at(system, solution.x), system, solution.x, solution)


def solve_following(
    system: System, values: Mapping[str, float], now: Drawing, *, as_wholes: bool = False
) -> Solution:
    """Solve with what follows edges where it is in ``now``. Sides are kept as drawn before the
    edges moved. For ``as_wholes`` see :func:`~.solve.solve`."""
    goal = system.following(now)
    far = float(np.abs(goal - system.start).max(initial=0.0))
    solution = solve(system, values, goal if far else None, as_wholes=as_wholes)
    if solution.holds or not far:
        return solution
    # From there no way leads back: go along with the edges in small steps.
    x, steps = system.start, 16
    for k in range(1, steps + 1):
        pinned = np.where(goal != system.start, system.start + (goal - system.start) * k / steps, x)
        solved = solve(system, values if k == steps else {}, pinned)
        if not solved.holds:
            return solution
        x = solved.x
    return solved


def say_conflict(
    drawing: Drawing,
    names: Sequence[str],
    values: Mapping[str, float],
    lost: Sequence[str] = (),
) -> str:
    """What cannot hold together, in words, and what would be ``lost`` where it all were to hold."""
    first = f"{say_lost(drawing, lost)}: " if lost else ""
    rules = [rule for rule in drawing.rules if rule.name in names]
    if lost and not rules:
        return f"{first}it is drawn with no size, and nothing gives it one"
    if not rules:
        return "the drawing cannot be brought to these sizes from where it is drawn"
    said = "; ".join(say_rule(drawing, rule, values.get(rule.name)) for rule in rules[:6])
    more = "; and more" if len(rules) > 6 else ""
    return f"{first}these cannot hold together: {said}{more}"
