"""Faces whose outlines would cross themselves or each other.

The kernel's own check holds each wire of a face against each other one, which with eighty holes
takes longer than everything else of a change. Most holes lie well apart: that is told by boxes
here, and the kernel is asked only where boxes do not tell. It alone says what is wrong.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray
from OCP.Bnd import Bnd_Box
from OCP.BRep import BRep_Builder
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBndLib import BRepBndLib
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepTools import BRepTools_WireExplorer
from OCP.GeomAbs import GeomAbs_Plane
from OCP.TopAbs import TopAbs_FORWARD, TopAbs_REVERSED, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Edge, TopoDS_Face, TopoDS_Wire

from ..mesh import FINE
from ..triangles import signed_area
from .edge_lines import line_of
from .endless import endless
from .kept import as_drawn

Floats = NDArray[np.float64]

#: Outlines whose boxes are nearer than this, mm, are left to the kernel.
_APART = 1e-5
#: With so few holes the kernel is asked at once.
_FEW = 4


def at_fault(faces: Mapping[int, TopoDS_Face], which: Collection[int]) -> list[int]:
    """Of some faces, by number, those that the kernel finds fault with."""
    return [
        k
        for k in sorted(which)
        if k in faces and not _lies_apart(faces[k]) and not BRepCheck_Analyzer(faces[k]).IsValid()
    ]


@dataclass(frozen=True, slots=True)
class _Outline:
    """A wire of a flat face: its edges' boxes (n, 6), low before high, and the points (m, 2) of it
    in the plane, so that the material lies to the left."""

    wire: TopoDS_Wire
    edges: tuple[TopoDS_Edge, ...]
    boxes: Floats
    flat: Floats

    @property
    def box(self) -> Floats:
        return np.concatenate([self.boxes[:, :3].min(axis=0), self.boxes[:, 3:].max(axis=0)])


def _lies_apart(face: TopoDS_Face) -> bool:
    """Whether a flat face with many holes is sure to be sound: each outline is by itself, all lie
    apart, and all holes within the outer one. No says nothing."""
    surface = endless(face)
    if surface.GetType() != GeomAbs_Plane:
        return False
    outlines = _outlines(face, surface)
    if outlines is None or len(outlines) <= _FEW:
        return False
    areas = [signed_area(one.flat) for one in outlines]
    outer = int(np.argmax(np.abs(areas)))
    if areas[outer] <= 0 or any(a >= 0 for k, a in enumerate(areas) if k != outer):
        return False
    holes = [one for k, one in enumerate(outlines) if k != outer]
    boxes = np.stack([hole.box for hole in holes])
    if _meet(boxes, boxes).sum() > len(holes) or _meet(outlines[outer].boxes, boxes).any():
        return False
    # No edge of the outer outline reaches into a hole's box: it lies in or out with all it has.
    around = shapely.Polygon(outlines[outer].flat)
    spots = np.stack([hole.flat[0] for hole in holes])
    if not np.all(shapely.contains_xy(around, spots)):
        return False
    # Of outlines that are one moved to several places, the first tells for all.
    way = surface.Plane().Axis().Direction()
    up = np.array([way.X(), way.Y(), way.Z()])
    apart = {_one_drawn(one.wire, up, k): k for k, one in reversed(list(enumerate(outlines)))}
    return all(
        _is_sound_alone(face, outlines[k], is_outer=k == outer) for k in sorted(apart.values())
    )


def _one_drawn(wire: TopoDS_Wire, up: Floats, number: int) -> tuple[int, float]:
    """What wires have in common that are one moved to several places of a plane, whose normal is
    ``up``: how high they were lifted as well. The number of any other."""
    drawn, shift = as_drawn(wire)
    return (hash(drawn), round(float(shift @ up), 7)) if shift is not None else (0, float(number))


def _meet(one: Floats, other: Floats) -> NDArray[np.bool_]:
    """Which boxes (n, 6) come near which others (m, 6), shape (n, m)."""
    low, high = one[:, None, :3], one[:, None, 3:]
    near = (low <= other[None, :, 3:] + _APART) & (high >= other[None, :, :3] - _APART)
    meets: NDArray[np.bool_] = np.all(near, axis=2)
    return meets


def _outlines(face: TopoDS_Face, surface: BRepAdaptor_Surface) -> list[_Outline] | None:
    """The wires of a flat face; None where one has an end."""
    axes = surface.Plane().Position()
    x, y = axes.XDirection(), axes.YDirection()
    basis = np.array([(x.X(), x.Y(), x.Z()), (y.X(), y.Y(), y.Z())]).T
    forward = TopoDS.Face_s(face.Oriented(TopAbs_FORWARD))
    outlines = []
    wires = TopExp_Explorer(forward, TopAbs_WIRE)
    while wires.More():
        wire = TopoDS.Wire_s(wires.Current())
        edges: list[TopoDS_Edge] = []
        lines: list[Floats] = []
        walk = BRepTools_WireExplorer(wire, forward)
        while walk.More():
            edge = walk.Current()
            line = line_of(edge, FINE)
            if len(line) < 2:
                return None
            edges.append(edge)
            lines.append(line[::-1] if edge.Orientation() == TopAbs_REVERSED else line)
            walk.Next()
        if not _is_closed(lines):
            return None
        flat = np.concatenate([line[:-1] for line in lines]) @ basis
        outlines.append(_Outline(wire, tuple(edges), np.array([_box(e) for e in edges]), flat))
        wires.Next()
    return outlines


def _is_closed(lines: Sequence[Floats]) -> bool:
    return bool(lines) and all(
        np.abs(a[-1] - b[0]).max() < 1e-6
        for a, b in zip(lines, [*lines[1:], lines[0]], strict=True)
    )


def _box(edge: TopoDS_Edge) -> tuple[float, ...]:
    box = Bnd_Box()
    BRepBndLib.Add_s(edge, box, False)
    return tuple(box.Get())


def _is_sound_alone(face: TopoDS_Face, outline: _Outline, *, is_outer: bool) -> bool:
    """Whether a wire is the outline of an area."""
    if len(outline.edges) == 1:
        return bool(BRepCheck_Analyzer(outline.edges[0]).IsValid())
    alone = TopoDS.Face_s(face.EmptyCopied().Oriented(TopAbs_FORWARD))
    BRep_Builder().Add(alone, outline.wire if is_outer else outline.wire.Reversed())
    return bool(BRepCheck_Analyzer(alone).IsValid())
