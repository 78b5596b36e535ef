"""A part as arrays for drawing and picking, and colours: what the view needs before anything is
drawn."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Colour = tuple[float, float, float]


def colour(text: str) -> Colour:
    """``#C9A36A`` as fractions of red, green and blue."""
    return (int(text[1:3], 16) / 255, int(text[3:5], 16) / 255, int(text[5:7], 16) / 255)


@dataclass(slots=True)
class DrawnMesh:
    """A part as it is drawn and picked: see :class:`schablone.core.kernel.mesh.Mesh` for the
    arrays."""

    points: NDArray[np.floating]
    triangles: NDArray[np.integer]
    face_of: NDArray[np.integer]
    normals: NDArray[np.floating]
    edges: NDArray[np.floating]
    edge_lengths: NDArray[np.integer]
    edge_faces: list[tuple[int, int]] = field(default_factory=list)
    _boxes: NDArray[np.float64] | None = field(default=None, repr=False, compare=False)

    @property
    def bytes(self) -> int:
        """How much memory it takes, about."""
        arrays = self.points, self.triangles, self.face_of, self.normals, self.edges
        return sum(array.nbytes for array in arrays)

    def bounds(self) -> tuple[NDArray[np.floating], NDArray[np.floating]]:
        if not len(self.points):
            return np.zeros(3), np.zeros(3)
        return self.points.min(axis=0), self.points.max(axis=0)

    def face_boxes(self, count: int) -> NDArray[np.float64]:
        """For each of ``count`` faces the box around it, (count, 6): low corner, then high corner,
        mm. Worked out once: each part is compared with the one before and the one after it."""
        if self._boxes is None or len(self._boxes) != count:
            self._boxes = self._worked_out_boxes(count)
        return self._boxes

    def _worked_out_boxes(self, count: int) -> NDArray[np.float64]:
        if not len(self.triangles):
            return np.zeros((count, 6))
        boxes = np.tile([np.inf] * 3 + [-np.inf] * 3, (count, 1))
        order = np.argsort(self.face_of, kind="stable")
        face_of = self.face_of[order]
        corners = self.points[self.triangles[order]].reshape(-1, 3)
        starts = np.flatnonzero(np.diff(face_of, prepend=-1))
        faces = face_of[starts]
        boxes[faces, :3] = np.minimum.reduceat(corners, 3 * starts)
        boxes[faces, 3:] = np.maximum.reduceat(corners, 3 * starts)
        return boxes

    def pick(
        self, start: NDArray[np.floating], direction: NDArray[np.floating]
    ) -> tuple[int, float] | None:
        """The face that a line of sight meets first, and how far from its start."""
        return next(iter(self.picks(start, direction)), None)

    def picks(
        self, start: NDArray[np.floating], direction: NDArray[np.floating]
    ) -> list[tuple[int, float]]:
        """The faces that a line of sight meets, each once, the nearest first, and how far from its
        start.

        Möller and Trumbore, Fast, minimum storage ray/triangle intersection (J. Graphics Tools 2,
        1997), over all triangles at once.
        """
        a = self.points[self.triangles[:, 0]].astype(np.float64)
        e1 = self.points[self.triangles[:, 1]] - a
        e2 = self.points[self.triangles[:, 2]] - a
        p = np.cross(direction, e2)
        det = np.einsum("ij,ij->i", e1, p)
        with np.errstate(divide="ignore", invalid="ignore"):
            inverse = 1.0 / det
            s = start - a
            u = np.einsum("ij,ij->i", s, p) * inverse
            q = np.cross(s, e1)
            v = (q @ direction) * inverse
            t = np.einsum("ij,ij->i", e2, q) * inverse
            hit = (np.abs(det) > 1e-12) & (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9)
        where = np.flatnonzero(hit)
        met: dict[int, float] = {}
        for triangle in where[np.argsort(t[where])].tolist():
            met.setdefault(int(self.face_of[triangle]), float(t[triangle]))
        return list(met.items())
