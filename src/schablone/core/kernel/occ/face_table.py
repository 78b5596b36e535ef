"""Where the faces of a solid lie, as arrays, to tell at once which of them can come near a tool."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from OCP.Bnd import Bnd_Box
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.GeomAbs import GeomAbs_Cylinder, GeomAbs_Plane
from OCP.TopAbs import TopAbs_REVERSED
from OCP.TopoDS import TopoDS, TopoDS_Shape

Floats = NDArray[np.float64]
#: What a face is: a plane, a cylinder, or something else.
PLANE, CYLINDER, OTHER = 1, 2, 0


@dataclass(frozen=True, slots=True)
class FaceTable:
    """A row for each face, in their order.

    ``low`` and ``high`` (n, 3) are boxes around them, mm, none too small; ``kind`` (n,) tells
    planes and cylinders; ``at`` (n, 3) is a point of the plane or of the axis, ``way`` (n, 3) the
    plane's normal, outwards, or the direction of the axis, ``radius`` (n,) that of the cylinder.
    """

    low: Floats
    high: Floats
    kind: NDArray[np.int8]
    at: Floats
    way: Floats
    radius: Floats

    @classmethod
    def of(cls, faces: Sequence[TopoDS_Shape]) -> FaceTable:
        """A row for each face."""
        rows = [_row(face) for face in faces]
        if not rows:
            none = np.empty((0, 3))
            return cls(none, none, np.empty(0, np.int8), none, none, np.empty(0))
        low, high, kind, at, way, radius = zip(*rows, strict=True)
        return cls(
            np.array(low), np.array(high), np.array(kind, np.int8),
            np.array(at), np.array(way), np.array(radius),
        )  # fmt: skip

    def with_rows(self, more: FaceTable) -> FaceTable:
        """The table with the rows of another below its own."""
        return FaceTable(
            np.concatenate([self.low, more.low]),
            np.concatenate([self.high, more.high]),
            np.concatenate([self.kind, more.kind]),
            np.concatenate([self.at, more.at]),
            np.concatenate([self.way, more.way]),
            np.concatenate([self.radius, more.radius]),
        )

    def turned_over(self) -> FaceTable:
        """The same faces with their normals the other way round."""
        return replace(self, way=np.where((self.kind == PLANE)[:, None], -self.way, self.way))

    def within(self, low: Floats, high: Floats) -> NDArray[np.intp]:
        """The rows whose boxes meet a box."""
        meets = ((self.high >= low) & (self.low <= high)).all(axis=1)
        return np.nonzero(meets)[0]


def _row(
    shape: TopoDS_Shape,
) -> tuple[list[float], list[float], int, list[float], list[float], float]:
    face = TopoDS.Face_s(shape)
    box = Bnd_Box()
    BRepBndLib.Add_s(face, box, False)
    x0, y0, z0, x1, y1, z1 = box.Get()
    surface = BRepAdaptor_Surface(face)
    if surface.GetType() == GeomAbs_Plane:
        axes = surface.Plane().Position()
        way = axes.Direction()
        # The normal of a left-handed frame is turned; so is that of a face seen from behind.
        turned = (face.Orientation() == TopAbs_REVERSED) != (not axes.Direct())
        sign = -1.0 if turned else 1.0
        kind, at, radius = PLANE, axes.Location(), 0.0
    elif surface.GetType() == GeomAbs_Cylinder:
        axes = surface.Cylinder().Position()
        way, sign, kind, at = axes.Direction(), 1.0, CYLINDER, axes.Location()
        radius = surface.Cylinder().Radius()
    else:
        return [x0, y0, z0], [x1, y1, z1], OTHER, [0.0] * 3, [0.0, 0.0, 1.0], 0.0
    return (
        [x0, y0, z0], [x1, y1, z1], kind, [at.X(), at.Y(), at.Z()],
        [sign * way.X(), sign * way.Y(), sign * way.Z()], radius,
    )  # fmt: skip
