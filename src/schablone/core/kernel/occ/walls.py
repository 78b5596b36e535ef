"""The walls that a tool brings to a part when its mouths lie on faces."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepGProp import BRepGProp_Domain, BRepGProp_Face, BRepGProp_Vinert
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_VERTEX, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Wire

from ...sketch.regions import Region
from ..frame import Frame
from ..naming import FaceName
from ..prism import Prism
from ..tools import Revolved
from .face_table import FaceTable
from .solids import area_of, in_order
from .tool_shapes import shape_of

Floats = NDArray[np.float64]
#: By what share the volume of the walls may differ from the tool's own.
_SAME = 1e-7


@dataclass(frozen=True, slots=True)
class Walls:
    """All faces of a tool but its mouths, outwards as the tool has them, with their names, where
    they lie, their area, and the volume and moments, mm³ and mm⁴, of what they enclose with the
    mouths. The ``rims`` of the mouths run as the tool has them, each round a hole of so many
    mm²."""

    faces: tuple[TopoDS_Face, ...]
    names: tuple[FaceName, ...]
    table: FaceTable
    area: float
    weighed: Floats
    rims: tuple[TopoDS_Wire, ...]
    holes: tuple[float, ...]


def walls_of(tool: Prism | Revolved, *mouths: FaceName) -> Walls | None:
    """The walls of a tool; None where a mouth is no single area without holes, or where what the
    kernel makes of the tool has another volume than the tool's own figures give."""
    if isinstance(tool, Revolved):
        return _walls_of(tool, mouths)
    # One moved thing among many leaves the tools of all others as they were.
    return _remembered(
        tool.frame, tool.region, tool.low, tool.high, tool.start, tool.end,
        tuple(tool.sides.items()), mouths,
    )  # fmt: skip


@lru_cache(maxsize=512)
def _remembered(
    frame: Frame,
    region: Region,
    low: float,
    high: float,
    start: FaceName,
    end: FaceName,
    sides: tuple[tuple[str, FaceName], ...],
    mouths: tuple[FaceName, ...],
) -> Walls | None:
    return _walls_of(Prism(frame, region, low, high, start, end, dict(sides)), mouths)


def _walls_of(tool: Prism | Revolved, mouths: tuple[FaceName, ...]) -> Walls | None:
    made = in_order(*shape_of(tool))
    named = [
        (TopoDS.Face_s(face), name) for face, name in zip(made.faces(), made.names, strict=True)
    ]
    ends = [face for mouth in mouths for face, name in named if name == mouth]
    rims = [wire for face in ends for wire in _wires(face)]
    if len(ends) != len(mouths) or len(rims) != len(mouths):
        return None
    faces = tuple(face for face, name in named if name not in mouths)
    weighed = _cones([*faces, *ends[1:]], _spot_of(rims[0]))
    if abs(float(weighed[0]) - tool.volume) > _SAME * tool.volume:
        return None
    names = tuple(name for _, name in named if name not in mouths)
    if isinstance(tool, Prism):  # told by its outline
        holes = (tool.region.area,) * len(ends)
        area = tool.area - math.fsum(holes)
    else:
        holes = tuple(area_of(face) for face in ends)
        area = math.fsum(area_of(face) for face in faces)
    return Walls(faces, names, FaceTable.of(faces), area, weighed, tuple(rims), holes)


def _wires(face: TopoDS_Face) -> list[TopoDS_Wire]:
    """The wires of a face, as it runs round them."""
    found, each = [], TopExp_Explorer(face, TopAbs_WIRE)
    while each.More():
        found.append(TopoDS.Wire_s(each.Current()))
        each.Next()
    return found


def _spot_of(wire: TopoDS_Wire) -> gp_Pnt:
    corner = TopExp_Explorer(wire, TopAbs_VERTEX)
    return BRep_Tool.Pnt_s(TopoDS.Vertex_s(corner.Current()))


def _cones(faces: Sequence[TopoDS_Face], tip: gp_Pnt) -> Floats:
    """Volume, mm³, and moments, mm⁴, of the cones that faces make with a place: with one on the
    first mouth, which then makes none, those of all that they enclose."""
    whole = np.zeros(4)
    for face in faces:
        found = BRepGProp_Vinert(BRepGProp_Face(face), BRepGProp_Domain(face), tip)
        centre, volume = found.CentreOfMass(), found.Mass()
        whole += [volume, volume * centre.X(), volume * centre.Y(), volume * centre.Z()]
    return whole
