"""What steps add and cut that is no prism: regions turned about an axis or led along a path, and
any of them moved.

All are plain numbers. The kernel makes solids of them when they are used (:mod:`.occ.tool_shapes`).
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from ..sketch.curves import Segment
from ..sketch.mapping import XY, Mapping2D
from ..sketch.regions import Region
from ..words import say_name
from .along import Piped
from .frame import Frame, Vector, add, as_vector, cross, dot
from .guided import Guided
from .motion import Motion
from .naming import FaceName
from .prism import Prism


@dataclass(frozen=True, slots=True)
class Revolved:
    """A region turned about an axis in its plane, from ``first`` to ``last`` degrees.

    The axis goes through ``at`` along ``way``, in the plane's coordinates. ``sides`` names the
    faces by the curves that made them; ``start`` and ``end`` are there where it is no full turn.
    """

    frame: Frame
    region: Region
    at: XY
    way: XY
    first: float
    last: float
    start: FaceName
    end: FaceName
    sides: Mapping[str, FaceName]

    @property
    def is_full(self) -> bool:
        """Whether it goes all round."""
        return abs(self.last - self.first) >= 360.0 - 1e-9

    def axis(self) -> tuple[Vector, Vector]:
        """A point of the axis, mm, and its direction, of any length, in space."""
        tip = self.frame.at(self.at[0] + self.way[0], self.at[1] + self.way[1])
        root = self.frame.at(*self.at)
        return root, (tip[0] - root[0], tip[1] - root[1], tip[2] - root[2])

    @property
    def volume(self) -> float:
        """Enclosed volume, mm³, by the second theorem of Pappus."""
        length = math.hypot(*self.way)
        wx, wy = self.way[0] / length, self.way[1] / length
        mx, my = self.region.outer.moment()
        for hole in self.region.holes:
            dx, dy = hole.moment()
            mx, my = mx - dx, my - dy
        area = self.region.area
        moment = (mx - area * self.at[0]) * wy - (my - area * self.at[1]) * wx
        return abs(moment) * math.radians(min(360.0, abs(self.last - self.first)))

    def stretched(self, factors: Vector) -> Revolved:
        """The same in a space stretched along its axes, exactly.

        Raises:
            ValueError: where it would be no turned solid any more.
        """
        _, direction = self.axis()
        upright = math.hypot(direction[0], direction[1]) <= 1e-12 * abs(direction[2])
        if not upright or abs(factors[0] - factors[1]) > 1e-15:
            raise ValueError(
                "what is turned about another axis than an upright one does not stay round"
            )
        frame, fx, fy, _ = self.frame.stretched(factors)
        region = self.region.mapped(Mapping2D(a=fx, d=fy))
        at, way = (self.at[0] * fx, self.at[1] * fy), (self.way[0] * fx, self.way[1] * fy)
        return replace(self, frame=frame, region=region, at=at, way=way)

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return {*self.sides.values(), *(() if self.is_full else (self.start, self.end))}

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of the flat faces: both ends, and what lines square to the axis make."""
        frames: dict[FaceName, Frame] = {}
        root, direction = self.axis()
        if not self.is_full:
            for name, angle, out in ((self.start, self.first, False), (self.end, self.last, True)):
                turned = Motion.turn(root, direction, angle).frame(self.frame)
                facing = (
                    dot(
                        cross(direction, _apart(self.frame, self.region, self.at, self.way)),
                        self.frame.normal,
                    )
                    > 0
                )
                frames[name] = turned if facing == out else turned.turned_over()
        length = math.hypot(*self.way)
        wx, wy = self.way[0] / length, self.way[1] / length
        for loop, sign in ((self.region.outer, 1.0), *((hole, -1.0) for hole in self.region.holes)):
            for curve in loop.curves:
                if not isinstance(curve, Segment) or curve.length < 1e-9:
                    continue
                dx, dy = curve.end[0] - curve.start[0], curve.end[1] - curve.start[1]
                if abs(dx * wx + dy * wy) > 1e-9 * curve.length:
                    continue
                up = (curve.start[0] - self.at[0]) * wx + (curve.start[1] - self.at[1]) * wy
                origin = self.frame.at(self.at[0] + up * wx, self.at[1] + up * wy)
                ahead = (dy * wx - dx * wy) * sign  # outwards is to the right of the way round
                normal = as_vector(c / length * math.copysign(1.0, ahead) for c in direction)
                far = self.frame.at(self.at[0] + up * wx - wy, self.at[1] + up * wy + wx)
                x = add(far, origin, -1.0)
                frames[self.sides[curve.name]] = Frame(origin, x, cross(normal, x))
        return frames

    def bounds(self) -> tuple[Vector, Vector]:
        """A box that holds it, mm, not the smallest."""
        root, direction = self.axis()
        points = self.region.outer.points(0.05)
        length = math.hypot(*self.way)
        wx, wy = self.way[0] / length, self.way[1] / length
        along = (points[:, 0] - self.at[0]) * wx + (points[:, 1] - self.at[1]) * wy
        radius = float(
            np.abs((points[:, 0] - self.at[0]) * wy - (points[:, 1] - self.at[1]) * wx).max()
        )
        ends = [
            tuple(root[i] + direction[i] / length * a for i in range(3))
            for a in (along.min(), along.max())
        ]
        low = tuple(min(e[i] for e in ends) - radius for i in range(3))
        high = tuple(max(e[i] for e in ends) + radius for i in range(3))
        return low, high

    def of_member(self, number: int) -> Revolved:
        """The same with the names of a member of a row."""
        sides = {key: name.of_member(number) for key, name in self.sides.items()}
        return replace(
            self, start=self.start.of_member(number), end=self.end.of_member(number), sides=sides
        )


