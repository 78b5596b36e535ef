"""Dimensions on paper: each where it crosses nothing, as near to its view as that allows.

A dimension of a length goes beside its view, the short ones nearest; what is small and round, or no
length, is told by a note with a line to its place. What finds no room is told as such, so that it
can stand in the list. Nothing is put over a text or through one.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from shapely import STRtree
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from ...design.model import PutByHand
from ...kernel.frame import Vector, dot
from ...sketch.mapping import XY
from .entries import Entry, long
from .page import LETTERS, Between, DrawnDimension, Stroke, Words, line
from .sides import Side

#: The first dimension stands so far from its view, and each further one from the last, mm.
FIRST, NEXT = 9.0, 7.0
_LEVELS = 7
#: What is left free between a line and where it belongs, beyond a dimension line, and around
#: texts, mm.
_AWAY, _BEYOND, _ROOM = 1.0, 1.8, 0.5
#: Arrow heads, mm.
_LONG, _HALF = 2.5, 0.42
#: A circle that is smaller on paper, mm, is told by a note.
_SMALL_CIRCLE = 14.0


@dataclass(frozen=True, slots=True)
class OnPage:
    """A side as it lies on the page: where its own origin is, and the scale."""

    side: Side
    origin: XY
    scale: float

    def at(self, point: Vector) -> XY:
        """A point in space on paper, mm."""
        u, v, _ = self.side.frame.coordinates(point)
        return self.flat(u, v)

    def flat(self, u: float, v: float) -> XY:
        """A point of the side's plane on paper."""
        return self.origin[0] + u * self.scale, self.origin[1] + v * self.scale

    def end_of_edge(self, point: XY, way: XY) -> float:
        """How far edges that are seen go on from a point of the page, mm on paper."""
        u, v = ((p - o) / self.scale for p, o in zip(point, self.origin, strict=True))
        return self.side.end_of_edge((u, v), way) * self.scale

    @property
    def box(self) -> tuple[float, float, float, float]:
        """Left, bottom, right and top on the page, mm."""
        x0, y0, x1, y1 = self.side.box
        return (*self.flat(x0, y0), *self.flat(x1, y1))


@dataclass(slots=True)
class Room:
    """What lies on the page already: ``free`` is where dimensions may stand at all, ``views`` are
    boxes that nothing is put into, ``texts`` are kept clear of lines and texts, ``lines`` of
    texts, ``bars`` of each other."""

    free: Polygon
    views: list[Polygon] = field(default_factory=list)
    texts: list[Polygon] = field(default_factory=list)
    lines: list[BaseGeometry] = field(default_factory=list)
    bars: list[LineString] = field(default_factory=list)

    def takes(
        self, words: Polygon, lines: Sequence[LineString], bar: LineString | None = None
    ) -> bool:
        """Whether a text with its lines fits; ``bar`` is the one with the arrow heads."""
        if not self.free.contains(words) or any(not self.free.contains(one) for one in lines):
            return False
        if _meets(words, [*self.views, *self.texts, *self.lines, *self.bars]):
            return False
        if any(_meets(one, self.texts) for one in lines):
            return False
        if bar is None:
            return True
        wide = bar.buffer(_ROOM, cap_style="flat")
        return not _meets(bar, self.views) and not _meets(wide, self.bars)

    def put(
        self, words: Polygon, lines: Sequence[LineString], bar: LineString | None = None
    ) -> None:
        """Note that something stands there."""
        self.texts.append(words)
        self.lines += lines
        if bar is not None:
            self.bars.append(bar)


def _meets(one: BaseGeometry, others: Sequence[BaseGeometry]) -> bool:
    return bool(others) and len(STRtree(others).query(one, predicate="intersects")) > 0


@dataclass(frozen=True, slots=True)
class _Drawn:
    """A dimension that could stand there, and what it covers."""

    dimension: DrawnDimension
    words: Polygon
    lines: tuple[LineString, ...]
    bar: LineString | None


