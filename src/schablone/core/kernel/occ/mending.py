"""Solids as other programs write them: faces that are loose, or look the wrong way, put right where
that changes nothing of where they lie."""

from __future__ import annotations

from dataclasses import dataclass

from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeSolid, BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepLib import BRepLib
from OCP.TopAbs import TopAbs_FACE, TopAbs_ShapeEnum, TopAbs_SHELL, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Shape

from ..frame import Vector
from .bounds import bounds_of
from .solids import faces_of

#: Edges no farther apart than this, mm, are one.
_TOGETHER = 1e-4


@dataclass(frozen=True, slots=True)
class Mended:
    """The solid that was taken, and in words what was done, empty where nothing was."""

    shape: TopoDS_Shape
    words: str = ""


def solid_in(whole: TopoDS_Shape) -> Mended | None:
    """The solid of what was read, of several that with the most faces; None where there is none,
    and faces enclose none either."""
    solids = _parts(whole, TopAbs_SOLID)
    if not solids:
        solids = _sewn(whole)
        joined = "Its faces were loose; joined where they meet, they enclose a solid."
        return _largest(solids, joined) if solids else None
    largest = _largest(solids)
    if BRepCheck_Analyzer(largest.shape).IsValid():
        return largest
    again = _sewn(largest.shape)
    if len(again) == 1:
        turned = "Faces of it looked the wrong way; joined anew, they enclose a solid."
        return Mended(again[0], f"{largest.words} {turned}".strip())
    return Mended(largest.shape, f"{largest.words} {_at_fault(largest.shape)}".strip())


def _at_fault(shape: TopoDS_Shape) -> str:
    """Which faces are not sound, in words."""
    checked = BRepCheck_Analyzer(shape)
    ill = [str(k) for k, face in enumerate(faces_of(shape), 1) if not checked.IsValid(face)]
    which = f"face{'s' if len(ill) > 1 else ''} {', '.join(ill[:5])}" if ill else "its faces"
    more = f" and {len(ill) - 5} more" if len(ill) > 5 else ""
    return (
        f"The solid is not sound as the file has it: the outline of {which}{more} does not close "
        "or crosses itself. What is measured of it may be wrong."
    )


def _largest(solids: list[TopoDS_Shape], words: str = "") -> Mended:
    many = ""
    if len(solids) > 1:
        many = f"The file has {len(solids)} solids; that with the most faces is taken."
    return Mended(max(solids, key=lambda one: len(faces_of(one))), f"{words} {many}".strip())


def _sewn(whole: TopoDS_Shape) -> list[TopoDS_Shape]:
    """The solids that the faces of a shape enclose, looking outwards; none where one has a gap or
    is not sound."""
    sewing = BRepBuilderAPI_Sewing(_TOGETHER)
    for face in faces_of(whole):
        sewing.Add(face)
    sewing.Perform()
    if not _parts(whole, TopAbs_FACE) or sewing.NbFreeEdges() or sewing.NbMultipleEdges():
        return []
    sewn = []
    for shell in _parts(sewing.SewedShape(), TopAbs_SHELL):
        solid = BRepBuilderAPI_MakeSolid(TopoDS.Shell_s(shell)).Solid()
        if not BRepLib.OrientClosedSolid_s(solid) or not BRepCheck_Analyzer(solid).IsValid():
            return []
        sewn.append(solid)
    boxes = [bounds_of(solid) for solid in sewn]
    if any(_within(a, b) for a in boxes for b in boxes if a is not b):
        return []  # one may be the hollow of the other
    return sewn


def _within(box: tuple[Vector, Vector], other: tuple[Vector, Vector]) -> bool:
    return all(other[0][i] <= box[0][i] and box[1][i] <= other[1][i] for i in range(3))


def _parts(whole: TopoDS_Shape, kind: TopAbs_ShapeEnum) -> list[TopoDS_Shape]:
    parts: list[TopoDS_Shape] = []
    each = TopExp_Explorer(whole, kind)
    while each.More():
        parts.append(each.Current())
        each.Next()
    return parts
