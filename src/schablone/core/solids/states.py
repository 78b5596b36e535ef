"""The surfaces of a plain solid as numbers that may vary, and as they are for any values of these.

Each surface has freedoms: a plane shifts and leans, an axis moves and turns, radii grow. Directions
and radii stay as they are unless a tie frees them, so that what nobody ties stays where it is. The
numbers may be complex, so that derivatives come out to the last digit (Squire and Trapp, Using
complex variables to estimate derivatives of real functions, SIAM Review 40, 1998).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..kernel.frame import Vector, as_vector
from ..kernel.surfaces import Surface

Numbers = NDArray[Any]

SHIFTS = ("shift", "aside", "across", "along")
LEANS = ("lean", "tilt")
RADII = ("radius", "second")


@dataclass(frozen=True, slots=True)
class Freedom:
    """One way in which a surface can change: its number, and which way that is."""

    surface: int
    way: str


def ways_of(surface: Surface) -> tuple[str, ...]:
    """All ways in which a surface can change."""
    if surface.kind == "plane":
        return ("shift", *LEANS)
    if surface.kind == "ball":
        return ("aside", "across", "along", "radius")
    if surface.kind == "cylinder":
        return ("aside", "across", *LEANS, "radius")
    return ("aside", "across", "along", *LEANS, *RADII)


@dataclass(frozen=True)
class Layout:
    """Which numbers vary: the freedoms in their order, and how many millimetres a unit of each
    moves its face, so that leaning and shifting weigh the same."""

    surfaces: Sequence[Surface | None]
    freedoms: tuple[Freedom, ...]
    size: float

    @classmethod
    def of(
        cls,
        surfaces: Sequence[Surface | None],
        pinned: Collection[int],
        leaning: Collection[int],
        growing: Collection[int],
        size: float,
        only_radii: Collection[int] = (),
    ) -> Layout:
        """The freedoms of all surfaces that are not pinned. Only those of ``leaning`` lean or turn,
        only the radii of ``growing`` grow; those of ``only_radii`` do nothing else."""
        freedoms = []
        for k, surface in enumerate(surfaces):
            if surface is None or k in pinned:
                continue
            for way in ways_of(surface):
                if (way in LEANS and k not in leaning) or (way in RADII and k not in growing):
                    continue
                if k in only_radii and way != "radius":
                    continue
                freedoms.append(Freedom(k, way))
        return cls(surfaces, tuple(freedoms), size)

    @cached_property
    def index(self) -> Mapping[Freedom, int]:
        """Where each freedom stands in a state."""
        return {freedom: k for k, freedom in enumerate(self.freedoms)}


class State:
    """All surfaces for some values of what varies; ``values`` may be of shape (..., n)."""

    def __init__(self, layout: Layout, values: Numbers) -> None:
        self.layout, self.values = layout, values
        self._at = layout.index
        self._known: dict[int, tuple[Numbers, Numbers, Numbers, Numbers]] = {}

    def _value(self, surface: int, way: str) -> Any:
        k = self._at.get(Freedom(surface, way))
        return 0.0 if k is None else self.values[..., k]

    def parts(self, k: int) -> tuple[Numbers, Numbers, Numbers, Numbers]:
        """A point of a surface (..., 3), its direction (..., 3), radius and second radius."""
        if k in self._known:
            return self._known[k]
        surface = self.layout.surfaces[k]
        assert surface is not None
        at, way, x, y = (np.array(v) for v in (surface.at, surface.way, surface.x, surface.y))

        def moved(start: Numbers, by: Mapping[str, Numbers], unit: float = 1.0) -> Numbers:
            for name, direction in by.items():
                if (which := self._at.get(Freedom(k, name))) is not None:
                    start = start + self.values[..., which][..., None] * direction * unit
            return start

        lean = 1.0 / self.layout.size
        turned = moved(way, {"lean": x, "tilt": y}, lean)
        if turned is not way:
            turned = turned / np.sqrt((turned * turned).sum(axis=-1))[..., None]
        point = moved(at, {"shift": way, "aside": x, "across": y, "along": way})
        radius = surface.radius + np.asarray(self._value(k, "radius"))
        unit = lean if surface.kind == "cone" else 1.0
        second = surface.second + np.asarray(self._value(k, "second")) * unit
        self._known[k] = point, turned, radius, second
        return self._known[k]

    def surface(self, k: int) -> Surface:
        """A surface as it is, for one set of real values; itself where nothing of it changed."""
        before = self.layout.surfaces[k]
        assert before is not None
        if not any(f.surface == k and self.values[i] for f, i in self._at.items()):
            return before
        point, way, radius, second = self.parts(k)
        return before.with_(
            at=as_vector(map(float, point)),
            way=as_vector(map(float, way)),
            x=_square(before.x, as_vector(map(float, way))),
            radius=float(radius),
            second=float(second),
        )


def _square(x: Vector, way: Vector) -> Vector:
    """A direction made square to another."""
    square = np.array(x) - np.dot(x, way) * np.array(way)
    return as_vector(map(float, square / np.linalg.norm(square)))


def changed_surfaces(state: State) -> Mapping[int, Surface]:
    """The surfaces that are no longer what they were, by number."""
    mine = sorted({f.surface for f in state.layout.freedoms})
    return {k: new for k in mine if (new := state.surface(k)) != state.layout.surfaces[k]}
