"""Constraints and dimensions in words."""

from __future__ import annotations

from ..quantity import ANGLE, LENGTH, Quantity, say
from ..words import say_name
from .drawing import X_AXIS, Y_AXIS, Constraint, Dimension, Drawing

_MEASURES = {
    "distance": "distance",
    "across": "distance across",
    "upright": "distance upright",
    "angle": "angle",
    "radius": "radius",
    "diameter": "diameter",
    "arc_length": "arc length",
}


def say_element(name: str) -> str:
    """An element as people say it."""
    return {X_AXIS: "the x axis", Y_AXIS: "the y axis", "origin": "the origin"}.get(
        name, say_name(name)
    )


def say_constraint(c: Constraint, drawing: Drawing | None = None) -> str:
    """``left side is vertical``; ``rim touches edge``."""
    names = [say_element(name) for name in c.of]
    first, rest = names[0], " and ".join(names[1:])
    match c.kind:
        case "coincident":
            return f"{' and '.join(names)} are one point"
        case "on":
            return f"{first} lies on {rest}"
        case "horizontal" | "vertical":
            level = "level" if c.kind == "horizontal" else "upright"
            return (
                f"{first} is {level}"
                if len(names) == 1
                else f"{' and '.join(names)} lie {level} with each other"
            )
        case "parallel":
            return f"{first} is parallel to {rest}"
        case "perpendicular":
            return f"{first} is square to {rest}"
        case "at_30" | "at_45" | "at_60":
            return f"{first} stands at {c.kind[3:]}° to {rest or 'the x axis'}"
        case "collinear":
            return f"{' and '.join(names)} lie in one line"
        case "concentric":
            return f"{' and '.join(names)} share their centre"
        case "tangent":
            return f"{first} is tangent to {rest}"
        case "equal":
            round_ = drawing is not None and getattr(drawing.element(c.of[0]), "kind", "") in (
                "circle",
                "arc",
            )
            return f"{' and '.join(names)} are equally {'wide' if round_ else 'long'}"
        case "symmetric":
            return f"{first} mirrors {names[1]} about {names[2]}"
        case "midpoint":
            return f"{first} is the middle of {rest}"
        case _:
            return f"{' and '.join(names)} stays where it is"


def say_dimension(d: Dimension) -> str:
    """What a dimension measures: ``distance from a to b``."""
    names = [say_element(name) for name in d.of]
    measure = _MEASURES[d.kind]
    if len(names) == 1:
        return f"{'length' if d.kind == 'distance' else measure} of {names[0]}"
    between = "between" if d.kind == "angle" else "from"
    joint = "and" if d.kind == "angle" else "to"
    return f"{measure} {between} {names[0]} {joint} {names[1]}"


def say_rule(drawing: Drawing, rule: Constraint | Dimension, value: float | None = None) -> str:
    """A constraint or a dimension with its value."""
    if isinstance(rule, Constraint):
        return say_constraint(rule, drawing)
    kind = ANGLE if rule.kind == "angle" else LENGTH
    shown = say(Quantity(value, kind)) if value is not None else rule.formula
    formula = f" ({rule.formula})" if value is not None and rule.formula.strip() != shown else ""
    return f"{say_dimension(rule)} is {shown}{formula}"
