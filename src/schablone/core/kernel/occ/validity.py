"""The kernel's full check of a solid, which of faces that are alike looks at one.

It takes about a millisecond for each face; a field of vents has hundreds that are one face moved to
many places. That all faces together close, each edge between two that run along it in opposite
directions, is looked at here.
"""

from __future__ import annotations

from collections.abc import Sequence

from OCP.BRep import BRep_Builder
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.TopAbs import TopAbs_REVERSED, TopAbs_SHELL, TopAbs_SOLID
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Shape

from .face_facts import facts_of, run_both_ways
from .history import count_of
from .kept import as_drawn
from .sound_faces import at_fault

#: With fewer faces that are alike, or holes in one, the kernel is asked about the whole.
_WORTH = 16


def is_valid(shape: TopoDS_Shape, faces: Sequence[TopoDS_Shape]) -> bool:
    """Whether nothing is wrong with a shape, given with all its faces: no face, edge or corner by
    itself, and not how they hang together."""
    each = _one_of_each(faces)
    plain = count_of(shape, TopAbs_SOLID) == 1 and count_of(shape, TopAbs_SHELL) == 1
    inner = [facts_of(TopoDS.Face_s(face)).inner for face in each]
    # The kernel looks at each hole of a face beside each other one.
    worth = len(faces) - len(each) >= _WORTH or max(map(len, inner), default=0) >= _WORTH
    if not (plain and worth):
        return bool(BRepCheck_Analyzer(shape).IsValid())
    builder, some = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(some)
    holed = {k: TopoDS.Face_s(face) for k, face in enumerate(each) if inner[k]}
    for k, face in enumerate(each):
        if k not in holed:
            builder.Add(some, face)
    alone = bool(BRepCheck_Analyzer(some).IsValid())
    return run_both_ways(faces) and alone and not at_fault(holed, holed)


def _one_of_each(faces: Sequence[TopoDS_Shape]) -> list[TopoDS_Shape]:
    """The faces, of those that are one face moved to several places the first."""
    shapes: list[TopoDS_Shape] = []
    seen: dict[tuple[int, bool], TopoDS_Shape] = {}
    for face in faces:
        drawn, shift = as_drawn(face)
        key = hash(drawn), face.Orientation() == TopAbs_REVERSED
        if shift is None or not (key in seen and seen[key].IsSame(drawn)):
            shapes.append(face)
            seen[key] = drawn
    return shapes
