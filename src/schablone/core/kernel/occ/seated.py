"""Tools that stand on one flat face, or are sunk into one: bosses, posts, blind holes and pockets.

Nothing of a part changes then but that face, which gets a hole where the tool is, and the walls of
the tool are put in. No boolean is needed, however many faces the part has. Whether it is so is told
by where faces lie (:mod:`.face_table`), on the safe side: where in doubt, the boolean does it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from OCP.BRep import BRep_Builder
from OCP.BRepClass import BRepClass_FaceClassifier
from OCP.BRepGProp import BRepGProp, BRepGProp_Domain, BRepGProp_Face, BRepGProp_Vinert
from OCP.gp import gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_FORWARD, TopAbs_IN, TopAbs_REVERSED, TopAbs_SHELL, TopAbs_WIRE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Face,
    TopoDS_Iterator,
    TopoDS_Shape,
    TopoDS_Shell,
    TopoDS_Solid,
    TopoDS_Wire,
)

from ...sketch.regions import Region, polygon_of
from ..frame import Vector
from ..naming import FaceName
from ..prism import Prism
from ..tools import Placed, Revolved, ToNext, Tool
from .face_table import CYLINDER, PLANE, FaceTable
from .solids import Solid, in_order
from .tool_shapes import shape_of

#: So far, mm, everything else must lie from a tool; and heights that are the same.
_CLEAR, _LEVEL = 1e-3, 1e-7
#: By what share volumes and areas may differ from what they must be.
_SAME = 1e-7

Floats = NDArray[np.float64]


def seated(solid: Solid, operation: str, tools: Sequence[Tool]) -> Solid | None:
    """The solid with all tools added or cut, or None where it takes a boolean."""
    if operation not in ("add", "cut") or _shells(solid.shape) != 1:
        return None
    work = _Work(solid)
    if all(work.put(operation, tool) for tool in tools):
        return work.solid()
    return None


@dataclass(frozen=True, slots=True)
class _Column:
    """What a tool takes up at most: a rectangle about a place, square to an axis, between heights
    along it."""

    at: Floats
    x: Floats
    y: Floats
    axis: Floats
    box: tuple[float, float, float, float]
    low: float
    high: float
    #: A place within its cross-section, in the coordinates of the rectangle.
    inside: tuple[float, float]

    @classmethod
    def of_prism(cls, prism: Prism) -> _Column:
        frame = prism.frame
        x0, y0, x1, y1 = prism.region.outer.bounds()
        return cls(
            np.array(frame.origin), np.array(frame.x), np.array(frame.y), np.array(frame.normal),
            (x0, y0, x1, y1), prism.low, prism.high, _inside(prism.region),
        )  # fmt: skip

    def between(self, low: float, high: float) -> _Column:
        return replace(self, low=low, high=high)

    def bounds(self) -> tuple[Floats, Floats]:
        """The box along the axes around it, with the clearance."""
        x0, y0, x1, y1 = self.box
        corners = np.array([
            self.at + u * self.x + v * self.y + w * self.axis
            for u in (x0, x1) for v in (y0, y1) for w in (self.low, self.high)
        ])  # fmt: skip
        return corners.min(axis=0) - _CLEAR, corners.max(axis=0) + _CLEAR

    def height_of(self, point: Floats) -> float:
        return float((point - self.at) @ self.axis)

    def spot(self, height: float) -> gp_Pnt:
        u, v = self.inside
        return gp_Pnt(*(self.at + u * self.x + v * self.y + height * self.axis).tolist())


class _Work:
    """The faces of a solid while tools are put to them."""

    def __init__(self, solid: Solid) -> None:
        self.faces = [TopoDS.Face_s(face) for face in solid.faces()]
        self.names = list(solid.names)
        self.table = solid.table
        self.builder = BRep_Builder()
        #: Volume and moments that came in, as :func:`_cones`.
        self.gained = np.zeros(4)
        self.before = solid

    def put(self, operation: str, tool: Tool) -> bool:
        """Add or cut one tool; False where that is not so simple."""
        tool = _moved_to_place(tool)
        if isinstance(tool, ToNext):
            stopped = self._stopped(tool) if operation == "add" else None
            return stopped is not None and self.put(operation, stopped)
        if isinstance(tool, Prism):
            return self._put_prism(operation, tool)
        return isinstance(tool, Revolved) and self._put_turned(operation, tool)

    def solid(self) -> Solid:
        shell, whole = TopoDS_Shell(), TopoDS_Solid()
        self.builder.MakeShell(shell)
        for face in self.faces:
            self.builder.Add(shell, face)
        shell.Closed(True)
        self.builder.MakeSolid(whole)
        self.builder.Add(whole, shell)
        return Solid.of_known(whole, tuple(self.names), self._weighed(), self.table)

    def _weighed(self) -> tuple[float, Vector]:
        volume, centre = self.before.weighed
        whole = volume + float(self.gained[0])
        x, y, z = ((volume * c + float(self.gained[1 + i])) / whole for i, c in enumerate(centre))
        return whole, (x, y, z)

    # Which face it is

    def _stopped(self, tool: ToNext) -> Prism | None:
        """As much of a prism as goes to the flat face that stops all of it."""
        prism = tool.prism
        if not _is_plain(prism):
            return None
        column = _Column.of_prism(prism)
        ahead = column.between(0.0, prism.high) if tool.goes_up else column.between(prism.low, 0.0)
        levels = [
            (abs(height), height)
            for number, height in self._levels(ahead)
            if self._holds(number, ahead, height)
        ]
        if not levels or min(levels)[0] <= _CLEAR:
            return None
        height = min(levels)[1]
        return replace(prism, low=0.0, high=height) if height > 0 else replace(
            prism, low=height, high=0.0
        )  # fmt: skip

    def _levels(self, column: _Column) -> list[tuple[int, float]]:
        """The flat faces square to a column that may lie within it, with their heights."""
        found = []
        for number in self.table.within(*column.bounds()).tolist():
            if self.table.kind[number] != PLANE:
                continue
            if abs(self.table.way[number] @ column.axis) > 1 - 1e-12:
                height = column.height_of(self.table.at[number])
                if column.low - _CLEAR <= height <= column.high + _CLEAR:
                    found.append((number, height))
        return found

    def _holds(self, number: int, column: _Column, height: float) -> bool:
        """Whether a place within the column lies on a face."""
        return bool(
            BRepClass_FaceClassifier(self.faces[number], column.spot(height), 1e-7).State()
            == TopAbs_IN
        )

    def _seat(self, column: _Column) -> tuple[int, float] | None:
        """The one flat face that a column crosses or ends on, and its height; None where there is
        none, or anything else comes near."""
        levels = self._levels(column)
        held = [one for one in levels if self._holds(one[0], column, one[1])]
        if len(held) != 1:
            return None
        seat, height = held[0]
        low, high = column.bounds()
        for number in self.table.within(low, high).tolist():
            if number != seat and self._comes_near(number, column, height):
                return None
        return seat, height

    def _comes_near(self, number: int, column: _Column, seat: float) -> bool:
        """Whether a face may come near a column. Level faces beside the seat have edges in common
        with it, those at other heights with walls: walls that come near are told by themselves."""
        kind, way = self.table.kind[number], self.table.way[number]
        at = self.table.at[number]
        x0, y0, x1, y1 = column.box
        turn = float(abs(way @ column.axis))
        if kind == PLANE and turn > 1 - 1e-12:
            height = column.height_of(at)
            outside = height < column.low - _CLEAR or height > column.high + _CLEAR
            return not outside and abs(height - seat) < 2 * _CLEAR
        if kind == PLANE and turn < 1e-9:
            ends = [
                float((column.at + u * column.x + v * column.y - at) @ way)
                for u in (x0, x1)
                for v in (y0, y1)
            ]
            return not (min(ends) > _CLEAR or max(ends) < -_CLEAR)
        if kind == CYLINDER and turn > 1 - 1e-12:
            u, v = float((at - column.at) @ column.x), float((at - column.at) @ column.y)
            near = math.hypot(max(x0 - u, 0.0, u - x1), max(y0 - v, 0.0, v - y1))
            far = math.hypot(max(abs(x0 - u), abs(x1 - u)), max(abs(y0 - v), abs(y1 - v)))
            radius = float(self.table.radius[number])
            return not (near > radius + _CLEAR or far < radius - _CLEAR)
        return True

    # What is made of it

    def _put_prism(self, operation: str, prism: Prism) -> bool:
        if not _is_plain(prism):
            return False
        column = _Column.of_prism(prism)
        found = self._seat(column)
        if found is None:
            return False
        seat, height = found
        above = self._is_above(operation, seat, column)
        if operation == "add" and abs(height - (prism.low if above else prism.high)) > _LEVEL:
            return False
        prism = replace(prism, low=height) if above else replace(prism, high=height)
        return prism.height > _CLEAR and self._join(
            operation, seat, prism, prism.start if above else prism.end
        )

    def _put_turned(self, operation: str, tool: Revolved) -> bool:
        """A turned tool whose flat end lies on the face."""
        column = _around(tool)
        found = self._seat(column) if tool.is_full else None
        if found is None:
            return False
        seat, height = found
        above = self._is_above(operation, seat, column)
        if abs(height - (column.low if above else column.high)) > _LEVEL:
            return False
        ends = [
            name
            for name, frame in tool.frames().items()
            if abs(column.height_of(np.array(frame.origin)) - height) <= _LEVEL
        ]
        return len(ends) == 1 and self._join(operation, seat, tool, ends[0])

    def _is_above(self, operation: str, seat: int, column: _Column) -> bool:
        """Added, a tool stands on the side that the face looks to; cut, it lies on the other."""
        return (float(self.table.way[seat] @ column.axis) > 0) == (operation == "add")

    def _join(self, operation: str, seat: int, tool: Prism | Revolved, mouth: FaceName) -> bool:
        """Put the walls of a tool in, and a hole in the face where its mouth is."""
        made = in_order(*shape_of(tool))
        named = list(zip(made.faces(), made.names, strict=True))
        cut = operation == "cut"
        mouths = [TopoDS.Face_s(face) for face, name in named if name == mouth]
        rims = _wires(mouths[0]) if len(mouths) == 1 else []
        if len(rims) != 1:
            return False
        before = self.faces[seat]
        after = self._with_hole(before, rims[0], cut)
        walls = [
            TopoDS.Face_s(face.Reversed() if cut else face) for face, name in named if name != mouth
        ]
        self.faces[seat] = after
        self.faces += walls
        self.names += [name for _, name in named if name != mouth]
        self.table = self.table.with_rows(FaceTable.of(walls))
        if not _has_lost(before, mouths[0], after):
            return False
        # What faces enclose is the sum of the cones that they make with a place. Of one on the seat
        # only those of the walls have a volume.
        come = _cones(walls, gp_Pnt(*self.table.at[seat].tolist()))
        wanted = -tool.volume if cut else tool.volume
        self.gained += come
        return abs(float(come[0]) - wanted) <= _SAME * tool.volume

    def _with_hole(self, face: TopoDS_Face, rim: TopoDS_Wire, cut: bool) -> TopoDS_Face:
        """A face with one more hole. The rim runs as the mouth of the tool had it, whose place the
        face takes beside the walls of the tool."""
        plain = TopoDS.Face_s(face.EmptyCopied().Oriented(TopAbs_FORWARD))
        # What is added is moved back by the builder to where the face itself was drawn.
        wires = TopoDS_Iterator(face.Oriented(TopAbs_FORWARD))
        while wires.More():
            self.builder.Add(plain, wires.Value())
            wires.Next()
        back = (face.Orientation() == TopAbs_REVERSED) != cut
        self.builder.Add(plain, rim.Reversed() if back else rim)
        return TopoDS.Face_s(plain.Oriented(face.Orientation()))


def _moved_to_place(tool: Tool) -> Tool:
    """A tool where it is used, as far as that is known without the kernel."""
    if isinstance(tool, Placed) and isinstance(tool.tool, ToNext):
        return ToNext(tool.tool.prism.placed(tool.motion))
    return tool


def _is_plain(prism: Prism) -> bool:
    return not prism.inset and not prism.region.holes


def _inside(region: Region) -> tuple[float, float]:
    spot = polygon_of(region.outer, 0.01).representative_point()
    return spot.x, spot.y


def _around(tool: Revolved) -> _Column:
    """The square column around a tool that is turned right round."""
    root, direction = tool.axis()
    length = math.hypot(*direction)
    axis = np.array(direction) / length
    x = np.array(tool.frame.normal)
    points = tool.region.outer.points(0.01) - np.array(tool.at)
    along = points @ np.array(tool.way) / length
    across = points @ np.array([tool.way[1], -tool.way[0]]) / length
    # A curve bulges beyond its chords by less than the clearance that is added.
    reach = float(np.abs(across).max()) + 0.02
    ends = sorted(
        float((np.array(frame.origin) - np.array(root)) @ axis) for frame in tool.frames().values()
    )
    low, high = float(along.min()), float(along.max())
    low = min([low, *ends[:1]])
    high = max([high, *ends[-1:]])
    return _Column(
        np.array(root), x, np.cross(axis, x), axis, (-reach, -reach, reach, reach), low, high,
        (0.0, 0.0),
    )  # fmt: skip


def _wires(face: TopoDS_Face) -> list[TopoDS_Wire]:
    """The wires of a face, as it runs round them."""
    found, each = [], TopExp_Explorer(face, TopAbs_WIRE)
    while each.More():
        found.append(TopoDS.Wire_s(each.Current()))
        each.Next()
    return found


def _cones(faces: Sequence[TopoDS_Face], tip: gp_Pnt) -> Floats:
    """Volume, mm³, and moments, mm⁴, of what faces make with a place."""
    whole = np.zeros(4)
    for face in faces:
        found = BRepGProp_Vinert(BRepGProp_Face(face), BRepGProp_Domain(face), tip, _SAME)
        centre, volume = found.CentreOfMass(), found.Mass()
        whole += [volume, volume * centre.X(), volume * centre.Y(), volume * centre.Z()]
    return whole


def _has_lost(before: TopoDS_Face, hole: TopoDS_Face, after: TopoDS_Face) -> bool:
    """Whether a face is what another was but for a hole."""
    whole, gone, left = (_area(face) for face in (before, hole, after))
    return abs(whole - gone - left) <= _SAME * (gone + 1e-3 * whole)


def _area(face: TopoDS_Face) -> float:
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, found)
    return float(found.Mass())


def _shells(shape: TopoDS_Shape) -> int:
    count, each = 0, TopExp_Explorer(shape, TopAbs_SHELL)
    while each.More():
        count += 1
        each.Next()
    return count
