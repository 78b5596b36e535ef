"""How long a bend is on the blank: allowance, deduction, set-back and k-factor, in closed form.

Angles are those by which a leg is turned out of the plane, in degrees: 0 is flat, 90 a right angle,
180 folded back. Lengths are mm. ``k`` says where in the thickness the sheet keeps its length,
counted from the inside of the bend: 0.5 is its middle.

- allowance = angle · (radius + k · thickness), the length of the line that keeps its length;
- outside set-back = (radius + thickness) · tan(angle / 2): from where the bend starts to the corner
  that the outer faces would meet in. Beyond 90° that corner runs away, and legs are measured to the
  outermost point of the bend, radius + thickness from its start, as the trade does;
- deduction = 2 · outside set-back − allowance: both legs measured outside, less what is taken off.

Sources: DIN 6935:2011-10 (cold bending, with its factor for the neutral line, of which k is half);
Machinery's Handbook, "Sheet metal bending", for allowance and deduction.
"""

from __future__ import annotations

import math

#: k is never looked for beyond this: the neutral line lies within the sheet.
_LEAST_K, _MOST_K = 0.0, 0.5


def allowance(angle: float, radius: float, thickness: float, k: float) -> float:
    """The length of a bend on the blank, mm, by its angle in degrees and its inside radius."""
    return math.radians(abs(angle)) * (radius + k * thickness)


def set_back(angle: float, radius: float) -> float:
    """From the start of a bend to the corner that faces at ``radius`` from its centre would meet
    in, mm; beyond 90° to the outermost point of that face."""
    turn = abs(angle)
    return radius * (math.tan(math.radians(turn) / 2) if turn <= 90 else 1.0)


def deduction(angle: float, radius: float, thickness: float, k: float) -> float:
    """By how much the blank is shorter than both legs, measured outside, mm."""
    return 2 * set_back(angle, radius + thickness) - allowance(angle, radius, thickness, k)


def k_of_deduction(angle: float, radius: float, thickness: float, taken: float) -> float:
    """The k-factor of a bend, by an angle in degrees with an inside radius in a thickness, both mm,
    of which the deduction ``taken``, mm, is known; may lie outside of the sheet where the figures
    do not belong together.

    Raises:
        ValueError: for an angle of 0, of which nothing can be told.
    """
    turn = math.radians(abs(angle))
    if turn < 1e-9:
        raise ValueError("a bend of 0° tells nothing about its deduction")
    length = 2 * set_back(angle, radius + thickness) - taken
    return (length / turn - radius) / thickness


def usual_k(radius: float, thickness: float) -> float:
    """The k-factor of steel that nobody has measured, by the inside radius and the thickness in mm
    (DIN 6935): half of 0.65 + lg(r/t) / 2, within the sheet."""
    if radius <= 0:
        return 0.25
    return min(_MOST_K, max(0.2, (0.65 + math.log10(radius / thickness) / 2) / 2))
