"""Edges of the part on the sheet: traced as helpers that follow the part, and drawn anew when it
changes.

An element that follows an edge says so in ``follows``: the edge's name, ``@``, and which of its
points it is.
Where it stands in the drawing is where the edge was last; :func:`placed` puts it where the edge is
now.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .drawing import AnyElement, Arc, Circle, Drawing, Line, Point, Spline
from .pen import circle_of

XY = tuple[float, float]


class LostEdge(ValueError):
    """An edge that a drawing follows is not there any more."""

    def __init__(self, edge: str) -> None:
        super().__init__("an edge that the drawing follows is not there any more")
        self.edge = edge


Form = Literal["point", "line", "circle", "arc", "curve"]


@dataclass(frozen=True, slots=True)
class Trace:
    """An edge seen from above the sheet: its form, its points in order, and a radius where it is
    round.

    ``point``: one point. ``line``: both ends. ``circle``: its centre. ``arc``: centre, and its ends
    counter-clockwise. ``curve``: points along it.
    """

    form: Form
    points: tuple[XY, ...]
    radius: float = 0.0

    @classmethod
    def of(cls, flat: NDArray[np.float64]) -> Trace:
        """The trace of a polyline (k, 2), mm, whose points lie on the edge."""
        size = max(float(np.ptp(flat, axis=0).max()), 1e-9)
        first, last = flat[0], flat[-1]
        if size < 1e-6:
            return cls("point", (_xy(first),))
        closed = bool(np.hypot(*(last - first)) < 1e-6)
        way = last - first
        if not closed:
            aside = np.abs(
                way[0] * (flat[:, 1] - first[1]) - way[1] * (flat[:, 0] - first[0])
            ) / np.hypot(*way)
            if aside.max() < 1e-6 * max(size, 1.0):
                return cls("line", (_xy(first), _xy(last)))
        third = len(flat) // 3
        try:
            centre, radius = circle_of(_xy(first), _xy(flat[third]), _xy(flat[2 * third]))
        except ValueError:
            centre, radius = (0.0, 0.0), math.inf
        off = np.abs(np.hypot(flat[:, 0] - centre[0], flat[:, 1] - centre[1]) - radius)
        if len(flat) > 3 and off.max() < 1e-5 * max(size, 1.0):
            if closed:
                return cls("circle", (centre,), radius)
            a, b = flat[0] - centre, flat[1] - centre
            ends = (
                (_xy(first), _xy(last))
                if a[0] * b[1] - a[1] * b[0] > 0
                else (_xy(last), _xy(first))
            )
            return cls("arc", (centre, *ends), radius)
        kept = flat[
            np.unique(np.linspace(0, len(flat) - 1, min(len(flat), 24)).round().astype(int))
        ]
        return cls("curve", tuple(_xy(p) for p in kept))


def _xy(p: NDArray[np.float64]) -> XY:
    return float(p[0]), float(p[1])


def edges_followed(drawing: Drawing) -> tuple[str, ...]:
    """Names of the edges that elements of a drawing follow."""
    return tuple(dict.fromkeys(e.follows.split("@")[0] for e in drawing.elements if e.follows))


def brought(drawing: Drawing, edge: str, trace: Trace) -> Drawing:
    """The drawing with an edge on it as helpers that follow it. An edge that is there already stays
    as it is."""
    if edge in edges_followed(drawing):
        return drawing
    taken = {e.name for e in drawing.elements} | {rule.name for rule in drawing.rules}
    number = next(
        k for k in range(1, 10_000) if not any(n.split("_p")[0] == f"edge_{k}" for n in taken)
    )
    name = f"edge_{number}"
    points = [
        Point(name=f"{name}_p{k}", x=p[0], y=p[1], helper=True, follows=f"{edge}@{k}")
        for k, p in enumerate(trace.points, 1)
    ]
    names = [p.name for p in points]
    curve: AnyElement | None = None
    match trace.form:
        case "line":
            curve = Line(name=name, start=names[0], end=names[1], helper=True)
        case "circle":
            curve = Circle(
                name=name, centre=names[0], radius=trace.radius, helper=True, follows=f"{edge}@r"
            )
        case "arc":
            curve = Arc(name=name, centre=names[0], start=names[1], end=names[2], helper=True)
        case "curve":
            curve = Spline(name=name, points=tuple(names), helper=True)
        case _:
            pass
    return drawing.with_(elements=(*drawing.elements, *points, *((curve,) if curve else ())))


def placed(drawing: Drawing, traces: Mapping[str, Trace]) -> Drawing:
    """The drawing with what follows an edge where the edge is now.

    Raises:
        LostEdge: where an edge is not among ``traces``, or has another form than it had.
    """
    if not edges_followed(drawing):
        return drawing
    moved: list[AnyElement] = []
    for element in drawing.elements:
        if not element.follows:
            moved.append(element)
            continue
        edge, _, which = element.follows.partition("@")
        trace = traces.get(edge)
        if trace is None:
            raise LostEdge(edge)
        if which == "r":
            if trace.radius <= 0:
                raise LostEdge(edge)
            moved.append(element.model_copy(update={"radius": trace.radius}))
        elif which.isdigit() and int(which) <= len(trace.points):
            x, y = trace.points[int(which) - 1]
            moved.append(element.model_copy(update={"x": x, "y": y}))
        else:
            raise LostEdge(edge)
    return drawing.model_copy(update={"elements": tuple(moved)})
