"""Edges so near to each other that what is done to one may come to the other."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from OCP.Bnd import Bnd_Box
from OCP.BRepBndLib import BRepBndLib
from OCP.TopAbs import TopAbs_EDGE, TopAbs_VERTEX
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS_Edge, TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from .history import faces_around, listed


def is_tight(shape: TopoDS_Shape, edges: Sequence[TopoDS_Edge], reach: float) -> bool:
    """Whether what is done to edges, as far as ``reach`` on each of their faces, mm, may come to
    another edge there, or meet what is done to that. Told by boxes, on the safe side."""
    chosen = {hash(edge) for edge in edges}
    around = faces_around(shape)
    beside = {hash(face): face for edge in edges for face in listed(around.FindFromKey(edge))}
    for face in beside.values():
        known = [_Reaching.of(edge) for edge in _edges_on(face)]
        for one in known:
            if one.key in chosen and any(
                one.comes_to(other, 2 * reach if other.key in chosen else reach) for other in known
            ):
                return True
    return False


@dataclass(frozen=True, slots=True)
class _Reaching:
    """An edge with its ends, told by their keys, and the box around it, mm."""

    key: int
    ends: frozenset[int]
    box: tuple[float, ...]

    @classmethod
    def of(cls, edge: TopoDS_Shape) -> _Reaching:
        ends = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(edge, TopAbs_VERTEX, ends)
        box = Bnd_Box()
        BRepBndLib.Add_s(edge, box)
        keys = frozenset(hash(ends.FindKey(k + 1)) for k in range(ends.Extent()))
        return cls(hash(edge), keys, box.Get())

    def comes_to(self, other: _Reaching, reach: float) -> bool:
        """Whether another edge that has no end in common with it may be nearer than ``reach``."""
        if other.key == self.key or not self.ends.isdisjoint(other.ends):
            return False
        gaps = (
            max(self.box[k] - other.box[3 + k], other.box[k] - self.box[3 + k], 0.0)
            for k in range(3)
        )
        return math.hypot(*gaps) < reach


def _edges_on(face: TopoDS_Shape) -> list[TopoDS_Shape]:
    edges = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(face, TopAbs_EDGE, edges)
    return [edges.FindKey(k + 1) for k in range(edges.Extent())]
