"""The outline of a blank, out of the outlines of its panels and bends: what they have in common,
the joints, lies within it. And what is wrong with an outline."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence

from shapely.geometry import Polygon

from ...quantity import say_spot
from ...sketch.combining import combined, pinches_of
from ...sketch.curves import Curve, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import XY
from ...sketch.planar import Tangled
from ...sketch.regions import Region
from ..naming import FaceName

#: Curves along which a panel and a bend are one are called so, followed by the bend's number.
JOINT = "~"
#: How finely curves are looked at, mm; what seems to cross is looked at anew with the second.
_COARSE, _FINE = 1e-2, 1e-4
#: Ends of curves that lie nearer to each other than this are one corner, mm.
_CORNER = 1e-6

Piece = tuple[Region, Mapping[str, FaceName]]


def is_joint(name: str) -> bool:
    """Whether a curve is where a panel goes on into a bend: it raises no face."""
    return name.startswith(JOINT)


def put_together(pieces: Sequence[Piece]) -> tuple[Region, dict[str, FaceName]]:
    """The one region of pieces that meet in joints, and the faces that its curves raise.

    Raises:
        ValueError: where they do not come to one region.
    """
    sides: dict[str, FaceName] = {}
    named = [_renamed(region, faces, k, sides) for k, (region, faces) in enumerate(pieces)]
    region = _traced(named)
    if region is None:
        regions = combined(named[:1], "add", named[1:]).regions if named[1:] else tuple(named)
        if len(regions) != 1:
            raise ValueError("the blank comes apart")
        region = regions[0]
    mine = {
        curve.name: sides[curve.name if curve.name in sides else curve.name.rpartition(".")[0]]
        for loop in region.loops
        for curve in loop.curves
    }
    return region, mine


def _renamed(
    region: Region, faces: Mapping[str, FaceName], number: int, sides: dict[str, FaceName]
) -> Region:
    """A piece with names that no other has; those of joints still begin as such."""
    loops = []
    for loop in region.loops:
        names = [
            f"{JOINT if is_joint(curve.name) else ''}{number}p{curve.name}" for curve in loop.curves
        ]
        for name, curve in zip(names, loop.curves, strict=True):
            sides[name] = faces.get(curve.name, FaceName("", "joint"))
        loops.append(loop.renamed(names))
    return Region(loops[0], tuple(loops[1:]))


def _traced(pieces: Sequence[Region]) -> Region | None:
    """The region by following what is no joint from end to start; None where that is not clear:
    where more than two pieces meet in a corner."""
    free: list[Curve] = []
    for piece in pieces:
        for loop in (piece.outer, *(hole.reversed() for hole in piece.holes)):
            free += [curve for curve in loop.curves if not is_joint(curve.name)]
    starts: dict[tuple[int, int], list[int]] = {}
    for k, curve in enumerate(free):
        starts.setdefault(_cell(curve.start), []).append(k)
    left, loops = set(range(len(free))), []
    while left:
        k = min(left)
        chain: list[Curve] = []
        first = free[k].start
        while True:
            left.discard(k)
            chain.append(free[k])
            if math.dist(free[k].end, first) < _CORNER:
                break
            end = free[k].end
            near = [n for n in _near(starts, end) if math.dist(free[n].start, end) < _CORNER]
            if len(near) != 1 or near[0] not in left:
                return None
            k = near[0]
        loops.append(Loop(in_one_line(chain)))
    outer = [loop for loop in loops if loop.area > 0]
    if len(outer) != 1:
        return None
    whole = math.fsum(loop.area for loop in loops)
    if abs(whole - math.fsum(piece.area for piece in pieces)) > 1e-7 * whole:
        return None
    return Region(outer[0], tuple(loop.reversed() for loop in loops if loop.area < 0))


def _cell(p: XY) -> tuple[int, int]:
    return round(p[0] / _CORNER), round(p[1] / _CORNER)


def _near(starts: Mapping[tuple[int, int], list[int]], p: XY) -> list[int]:
    x, y = _cell(p)
    return [k for i in (-1, 0, 1) for j in (-1, 0, 1) for k in starts.get((x + i, y + j), ())]


def in_one_line(
    chain: Sequence[Curve], alike: Callable[[str, str], bool] = lambda a, b: True
) -> tuple[Curve, ...]:
    """A closed chain with lines that go straight on, and whose names are ``alike``, as one line
    under the name of the first."""
    curves: list[Curve] = []
    for curve in chain:
        one = (
            _one_line(curves[-1], curve) if curves and alike(curves[-1].name, curve.name) else None
        )
        if one is not None:
            curves[-1] = one
        else:
            curves.append(curve)
    if len(curves) > 3 and alike(curves[-1].name, curves[0].name):
        one = _one_line(curves[-1], curves[0])
        if one is not None:
            curves = [*curves[1:-1], one]
    return tuple(curves)


def _one_line(a: Curve, b: Curve) -> Segment | None:
    if not isinstance(a, Segment) or not isinstance(b, Segment):
        return None
    (x0, y0), (x1, y1), (x2, y2) = a.start, a.end, b.end
    cross = (x1 - x0) * (y2 - y1) - (y1 - y0) * (x2 - x1)
    ahead = (x1 - x0) * (x2 - x1) + (y1 - y0) * (y2 - y1)
    if ahead <= 0 or abs(cross) > 1e-9 * max(1.0, ahead):
        return None
    return Segment(a.start, b.end, a.name)


def trouble_of(region: Region) -> str:
    """What is wrong with an outline of which a sheet is cut, as words after “would”; empty where
    nothing is."""
    try:
        pinches = pinches_of(region)
    except Tangled:
        pinches = ()
    if pinches:
        return f"touch itself at {say_spot(*pinches[0][0])} on the blank"
    if not _is_plain(region, _COARSE) and not _is_plain(region, _FINE):
        return "cross itself or lie on itself"
    return ""


def _is_plain(region: Region, fine: float) -> bool:
    holes = [hole.points(fine) for hole in region.holes]
    return bool(Polygon(region.outer.points(fine), holes).is_valid)
