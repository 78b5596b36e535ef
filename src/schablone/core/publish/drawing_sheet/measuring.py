"""Where to hold the caliper: a small picture of a part from one side, with one size on it."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from itertools import pairwise

import shapely
from markupsafe import Markup
from shapely.geometry import LineString
from shapely.geometry import box as rectangle

from ...design.built import Rebuilt
from ...design.model import Design, DrawingSheet
from ...kernel.frame import dot
from ...sketch.curves import Curve, Segment
from ...sketch.mapping import Mapping2D
from ..exports import path_data
from .entries import Entry, entries_of, long
from .page import WIDTHS, Page, Stroke, View, box_of, fitted
from .place import OnPage, Room, put_all
from .sides import Side, sides_of
from .writers import svg_words

#: The picture, mm, and how large a part may be in it.
_WIDE, _HIGH, _PART_WIDE, _PART_HIGH = 96.0, 64.0, 52.0, 30.0
#: What is left free around the picture, mm.
_AROUND = 2.0
#: A length that is shorter than this in it, mm, is shown from nearer.
_LEAST = 5.0
#: Hidden lines of parts with more faces than this would be waited for.
_MOST_FACES = 400


def measuring_pictures(design: Design, built: Rebuilt, sizes: Collection[str]) -> dict[str, Page]:
    """A picture for each of these sizes that is a length on a part."""
    known: dict[str, list[Side]] = {}
    pictures: dict[str, Page] = {}
    for entry in entries_of(design, built):
        body = built.bodies.get(entry.part)
        is_wanted = entry.size in sizes and entry.size not in pictures
        if not is_wanted or entry.span is None or body is None:
            continue
        if entry.part not in known:
            small = len(body.names()) <= _MOST_FACES
            known[entry.part] = sides_of(body, DrawingSheet(), built.table) if small else []
        page = _picture(entry, known[entry.part])
        if page is not None:
            pictures[entry.size] = page
    return pictures


def _picture(entry: Entry, sides: Sequence[Side]) -> Page | None:
    """The first side that shows it in true size, those first that look straight at it; near to it,
    where it would be too small on the whole part."""
    flat = [side for side in sides if side.name != "picture"]
    assert entry.span is not None
    normal, length = entry.span.normal, long(entry.span)
    for side in sorted(flat, key=lambda side: abs(dot(side.frame.normal, normal)) < 0.999):
        scale = _scale(side)
        near = length * scale < _LEAST
        shown = _near(side, entry, min(_PART_WIDE, _PART_HIGH) / (3.5 * length)) if near else side
        scale = _scale(shown)
        x0, y0, x1, y1 = shown.box
        origin = (_WIDE / 2 - (x0 + x1) / 2 * scale, _HIGH / 2 - (y0 + y1) / 2 * scale)
        view = OnPage(shown, origin, scale)
        room = Room(rectangle(1, 1, _WIDE - 1, _HIGH - 1))
        room.views = [rectangle(*view.box).buffer(1.5, join_style="mitre")]
        (placed, _) = put_all([entry], [view], room, ())
        if placed:
            onto = Mapping2D(scale, 0.0, 0.0, scale, *origin)
            seen = _within(shown) if near else shown.seen
            strokes = [Stroke("seen", tuple(curve.mapped(onto) for curve in seen))]
            if near:
                strokes.append(box_of("chain", *view.box))
            drawn = View(side.name, None, tuple(strokes), view.box)
            page = Page(entry.part, _WIDE, _HIGH, "", (drawn,), tuple(placed))
            return fitted(page, _AROUND)
    return None


def _scale(side: Side) -> float:
    return min(_PART_WIDE / max(side.wide, 1e-6), _PART_HIGH / max(side.high, 1e-6))


def _near(side: Side, entry: Entry, scale: float) -> Side:
    """A side with the box around a length that fills the picture at a scale."""
    assert entry.span is not None
    ends = [side.frame.coordinates(end) for end in entry.span.ends]
    u, v = ((ends[0][k] + ends[1][k]) / 2 for k in range(2))
    if entry.span.form == "diameter":
        u, v = side.circle((u, v), long(entry.span) / 2) or (u, v)
    wide, high = _PART_WIDE / scale / 2, _PART_HIGH / scale / 2
    return replace(side, box=(u - wide, v - high, u + wide, v + high))


def _within(side: Side) -> tuple[Curve, ...]:
    """What is seen within the box of a side."""
    lines = [LineString([*curve.points(0.01), curve.end]) for curve in side.seen]
    cut = shapely.intersection(shapely.MultiLineString(lines), rectangle(*side.box))
    kept = [piece for piece in getattr(cut, "geoms", [cut]) if isinstance(piece, LineString)]
    return tuple(Segment(a, b) for piece in kept for a, b in pairwise(piece.coords))


def picture_svg(page: Page, said: str) -> Markup:
    """A picture as SVG to stand in a page, in the colours of its text: ``said`` is for who cannot
    see it."""
    path = Markup('<path class="{}" stroke-width="{:.3g}" d="{}"/>')
    pieces = []
    for stroke in page.all_strokes():
        paths = "".join(path_data((c,), 0.0, page.high, closed=False) for c in stroke.curves)
        of = "seen" if stroke.pen == "seen" else "size"
        pieces.append(path.format(of, 2 * WIDTHS[stroke.pen], paths))
    pieces += [svg_words(words, page) for words in page.all_words()]
    picture = Markup(
        '<svg class="caliper" viewBox="0 0 {:.3f} {:.3f}" role="img" aria-label="{}">{}</svg>'
    )
    return picture.format(page.wide, page.high, said, Markup("").join(pieces))
