"""What a sketch's drawing has of formulas, and the drawing settled with their values."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping
from functools import lru_cache

import numpy as np

from ..formula.sampling import SAMPLES, nodes
from ..quantity import ANGLE, LENGTH, plain
from ..sketch.drawing import Drawing, FormulaCurve
from ..sketch.formula_curve import Shape
from ..sketch.settled import Settled, settle
from .base import Slot


def drawing_slots(drawing: Drawing) -> list[Slot]:
    """All formulas of a drawing: its dimensions and its curves by formula."""
    found = []
    for i, element in enumerate(drawing.elements):
        if isinstance(element, FormulaCurve):
            at, name = f"drawing.elements.{i}", element.name
            ends = (f"{at}.first", f"{at}.last")
            # Along x and y anything may be run over; around the origin it is an angle.
            kind = ANGLE if element.form == "polar" else None
            found += [
                Slot(ends[0], element.first, f"first {element.parameter} of {name}", kind),
                Slot(ends[1], element.last, f"last {element.parameter} of {name}", kind),
            ]
            found.append(Slot(f"{at}.turn", element.turn, f"turn of {name}", ANGLE))
            fields = ("radius",) if element.form == "polar" else ("x", "y")
            over = (element.parameter, *ends)
            found += [Slot(f"{at}.{f}", getattr(element, f), f"{f} of {name}", LENGTH, over=over) for f in fields]
    for i, dimension in enumerate(drawing.dimensions):
        if not dimension.reads:
            kind = ANGLE if dimension.kind == "angle" else LENGTH
            path = f"drawing.dimensions.{i}.formula"
            found.append(Slot(path, dimension.formula, dimension.name.replace("_", " "), kind))
    return found


def settled_drawing(drawing: Drawing, values: Mapping[str, float]) -> Settled:
    """The drawing made to hold with the values of its slots, by path; what was asked last is kept.

    Raises:
        NotSettled: where its constraints cannot hold together.
        ValueError: where a curve by formula is no curve.
    """
    paths = [slot.path for slot in drawing_slots(drawing)]
    wanted = tuple((path, v) for path, v in values.items() if path.split("@")[0] in paths)
    return _settled(drawing, wanted)


@lru_cache(maxsize=64)
def _settled(drawing: Drawing, wanted: tuple[tuple[str, float], ...]) -> Settled:
    values = dict(wanted)
    numbers = {
        d.name: values[path]
        for i, d in enumerate(drawing.dimensions)
        if (path := f"drawing.dimensions.{i}.formula") in values
    }
    return settle(drawing, numbers, formula_shapes(drawing, values))


def formula_shapes(drawing: Drawing, values: Mapping[str, float]) -> dict[str, tuple[Shape, float]]:
    """Each curve by formula as a shape, with its turn in radians.

    Raises:
        ValueError: says which curve, and why it is none.
    """
    found = {}
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
                x, y = (np.array([values[f"{at}.{axis}@{k}"] for k in range(SAMPLES)]) for axis in ("x", "y"))
            found[element.name] = (Shape.through(x, y), math.radians(values[f"{at}.turn"]))
        except KeyError:
            raise ValueError(f"the curve “{element.name}” has a formula without a value") from None
        except ValueError as error:
            raise ValueError(f"the curve “{element.name}” cannot be drawn: {error}") from None
    return found


def say_drawing(drawing: Drawing) -> str:
    """What is in a drawing: ``drawing of 4 lines and 2 arcs, with 7 constraints``."""
    words = {"formula": "curve by formula", "spline": "smooth curve"}
    counts = Counter(words.get(e.kind, e.kind) for e in drawing.elements if e.kind != "point" and not e.helper)
    said = [f"{plain(count)} {kind}{'s' * (count != 1)}" for kind, count in counts.items()]
    of = " and ".join([", ".join(said[:-1]), said[-1]] if len(said) > 1 else said) or "points"
    rules = len(drawing.constraints)
    return f"drawing of {of}" + (f", with {rules} constraint{'s' * (rules != 1)}" if rules else "")
