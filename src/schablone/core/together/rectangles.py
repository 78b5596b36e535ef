"""The rectangles around outlines packed on sheets, in all ways that are known to be good."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Mapping, Sequence

import rectpack
from shapely import affinity
from shapely.geometry import Polygon

from .sheets import NEARLY, Layout, Put, Sheet, size_of

#: The ways of packing rectangles that are tried, each with each order.
_WAYS = (
    rectpack.MaxRectsBl, rectpack.MaxRectsBssf, rectpack.MaxRectsBaf, rectpack.MaxRectsBlsf,
    rectpack.SkylineBl, rectpack.SkylineBlWm, rectpack.SkylineMwf, rectpack.SkylineMwfl,
    rectpack.GuillotineBssfSas, rectpack.GuillotineBafSas,
)  # fmt: skip
_SORTS = (
    rectpack.SORT_AREA, rectpack.SORT_PERI, rectpack.SORT_LSIDE, rectpack.SORT_SSIDE,
    rectpack.SORT_DIFF,
)  # fmt: skip
#: Of more rectangles than this only so many ways are tried.
_MANY = ((60, 6), (400, 2))


def by_rectangles(outlines: Sequence[Polygon], sheet: Sheet) -> Layout:
    """The rectangles around the outlines packed, each with half of the gap around it: as few sheets
    as any of the ways finds, the last of them as short as can be."""
    if not outlines:
        return Layout(sheet, (), ())
    boxes = {
        number: (wide + sheet.gap, high + sheet.gap)
        for number, (wide, high) in enumerate(size_of(outline) for outline in outlines)
    }
    # What is too large by less than can be told is no reason to find no room at all for it.
    room = sheet.gap - 2 * sheet.margin + NEARLY + 1e-9
    whole = sheet.length + room, sheet.width + room
    ways = list(itertools.product(_WAYS, _SORTS))
    quarter = any(abs(turn % 180 - 90) < 1e-9 for turn in sheet.turns)
    pack: Callable[..., Rects] = _packed
    packed = len(boxes)
    if len(set(boxes.values())) == 1:
        pack, packed = _repeated, min(packed, _at_most(boxes[0], whole))
    for many, few in _MANY:
        ways = ways[:few] if packed > many else ways
    best = min(
        (pack(boxes, whole, way, quarter) for way in ways),
        key=lambda rects: max(rect[0] for rect in rects),
    )
    last = max(rect[0] for rect in best)
    mine = {rect[5]: boxes[rect[5]] for rect in best if rect[0] == last}
    end = max(rect[1] + rect[3] for rect in best if rect[0] == last)
    least = max(
        sum(wide * high for wide, high in mine.values()) / whole[1],
        max(min(box) if quarter else box[0] for box in mine.values()),
    )
    fine = 2e-3 * whole[0]
    for _ in range(40):
        tried = end - max((end - least) / 3, fine)
        if tried <= least:
            break
        shorter = None
        for way in ways:
            layout = _packed(mine, (tried, whole[1]), way, quarter, once=True)
            if len(layout) == len(mine):
                shorter = layout
                break
        if shorter is None:
            least = tried
            continue
        end = max(rect[1] + rect[3] for rect in shorter)
        best = [rect for rect in best if rect[0] != last]
        best += [(last, *rect[1:]) for rect in shorter]
    return Layout(sheet, tuple(outlines), _puts(best, outlines, sheet))


Rects = list[tuple[int, float, float, float, float, int]]


def _packed(
    boxes: Mapping[int, tuple[float, float]],
    room: tuple[float, float],
    way: tuple[object, object],
    quarter: bool,
    *,
    once: bool = False,
) -> Rects:
    """Sheet, x, y, width, height and number of each rectangle that found a place."""
    packer = rectpack.newPacker(
        mode=rectpack.PackingMode.Offline,
        bin_algo=rectpack.PackingBin.BBF,
        pack_algo=way[0],
        sort_algo=way[1],
        rotation=quarter,
    )
    for number, (wide, high) in boxes.items():
        packer.add_rect(wide, high, number)
    packer.add_bin(*room, count=1 if once else float("inf"))
    packer.pack()
    return list(packer.rect_list())


def _repeated(
    boxes: Mapping[int, tuple[float, float]],
    room: tuple[float, float],
    way: tuple[object, object],
    quarter: bool,
) -> Rects:
    """The same of boxes that are all equal: as many as go on one sheet, and all that again."""
    some = {number: boxes[number] for number in range(min(len(boxes), _at_most(boxes[0], room)))}
    one = _packed(some, room, way, quarter, once=True)
    return [(k // len(one), *one[k % len(one)][1:5], number) for k, number in enumerate(boxes)]


def _at_most(box: tuple[float, float], room: tuple[float, float]) -> int:
    """How many equal boxes a room has the area for."""
    return max(1, math.floor(room[0] * room[1] / (box[0] * box[1])))


def _puts(rects: Rects, outlines: Sequence[Polygon], sheet: Sheet) -> tuple[Put, ...]:
    puts = []
    for where, x, y, wide, _, number in rects:
        plain = size_of(outlines[number])[0] + sheet.gap
        turn = 0.0 if abs(wide - plain) < 1e-9 else 90.0
        turned = affinity.rotate(outlines[number], turn, origin=(0, 0))
        x0, y0, *_ = turned.bounds
        puts.append(Put(number, where, x + sheet.margin - x0, y + sheet.margin - y0, turn))
    return tuple(sorted(puts, key=lambda put: put.item))
