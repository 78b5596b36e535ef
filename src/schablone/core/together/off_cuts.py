"""Off-cuts are filled before a new sheet is begun, and what is left in the end is worth keeping."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from .items import Item
from .packing import fits, lay_out
from .sheets import Layout, Sheet

#: A strip that is narrower is not worth keeping, mm.
LEAST = 60.0


def divided(
    items: Sequence[Item],
    sheet: Sheet,
    sizes: Sequence[tuple[float, float]],
    effort: float = 1.0,
    alive: Callable[[], bool] = lambda: True,
) -> list[tuple[tuple[float, float] | None, list[Item]]]:
    """What is laid on each of some off-cuts, given as length and width in mm, and what is left for
    new sheets (None). The smallest off-cut is filled first, so that large ones last; one that takes
    nothing is left out."""
    groups: list[tuple[tuple[float, float] | None, list[Item]]] = []
    rest = list(items)
    for size in sorted(sizes, key=lambda size: size[0] * size[1]):
        small = replace(sheet, length=max(size), width=min(size))
        may = [k for k, item in enumerate(rest) if fits(item.outline, small)]
        if not may or not alive():
            continue
        layout = lay_out([rest[k].outline for k in may], small, None, effort, alive)
        area = [0.0] * layout.sheets
        for put in layout.puts:
            area[put.sheet] += layout.outlines[put.item].area
        fullest = area.index(max(area))
        taken = {may[put.item] for put in layout.puts if put.sheet == fullest}
        groups.append((size, [rest[k] for k in sorted(taken)]))
        rest = [item for k, item in enumerate(rest) if k not in taken]
    return [*groups, *([(None, rest)] if rest else [])]


def left_of(layout: Layout) -> tuple[float, float] | None:
    """The strip that is left of the last sheet, straight across, mm; None where it is not worth
    keeping."""
    sheet = layout.sheet
    _, used = layout.cost()
    strip = sheet.length - used - sheet.gap
    if not layout.puts or strip < LEAST or sheet.width < LEAST:
        return None
    return max(strip, sheet.width), min(strip, sheet.width)
