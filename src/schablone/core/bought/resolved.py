"""What the file of a bought part comes to: its lengths in millimetres, its outline, and where its
anchors, holes and ports are, in its own coordinates."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

from ..formula import FormulaError
from ..formula.evaluation import evaluate
from ..formula.value_table import Entry, ValueTable
from ..kernel.frame import Frame, Vector
from ..kernel.motion import Motion
from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..kernel.tools import ForeignSolid, Tool, placed
from ..packed import unpacked
from ..quantity import LENGTH, LONGEST_MADE
from ..sketch.curves import Curve, EllipticArc, Segment
from ..sketch.loops import Loop
from ..sketch.mapping import XY
from ..sketch.regions import Region
from .model import BOX, BoughtPart, BoxOutline, CylinderOutline, FileOutline, RaisedOutline, Side

#: Shorter than this nothing is, mm.
_LEAST = 1e-6
#: Which way each side looks.
OUTWARD: Mapping[str, Vector] = {
    "front": (0.0, -1.0, 0.0),
    "back": (0.0, 1.0, 0.0),
    "left": (-1.0, 0.0, 0.0),
    "right": (1.0, 0.0, 0.0),
    "top": (0.0, 0.0, 1.0),
    "bottom": (0.0, 0.0, -1.0),
}


#: How many faces a solid has, frames of the flat ones by their numbers, the corners of its box.
Description = tuple[int, tuple[tuple[int, Frame], ...], tuple[Vector, Vector]]


def _by_kernel(data: bytes) -> Description:
    from ..kernel.occ.reading import described

    return described(data)


_look_at: Callable[[bytes], Description] = _by_kernel


def look_at_solids_by(look: Callable[[bytes], Description]) -> None:
    """From now on the solid of a STEP file is looked at this way: a process that must not wait for
    the kernel, nor end with it, has another look."""
    global _look_at
    _look_at = look


class BoughtError(ValueError):
    """A bought part that makes no sense: what is wrong, and what to do."""

    def __init__(self, what: str, hint: str = "") -> None:
        super().__init__(what)
        self.what, self.hint = what, hint


@dataclass(frozen=True, slots=True)
class AnchorAt:
    """A point, mm, and the side with which the part lies on what it is placed on."""

    at: Vector
    towards: Side


@dataclass(frozen=True, slots=True)
class HoleAt:
    name: str
    at: XY
    diameter: float
    screw: str


@dataclass(frozen=True, slots=True)
class PortAt:
    """An opening: the frame of its middle, its normal outwards and y upwards; its width and height,
    mm, or its diameter twice; and how much wider it is to be cut all round."""

    name: str
    frame: Frame
    width: float
    height: float
    is_round: bool
    clearance: float


@dataclass(frozen=True, slots=True)
class Resolved:
    """A bought part in millimetres. ``footprint`` is its outline seen from above."""

    part: BoughtPart
    lengths: Mapping[str, float]
    box: Vector
    footprint: Region
    anchors: Mapping[str, AnchorAt]
    holes: tuple[HoleAt, ...]
    ports: tuple[PortAt, ...]
    tool: Tool

    @property
    def outputs(self) -> dict[str, float]:
        """What formulas can ask of it: its dimensions, and the size of the box around it, mm."""
        return {**dict(zip(BOX, self.box, strict=True)), **self.lengths}


def outputs_of(part: BoughtPart) -> Mapping[str, float]:
    """What formulas can ask of a bought part. A file that it is kept in is not read for it: that is
    left to the worker, which finds out if it is not what it says.

    Raises:
        BoughtError: where a formula cannot be read or its outline encloses nothing.
    """
    outline = part.outline
    if isinstance(outline, FileOutline) and all(outline.size):
        return {**dict(zip(BOX, outline.size, strict=True)), **_Reader.of(part).lengths()}
    return resolved(part).outputs


@lru_cache(maxsize=256)
def resolved(part: BoughtPart) -> Resolved:
    """A bought part in millimetres.

    Raises:
        BoughtError: where a formula cannot be read or its outline encloses nothing.
    """
    reader = _Reader.of(part)
    lengths = reader.lengths()
    footprint, tool, box = reader.outline()
    anchors = {
        "middle": AnchorAt((0.0, 0.0, 0.0), "bottom"),
        "top_middle": AnchorAt((0.0, 0.0, box[2]), "top"),
    }
    for anchor in part.anchors:
        x, y, z = (
            reader.length(getattr(anchor, axis), f"{axis} of the anchor {anchor.name}")
            for axis in ("x", "y", "z")
        )
        anchors[anchor.name] = AnchorAt((x, y, z), anchor.towards)
    holes = tuple(
        HoleAt(
            hole.name,
            (
                reader.length(hole.x, f"x of the hole {hole.name}"),
                reader.length(hole.y, f"y of the hole {hole.name}"),
            ),
            reader.above_zero(hole.diameter, f"diameter of the hole {hole.name}"),
            hole.screw,
        )
        for hole in part.holes
    )
    ports = tuple(reader.port(number, box) for number in range(len(part.ports)))
    return Resolved(part, lengths, box, footprint, anchors, holes, ports, tool)


@dataclass(frozen=True, slots=True)
class _Reader:
    part: BoughtPart
    table: ValueTable

    @classmethod
    def of(cls, part: BoughtPart) -> _Reader:
        table = evaluate([Entry(d.name, d.formula, kind=LENGTH) for d in part.dimensions])
        for problem in table.problems:
            raise BoughtError(f"{part.said}: {problem.name}: {problem.what}", problem.hint)
        return cls(part, table)

    def lengths(self) -> dict[str, float]:
        """The dimensions, mm, by name."""
        return {d.name: self.table.cells[d.name].wanted.value for d in self.part.dimensions}

    def length(self, formula: str, what: str) -> float:
        try:
            value = self.table.compile(formula, LENGTH).value(self.table.env()).value
        except FormulaError as error:
            raise BoughtError(f"{self.part.said}: {what}: {error.what}", error.hint) from None
        if not math.isfinite(value):
            raise BoughtError(f"{self.part.said}: {what} is no number.", f"Change “{formula}”.")
        if abs(value) > LONGEST_MADE:
            raise BoughtError(
                f"{self.part.said}: {what} comes to more than 1 km, and nothing is as long here.",
                f"Look for a slipped point or a wrong unit in “{formula}”.",
            )
        return value

    def above_zero(self, formula: str, what: str) -> float:
        value = self.length(formula, what)
        if value < _LEAST:
            raise BoughtError(
                f"{self.part.said}: the {what} is {value:g} mm; it must be above zero.",
                f"Change “{formula}”.",
            )
        return value

    def outline(self) -> tuple[Region, Tool, Vector]:
        """The footprint, the tool, and the size of the box around it."""
        outline = self.part.outline
        match outline:
            case BoxOutline():
                x, y, z = (
                    self.above_zero(getattr(outline, name), name)
                    for name in ("length", "width", "height")
                )
                region = Region(_rectangle(x, y))
                return region, self._raised(region, z), (x, y, z)
            case CylinderOutline():
                return self._cylinder(outline)
            case RaisedOutline():
                z = self.above_zero(outline.height, "height")
                region, wide, deep = self._drawn(outline)
                return region, self._raised(region, z), (wide, deep, z)
            case FileOutline():
                return self._file(outline)

    def _raised(self, region: Region, height: float) -> Prism:
        name = self.part.name
        sides = {
            curve.name: FaceName(name, "side", curve.name)
            for loop in region.loops
            for curve in loop.curves
        }
        bottom, top = FaceName(name, "bottom"), FaceName(name, "top")
        return Prism(Frame(), region, 0.0, height, bottom, top, sides)

    def _cylinder(self, outline: CylinderOutline) -> tuple[Region, Tool, Vector]:
        across = self.above_zero(outline.diameter, "diameter")
        long = self.above_zero(outline.height, "height")
        round_ = Region(Loop((EllipticArc((0.0, 0.0), across / 2, across / 2, 0, math.tau, "w"),)))
        if not outline.lies:
            return round_, self._raised(round_, long), (across, across, long)
        # Along x: what was up looks to the right.
        over = Motion.turn((0.0, 0.0, 0.0), (0.0, 1.0, 0.0), 90.0)
        lying = Motion.move((-long / 2, 0.0, across / 2)).after(over)
        footprint = Region(_rectangle(long, across))
        return footprint, placed(self._raised(round_, long), lying), (long, across, across)

    def _drawn(self, outline: RaisedOutline) -> tuple[Region, float, float]:
        corners = [
            (
                self.length(corner.x, f"x of corner {k}"),
                self.length(corner.y, f"y of corner {k}"),
                self.length(corner.round, f"radius of corner {k}"),
            )
            for k, corner in enumerate(outline.corners, 1)
        ]
        loop = Loop(tuple(_rounded(corners, self.part.said)))
        if loop.area < 0:
            loop = loop.reversed()
        if abs(loop.area) < _LEAST:
            raise BoughtError(f"{self.part.said}: its corners enclose nothing.", "Change them.")
        x0, y0, x1, y1 = loop.bounds()
        moved = loop.moved(-(x0 + x1) / 2, -(y0 + y1) / 2)
        return Region(moved), x1 - x0, y1 - y0

    def _file(self, outline: FileOutline) -> tuple[Region, Tool, Vector]:
        try:
            data = unpacked(outline.data)
            faces, flat, (low, high) = _look_at(data)
        except ValueError as error:
            raise BoughtError(
                f"{self.part.said}: {error}.", "Write the file anew and take it in again."
            ) from None
        size = (high[0] - low[0], high[1] - low[1], high[2] - low[2])
        if all(outline.size) and math.dist(size, outline.size) > 1e-3:
            raise BoughtError(
                f"{self.part.said}: its file holds a solid of another size than it says.",
                "Take the file in again.",
            )
        there = (-(low[0] + high[0]) / 2, -(low[1] + high[1]) / 2, -low[2])
        tool = ForeignSolid(data, self.part.name, faces, flat, (low, high))
        return Region(_rectangle(size[0], size[1])), placed(tool, Motion.move(there)), size

    def port(self, number: int, box: Vector) -> PortAt:
        port = self.part.ports[number]
        name = f"of the port {port.name}"
        along, up = self.length(port.along, f"place {name}"), self.length(port.up, f"height {name}")
        wide = self.above_zero(port.width, f"width {name}")
        is_round = port.form == "round"
        high = wide if is_round else self.above_zero(port.height, f"height {name}")
        n = OUTWARD[port.side]
        if port.side in ("top", "bottom"):
            frame = Frame((along, up, box[2] if port.side == "top" else 0.0))
            frame = frame if port.side == "top" else frame.turned_over()
        else:
            x = (-n[1], n[0], 0.0)  # with y upwards the normal looks outwards
            half = box[1] / 2 if n[1] else box[0] / 2
            at = (n[0] * half + x[0] * along, n[1] * half + x[1] * along, up)
            frame = Frame(at, x, (0.0, 0.0, 1.0))
        clearance = self.length(port.clearance, f"clearance {name}")
        return PortAt(port.name, frame, wide, high, is_round, clearance)


def _rectangle(x: float, y: float) -> Loop:
    return rectangle(-x / 2, -y / 2, x / 2, y / 2)


def rectangle(x0: float, y0: float, x1: float, y1: float) -> Loop:
    """A rectangle of lengths in mm, its sides named as they are seen from above."""
    a, b, c, d = (x0, y0), (x1, y0), (x1, y1), (x0, y1)
    return Loop(
        (
            Segment(a, b, "front"),
            Segment(b, c, "right"),
            Segment(c, d, "back"),
            Segment(d, a, "left"),
        )
    )


def _rounded(corners: Sequence[tuple[float, float, float]], said: str) -> list[Curve]:
    """An outline through corners, those with a radius rounded."""
    count = len(corners)
    arcs: list[tuple[XY, XY, EllipticArc | None]] = []
    for k, (x, y, radius) in enumerate(corners):
        (px, py, _), (qx, qy, _) = corners[k - 1], corners[(k + 1) % count]
        a, b = math.hypot(px - x, py - y), math.hypot(qx - x, qy - y)
        if min(a, b) < _LEAST:
            raise BoughtError(f"{said}: corner {k + 1} lies on the one beside it.", "Move it.")
        u, v = ((px - x) / a, (py - y) / a), ((qx - x) / b, (qy - y) / b)
        turn = math.acos(max(-1.0, min(1.0, u[0] * v[0] + u[1] * v[1])))
        if radius <= 0 or turn > math.pi - 1e-9:
            arcs.append(((x, y), (x, y), None))
            continue
        back = radius / math.tan(turn / 2)
        if back > min(a, b) + _LEAST:
            raise BoughtError(
                f"{said}: corner {k + 1} cannot be rounded by {radius:g} mm.",
                "Make the radius smaller.",
            )
        start, end = (x + u[0] * back, y + u[1] * back), (x + v[0] * back, y + v[1] * back)
        way = (u[0] + v[0], u[1] + v[1])
        off = math.hypot(radius, back) / math.hypot(*way)
        centre = (x + way[0] * off, y + way[1] * off)
        t0 = math.atan2(start[1] - centre[1], start[0] - centre[0])
        t1 = math.atan2(end[1] - centre[1], end[0] - centre[0])
        while t1 - t0 > math.pi:
            t1 -= math.tau
        while t1 - t0 < -math.pi:
            t1 += math.tau
        arcs.append((start, end, EllipticArc(centre, radius, radius, t0, t1, f"round_{k + 1}")))
    curves: list[Curve] = []
    for k, (start, _, arc) in enumerate(arcs):
        before = arcs[k - 1][1]
        if math.dist(before, start) > _LEAST:
            curves.append(Segment(before, start, f"side_{k or count}"))
        if arc is not None:
            curves.append(arc)
    return curves