def put_all(
    entries: Sequence[Entry], views: Sequence[OnPage], room: Room, by_hand: Sequence[PutByHand]
) -> tuple[list[DrawnDimension], list[Entry]]:
    """The dimensions of a page, and the entries that found no place. Those that were put somewhere
    by hand stand there, whatever they cover; others keep clear of them."""
    moved = {one.size: one for one in by_hand}
    by_name = {view.side.name: view for view in views}
    placed: dict[str, DrawnDimension] = {}
    waiting = []
    for entry in entries:
        hand = moved.get(entry.size)
        view = by_name.get(hand.view) if hand is not None else None
        if hand is not None and hand.view == "list":
            continue
        drawn = _by_hand(entry, view, hand) if view is not None and hand is not None else None
        if drawn is None:
            waiting.append(entry)
            continue
        room.put(drawn.words, drawn.lines, drawn.bar)
        placed[entry.size] = drawn.dimension
    # Lengths first, the short ones nearest; notes find room between them.
    waiting.sort(key=lambda entry: (_is_note(entry, views), long(entry.span) if entry.span else 0))
    for entry in waiting:
        where = next(
            (one for one in _ways(entry, views) if room.takes(one.words, one.lines, one.bar)), None
        )
        if where is not None:
            room.put(where.words, where.lines, where.bar)
            placed[entry.size] = where.dimension
    left = [entry for entry in entries if entry.size not in placed]
    return [placed[entry.size] for entry in entries if entry.size in placed], left


def _by_hand(entry: Entry, view: OnPage, hand: PutByHand) -> _Drawn | None:
    """As a hand wants it, where that view can show it at all."""
    if entry.span is not None and entry.span.form != "radius" and not _is_small_circle(entry, view):
        ways = _directions(entry, view)
        if ways:
            return _bar(entry, view, ways[0], hand.out, hand.along)
        if entry.span.form == "length":
            return None
    return _note(entry, view, hand.along, hand.out) if _target(entry, view) else None


def _ways(entry: Entry, views: Sequence[OnPage]) -> Iterator[_Drawn]:
    """Where an entry could stand, the best place first."""
    flat = [view for view in views if view.side.name != "picture" and not view.side.letter]
    small = [view for view in flat if _is_small_circle(entry, view)]
    for view in small:
        yield from _notes(entry, view)
    if entry.span is not None and entry.span.form != "radius":
        liked = sorted(
            ((view, way) for view in flat for way in _directions(entry, view)),
            key=lambda pair: _liking(entry, *pair),
        )
        for level in range(_LEVELS):
            for view, way in liked:
                for side in _nearer_first(entry, view, way):
                    out = side * (FIRST + NEXT * level)
                    for along in _shifts(entry, view, way):
                        yield _bar(entry, view, way, out, along)
    if entry.span is not None and entry.span.form == "length":
        return  # a line to one of its ends would not say what it measures
    for view in sorted(flat, key=lambda view: not _faces(entry, view)):
        if view not in small:
            yield from _notes(entry, view)


def _is_note(entry: Entry, views: Sequence[OnPage]) -> bool:
    """Whether an entry is told by a note where there is room for one."""
    return (
        entry.span is None
        or entry.span.form == "radius"
        or any(_is_small_circle(entry, view) for view in views)
    )


def _is_small_circle(entry: Entry, view: OnPage) -> bool:
    """Whether it is the diameter of a circle that lines to a dimension would hide."""
    return (
        entry.span is not None
        and entry.span.form == "diameter"
        and _faces(entry, view)
        and long(entry.span) * view.scale < _SMALL_CIRCLE
        and _circle(entry, view) is not None
    )


def _notes(entry: Entry, view: OnPage) -> Iterator[_Drawn]:
    """Notes all round a view, those with the shortest lines first."""
    middle = _target(entry, view)
    if middle is None:
        return
    x0, y0, x1, y1 = view.box
    ways = []
    for k in range(24):
        turn = math.tau * (k + 0.5) / 24
        c, s = math.cos(turn), math.sin(turn)
        out = min(((x1 if c > 0 else x0) - middle[0]) / c, ((y1 if s > 0 else y0) - middle[1]) / s)
        ways += [(max(out, 0.0) + more, c, s) for more in (6.0, 12.0, 19.0, 27.0, 36.0)]
    for away, c, s in sorted(ways):
        yield _note(entry, view, away * c, away * s)


def _faces(entry: Entry, view: OnPage) -> bool:
    return entry.span is not None and abs(dot(entry.span.normal, view.side.frame.normal)) > 0.999


