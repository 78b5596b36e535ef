"""How parts look, wherever they are seen from: their colours, what is lit on them, and the lines
that are drawn over them; and a scene that is filled so."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ..theme import theme
from .apart import colours_of, tinted
from .drawn_mesh import DrawnMesh, colour
from .ground import ground_under
from .off_map import largest, off_colour
from .shown import ShownPart

if TYPE_CHECKING:
    from .scene import Scene

Colour = tuple[float, float, float]
Floats = NDArray[np.float64]

_NOTHING = DrawnMesh(
    np.zeros((0, 3)), np.zeros((0, 3), dtype=np.int32), np.zeros(0, dtype=np.int32),
    np.zeros((0, 3, 3)),
    np.zeros((0, 3)), np.zeros(0, dtype=np.int32),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Looks:
    """What decides how parts look.

    ``tints`` are colours of the palette by part and by step; ``hidden`` parts are left out,
    ``clear`` ones seen through, with ``all_clear`` all that is made. ``section`` is the axis, the
    place and the side of a cut. ``off`` says how far faces lie from where they are wanted, mm;
    ``glowing`` faces are lit by part and name, and so are those that can answer what is asked for.
    ``ground`` is the box of what stands on it, mm; ``before`` is laid over as lines.
    """

    parts: Sequence[ShownPart]
    lens: str
    grey: bool
    told_apart: bool
    tints: tuple[Mapping[str, str], Mapping[str, str]]
    hidden: frozenset[str]
    clear: frozenset[str]
    all_clear: bool
    section: tuple[int, float, float] | None
    off: Mapping[str, Sequence[float | None]]
    glowing: frozenset[tuple[str, str]]
    answers: str
    ground: tuple[Floats, Floats] | None
    before: Sequence[ShownPart]

    def lit(self, body: Colour) -> dict[tuple[int, int], Colour]:
        """The faces that have another colour than their part, by part and face number."""
        colours = {}
        glowing = _towards(body, colour(theme().madder), 0.28)
        pickable = _towards(body, colour("#FFF4DC"), 0.26)
        most = largest(self.off)
        for number, part in enumerate(self.parts):
            off = self.off.get(part.name, [])
            for index, face in enumerate(part.faces):
                if part.up is None and (name := self.tints[1].get(face["step"])):
                    colours[(number, index)] = tinted(body, name)
                if index < len(off) and (here := off[index]) is not None:
                    colours[(number, index)] = off_colour(here, most, body)
                if can_answer(face, self.answers):
                    colours[(number, index)] = pickable
                if (part.name, face["name"]) in self.glowing:
                    colours[(number, index)] = glowing
        return colours


def can_answer(face: Mapping[str, Any], answers: str) -> bool:
    """Whether a face is one that is asked for."""
    return answers == "face" or (answers == "flat" and bool(face["flat"]))


def fill(scene: Scene, looks: Looks) -> None:
    """Put into a scene what is to be drawn."""
    from .scene import Section  # here: the window is up before the drawing back end is loaded

    t, parts = theme(), looks.parts
    body = colour(t.grey if looks.grey else t.tint(looks.lens))
    ink = colour(t.quiet if looks.grey else ("#14181D" if t.dark else t.ink))
    seen = [part for part in parts if part.name not in looks.hidden]
    faint = frozenset(
        number
        for number, part in enumerate(parts)
        if part.name in looks.clear or (looks.all_clear and part.up is None)
    )
    scene.show(
        [_NOTHING if part.name in looks.hidden else part.shape for part in parts],
        [body] * len(parts)
        if looks.grey
        else colours_of(parts, body, looks.tints[0], apart=looks.told_apart),
        ink,
        looks.lit(body),
        1.4,
        Section(*looks.section, colour(t.madder)) if looks.section is not None else None,
        faint,
    )
    if looks.ground is not None:
        paler = _towards(colour(t.rule), colour(t.view), 0.4)
        scene.mark_lines(ground_under(*looks.ground), paler, 1.0)
    scene.mark_lines([np.array(tab) for part in seen for tab in part.tabs], colour(t.ochre), 7.0)
    scene.mark_lines([np.array(mark) for part in seen for mark in part.marks], ink, 1.2)
    if looks.before:
        scene.lay_over([part.shape for part in looks.before], colour(t.madder), 1.6)


def _towards(a: Colour, b: Colour, share: float) -> Colour:
    return (
        a[0] + (b[0] - a[0]) * share,
        a[1] + (b[1] - a[1]) * share,
        a[2] + (b[2] - a[2]) * share,
    )
