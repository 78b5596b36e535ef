"""Parts laid on as few sheets as can be found: true outlines, turned where the grain allows, in the
holes of others, never nearer than asked.

A first layout packs the rectangles around the parts (rectpack). Then the true outlines are laid one
after the other, in several orders; the best of all is kept.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace

import shapely
from shapely import STRtree, affinity
from shapely.geometry import Polygon

from ..problem import Problem, SchabloneError
from .nesting import Nester
from .rectangles import by_rectangles
from .sheets import NEARLY, Layout, Put, Sheet, keep_apart, size_of

#: How many orders are tried beyond the first.
ORDERS = 24
#: With how much work: about so many seconds of a usual machine.
EFFORT = 6.0
#: How much work goes into the outlines at least, beyond the rectangles around them.
_AT_ONCE = 0.5


def lay_out(
    outlines: Sequence[Polygon],
    sheet: Sheet,
    fixed: Mapping[int, Put] | None = None,
    effort: float = EFFORT,
    alive: Callable[[], bool] = lambda: True,
    orders: int = ORDERS,
    lying: Collection[Put] = (),
) -> Layout:
    """Lay outlines (mm, with their holes) on as few sheets as can be found by so many ``orders`` of
    them beyond the first, with an ``effort`` of about so many seconds: it is counted, so that the
    same comes out everywhere. Those that are ``fixed`` by hand stay; those that were ``lying``
    beside them before do where they have the room, unless that took another sheet.

    Raises:
        SchabloneError: where one is larger than any sheet, or what is fixed is too near.
    """
    fixed = dict(fixed or {})
    for number, outline in enumerate(outlines):
        if number not in fixed and not fits(outline, sheet):
            x0, y0, x1, y1 = outline.bounds
            if min(sheet.length, sheet.width) <= 2 * sheet.margin:
                raise _refuse(
                    f"A margin of {sheet.margin:.4g} mm leaves nothing of a sheet of "
                    f"{sheet.length:.4g} × {sheet.width:.4g} mm.",
                    "Choose a smaller margin.",
                )
            raise _refuse(
                f"Part {number + 1} is {x1 - x0:.4g} × {y1 - y0:.4g} mm; the sheet has room for "
                f"{sheet.length - 2 * sheet.margin:.4g} × {sheet.width - 2 * sheet.margin:.4g} mm.",
                "Choose a larger sheet or a smaller margin.",
            )
    _fixed_apart(outlines, fixed, sheet)
    if staying := _staying(outlines, fixed, lying, sheet):
        whole = Nester(outlines, sheet, {**fixed, **staying})
        rest = [k for k in range(len(outlines)) if k not in whole.fixed]
        around = whole.laid(sorted(rest, key=lambda k: -Polygon(outlines[k].exterior).area))
        if around is not None and around.sheets <= 1 + max(put.sheet for put in lying):
            return _without_empty(around)
    free = [k for k in range(len(outlines)) if k not in fixed]
    nester = Nester(outlines, sheet, fixed)
    by_area = sorted(free, key=lambda k: -Polygon(outlines[k].exterior).area)
    if fixed:
        found = [nester.laid(by_area)]
    else:
        rectangles = by_rectangles(outlines, sheet)
        found = [rectangles, nester.laid(by_area, max(effort, _AT_ONCE), alive)]
    laid = [one for one in found if one is not None]
    if not laid:
        raise _refuse("The parts find no room beside those put by hand.", "Move one of them.")
    best = min(laid, key=Layout.cost)
    # Equal outlines that change places among themselves lie the same.
    tried = {nester.as_laid(by_area)}
    rng = random.Random(1)
    for attempt in range(orders):
        if nester.work > effort or not alive() or len(free) < 2:
            break
        order = by_area[:]
        if attempt == 0:
            order.sort(key=lambda k: -max(size_of(outlines[k])))
        else:
            for _ in range(1 + len(order) // 4):
                i, j = rng.sample(range(len(order)), 2)
                order[i], order[j] = order[j], order[i]
        alike = nester.as_laid(order)
        if alike not in tried:
            tried.add(alike)
            other = nester.laid(order, math.inf if fixed else effort - nester.work, alive)
            best = best if other is None else min(best, other, key=Layout.cost)
    return _without_empty(best)


def _without_empty(layout: Layout) -> Layout:
    """The same without the sheets that a hand has taken the last part from."""
    used = {number: k for k, number in enumerate(sorted({put.sheet for put in layout.puts}))}
    if len(used) == layout.sheets:
        return layout
    return replace(layout, puts=tuple(replace(p, sheet=used[p.sheet]) for p in layout.puts))


def too_near(layout: Layout) -> list[str]:
    """What is wrong with a layout: parts that are nearer to each other or to the edge than asked;
    nothing, where nothing is."""
    near = []
    sheet = layout.sheet
    inner = _room_of(sheet)
    for number in range(layout.sheets):
        there = [
            (put.item, put.placed(layout.outlines[put.item]))
            for put in layout.puts
            if put.sheet == number
        ]
        for k, (item, shape) in enumerate(there):
            if not inner.contains(shape):
                near.append(f"part {item + 1} leaves the sheet")
            for other, beside in there[:k]:
                if not keep_apart(shape, beside, sheet.gap - NEARLY):
                    near.append(f"parts {other + 1} and {item + 1} are too near")
    return near


def _room_of(sheet: Sheet) -> Polygon:
    """Where parts may lie."""
    return shapely.box(
        sheet.margin, sheet.margin, sheet.length - sheet.margin, sheet.width - sheet.margin
    ).buffer(NEARLY + 1e-9, join_style="mitre")


def _refuse(what: str, hint: str) -> SchabloneError:
    return SchabloneError(Problem(area="design", what=what, hint=hint))


def fits(outline: Polygon, sheet: Sheet) -> bool:
    """Whether an outline finds room on a sheet by one of its turns."""
    room = sheet.length - 2 * sheet.margin + NEARLY, sheet.width - 2 * sheet.margin + NEARLY
    return any(
        wide <= room[0] and high <= room[1]
        for wide, high in (
            size_of(affinity.rotate(outline, turn, origin=(0, 0))) for turn in sheet.turns
        )
    )


def _staying(
    outlines: Sequence[Polygon], fixed: Mapping[int, Put], lying: Collection[Put], sheet: Sheet
) -> dict[int, Put]:
    """What lay somewhere and has its room there beside what is put by hand; also beside each other,
    as the parts may be others by now."""
    inner = _room_of(sheet)
    rest = [put for put in lying if put.item < len(outlines) and put.item not in fixed]
    puts = [*fixed.values(), *rest]
    shapes = [put.placed(outlines[put.item]) for put in puts]
    tree = STRtree(shapes)
    stays = [number < len(fixed) for number in range(len(puts))]
    for number, (put, shape) in enumerate(zip(puts, shapes, strict=True)):
        if stays[number] or not inner.contains(shape):
            continue
        x0, y0, x1, y1 = shape.bounds
        by = sheet.gap + 1.0
        beside = tree.query(shapely.box(x0 - by, y0 - by, x1 + by, y1 + by))
        stays[number] = all(
            keep_apart(shape, shapes[other], sheet.gap - NEARLY)
            for other in beside.tolist()
            if other != number and stays[other] and puts[other].sheet == put.sheet
        )
    return {put.item: put for put, one in zip(puts, stays, strict=True) if one and not put.fixed}


def _fixed_apart(outlines: Sequence[Polygon], fixed: Mapping[int, Put], sheet: Sheet) -> None:
    wrong = too_near(Layout(sheet, tuple(outlines), tuple(fixed.values())))
    if wrong:
        raise _refuse(f"As they were put by hand {wrong[0]}.", "Move one of them.")
