"""What follows a size: the faces that move when it changes a little, and those that stay."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..design.model import Design
from ..design.rebuild import Memory, rebuild
from ..formula.value_table import ValueTable
from ..kernel.body import Body
from ..process.lens import LensView
from ..quantity import COUNT, Quantity, formula_of

#: How far, mm, a face must move to count.
_MOVED = 1e-6
#: By what share a size is changed to see what follows.
_SHARE = 0.01


@dataclass(frozen=True, slots=True)
class Follows:
    """Names of faces that move, appear or go; ``from_``, ``to`` are the values that were compared,
    in words."""

    moved: frozenset[str]
    stays: frozenset[str]
    came: frozenset[str]
    went: frozenset[str]
    from_: Quantity
    to: Quantity
    trouble: str = ""


def nudged(design: Design, table: ValueTable, name: str) -> float:
    """A value a little away from a size's own, within its limits: one more of a count, else a
    hundredth."""
    cell = table.cells[name]
    value = cell.wanted.value
    step = 1.0 if cell.wanted.kind == COUNT else max(abs(value) * _SHARE, 0.01)
    if cell.high is not None and value + step > cell.high:
        return value - step
    return value + step


def what_follows(
    design: Design, view: LensView, name: str, memory: Memory | None = None
) -> Follows:
    """Build the design as it is and with one size changed a little, and compare their faces by
    name.

    Raises:
        KeyError: for a size without a value.
    """
    memory = memory or Memory()
    before = rebuild(design, view, memory)
    cell = before.table.cells[name]
    value = nudged(design, before.table, name)
    after = rebuild(design, view, memory, given={name: formula_of(value, cell.wanted.kind)})
    old, new = _faces(before.bodies), _faces(after.bodies)
    moved = {
        face
        for face in old.keys() & new.keys()
        if not np.allclose(old[face], new[face], rtol=0, atol=_MOVED)
    }
    trouble = next(
        (p.text for p in after.problems if p.severity == "error" and not p.waits_for), ""
    )
    return Follows(
        frozenset(moved),
        frozenset(old.keys() & new.keys() - moved),
        frozenset(new.keys() - old.keys()),
        frozenset(old.keys() - new.keys()),
        cell.wanted,
        Quantity(value, cell.wanted.kind),
        trouble,
    )


def _faces(bodies: Mapping[str, Body]) -> dict[str, np.ndarray]:
    """For every face by name: its box and the root of its area, as seven lengths."""
    faces: dict[str, np.ndarray] = {}
    for body in bodies.values():
        mesh = body.mesh(0.05)
        corners = mesh.points[mesh.triangles]
        areas = (
            np.linalg.norm(
                np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1
            )
            / 2
        )
        low, high = corners.min(axis=1), corners.max(axis=1)
        count = len(mesh.faces)
        area = np.bincount(mesh.face_of, areas, count)
        boxes = np.empty((count, 6))
        for axis in range(3):
            boxes[:, axis] = np.inf
            boxes[:, 3 + axis] = -np.inf
            np.minimum.at(boxes[:, axis], mesh.face_of, low[:, axis])
            np.maximum.at(boxes[:, 3 + axis], mesh.face_of, high[:, axis])
        for k, name in enumerate(mesh.faces):
            key = str(name)
            mine = np.concatenate([boxes[k], [np.sqrt(area[k])]])
            if key in faces:
                both = faces[key]
                mine = np.concatenate(
                    [
                        np.minimum(both[:3], mine[:3]),
                        np.maximum(both[3:6], mine[3:6]),
                        [np.hypot(both[6], mine[6])],
                    ]
                )
            faces[key] = mine
    return faces
