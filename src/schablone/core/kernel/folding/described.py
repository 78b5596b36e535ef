"""The same folded sheet, described otherwise: with another panel as the one that stays, or seen
from its other side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from ...sketch.mapping import Mapping2D
from ...sketch.regions import Region
from .outline import JOINT, is_joint
from .sheet import Folded, Mark


def rooted(sheet: Folded, root: int) -> Folded:
    """The same sheet with another of its panels as the one that stays."""
    way: list[int] = []  # the bends from that panel back to the one that stayed
    at = root
    while (bend := sheet.panels[at].bend) is not None:
        way.append(bend)
        at = sheet.bends[bend].parent
    hangs = {k: panel.bend for k, panel in enumerate(sheet.panels)}
    bends = list(sheet.bends)
    panel = root
    hangs[root] = None
    # What lies on the blank stays there: the frames move with the panel that is the root now.
    for number in way:
        old = bends[number]
        parent = old.parent
        end = old.from_own().point((old.length, 0.0))
        out = (-old.out[0], -old.out[1])
        bends[number] = replace(
            old, at=end, out=out, parent=panel, regions=tuple(_swapped(old.regions, number))
        )
        hangs[parent] = number
        panel = parent
    order, left = [root], [k for k in range(len(sheet.panels)) if k != root]
    while left:
        ready = [k for k in left if bends[_sure(hangs[k])].parent in order]
        order += ready
        left = [k for k in left if k not in ready]
    new = {old: k for k, old in enumerate(order)}
    turned = set(way)
    panels = tuple(
        replace(
            sheet.panels[k],
            bend=hangs[k],
            region=_joints_swapped(sheet.panels[k].region, turned),
        )
        for k in order
    )
    return Folded(
        sheet.frames[root],
        sheet.thickness,
        panels,
        tuple(replace(b, parent=new[b.parent]) for b in bends),
    )


def _sure(number: int | None) -> int:
    assert number is not None
    return number


def _swapped(regions: tuple[Region, ...], number: int) -> list[Region]:
    return [_joints_swapped(region, {number}) for region in regions]


def _joints_swapped(region: Region, bends: set[int]) -> Region:
    """The region with starts and ends of some bends named the other way round."""

    def swapped(name: str) -> str:
        head, point, tail = name.partition(".")
        if not is_joint(name) or int(head[len(JOINT) : -1]) not in bends:
            return name
        return f"{head[:-1]}{'s' if head[-1] == 'e' else 'e'}{point}{tail}"

    return with_curves_named(region, swapped)


def turned_over(sheet: Folded) -> Folded:
    """The same sheet described from its other side: upper is lower, and all angles turn round."""
    over = Mapping2D(d=-1.0)
    panels = tuple(
        replace(
            panel.mapped(over),
            lower=panel.upper,
            upper=panel.lower,
            marks=tuple(Mark(m.curve.mapped(over), not m.below) for m in panel.marks),
        )
        for panel in sheet.panels
    )
    bends = tuple(
        replace(
            bend,
            at=over.point(bend.at),
            out=over.direction(bend.out),
            angle=-bend.angle,
            regions=tuple(region.mapped(over) for region in bend.regions),
        )
        for bend in sheet.bends
    )
    frame = sheet.frame.lifted(sheet.thickness).turned_over()
    return Folded(frame, sheet.thickness, panels, bends)


def with_curves_named(region: Region, of: Callable[[str], str]) -> Region:
    """The region with other names of its curves."""
    loops = [loop.renamed([of(curve.name) for curve in loop.curves]) for loop in region.loops]
    return Region(loops[0], tuple(loops[1:]))
