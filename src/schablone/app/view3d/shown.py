"""A part as the window shows it, out of what the worker reports."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ...worker.talk import FaceReport, PartReport
from .drawn_mesh import DrawnMesh

#: How far, mm, a face must move to be lit; what is shown is rounded to single precision.
_MOVED = 2e-3


@dataclass(slots=True)
class ShownPart:
    """A part as the view shows it: its shape, what is known of its faces, where tabs hold
    it, and what is engraved on it."""

    name: str
    key: str
    shape: DrawnMesh
    faces: list[FaceReport] = field(default_factory=list)
    tabs: list[list[list[float]]] = field(default_factory=list)
    marks: list[list[list[float]]] = field(default_factory=list)


def moved_faces(before: ShownPart, after: ShownPart) -> frozenset[tuple[str, str]]:
    """The faces, by part and name, that lie elsewhere than before, and those that are new."""
    boxes = {
        face["name"]: box
        for face, box in zip(before.faces, before.shape.face_boxes(len(before.faces)), strict=True)
    }
    found = set()
    for face, box in zip(after.faces, after.shape.face_boxes(len(after.faces)), strict=True):
        old = boxes.get(face["name"])
        if old is None or np.abs(old - box).max() > _MOVED:
            found.add((after.name, str(face["name"])))
    return frozenset(found)


def part_from(report: PartReport, arrays: dict[str, NDArray[Any]], number: int) -> ShownPart:
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
    return ShownPart(
        report["name"], report["key"], shape, report["faces"], report["tabs"], report["marks"]
    )
