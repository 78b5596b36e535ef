"""What functions of the formula language do to plain numbers: exact where the exact answer is a
simple number, and in words where there is none."""

from __future__ import annotations

import math
from collections.abc import Callable

from . import fitting


def _trig(
    table: dict[float, float], function: Callable[[float], float]
) -> Callable[[float], float]:
    """A function of degrees that is exact where the exact answer is a simple number."""

    def run(degrees: float) -> float:
        reduced = math.fmod(degrees, 360.0)
        exact = table.get(reduced + 360.0 if reduced < 0 else reduced)
        return function(math.radians(reduced)) if exact is None else exact

    return run


sin_degrees = _trig(
    {0: 0, 30: 0.5, 90: 1, 150: 0.5, 180: 0, 210: -0.5, 270: -1, 330: -0.5}, math.sin
)
cos_degrees = _trig(
    {0: 1, 60: 0.5, 90: 0, 120: -0.5, 180: -1, 240: -0.5, 270: 0, 300: 0.5}, math.cos
)


def tan_degrees(degrees: float) -> float:
    """The tangent of an angle in degrees.

    Raises:
        ValueError: at right angles.
    """
    if cos_degrees(degrees) == 0:
        raise ValueError("the tangent of a right angle has no value")
    exact = {0.0: 0.0, 45.0: 1.0, 135.0: -1.0}.get(math.fmod(degrees, 180.0) % 180.0)
    return math.tan(math.radians(degrees)) if exact is None else exact


def arc(function: Callable[[float], float], table: dict[float, float]) -> Callable[[float], float]:
    """The inverse of one, in degrees; it raises ValueError where no angle belongs to a number."""

    def run(x: float) -> float:
        if x in table:
            return table[x]
        try:
            return math.degrees(function(x))
        except ValueError:
            raise ValueError(f"there is no angle for {x:g}: it must lie from −1 to 1") from None

    return run


def to_step(whole: Callable[[float], float]) -> Callable[..., float]:
    """A way to round, to whole steps of any size above zero, and ValueError for others."""

    def run(x: float, step: float = 1.0) -> float:
        if step <= 0:
            raise ValueError("the step must be above zero")
        return whole(x / step) * step

    return run


def round_half(x: float) -> float:
    """Half away from zero, as on paper."""
    return math.copysign(fitting.floor(abs(x) + 0.5), x)


def trunc(x: float) -> float:
    """The whole number next to zero."""
    return math.copysign(fitting.floor(abs(x)), x)


def clamp(x: float, low: float, high: float) -> float:
    """The nearest that lies within; ValueError where nothing does."""
    if low > high:
        raise ValueError("the lower limit is above the upper one")
    return min(max(x, low), high)


def sqrt(x: float) -> float:
    """ValueError below zero."""
    if x < 0:
        raise ValueError("there is no square root of a negative number")
    return math.sqrt(x)


def ln(x: float) -> float:
    """The natural logarithm; ValueError at zero and below."""
    if x <= 0:
        raise ValueError("only a number above zero has a logarithm")
    return math.log(x)


def mod(x: float, step: float) -> float:
    """What is left of whole steps, with the sign of the step; what only rounding leaves is 0.

    Raises:
        ValueError: for a step of 0.
    """
    if step == 0:
        raise ValueError("nothing can be divided by zero")
    rest = x - fitting.floor(x / step) * step
    return 0.0 if abs(rest) <= fitting.TOLERANCE * max(abs(x), abs(step)) else rest
