"""A machine that folds: sheets that are not as thick as they are called, a stop that stands a
little off, a bend that is no arc of a circle, and steel that springs back.

It takes the drawing of blanks with their bend lines, and bends strips with one bend each. The bend
is laid step by step along the fibre that keeps its length, with more curvature in its middle than
at its ends; what a gauge finds on it afterwards is worked out from that line.
"""

from __future__ import annotations

import io
import math
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from shapely import polygonize
from shapely.geometry import LineString, Point, Polygon

from ..problem import Problem, SchabloneError

if TYPE_CHECKING:
    import ezdxf

#: Steps along a bend.
_STEPS = 600
_LABEL = re.compile(r"^\s*(\d+):\s*(up|down)\s*([\d.]+)\s*°?\s*$")


@dataclass(frozen=True, slots=True)
class FlatStrip:
    """A blank with one bend, as it is drawn: how far its middle line is from both edges, mm, and by
    how many degrees it is bent."""

    first: float
    second: float
    angle: float

    @property
    def length(self) -> float:
        """Its whole length, mm."""
        return self.first + self.second


@dataclass(frozen=True, slots=True)
class BentStrip:
    """A strip as it comes off: both legs, from their tips to the corner that the outer faces would
    meet in, mm (beyond a right angle to the outermost point of the bend), the angle in degrees, and
    the true thickness, mm."""

    first: float
    second: float
    angle: float
    thickness: float


@dataclass(frozen=True, slots=True)
class FoldingMachine:
    """A machine with its tool. ``die`` is how wide its die is, in thicknesses; ``off`` by how much
    its stop stands off, ``scatter`` of it from bend to bend, mm; ``gives`` how far its beam gives
    way, in degrees at a right angle; ``uneven`` the scatter of angles, degrees; ``yields`` the
    yield of the sheet in thousandths of its stiffness; ``thinned`` how much of the way to the inner
    fibres the one that keeps its length moves; ``peaked`` how much more the bend is curved in its
    middle; ``rolled`` how far a sheet's thickness is off, mm."""

    die: float
    off: float
    scatter: float
    gives: float
    uneven: float
    yields: float
    thinned: float
    peaked: float
    rolled: float

    @classmethod
    def of(cls, seed: int) -> FoldingMachine:
        """One of the many."""
        pick = np.random.default_rng([seed, 51]).uniform
        return cls(
            die=pick(7.0, 9.5),
            off=pick(-0.25, 0.25),
            scatter=pick(0.02, 0.06),
            gives=pick(-0.3, 0.8),
            uneven=pick(0.1, 0.25),
            yields=pick(1.0, 3.0),
            thinned=pick(0.6, 1.1),
            peaked=pick(0.0, 0.35),
            rolled=pick(0.003, 0.012),
        )

    def inside_radius(self, thickness: float) -> float:
        """The radius that its tool leaves in air, mm: about a sixth of the die."""
        return 0.16 * self.die * thickness

    def bend(
        self, strip: FlatStrip, thickness: float, told: float, seed: int, stop: float = 0.0
    ) -> BentStrip:
        """Bend a strip of a nominal thickness, mm, the machine being told an angle; ``stop`` is by
        how much the stop was set beyond what it shows."""
        chance = np.random.default_rng([seed, 52])
        t = thickness + float(chance.normal(0, self.rolled))
        radius = self.inside_radius(t)
        # What is bent elastically comes back: 1 − 3x + 4x³ of the angle stays (Gardiner 1957).
        x = (radius + t / 2) / t * self.yields / 1000
        angle = told * (1 - 3 * x + 4 * x**3) - self.gives * told / 90
        angle += float(chance.normal(0, self.uneven))
        moved = self.off + stop + float(chance.normal(0, self.scatter))
        # The fibre that keeps its length lies at √(ri ro) in a rigid sheet (Hill 1950).
        neutral = math.sqrt(radius * (radius + t)) - radius
        neutral = t / 2 + (neutral - t / 2) * self.thinned
        first, second = _legs(
            strip.first + moved, strip.second - moved, math.radians(angle), radius, t, neutral,
            self.peaked,
        )  # fmt: skip
        return BentStrip(first, second, angle, t)


