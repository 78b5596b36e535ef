"""DXF outlines as a drawing: lines, arcs, circles, ellipses, splines, polylines, and blocks that
are inserted."""

from __future__ import annotations

import io
import math
from collections import Counter
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ..files import LARGEST
from ..problem import Problem, SchabloneError
from .drawing import Drawing
from .pen import Pen

XY = tuple[float, float]

_LARGEST = LARGEST["outlines"]
#: Ends nearer than this, mm, are one point.
TOGETHER = 1e-3
#: How far a spline may lie from the one in the file, mm.
_CLOSE = 0.01
_MOST = 3000
_DEEPEST = 8

#: Millimetres in one unit of the file, by its header's number for units.
_UNITS = {
    1: 25.4,
    2: 304.8,
    4: 1.0,
    5: 10.0,
    6: 1000.0,
    8: 25.4e-6,
    9: 0.0254,
    10: 914.4,
    13: 1e-3,
    14: 100.0,
}


@dataclass(slots=True)
class ReadDrawing:
    """What a DXF file gave: the drawing, and what was not taken over as it was, in words."""

    drawing: Drawing
    notes: list[str] = field(default_factory=list)


class _Reader:
    def __init__(self, drawing: Drawing, factor: float) -> None:
        self.pen, self.factor = Pen(drawing), factor
        self.points: dict[tuple[int, int], list[tuple[XY, str]]] = {}
        self.left: Counter[str] = Counter()
        self.bent = 0.0
        self.count = 0
        self.seen: set[tuple[Any, ...]] = set()

    def point(self, x: float, y: float, *, helper: bool = False) -> str:
        """The point there; one that is there already is used again."""
        p = (x * self.factor, y * self.factor)
        key = (round(p[0] / TOGETHER / 4), round(p[1] / TOGETHER / 4))
        for dx in (-1, 0, 1):
            for dy in (-1, 0, 1):
                for other, name in self.points.get((key[0] + dx, key[1] + dy), ()):
                    if math.dist(p, other) <= TOGETHER:
                        return name
        name = self.pen.point(p, helper=helper)
        self.points.setdefault(key, []).append((p, name))
        return name

    def _twice(self, *mark: Any) -> bool:
        """Whether the very same is in the drawing already: files often have every line twice."""
        if mark in self.seen:
            self.left["drawn twice, taken once"] += 1
            return True
        self.seen.add(mark)
        self.count += 1
        if self.count > _MOST:
            raise SchabloneError(
                Problem(
                    area="file",
                    what=f"The file has more than {_MOST} curves.",
                    hint="Take only the outlines that are needed.",
                )
            )
        return False

    def take(self, entity: Any, depth: int = 0) -> None:
        kind = entity.dxftype()
        if kind in ("INSERT", "LWPOLYLINE", "POLYLINE"):
            if depth >= _DEEPEST:
                self.left["nested too deeply"] += 1
                return
            for inner in entity.virtual_entities():
                self.take(inner, depth + 1)
            return
        if kind in ("ARC", "CIRCLE", "ELLIPSE") and tuple(entity.dxf.extrusion) != (0, 0, 1):
            from ezdxf.upright import upright

            upright(entity)
        taker = getattr(self, f"_take_{kind.lower()}", None)
        if taker is None:
            self.left[kind.lower().replace("_", " ")] += 1
            return
        taker(entity)

    def _take_line(self, e: Any) -> None:
        a, b = self.point(*e.dxf.start.vec2), self.point(*e.dxf.end.vec2)
        if a == b:
            self.left["line without length"] += 1
        elif not self._twice("line", *sorted((a, b))):
            self.pen.line(a, b)

    def _take_point(self, e: Any) -> None:
        self.point(*e.dxf.location.vec2)

    def _take_circle(self, e: Any) -> None:
        centre, radius = self.point(*e.dxf.center.vec2, helper=True), e.dxf.radius * self.factor
        if radius <= 0:
            self.left["circle without radius"] += 1
        elif not self._twice("circle", centre, round(radius, 3)):
            self.pen.circle(centre, radius)

    def _take_arc(self, e: Any) -> None:
        start, end = self.point(*e.start_point.vec2), self.point(*e.end_point.vec2)
        if start == end or e.dxf.radius * self.factor < TOGETHER:
            self.left["arc without length"] += 1
            return
        centre = self.point(*e.dxf.center.vec2, helper=True)
        if not self._twice("arc", centre, start, end):
            self.pen.arc(centre, start, end)

    def _take_ellipse(self, e: Any) -> None:
        whole = abs(abs(e.dxf.end_param - e.dxf.start_param) - math.tau) < 1e-9
        if not whole:
            self._through(list(e.flattening(0.02 / self.factor, 24)), "elliptical arc")
            return
        centre = self.point(*e.dxf.center.vec2, helper=True)
        vertex = self.point(*(e.dxf.center + e.dxf.major_axis).vec2, helper=True)
        minor = e.dxf.major_axis.magnitude * e.dxf.ratio * self.factor
        if not self._twice("ellipse", centre, vertex):
            self.pen.ellipse(centre, vertex, minor)

    def _take_spline(self, e: Any) -> None:
        tool = e.construction_tool()
        count = min(4000, 64 * max(tool.count, 4)) + 1
        self._through([tool.point(t) for t in np.linspace(0, tool.max_t, count)], "spline")

    def _through(self, points: list[Any], what: str) -> None:
        """A smooth curve through as many of the points as keep it close to all of them."""
        from . import spline
        from .curves import Bezier

        flat = np.array([(p.x * self.factor, p.y * self.factor) for p in points])
        flat = flat[np.concatenate([[True], np.hypot(*np.diff(flat, axis=0).T) > TOGETHER])]
        if len(flat) < 2:
            self.left[f"{what} without length"] += 1
            return
        chosen, worst = np.array([0, len(flat) - 1]), 0.0
        for count in (5, 9, 17, 33, 65, 129, 199):
            chosen = np.unique(
                np.linspace(0, len(flat) - 1, min(count, len(flat))).round().astype(int)
            )
            pieces = spline.pieces(flat[chosen])
            near = np.concatenate([Bezier.of(p, "").at(np.linspace(0, 1, 33)) for p in pieces])
            worst = max(float(np.hypot(*(near - q).T).min()) for q in flat)
            if worst <= _CLOSE or len(chosen) == len(flat):
                break
        self.bent = max(self.bent, worst)
        names = [self.point(*(flat[k] / self.factor)) for k in chosen]
        if len(set(names)) == len(names) and not self._twice("curve", *names):
            self.pen.spline(names)
        elif len(set(names)) < len(names):
            # A closed curve: two halves, since a smooth curve has two different ends.
            half = len(names) // 2
            for part in (names[: half + 1], names[half:]):
                if len(set(part)) == len(part) and not self._twice("curve", *part):
                    self.pen.spline(part)


