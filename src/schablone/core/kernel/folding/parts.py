"""What flanges, bends along a line and cuts have in common: turns, reliefs, outlines with names."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from ...sketch.curves import EllipticArc, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import XY, Mapping2D
from ...sketch.regions import Region
from ...words import capital
from ..figures import CannotBe
from ..naming import FaceName
from ..prism import Prism
from .outline import is_joint
from .sheet import Bend, Folded, Panel

#: Places on the blank that lie nearer to each other than this are one, mm.
NEAR = 1e-6
#: How far a cut goes that goes beyond everything, mm.
FAR = 1e5
#: How much wider than the beam that cuts it a torn relief is, mm.
TORN = 0.05
#: How wide it is parted beside the end of a bend that nothing frees, mm.
PARTED = 0.005

ReliefForm = Literal["none", "square", "round", "torn"]


class CannotFold(CannotBe):
    """A sheet that cannot be folded so: what is wrong, and what to do."""


@dataclass(frozen=True, slots=True)
class Turn:
    """A bend as it is to be made: its angle in degrees, above zero towards the upper face, its
    inside radius and its length on the blank, mm."""

    angle: float
    radius: float
    length: float


@dataclass(frozen=True, slots=True)
class Relief:
    """How the ends of a bend are freed: width of the notch, and how far it goes beyond where the
    bend starts, mm. One that is torn is as wide as one cut; so is what parts a fold from the sheet
    beside it where nothing is freed."""

    form: ReliefForm = "none"
    width: float = 0.0
    depth: float = 0.0


@dataclass(frozen=True, slots=True)
class Line:
    """Where a bend starts: a point, and the direction away from the sheet that stays."""

    at: XY
    out: XY

    def to_own(self) -> Mapping2D:
        """What brings the blank to where the line lies on the y axis."""
        (ox, oy), (x, y) = self.out, self.at
        return Mapping2D(ox, oy, -oy, ox, -(ox * x + oy * y), -(-oy * x + ox * y))

    def from_own(self) -> Mapping2D:
        """The way back."""
        (ox, oy), (x, y) = self.out, self.at
        return Mapping2D(ox, -oy, oy, ox, x, y)


def with_parts(folded: Folded, panels: Sequence[Panel], bends: Sequence[Bend]) -> Folded:
    """The same sheet with other panels and bends."""
    return Folded(folded.frame, folded.thickness, tuple(panels), tuple(bends))


def notch(low: float, high: float, deep: float, form: ReliefForm) -> Loop:
    """A notch in a line's own coordinates, from the line inwards, its end round where it is so."""
    half = (high - low) / 2
    if form != "round" or deep <= half:
        return polygon([(-deep, low), (0.0, low), (0.0, high), (-deep, high)], ["a", "b", "c", "d"])
    v, middle = -(deep - half), (low + high) / 2
    return Loop(
        (
            Segment((v, low), (0.0, low), "a"),
            Segment((0.0, low), (0.0, high), "b"),
            Segment((0.0, high), (v, high), "c"),
            EllipticArc((v, middle), half, half, math.pi / 2, 3 * math.pi / 2, "d"),
        )
    )


def polygon(ring: Sequence[XY], names: Sequence[str]) -> Loop:
    """A closed outline of straight lines, mm; names by the line that starts at each corner."""
    return Loop(
        tuple(
            Segment(p, ring[(k + 1) % len(ring)], name)
            for k, (p, name) in enumerate(zip(ring, names, strict=True))
        )
    )


def ring_region(step: str, prefix: str, ring: Sequence[XY] | Loop) -> Region:
    """The region within a ring, its curves named by the step."""
    loop = ring if isinstance(ring, Loop) else polygon(ring, [f"{k}" for k in range(len(ring))])
    return Region(named_ring(loop, f"{step}_{prefix}"))


def named_ring(loop: Loop, prefix: str) -> Loop:
    """A loop whose curves are numbered after a prefix."""
    return loop.renamed([f"{prefix}_{k}" for k in range(len(loop.curves))])


def faces_used(region: Region, sides: Mapping[str, FaceName]) -> dict[str, FaceName]:
    """The faces of the curves that a region has, pieces of curves after their whole."""
    faces = {}
    for loop in region.loops:
        for curve in loop.curves:
            if not is_joint(curve.name):
                name = curve.name
                while name not in sides and "." in name:
                    name = name.rpartition(".")[0]
                faces[curve.name] = sides[name]
    return faces


def one_region(regions: Sequence[Region], title: str, where: str = "") -> Region:
    """The only region of several.

    Raises:
        CannotFold: where there is none, or more than one.
    """
    if not regions:
        raise CannotFold(f"Nothing would be left of {title or 'the sheet'}.", "", where)
    if len(regions) > 1:
        raise CannotFold(
            f"{capital(title or 'the sheet')} would come apart into {len(regions)} pieces.",
            "Cut less of it.",
            where,
        )
    return regions[0]


def way_of(edge: Segment) -> XY:
    """The direction of an edge, of length 1."""
    return (
        (edge.end[0] - edge.start[0]) / edge.length,
        (edge.end[1] - edge.start[1]) / edge.length,
    )


def sheet(prism: Prism, title: str) -> Folded:
    """A flat sheet of one panel."""
    panel = Panel(prism.region, prism.start, prism.end, prism.sides, None, title)
    return Folded(prism.frame.lifted(prism.low), prism.height, (panel,))
