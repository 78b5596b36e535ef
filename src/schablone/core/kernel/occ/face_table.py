"""Where the faces of a solid lie, as arrays, to tell at once which of them can come near a tool."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from OCP.TopoDS import TopoDS_Shape

from .face_facts import PLANE, facts_of

Floats = NDArray[np.float64]


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
        rows = [facts_of(face).row for face in faces]
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

    def moved(self, by: Floats) -> FaceTable:
        """The same faces elsewhere, by mm (3,)."""
        return replace(self, low=self.low + by, high=self.high + by, at=self.at + by)

    def turned_over(self) -> FaceTable:
        """The same faces with their normals the other way round."""
        return replace(self, way=np.where((self.kind == PLANE)[:, None], -self.way, self.way))

    def within(self, low: Floats, high: Floats) -> NDArray[np.intp]:
        """The rows whose boxes meet a box, mm."""
        meets = ((self.high >= low) & (self.low <= high)).all(axis=1)
        return np.nonzero(meets)[0]