def _apart(frame: Frame, region: Region, at: XY, way: XY) -> Vector:
    """The direction from the axis to the region, in space."""
    x0, y0, x1, y1 = region.outer.bounds()
    mx, my = (x0 + x1) / 2 - at[0], (y0 + y1) / 2 - at[1]
    side = math.copysign(1.0, way[0] * my - way[1] * mx)
    a, o = frame.at(-way[1] * side, way[0] * side), frame.at(0.0, 0.0)
    return (a[0] - o[0], a[1] - o[1], a[2] - o[2])


@dataclass(frozen=True, slots=True)
class Lofted:
    """Outlines on planes apart, joined in their order; ``ruled`` by straight lines, else smoothly.

    Where all outlines have their curves one for one, ``sides`` names the faces by those of the
    first, and they are joined curve by curve; else all sides are ``side``.
    """

    sections: tuple[tuple[Frame, Region], ...]
    ruled: bool
    start: FaceName
    end: FaceName
    side: FaceName
    sides: Mapping[str, FaceName] = field(default_factory=dict)

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return {self.start, self.end, *(self.sides.values() or (self.side,))}

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of both ends, their normals out of the material."""
        (first, _), (last, _) = self.sections[0], self.sections[-1]
        up = first.coordinates(last.origin)[2] >= 0
        down = last.coordinates(first.origin)[2] <= 0
        return {
            self.start: first.turned_over() if up else first,
            self.end: last if down else last.turned_over(),
        }

    def bounds(self) -> tuple[Vector, Vector]:
        """The lowest and the highest corner of a box around its sections, mm."""
        points = np.array(
            [
                frame.at(u, v)
                for frame, region in self.sections
                for u, v in region.outer.points(0.05).tolist()
            ]
        )
        return tuple(points.min(axis=0).tolist()), tuple(points.max(axis=0).tolist())

    def of_member(self, number: int) -> Lofted:
        """The same with the names of a member of a row."""
        sides = {key: name.of_member(number) for key, name in self.sides.items()}
        return replace(
            self,
            start=self.start.of_member(number),
            end=self.end.of_member(number),
            side=self.side.of_member(number),
            sides=sides,
        )


@dataclass(frozen=True, slots=True)
class Leaned:
    """A prism whose sides lean inwards by an angle in degrees (outwards where it is negative), from
    where it starts:
    at ``low``, or at ``high`` with ``from_top``."""

    prism: Prism
    degrees: float
    from_top: bool = False

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return self.prism.names()

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of both ends; sides lean, and bear none."""
        ends = (self.prism.start, self.prism.end)
        return {name: frame for name, frame in self.prism.frames().items() if name in ends}

    def bounds(self) -> tuple[Vector, Vector]:
        """The lowest and the highest corner of a box around it, mm."""
        wider = max(0.0, -self.prism.height * math.tan(math.radians(self.degrees)))
        low, high = self.prism.bounds()
        return as_vector(c - wider for c in low), as_vector(c + wider for c in high)

    def of_member(self, number: int) -> Leaned:
        """The same with the names of a member of a row."""
        return replace(self, prism=self.prism.of_member(number))


