"""A folded sheet: flat panels joined by bends, kept as they lie on the blank.

Everything is drawn in one plane, that of the blank: the regions of panels, and of the strips that
become bends. The folded part, the blank, and all between follow from it by motions alone, so that
they cannot disagree. A strip becomes part of two cylinders: lines across it stay straight, lines
around it become arcs.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from ...sketch.curves import Curve, Segment
from ...sketch.mapping import XY, Mapping2D
from ...sketch.regions import Region
from ..frame import Frame, Vector, as_vector
from ..motion import Motion
from ..naming import FaceName
from ..prism import Prism
from .outline import JOINT, is_joint, put_together, trouble_of


@dataclass(frozen=True, slots=True)
class Mark:
    """A line that is engraved on the blank; ``below``: on the lower face."""

    curve: Curve
    below: bool = False


@dataclass(frozen=True, slots=True)
class Panel:
    """A flat area: its region on the blank, and the names of its faces. ``bend`` is the number of
    the bend that it hangs on; None for the one that stays. ``marks`` are engraved on its upper
    face, or on the lower one where they are ``below``: curves on the blank."""

    region: Region
    lower: FaceName
    upper: FaceName
    sides: Mapping[str, FaceName]
    bend: int | None = None
    title: str = ""
    marks: tuple[Mark, ...] = ()

    def mapped(self, m: Mapping2D) -> Panel:
        """The panel elsewhere on the blank."""
        marks = tuple(replace(mark, curve=mark.curve.mapped(m)) for mark in self.marks)
        return replace(self, region=self.region.mapped(m), marks=marks)


@dataclass(frozen=True, slots=True)
class Bend:
    """A strip of the blank that becomes round.

    It starts at a line through ``at``, and goes ``length`` mm in the direction ``out``, of length
    1. ``angle`` is in degrees, above zero towards the upper face; ``radius`` that of its inside,
    mm. ``regions`` are what is left of the strip. ``parent`` is the number of the panel that it
    starts at; what hangs on it is turned.
    """

    at: XY
    out: XY
    angle: float
    radius: float
    length: float
    regions: tuple[Region, ...]
    sides: Mapping[str, FaceName]
    parent: int
    inside: FaceName
    outside: FaceName
    title: str = ""

    @property
    def along(self) -> XY:
        """The direction of the bend line, of length 1."""
        return (-self.out[1], self.out[0])

    @property
    def lower(self) -> FaceName:
        """The name of the face that lies below on the blank."""
        return self.outside if self.angle > 0 else self.inside

    @property
    def upper(self) -> FaceName:
        """The name of the face that lies above on the blank."""
        return self.inside if self.angle > 0 else self.outside

    def to_own(self) -> Mapping2D:
        """From the blank to the bend's own coordinates: how far beyond its start, and how far
        along."""
        (ox, oy), (lx, ly) = self.out, self.along
        x, y = self.at
        return Mapping2D(ox, oy, lx, ly, -(ox * x + oy * y), -(lx * x + ly * y))

    def from_own(self) -> Mapping2D:
        """The other way."""
        return Mapping2D(self.out[0], self.along[0], self.out[1], self.along[1], *self.at)

    @property
    def area(self) -> float:
        """Its area on the blank, mm²."""
        return math.fsum(region.area for region in self.regions)

    def span(self) -> tuple[float, float]:
        """From where to where it goes along its line, in its own coordinates."""
        boxes = [region.outer.mapped(self.to_own()).bounds() for region in self.regions]
        return min(box[1] for box in boxes), max(box[3] for box in boxes)

    def foot(self) -> list[tuple[float, float]]:
        """From where to where along its line, mm, it starts from its panel, cuts left out."""
        own, spans = self.to_own(), []
        for region in self.regions:
            for loop in region.loops:
                for curve in loop.curves:
                    (v, a), (w, b) = own.point(curve.start), own.point(curve.end)
                    if is_joint(curve.name) and abs(v) < 1e-6 and abs(w) < 1e-6:
                        spans.append((min(a, b), max(a, b)))
        return sorted(spans)

    def is_plain(self) -> bool:
        """Whether it is one whole rectangle."""
        if len(self.regions) != 1 or self.regions[0].holes:
            return False
        curves = self.regions[0].outer.curves
        low, high = self.span()
        return all(isinstance(curve, Segment) for curve in curves) and (
            abs(self.area - self.length * (high - low)) < 1e-9
        )


@dataclass(frozen=True, slots=True)
class Turned:
    """A bend as it is at some share of its angle: the angle in radians, signed, and its inside
    radius, mm; flat, where there is no angle yet."""

    angle: float
    radius: float

    @classmethod
    def of(cls, bend: Bend, share: float) -> Turned:
        """On the way the line that keeps its length keeps it: the radius is larger before."""
        whole = math.radians(abs(bend.angle))
        if share * whole < 1e-9:
            return cls(0.0, math.inf)
        radius = bend.length / (share * whole) - (bend.length / whole - bend.radius)
        return cls(math.copysign(share * whole, bend.angle), radius)

    def place(self, bend: Bend, thickness: float, v: float, w: float) -> tuple[float, float]:
        """Where the point ``v`` mm beyond the start of a bend on the blank, ``w`` above its lower
        face, comes to: how far beyond, and how high."""
        if not self.angle:
            return v, w
        turn, way = abs(self.angle), math.copysign(1.0, self.angle)
        at, beyond = min(max(v / bend.length, 0.0), 1.0) * turn, max(v - bend.length, 0.0)
        from_axis = self.radius + (thickness - w if way > 0 else w)
        over = from_axis * math.sin(at) + beyond * math.cos(at)
        up = self.radius - from_axis * math.cos(at) + beyond * math.sin(at)
        return over, thickness + up if way > 0 else -up

    def frame(self, before: Frame, bend: Bend, thickness: float) -> Frame:
        """The frame in which what lies beyond a bend on the blank stands, from that of what lies
        before it."""
        if not self.angle:
            return before
        c, s = math.cos(self.angle), math.sin(self.angle)
        (ox, oy), (lx, ly) = bend.out, bend.along
        n = before.normal
        out = as_vector(before.x[i] * ox + before.y[i] * oy for i in range(3))
        along = as_vector(before.x[i] * lx + before.y[i] * ly for i in range(3))
        turned = as_vector(out[i] * c + n[i] * s for i in range(3))
        x = as_vector(turned[i] * ox + along[i] * lx for i in range(3))
        y = as_vector(turned[i] * oy + along[i] * ly for i in range(3))
        end = (bend.at[0] + ox * bend.length, bend.at[1] + oy * bend.length)
        over, up = self.place(bend, thickness, bend.length, 0.0)
        at = before.at(bend.at[0] + ox * over, bend.at[1] + oy * over, up)
        origin = as_vector(at[i] - x[i] * end[0] - y[i] * end[1] for i in range(3))
        return Frame(origin, x, y)


@dataclass(frozen=True, eq=False)
class Folded:
    """Panels joined by bends as a tree; the first panel stays where it is. ``frame`` places the
    blank's plane at the lower face of that panel."""

    frame: Frame
    thickness: float
    panels: tuple[Panel, ...]
    bends: tuple[Bend, ...] = ()

    # Where things are

    def placed(self, shares: Sequence[float] | float = 1.0) -> list[Frame]:
        """For each panel the frame in which its region stands; ``shares`` says how far each bend is
        bent, from 0 for flat to 1."""
        shares = [shares] * len(self.bends) if isinstance(shares, int | float) else shares
        frames: list[Frame] = []
        for panel in self.panels:  # each comes after the one that it hangs on
            if panel.bend is None:
                frames.append(self.frame)
                continue
            bend = self.bends[panel.bend]
            turned = Turned.of(bend, shares[panel.bend])
            frames.append(turned.frame(frames[bend.parent], bend, self.thickness))
        return frames

    @cached_property
    def frames(self) -> list[Frame]:
        """The same with all bends bent."""
        return self.placed()

    def prism(self, number: int, frame: Frame | None = None) -> Prism:
        """A panel as a prism."""
        panel = self.panels[number]
        return Prism(
            frame or self.frames[number],
            panel.region,
            0.0,
            self.thickness,
            panel.lower,
            panel.upper,
            panel.sides,
        )

    def prisms(self) -> list[Prism]:
        """All panels as prisms."""
        return [self.prism(k) for k in range(len(self.panels))]

    def marks(self, *, flat: bool = False) -> list[list[Vector]]:
        """The marks as lines in space, mm; ``flat``: on the blank."""
        marks = []
        frames = [self.frame] * len(self.panels) if flat else self.frames
        for panel, frame in zip(self.panels, frames, strict=True):
            for mark in panel.marks:
                height = 0.0 if mark.below else self.thickness
                points = [*mark.curve.points(0.02), mark.curve.end]
                marks.append([frame.at(x, y, height) for x, y in points])
        return marks

    def hanging_on(self, bend: int) -> int:
        """The number of the panel that hangs on a bend."""
        return next(k for k, panel in enumerate(self.panels) if panel.bend == bend)

    def face_frames(self) -> dict[FaceName, Frame]:
        """Frames of the flat faces by name. On a panel that hangs on a bend the origin is the
        middle of where the bend ends, y away from it."""
        frames: dict[FaceName, Frame] = {}
        for number, panel in enumerate(self.panels):
            mine = self._walls(number)
            if panel.bend is not None:
                bend, frame = self.bends[panel.bend], self.frames[number]
                middle = sum(bend.span()) / 2
                x, y = bend.from_own().point((bend.length, middle))
                out = as_vector(
                    frame.x[i] * bend.out[0] + frame.y[i] * bend.out[1] for i in range(3)
                )
                along = as_vector(
                    frame.x[i] * bend.along[0] + frame.y[i] * bend.along[1] for i in range(3)
                )
                back = as_vector(-c for c in along)
                mine[panel.upper] = Frame(frame.at(x, y, self.thickness), back, out)
                mine[panel.lower] = Frame(frame.at(x, y), along, out)
            frames = mine | frames
        return frames

    def _walls(self, number: int) -> dict[FaceName, Frame]:
        prism = self.prism(number)
        named = replace(
            prism,
            sides={
                curve.name: prism.sides.get(curve.name, FaceName("", JOINT))
                for loop in prism.region.loops
                for curve in loop.curves
            },
        )
        walls = named.frames()
        walls.pop(FaceName("", JOINT), None)
        return walls

    def names(self) -> set[FaceName]:
        """The names of all faces."""
        names: set[FaceName] = set()
        for panel in self.panels:
            names |= {panel.lower, panel.upper, *panel.sides.values()}
        for bend in self.bends:
            names |= {bend.inside, bend.outside, *bend.sides.values()}
        return names

    # What it comes to

    def volume(self) -> float:
        """mm³, in closed form: a bend keeps the share of its ring that its strip has of the whole
        turn."""
        t = self.thickness
        panels = math.fsum(panel.region.area * t for panel in self.panels)
        return panels + math.fsum(
            bend.area / bend.length * math.radians(abs(bend.angle)) * t * (bend.radius + t / 2)
            for bend in self.bends
        )

    def blank_regions(self) -> list[Region]:
        """What the blank consists of: panels and the strips of bends."""
        return [
            *(panel.region for panel in self.panels),
            *(region for bend in self.bends for region in bend.regions),
        ]

    @cached_property
    def overlaps(self) -> list[tuple[str, str, float]]:
        """Panels and bends that lie on each other on the blank, with how much, mm²."""
        named = [
            *((panel.title, panel.region) for panel in self.panels),
            *((bend.title, region) for bend in self.bends for region in bend.regions),
        ]
        shapes = [
            (
                title,
                region.polygon(0.002),
            )
            for title, region in named
        ]
        overlaps = []
        for k, (title, shape) in enumerate(shapes):
            for other, there in shapes[:k]:
                common = shape.intersection(there).area if shape.intersects(there) else 0.0
                if common > 1e-3:
                    overlaps.append((other, title, common))
        return overlaps

    @cached_property
    def blank(self) -> Prism:
        """The flat piece that it is folded from, where it lies before it is folded.

        Raises:
            ValueError: where the blank would overlap itself, or its outline lie on itself.
        """
        if self.overlaps:
            one, other, much = self.overlaps[0]
            raise ValueError(f"on the blank {one} and {other} lie on each other, {much:.4g} mm²")
        region, sides = put_together(
            [
                *((panel.region, panel.sides) for panel in self.panels),
                *((region, bend.sides) for bend in self.bends for region in bend.regions),
            ]
        )
        if trouble := trouble_of(region):
            raise ValueError(f"its outline would {trouble}")
        root = self.panels[0]
        return Prism(self.frame, region, 0.0, self.thickness, root.lower, root.upper, sides)

    # Other places

    def moved(self, motion: Motion) -> Folded:
        """The same moved, turned or mirrored."""
        frame = motion.frame(self.frame)
        if not motion.mirrors:
            return Folded(frame, self.thickness, self.panels, self.bends)
        # The image of the frame has y turned round: all on the blank is mirrored with it.
        over = Mapping2D(d=-1.0)
        panels = tuple(panel.mapped(over) for panel in self.panels)
        bends = tuple(
            replace(
                b,
                regions=tuple(region.mapped(over) for region in b.regions),
                at=over.point(b.at),
                out=over.direction(b.out),
            )
            for b in self.bends
        )
        return Folded(frame, self.thickness, panels, bends)

    def renamed(self, of: Callable[[FaceName], FaceName]) -> Folded:
        """The same with other names of its faces."""

        def sides(mine: Mapping[str, FaceName]) -> dict[str, FaceName]:
            return {curve: of(name) for curve, name in mine.items()}

        panels = tuple(
            replace(p, lower=of(p.lower), upper=of(p.upper), sides=sides(p.sides))
            for p in self.panels
        )
        bends = tuple(
            replace(b, inside=of(b.inside), outside=of(b.outside), sides=sides(b.sides))
            for b in self.bends
        )
        return Folded(self.frame, self.thickness, panels, bends)


#: What is all but flat is taken as bent by this share, so that nothing is divided by nothing.
_ALL_BUT_FLAT = 0.002


def half_bent(folded: Folded, share: float) -> Folded:
    """The sheet on its way, with all bends bent by a share from 0 to 1."""
    at = min(1.0, max(_ALL_BUT_FLAT, share))
    bends = tuple(
        replace(bend, angle=bend.angle * at, radius=Turned.of(bend, at).radius)
        for bend in folded.bends
    )
    return Folded(folded.frame, folded.thickness, folded.panels, bends)
