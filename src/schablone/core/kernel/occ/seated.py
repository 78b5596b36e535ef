"""Tools that stand on one flat face or are sunk into one, and those that go right through from one
to another: bosses, posts, blind holes, pockets and bores.

Nothing of a part changes then but these faces, which get a hole where the tool is, and the walls of
the tool are put in. No boolean is needed, however many faces the part has. Whether it is so is told
by where faces lie (:mod:`.face_table`), on the safe side: where in doubt, the boolean does it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from OCP.TopAbs import TopAbs_REVERSED, TopAbs_SHELL
from OCP.TopoDS import (
    TopoDS,
    TopoDS_Face,
    TopoDS_Wire,
)

from ..frame import Vector
from ..naming import FaceName
from ..prism import Prism
from ..tools import Placed, Revolved, ToNext, Tool
from .column import CLEAR, Column
from .face_facts import CYLINDER, PLANE
from .history import count_of
from .outlines import drawn_with, wires_of
from .solids import Solid, area_of, enclosed_by
from .walls import walls_of

#: Heights that differ by less, mm, are the same.
_LEVEL = 1e-7
#: By what share volumes and areas may differ from what they must be.
_SAME = 1e-7

Floats = NDArray[np.float64]


def seated(solid: Solid, operation: str, tools: Sequence[Tool]) -> Solid | None:
    """The solid with all tools added or cut, or None where it takes a boolean."""
    if operation not in ("add", "cut") or count_of(solid.shape, TopAbs_SHELL) != 1:
        return None
    work = _Work(solid)
    return work.solid() if all(work.put(operation, tool) for tool in tools) else None


def shortened(solid: Solid, operation: str, tools: Sequence[Tool]) -> list[Tool]:
    """The tools, those that go to the next face as plain prisms where that is one flat face and
    nothing else is near: how far they go needs no boolean then."""
    if operation != "add" or not any(isinstance(_moved_to_place(t), ToNext) for t in tools):
        return list(tools)
    work = _Work(solid)
    return [work.short(tool) or tool for tool in tools]


class _Work:
    """The faces of a solid while tools are put to them."""

    def __init__(self, solid: Solid) -> None:
        self.faces = [TopoDS.Face_s(face) for face in solid.faces()]
        self.names = list(solid.names)
        self.seats = solid.seats.copy()
        #: Rims that are still to be put in faces, and the area, mm², that all take of faces, by the
        #: number of the face.
        self.rims: dict[int, list[TopoDS_Wire]] = {}
        self.holes: dict[int, float] = {}
        #: Volume and moments that came in, mm³ and mm⁴.
        self.gained = np.zeros(4)
        #: Surface that came in, mm², and the boxes around what was added.
        self.spread = 0.0
        self.boxes: list[tuple[Vector, Vector]] = []
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

    def short(self, tool: Tool) -> Prism | None:
        """A tool that goes to the next face as a prism that ends there; None where it is another
        tool, or not so simple."""
        tool = _moved_to_place(tool)
        prism = self._stopped(tool) if isinstance(tool, ToNext) else None
        if prism is None:
            return None
        return prism if self._foot("add", prism, Column.of_prism(prism)) is not None else None

    def solid(self) -> Solid | None:
        """What came of it; None where faces are not what holes must have left of them."""
        for number, hole in self.holes.items():
            before, after = self.seats.areas[number], area_of(self._face(number))
            if abs(before - hole - after) > _SAME * (hole + 1e-3 * before):
                return None
            self.seats.areas[number] = after
            self.spread += after - before
        whole = enclosed_by(self.faces)
        since = self.before.since.then(self.spread, self.boxes)
        return Solid.of_known(whole, tuple(self.names), self._weighed(), since, self.seats)

    def _weighed(self) -> tuple[float, Vector]:
        """Volume and centre of the solid before with what came in."""
        before, centre = self.before.weighed
        volume = before + float(self.gained[0])
        x, y, z = ((before * c + float(self.gained[1 + i])) / volume for i, c in enumerate(centre))
        return volume, (x, y, z)

    def _face(self, number: int) -> TopoDS_Face:
        """A face with all holes that were put in it."""
        if self.rims.get(number):
            face = self.faces[number]
            self.faces[number] = drawn_with(face, [*wires_of(face), *self.rims.pop(number)])
        return self.faces[number]

    # Which face it is

    def _holds(self, number: int, spot: Floats) -> bool:
        return self.seats.holds(number, lambda: self._face(number), spot)

    def _stopped(self, tool: ToNext) -> Prism | None:
        """As much of a prism as goes to the flat face that stops all of it."""
        prism = tool.prism
        if not _is_plain(prism):
            return None
        column = Column.of_prism(prism)
        ahead = column.between(0.0, prism.high) if tool.goes_up else column.between(prism.low, 0.0)
        levels = [
            (abs(height), height)
            for number, height in self._levels(ahead)
            if self._holds(number, ahead.spot(height))
        ]
        if not levels or min(levels)[0] <= CLEAR:
            return None
        height = min(levels)[1]
        return replace(prism, low=0.0, high=height) if height > 0 else replace(
            prism, low=height, high=0.0
        )  # fmt: skip

    def _levels(self, column: Column) -> list[tuple[int, float]]:
        """The flat faces square to a column that may lie within it, with their heights."""
        levels = []
        for number in self.seats.table.within(*column.bounds()).tolist():
            if self.seats.table.kind[number] != PLANE:
                continue
            if abs(self.seats.table.way[number] @ column.axis) > 1 - 1e-12:
                height = column.height_of(self.seats.table.at[number])
                if column.low - CLEAR <= height <= column.high + CLEAR:
                    levels.append((number, height))
        return levels

    def _seats(self, column: Column) -> list[tuple[int, float]]:
        """The flat faces that a column crosses or ends on, and their heights, the lowest first;
        none where anything else comes near."""
        held = [
            (number, height)
            for number, height in self._levels(column)
            if self._holds(number, column.spot(height))
        ]
        seats, heights = {number for number, _ in held}, [height for _, height in held]
        for number in self.seats.table.within(*column.bounds()).tolist():
            if number not in seats and self._comes_near(number, column, heights):
                return []
        return sorted(held, key=lambda seat: seat[1])

    def _seat(self, column: Column) -> tuple[int, float] | None:
        """The one flat face that a column crosses or ends on, and its height; None where there is
        none, or anything else comes near."""
        seats = self._seats(column)
        return seats[0] if len(seats) == 1 else None

    def _comes_near(self, number: int, column: Column, seats: Sequence[float]) -> bool:
        """Whether a face may come near a column. Level faces beside the seats have edges in common
        with them, those at other heights with walls: walls that come near are told by
        themselves."""
        kind, way = self.seats.table.kind[number], self.seats.table.way[number]
        at = self.seats.table.at[number]
        x0, y0, x1, y1 = column.box
        turn = float(abs(way @ column.axis))
        if kind == PLANE and turn > 1 - 1e-12:
            height = column.height_of(at)
            outside = height < column.low - CLEAR or height > column.high + CLEAR
            return not outside and any(abs(height - seat) < 2 * CLEAR for seat in seats)
        if kind == PLANE and turn < 1e-9:
            ends = [
                float((column.at + u * column.x + v * column.y - at) @ way)
                for u in (x0, x1)
                for v in (y0, y1)
            ]
            return not (min(ends) > CLEAR or max(ends) < -CLEAR)
        if kind == CYLINDER and turn > 1 - 1e-12:
            u, v = float((at - column.at) @ column.x), float((at - column.at) @ column.y)
            near = math.hypot(max(x0 - u, 0.0, u - x1), max(y0 - v, 0.0, v - y1))
            far = math.hypot(max(abs(x0 - u), abs(x1 - u)), max(abs(y0 - v), abs(y1 - v)))
            radius = float(self.seats.table.radius[number])
            return not (near > radius + CLEAR or far < radius - CLEAR)
        return True

    # What is made of it

    def _put_prism(self, operation: str, prism: Prism) -> bool:
        if not _is_plain(prism):
            return False
        column = Column.of_prism(prism)
        seats = self._seats(column)
        if len(seats) == 2 and operation == "cut":
            return self._go_through(prism, seats, column)
        foot = self._foot(operation, prism, column) if len(seats) == 1 else None
        if foot is None:
            return False
        seat, height, above = foot
        prism = replace(prism, low=height) if above else replace(prism, high=height)
        mouth = prism.start if above else prism.end
        return prism.height > CLEAR and self._join(operation, [seat], prism, [mouth], column)

    def _go_through(self, prism: Prism, seats: Sequence[tuple[int, float]], column: Column) -> bool:
        """Cut a prism from one flat face right through to the one behind it."""
        (under, low), (upper, high) = seats
        reaches = prism.low <= low + _LEVEL and prism.high >= high - _LEVEL
        between = self._is_above("cut", under, column) and not self._is_above("cut", upper, column)
        if not reaches or not between or high - low <= CLEAR:
            return False
        prism = replace(prism, low=low, high=high)
        return self._join("cut", [under, upper], prism, [prism.start, prism.end], column)

    def _foot(self, operation: str, prism: Prism, column: Column) -> tuple[int, float, bool] | None:
        """The face that a prism stands on or is sunk into, its height, and whether the prism lies
        above it; None where there is none, or what is added ends before it. What begins within the
        part stands on the face that it comes out of."""
        place = self._seat(column)
        if place is None:
            return None
        seat, height = place
        above = self._is_above(operation, seat, column)
        reaches = prism.low <= height + _LEVEL if above else prism.high >= height - _LEVEL
        return (seat, height, above) if operation == "cut" or reaches else None

    def _put_turned(self, operation: str, tool: Revolved) -> bool:
        """A turned tool whose flat end lies on the face."""
        column = Column.of_turned(tool)
        place = self._seat(column) if tool.is_full else None
        if place is None:
            return False
        seat, height = place
        above = self._is_above(operation, seat, column)
        if abs(height - (column.low if above else column.high)) > _LEVEL:
            return False
        ends = [
            name
            for name, frame in tool.frames().items()
            if abs(column.height_of(np.array(frame.origin)) - height) <= _LEVEL
        ]
        return len(ends) == 1 and self._join(operation, [seat], tool, ends, column)

    def _is_above(self, operation: str, seat: int, column: Column) -> bool:
        """Added, a tool stands on the side that the face looks to; cut, it lies on the other."""
        return (float(self.seats.table.way[seat] @ column.axis) > 0) == (operation == "add")

    def _join(
        self,
        operation: str,
        seats: Sequence[int],
        tool: Prism | Revolved,
        mouths: Sequence[FaceName],
        column: Column,
    ) -> bool:
        """Put the walls of a tool in, and a hole in each face where a mouth of it is."""
        walls = walls_of(tool, *mouths)
        if walls is None:
            return False
        cut = operation == "cut"
        for seat, rim, hole in zip(seats, walls.rims, walls.holes, strict=True):
            if seat not in self.seats.areas:
                self.seats.areas[seat] = area_of(self._face(seat))
            self.holes[seat] = self.holes.get(seat, 0.0) + hole
            # A rim runs as the mouth of the tool had it, whose place the face takes beside the
            # walls of the tool.
            back = (self.faces[seat].Orientation() == TopAbs_REVERSED) != cut
            self.rims.setdefault(seat, []).append(TopoDS.Wire_s(rim.Reversed()) if back else rim)
            self.seats.put_on(seat, column)
        self.names += walls.names
        self.spread += walls.area
        if cut:
            self.faces += [TopoDS.Face_s(face.Reversed()) for face in walls.faces]
            self.seats.table = self.seats.table.with_rows(walls.table.turned_over())
            self.gained -= walls.weighed
            return True
        self.faces += walls.faces
        self.seats.table = self.seats.table.with_rows(walls.table)
        self.gained += walls.weighed
        self.boxes.append(tool.bounds())
        return True


def _moved_to_place(tool: Tool) -> Tool:
    """A tool where it is used, as far as that is known without the kernel."""
    if isinstance(tool, Placed) and isinstance(tool.tool, ToNext):
        return ToNext(tool.tool.prism.placed(tool.motion))
    return tool


def _is_plain(prism: Prism) -> bool:
    return not prism.inset and not prism.region.holes