@dataclass(frozen=True, slots=True)
class ToNext:
    """A prism that goes on only as far as the next face of the part it is used on.

    Its ``low`` and ``high`` lie as far apart as it could ever go; it starts at height 0 and goes to
    the side on which most of it lies. Added, it fills up to the first material; cut, it ends where
    the first material ends.
    """

    prism: Prism

    @property
    def goes_up(self) -> bool:
        """Whether it goes the way of its normal."""
        return self.prism.high > -self.prism.low

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return self.prism.names()

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of where it starts and of its flat sides, with their origins at the start."""
        far = self.prism.end if self.goes_up else self.prism.start
        low, high = (0.0, 1.0) if self.goes_up else (-1.0, 0.0)
        there = replace(self.prism, low=low, high=high).frames()
        return {name: frame for name, frame in there.items() if name != far}

    def bounds(self) -> tuple[Vector, Vector]:
        """The lowest and the highest corner of a box around it, mm."""
        return self.prism.bounds()

    def of_member(self, number: int) -> ToNext:
        """The same with the names of a member of a row."""
        return replace(self, prism=self.prism.of_member(number))


@dataclass(frozen=True, slots=True)
class TurnedToNext:
    """A region turned about an axis only as far as the next face of the part it is used on.

    ``turned`` goes as far as it could ever go, from where it starts.
    """

    turned: Revolved

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return self.turned.names()

    def frames(self) -> dict[FaceName, Frame]:
        """The frame of where it starts."""
        return {
            name: frame for name, frame in self.turned.frames().items() if name == self.turned.start
        }

    def bounds(self) -> tuple[Vector, Vector]:
        """The lowest and the highest corner of a box around it, mm."""
        return self.turned.bounds()

    def of_member(self, number: int) -> TurnedToNext:
        """The same with the names of a member of a row."""
        return replace(self, turned=self.turned.of_member(number))


@dataclass(frozen=True, slots=True)
class ForeignSolid:
    """The solid of a STEP file: its text, how many faces it has, the frames of the flat ones by
    their numbers, and the corners of its box, mm. Faces are named by the step and their number in
    the file."""

    data: bytes
    step: str
    faces: int
    flat: tuple[tuple[int, Frame], ...]
    box: tuple[Vector, Vector]
    member: tuple[int, ...] = ()

    def face(self, number: int) -> FaceName:
        """The name of a face by its number, from 1 on."""
        return FaceName(self.step, "face", str(number), self.member)

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return {self.face(number) for number in range(1, self.faces + 1)}

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of its flat faces."""
        return {self.face(number): frame for number, frame in self.flat}

    def bounds(self) -> tuple[Vector, Vector]:
        """The lowest and the highest corner of the box around it, mm."""
        return self.box

    def of_member(self, number: int) -> ForeignSolid:
        """The same with the names of a member of a row."""
        return replace(self, member=(number, *self.member))


@dataclass(frozen=True, slots=True)
class ForeignMesh(ForeignSolid):
    """A free form out of triangles, as a design keeps it (:mod:`.kept_mesh`); its last face is what
    is left of it beside the flat ones."""

    def face(self, number: int) -> FaceName:
        if number == self.faces:
            return FaceName(self.step, "free", "", self.member)
        return FaceName(self.step, "face", str(number), self.member)


