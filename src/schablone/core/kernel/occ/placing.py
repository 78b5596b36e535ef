"""Kernel shapes under motions."""

from __future__ import annotations

from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_Transform,
)
from OCP.gp import gp_Pnt, gp_Trsf
from OCP.TopoDS import TopoDS_Shape

from ..motion import Motion
from .history import Named


def trsf(motion: Motion) -> gp_Trsf:
    """The kernel's form of a motion."""
    transformation = gp_Trsf()
    (a, b, c), (d, e, f), (g, h, i) = motion.rows
    x, y, z = motion.shift
    if motion.mirrors:
        # The kernel takes only turns by values: a mirror is a turn after the mirror in the origin.
        transformation.SetValues(-a, -b, -c, x, -d, -e, -f, y, -g, -h, -i, z)
        through = gp_Trsf()
        through.SetMirror(gp_Pnt(0, 0, 0))
        return transformation.Multiplied(through)
    transformation.SetValues(a, b, c, x, d, e, f, y, g, h, i, z)
    return transformation


def moved(shape: TopoDS_Shape, named: Named, motion: Motion) -> tuple[TopoDS_Shape, Named]:
    """A shape under a motion, its faces with their names."""
    maker = BRepBuilderAPI_Transform(shape, trsf(motion), True)
    return maker.Shape(), [(maker.ModifiedShape(face), name) for face, name in named]
