"""What a sketch's drawing has of formulas, and the drawing settled with their values."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping
from functools import lru_cache

import numpy as np

from ..formula.sampling import SAMPLES, nodes
from ..quantity import ANGLE, LENGTH, plain
from ..sketch.drawing import Circle, Dimension, Drawing, FormulaCurve, Line
from ..sketch.formula_curve import ChebyshevCurve
from ..sketch.settled import NotSettled, Settled, settle
from ..sketch.tracing import Trace
from ..words import say_name
from .base import Slot


def drawing_slots(drawing: Drawing) -> list[Slot]:
    """All formulas of a drawing: its dimensions and its curves by formula."""
    slots = []
    for i, element in enumerate(drawing.elements):
        if isinstance(element, FormulaCurve):
            at, name = f"drawing.elements.{i}", element.name
            ends = (f"{at}.first", f"{at}.last")
            # Along x and y anything may be run over; around the origin it is an angle.
            kind = ANGLE if element.form == "polar" else None
            slots += [
                Slot(ends[0], element.first, f"first {element.parameter} of {name}", kind),
                Slot(ends[1], element.last, f"last {element.parameter} of {name}", kind),
            ]
            slots.append(Slot(f"{at}.turn", element.turn, f"turn of {name}", ANGLE))
            fields = ("radius",) if element.form == "polar" else ("x", "y")
            over = (element.parameter, *ends)
            slots += [
                Slot(f"{at}.{f}", getattr(element, f), f"{f} of {name}", LENGTH, over=over)
                for f in fields
            ]
    for i, dimension in enumerate(drawing.dimensions):
        if not dimension.reads:
            kind = ANGLE if dimension.kind == "angle" else LENGTH
            path = f"drawing.dimensions.{i}.formula"
            side, along = ("", "") if kind == ANGLE else measures_what(drawing, dimension)
            slots.append(Slot(path, dimension.formula, say_name(dimension.name), kind, side, along))
    return slots


@lru_cache(maxsize=512)
def measures_what(drawing: Drawing, dimension: Dimension) -> tuple[str, str]:
    """Which side of the material a dimension is on, as far as the drawing tells, and what it lies
    along.

    A line or circle that spans the whole drawing measures its ``outline``, a circle inside it a
    ``lake``: a hole in what is raised. Of anything else only the direction is told: ``x``, ``y``,
    or ``plane``.
    """
    known = drawing.by_name
    element = known.get(dimension.of[0])
    along = {"across": "x", "upright": "y"}.get(dimension.kind, "plane")
    points = [p for p in drawing.points if not p.helper]
    spans = [
        max(c, default=0.0) - min(c, default=0.0)
        for c in ([p.x for p in points], [p.y for p in points])
    ]
    if isinstance(element, Circle) and dimension.kind in ("radius", "diameter"):
        largest = max(
            (c.radius for c in drawing.curves if isinstance(c, Circle) and not c.helper),
            default=0.0,
        )
        alone = not any(not c.helper and not isinstance(c, Circle) for c in drawing.curves)
        side = "outline" if alone and element.radius >= largest - 1e-9 else "lake"
        return ("" if element.helper or dimension.kind == "radius" else side), "plane"
    if isinstance(element, Line) and len(dimension.of) == 1 and dimension.kind == "distance":
        places = {p.name: p.xy for p in drawing.points}
        (ax, ay), (bx, by) = (places.get(p, (0.0, 0.0)) for p in element.uses())
        for axis, length, aside in (
            ("x", abs(bx - ax), abs(by - ay)),
            ("y", abs(by - ay), abs(bx - ax)),
        ):
            if aside <= 1e-6 * max(length, 1e-9):
                whole = length >= spans[0 if axis == "x" else 1] - 1e-6
                return ("outline" if whole and not element.helper else ""), axis
    return "", along


def settled_drawing(
    drawing: Drawing, values: Mapping[str, float], traces: Mapping[str, Trace] | None = None
) -> Settled:
    """The drawing made to hold with the values of its slots, by path, and with edges at their
    traces; what was asked last is kept.

    Raises:
        NotSettled: where its constraints cannot hold together.
        ValueError: where a curve by formula is no curve.
    """
    paths = [slot.path for slot in drawing_slots(drawing)]
    wanted = tuple((path, v) for path, v in values.items() if path.split("@")[0] in paths)
    settled = _settled(drawing, wanted, None if traces is None else tuple(traces.items()))
    if isinstance(settled, NotSettled):
        raise NotSettled(settled.what, settled.names)
    return settled


@lru_cache(maxsize=64)
def _settled(
    drawing: Drawing,
    wanted: tuple[tuple[str, float], ...],
    traces: tuple[tuple[str, Trace], ...] | None,
) -> Settled | NotSettled:
    """The same, or why it cannot hold: finding that out takes the longest, and it is asked again
    with every edit of anything else."""
    values = dict(wanted)
    numbers = {
        d.name: values[path]
        for i, d in enumerate(drawing.dimensions)
        if (path := f"drawing.dimensions.{i}.formula") in values
    }
    shapes = formula_shapes(drawing, values)
    try:
        return settle(drawing, numbers, shapes, None if traces is None else dict(traces))
    except NotSettled as error:
        return error.with_traceback(None)


def formula_shapes(
    drawing: Drawing, values: Mapping[str, float]
) -> dict[str, tuple[ChebyshevCurve, float]]:
    """Each curve by formula as a shape, with its turn in radians.

    Raises:
        ValueError: says which curve, and why it is none.
    """
    curves = {}
    for i, element in enumerate(drawing.elements):
        if not isinstance(element, FormulaCurve):
            continue
        at = f"drawing.elements.{i}"
        try:
            if element.form == "polar":
                angles = np.radians(nodes(values[f"{at}.first"], values[f"{at}.last"]))
                radius = np.array([values[f"{at}.radius@{k}"] for k in range(SAMPLES)])
                x, y = radius * np.cos(angles), radius * np.sin(angles)
            else:
                x, y = (
                    np.array([values[f"{at}.{axis}@{k}"] for k in range(SAMPLES)])
                    for axis in ("x", "y")
                )
            curves[element.name] = (
                ChebyshevCurve.through(x, y),
                math.radians(values[f"{at}.turn"]),
            )
        except KeyError:
            raise ValueError(f"the curve “{element.name}” has a formula without a value") from None
        except ValueError as error:
            raise ValueError(f"the curve “{element.name}” cannot be drawn: {error}") from None
    return curves


def say_drawing(drawing: Drawing) -> str:
    """What is in a drawing: ``drawing of 4 lines and 2 arcs, with 7 constraints``."""
    words = {"formula": "curve by formula", "spline": "smooth curve"}
    counts = Counter(
        words.get(e.kind, e.kind) for e in drawing.elements if e.kind != "point" and not e.helper
    )
    said = [f"{plain(count)} {kind}{'s' * (count != 1)}" for kind, count in counts.items()]
    of = " and ".join([", ".join(said[:-1]), said[-1]] if len(said) > 1 else said) or "points"
    rules = len(drawing.constraints)
    return f"drawing of {of}" + (f", with {rules} constraint{'s' * (rules != 1)}" if rules else "")
