"""Where the figures of a sketch stand on it: beside what they measure."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from ..kernel.frame import Vector
from ..sketch.curves import EllipticArc
from ..sketch.drawing import Dimension
from ..sketch.loops import Loop
from .workshop import Outlines


class HasLengths(Protocol):
    """A closed shape with fields for its lengths: name, label and what each measures."""

    @property
    def name(self) -> str: ...
    @property
    def kind(self) -> str: ...
    @property
    def fields(self) -> Sequence[tuple[str, str, str]]: ...


def bounds_of(drawing: Outlines) -> tuple[float, float, float, float]:
    """The box around all outlines of a sketch, on its sheet, mm."""
    boxes = [loop.bounds() for loop in drawing.loops.values()] + [
        Loop((curve,)).bounds() for curve in drawing.curves
    ]
    if not boxes:
        return 0.0, 0.0, 0.0, 0.0
    return (
        min(b[0] for b in boxes),
        min(b[1] for b in boxes),
        max(b[2] for b in boxes),
        max(b[3] for b in boxes),
    )


def spots_of_sketch(
    shapes: Sequence[HasLengths], dimensions: Sequence[Dimension], drawing: Outlines
) -> list[tuple[str, Vector]]:
    """Paths of the formulas of a sketch, each with a point in space, mm, beside what it
    measures."""
    spots: list[tuple[str, Vector]] = []
    for i, dimension in enumerate(dimensions):
        spot = _dimension(dimension, drawing)
        if spot is not None and not dimension.reads:
            spots.append((f"drawing.dimensions.{i}.formula", drawing.frame.at(*spot)))
    for i, shape in enumerate(shapes):
        loop = drawing.loops.get(shape.name)
        if loop is None:
            continue
        x0, y0, x1, y1 = loop.bounds()
        beside = {
            "width": ((x0 + x1) / 2, y0),
            "height": (x1, (y0 + y1) / 2),
            "diameter": (x1, (y0 + y1) / 2),
            "length": ((x0 + x1) / 2, y0),
        }
        if shape.kind == "slot":
            beside["width"] = (x1, (y0 + y1) / 2)
        for field, _, _ in shape.fields:
            if field in beside:
                spots.append((f"shapes.{i}.{field}", drawing.frame.at(*beside[field])))
    return spots


def _dimension(dimension: Dimension, drawing: Outlines) -> tuple[float, float] | None:
    spots = [
        _spot(name, drawing, edge=dimension.kind in ("radius", "diameter")) for name in dimension.of
    ]
    known = [spot for spot in spots if spot is not None]
    if not known:
        return None
    return sum(p[0] for p in known) / len(known), sum(p[1] for p in known) / len(known)


def _spot(name: str, drawing: Outlines, *, edge: bool) -> tuple[float, float] | None:
    if name == "origin":
        return 0.0, 0.0
    if name in drawing.places:
        return drawing.places[name]
    if name in drawing.lines:
        (ax, ay), (bx, by) = drawing.lines[name]
        return (ax + bx) / 2, (ay + by) / 2
    curve = next((c for c in drawing.curves if c.name == name), None)
    if isinstance(curve, EllipticArc):
        return (
            (curve.at((curve.t0 + curve.t1) / 2 if not curve.is_full else 0.0))
            if edge
            else curve.centre
        )
    return None
