"""Faces of a solid that run into each other: what the kernel's own check of a solid does not look
for."""

from __future__ import annotations

from collections.abc import Collection, Mapping

import numpy as np
from OCP.Bnd import Bnd_Box
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.TopAbs import TopAbs_VERTEX
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

#: Nearer than this, mm, two faces that have no corner in common meet.
_TOUCH = 1e-6


def first_collision(
    faces: Mapping[int, TopoDS_Shape], moved: Collection[int]
) -> tuple[int, int] | None:
    """Two faces, of which at least one has moved, that meet although they have neither edge nor
    corner in common; None where there are none. By their numbers."""
    known = TopTools_IndexedMapOfShape()
    boxes, corners = {}, {}
    for number, face in faces.items():
        box = Bnd_Box()
        BRepBndLib.Add_s(face, box, False)
        box.Enlarge(_TOUCH)
        boxes[number] = box.Get()
        corners[number] = _corners_of(face, known)
    numbers = np.array(sorted(faces))
    spans = np.array([boxes[k] for k in numbers])
    for row, number in enumerate(numbers):
        if number not in moved:
            continue
        near = (spans[:, :3] <= spans[row, 3:]).all(axis=1) & (spans[:, 3:] >= spans[row, :3]).all(
            axis=1
        )
        for other in numbers[near]:
            if other == number or (other in moved and other < number):
                continue
            if not corners[number].isdisjoint(corners[other]):
                continue
            apart = BRepExtrema_DistShapeShape(faces[int(number)], faces[int(other)])
            if apart.IsDone() and apart.Value() < _TOUCH:
                return int(number), int(other)
    return None


def _corners_of(face: TopoDS_Shape, known: TopTools_IndexedMapOfShape) -> set[int]:
    """The corners of a face, by their numbers in a map that grows."""
    numbers = set()
    corners = TopExp_Explorer(face, TopAbs_VERTEX)
    while corners.More():
        numbers.add(known.Add(corners.Current()))
        corners.Next()
    return numbers
