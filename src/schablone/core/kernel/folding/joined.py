"""Two folded sheets that touch, as one: a sheet and its mirror image, or the sectors of a ring.

Both must unfold into one plane: somewhere a panel of the one goes on into a panel of the other.
From there the second is walked through, bend by bend, and what lies where the first has something
becomes one with it.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from ...sketch.combining import combined
from ...sketch.curves import Curve, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import Mapping2D
from ...sketch.regions import Region
from ...words import capital
from ..frame import Frame, dot
from ..naming import FaceName
from .cuts import hold_together
from .described import rooted, turned_over, with_curves_named
from .outline import JOINT, in_one_line, is_joint
from .parts import NEAR, CannotFold, faces_used
from .sheet import Bend, Folded, Mark, Panel

#: Two panels go on into each other where they have an edge of this length in common, mm, or more.
_SEAM = 1e-3
#: What names of curves of the second sheet begin with.
_OF_IMAGE = re.compile(r"i+\d+(b\d+r\d+)?_")


def joined_sheets(one: Folded, other: Folded) -> Folded:
    """Two sheets as one; where both have a panel or a bend, it keeps the names of the first.

    Raises:
        CannotFold: where they do not touch, or not so that one blank comes of them.
    """
    if abs(one.thickness - other.thickness) > NEAR:
        raise CannotFold("Sheets of different thickness cannot be one.")
    start = _where_they_meet(one, other)
    if start is None:
        raise CannotFold(
            "The sheet and its image do not go on into each other, so that no blank comes of both.",
            "Let a panel reach to the plane or the axis, or give the image a part of its own.",
            "plane",
        )
    joining = _Joining(one, *start)
    joining.panel(0, None)
    joined = Folded(one.frame, one.thickness, tuple(joining.panels), tuple(joining.bends))
    if len({len(one.panels), len(joined.panels)}) == 1 and _area(joined) <= _area(one) + NEAR:
        raise CannotFold("The image lies on the sheet itself; nothing comes of it.", "", "plane")
    if joined.overlaps and not one.overlaps:
        raise CannotFold(
            "On the blank the sheet and its image would lie on each other.",
            "Make them smaller, or give the image a part of its own.",
            "plane",
        )
    hold_together(joined, "A bend of the sheet and one of its image meet, and do not agree.", "")
    return joined


def _area(sheet: Folded) -> float:
    return math.fsum(region.area for region in sheet.blank_regions())


def _where_they_meet(one: Folded, other: Folded) -> tuple[Folded, int] | None:
    """The second sheet with its root where it meets the first, moved to where it lies on the first
    one's blank, and the number of the panel that it meets there."""
    for number, frame in enumerate(one.frames):
        for k, there in enumerate(other.frames):
            along = dot(frame.normal, there.normal)
            if abs(abs(along) - 1) > 1e-9:
                continue
            second = rooted(other, k)
            if along < 0:
                second = turned_over(second)
            u, v, w = frame.coordinates(second.frame.origin)
            if abs(w) > NEAR:
                continue
            x, y = second.frame.x, second.frame.y
            onto = Mapping2D(
                dot(x, frame.x), dot(y, frame.x), dot(x, frame.y), dot(y, frame.y), u, v
            )
            second = _on_blank(second, onto, frame)
            if _go_on(one.panels[number].region, second.panels[0].region):
                return second, number
    return None


def _go_on(a: Region, b: Region) -> bool:
    """Whether two regions overlap or have a piece of an edge in common."""
    first, second = (r.polygon(0.002) for r in (a, b))
    return bool(first.buffer(NEAR, join_style="mitre").intersection(second).area > _SEAM * NEAR)


def _on_blank(sheet: Folded, onto: Mapping2D, frame: Frame) -> Folded:
    """The sheet elsewhere on a blank, whose plane is that of a frame."""
    panels = tuple(panel.mapped(onto) for panel in sheet.panels)
    bends = tuple(
        replace(
            bend,
            at=onto.point(bend.at),
            out=onto.direction(bend.out),
            regions=tuple(region.mapped(onto) for region in bend.regions),
        )
        for bend in sheet.bends
    )
    return Folded(frame, sheet.thickness, panels, bends)


