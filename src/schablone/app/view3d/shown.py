"""A part as the window shows it, out of what the worker reports."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...worker.talk import FaceReport, PartReport, ThingReport
from .drawn_mesh import DrawnMesh

Point = tuple[float, float, float]

#: How far, mm, a face must move to be lit; what is shown is rounded to single precision.
_MOVED = 2e-3


@dataclass(frozen=True, slots=True, eq=False)
class Placing:
    """Where a part is drawn instead of where it is: turned (3 × 3, or nothing), then moved (3),
    mm."""

    by: NDArray[np.float64]
    turn: NDArray[np.float64] | None = None

    def there(self, point: Sequence[float] | NDArray[np.float64]) -> Point:
        """Where a point of the part is drawn."""
        spot = np.asarray(point, dtype=np.float64)
        return _point((spot if self.turn is None else self.turn @ spot) + self.by)

    def back(self, point: Sequence[float] | NDArray[np.float64]) -> Point:
        """The point of the part that is drawn there."""
        spot = np.asarray(point, dtype=np.float64) - self.by
        return _point(spot if self.turn is None else self.turn.T @ spot)


def _point(spot: NDArray[np.float64]) -> Point:
    x, y, z = spot.tolist()
    return x, y, z


#: A part that is drawn where it is.
IN_PLACE = Placing(np.zeros(3))


@dataclass(slots=True, eq=False)
class ShownPart:
    """A part as the view shows it: its shape, what is known of its faces, where tabs hold
    it, and what is engraved on it."""

    name: str
    key: str
    shape: DrawnMesh
    faces: list[FaceReport] = field(default_factory=list)
    tabs: list[list[list[float]]] = field(default_factory=list)
    marks: list[list[list[float]]] = field(default_factory=list)
    #: Which way it is taken away, where it is bought; empty for what is made.
    up: tuple[float, float, float] | None = None
    #: Where it is drawn: what is said or asked of its points is said of where they are.
    placing: Placing = IN_PLACE

    def face_names(self) -> set[str]:
        return {face["name"] for face in self.faces}


def moved_faces(before: ShownPart, after: ShownPart) -> frozenset[tuple[str, str]]:
    """The faces, by part and name, that lie elsewhere than before, and those that are new."""
    was = {face["name"]: k for k, face in enumerate(before.faces)}
    names = [face["name"] for face in after.faces]
    changed = {name for name in names if name not in was}
    both = [k for k, name in enumerate(names) if name in was]
    old = before.shape.face_boxes(len(before.faces))[[was[names[k]] for k in both]]
    new = after.shape.face_boxes(len(after.faces))[both]
    moved = np.abs(old - new).max(axis=1, initial=0.0) > _MOVED
    changed |= {names[k] for k, has in zip(both, moved.tolist(), strict=True) if has}
    return frozenset((after.name, name) for name in changed)


def part_from(
    report: PartReport | ThingReport, arrays: dict[str, NDArray[Any]], number: int
) -> ShownPart:
    """A part out of the worker's report."""
    shape = DrawnMesh(
        arrays[f"{number}.points"],
        arrays[f"{number}.triangles"],
        arrays[f"{number}.face_of"],
        arrays[f"{number}.normals"],
        arrays[f"{number}.edges"],
        arrays[f"{number}.edge_lengths"],
        [(a, b) for a, b in report["edge_faces"]],
    )
    up: Any = report.get("up")
    return ShownPart(
        report["name"],
        report["key"],
        shape,
        report["faces"],
        report["tabs"],
        report["marks"],
        (up[0], up[1], up[2]) if up else None,
    )
