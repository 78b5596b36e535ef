"""The kernel's solid of every kind of tool."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import singledispatch

from OCP.TopoDS import TopoDS_Shape

from ..along import Piped
from ..guided import Guided
from ..prism import Prism
from ..tools import ForeignSolid, Leaned, Lofted, Placed, Revolved, ToNext, Tool, TurnedToNext
from . import guided_shapes, shaped
from .history import Named
from .placing import moved
from .prisms import prism_shape
from .reading import read_step
from .solids import faces_of
from .turned import turned_shape


@singledispatch
def shape_of(tool: Tool) -> tuple[TopoDS_Shape, Named]:
    """The solid of a tool, and its faces with their names.

    Raises:
        ValueError: where the kernel cannot make it, in words.
    """
    raise TypeError(f"{type(tool).__name__} is no tool")


@shape_of.register
def _(tool: Prism) -> tuple[TopoDS_Shape, Named]:
    if not tool.inset:
        return prism_shape(tool)
    return shaped.shape_of(
        Leaned(replace(tool, inset=0.0), math.degrees(math.atan2(tool.inset, tool.height)))
    )


@shape_of.register
def _(tool: Placed) -> tuple[TopoDS_Shape, Named]:
    shape, named = shape_of(tool.tool)
    return moved(shape, named, tool.motion)


@shape_of.register
def _(tool: ForeignSolid) -> tuple[TopoDS_Shape, Named]:
    solid = read_step(tool.data)
    return solid, [(face, tool.face(k)) for k, face in enumerate(faces_of(solid), 1)]


@shape_of.register(Lofted)
@shape_of.register(Piped)
@shape_of.register(Leaned)
def _(tool: Lofted | Piped | Leaned) -> tuple[TopoDS_Shape, Named]:
    return shaped.shape_of(tool)


@shape_of.register
def _(tool: Guided) -> tuple[TopoDS_Shape, Named]:
    return guided_shapes.shape_of(tool)


@shape_of.register
def _(tool: Revolved) -> tuple[TopoDS_Shape, Named]:
    return turned_shape(tool)


@shape_of.register(ToNext)
@shape_of.register(TurnedToNext)
def _(tool: ToNext | TurnedToNext) -> tuple[TopoDS_Shape, Named]:
    raise ValueError("how far it goes is known only where it is used on a part")