def _whole_number(said: object) -> int:
    """What a head says as a number; -1 where it is none."""
    try:
        return int(str(said or 0))
    except ValueError:
        return -1


def read_dxf(data: bytes, onto: Drawing | None = None) -> ReadDrawing:
    """The outlines of a DXF file, laid onto a drawing or onto an empty sheet; lengths become mm.

    Raises:
        SchabloneError: where it is no DXF file, has nothing that can be drawn, or is too large.
    """
    import ezdxf.recover  # here, since only this format pays for loading it

    if len(data) > _LARGEST:
        raise SchabloneError(
            Problem(area="file", what=f"The file is larger than {_LARGEST // 1_000_000} MB.")
        )
    try:
        document, audit = ezdxf.recover.read(io.BytesIO(data))
    except (
        ezdxf.DXFError,
        OSError,
        ValueError,
        KeyError,
        IndexError,
        TypeError,
        AttributeError,
    ) as error:
        raise SchabloneError(
            Problem(
                area="file",
                what=f"This is no DXF file that can be read: {error}.",
                hint="Write it anew as DXF R2010 or later.",
            )
        ) from None
    notes: list[str] = []
    units = _whole_number(document.header.get("$INSUNITS", 0))
    factor = _UNITS.get(units, 1.0)
    if units not in _UNITS:
        inches = _whole_number(document.header.get("$MEASUREMENT", 1)) == 0
        factor = 25.4 if inches and units == 0 and "$MEASUREMENT" in document.header else 1.0
        notes.append(
            f"The file does not say its unit; {'inches' if factor != 1.0 else 'millimetres'} "
            "were taken. Check one length."
        )
    reader = _Reader(onto or Drawing(), factor)
    for entity in document.modelspace():
        try:
            reader.take(entity)
        except SchabloneError:
            raise
        except (
            ezdxf.DXFError,
            ValueError,
            ArithmeticError,
            AttributeError,
            TypeError,
            IndexError,
        ) as error:
            reader.left[f"{entity.dxftype().lower()} that could not be read ({error})"] += 1
    if reader.count == 0:
        left = ", ".join(f"{n} × {what}" for what, n in reader.left.items()) or "nothing"
        raise SchabloneError(
            Problem(
                area="file",
                what=f"The file has no outlines that can be drawn; it has {left}.",
                hint="Outlines are lines, arcs, circles, ellipses, splines and polylines.",
            )
        )
    if reader.bent > 0:
        notes.append(
            f"Splines are drawn anew, within {max(reader.bent, 1e-4):.2g} mm of those in the file."
        )
    notes += [
        f"Left out: {n} × {what}."
        for what, n in reader.left.items()
        if not what.startswith("drawn twice")
    ]
    notes += [
        f"{n} curves were there twice and are taken once."
        for what, n in reader.left.items()
        if what.startswith("drawn twice")
    ]
    if audit.errors:
        notes.append(f"{len(audit.errors)} faults of the file were mended while reading.")
    return ReadDrawing(reader.pen.drawing, notes)
