"""Boxes around shapes along the axes, exact."""

from __future__ import annotations

import math

from OCP.TopAbs import TopAbs_FACE
from OCP.TopExp import TopExp
from OCP.TopoDS import TopoDS_Shape
from OCP.TopTools import TopTools_IndexedMapOfShape

from ..frame import Vector, as_vector
from .face_facts import facts_of


def bounds_of(shape: TopoDS_Shape) -> tuple[Vector, Vector]:
    """Corners of the box along the axes, mm.

    Raises:
        ValueError: where the shape has no faces.
    """
    faces = TopTools_IndexedMapOfShape()
    TopExp.MapShapes_s(shape, TopAbs_FACE, faces)
    known = [facts_of(faces.FindKey(k + 1)) for k in range(faces.Extent())]
    roomy = [face.box for face in known]
    if not roomy:
        raise ValueError("there is nothing to put a box around")
    # The exact box of a face takes a search: the outermost faces first, then only those that may
    # reach beyond them.
    count = range(len(roomy))
    outermost = {min(count, key=lambda k: roomy[k][0][axis]) for axis in range(3)}
    outermost |= {max(count, key=lambda k: roomy[k][1][axis]) for axis in range(3)}
    least, most = [math.inf] * 3, [-math.inf] * 3
    for k in sorted(count, key=lambda k: k not in outermost):
        low, high = roomy[k]
        if any(low[i] < least[i] or high[i] > most[i] for i in range(3)):
            low, high = known[k].exact_box
            least, most = (
                [min(a, b) for a, b in zip(least, low, strict=True)],
                [max(a, b) for a, b in zip(most, high, strict=True)],
            )
    return as_vector(least), as_vector(most)
