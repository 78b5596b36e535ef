"""What stands around the views: the frame, the title block, and the list of sizes that no dimension
tells."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from shapely.geometry import LineString
from shapely.geometry import box as rectangle

from ...design.built import Rebuilt
from ...design.model import Design
from ...sketch.curves import EllipticArc
from ...words import say_name
from .entries import Entry
from .page import ADVANCE, SMALL, Page, Stroke, Words, box_of, cut_to, line

#: Papers as they lie, mm, and the margin outside of the frame.
SIZES = {"A4": (297.0, 210.0), "A3": (420.0, 297.0), "A2": (594.0, 420.0)}
FRAME = 8.0
#: The title block, and the rows of lists, mm.
_WIDE, _HIGH, _ROW = 150.0, 27.0, 4.4
#: What stands over the columns of a list.
_HEADS = ("size", "value", "how")


@dataclass(frozen=True, slots=True)
class Block:
    """Frame and title block: the box that the block fills, and its strokes."""

    box: tuple[float, float, float, float]
    strokes: tuple[Stroke, ...]
    _words: tuple[Words, ...]
    _scale_at: tuple[float, float]

    def words(self, scale: str) -> tuple[Words, ...]:
        """What is written in it, with the scale."""
        return (*self._words, Words(scale, self._scale_at, 3.4))


def block_of(design: Design, built: Rebuilt, part: str, number: int) -> Block:
    """The frame and the title block of the page of a part, the first being number 0."""
    publish = design.publish
    wide, high = SIZES[publish.sheet.paper]
    x0, y0 = wide - FRAME - _WIDE, FRAME
    x1, y1 = wide - FRAME, FRAME + _HIGH
    titles = {one.name: one.title for one in design.parts}
    record = publish.latest
    process = built.view_of(part).process.name
    facts = (
        ("part", titles.get(part) or say_name(part)),
        ("material", built.made_of.get(part, "")),
        ("fits for", process),
        ("by", publish.author or (record.author if record else "")),
    )
    a, b = x0 + 78.0, x0 + 122.0
    strokes = [
        box_of("frame", FRAME, FRAME, wide - FRAME, high - FRAME),
        box_of("frame", x0, y0, x1, y1),
        line("frame", (x0, y1 - 9.0), (x1, y1 - 9.0)),
        line("frame", (a, y0), (a, y1 - 9.0)),
        line("frame", (b, y0), (b, y1 - 9.0)),
        *_symbol(b + 14.0, y0 + 5.0, first=publish.sheet.angle == "first"),
    ]
    words = [Words(cut_to(design.title, _WIDE - 4, 4.6), (x0 + 2, y1 - 6.4), 4.6, bold=True)]
    for k, (name, text) in enumerate(facts):
        y = y1 - 9.0 - 4.3 * (k + 1) + 0.6
        words.append(Words(name, (x0 + 2, y), SMALL))
        words.append(Words(cut_to(text, a - x0 - 22, SMALL), (x0 + 20, y), SMALL))
    edition = f"edition {record.number}, {record.date}" if record else "no edition yet"
    lengths = "lengths in mm" if design.units == "mm" else "lengths in inches"
    small = (edition, lengths, f"page {number + 1}, {publish.sheet.paper}")
    for k, text in enumerate(small):
        y = y1 - 9.0 - 4.3 * (k + 1) + 0.6
        words.append(Words(cut_to(text, b - a - 3, SMALL), (a + 2, y), SMALL))
    words.append(Words("scale", (b + 2, y1 - 13.0), SMALL))
    return Block((x0, y0, x1, y1), tuple(strokes), tuple(words), (b + 13, y1 - 13.0))


def _symbol(x: float, y: float, *, first: bool) -> list[Stroke]:
    """The sign of the projection (ISO 5456-2): a cone from the side and from its end, as it lies
    beside it."""

    def cone(at: float) -> Stroke:
        return line(
            "seen", (at - 3.5, y - 1.4), (at + 3.5, y - 2.8), (at + 3.5, y + 2.8),
            (at - 3.5, y + 1.4), (at - 3.5, y - 1.4),
        )  # fmt: skip

    def rings(at: float) -> Stroke:
        return Stroke(
            "seen",
            tuple(EllipticArc((at, y), r, r, 0.0, math.tau) for r in (1.4, 2.8)),
        )

    left, right = x - 5.0, x + 5.0
    shapes = (cone(left), rings(right)) if first else (rings(left), cone(right))
    return [*shapes, line("chain", (left - 5.0, y), (right + 5.0, y))]


def list_of(design: Design, page: Page, listed: Sequence[Entry]) -> Page | None:
    """The page with a list beside its title block; None where there is no room for it."""
    x0, x1 = FRAME + 2.0, page.wide - FRAME - _WIDE - 4.0
    top = FRAME + 4.0 + _ROW * len(listed)
    room = rectangle(x0, FRAME, x1, top + 4.0)
    there = [words.box() for words in page.all_words()]
    there += [rectangle(*view.box) for view in page.views]
    there += [
        LineString((curve.start, curve.end))
        for dimension in page.dimensions
        for stroke in dimension.strokes
        for curve in stroke.curves
    ]
    if top > page.high / 2 or any(room.intersects(one) for one in there):
        return None
    words, strokes = _rows(design, listed, x0, top, x1 - x0)
    return replace(
        page,
        strokes=(*page.strokes, *strokes),
        words=(*page.words, *words),
        listed=tuple(entry.size for entry in listed),
    )


def list_pages(design: Design, like: Page, listed: Sequence[Entry]) -> list[Page]:
    """Pages with nothing but the list."""
    rows = int((like.high - 2 * FRAME - 24.0) / _ROW)
    pages = []
    for k in range(0, len(listed), rows):
        mine = listed[k : k + rows]
        top = like.high - FRAME - 16.0
        words, strokes = _rows(design, mine, FRAME + 6.0, top, like.wide - 2 * FRAME - 12.0)
        title = Words("Sizes that no dimension tells", (FRAME + 6.0, top + 7.0), 4.6, bold=True)
        frame = box_of("frame", FRAME, FRAME, like.wide - FRAME, like.high - FRAME)
        pages.append(
            Page(
                "",
                like.wide,
                like.high,
                "",
                (),
                (),
                (frame, *strokes),
                (title, *words),
                tuple(entry.size for entry in mine),
            )
        )
    return pages


def _rows(
    design: Design, listed: Sequence[Entry], x: float, y: float, wide: float
) -> tuple[list[Words], list[Stroke]]:
    """Name, value, and how it comes about: its fit or tolerance, or its formula."""
    names, values = (
        max(len(text) for text in texts) * ADVANCE * SMALL + 4.0
        for texts in (
            [*(cut_to(entry.size, wide / 3, SMALL) for entry in listed), _HEADS[0]],
            [*(cut_to(entry.value, wide / 4, SMALL) for entry in listed), _HEADS[1]],
        )
    )
    places = [x, x + names, x + names + values]
    rooms = [b - a - 1.5 for a, b in zip(places, [*places[1:], x + wide], strict=True)]
    words = [Words(head, (at, y), SMALL) for head, at in zip(_HEADS, places, strict=True)]
    strokes = [line("thin", (x, y - 1.5), (x + wide, y - 1.5))]
    for k, entry in enumerate(listed, 1):
        size = design.size(entry.size)
        formula = design.formula_of(size) if size is not None else ""
        how = entry.remark or ("" if formula.replace(" mm", "") == entry.value else formula)
        for text, at, room in zip((entry.size, entry.value, how), places, rooms, strict=True):
            if text:
                words.append(Words(cut_to(text, room, SMALL), (at, y - k * _ROW), SMALL))
    return words, strokes
