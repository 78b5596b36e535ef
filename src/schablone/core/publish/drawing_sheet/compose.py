"""The pages of a drawing sheet: views in the places that first-angle or third-angle projection
gives them, at the largest usual scale at which all their dimensions find room."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from itertools import pairwise, product

import shapely
from shapely.geometry import LineString, Polygon
from shapely.geometry import box as rectangle

from ...design.built import Rebuilt
from ...design.model import Design, DrawingSheet
from ...kernel.frame import dot
from ...problem import Problem, SchabloneError
from ...sketch.curves import Curve, EllipticArc, Segment
from ...sketch.mapping import Mapping2D
from .entries import Entry, by_part, entries_of
from .page import Page, Stroke, View, Words, line
from .place import OnPage, Room, put_all
from .sides import Side, sides_of
from .surround import FRAME, SIZES, Block, block_of, list_of, list_pages

#: The scales of ISO 5455 that makers use, the largest first.
SCALES = (
    (10, 1), (5, 1), (2, 1), (1, 1), (1, 2), (1, 5), (1, 10), (1, 20), (1, 50), (1, 100),
)  # fmt: skip
#: What is kept free around a view: at first, and where dimensions find no place, mm.
_GAPS = (16.0, 24.0, 34.0)
#: How far the lines of hatching are from each other, mm.
_HATCH = 2.2
#: Middles of circles are marked up to so many in a view.
_MOST_CROSSES = 80


def drawing_pages(
    design: Design, built: Rebuilt, step: Callable[[], object] = lambda: None
) -> list[Page]:
    """A page for each part, then those of the sizes that stand in lists. ``step`` is called again
    and again meanwhile, and may raise.

    Raises:
        SchabloneError: where there is no part, or a cut is nowhere.
    """
    if not built.bodies:
        raise SchabloneError(
            Problem(
                area="publish",
                what="There is no part yet, so there is nothing to draw.",
                hint="Make a part first.",
            )
        )
    sheet = design.publish.sheet
    entries = by_part(entries_of(design, built), list(built.bodies))
    pages, listed = [], []
    for number, (part, body) in enumerate(built.bodies.items()):
        sides = sides_of(body, sheet, built.table, step)
        block = block_of(design, built, part, number)
        page, left = _page(part, sides, entries[part], sheet, block)
        pages.append(page)
        listed += left
    return _with_lists(design, pages, listed)


def _with_lists(design: Design, pages: list[Page], listed: list[Entry]) -> list[Page]:
    """The sizes that no dimension tells: in the free corner of the first page where they are few,
    or on pages of their own."""
    if not listed:
        return pages
    first = list_of(design, pages[0], listed)
    if first is not None:
        return [first, *pages[1:]]
    return [*pages, *list_pages(design, pages[0], listed)]


def _page(
    part: str, sides: Sequence[Side], entries: Sequence[Entry], sheet: DrawingSheet, block: Block
) -> tuple[Page, list[Entry]]:
    """The page of a part, and the entries that are to be listed: as many dimensions as possible,
    then the largest scale, then the least room between."""
    with_place = [entry for entry in entries if entry.span is not None or entry.spot is not None]
    best: tuple[int, Page, list[Entry]] | None = None
    corners = (False, True) if sheet.cuts else (False,)
    for scale in _scales(sheet):
        for gap, corner in product(_GAPS, corners):
            tried = _try(part, sides, with_place, sheet, block, scale, gap, corner)
            if tried is None:
                continue
            page, left = tried
            if best is None or len(left) < best[0]:
                best = (len(left), page, left)
            if not left:
                break
        if best is not None and (best[0] == 0 or _is_small(sides, scale)):
            break
    if best is None:
        raise SchabloneError(
            Problem(
                area="publish",
                name=part,
                what=f"It does not fit on {sheet.paper} at {sheet.scale or 'any usual scale'}.",
                hint="Choose larger paper, or another scale.",
            )
        )
    _, page, left = best
    names = {entry.size for entry in left}
    rest = [e for e in entries if e.size in names or (e.span is None and e.spot is None)]
    return page, rest


def _scales(sheet: DrawingSheet) -> Iterator[tuple[int, int]]:
    if sheet.scale:
        up, down = (int(part) for part in sheet.scale.split(":"))
        yield up, down
    else:
        yield from SCALES


def _is_small(sides: Sequence[Side], scale: tuple[int, int]) -> bool:
    """Whether a part is drawn so small by now that nobody would read it."""
    return max(max(side.wide, side.high) for side in sides) * scale[0] / scale[1] < 60


def _try(
    part: str,
    sides: Sequence[Side],
    entries: Sequence[Entry],
    sheet: DrawingSheet,
    block: Block,
    scale: tuple[int, int],
    gap: float,
    corner: bool,
) -> tuple[Page, list[Entry]] | None:
    """The page at a scale, where it is not too large. With ``corner`` the first cut lies in the
    corner that a picture would have."""
    wide, high = SIZES[sheet.paper]
    factor = scale[0] / scale[1]
    flat = [side for side in sides if side.name != "picture"]
    views = _arranged(flat, sheet, factor, gap, block, corner)
    if views is None:
        return None
    views = [_by_hand(view, part, sheet) for view in views]
    room = Room(rectangle(FRAME + 1, FRAME + 1, wide - FRAME - 1, high - FRAME - 1))
    room.texts.append(rectangle(*block.box))
    room.views = [rectangle(*view.box).buffer(2.0, join_style="mitre") for view in views]
    titles = {view.side.name: _title(view) for view in views}
    room.texts += [words.box(0.5) for words in titles.values() if words is not None]
    marks = list(_cut_marks(views))
    room.texts += [words.box(0.8) for words, _ in marks]
    room.lines += [
        LineString((curve.start, curve.end)).buffer(0.8)
        for _, strokes in marks
        for stroke in strokes
        for curve in stroke.curves
    ]
    # The cross of what is round stands out of a view where only half of it is there.
    room.lines += [
        LineString((curve.start, curve.end)).buffer(0.5)
        for view in views
        if view.side.name != "picture"
        for curve in _middles(view)
    ]
    dimensions, left = put_all(
        entries, views, room, [one for one in sheet.dimensions if one.part == part]
    )
    drawn = [_drawn(view, titles[view.side.name]) for view in views]
    picture = _picture(sides, views, room, part, sheet, factor)
    strokes = [*block.strokes, *(stroke for _, mine in marks for stroke in mine)]
    words = [*block.words(f"{scale[0]}:{scale[1]}"), *(one for one, _ in marks)]
    page = Page(
        part, wide, high, f"{scale[0]}:{scale[1]}",
        (*drawn, *picture), tuple(dimensions), tuple(strokes), tuple(words),
    )  # fmt: skip
    return page, left


def _arranged(
    sides: Sequence[Side],
    sheet: DrawingSheet,
    scale: float,
    gap: float,
    block: Block,
    corner: bool,
) -> list[OnPage] | None:
    """The views on the page: above and beside the front as the projection has it, cuts further to
    the right; None where that is too large."""
    wide, high = SIZES[sheet.paper]
    by_name = {side.name: side for side in sides}
    front, top = by_name["front"], by_name["top"]
    beside = by_name.get("left") or by_name["right"]
    cuts = [side for side in sides if side.letter]
    in_corner = [cuts.pop(0)] if corner else []
    columns = [max(front.wide, top.wide) * scale]
    columns.append(max(side.wide for side in (beside, *in_corner)) * scale)
    heights = [max(front.high, beside.high) * scale]
    heights.append(max(side.high for side in (top, *in_corner)) * scale)
    columns += [side.wide * scale for side in cuts]
    heights[0] = max(heights[0], *(side.high * scale for side in cuts), 0.0)
    x0, x1 = FRAME + gap, wide - FRAME - gap
    y0, y1 = block.box[3] + gap, high - FRAME - gap
    if sum(columns) + 2 * gap * (len(columns) - 1) > x1 - x0:
        return None
    if sum(heights) + 2 * gap > y1 - y0:
        return None
    # What is left over lies between the views and around them in equal shares.
    spare_x = (x1 - x0 - sum(columns) - 2 * gap * (len(columns) - 1)) / (len(columns) + 1)
    spare_y = (y1 - y0 - sum(heights) - 2 * gap) / 3
    lefts = [x0 + spare_x]
    for column in columns[:-1]:
        lefts.append(lefts[-1] + column + 2 * gap + spare_x)
    upper = y1 - spare_y
    rows = (heights[0], heights[1]) if sheet.angle == "first" else (heights[1], heights[0])
    below = upper - rows[0] - 2 * gap - spare_y
    front_y, top_y = (
        (upper - heights[0], below - heights[1])
        if sheet.angle == "first"
        else (below - heights[0], upper - heights[1])
    )

    def put(side: Side, left: float, low: float) -> OnPage:
        return OnPage(side, (left - side.box[0] * scale, low - side.box[1] * scale), scale)

    views = [put(front, lefts[0], front_y), put(top, lefts[0], top_y)]
    views.append(put(beside, lefts[1], front_y))
    views += [put(side, lefts[1], top_y) for side in in_corner]
    views += [put(side, left, front_y) for side, left in zip(cuts, lefts[2:], strict=True)]
    return views


def _by_hand(view: OnPage, part: str, sheet: DrawingSheet) -> OnPage:
    for moved in sheet.views:
        if (moved.part, moved.view) == (part, view.side.name):
            x, y = view.origin
            return replace(view, origin=(x + moved.right, y + moved.up))
    return view


def _title(view: OnPage) -> Words | None:
    """What is written over a cut; the other views tell by their places what they are."""
    if not view.side.letter:
        return None
    x0, _, x1, y1 = view.box
    letter = view.side.letter
    return Words(f"{letter}–{letter}", ((x0 + x1) / 2, y1 + 4.0), align="middle")


def _cut_marks(views: Sequence[OnPage]) -> Iterator[tuple[Words, tuple[Stroke, ...]]]:
    """Where cuts go through, in a view that shows them as a line: its two ends with arrows that
    look as the cut does, and its letter at each."""
    for cut in views:
        if not cut.side.letter:
            continue
        across = cut.side.frame
        shown = next(
            (
                view
                for view in views
                if not view.side.letter and abs(dot(view.side.frame.normal, across.normal)) < 1e-9
            ),
            None,
        )
        if shown is None:
            continue
        x0, y0, x1, y1 = shown.box
        n = across.normal
        # A point of the cut, and the way in which who sees it looks, on paper.
        spot = shown.at(across.at(0.0, 0.0, cut.side.above))
        frame = shown.side.frame
        look = (-dot(n, frame.x), -dot(n, frame.y))
        for end in (-1, 1):
            if abs(look[0]) > 0.5:
                at = (spot[0], y0 - 6.0 if end < 0 else y1 + 6.0)
                inner = (spot[0], at[1] - end * 5.0)
            else:
                at = (x0 - 6.0 if end < 0 else x1 + 6.0, spot[1])
                inner = (at[0] - end * 5.0, spot[1])
            tip = (at[0] + look[0] * 5.0, at[1] + look[1] * 5.0)
            side = (-look[1] * 0.7, look[0] * 0.7)
            back = (tip[0] - look[0] * 2.5, tip[1] - look[1] * 2.5)
            head = line(
                "seen", (back[0] + side[0], back[1] + side[1]), tip,
                (back[0] - side[0], back[1] - side[1]),
            )  # fmt: skip
            letter = (at[0] - look[0] * 3.0, at[1] - look[1] * 3.0 - 1.2)
            words = Words(cut.side.letter, letter, align="middle", bold=True)
            yield words, (line("seen", inner, at), line("thin", at, tip), head)


def _drawn(view: OnPage, title: Words | None) -> View:
    x, y = view.origin
    onto = Mapping2D(view.scale, 0.0, 0.0, view.scale, x, y)
    side = view.side
    strokes = [
        Stroke("hidden", tuple(curve.mapped(onto) for curve in side.hidden)),
        Stroke("hatch", tuple(_hatching(view))),
        Stroke("seen", tuple(curve.mapped(onto) for curve in side.seen)),
        Stroke("chain", tuple(_middles(view) if side.name != "picture" else ())),
    ]
    return View(side.name, title, tuple(stroke for stroke in strokes if stroke.curves), view.box)


def _middles(view: OnPage) -> Iterator[Curve]:
    """Crosses in what is round, as seen from here; of many, none: they would be all that is
    seen."""
    rounds = {
        (round(curve.centre[0], 3), round(curve.centre[1], 3)): curve.rx
        for curve in sorted(view.side.seen, key=lambda curve: curve.length)
        if isinstance(curve, EllipticArc)
        and curve.is_circular
        and abs(curve.t1 - curve.t0) > 3.0
        and curve.rx * view.scale > 0.7
    }
    if len(rounds) > _MOST_CROSSES:
        return
    for (u, v), radius in rounds.items():
        x, y = view.flat(u, v)
        reach = radius * view.scale + 1.5
        yield Segment((x - reach, y), (x + reach, y))
        yield Segment((x, y - reach), (x, y + reach))


def _hatching(view: OnPage) -> Iterator[Curve]:
    """Lines at 45° over what a cut went through."""
    for rings in view.side.areas:
        flat = [[view.flat(*point) for point in ring] for ring in rings]
        area = shapely.make_valid(Polygon(flat[0], flat[1:]))
        x0, y0, x1, y1 = area.bounds
        high = y1 - y0
        # On a grid of the page, so that the hatching of neighbours goes on.
        step = _HATCH * 2**0.5
        c = (int((x0 - y1) / step) - 1) * step
        lines = []
        while c < x1 - y0:
            lines.append(LineString(((y0 + c, y0), (y0 + c + high, y1))))
            c += step
        hatches = shapely.intersection(shapely.MultiLineString(lines), area)
        for piece in getattr(hatches, "geoms", [hatches]):
            if isinstance(piece, LineString):
                yield from (Segment(a, b) for a, b in pairwise(piece.coords))


def _picture(
    sides: Sequence[Side],
    views: Sequence[OnPage],
    room: Room,
    part: str,
    sheet: DrawingSheet,
    scale: float,
) -> list[View]:
    """The part in a picture, in the free corner opposite to the front; left out where there is no
    room."""
    side = next((one for one in sides if one.name == "picture"), None)
    if side is None:
        return []
    beside = next(view for view in views if view.side.name in ("left", "right"))
    top = next(view for view in views if view.side.name == "top")
    taken = shapely.union_all(
        [*room.views, *room.texts, *(bar.buffer(1.0) for bar in [*room.bars, *room.lines])]
    )
    middle = ((beside.box[0] + beside.box[2]) / 2, (top.box[1] + top.box[3]) / 2)
    while scale * max(side.wide, side.high) > 22:
        for right, up in ((0, 0), (-12, 0), (12, 0), (0, 10), (0, -10), (-20, 8), (-20, -8)):
            view = OnPage(
                side,
                (
                    middle[0] + right - (side.box[0] + side.box[2]) / 2 * scale,
                    middle[1] + up - (side.box[1] + side.box[3]) / 2 * scale,
                ),
                scale,
            )
            box = rectangle(*view.box).buffer(3.0, join_style="mitre")
            if room.free.contains(box) and not taken.intersects(box):
                room.views.append(box)
                return [_drawn(_by_hand(view, part, sheet), None)]
        scale *= 0.8
    return []
