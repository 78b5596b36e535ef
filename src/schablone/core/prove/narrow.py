"""Places of flat parts that a cutter or a beam does not get into."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping

from shapely.geometry import Polygon

from ..design.rebuild import Rebuilt
from ..design.treat import cuts
from ..kernel.body import Body
from ..kernel.flat import flat_outline, plate_of
from ..process.model import Process
from ..quantity import say_spot
from ..sketch.regions import Region
from .finding import Finding

#: What was found of bodies by key: looking takes longer than most edits may.
_LOOKED_AT: dict[tuple[str, float, str], str] = {}
_MOST_KEPT = 200


def narrow_places(built: Rebuilt) -> list[Finding]:
    """Whether the machine gets into every hole and notch of flat parts: a cutter as wide as it is,
    a beam at all."""
    machines = {machine.name: (machine, dict(bodies)) for machine, bodies in built.by_machine()}
    for part, cutter, blank in _blanks(built):
        machines.setdefault(cutter.name, (cutter, {}))[1][part] = blank
    return [
        place
        for machine, bodies in machines.values()
        for place in _narrow_on(machine, bodies, built)
    ]


def _blanks(built: Rebuilt) -> Iterator[tuple[str, Process, Body]]:
    """The blanks of folded parts, with the names of these and the processes that cut them."""
    for part, cutter in built.view.cutters:
        body = built.bodies.get(part)
        folded = (body.folded or body.blank_of) if body is not None else None
        if folded is not None:
            try:
                yield part, cutter, Body((folded.blank,), None, {})
            except ValueError:
                continue  # that there is no blank is said where blanks are looked at


def _narrow_on(process: Process, bodies: Mapping[str, Body], built: Rebuilt) -> list[Finding]:
    if not cuts(process) or not (bodies or process is built.view.process):
        return []
    title = f"{process.name} gets into every place"
    for name, body in bodies.items():
        key = (built.keys[name], process.cutter, repr((process.kerfs, built.made_of[name])))
        if key not in _LOOKED_AT:
            while len(_LOOKED_AT) > _MOST_KEPT:
                _LOOKED_AT.pop(next(iter(_LOOKED_AT)))
            _LOOKED_AT[key] = _narrow_place(body, process, built.made_of[name])
        what = _LOOKED_AT[key]
        if what:
            return [
                Finding(
                    title,
                    False,
                    f"{name} {what}.",
                    "Make it wider, or use a finer tool.",
                    False,
                    "part",
                    name,
                )
            ]
    return [
        Finding(
            title,
            True,
            f"{process.cutter:g} mm cutter" if process.cutter else "as wide as the cut everywhere",
        )
    ]


def _narrow_place(body: Body, process: Process, material: str) -> str:
    """What is wrong with a flat part for the tool, in words; nothing where it gets in
    everywhere."""
    try:
        plate = plate_of(body)
        regions = flat_outline(body)
    except ValueError as error:
        return f"is not flat: {error}"
    width = process.cutter or process.kerf_in(material, plate.thickness)
    for region in regions if width > 0 else ():
        spots = _too_narrow(region, width)
        if spots is not None:
            what = f"a cutter of {width:g} mm" if process.cutter else f"a cut {width:g} mm wide"
            return f"has a place at {say_spot(spots[0], spots[1])} that {what} does not get into"
    return ""


def _too_narrow(region: Region, width: float) -> tuple[float, float] | None:
    """Where a round tool does not get: what closing the outline by its radius fills, corners
    apart."""
    plate = region.polygon(0.01)
    for hole in region.holes:
        open_ = Polygon(hole.points(width / 100))
        if open_.buffer(-(width / 2 - 1e-4)).is_empty:
            spot = open_.representative_point()
            return (spot.x, spot.y)
    closed = plate.buffer(width / 2 - 1e-4, quad_segs=32).buffer(-(width / 2 - 1e-4), quad_segs=32)
    filled = closed.difference(plate.buffer(1e-3))
    for piece in getattr(filled, "geoms", [filled]):
        # In a corner of a right angle (1 - π/4) r² stays; what is more than a few of these is a
        # place of its own.
        if not piece.is_empty and piece.area > 4 * (1 - math.pi / 4) * (width / 2) ** 2:
            spot = piece.representative_point()
            return (spot.x, spot.y)
    return None
