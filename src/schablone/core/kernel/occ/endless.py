"""What faces lie on."""

from __future__ import annotations

from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.TopoDS import TopoDS, TopoDS_Shape


def endless(face: TopoDS_Shape) -> BRepAdaptor_Surface:
    """The surface that a face lies on, as far as it goes. How far the face itself reaches on it is
    not worked out: that takes a walk along all its outlines, and few ask for it."""
    return BRepAdaptor_Surface(TopoDS.Face_s(face), False)
