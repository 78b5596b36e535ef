"""Tools of other steps put to a folded sheet: what goes straight through a panel is cut from it on
the blank; what would make it something else than a sheet is refused, in words."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

import numpy as np
from manifold3d import CrossSection, Manifold

from ...sketch.combining import combined
from ..figures import NoEffect
from ..frame import Vector, cross
from ..mesh import mesh_of_prism
from ..prism import SAME, Prism, in_frame
from ..second import manifold_of
from ..tools import Tool
from .cuts import cut_panels, hold_together
from .figures import box_of_bend
from .parts import CannotFold, faces_used, named_ring, one_region, with_parts
from .sheet import Folded

#: The least and the most of x, y and z.
Box = tuple[Vector, Vector]
#: What two solids may have in common and still lie beside each other, mm³: chords.
_BESIDE = 1e-3
#: Into how many pieces a bend is divided for a look at what it meets.
_PIECES = 16


def with_tools(
    folded: Folded, operation: Literal["add", "cut", "common"], tools: Sequence[Tool]
) -> tuple[Folded, list[bool]]:
    """The sheet after an operation, and which of the tools took part.

    Raises:
        CannotFold: where it would be no sheet any more, with what to do instead.
        NoEffect: where a cut meets nothing.
    """
    prisms = [tool for tool in tools if isinstance(tool, Prism) and not tool.inset]
    if operation == "common":
        raise CannotFold(
            "A folded sheet cannot be kept in part.", "Cut away what is not wanted instead."
        )
    if operation == "add":
        if len(prisms) < len(tools):
            raise _no_sheet()
        return _added(folded, prisms), [True] * len(tools)
    for tool in tools:
        if not isinstance(tool, Prism) or tool.inset:
            raise CannotFold(
                "This is no cut straight through a sheet.",
                "Cut with straight sides, square to a panel and right through it.",
            )
    panels = [(prism, prism.bounds()) for prism in folded.prisms()]
    bends = [box_of_bend(folded, number) for number in range(len(folded.bends))]
    for tool in prisms:
        _goes_clear(folded, tool, panels, bends)
    cut, met = cut_panels(folded, prisms)
    if not any(met):
        raise NoEffect("it meets no material")
    return cut, met


def _no_sheet() -> CannotFold:
    return CannotFold(
        "What this adds cannot come from the blank of a folded sheet.",
        "Add it to another part, or as a panel: by a flange, or level with the sheet and as thick.",
    )


def _added(folded: Folded, tools: Sequence[Prism]) -> Folded:
    """The sheet with plates added to its panels that lie level with them and are as thick."""
    panels = list(folded.panels)
    for k, tool in enumerate(tools):
        for number, panel in enumerate(panels):
            placed = in_frame(tool, folded.frames[number])
            if (
                placed is None
                or abs(placed.low) > SAME
                or abs(placed.high - folded.thickness) > SAME
            ):
                continue
            ring = named_ring(placed.region.outer, f"{tool.end.step}_a{k}")
            grown = combined([panel.region], "add", [replace(placed.region, outer=ring)]).regions
            if len(grown) != 1:
                continue
            sides = {
                **panel.sides,
                **placed.sides,
                **{
                    new.name: placed.sides[old.name]
                    for new, old in zip(ring.curves, placed.region.outer.curves, strict=True)
                },
            }
            region = one_region(grown, panel.title)
            panels[number] = replace(panel, region=region, sides=faces_used(region, sides))
            break
        else:
            raise _no_sheet()
    after = with_parts(folded, panels, folded.bends)
    hold_together(after)
    return after


def _goes_clear(
    folded: Folded,
    tool: Prism,
    panels: Sequence[tuple[Prism, Box]],
    boxes: Sequence[Box],
) -> None:
    """Refuse a tool that cuts into a bend, or into a panel that it does not stand square to.
    ``panels`` are those of the sheet with the boxes around them, ``boxes`` those around its
    bends."""
    box = tool.bounds()
    solid: Manifold | None = None
    for panel, (prism, there) in zip(folded.panels, panels, strict=True):
        if not _near(box, there) or in_frame(tool, prism.frame) is not None:
            continue
        solid = solid or manifold_of(mesh_of_prism(tool))
        if _in_common(solid, manifold_of(mesh_of_prism(whole(prism)))):
            raise CannotFold(
                f"This cut runs into {panel.title}, which it does not stand square to.",
                "Let it end before, or draw it on that panel.",
            )
    for number, bend in enumerate(folded.bends):
        if not _near(box, boxes[number]):
            continue
        solid = solid or manifold_of(mesh_of_prism(tool))
        if _in_common(solid, _round(folded, number)):
            raise CannotFold(
                f"This cut runs into {bend.title}.",
                "Keep clear of it, or use the step “Cut in the blank”, which goes across bends.",
            )


def whole(prism: Prism) -> Prism:
    """The prism with a name for every side, joints too."""
    sides = {
        curve.name: prism.sides.get(curve.name, prism.start)
        for loop in prism.region.loops
        for curve in loop.curves
    }
    return replace(prism, sides=sides)


def _near(a: Box, b: Box) -> bool:
    return all(a[0][i] < b[1][i] - SAME and b[0][i] < a[1][i] - SAME for i in range(3))


def _in_common(one: Manifold | None, other: Manifold | None) -> bool:
    return one is not None and other is not None and (one ^ other).volume() > _BESIDE


def _round(folded: Folded, number: int) -> Manifold:
    """A bend over its whole span as a solid of the other library."""
    bend, t = folded.bends[number], folded.thickness
    turn = math.radians(abs(bend.angle))
    steps = [turn * k / _PIECES for k in range(_PIECES + 1)]
    ring = [(bend.radius * math.sin(a), -bend.radius * math.cos(a)) for a in reversed(steps)]
    big = bend.radius + t
    ring += [(big * math.sin(a), -big * math.cos(a)) for a in steps]
    low, high = bend.span()
    made = Manifold.extrude(CrossSection([np.array(ring[::-1])]), high - low)
    if made.is_empty():
        made = Manifold.extrude(CrossSection([np.array(ring)]), high - low)
    frame = folded.frames[bend.parent]
    up = 1.0 if bend.angle > 0 else -1.0
    out = [frame.x[i] * bend.out[0] + frame.y[i] * bend.out[1] for i in range(3)]
    normal = [up * c for c in frame.normal]
    along = cross((out[0], out[1], out[2]), (normal[0], normal[1], normal[2]))
    way = [frame.x[i] * bend.along[0] + frame.y[i] * bend.along[1] for i in range(3)]
    same = sum(a * b for a, b in zip(along, way, strict=True)) > 0
    start = low if same else high
    height = t + bend.radius if up > 0 else -bend.radius
    centre = frame.at(
        bend.at[0] + bend.along[0] * start, bend.at[1] + bend.along[1] * start, height
    )
    rows = [[out[i], normal[i], along[i], centre[i]] for i in range(3)]
    return made.transform(np.array(rows))