@dataclass
class _Joining:
    """A walk through the second sheet, from the panel ``at`` of the first on."""

    one: Folded
    second: Folded
    at: int
    panels: list[Panel] = field(default_factory=list)
    bends: list[Bend] = field(default_factory=list)
    prefix: str = "i"

    def __post_init__(self) -> None:
        self.panels, self.bends = list(self.one.panels), list(self.one.bends)
        # A sheet that has been joined before has curves that are called so already.
        used = [
            len(match[0]) - len(match[0].lstrip("i"))
            for region in self.one.blank_regions()
            for loop in region.loops
            for curve in loop.curves
            if (match := _OF_IMAGE.match(curve.name))
        ]
        self.prefix = "i" * (1 + max(used, default=0))

    def panel(self, k: int, on: int | None) -> None:
        """Join or add a panel of the second sheet, and what hangs on it; ``on`` is the number that
        the bend has now that it hangs on."""
        kids = [n for n, bend in enumerate(self.second.bends) if bend.parent == k]
        own = self._number_of(k, on)
        came_by = self.second.panels[k].bend
        numbers = {} if came_by is None or on is None else {came_by: on}
        twins = {n: self._twin(self.second.bends[n], own) for n in kids}
        free = len(self.bends)
        for n in kids:
            twin = twins[n]
            numbers[n] = free if twin is None else twin
            free += twin is None
        mine = self.second.panels[k]
        region, sides = self._fresh(mine.region, mine.sides, numbers, f"{self.prefix}{k}_")
        if own is None:
            own = len(self.panels)
            self.panels.append(replace(mine, region=region, sides=sides, bend=on))
        else:
            self._merge(own, region, sides, mine.marks)
        for n in kids:
            bend = self.second.bends[n]
            regions: list[Region] = []
            names: dict[str, FaceName] = {}
            for r, strip in enumerate(bend.regions):
                fresh, here = self._fresh(strip, bend.sides, numbers, f"{self.prefix}{k}b{n}r{r}_")
                regions.append(fresh)
                names |= here
            twin = twins[n]
            if twin is None:
                self.bends.append(
                    replace(
                        bend, regions=tuple(regions), sides=names, parent=own,
                        title=f"bend {len(self.bends) + 1}",
                    )
                )  # fmt: skip
                continue
            there = self.bends[twin]
            whole = combined(there.regions, "add", regions).regions
            known = {**there.sides, **names}
            level = [_level(strip, known) for strip in whole]
            kept = {c: s for strip in level for c, s in faces_used(strip, known).items()}
            self.bends[twin] = replace(there, regions=tuple(level), sides=kept)
        for n in kids:
            child = next(j for j, panel in enumerate(self.second.panels) if panel.bend == n)
            self.panel(child, numbers[n])

    def _number_of(self, k: int, on: int | None) -> int | None:
        """Which panel of the first sheet a panel of the second is one with."""
        if on is None:
            return self.at
        return next((j for j, panel in enumerate(self.one.panels) if panel.bend == on), None)

    def _twin(self, bend: Bend, parent: int | None) -> int | None:
        """The bend of the first sheet that a bend of the second is one with."""
        if parent is None:
            return None
        for number, there in enumerate(self.one.bends):
            if there.parent != parent or math.dist(there.out, bend.out) > 1e-7:
                continue
            v, _ = there.to_own().point(bend.at)
            alike = (
                abs(v) < NEAR
                and abs(there.angle - bend.angle) < 1e-9
                and abs(there.radius - bend.radius) < NEAR
                and abs(there.length - bend.length) < NEAR
            )
            if alike and any(_go_on(a, b) for a in there.regions for b in bend.regions):
                return number
        return None

    def _merge(
        self, own: int, region: Region, sides: Mapping[str, FaceName], marks: tuple[Mark, ...]
    ) -> None:
        there = self.panels[own]
        whole = combined([there.region], "add", [region]).regions
        if len(whole) != 1:
            raise CannotFold(
                f"{capital(there.title)} and its image only touch.",
                "Let them meet along an edge, or end apart.",
                "plane",
            )
        known = {**there.sides, **sides}
        level = _level(whole[0], known)
        self.panels[own] = replace(
            there,
            region=level,
            sides=faces_used(level, known),
            marks=(*there.marks, *marks),
        )

    def _fresh(
        self,
        region: Region,
        sides: Mapping[str, FaceName],
        numbers: Mapping[int, int],
        prefix: str,
    ) -> tuple[Region, dict[str, FaceName]]:
        """A region with names of curves that no other has, its joints numbered as they are now."""

        def fresh(name: str) -> str:
            if not is_joint(name):
                return prefix + name
            head, point, tail = name.partition(".")
            return f"{JOINT}{numbers[int(head[len(JOINT) : -1])]}{head[-1]}{point}{tail}"

        used = faces_used(region, sides)
        named = with_curves_named(region, fresh)
        return named, {prefix + name: face for name, face in used.items()}


def _level(region: Region, sides: Mapping[str, FaceName]) -> Region:
    """The region with lines that go straight on as one, where they are the same edge of the sheet
    and of its image, under the name of the first."""

    def told_by(name: str) -> tuple[str, ...]:
        if is_joint(name):
            return (name.partition(".")[0],)
        while name not in sides and "." in name:
            name = name.rpartition(".")[0]
        face = sides[name]
        return face.step, face.role, face.element

    def levelled(loop: Loop) -> Loop:
        curves = in_one_line(loop.curves, lambda a, b: told_by(a) == told_by(b))
        if curves == loop.curves:
            return loop
        # The first sheet's name, whichever of the two comes first on the way round.
        named = [_eldest(curve, loop.curves, told_by) for curve in curves]
        return Loop(curves, loop.name).renamed(named)

    return Region(levelled(region.outer), tuple(levelled(hole) for hole in region.holes))


def _eldest(curve: Curve, among: Sequence[Curve], told_by: Callable[[str], object]) -> str:
    """Of curves that became one line the name of that which the first sheet had."""
    if not isinstance(curve, Segment) or is_joint(curve.name):
        return curve.name
    mine = told_by(curve.name)
    parts = [
        c.name
        for c in among
        if isinstance(c, Segment)
        and not is_joint(c.name)
        and told_by(c.name) == mine
        and _lies_on(c, curve)
    ]
    return min(parts, key=lambda name: bool(_OF_IMAGE.match(name)), default=curve.name)


def _lies_on(part: Segment, whole: Segment) -> bool:
    (x0, y0), (x1, y1), long = whole.start, whole.end, whole.length
    ahead = (x1 - x0) / long, (y1 - y0) / long
    for x, y in (part.start, part.end):
        along = ahead[0] * (x - x0) + ahead[1] * (y - y0)
        beside = ahead[0] * (y - y0) - ahead[1] * (x - x0)
        if abs(beside) > NEAR or not -NEAR < along < long + NEAR:
            return False
    return True
