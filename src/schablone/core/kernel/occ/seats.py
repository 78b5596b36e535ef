"""What is known of the faces of a solid as places for tools; most of it holds for the next one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from OCP.BRepClass import BRepClass_FaceClassifier
from OCP.BRepTopAdaptor import BRepTopAdaptor_FClass2d
from OCP.ElSLib import ElSLib
from OCP.gp import gp_Pln, gp_Pnt, gp_Pnt2d
from OCP.TopAbs import TopAbs_IN
from OCP.TopoDS import TopoDS_Face

from .column import Column, Floats
from .endless import endless
from .face_table import FaceTable


@dataclass(frozen=True, slots=True)
class _PutOn:
    """What was put on a face, with the boxes along the axes around each, (n, 3), mm."""

    columns: tuple[Column, ...] = ()
    low: Floats = field(default_factory=lambda: np.empty((0, 3)))
    high: Floats = field(default_factory=lambda: np.empty((0, 3)))

    def and_(self, column: Column) -> _PutOn:
        """With one more."""
        low, high = column.bounds()
        return _PutOn(
            (*self.columns, column), np.vstack([self.low, low]), np.vstack([self.high, high])
        )

    def takes(self, spot: Floats) -> bool | None:
        """Whether a place on the face lies within anything that was put on it; None where that is
        too near to tell."""
        near = ((self.low <= spot) & (spot <= self.high)).all(axis=1)
        taken = [self.columns[k].takes(spot) for k in np.nonzero(near)[0]]
        return True if any(taken) else None if None in taken else False


@dataclass(slots=True)
class Seats:
    """Where faces lie; their areas as far as they were measured, by their number; what tells for a
    flat one whether a place lies on it, with all that was put on it since that was made; which of
    them were asked before; and the planes of those, in their own coordinates."""

    table: FaceTable
    areas: dict[int, float] = field(default_factory=dict)
    told: dict[int, tuple[BRepTopAdaptor_FClass2d, _PutOn]] = field(default_factory=dict)
    asked: set[int] = field(default_factory=set)
    planes: dict[int, gp_Pln] = field(default_factory=dict)

    def copy(self) -> Seats:
        """One that can be added to without changing this."""
        told, planes = dict(self.told), dict(self.planes)
        return Seats(self.table, dict(self.areas), told, set(self.asked), planes)

    def holds(self, number: int, face_now: Callable[[], TopoDS_Face], spot: Floats) -> bool:
        """Whether a place in the plane of a face, mm, lies on it; ``face_now`` gives it as it
        is."""
        low, high = self.table.low[number], self.table.high[number]
        if not ((spot >= low) & (spot <= high)).all():
            return False
        told, since = self.told.get(number, (None, _PutOn()))
        taken = since.takes(spot)
        if taken:
            return False
        if number not in self.planes:
            self.planes[number] = endless(face_now()).Plane()
        place = gp_Pnt2d(*ElSLib.Parameters_s(self.planes[number], gp_Pnt(*spot.tolist())))
        # Beside all that was put on the face since, what was told of it holds.
        if told is None or taken is None:
            face = face_now()
            if number not in self.asked:
                # Once is quicker without what makes it quick many times.
                self.asked.add(number)
                return bool(BRepClass_FaceClassifier(face, place, 1e-7).State() == TopAbs_IN)
            told = BRepTopAdaptor_FClass2d(face, 1e-7)
            self.told[number] = told, _PutOn()
        return bool(told.Perform(place) == TopAbs_IN)

    def put_on(self, number: int, column: Column) -> None:
        """A tool was put on a face."""
        if number in self.told:
            told, since = self.told[number]
            self.told[number] = told, since.and_(column)
