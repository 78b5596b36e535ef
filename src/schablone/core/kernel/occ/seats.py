"""What is known of the faces of a solid as places for tools; most of it holds for the next one."""

from __future__ import annotations

from dataclasses import dataclass, field

from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepClass import BRepClass_FaceClassifier
from OCP.BRepTopAdaptor import BRepTopAdaptor_FClass2d
from OCP.ElSLib import ElSLib
from OCP.gp import gp_Pnt, gp_Pnt2d
from OCP.TopAbs import TopAbs_IN
from OCP.TopoDS import TopoDS_Face

from .column import Column, Floats
from .face_table import FaceTable


@dataclass(slots=True)
class Seats:
    """Where faces lie; their areas as far as they were measured, by their number; what tells for a
    flat one whether a place lies on it, with all that was put on it since that was made; and which
    of them were asked before."""

    table: FaceTable
    areas: dict[int, float] = field(default_factory=dict)
    told: dict[int, tuple[BRepTopAdaptor_FClass2d, tuple[Column, ...]]] = field(
        default_factory=dict
    )
    asked: set[int] = field(default_factory=set)

    def copy(self) -> Seats:
        """One that can be added to without changing this."""
        return Seats(self.table, dict(self.areas), dict(self.told), set(self.asked))

    def holds(self, number: int, face: TopoDS_Face, spot: Floats) -> bool:
        """Whether a place in the plane of a face lies on it."""
        low, high = self.table.low[number], self.table.high[number]
        if not ((spot >= low) & (spot <= high)).all():
            return False
        told, sunk = self.told.get(number, (None, ()))
        taken = [column.takes(spot) for column in sunk]
        if any(taken):
            return False
        plane = BRepAdaptor_Surface(face).Plane()
        place = gp_Pnt2d(*ElSLib.Parameters_s(plane, gp_Pnt(*spot.tolist())))
        # Beside all that was put on the face since, what was told of it holds.
        if told is None or None in taken:
            if number not in self.asked:
                # Once is quicker without what makes it quick many times.
                self.asked.add(number)
                return bool(BRepClass_FaceClassifier(face, place, 1e-7).State() == TopAbs_IN)
            told = BRepTopAdaptor_FClass2d(face, 1e-7)
            self.told[number] = told, ()
        return bool(told.Perform(place) == TopAbs_IN)

    def put_on(self, number: int, column: Column) -> None:
        """A tool was put on a face."""
        if number in self.told:
            told, sunk = self.told[number]
            self.told[number] = told, (*sunk, column)
