"""What bent test strips say about a machine that folds: how long its bends are on the blank, how
far they spring back, and how sure that is.

Three small Bayesian linear models, each with one unknown figure and unknown noise, of which both
have a prior (normal and inverse gamma; see A. Gelman et al., Bayesian Data Analysis, 3rd edition,
2013, section 14.2): the k-factor, from what both legs are longer than the blank; the share by which
angles spring back; and how far the stop stands off, from the difference of the legs. What comes out
is Student's t, with more degrees of freedom the more strips there are.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .bending import deduction, set_back, usual_k
from .known import Bend, BendKnown
from .sure import holds_95

Floats = NDArray[np.float64]

#: Beforehand: the k-factor about the usual one, the share of an angle that springs back, the stop's
#: error in mm; each with its standard deviation.
_K, _SPRINGS, _STOP = 0.06, (0.02, 0.02), (0.0, 0.3)
#: The noise beforehand: of both legs together in mm, of an angle in degrees, of the stop in mm, and
#: how many strips that is worth.
_LEGS, _ANGLE, _PLACE, _WORTH = 0.025, 0.19, 0.04, 8.0
#: A bend is more curved in its middle than at its ends: the radius of an arc that would do the same
#: differs by such a share, standard deviation.
_BOWED = 0.15
#: A leg or an angle further from what was to come than this has slipped: mm, degrees.
_SLIPPED = (3.0, 12.0)


@dataclass(frozen=True, slots=True)
class StripReading:
    """What was measured on one strip: the length of its blank, its thickness, the angle that the
    machine was told, both legs from the outside, the angle that came, and the inside radius that
    its tool leaves; mm and degrees. ``material`` is what it is of."""

    blank: float
    thickness: float
    told: float
    first: float
    second: float
    angle: float
    radius: float
    material: str = ""

    def slipped(self) -> str:
        """What cannot be true of it, in words; nothing where nothing is."""
        radius = self.radius
        if self.thickness <= 0 or radius < 0 or self.blank <= 0 or not 1 <= self.told < 180:
            return "blank, thickness, radius and angle must be above zero"
        if abs(self.angle - self.told) > _SLIPPED[1]:
            return f"{self.angle:g}° is far from the {self.told:g}° that were told"
        usual = usual_k(radius, self.thickness)
        wanted = self.blank + deduction(self.angle, radius, self.thickness, usual)
        if abs(self.first + self.second - wanted) > _SLIPPED[0]:
            return (
                f"legs of {self.first:g} and {self.second:g} mm come of a blank of about "
                f"{self.blank + self.first + self.second - wanted:.1f} mm, not {self.blank:g}"
            )
        return ""


@dataclass(frozen=True, slots=True)
class Estimate:
    """A figure with its standard uncertainty, the noise of a single strip, and the degrees of
    freedom of both."""

    value: float
    unsure: float
    noise: float
    freedom: float

    @property
    def factor(self) -> float:
        """How many standard uncertainties hold 95 of 100."""
        return holds_95(self.freedom)


@dataclass(frozen=True, slots=True)
class BendCalibration:
    """What strips of one thickness say. ``residuals``: of both legs together, mm, and of the angle,
    degrees, strip by strip."""

    material: str
    thickness: float
    radius: float
    k: Estimate
    springs: Estimate
    stop: Estimate
    strips: tuple[StripReading, ...]
    residuals: tuple[tuple[float, float], ...]

    def bend(self, angle: float = 90.0, date: str = "") -> Bend:
        """The row of a chart, with how sure it is."""
        long = math.radians(angle) * self.thickness
        return Bend(
            material=self.material,
            thickness=round(self.thickness, 4),
            radius=self.radius,
            deduction=round(deduction(angle, self.radius, self.thickness, self.k.value), 4),
            angle=angle,
            springs_back=round(self.springs.value * angle, 3),
            known=BendKnown(
                date=date,
                strips=len(self.strips),
                deduction=round(long * self.k.unsure, 5),
                angle=round(self.springs.unsure * angle, 4),
                legs=round(self.k.noise, 5),
                place=round(self.stop.noise, 5),
                stop=round(self.stop.unsure, 5),
                turn=round(self.springs.noise, 4),
                freedom=self.k.freedom,
            ),
        )


#: Strips whose thicknesses differ by less than this share, and radii by less than that share of the
#: thickness, are of one sheet and tool.
_ONE_SHEET, _ONE_TOOL = 0.08, 0.1


def calibrated_by_sheet(strips: Sequence[StripReading]) -> list[BendCalibration]:
    """The figures of each material, sheet and tool among strips, from thin to thick.

    Raises:
        ValueError: where one cannot be true.
    """
    for number, strip in enumerate(strips, 1):
        if wrong := strip.slipped():
            raise ValueError(f"strip {number}: {wrong}")
    groups: list[list[StripReading]] = []
    for strip in sorted(strips, key=lambda strip: (strip.thickness, strip.radius)):
        for group in groups:
            first = group[0]
            near = abs(strip.thickness - first.thickness) <= _ONE_SHEET * first.thickness
            alike = near and strip.material == first.material
            if alike and abs(strip.radius - first.radius) <= _ONE_TOOL * first.thickness:
                group.append(strip)
                break
        else:
            groups.append([strip])
    return [calibrated(group) for group in groups]


def calibrated(strips: Sequence[StripReading]) -> BendCalibration:
    """The figures of strips of one material and thickness, bent with one tool.

    Raises:
        ValueError: where there are none, or one cannot be true.
    """
    if not strips:
        raise ValueError("no strip was measured")
    for number, strip in enumerate(strips, 1):
        if wrong := strip.slipped():
            raise ValueError(f"strip {number}: {wrong}")
    radius = strips[0].radius
    thick = float(np.mean([strip.thickness for strip in strips]))
    turn = np.radians([strip.angle for strip in strips])
    t = np.array([strip.thickness for strip in strips])
    # Both legs = blank + 2 set-backs − angle · (radius + k t): what is left is −angle · t · k.
    left = np.array(
        [
            s.first + s.second - s.blank - 2 * set_back(s.angle, radius + s.thickness)
            + math.radians(s.angle) * radius
            for s in strips
        ]
    )  # fmt: skip
    bowed = np.array([_BOWED * radius * _beside_a_right_angle(s.angle) for s in strips])
    k, off = _fitted(-turn * t, left, usual_k(radius, thick), _K, _LEGS, bowed)
    told = np.array([strip.told for strip in strips])
    angle = np.array([strip.angle for strip in strips])
    springs, turned = _fitted(told, told - angle, *_SPRINGS, _ANGLE)
    half = np.array([(strip.first - strip.second) / 2 for strip in strips])
    stop, _ = _fitted(np.ones(len(strips)), half, *_STOP, _PLACE)
    residuals = tuple(zip(off.tolist(), (-turned).tolist(), strict=True))
    material = strips[0].material
    return BendCalibration(material, thick, radius, k, springs, stop, tuple(strips), residuals)


def _beside_a_right_angle(angle: float) -> float:
    """By how much both legs are longer at an angle, in degrees, per millimetre of radius, if what a
    right angle takes is right: a bend that is no arc is one of another radius."""

    def longer(turn: float) -> float:
        return 2 * set_back(turn, 1.0) - math.radians(turn)

    return longer(angle) - longer(90.0) * angle / 90.0


def _fitted(
    slope: Floats,
    seen: Floats,
    mean: float,
    spread: float,
    noise: float,
    beside: Floats | None = None,
) -> tuple[Estimate, Floats]:
    """The figure that ``seen = slope · figure + noise`` gives, and what is left of each. ``beside``
    is the standard deviation of what acts on all of ``seen`` at once, by another cause."""
    known, asked = slope, seen
    if beside is not None:
        root = np.linalg.cholesky(np.eye(len(seen)) + np.outer(beside, beside) / noise**2)
        known, asked = np.linalg.solve(root, slope), np.linalg.solve(root, seen)
    prior = (noise / spread) ** 2  # how much the prior weighs, in units of the noise
    weight = prior + float(known @ known)
    value = (prior * mean + float(known @ asked)) / weight
    left = asked - known * value
    freedom = _WORTH + len(seen)
    squares = _WORTH * noise**2 + float(left @ left) + prior * (value - mean) ** 2
    scale = math.sqrt(squares / freedom)
    return Estimate(value, scale / math.sqrt(weight), scale, freedom), seen - slope * value
