"""Dimensions of the drawing on the desk, changed by hand."""

from __future__ import annotations

from ...core.sketch.drawing import Dimension
from ...core.words import say_name
from .desk import Desk
from .marks import ends_of


def give_formula(desk: Desk, name: str, formula: str) -> None:
    """Give a dimension another formula; what was read off is set from then on."""
    for rule in desk.settled_drawing().dimensions:
        if rule.name == name:
            changed = rule.model_copy(update={"formula": formula, "reads": False})
            _put(desk, changed, f"{say_name(name)} = {formula}")


def put_figure(desk: Desk, rule: Dimension, centre: tuple[float, float]) -> None:
    """Put the figure of a dimension somewhere else, its middle at (x, y) in mm."""
    ends = ends_of(desk, rule)
    if ends is None:
        return
    a, b, _ = ends
    base = b if rule.kind in ("radius", "diameter") else ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    away = (round(centre[0] - base[0], 3), round(centre[1] - base[1], 3))
    _put(desk, rule.model_copy(update={"label": away}), "move a figure")


def _put(desk: Desk, changed: Dimension, what: str) -> None:
    drawing = desk.settled_drawing()
    dimensions = tuple(changed if d.name == changed.name else d for d in drawing.dimensions)
    desk.put(drawing.model_copy(update={"dimensions": dimensions}), what)
