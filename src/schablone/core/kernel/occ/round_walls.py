"""Round walls of the kernel's own meshes, moved out so far that chords take nothing off them on the
whole. Where triangles are put on faces one by one, their edges are so from the beginning
(:mod:`.edge_lines`)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from OCP.GeomAbs import GeomAbs_Cylinder, GeomAbs_Plane
from OCP.gp import gp_Dir
from OCP.TopoDS import TopoDS_Shape

from .endless import endless

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]

#: Cosines of angles below this are those of directions across each other.
_ACROSS = 1e-6


def moved_out(
    points: Floats, triangles: Ints, face_of: Ints, faces: Sequence[TopoDS_Shape]
) -> Floats:
    """Points (n, 3) of a mesh whose ``triangles`` (m, 3) lie on the numbered ``faces``; those on
    cylinders moved, those left where they are that lie on a flat face along the axis, too, or on
    another round one."""
    surfaces = [endless(face) for face in faces]
    on = [np.unique(triangles[face_of == k]) for k in range(len(faces))]
    flat = {
        k: _way(one.Plane().Axis().Direction())
        for k, one in enumerate(surfaces)
        if one.GetType() == GeomAbs_Plane
    }
    moved, times = points.copy(), np.zeros(len(points), dtype=np.int32)
    for k, surface in enumerate(surfaces):
        if surface.GetType() != GeomAbs_Cylinder:
            continue
        axes = surface.Cylinder().Axis()
        o, up = axes.Location(), _way(axes.Direction())
        along = [on[j] for j, normal in flat.items() if abs(float(normal @ up)) < 1 - _ACROSS]
        mine = np.setdiff1d(on[k], np.concatenate(along)) if along else on[k]
        out = points[on[k]] - np.array([o.X(), o.Y(), o.Z()])
        out -= (out @ up)[:, None] * up
        factor = _factor(out, up)
        chosen = np.isin(on[k], mine)
        moved[mine] += out[chosen] * (factor - 1)
        times[mine] += 1
    moved[times > 1] = points[times > 1]
    return moved


def _way(direction: gp_Dir) -> Floats:
    return np.array([direction.X(), direction.Y(), direction.Z()])


def _factor(out: Floats, up: Floats) -> float:
    """By how much points round an axis, by their directions from it, lie further out than their
    circle where their chords enclose as much as it does."""
    if len(out) < 3:
        return 1.0
    x = out[0] / np.linalg.norm(out[0])
    angles = np.unique(np.round(np.arctan2(out @ np.cross(up, x), out @ x), 7))
    gaps = np.diff(angles)
    step = float(np.median(gaps)) if len(gaps) else 0.0
    return float(np.sqrt(step / np.sin(step))) if 0 < step < 1 else 1.0
