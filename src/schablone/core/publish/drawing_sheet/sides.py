"""From which sides a part is drawn, and what is seen from there, in true size."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ...design.model import CutAcross, DrawingSheet
from ...formula import FormulaError
from ...formula.value_table import ValueTable
from ...kernel.board_lines import lines_of_board
from ...kernel.body import Body
from ...kernel.frame import Frame
from ...kernel.line_work import Lines
from ...kernel.mesh_lines import lines_of_triangles
from ...problem import Problem, SchabloneError
from ...quantity import LENGTH
from ...sketch.curves import Curve, EllipticArc, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import XY

_X, _Y, _Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)
#: The planes of the views: x to the right, y upwards, the normal towards who looks.
FRONT, TOP = Frame((0.0, 0.0, 0.0), _X, _Z), Frame((0.0, 0.0, 0.0), _X, _Y)
RIGHT = Frame((0.0, 0.0, 0.0), _Y, _Z)
LEFT = Frame((0.0, 0.0, 0.0), (0.0, -1.0, 0.0), _Z)
_ACROSS = {"x": RIGHT, "y": FRONT, "z": TOP}
#: From the front, from the right, from above: isometric.
_S2, _S6 = math.sqrt(2.0), math.sqrt(6.0)
PICTURE = Frame(
    (0.0, 0.0, 0.0),
    (1 / _S2, 1 / _S2, 0.0),
    (-1 / _S6, 1 / _S6, 2 / _S6),
)
#: A picture of more faces than this is left out: hidden lines of it would be waited for.
_MOST_FACES = 600
#: What is drawn lies where a size reaches to within this, mm.
_SEEN = 1e-3


@dataclass(frozen=True, slots=True)
class Side:
    """A part from one side, mm in true size: its lines, the areas that a cut went through, and the
    box around it. Of a cut: its letter, and how far it lies above the plane of the view."""

    name: str
    frame: Frame
    seen: tuple[Curve, ...]
    hidden: tuple[Curve, ...]
    box: tuple[float, float, float, float]
    areas: tuple[tuple[tuple[XY, ...], ...], ...] = ()
    letter: str = ""
    above: float = 0.0
    #: What was worked out of it already.
    _kept: dict[XY, NDArray[np.floating]] = field(
        default_factory=dict, init=False, compare=False, repr=False, hash=False
    )
    _along: dict[XY, tuple[NDArray[np.floating], NDArray[np.floating]]] = field(
        default_factory=dict, init=False, compare=False, repr=False, hash=False
    )

    def reaches(self, place: float, way: XY) -> bool:
        """Whether something that is drawn lies at a place along a direction: an end of an edge, or
        the middle or the rim of what is round, mm."""
        if way not in self._kept:
            reach = []
            for curve in (*self.seen, *self.hidden):
                for x, y in (curve.start, curve.end):
                    reach.append(x * way[0] + y * way[1])
                if isinstance(curve, EllipticArc):
                    middle = curve.centre[0] * way[0] + curve.centre[1] * way[1]
                    rim = math.hypot(curve.rx * way[0], curve.ry * way[1])
                    reach += [middle - rim, middle, middle + rim]
            self._kept[way] = np.sort(np.array(reach))
        known = self._kept[way]
        k = int(np.searchsorted(known, place))
        return any(abs(known[i] - place) < _SEEN for i in (k - 1, k) if 0 <= i < len(known))

    def end_of_edge(self, point: XY, way: XY) -> float:
        """How far, mm, edges that are seen go on from a point in a direction of length 1: a line
        drawn over them would make them look thicker."""
        turned = (-way[1], way[0])
        if way not in self._along:
            ends = [(curve.start, curve.end) for curve in self.seen if isinstance(curve, Segment)]
            points = np.array(ends, float).reshape(-1, 2, 2)
            self._along[way] = points @ np.array(way), points @ np.array(turned)
        along, beside = self._along[way]
        at, line = (
            point[0] * way[0] + point[1] * way[1],
            point[0] * turned[0] + point[1] * turned[1],
        )
        there = along[np.abs(beside - line).max(axis=1) < _SEEN]
        far = at
        for low, high in sorted(map(sorted, there.tolist())):
            if low <= far + _SEEN:
                far = max(far, high)
        return far - at

    def circle(self, centre: XY, radius: float) -> XY | None:
        """The middle, mm, of a circle of a radius that is drawn, the nearest to a place; None where
        there is none: a pattern need not have one where it was drawn."""
        circles = [
            curve.centre
            for curve in (*self.seen, *self.hidden)
            if isinstance(curve, EllipticArc)
            and curve.is_circular
            and abs(curve.rx - radius) < _SEEN
        ]
        return min(circles, key=lambda one: math.dist(one, centre), default=None)

    @property
    def wide(self) -> float:
        """How wide the part is from this side, mm."""
        return self.box[2] - self.box[0]

    @property
    def high(self) -> float:
        """How high the part is from this side, mm."""
        return self.box[3] - self.box[1]


def sides_of(
    body: Body,
    sheet: DrawingSheet,
    table: ValueTable,
    step: Callable[[], object] = lambda: None,
) -> list[Side]:
    """What a part is drawn from: the front, above, the side, a picture, and its cuts. ``step`` is
    called before each of them, and may raise.

    Raises:
        SchabloneError: for a cut that is nowhere, or misses the part.
    """
    beside = ("left", LEFT) if sheet.angle == "first" else ("right", RIGHT)
    sides = []
    for name, frame in (("front", FRONT), ("top", TOP), beside):
        step()
        lines = _lines_of(body, frame)
        sides.append(Side(name, frame, lines.seen, lines.hidden, _box(lines.seen)))
    for number, cut in enumerate(sheet.cuts):
        frame = _ACROSS[cut.across]
        at = _place(cut, number, table, body)
        step()
        try:
            # The front is seen against y.
            above = -at if cut.across == "y" else at
            lines = _lines_of(body, frame, above)
        except ValueError:
            raise _misses(cut, number, at, body) from None
        letter = "ABCD"[number]
        box = _box(lines.seen)
        # What lies behind a cut is left out where it is hidden: the cut is there to show it.
        sides.append(
            Side(f"cut {number + 1}", frame, lines.seen, (), box, lines.areas, letter, above)
        )
    if len(body.names()) <= _MOST_FACES:
        step()
        lines = _lines_of(body, PICTURE)
        sides.append(Side("picture", PICTURE, lines.seen, (), _box(lines.seen)))
    return sides


@dataclass(frozen=True, eq=False)
class _Very:
    """This very body: bodies are not compared by what they are made of, which is a lot."""

    body: Body

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Very) and other.body is self.body

    def __hash__(self) -> int:
        return id(self.body)


def _lines_of(body: Body, view: Frame, cut: float | None = None) -> Lines:
    """The lines of a part seen against the normal of a plane; see
    :func:`schablone.core.kernel.occ.hidden_lines.lines_of`. They take seconds where there are
    thousands of faces, and last while paper, scale and dimensions change."""
    return _lines_of_very(_Very(body), view, cut)


@lru_cache(maxsize=24)
def _lines_of_very(very: _Very, view: Frame, cut: float | None) -> Lines:
    body = very.body
    if body.meshed is not None:
        return lines_of_triangles(body.meshed, view, cut)
    if len(body.prisms) == 1 and (board := lines_of_board(body.prisms[0], view, cut)) is not None:
        return board
    from ...kernel.occ.hidden_lines import lines_of

    return lines_of(body.solid(), view, cut)


def _box(curves: tuple[Curve, ...]) -> tuple[float, float, float, float]:
    boxes = [Loop((curve,)).bounds() for curve in curves]
    return (
        min(b[0] for b in boxes), min(b[1] for b in boxes),
        max(b[2] for b in boxes), max(b[3] for b in boxes),
    )  # fmt: skip


def _place(cut: CutAcross, number: int, table: ValueTable, body: Body) -> float:
    low, high = body.box()
    axis = "xyz".index(cut.across)
    if not cut.at.strip():
        return (low[axis] + high[axis]) / 2
    try:
        return table.compile(cut.at, LENGTH).value(table.env()).value
    except FormulaError as error:
        raise SchabloneError(
            Problem(
                area="publish",
                name=f"cut {'ABCD'[number]}",
                what=f"Where it lies cannot be worked out: {error.what}",
                hint=error.hint or "Type a length, such as 12 mm or width/4.",
            )
        ) from None


def _misses(cut: CutAcross, number: int, at: float, body: Body) -> SchabloneError:
    low, high = (corner["xyz".index(cut.across)] for corner in body.box())
    return SchabloneError(
        Problem(
            area="publish",
            name=f"cut {'ABCD'[number]}",
            what=f"At {cut.across} = {at:.6g} mm it meets no material.",
            hint=f"The part reaches from {low:.6g} mm to {high:.6g} mm there; leave the place "
            "empty for its middle.",
        )
    )
