"""What a machine cuts of a flat part: its outline with what goes through, pockets by depth and
side, and what it cannot cut.

The part is taken as layers, each as thick as its outlines stay the same. What is missing in a layer
can be cut from above where nothing lies over it, or from below where nothing lies under it; what
neither reaches is an undercut.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from ..quantity import say_spot
from ..sketch.combining import combined
from ..sketch.mapping import Mapping2D
from ..sketch.regions import Region
from .body import Body
from .flat import NotFlat, flat_faces, leaning_faces, plate_of
from .frame import as_vector
from .naming import FaceName
from .prism import Prism, in_frame

#: Areas below this, mm², are what is left of curves that lie on each other; layers and shares below
#: these are none.
_NO_AREA, _NO_HEIGHT, _NO_VOLUME = 1e-4, 1e-5, 1e-4

Face = Literal["upper", "lower"]


@dataclass(frozen=True, slots=True)
class Pocket:
    """An area that is cut to a depth, mm, from a face of the sheet."""

    region: Region
    depth: float
    face: Face


@dataclass(frozen=True, slots=True)
class FlatCuts:
    """A part as it is cut from a sheet, seen from above: ``outlines`` with their holes go through,
    ``missed`` says in words what no cut across the sheet makes."""

    outlines: tuple[Region, ...]
    pockets: tuple[Pocket, ...] = ()
    missed: tuple[str, ...] = ()

    def turned_over(self) -> FlatCuts:
        """The same seen from below, turned about an upright line."""
        over = Mapping2D(a=-1.0)
        pockets = tuple(
            Pocket(p.region.mapped(over), p.depth, "lower" if p.face == "upper" else "upper")
            for p in self.pockets
        )
        return FlatCuts(
            tuple(region.mapped(over) for region in self.outlines), pockets, self.missed
        )


def cuts_of(body: Body, leaning: float = 0.0) -> FlatCuts:
    """What is cut of a part from its sheet, in the coordinates of its plane, mm; lines stay lines
    and arcs arcs. Sides may lean by some degrees and still count as upright.

    Raises:
        NotFlat: where there is no flat face at all.
    """
    layers = _layers(body)
    if layers is None:
        return FlatCuts(tuple(region for region, _ in flat_faces(body)))
    heights = [layer[0] for layer in layers] + [layers[-1][1]]
    areas = [layer[2] for layer in layers]
    whole = areas[0]
    for area in areas[1:]:
        whole = combined(whole, "add", area).regions
    free_above = _free(whole, areas[::-1])[::-1]
    free_below = _free(whole, areas)
    pockets: list[Pocket] = []
    for k in range(1, len(areas)):
        pockets += _pockets(
            combined(free_above[k], "common", areas[k - 1]).regions,
            heights[-1] - heights[k],
            "upper",
        )
        pockets += _pockets(
            combined(free_below[k - 1], "common", areas[k]).regions,
            heights[k] - heights[0],
            "lower",
        )
    return FlatCuts(
        whole, tuple(pockets), _missed(body, whole, layers, free_above, free_below, leaning)
    )


def _layers(body: Body) -> list[tuple[float, float, tuple[Region, ...]]] | None:
    """From the lowest up: between which heights the outlines stay the same, and the areas that are
    material there. None where one layer is all."""
    prisms: Sequence[Prism] = body.prisms
    directions = {tuple(round(abs(c), 9) for c in prism.frame.normal) for prism in prisms}
    if len(directions) != 1:
        from .occ import flat_sections as occ_flat  # here: plain plates do without the kernel

        plate = plate_of(body)
        # Seen from above where it lies: the pockets of a level part are those that look up.
        through = (
            plate.through
            if max(plate.through, key=abs) > 0
            else as_vector(-c for c in plate.through)
        )
        prisms = occ_flat.slabs(body.solid(), through)
    placed = [level for prism in prisms if (level := in_frame(prism, prisms[0].frame)) is not None]
    heights = sorted({round(height, 6) for prism in placed for height in (prism.low, prism.high)})
    layers = []
    for low, high in pairwise(heights):
        if high - low > _NO_HEIGHT:
            middle = (low + high) / 2
            layers.append(
                (
                    low,
                    high,
                    tuple(prism.region for prism in placed if prism.low < middle < prism.high),
                )
            )
    if len(layers) <= 1 and body.prisms:
        return None
    if not layers:
        raise NotFlat("the part has no flat face")
    return layers


def _free(
    whole: tuple[Region, ...], areas: Sequence[tuple[Region, ...]]
) -> list[tuple[Region, ...]]:
    """By layer, in the order in which a cutter meets them, where it gets through this one and all
    before."""
    bare = []
    free = whole
    for area in areas:
        free = _real(combined(free, "cut", area).regions) if free else ()
        bare.append(free)
    return bare


def _real(regions: Sequence[Region]) -> tuple[Region, ...]:
    return tuple(region for region in regions if region.area > _NO_AREA)


def _pockets(regions: Sequence[Region], depth: float, face: Face) -> list[Pocket]:
    return [Pocket(region, depth, face) for region in _real(regions)]


def _missed(
    body: Body,
    whole: tuple[Region, ...],
    layers: Sequence[tuple[float, float, tuple[Region, ...]]],
    above: Sequence[tuple[Region, ...]],
    below: Sequence[tuple[Region, ...]],
    leaning: float,
) -> tuple[str, ...]:
    """What cuts across the sheet leave out: undercuts with their place, and sides that are not
    upright."""
    missed = []
    for k, (low, high, area) in enumerate(layers):
        left = _real(combined(whole, "cut", area).regions)
        for reached in (above[k], below[k]):
            left = _real(combined(left, "cut", reached).regions) if left and reached else left
        for region in left:
            x0, y0, x1, y1 = region.outer.bounds()
            missed.append(
                f"an undercut between {low - layers[0][0]:.4g} and {high - layers[0][0]:.4g} "
                "mm from the lower face, "
                f"at {say_spot((x0 + x1) / 2, (y0 + y1) / 2)}"
            )
    volume = body.figures().volume
    upright = sum((high - low) * sum(region.area for region in area) for low, high, area in layers)
    sides = leaning_faces(body, leaning)
    if sides or abs(upright - volume) > _NO_VOLUME * volume:
        missed.append(
            f"sides that are not upright ({said_leaning(sides)}), which are {CUT_UPRIGHT}"
        )
    return tuple(missed)


#: What becomes of sides that lean.
CUT_UPRIGHT = "cut upright at half of their height"


def said_leaning(sides: Sequence[FaceName]) -> str:
    """Some of the faces that lean, in words."""
    if not sides:
        return "slopes or roundings"
    more = f" and {len(sides) - 1} more" if len(sides) > 1 else ""
    return f"the {sides[0].words()}{more}"
