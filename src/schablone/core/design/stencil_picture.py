"""What a stencil does, seen from above: for its picture on the shelf, and for what follows the
pointer while it is put in."""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold

from ..kernel.frame import Frame
from ..kernel.prism import Prism, in_frame
from ..kernel.seating import plan_of
from ..process.lens import LensView
from ..process.model import neutral
from ..reuse import Stencil
from ..sketch.mapping import XY
from ..steps.closed_shapes import Rectangle
from ..steps.extrude import Extrude
from ..steps.sketch import Sketch
from ..steps.stencil import GivenFace, GivenPart
from .model import Design, Part
from .rebuild import Cancelled, rebuild
from .stencil_edit import put_in

#: The board that a stencil is shown on, mm.
BOARD = (160.0, 100.0, 18.0)
#: How long, s of a processor, a picture may take.
_LONGEST = 10.0
#: How finely round outlines are drawn, mm.
_FINE = 0.1


@dataclass(frozen=True, slots=True)
class Area:
    """What is cut or added, seen from above: outlines as points in the axes of the anchor, and how
    deep it goes, mm below the face; above it where that is below zero."""

    cut: bool
    depth: float
    rings: tuple[tuple[XY, ...], ...]


def seen_from_above(stencil: Stencil) -> tuple[list[Area], str]:
    """What a stencil does to a board, what is added first and the deepest cut last; and what is
    wrong, where it cannot be put in."""
    begun = time.process_time()

    def progress(*_: object) -> None:
        if time.process_time() - begun > _LONGEST:
            raise Cancelled

    try:
        built = rebuild(_sample(stencil), LensView("wanted", neutral()), progress=progress)
    except Cancelled:
        return [], "It takes too long to be pictured."
    wrong = [p.text for p in built.problems if p.severity == "error"]
    seat = built.seats.get(stencil.name)
    if seat is None:
        return [], wrong[0] if wrong else "It does nothing to the part."
    areas = []
    for deed in seat.deeds:
        for tool in deed.tools:
            rings, low, high = _plan(tool, seat.frames[0])
            if rings:
                depth = min(-low, BOARD[2]) if deed.cut else -high
                areas.append(Area(deed.cut, depth, rings))
    # What is cut is seen over what is added, as it goes into that.
    return sorted(areas, key=lambda area: (area.cut, area.depth if area.cut else -area.depth)), ""


def changed_in(stencil: Stencil, size: str) -> tuple[Stencil, ...]:
    """The stencil with one of its sizes changed so that it is seen, the likeliest first: what its
    limits and its kind allow shows when it is built."""
    old = next(one for one in stencil.sizes if one.name == size)
    whole = f"({old.formula})"
    lengths = (f"{whole} + max({whole}/4, 2 mm)", f"{whole}*1.25", f"{whole}*0.75")
    counts = (f"{whole} + 1", f"{whole} - 1")
    formulas = counts if old.kind == "count" else (*lengths, *counts)
    return tuple(
        stencil.model_copy(
            update={
                "sizes": tuple(
                    one.model_copy(update={"formula": formula}) if one is old else one
                    for one in stencil.sizes
                )
            }
        )
        for formula in formulas
    )


def _sample(stencil: Stencil) -> Design:
    """A board with the stencil in its middle; what it asks for beside is a board, too."""
    width, height, thick = BOARD
    parts = [Part(name="part"), *(Part(name=f"other_{one.name}") for one in stencil.parts)]
    board = Sketch(
        name="board_outline",
        shapes=(Rectangle(name="outline", width=f"{width} mm", height=f"{height} mm"),),
    )
    boards = [
        Extrude(name=f"board_{part.name}", sketch="board_outline", by=f"{thick} mm", part=part.name)
        for part in parts
    ]
    design = Design(parts=tuple(parts), steps=(board, *boards))
    sample = put_in(design, stencil, part="part", face="board_part/end", name=stencil.name)
    step = sample.steps[-1].model_copy(
        update={
            "faces": tuple(
                GivenFace(name=one.name, face="board_part/side/outline.bottom")
                for one in stencil.faces
            ),
            "parts": tuple(
                GivenPart(name=one.name, part=f"other_{one.name}") for one in stencil.parts
            ),
        }
    )
    return sample.model_copy(update={"steps": (*sample.steps[:-1], step)})


def _plan(tool: object, frame: Frame) -> tuple[tuple[tuple[XY, ...], ...], float, float]:
    """The outlines of a tool as it is seen from above, and its lowest and highest point."""
    if isinstance(tool, Prism) and (level := in_frame(tool, frame)) is not None:
        loops = level.region.loops
        rings = tuple(tuple(map(_xy, loop.points(_FINE).tolist())) for loop in loops)
        return rings, level.low, level.high
    solid = plan_of(tool, frame)  # type: ignore[arg-type]
    if not isinstance(solid, Manifold):
        return (), 0.0, 0.0
    box = solid.bounding_box()
    outlines = [np.asarray(ring).tolist() for ring in solid.project().to_polygons()]
    return tuple(tuple(map(_xy, ring)) for ring in outlines if len(ring) > 2), box[2], box[5]


def _xy(point: list[float]) -> XY:
    return (round(point[0], 3), round(point[1], 3))
