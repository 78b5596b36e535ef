"""Whether parts come apart: which way each can be moved off all others without meeting any.

The part, with what is bought and lies in it, is moved in small steps along each axis; what it has
in common with the rest then may not grow. What is thinner than a step is met all the same, unless
both are.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold, OpType

from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..kernel.frame import Vector
from ..kernel.mesh import Mesh
from ..kernel.second import manifold_of
from ..words import say_name

#: Chord tolerance, mm; the step, mm; and how many of them are looked at at most.
_CHORDS, _STEP, _MOST = 0.05, 1.0, 160
#: By how much what is in common may grow, mm³ for each mm² of the part's surface: chords.
_GROWS = 2e-5
WAYS: Mapping[str, Vector] = {
    "upwards": (0.0, 0.0, 1.0),
    "downwards": (0.0, 0.0, -1.0),
    "to the right": (1.0, 0.0, 0.0),
    "to the left": (-1.0, 0.0, 0.0),
    "to the back": (0.0, 1.0, 0.0),
    "to the front": (0.0, -1.0, 0.0),
}


@dataclass(frozen=True, slots=True)
class WayOff:
    """A part, and the ways in which it comes off the others; none where it is held all round."""

    part: str
    ways: tuple[str, ...]

    def words(self) -> str:
        """In words, for people."""
        if len(self.ways) == len(WAYS):
            return f"{self.part} is held by nothing"
        if not self.ways:
            return f"{self.part} does not come off any way along an axis"
        listed = ", ".join(self.ways[:-1]) + (" or " if len(self.ways) > 1 else "") + self.ways[-1]
        return f"{self.part} comes off {listed}"


def ways_off(
    design: Design,
    built: Rebuilt,
    meshes: Mapping[str, Mesh] | None = None,
    alive: Callable[[], bool] = lambda: True,
) -> list[WayOff]:
    """For each part that is made, where there are several, the ways in which it comes off."""
    titles = {part.name: part.title or say_name(part.name) for part in design.parts}
    made: dict[str, Manifold] = {}
    for name, body in built.bodies.items():
        solid = manifold_of((meshes or {}).get(name) or body.mesh(_CHORDS))
        if solid is None:
            return []  # of what is not closed nothing can be told
        made[name] = solid
    if len(made) < 2:
        return []
    held: dict[str, list[Manifold]] = {name: [] for name in made}
    for things in built.things.values():
        for thing in things:
            solid = manifold_of(thing.body.mesh(_CHORDS))
            if solid is None:
                return []
            held[_host(solid, made)].append(solid)
    groups = {
        name: Manifold.batch_boolean([solid, *held[name]], OpType.Add)
        for name, solid in made.items()
    }
    ways = []
    for name, group in groups.items():
        if not alive():
            break
        rest = Manifold.batch_boolean(
            [other for mine, other in groups.items() if mine != name], OpType.Add
        )
        free = tuple(words for words, way in WAYS.items() if _is_free(group, rest, way, alive))
        ways.append(WayOff(titles.get(name, name), free))
    return ways


def _host(thing: Manifold, made: Mapping[str, Manifold]) -> str:
    """The part that a thing lies in: that whose box holds its middle most deeply."""
    box = np.array(thing.bounding_box())
    middle = (box[:3] + box[3:]) / 2

    def off(name: str) -> float:
        there = np.array(made[name].bounding_box())
        return float(np.maximum(there[:3] - middle, middle - there[3:]).max())

    return min(made, key=off)


def _is_free(moving: Manifold, rest: Manifold, way: Vector, alive: Callable[[], bool]) -> bool:
    a, b = np.array(moving.bounding_box()), np.array(rest.bounding_box())
    axis = int(np.argmax(np.abs(way)))
    forwards = way[axis] > 0
    whole = b[3 + axis] - a[axis] if forwards else a[3 + axis] - b[axis]
    if whole <= 0:
        return True
    step = max(_STEP, whole / _MOST)
    common = float((moving ^ rest).volume())
    most = common + _GROWS * float(moving.surface_area()) + 1e-3
    # The first steps are small: what holds by an undercut holds at once, or soon.
    stops = [0.1, 0.3, *np.arange(step, whole + step, step).tolist()]
    for far in stops:
        if not alive():
            return False
        moved = moving.translate([c * far for c in way])
        if float((moved ^ rest).volume()) > most:
            return False
    return True