def _liking(entry: Entry, view: OnPage, way: XY) -> tuple[bool, bool]:
    """Least for the view that looks straight at the plane in which a length was drawn."""
    level = abs(way[0] * way[1]) < 1e-9
    return (not _faces(entry, view), not level)


def _directions(entry: Entry, view: OnPage) -> list[XY]:
    """The direction of a length on paper, where the view shows it in true size, and shows what it
    reaches to. A diameter has that of the paper, both ways, where its circle is seen as one."""
    span = entry.span
    assert span is not None
    frame = view.side.frame
    if span.form == "diameter" and _faces(entry, view):
        return [(1.0, 0.0), (0.0, 1.0)] if _circle(entry, view) is not None else []
    u, v = dot(span.along, frame.x), dot(span.along, frame.y)
    if abs(math.hypot(u, v) - 1.0) > 1e-9:
        return []
    # Read from below or from the right.
    if u < -1e-9 or (abs(u) <= 1e-9 and v < 0):
        u, v = -u, -v
    way = (u + 0.0, v + 0.0)
    flat = [frame.coordinates(end)[:2] for end in span.ends]
    return [way] if all(view.side.reaches(_along(end, way), way) for end in flat) else []


def _circle(entry: Entry, view: OnPage) -> XY | None:
    """The middle of the circle of a diameter on paper, where the view shows one of that size."""
    assert entry.span is not None
    a, b = (view.side.frame.coordinates(end) for end in entry.span.ends)
    middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
    spot = view.side.circle(middle, long(entry.span) / 2)
    return None if spot is None else view.flat(*spot)


def _ends(entry: Entry, view: OnPage, way: XY) -> tuple[XY, XY]:
    """What a length reaches from and to on paper, in the order of its direction."""
    span = entry.span
    assert span is not None
    a, b = (view.at(end) for end in span.ends)
    if span.form == "diameter" and _faces(entry, view):
        middle = _circle(entry, view)
        assert middle is not None
        half = math.dist(a, b) / 2
        a = (middle[0] - half * way[0], middle[1] - half * way[1])
        b = (middle[0] + half * way[0], middle[1] + half * way[1])
    return (a, b) if _along(a, way) <= _along(b, way) else (b, a)


def _along(point: XY, way: XY) -> float:
    return point[0] * way[0] + point[1] * way[1]


def _nearer_first(entry: Entry, view: OnPage, way: XY) -> tuple[int, int]:
    """The side of the view on which a dimension stands nearer to what it measures: −1 is below, or
    at the left."""
    across = (-way[1], way[0])
    low, high = _reach(view, across)
    middle = sum(_along(end, across) for end in _ends(entry, view, way)) / 2
    return (-1, 1) if middle - low <= high - middle + 1e-6 else (1, -1)


def _reach(view: OnPage, across: XY) -> tuple[float, float]:
    x0, y0, x1, y1 = view.box
    all_ = [_along(corner, across) for corner in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))]
    return min(all_), max(all_)


def _shifts(entry: Entry, view: OnPage, way: XY) -> tuple[float, ...]:
    """How far a text may stand from the middle of its dimension: there, or beyond an arrow."""
    a, b = _ends(entry, view, way)
    length = _along(b, way) - _along(a, way)
    wide = Words(entry.text, (0.0, 0.0)).wide
    beyond = length / 2 + wide / 2 + _LONG + 2.5
    if wide + 1.0 > length:
        return (beyond, -beyond)
    slack = (length - wide) / 2 - 1.0
    return (0.0, slack / 2, -slack / 2, slack, -slack)


