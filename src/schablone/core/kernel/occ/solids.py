"""Kernel solids with the names of their faces, and what is measured on them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_SOLID
from OCP.TopExp import TopExp, TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Shell, TopoDS_Solid
from OCP.TopTools import (
    TopTools_IndexedDataMapOfShapeListOfShape,
    TopTools_IndexedMapOfShape,
)

from ..figures import Figures
from ..frame import Vector, as_vector
from ..naming import NAMELESS, FaceName
from .bounds import bounds_of
from .face_facts import facts_of
from .face_table import FaceTable
from .history import Named, edges_beside, faces_around
from .seats import Seats
from .validity import is_valid

#: A shape with its faces and their names.
Made = tuple[TopoDS_Shape, Named]


@dataclass(frozen=True)
class Solid:
    """A kernel shape and the name of each of its faces, in the order of the kernel's own face
    map."""

    shape: TopoDS_Shape
    names: tuple[FaceName, ...]

    @classmethod
    def of_known(
        cls,
        shape: TopoDS_Shape,
        names: tuple[FaceName, ...],
        weighed: tuple[float, Vector],
        since: Since,
        seats: Seats,
    ) -> Solid:
        """A solid whose volume and centre, figures and seats follow from those of another; figures
        as soon as they are asked for."""
        made = cls(shape, names)
        made.__dict__.update(weighed=weighed, seats=seats, _since=since)
        return made

    @property
    def since(self) -> Since:
        """From what its figures follow: from themselves where they are known or must be
        measured."""
        since: Since | None = self.__dict__.get("_since")
        return since if since is not None else Since(self)

    @cached_property
    def seats(self) -> Seats:
        """Its faces as places for tools."""
        return Seats(FaceTable.of(self.faces()))

    def faces(self) -> list[TopoDS_Shape]:
        """Its faces, in the order of their names."""
        return faces_of(self.shape)

    def of_member(self, number: int) -> Solid:
        """The same solid with the names of a member of a row."""
        return Solid(self.shape, tuple(name.of_member(number) for name in self.names))

    @cached_property
    def figures(self) -> Figures:
        """Volume, surface and bounds, measured once on the shape itself or told by what it was made
        of."""
        since: Since | None = self.__dict__.pop("_since", None)
        if since is not None:
            known, (volume, centre) = since.measured.figures, self.weighed
            return Figures(
                volume, known.area + since.spread, around([known.bounds, *since.added]), centre
            )
        area = math.fsum(facts_of(face).area for face in self.faces())
        volume, centre = self.weighed
        return Figures(volume, area, bounds_of(self.shape), centre)

    @property
    def volume(self) -> float:
        """mm³; measured once, without what else :attr:`figures` takes."""
        return self.weighed[0]

    @cached_property
    def weighed(self) -> tuple[float, Vector]:
        """Volume, mm³, and centre of mass, measured once on the shape itself: each face gives the
        cone that it makes with the origin, together they are what the faces enclose."""
        cones = [facts_of(face).cone for face in self.faces()]
        volume = math.fsum(cone[0] for cone in cones)
        x, y, z = (math.fsum(cone[1][k] for cone in cones) for k in range(3))
        return volume, ((x / volume, y / volume, z / volume) if volume else (0.0, 0.0, 0.0))

    @cached_property
    def _around(self) -> TopTools_IndexedDataMapOfShapeListOfShape:
        return faces_around(self.shape)

    def is_empty(self) -> bool:
        """Whether nothing is enclosed."""
        return not TopExp_Explorer(self.shape, TopAbs_SOLID).More()

    def is_closed(self) -> bool:
        """Whether every edge has a face on both sides: quick, where :meth:`is_valid` is slow."""
        around = self._around
        return all(
            around.FindFromIndex(k + 1).Size() == 2
            or BRep_Tool.Degenerated_s(TopoDS.Edge_s(around.FindKey(k + 1)))
            for k in range(around.Extent())
        )

    def touching(self) -> tuple[Vector, tuple[FaceName, ...]] | None:
        """A spot, mm, where the solid touches itself along a line and no further, with the faces
        there: an edge with more than two faces around it. None where there is none."""
        around = self._around
        if all(around.FindFromIndex(k + 1).Size() <= 2 for k in range(around.Extent())):
            return None
        for edge, beside in edges_beside(self.shape):
            if len(beside) > 2 and not BRep_Tool.Degenerated_s(edge):
                curve = BRepAdaptor_Curve(edge)
                p = curve.Value((curve.FirstParameter() + curve.LastParameter()) / 2)
                return (p.X(), p.Y(), p.Z()), tuple(self.names[face] for face in beside)
        return None

    def is_valid(self) -> bool:
        """The kernel's full check: every face, edge and vertex. Slow for many faces."""
        return is_valid(self.shape, self.faces())

    def counts(self) -> tuple[int, int]:
        """How many faces and edges there are."""
        edges = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(self.shape, TopAbs_EDGE, edges)
        return len(self.names), edges.Extent()


@dataclass(frozen=True, slots=True)
class Since:
    """The solid that was ``measured`` last, how much surface came in since then, mm², and the box
    around what was added.

    It is never one whose own figures follow from another's: a part may be made by a thousand steps.
    """

    measured: Solid
    spread: float = 0.0
    added: tuple[tuple[Vector, Vector], ...] = ()

    def then(self, spread: float, boxes: Sequence[tuple[Vector, Vector]]) -> Since:
        """After more surface and more boxes."""
        every = (*self.added, *boxes)
        return Since(self.measured, self.spread + spread, (around(every),) if every else ())


def around(boxes: Sequence[tuple[Vector, Vector]]) -> tuple[Vector, Vector]:
    """The box around boxes, mm."""
    low = as_vector(min(box[0][k] for box in boxes) for k in range(3))
    return low, as_vector(max(box[1][k] for box in boxes) for k in range(3))


def faces_of(shape: TopoDS_Shape) -> list[TopoDS_Shape]:
    """The faces of a shape, each once."""
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, faces)
    return [faces.FindKey(i + 1) for i in range(faces.Extent())]


def enclosed_by(faces: Sequence[TopoDS_Shape]) -> TopoDS_Solid:
    """The solid that faces enclose which have their edges in common."""
    builder, shell, whole = BRep_Builder(), TopoDS_Shell(), TopoDS_Solid()
    builder.MakeShell(shell)
    for face in faces:
        builder.Add(shell, face)
    shell.Closed(True)
    builder.MakeSolid(whole)
    builder.Add(whole, shell)
    return whole


def in_order(
    shape: TopoDS_Shape,
    named: Sequence[tuple[TopoDS_Shape, FaceName]],
    otherwise: FaceName = NAMELESS,
) -> Solid:
    """Put names in the order of the shape's faces; those that have none get the name
    ``otherwise``."""
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, faces)
    names: dict[int, FaceName] = {}
    for face, name in named:
        index = faces.FindIndex(face)
        if index:
            names[index] = name
    return Solid(shape, tuple(names.get(i + 1, otherwise) for i in range(faces.Extent())))


def is_free(shape: TopoDS_Shape) -> bool:
    """Whether any face is a free surface: those the kernel's plain formulas measure badly, all
    others exactly."""
    return any(facts_of(face).is_free for face in faces_of(shape))


def area_of(face: TopoDS_Face) -> float:
    """mm²."""
    figures = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, figures)
    return float(figures.Mass())
