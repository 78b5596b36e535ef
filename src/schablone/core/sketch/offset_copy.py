"""A constrained copy of closed geometry at a distance: lines parallel, circles about one centre,
corners following."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

from .arrangement import arrange
from .curves import Curve, EllipticArc, Segment
from .diagnose import diagnose
from .drawing import Arc, Circle, ConstraintKind, Drawing, Line
from .formula_curve import ChebyshevCurve
from .offsetting import moved_outline
from .pen import Pen
from .system import System

Shapes = Mapping[str, tuple[ChebyshevCurve, float]]


def offset_copy(
    drawing: Drawing,
    curves: Mapping[str, Sequence[Curve]],
    names: Sequence[str],
    by: float,
    formula: str,
    shapes: Shapes | None = None,
) -> tuple[Drawing, list[str]]:
    """The drawing with a copy of chosen lines, arcs or a circle ``by`` mm outwards, or inwards
    where it is negative.

    ``formula`` is what each distance is given; it must be worth ``abs(by)``. Of the rules that keep
    the copy at its distance only those are added that say something new. ``shapes`` are those of
    the curves by formula in the drawing, with their turns. Returns also the names of the new
    curves.

    Raises:
        ValueError: where the chosen curves do not close, or some of them would vanish.
    """
    known = drawing.by_name
    chosen = [name for name in names if isinstance(known.get(name), (Line, Arc, Circle))]
    faces = arrange([curve for name in chosen for curve in curves[name]]).faces
    if len(faces) != 1 or not chosen:
        raise ValueError("choose lines and arcs that close, or one circle")
    if abs(by) < 1e-9:
        raise ValueError("the distance must not be 0")
    pen = Pen(drawing)
    made: dict[str, str] = {}
    only = known[chosen[0]]
    if len(chosen) == 1 and isinstance(only, Circle):
        if only.radius + by <= 0:
            raise ValueError(f"the circle is too small to be moved inwards by {abs(by):g} mm")
        made[only.name] = pen.circle(only.centre, only.radius + by)
        return _held(pen.drawing, made, chosen, formula, shapes or {}), list(made.values())
    moved = moved_outline(faces[0].outline, by)
    loop = moved[0].outer
    if len(moved) != 1 or moved[0].holes or sorted(c.name for c in loop.curves) != sorted(chosen):
        raise ValueError("an edge would vanish on the way; use a wall, which copes with that")
    corners = [pen.point(curve.start, helper=False) for curve in loop.curves]
    for k, curve in enumerate(loop.curves):
        start, end = corners[k], corners[(k + 1) % len(corners)]
        original = known[curve.name]
        if isinstance(curve, Segment):
            made[curve.name] = pen.line(start, end)
        elif isinstance(curve, EllipticArc) and isinstance(original, Arc):
            ends = (start, end) if curve.t1 > curve.t0 else (end, start)
            made[curve.name] = pen.arc(original.centre, *ends)
    order = [c.name for c in loop.curves]
    return _held(pen.drawing, made, order, formula, shapes or {}), list(made.values())


def _held(
    drawing: Drawing,
    made: Mapping[str, str],
    order: Sequence[str],
    formula: str,
    shapes: Shapes,
) -> Drawing:
    """Add what keeps the copy in place, rule by rule, each only if it takes a freedom away."""
    candidates: list[tuple[ConstraintKind | Literal["distance"], tuple[str, ...]]] = []
    for k, name in enumerate(order):
        before = order[k - 1]
        if len(order) > 1 and _smooth(drawing, made[before], made[name]):
            candidates.append(("tangent", (made[before], made[name])))
    candidates += [("distance", (new, old)) for old, new in made.items()]
    candidates += [
        ("parallel", (new, old)) for old, new in made.items() if drawing.by_name[old].kind == "line"
    ]
    freedoms = _freedoms(drawing, shapes)
    for kind, of in candidates:
        pen = Pen(drawing)
        if kind == "distance":
            pen.measure("distance", *of, formula=formula)
        else:
            pen.hold(kind, *of)
        left = _freedoms(pen.drawing, shapes)
        if left < freedoms:
            drawing, freedoms = pen.drawing, left
    return drawing


def _freedoms(drawing: Drawing, shapes: Shapes) -> int:
    system = System(drawing, shapes)
    return diagnose(system, system.start).freedoms


def _smooth(drawing: Drawing, first: str, second: str) -> bool:
    """Whether two neighbours of which one is round meet without a corner."""
    known = drawing.by_name
    a, b = known[first], known[second]
    if not isinstance(a, (Line, Arc)) or not isinstance(b, (Line, Arc)):
        return False
    if isinstance(a, Line) and isinstance(b, Line):
        return False
    shared = ({a.start, a.end} & {b.start, b.end}) or {""}
    point = next(iter(shared))
    if not point:
        return False
    pen = Pen(drawing)
    (ux, uy), (vx, vy) = pen.heading(first, point), pen.heading(second, point)
    return abs(ux * vy - uy * vx) < 1e-6
