"""Parts laid on sheets and beds for the window, and the list of what is made and bought."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from shapely.geometry import Polygon

from ..core.design import Design
from ..core.design.rebuild import Rebuilt
from ..core.problem import SchabloneError
from ..core.publish.parts_list import parts_list
from ..core.together import Item, Layout, Plan, Put, Sheet, by_stock, lay_out, likely_sheet
from ..core.together.plans import named_trouble, with_grain
from ..core.together.sheet_files import cut_length, sheet_files
from ..core.whole_files import write_whole
from .talk import LaidStock, LayingOut, ListedReport, SheetAsked

#: Outlines are told to the window with chords within this, mm.
_FINE = 0.05


def laid_out(
    design: Design, built: Rebuilt, asked: LayingOut, alive: Callable[[], bool]
) -> tuple[list[LaidStock], list[str]]:
    """How all parts lie, and the files that were written.

    Raises:
        SchabloneError: where a part cannot be laid at all, or a file cannot be written.
    """
    found: list[LaidStock] = []
    files: list[str] = []
    for number, (stock, items) in enumerate(by_stock(design, built).items(), 1):
        mine = asked.sheets.get(stock, SheetAsked())
        sheet = _sheet(likely_sheet(built, items[0]), mine)
        fixed = {
            item: Put(item, where, x, y, turn, fixed=True)
            for item, where, x, y, turn in mine.fixed
            if item < len(items)
        }
        outlines = [item.outline for item in items]
        trouble = ""
        try:
            layout = lay_out(outlines, sheet, fixed, asked.patience, alive)
        except SchabloneError as error:
            told = named_trouble(error, [item.title for item in items]).problems[0]
            trouble = f"{told.what} {told.hint}".strip()
            layout = Layout(sheet, tuple(outlines), ())
        found.append(_told(stock, items, layout, trouble))
        if asked.folder and not trouble:
            plan = Plan(stock, tuple(items), sheet, layout)
            files += _written(plan, Path(asked.folder), "" if number == 1 else f"{number}-")
    return found, files


def _sheet(likely: Sheet, asked: SheetAsked) -> Sheet:
    sheet = likely
    if asked.size is not None:
        sheet = replace(sheet, length=asked.size[0], width=asked.size[1])
    if asked.gap is not None:
        sheet = replace(sheet, gap=asked.gap)
    if asked.margin is not None:
        sheet = replace(sheet, margin=asked.margin)
    return with_grain(sheet, asked.grain) if asked.grain else sheet


def _written(plan: Plan, folder: Path, prefix: str) -> list[str]:
    written = []
    for ending in plan.endings:
        for name, data in sheet_files(plan.items, plan.layout, ending).items():
            path = folder / f"{prefix}{name}"
            write_whole(path, data)
            written.append(str(path))
    return written


def _told(stock: str, items: list[Item], layout: Layout, trouble: str) -> LaidStock:
    sheet = layout.sheet
    return {
        "stock": stock,
        "sheet": (sheet.length, sheet.width, sheet.gap, sheet.margin),
        "keeps_grain": 90.0 not in sheet.turns,
        "flat": items[0].is_flat,
        "items": [{"title": item.title, "rings": _rings(item.outline)} for item in items],
        "puts": [(p.item, p.sheet, p.x, p.y, p.turn, p.fixed) for p in layout.puts],
        "sheets": layout.sheets,
        "used": layout.laid_yield,
        "cut": sum(cut_length(items, layout).values()),
        "trouble": trouble,
    }


def _rings(outline: Polygon) -> list[list[tuple[float, float]]]:
    plain = outline.simplify(_FINE)
    return [
        [(float(x), float(y)) for x, y in ring.coords[:-1]]
        for ring in (plain.exterior, *plain.interiors)
    ]


def listed(design: Design, built: Rebuilt) -> list[ListedReport]:
    """The parts list as the window takes it."""
    names = [part.name for part in design.parts if part.name in built.figures]
    rows = parts_list(design, built)
    return [
        {
            "title": row.title,
            "part": names[k] if k < len(names) else "",
            "count": row.count,
            "made": row.made,
            "what": row.what,
            "size": row.size,
            "mass": row.mass,
            "price": row.price,
            "currency": row.currency,
        }
        for k, row in enumerate(rows)
    ]