def _bar(entry: Entry, view: OnPage, way: XY, out: float, along: float) -> _Drawn:
    """A dimension line with its arrow heads, the lines that lead to it, and its text above it."""
    across = (-way[1], way[0])
    a, b = _ends(entry, view, way)
    low, high = _reach(view, across)
    level = high + out if out > 0 else low + out

    def foot(point: XY, at: float) -> XY:
        s = _along(point, way)
        return way[0] * s + across[0] * at, way[1] * s + across[1] * at

    p, q = foot(a, level), foot(b, level)
    length = math.dist(p, q)
    sign = 1.0 if out > 0 else -1.0
    leads, starts = [], []
    for point in (a, b):
        further = view.end_of_edge(point, (across[0] * sign, across[1] * sign))
        edge = _along(point, across) + sign * further
        starts.append(foot(point, edge))
        start = edge + sign * _AWAY
        if sign * (level - start) > 0:
            leads.append((foot(point, start), foot(point, level + sign * _BEYOND)))
    text = Words(entry.text, (0.0, 0.0))
    s = (_along(p, way) + _along(q, way)) / 2 + along
    at = (
        way[0] * s + across[0] * (level + 0.9 + 0.22 * LETTERS),
        way[1] * s + across[1] * (level + 0.9 + 0.22 * LETTERS),
    )
    angle = math.degrees(math.atan2(way[1], way[0]))
    words = Words(entry.text, at, align="middle", angle=angle)
    # The line goes on below a text that stands beyond its ends; short ones get arrows from outside.
    s0, s1 = _along(p, way), _along(q, way)
    tight = length < 2 * _LONG + 1.5
    t0 = min(s0 - (_LONG + 2 if tight else 0), s - text.wide / 2 if along < -length / 2 else s0)
    t1 = max(s1 + (_LONG + 2 if tight else 0), s + text.wide / 2 if along > length / 2 else s1)
    ends = tuple((way[0] * t + across[0] * level, way[1] * t + across[1] * level) for t in (t0, t1))
    heads = [*_head(p, way, 1.0 if tight else -1.0), *_head(q, way, -1.0 if tight else 1.0)]
    strokes = (line("thin", *ends), *heads, *(line("thin", *lead) for lead in leads))
    dimension = DrawnDimension(
        entry.size, view.side.name, words, strokes, out, along,
        (across[0] * sign, across[1] * sign), Between((starts[0], starts[1]), p, angle, view.scale),
    )  # fmt: skip
    lines = tuple(LineString(lead) for lead in leads)
    return _Drawn(dimension, words.box(_ROOM), lines, LineString(ends))


def _head(tip: XY, way: XY, sign: float) -> list[Stroke]:
    """An arrow head whose tip is there; ``sign`` 1 points along the direction."""
    x, y = way[0] * sign, way[1] * sign
    back = (tip[0] - x * _LONG, tip[1] - y * _LONG)
    one = (back[0] - y * _HALF, back[1] + x * _HALF)
    other = (back[0] + y * _HALF, back[1] - x * _HALF)
    return [line("thin", one, tip, other, one)]


def _target(entry: Entry, view: OnPage) -> XY | None:
    """The place that a note belongs to: the middle of its circle, or where the figure stands on the
    part."""
    if entry.span is not None and entry.span.form == "diameter":
        return _circle(entry, view) if _faces(entry, view) else None
    if entry.span is not None:
        # Of a radius: on its arc, where that is drawn.
        centre, rim = (view.side.frame.coordinates(end)[:2] for end in entry.span.ends)
        spot = view.side.circle(centre, long(entry.span)) if _faces(entry, view) else None
        there = spot is not None and math.dist(spot, centre) < 1e-3
        return view.flat(*rim) if there else None
    return view.at(entry.spot) if entry.spot is not None else None


def _note(entry: Entry, view: OnPage, right: float, up: float) -> _Drawn:
    """A text with a line to its place, and an arrow head there; the text stands so far to the right
    of the place, and above it."""
    middle = _target(entry, view)
    assert middle is not None
    tip = (middle[0] + right, middle[1] + up)
    far = math.hypot(right, up) or 1.0
    way = (-right / far, -up / far)
    half = 0.0
    if entry.span is not None and entry.span.form == "diameter" and _faces(entry, view):
        half = long(entry.span) / 2 * view.scale
    target = (middle[0] - way[0] * half, middle[1] - way[1] * half)
    wide = Words(entry.text, (0.0, 0.0)).wide
    sign = 1.0 if right >= 0 else -1.0
    end = (tip[0] + sign * (wide + 1.0), tip[1])
    start = min(tip[0], end[0]) + 0.5
    words = Words(entry.text, (start, tip[1] + 0.9 + 0.22 * LETTERS))
    strokes = (line("thin", target, tip, end), *_head(target, way, 1.0))
    dimension = DrawnDimension(entry.size, view.side.name, words, strokes, up, right)
    lines = (LineString((target, tip)), LineString((tip, end)))
    return _Drawn(dimension, words.box(_ROOM), lines, None)
