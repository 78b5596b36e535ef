"""The walls that a tool brings to a part when its mouths lie on faces."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Tool
from OCP.BRepGProp import BRepGProp_Domain, BRepGProp_Face, BRepGProp_Vinert
from OCP.gp import gp_Pnt, gp_Trsf, gp_Vec
from OCP.TopAbs import TopAbs_VERTEX, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Wire

from ...sketch.alike import form_of
from ...sketch.regions import Region
from ..frame import Frame, Vector
from ..naming import FaceName
from ..prism import Prism
from ..tools import Revolved
from .face_facts import facts_of
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

    def moved(self, by: Vector) -> Walls:
        """The same elsewhere, by mm."""
        place = gp_Trsf()
        place.SetTranslation(gp_Vec(*by))
        there = TopLoc_Location(place)
        shift = np.array(by)
        return replace(
            self,
            faces=tuple(TopoDS.Face_s(face.Moved(there)) for face in self.faces),
            table=self.table.moved(shift),
            weighed=self.weighed + np.array([0.0, *(self.weighed[0] * shift)]),
            rims=tuple(TopoDS.Wire_s(rim.Moved(there)) for rim in self.rims),
        )


def walls_of(tool: Prism | Revolved, *mouths: FaceName) -> Walls | None:
    """The walls of a tool; None where a mouth is no single area without holes, or where what the
    kernel makes of the tool has another volume than the tool's own figures give."""
    if isinstance(tool, Revolved):
        return _walls_of(tool, mouths)
    outer, frame = tool.region.outer, tool.frame
    sides = [tool.sides[curve.name] for curve in outer.curves]
    ends = tuple("start" if mouth == tool.start else "end" for mouth in mouths)
    known = {tool.start, tool.end}
    if tool.region.holes or tool.inset or not known.issuperset(mouths) or len(known) < 2:
        return _walls_of(tool, mouths)
    # Those of a pattern are alike, and one moved thing among many leaves all others as they were:
    # they are made once, and moved to where they are.
    key = frame.x, frame.y, round(tool.height, 9), form_of(outer)
    if (key, ends) not in _ALIKE:
        while len(_ALIKE) >= _MOST_ALIKE:
            _ALIKE.pop(next(iter(_ALIKE)))
        _ALIKE[key, ends] = _at_origin(tool, ends)
    alike = _ALIKE[key, ends]
    if alike is None:
        return None
    names = {"start": tool.start, "end": tool.end}
    named = tuple(names.get(name.role) or sides[int(name.element)] for name in alike.names)
    return replace(alike.moved(frame.at(*outer.curves[0].start, tool.low)), names=named)


#: Walls that begin at the origin, by what they are apart from their place.
_ALIKE: dict[object, Walls | None] = {}
_MOST_ALIKE = 512


def _at_origin(tool: Prism, ends: Sequence[str]) -> Walls | None:
    """The walls of a prism whose outline begins at the origin; its faces named by the numbers of
    their curves."""
    outer = tool.region.outer
    x0, y0 = outer.curves[0].start
    numbers = [str(k) for k in range(len(outer.curves))]
    sides = {number: FaceName("", "side", number) for number in numbers}
    region = Region(outer.moved(-x0, -y0).renamed(numbers))
    names = {"start": FaceName("", "start"), "end": FaceName("", "end")}
    frame = Frame((0.0, 0.0, 0.0), tool.frame.x, tool.frame.y)
    plain = Prism(frame, region, 0.0, tool.height, names["start"], names["end"], sides)
    return _walls_of(plain, [names[end] for end in ends])


def _walls_of(tool: Prism | Revolved, mouths: Sequence[FaceName]) -> Walls | None:
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
        area = math.fsum(facts_of(face).area for face in faces)
    return Walls(faces, names, FaceTable.of(faces), area, weighed, tuple(rims), holes)


def _wires(face: TopoDS_Face) -> list[TopoDS_Wire]:
    """The wires of a face, as it runs round them."""
    wires, each = [], TopExp_Explorer(face, TopAbs_WIRE)
    while each.More():
        wires.append(TopoDS.Wire_s(each.Current()))
        each.Next()
    return wires


def _spot_of(wire: TopoDS_Wire) -> gp_Pnt:
    corner = TopExp_Explorer(wire, TopAbs_VERTEX)
    return BRep_Tool.Pnt_s(TopoDS.Vertex_s(corner.Current()))


def _cones(faces: Sequence[TopoDS_Face], tip: gp_Pnt) -> Floats:
    """Volume, mm³, and moments, mm⁴, of the cones that faces make with a place: with one on the
    first mouth, which then makes none, those of all that they enclose."""
    whole = np.zeros(4)
    for face in faces:
        inertia = BRepGProp_Vinert(BRepGProp_Face(face), BRepGProp_Domain(face), tip)
        centre, volume = inertia.CentreOfMass(), inertia.Mass()
        whole += [volume, volume * centre.X(), volume * centre.Y(), volume * centre.Z()]
    return whole
