"""Bends next to a panel that was trimmed: they go as far as the panel still does.

A flange that lies within its edge takes a strip off the panel it stands on, and with it an end of
whatever bend starts or ends there. That bend, and what hangs on it, is cut back to the same line,
as if both flanges had been made at once.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import replace

from ...sketch.combining import combined
from ...sketch.curves import Curve, Segment
from ...sketch.loops import Loop
from ...sketch.regions import Region
from ..naming import FaceName
from .outline import JOINT, is_joint
from .parts import FAR, NEAR, CannotFold, faces_used, one_region, polygon, ring_region, with_parts
from .sheet import Bend, Folded, Panel


def cut_back(folded: Folded, step: str, number: int) -> Folded:
    """The sheet with the bends at a panel cut back to what is left of it; ``step`` names the faces
    that come of it.

    Raises:
        CannotFold: where what hangs on a bend would come apart.
    """
    for k, bend in enumerate(folded.bends):
        if bend.parent == number:
            low, high = _ends(folded.panels[number].region, bend, f"{JOINT}{k}s")
            folded = _shortened(folded, step, k, (low, high), _beyond(folded, k))
    came_by = folded.panels[number].bend
    if came_by is not None:
        bend = folded.bends[came_by]
        ends = _ends(folded.panels[number].region, bend, f"{JOINT}{came_by}e")
        folded = _shortened(folded, step, came_by, ends, None)
        folded = _freed(folded, step, came_by, ends)
    return folded


def _ends(region: Region, bend: Bend, joint: str) -> tuple[float, float]:
    """From where to where along a bend a panel has its joint."""
    own = bend.to_own()
    spots = [
        own.point(p)[1]
        for loop in region.loops
        for curve in loop.curves
        if curve.name.partition(".")[0] == joint
        for p in (curve.start, curve.end)
    ]
    if not spots:
        raise CannotFold(
            f"Nothing would be left of the panel where {bend.title} stands.",
            "Let the flange lie beyond the edge, or make the panel larger.",
            "edges",
        )
    return min(spots), max(spots)


def _beyond(folded: Folded, bend: int) -> list[int]:
    """The bends that hang, through panels, on one."""
    panel = folded.hanging_on(bend)
    beyond = []
    for k, other in enumerate(folded.bends):
        if other.parent == panel:
            beyond += [k, *_beyond(folded, k)]
    return beyond


def _shortened(
    folded: Folded, step: str, number: int, ends: tuple[float, float], beyond: Sequence[int] | None
) -> Folded:
    """A bend cut off beyond both ends along it, and with it what hangs on it, bends ``beyond``
    included; None for the bend alone."""
    first = folded.bends[number]
    low, high = first.span()
    bands = [(low - FAR, ends[0])] * (ends[0] > low + NEAR)
    bands += [(ends[1], high + FAR)] * (ends[1] < high - NEAR)
    if not bands:
        return folded
    back = first.from_own()
    cutters = []
    for k, (a, b) in enumerate(bands):
        ring = polygon([(-NEAR, a), (FAR, a), (FAR, b), (-NEAR, b)], ["a", "b", "c", "d"])
        cutters.append(ring_region(step, f"b{number}x{k}", ring.mapped(back)))
    panels, strips = list(folded.panels), list(folded.bends)
    for k in (number, *(beyond or ())):
        bend = strips[k]
        regions = combined(bend.regions, "cut", cutters).regions
        if not regions:
            raise CannotFold(
                f"Nothing would be left of {bend.title}.", "Make the flange shorter.", "edges"
            )
        sides: dict[str, FaceName] = {}
        for region in regions:
            sides |= faces_used(region, {**bend.sides, **_raised(region, bend.sides, step)})
        strips[k] = replace(bend, regions=regions, sides=sides)
        if beyond is not None:
            panel = folded.hanging_on(k)
            panels[panel] = _panel_without(panels[panel], cutters, step)
    return with_parts(folded, panels, strips)


def _panel_without(panel: Panel, cutters: Sequence[Region], step: str) -> Panel:
    region = one_region(combined([panel.region], "cut", cutters).regions, panel.title, "edges")
    known = {**panel.sides, **_raised(region, panel.sides, step)}
    return replace(panel, region=region, sides=faces_used(region, known))


def _raised(region: Region, known: Mapping[str, FaceName], step: str) -> dict[str, FaceName]:
    """The faces that a cut leaves: where one end is gone, the new one is called as that was, so
    that what stands on it goes on doing so."""
    new, left = [], set()
    for loop in region.loops:
        for curve in loop.curves:
            name = curve.name
            while name not in known and "." in name:
                name = name.rpartition(".")[0]
            if name in known:
                left.add(name)
            elif not is_joint(name):
                new.append(curve.name)
    gone = [known[name] for name in known if name not in left]
    face = gone[0] if len(gone) == 1 else FaceName(step, "cut_back")
    return dict.fromkeys(new, face)


def _freed(folded: Folded, step: str, number: int, ends: tuple[float, float]) -> Folded:
    """The panel that a bend starts at, its joint no longer than the bend now is: the rest of that
    edge is free."""
    bend = folded.bends[number]
    panel = folded.panels[bend.parent]
    own, back = bend.to_own(), bend.from_own()
    sides = dict(panel.sides)
    loops = []
    for loop in panel.region.loops:
        curves: list[Curve] = []
        for curve in loop.curves:
            if curve.name.partition(".")[0] != f"{JOINT}{number}s":
                curves.append(curve)
                continue
            assert isinstance(curve, Segment)
            s0, s1 = own.point(curve.start)[1], own.point(curve.end)[1]
            if min(s0, s1) > ends[0] - NEAR and max(s0, s1) < ends[1] + NEAR:
                curves.append(curve)
                continue
            low, high = (
                next((s for s in (s0, s1) if abs(s - end) < NEAR), end)
                for end in (max(min(s0, s1), ends[0]), min(max(s0, s1), ends[1]))
            )
            stops = sorted({s0, s1, low, high}, reverse=s1 < s0)
            for a, b in itertools.pairwise(stops):
                middle = (a + b) / 2
                name = curve.name if low < middle < high else f"{step}_free{len(curves)}"
                if name != curve.name:
                    sides[name] = FaceName(step, "freed")
                p = curve.start if a == s0 else back.point((0.0, a))
                q = curve.end if b == s1 else back.point((0.0, b))
                curves.append(Segment(p, q, name))
        loops.append(Loop(tuple(curves), loop.name))
    region = Region(loops[0], tuple(loops[1:]))
    panels = list(folded.panels)
    panels[bend.parent] = replace(panel, region=region, sides=sides)
    return with_parts(folded, panels, folded.bends)
