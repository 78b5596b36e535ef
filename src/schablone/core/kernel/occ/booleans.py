"""Booleans of kernel solids; faces keep their names by the kernel's history."""

from __future__ import annotations

from collections.abc import Sequence

from OCP.BOPAlgo import BOPAlgo_GlueShift
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.TopoDS import TopoDS_Shape
from OCP.TopTools import (
    TopTools_ListOfShape,
)

from ..naming import FaceName
from ..threads import has_threads
from .history import carried
from .solids import Made, Solid, in_order


def joined_shapes(solid: Solid, operation: str, made: Sequence[Made]) -> Solid:
    """The boolean of a solid with shapes, whose faces bring their names."""
    named = list(zip(solid.faces(), solid.names, strict=True))
    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(solid.shape)
    for shape, faces in made:
        operands.Append(shape)
        named += faces
    return _combined(arguments, operands, operation, named)


def merged(solid: Solid, operation: str, other: Solid) -> Solid:
    """The same for two solids."""
    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(solid.shape)
    operands.Append(other.shape)
    named = [
        *zip(solid.faces(), solid.names, strict=True),
        *zip(other.faces(), other.names, strict=True),
    ]
    return _combined(arguments, operands, operation, named)


def united(solids: Sequence[Solid], *, only_touch: bool = False) -> Solid:
    """All solids added together, in one boolean; those that ``only_touch``, along whole faces or
    pieces of faces, in less time."""
    arguments, operands = TopTools_ListOfShape(), TopTools_ListOfShape()
    arguments.Append(solids[0].shape)
    for solid in solids[1:]:
        operands.Append(solid.shape)
    named = [pair for solid in solids for pair in zip(solid.faces(), solid.names, strict=True)]
    return (
        solids[0]
        if len(solids) == 1
        else _combined(arguments, operands, "add", named, only_touch=only_touch)
    )


def _combined(
    arguments: TopTools_ListOfShape,
    operands: TopTools_ListOfShape,
    operation: str,
    named: list[tuple[TopoDS_Shape, FaceName]],
    *,
    only_touch: bool = False,
) -> Solid:
    boolean = {"cut": BRepAlgoAPI_Cut, "add": BRepAlgoAPI_Fuse, "common": BRepAlgoAPI_Common}[
        operation
    ]()
    boolean.SetArguments(arguments)
    boolean.SetTools(operands)
    boolean.SetRunParallel(has_threads())
    if only_touch:
        boolean.SetGlue(BOPAlgo_GlueShift)
    boolean.SetCheckInverted(False)  # every solid here is made or checked before
    boolean.Build()
    if not boolean.IsDone():
        raise ValueError("the geometry kernel could not work this out")
    if operation == "add":
        boolean.SimplifyResult()
    # Faces that lie level are joined to one: it keeps the name of the one that was there first.
    return in_order(boolean.Shape(), carried(boolean, named)[::-1])
