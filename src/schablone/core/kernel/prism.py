"""Prisms: regions of a plane raised between two heights, as plain numbers.

Most workshop parts are one prism with holes through it. Such a body never needs the boolean
operations of the geometry kernel: a hole goes straight into the outline, and volume, area, bounds
and mesh follow from it in time linear in the number of holes. :func:`bore` decides when that is so.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from ..layers import layered
from ..sketch.curves import Segment
from ..sketch.loops import Loop
from ..sketch.mapping import Mapping2D
from ..sketch.offsetting import moved_all_round
from ..sketch.regions import Region, clear_of_each_other
from .frame import Frame, Vector, add, as_vector, dot
from .motion import Motion
from .naming import FaceName

#: Lengths that differ by less than this, in mm, are the same height.
SAME = 1e-7


@dataclass(frozen=True, slots=True)
class Prism:
    """One region from height ``low`` to ``high`` above a plane, with the names of its faces.

    ``sides`` names the side faces by the name of the curve that raised them. They stand upright, or
    lean into the material by so much that at ``high`` they lie ``inset`` mm within the region, as a
    tapering cut leaves them.
    """

    frame: Frame
    region: Region
    low: float
    high: float
    start: FaceName
    end: FaceName
    sides: Mapping[str, FaceName]
    inset: float = 0.0

    @property
    def height(self) -> float:
        """mm."""
        return self.high - self.low

    def _levels(self) -> tuple[tuple[Region, ...], ...]:
        """The regions below, halfway up and above where its sides lean."""
        return (
            (self.region,),
            *(moved_all_round(self.region, -self.inset * share) for share in (0.5, 1.0)),
        )

    @property
    def volume(self) -> float:
        """mm³."""
        if self.inset:  # areas go with the square of the height, for which Simpson's rule is exact
            low, middle, high = (
                math.fsum(region.area for region in level) for level in self._levels()
            )
            return self.height * (low + 4 * middle + high) / 6
        return self.region.area * self.height

    @property
    def area(self) -> float:
        """Surface in mm²: both ends and all sides."""
        ends = (
            [(self.region,), (self.region,)]
            if not self.inset
            else [self._levels()[0], self._levels()[2]]
        )
        around = [math.fsum(loop.length for region in end for loop in region.loops) for end in ends]
        level = math.fsum(region.area for end in ends for region in end)
        return level + sum(around) / 2 * math.hypot(self.height, self.inset)

    def bounds(self) -> tuple[Vector, Vector]:
        """Corners of the box along the axes, mm. Exact where the plane is along the axes."""
        frame = self.frame
        x, y, normal = frame.x, frame.y, frame.normal
        if all(abs(abs(c) - 1) <= 1e-12 or abs(c) <= 1e-12 for c in (*x, *y)):
            u0, v0, u1, v1 = self.region.outer.bounds()
            ends = ((x, u0, u1), (y, v0, v1), (normal, self.low, self.high))
            low = high = frame.origin
            for (a, b, c), first, last in ends:
                x0, x1, y0, y1, z0, z1 = (
                    a * first,
                    a * last,
                    b * first,
                    b * last,
                    c * first,
                    c * last,
                )
                low = add(low, (min(x0, x1), min(y0, y1), min(z0, z1)))
                high = add(high, (max(x0, x1), max(y0, y1), max(z0, z1)))
            return low, high
        outline = self.region.outer.points(0.001)
        corners = [frame.at(u, v, w) for u, v in outline.tolist() for w in (self.low, self.high)]
        low = as_vector(min(corner[i] for corner in corners) for i in range(3))
        high = as_vector(max(corner[i] for corner in corners) for i in range(3))
        return low, high

    def centre(self) -> Vector:
        """The centre of mass, mm."""
        if not self.inset:
            u, v = self.region.centroid()
            return self.frame.at(u, v, (self.low + self.high) / 2)
        weighed = [
            (share * region.area, *region.centroid(), height)
            for share, height, level in zip(
                (1, 4, 1),
                (self.low, (self.low + self.high) / 2, self.high),
                self._levels(),
                strict=True,
            )
            for region in level
        ]
        whole = math.fsum(w for w, *_ in weighed)
        return self.frame.at(*(math.fsum(w * c[i] for w, *c in weighed) / whole for i in range(3)))

    def moved(self, by: Vector) -> Prism:
        """The same elsewhere, by mm."""
        return replace(self, frame=self.frame.moved(by))

    def placed(self, motion: Motion) -> Prism:
        """The prism moved, turned or mirrored."""
        frame = motion.frame(self.frame)
        if not motion.mirrors:
            return replace(self, frame=frame)
        return replace(self, frame=frame, region=self.region.mapped(Mapping2D(d=-1.0)))

    def of_member(self, number: int) -> Prism:
        """The same prism with the names of a member of a row."""
        return replace(
            self,
            start=self.start.of_member(number),
            end=self.end.of_member(number),
            sides={key: name.of_member(number) for key, name in self.sides.items()},
        )

    def stretched(self, factors: Vector) -> Prism:
        """The prism in a space stretched along its axes by factors, circles becoming ellipses where
        they must."""
        if factors == (1.0, 1.0, 1.0):
            return self
        frame, fx, fy, fz = self.frame.stretched(factors)
        region = self.region.mapped(Mapping2D(a=fx, d=fy))
        return replace(self, frame=frame, region=region, low=self.low * fz, high=self.high * fz)

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return {self.start, self.end, *self.sides.values()}

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of the flat faces: ends keep the plane's axes; sides have x along the line from
        its middle and y along the height."""
        frames = {
            self.end: self.frame.lifted(self.high),
            self.start: self.frame.lifted(self.low).turned_over(),
        }
        normal = self.frame.normal
        for loop, sign in ((self.region.outer, 1.0), *((hole, -1.0) for hole in self.region.holes)):
            for curve in loop.curves:
                if isinstance(curve, Segment) and not self.inset:
                    (ax, ay), (bx, by) = curve.start, curve.end
                    length = math.dist(curve.start, curve.end) * sign
                    along = self.frame.at((bx - ax) / length, (by - ay) / length)
                    x = add(along, self.frame.origin, -1.0)
                    middle = self.frame.at((ax + bx) / 2, (ay + by) / 2, self.low)
                    frames[self.sides[curve.name]] = Frame(middle, x, normal)
        return frames


