"""A page of a drawing sheet as plain values: strokes and words in mm on paper, from the lower left
corner. What writes files, and the window, draw these and work nothing out."""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass, replace
from typing import Literal

from shapely.geometry import Polygon

from ...sketch.curves import Curve, Segment
from ...sketch.loops import Loop
from ...sketch.mapping import XY, Mapping2D

#: How a stroke is drawn: an edge, an edge behind something, a dimension or its lines, the middle of
#: something round or the place of a cut, hatching, the frame and its table.
Pen = Literal["seen", "hidden", "thin", "chain", "hatch", "frame"]
#: How wide each is drawn, mm.
WIDTHS: dict[Pen, float] = {
    "seen": 0.35, "hidden": 0.18, "thin": 0.13, "chain": 0.18, "hatch": 0.1, "frame": 0.25,
}  # fmt: skip
#: Dashes and gaps of those that are broken, mm.
DASHES: dict[Pen, tuple[float, ...]] = {"hidden": (2.0, 1.0), "chain": (5.0, 1.0, 0.6, 1.0)}
#: Size of the letters of dimensions and of small print, mm: that of their font, of which capitals
#: are seven tenths.
LETTERS, SMALL = 3.4, 2.8
#: How far one letter of the font of figures is from the next, as a share of its size: all alike.
ADVANCE = 0.6


@dataclass(frozen=True, slots=True)
class Stroke:
    """Curves that are drawn alike."""

    pen: Pen
    curves: tuple[Curve, ...]


@dataclass(frozen=True, slots=True)
class Words:
    """A line of letters: where it begins (or its middle, or its end) on its base line, turned by an
    angle in degrees. ``bold`` is for headings."""

    text: str
    at: XY
    size: float = LETTERS
    align: Literal["start", "middle", "end"] = "start"
    angle: float = 0.0
    bold: bool = False

    @property
    def wide(self) -> float:
        """Its length, mm."""
        return len(self.text) * ADVANCE * self.size

    def box(self, room: float = 0.0) -> Polygon:
        """What it covers, mm, with some room around it."""
        start = {"start": 0.0, "middle": -0.5, "end": -1.0}[self.align] * self.wide
        x0, x1 = start - room, start + self.wide + room
        y0, y1 = -0.22 * self.size - room, 0.75 * self.size + room
        c, s = math.cos(math.radians(self.angle)), math.sin(math.radians(self.angle))
        return Polygon(
            (self.at[0] + x * c - y * s, self.at[1] + x * s + y * c)
            for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))
        )


@dataclass(frozen=True, slots=True)
class Between:
    """What a dimension line measures on paper: from where to where, a point that the line goes
    through, its direction in degrees, and how many mm on paper a mm of the part is."""

    ends: tuple[XY, XY]
    through: XY
    angle: float
    scale: float

    def mapped(self, onto: Mapping2D) -> Between:
        """The same moved with its page."""
        a, b = self.ends
        return replace(self, ends=(onto.point(a), onto.point(b)), through=onto.point(self.through))


@dataclass(frozen=True, slots=True)
class DrawnDimension:
    """A size on the page: what is said of it, its strokes, and where it stands, as
    :class:`~schablone.core.design.model.PutByHand` keeps it. ``way`` is the direction in which it
    goes away from its view; of a note with a line to its place it is (0, 0), and it is drawn
    ``between`` nothing."""

    size: str
    view: str
    words: Words
    strokes: tuple[Stroke, ...]
    out: float
    along: float
    way: XY = (0.0, 0.0)
    between: Between | None = None


@dataclass(frozen=True, slots=True)
class View:
    """A view on the page: its name, what is written over it, its strokes, and the box around it
    (low x, low y, high x, high y)."""

    name: str
    title: Words | None
    strokes: tuple[Stroke, ...]
    box: tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Page:
    """A page: its part, its size, the scale of its views, what is drawn in them, the dimensions,
    and what stands around it. ``listed`` are the sizes that stand in a list and not at a view."""

    part: str
    wide: float
    high: float
    scale: str
    views: tuple[View, ...] = ()
    dimensions: tuple[DrawnDimension, ...] = ()
    strokes: tuple[Stroke, ...] = ()
    words: tuple[Words, ...] = ()
    listed: tuple[str, ...] = ()

    def all_strokes(self) -> list[Stroke]:
        """All that is drawn."""
        mine = [stroke for view in self.views for stroke in view.strokes]
        mine += [stroke for dimension in self.dimensions for stroke in dimension.strokes]
        return [*mine, *self.strokes]

    def all_words(self) -> list[Words]:
        """All that is written."""
        titles = [view.title for view in self.views if view.title is not None]
        return [*titles, *(one.words for one in self.dimensions), *self.words]


def line(pen: Pen, *points: XY) -> Stroke:
    """A stroke through some points."""
    return Stroke(pen, tuple(Segment(a, b) for a, b in itertools.pairwise(points)))


def box_of(pen: Pen, x0: float, y0: float, x1: float, y1: float) -> Stroke:
    """A rectangle from corner to corner, mm on the page."""
    return line(pen, (x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0))


def cut_to(text: str, wide: float, size: float) -> str:
    """A text that is no longer than some mm."""
    most = max(1, int(wide / (ADVANCE * size)))
    return text if len(text) <= most else text[: most - 1] + "…"


def fitted(page: Page, room: float) -> Page:
    """The page no larger than what is drawn and written on it, with some room around, mm."""
    boxes = [words.box().bounds for words in page.all_words()]
    boxes += [Loop((c,)).bounds() for stroke in page.all_strokes() for c in stroke.curves]
    x0, y0 = (min(box[k] for box in boxes) - room for k in (0, 1))
    x1, y1 = (max(box[k] for box in boxes) + room for k in (2, 3))
    onto = Mapping2D(e=-x0, f=-y0)

    def strokes(those: tuple[Stroke, ...]) -> tuple[Stroke, ...]:
        return tuple(
            replace(one, curves=tuple(curve.mapped(onto) for curve in one.curves)) for one in those
        )

    def words(one: Words) -> Words:
        return replace(one, at=onto.point(one.at))

    return replace(
        page,
        wide=x1 - x0,
        high=y1 - y0,
        views=tuple(
            replace(
                view,
                title=words(view.title) if view.title is not None else None,
                strokes=strokes(view.strokes),
                box=(*onto.point(view.box[:2]), *onto.point(view.box[2:])),
            )
            for view in page.views
        ),
        dimensions=tuple(
            replace(
                one,
                words=words(one.words),
                strokes=strokes(one.strokes),
                between=one.between and one.between.mapped(onto),
            )
            for one in page.dimensions
        ),
        strokes=strokes(page.strokes),
        words=tuple(words(one) for one in page.words),
    )
