"""What is under a pixel of the picture: faces and places on them, edges near by, and what lies
behind them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .camera import Camera
from .edges_near import NearEdge, edges_near
from .shown import ShownPart

#: By how many pixels something must lie before an edge to hide it: an edge lies in its own faces.
_BEFORE = 3.0
#: So many edges near the pointer are looked at, the nearest first.
_MOST_NEAR = 16


@dataclass(frozen=True, slots=True)
class Sight:
    """A look at parts: from where, how large the picture is in pixels, which parts are hidden, what
    a section takes away (axis, place, and on which side), and how many steps behind what is seen
    is asked for."""

    camera: Camera
    size: tuple[int, int]
    parts: Sequence[ShownPart]
    hidden: frozenset[str]
    section: tuple[int, float, float] | None
    behind: int = 0

    def ray(self, x: float, y: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The line of sight; with a section it begins where what is shown begins."""
        start, direction = self.camera.ray(x, y, *self.size)
        if self.section is not None:
            axis, at, sign = self.section
            if (start[axis] - at) * sign > 0 and direction[axis] * sign < 0:
                start = start + direction * ((at - start[axis]) / direction[axis])
        return start, direction

    def face_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Part and face number under a pixel."""
        best = self._met(x, y)
        return None if best is None else (best[1], best[2])

    def spot_at(self, x: float, y: float) -> tuple[float, float, float] | None:
        """The point of a part, mm, that is seen at a pixel; where it is, wherever it is drawn."""
        best = self._met(x, y)
        if best is None:
            return None
        start, direction = self.ray(x, y)
        return self.parts[best[1]].placing.back(start + best[0] * direction)

    def edge_at(self, x: float, y: float, reach: float = 8.0) -> tuple[int, int] | None:
        """Part and edge number within ``reach`` pixels: the nearest that is seen. Hidden ones come
        after all that are seen, for who steps to what lies behind."""
        wide, high = self.size
        near = edges_near(self.parts, self.hidden, self.camera, (x, y), high, wide)
        seen: list[NearEdge] = []
        hidden: list[NearEdge] = []
        for edge in [one for one in near if one.distance <= reach][:_MOST_NEAR]:
            (hidden if self._is_hidden(edge) else seen).append(edge)
            if seen and not self.behind:
                break
        there = seen + hidden if self.behind else seen
        if not there:
            return None
        pair = there[self.behind % len(there)]
        return pair.part, pair.edge

    def _all_met(self, x: float, y: float) -> list[tuple[float, int, int]]:
        """How far it is to all that a line of sight meets, and part and face number of each, the
        nearest first."""
        start, direction = self.ray(x, y)
        met = [
            (far, number, face)
            for number, part in enumerate(self.parts)
            if part.name not in self.hidden
            for face, far in part.shape.picks(start, direction)
        ]
        return sorted(met)

    def _met(self, x: float, y: float) -> tuple[float, int, int] | None:
        """What is under a pixel: what is seen there, or what lies behind it, so many steps."""
        met = self._all_met(x, y)
        return met[self.behind % len(met)] if met else None

    def _is_hidden(self, edge: NearEdge) -> bool:
        """Whether something lies before an edge where it is near, or a section takes it away."""
        spot = np.array(edge.spot)
        ((x, y),) = self.camera.project(spot, *self.size).tolist()
        start, direction = self.ray(x, y)
        slack = _BEFORE * self.camera.span / self.size[1]
        away = float((spot - start) @ direction)
        met = self._all_met(x, y)
        return away < -slack or bool(met and met[0][0] < away - slack)