def _legs(
    before: float,
    beyond: float,
    angle: float,
    radius: float,
    t: float,
    neutral: float,
    peaked: float,
) -> tuple[float, float]:
    """Both legs of a strip: the line of the fibre that keeps its length is laid step by step, and
    its outer faces are brought to meet."""
    long = angle * (radius + neutral)
    s = (np.arange(_STEPS) + 0.5) / _STEPS
    turned = np.cumsum((1 - peaked * np.cos(2 * np.pi * s)) * angle / _STEPS)
    turned -= (1 - peaked * np.cos(2 * np.pi * s)) * angle / _STEPS / 2
    end = np.array([np.cos(turned).sum(), np.sin(turned).sum()]) * long / _STEPS
    outside = t - neutral
    # The first leg runs along x and ends at 0; outside is below.
    ahead = np.array([math.cos(angle), math.sin(angle)])
    out = np.array([math.sin(angle), -math.cos(angle)])
    corner = end + out * outside
    tip = before - long / 2, beyond - long / 2
    if angle <= math.pi / 2:
        along = (-outside - corner[1]) / ahead[1]
        meet = corner + ahead * along
        return tip[0] + float(meet[0]), tip[1] - float(along)
    # Beyond a right angle: to the outermost point, square to each leg.
    path = np.cumsum(np.stack([np.cos(turned), np.sin(turned)], 1), axis=0) * long / _STEPS
    face = path + np.stack([np.sin(turned), -np.cos(turned)], 1) * outside
    far_first = float(face[:, 0].max())
    far_second = float(((end - face) @ ahead).max())
    return tip[0] + far_first, tip[1] + far_second


@dataclass(frozen=True, slots=True)
class Gauge:
    """A height gauge, a protractor and a micrometer in a hand: last digits and scatter, mm and
    degrees."""

    leg: float = 0.01
    feel: float = 0.02
    angle: float = 0.05
    turn: float = 0.08
    thickness: float = 0.005

    def read(self, bent: BentStrip, times: int, seed: int) -> list[tuple[float, float, float]]:
        """Legs and angle, each so many times."""
        chance = np.random.default_rng([seed, 53])

        def shown(true: float, scatter: float, digit: float) -> float:
            return round(round((true + float(chance.normal(0, scatter))) / digit) * digit, 4)

        return [
            (
                shown(bent.first, self.feel, self.leg),
                shown(bent.second, self.feel, self.leg),
                shown(bent.angle, self.turn, self.angle),
            )
            for _ in range(times)
        ]

    def thick(self, bent: BentStrip, seed: int) -> float:
        """The thickness, mm."""
        chance = np.random.default_rng([seed, 54])
        raw = bent.thickness + float(chance.normal(0, 0.003))
        return round(round(raw / self.thickness) * self.thickness, 4)


def strips_of_file(data: bytes) -> list[FlatStrip]:
    """The strips with one bend each in a DXF, from left to right.

    Raises:
        SchabloneError: where the file is none, or a bend line lies in no outline.
    """
    import ezdxf  # here, since only what is bent pays for loading it

    try:
        space = ezdxf.read(io.StringIO(data.decode("utf8"))).modelspace()
    except (ezdxf.DXFError, UnicodeDecodeError, ValueError) as error:
        raise SchabloneError(
            Problem(area="file", what=f"The machine cannot read this drawing: {error}.")
        ) from None
    lines = [
        LineString([one.dxf.start.vec2, one.dxf.end.vec2])
        for one in space.query('LINE[layer=="OUTSIDE"]')
    ]
    sheets = [shape for shape in polygonize(lines).geoms if isinstance(shape, Polygon)]
    strips = [(x, strip) for x, strip in _strips(space, sheets)]
    if not strips:
        raise SchabloneError(
            Problem(
                area="file",
                what="There is no bend line in this drawing.",
                hint="Send the blanks of folded parts.",
            )
        )
    return [strip for _, strip in sorted(strips, key=lambda one: one[0])]


def _strips(
    space: ezdxf.layouts.Modelspace, sheets: list[Polygon]
) -> Iterator[tuple[float, FlatStrip]]:
    labels = [
        (Point(one.dxf.insert.vec2), float(match[3]))
        for one in space.query("TEXT")
        if (match := _LABEL.match(one.dxf.text))
    ]
    for layer in ("BEND_UP", "BEND_DOWN"):
        for line in space.query(f'LINE[layer=="{layer}"]'):
            a, b = np.array(line.dxf.start.vec2), np.array(line.dxf.end.vec2)
            middle = (a + b) / 2
            sheet = next((one for one in sheets if one.contains(Point(middle))), None)
            if sheet is None or not labels:
                raise SchabloneError(
                    Problem(
                        area="file",
                        what="A bend line lies in no blank, or its angle is not said.",
                        hint="Export the drawing again.",
                    )
                )
            along = (b - a) / np.linalg.norm(b - a)
            across = np.array([-along[1], along[0]])
            reach = (np.array(sheet.exterior.coords) - middle) @ across
            _, angle = min(labels, key=lambda label: label[0].distance(Point(a)))
            yield float(middle[0]), FlatStrip(float(-reach.min()), float(reach.max()), angle)
