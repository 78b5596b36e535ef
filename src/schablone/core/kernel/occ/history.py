"""What became of the faces of a shape when another was made of it, and which faces lie beside its
edges: what the kernel tells, asked in one way by all."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_ShapeEnum
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Shape
from OCP.TopTools import (
    TopTools_IndexedDataMapOfShapeListOfShape,
    TopTools_IndexedMapOfShape,
    TopTools_ListOfShape,
)

from ..naming import FaceName

#: Faces with their names.
Named = list[tuple[TopoDS_Shape, FaceName]]


def listed(shapes: TopTools_ListOfShape) -> list[TopoDS_Shape]:
    """The shapes of one of the kernel's lists, which itself stays as it is.

    Going over such a list in Python's own way costs 0.4 ms: that it is at its end is told by an
    exception, which has to find its way through the whole of a very large library. A part of a
    thousand faces asks for a thousand of them.
    """
    if shapes.IsEmpty():
        return []
    left = TopTools_ListOfShape(shapes)
    members = []
    while not left.IsEmpty():
        members.append(left.First())
        left.RemoveFirst()
    return members


def became(made: Any, face: TopoDS_Shape) -> list[TopoDS_Shape]:
    """What one of the kernel's makers made of a face: its pieces, itself where it was not touched,
    and nothing where it is gone.

    Pieces that were joined again count as gone with the kernel, although it tells what they became:
    so that is asked first.
    """
    pieces = listed(made.Modified(face))
    if pieces or made.IsDeleted(face):
        return pieces
    return [face]


def carried(made: Any, named: Iterable[tuple[TopoDS_Shape, FaceName]]) -> Named:
    """Named faces after one of the kernel's makers has done its work: all pieces of a face bear its
    name."""
    return [(piece, name) for face, name in named for piece in became(made, face)]


def faces_around(shape: TopoDS_Shape) -> TopTools_IndexedDataMapOfShapeListOfShape:
    """The kernel's map of the edges of a shape, each with the faces around it."""
    around = TopTools_IndexedDataMapOfShapeListOfShape()
    TopExp.MapShapesAndAncestors_s(shape, TopAbs_EDGE, TopAbs_FACE, around)
    return around


def count_of(shape: TopoDS_Shape, kind: TopAbs_ShapeEnum) -> int:
    """How many parts of a kind (solids, shells, …) a shape has."""
    count, each = 0, TopExp_Explorer(shape, kind)
    while each.More():
        count += 1
        each.Next()
    return count


def edges_beside(shape: TopoDS_Shape) -> list[tuple[TopoDS_Edge, tuple[int, ...]]]:
    """The edges of a shape in the order of the kernel's map, each with the numbers of the faces
    around it; twice the same for a seam."""
    around = faces_around(shape)
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, faces)
    return [
        (
            TopoDS.Edge_s(around.FindKey(k + 1)),
            tuple(faces.FindIndex(face) - 1 for face in listed(around.FindFromIndex(k + 1))),
        )
        for k in range(around.Extent())
    ]