def moved_prism(prism: Prism, by: float) -> list[Prism]:
    """The prism with its outline and its holes moved out of the material by ``by`` mm, corners
    sharp; maybe in pieces.

    Raises:
        ValueError: where an outline closes up.
    """
    return [
        replace(prism, region=region, sides=_sides_of(region, prism.sides))
        for region in moved_all_round(prism.region, by)
    ]


def _sides_of(region: Region, sides: Mapping[str, FaceName]) -> Mapping[str, FaceName]:
    """Names of the sides of a moved region: a curve that came apart is told from its other pieces
    by a number after a dot."""
    names = dict(sides)
    for name in (
        curve.name for loop in region.loops for curve in loop.curves if curve.name not in sides
    ):
        whole = name.rpartition(".")[0]
        names[name] = sides.get(whole) or FaceName("outline", "side", name)
    return names


def in_frame(tool: Prism, frame: Frame) -> Prism | None:
    """The tool with its outline expressed in another frame of the same direction, or None."""
    along = dot(tool.frame.normal, frame.normal)
    if abs(abs(along) - 1) > 1e-12:
        return None
    u0, v0, w0 = frame.coordinates(tool.frame.origin)
    x, y = tool.frame.x, tool.frame.y
    mapping = Mapping2D(dot(x, frame.x), dot(y, frame.x), dot(x, frame.y), dot(y, frame.y), u0, v0)
    try:
        region = tool.region.mapped(mapping)
    except ValueError:
        return None
    heights = sorted((w0 + along * tool.low, w0 + along * tool.high))
    return replace(tool, frame=frame, region=region, low=heights[0], high=heights[1])


def bore(body: Prism, tools: Sequence[Prism | None]) -> Prism | None:
    """Cut tools that go right through into the outline of a prism, or None where that is not the
    case. The tools are given in the prism's own frame (:func:`in_frame`).

    Done where every tool runs along the prism over its whole height, and its outline lies strictly
    inside the prism's and apart from every other. Takes O(n log n) for n tools.
    """
    holes: list[Loop] = []
    sides: dict[str, FaceName] = {}
    if body.inset:
        return None
    first = next_number(body.region)
    for number, placed in enumerate(tools, start=first):
        if placed is None or placed.region.holes or placed.inset:
            return None
        if placed.low > body.low + SAME or placed.high < body.high - SAME:
            return None
        # Curves of different holes may bear one name; the number of the hole tells them apart.
        names = [f"{number}~{curve.name}" for curve in placed.region.outer.curves]
        for name, curve in zip(names, placed.region.outer.curves, strict=True):
            sides[name] = placed.sides[curve.name]
        holes.append(placed.region.outer.renamed(names))
    if not clear_of_each_other(body.region, holes):
        return None
    region = body.region.with_holes(holes)
    region._kept["number"] = first + len(holes)
    return replace(body, region=region, sides=layered(body.sides).with_more(sides))


def next_number(region: Region) -> int:
    """A number that no hole of a region has before its curves' names, nor any that is greater.
    Holes that were joined leave gaps, so that their count says nothing."""
    if "number" not in region._kept:
        heads = (curve.name.partition("~") for loop in region.loops for curve in loop.curves)
        taken = (int(head) for head, mark, _ in heads if mark and head.isdecimal())
        region._kept["number"] = 1 + max(taken, default=-1)
    number: int = region._kept["number"]
    return number