@dataclass(frozen=True, slots=True)
class Placed:
    """A tool moved, turned or mirrored."""

    tool: Revolved | Guided | Lofted | ForeignSolid | Piped | Leaned | ToNext | TurnedToNext
    motion: Motion

    def names(self) -> set[FaceName]:
        """The names of its faces."""
        return self.tool.names()

    def frames(self) -> dict[FaceName, Frame]:
        """Frames of its flat faces, at their place."""
        return {name: self.motion.frame(frame) for name, frame in self.tool.frames().items()}

    def bounds(self) -> tuple[Vector, Vector]:
        """The lowest and the highest corner of a box around it, mm."""
        low, high = self.tool.bounds()
        corners = [
            self.motion.point((x, y, z))
            for x in (low[0], high[0])
            for y in (low[1], high[1])
            for z in (low[2], high[2])
        ]
        least = as_vector(min(c[i] for c in corners) for i in range(3))
        most = as_vector(max(c[i] for c in corners) for i in range(3))
        return least, most

    def stretched(self, factors: Vector) -> Placed:
        """The same in a space stretched along its axes, exactly.

        Raises:
            ValueError: where the motion and the stretch get into each other's way, or the tool
            cannot be stretched.
        """
        rows = self.motion.rows
        if any(
            abs(rows[i][k] * (factors[i] - factors[k])) > 1e-15 for i in range(3) for k in range(3)
        ):
            raise ValueError(
                "what was turned out of its plane cannot be scaled differently along z"
            )
        x, y, z = self.motion.shift
        shift = (x * factors[0], y * factors[1], z * factors[2])
        inner = stretched_tool(self.tool, factors)
        return replace(self, tool=inner, motion=Motion(rows, shift))  # type: ignore[arg-type]

    def of_member(self, number: int) -> Placed:
        """The same with the names of a member of a row."""
        return replace(self, tool=self.tool.of_member(number))


Tool = (
    Prism
    | Revolved
    | Guided
    | Lofted
    | ForeignSolid
    | Piped
    | Leaned
    | ToNext
    | TurnedToNext
    | Placed
)


def placed(tool: Tool, motion: Motion) -> Tool:
    """The tool under a motion; a prism stays a prism."""
    if motion.is_nothing:
        return tool
    if isinstance(tool, Prism):
        return tool.placed(motion)
    if isinstance(tool, Placed):
        return Placed(tool.tool, motion.after(tool.motion))
    return Placed(tool, motion)


def stretched_tool(tool: Tool, factors: Vector) -> Tool:
    """A tool in a space stretched along its axes by factors, exactly.

    Raises:
        ValueError: where it is of a kind, or lies so, that it would be another kind of tool.
    """
    if isinstance(tool, (Prism, Guided, Revolved, Placed)):
        return tool.stretched(factors)
    raise ValueError(f"{title_of(tool)} cannot be stretched by itself")


def claimed(tool: Tool) -> float | None:
    """The volume that a tool must have, mm³, from its own figures; None where these do not tell."""
    if isinstance(tool, Placed):
        return claimed(tool.tool)
    return tool.volume if isinstance(tool, (Prism, Revolved, Guided)) else None


def divided(tool: Tool, stations_a_face: int) -> Tool | None:
    """The tool with its surfaces divided otherwise, which helps the kernel where it fails; None
    where there is no such way."""
    if isinstance(tool, Placed):
        inner = divided(tool.tool, stations_a_face)
        return None if inner is None else Placed(inner, tool.motion)  # type: ignore[arg-type]
    return replace(tool, stations_a_face=stations_a_face) if isinstance(tool, Guided) else None


def title_of(tool: Tool) -> str:
    """A tool as people call it: by its step, its number in a row, and the outline that it was
    raised from."""
    inner = tool.tool if isinstance(tool, Placed) else tool
    name = min(inner.names())
    said = " ".join([say_name(name.step), ".".join(str(number) for number in name.member)]).strip()
    prism = inner.prism if isinstance(inner, (Leaned, ToNext)) else inner
    if isinstance(prism, Prism):
        side = prism.sides.get(prism.region.outer.curves[0].name)
        if side is not None and side.role == "side" and side.element:
            return f"“{say_name(side.element.partition('.')[0])}” of {said}"
    return said
