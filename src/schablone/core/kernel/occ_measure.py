"""Distances between faces of solids."""

from __future__ import annotations

from OCP.BRep import BRep_Builder
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.TopoDS import TopoDS_Compound

from .naming import FaceName
from .occ import Solid


def _pieces(solid: Solid, name: FaceName) -> TopoDS_Compound:
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for face, mine in zip(solid.faces(), solid.names, strict=True):
        if mine == name:
            builder.Add(compound, face)
    return compound


def distance(solid: Solid, face: FaceName, other: Solid, other_face: FaceName) -> float:
    """The shortest distance between two faces, mm.

    Raises:
        ValueError: where the kernel finds none.
    """
    found = BRepExtrema_DistShapeShape(_pieces(solid, face), _pieces(other, other_face))
    found.Perform()
    if not found.IsDone():
        raise ValueError("the distance between the two faces could not be measured")
    return float(found.Value())
