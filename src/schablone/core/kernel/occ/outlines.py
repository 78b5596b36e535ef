"""The outlines of faces as they are drawn."""

from __future__ import annotations

from collections.abc import Sequence

from OCP.BRep import BRep_Builder
from OCP.TopAbs import TopAbs_FORWARD, TopAbs_WIRE
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Iterator, TopoDS_Wire


def wires_of(face: TopoDS_Face) -> list[TopoDS_Wire]:
    """The outlines of a face as it is drawn, seen from in front. Where something only touches it,
    the kernel leaves a vertex in a face, which is none."""
    wires, each = [], TopoDS_Iterator(face.Oriented(TopAbs_FORWARD))
    while each.More():
        if each.Value().ShapeType() == TopAbs_WIRE:
            wires.append(TopoDS.Wire_s(each.Value()))
        each.Next()
    return wires


def drawn_with(face: TopoDS_Face, wires: Sequence[TopoDS_Wire]) -> TopoDS_Face:
    """A face with these outlines, as :func:`wires_of` gives them, in the place of its own."""
    builder, plain = BRep_Builder(), face.EmptyCopied().Oriented(TopAbs_FORWARD)
    # What is added is moved back by the builder to where the face itself was drawn.
    for wire in wires:
        builder.Add(plain, wire)
    return TopoDS.Face_s(plain.Oriented(face.Orientation()))
