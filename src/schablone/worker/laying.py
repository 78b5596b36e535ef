"""Parts laid on sheets and beds for the window, and the list of what is made and bought."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import replace
from hashlib import sha256
from pathlib import Path

from shapely import to_wkb
from shapely.geometry import Polygon

from ..core.design import Design
from ..core.design.rebuild import Cancelled, Rebuilt
from ..core.problem import SchabloneError
from ..core.publish.names import laid_stem
from ..core.publish.parts_list import count_of, parts_list
from ..core.together import (
    Bar,
    Estimate,
    Item,
    Layout,
    Length,
    Plan,
    Put,
    Sheet,
    by_stock,
    cut_from_bars,
    divided,
    estimate,
    lay_out,
    left_of,
    likely_sheet,
)
from ..core.together.plans import named_trouble, stock_of, with_grain
from ..core.together.sheet_files import alike_sheets, cut_length, sheet_files
from ..core.whole_files import write_whole
from ..core.words import say_name
from .talk import BarsAsked, BarsTold, LaidStock, LayingOut, ListedReport, SheetAsked

#: Outlines are told to the window with chords within this, mm.
_FINE = 0.05
#: So many layouts are kept.
_KEPT = 24


class KnownLayouts:
    """Layouts by what was to be laid: what is written is what was seen, and what lies there
    already is not laid again."""

    def __init__(self) -> None:
        self._known: dict[Hashable, Layout] = {}

    def lay_out(
        self,
        outlines: Sequence[Polygon],
        sheet: Sheet,
        fixed: Mapping[int, Put],
        effort: float,
        alive: Callable[[], bool],
        lying: tuple[Put, ...] = (),
    ) -> Layout:
        """The same as :func:`lay_out`.

        Raises:
            Cancelled: where it was given up, which is known only afterwards.
            SchabloneError: where one of them cannot be laid.
        """
        outline = sha256(b"".join(to_wkb(list(outlines)))).digest()  # there may be thousands
        key = outline, sheet, tuple(sorted(fixed.items())), effort, lying
        if key not in self._known:
            layout = lay_out(outlines, sheet, fixed, effort, alive, lying=lying)
            if not alive():
                raise Cancelled
            while len(self._known) >= _KEPT:
                del self._known[next(iter(self._known))]
            self._known[key] = layout
        return self._known[key]


def laid_out(
    design: Design,
    built: Rebuilt,
    asked: LayingOut,
    alive: Callable[[], bool],
    known: KnownLayouts,
) -> tuple[list[LaidStock], list[str]]:
    """How all parts lie, and the files that were written.

    Raises:
        Cancelled: where it was given up.
        SchabloneError: where a part cannot be laid at all, or a file cannot be written.
    """
    laid: list[LaidStock] = []
    files: list[str] = []
    groups = [
        (stock, size, mine)
        for stock, items in by_stock(design, built).items()
        for size, mine in _divided(stock, items, built, asked, alive)
    ]
    named: set[str] = set()
    for number, (of, size, items) in enumerate(groups, 1):
        stock = of if size is None else f"{of}, off-cut {size[0]:.4g} × {size[1]:.4g} mm"
        if stock in named:  # another off-cut of this size
            stock += f" ({1 + sum(name.startswith(stock) for name in named)})"
        named.add(stock)
        mine = asked.sheets.get(stock, SheetAsked())
        sheet = _sheet(likely_sheet(built, items[0]), mine)
        if size is not None:
            sheet = replace(sheet, length=max(size), width=min(size))
        fixed = {
            item: Put(item, where, x, y, turn, fixed=True)
            for item, where, x, y, turn in mine.fixed
            if item < len(items)
        }
        lying = tuple(Put(*one) for one in mine.lying if one[0] < len(items))
        outlines = [item.outline for item in items]
        trouble = ""
        try:
            layout = known.lay_out(outlines, sheet, fixed, asked.effort, alive, lying)
        except SchabloneError as error:
            problem = named_trouble(error, [item.title for item in items]).problems[0]
            trouble = f"{problem.what} {problem.hint}".strip()
            layout = Layout(sheet, tuple(outlines), ())
        told = _told(stock, items, layout, trouble)
        if not trouble:
            takes = _takes(design, built, items, layout, size)
            told["takes"], told["missing"] = takes.words(), list(takes.missing)
            told["rest"] = left_of(layout) if items[0].is_flat else None
        told["of"], told["off_cut"] = of, size
        laid.append(told)
        if asked.folder and not trouble:
            plan = Plan(stock, tuple(items), sheet, layout)
            files += _written(plan, Path(asked.folder), laid_stem(design.name, number))
    return laid, files


def cut_bars(design: Design, built: Rebuilt, asked: BarsAsked) -> BarsTold:
    """How lengths are cut from bars; ``built`` is the design as it is wanted."""
    longest = {
        name: max(b - a for a, b in zip(*figures.bounds, strict=True))
        for name, figures in built.figures.items()
    }
    lengths = [
        (part.name, part.title or say_name(part.name), longest[part.name], count_of(part, built))
        for part in design.parts
        if part.name in longest
    ]
    told: BarsTold = {
        "cuts": [], "lengths": lengths, "bars": 0, "used": 0.0, "optimal": True, "trouble": "",
    }  # fmt: skip
    chosen = [Length(t, long, n) for name, t, long, n in lengths if name in asked.parts and n]
    if not chosen:
        return told
    try:
        plan = cut_from_bars(chosen, [Bar(*bar) for bar in asked.bars], asked.kerf, asked.allowance)
    except SchabloneError as error:
        problem = error.problems[0]
        return {**told, "trouble": f"{problem.what} {problem.hint}".strip()}
    told["cuts"] = [(c.bar.length, c.times, list(c.pieces), c.rest) for c in plan.cuts]
    told["bars"], told["used"], told["optimal"] = plan.bars, plan.used, plan.optimal
    return told


def _divided(
    stock: str,
    items: list[Item],
    built: Rebuilt,
    asked: LayingOut,
    alive: Callable[[], bool],
) -> list[tuple[tuple[float, float] | None, list[Item]]]:
    """The parts of a stock by the off-cut that they are laid on, and those for new sheets."""
    sizes = asked.off_cuts.get(stock, [])
    if not sizes or not items[0].is_flat:
        return [(None, items)]
    sheet = _sheet(likely_sheet(built, items[0]), asked.sheets.get(stock, SheetAsked()))
    found = divided(items, sheet, sizes, min(1.0, asked.effort), alive)
    if not alive():
        raise Cancelled
    return found


def _takes(
    design: Design,
    built: Rebuilt,
    items: list[Item],
    layout: Layout,
    off_cut: tuple[float, float] | None,
) -> Estimate:
    """How long a layout takes and what it costs; what lies on an off-cut was paid before."""
    part = next(part for part in design.parts if part.name == items[0].name)
    cutter = built.view.cutter_of(part.name) or built.view_of(part.name)
    stock = stock_of(cutter.process, items[0])
    _, density = part.made_of(cutter.process)
    figures = estimate(cutter.process, items, layout, stock, density, paid=off_cut is not None)
    return figures


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
    # Equal parts are told by one outline: there may be thousands of them.
    outlines = {item.name: item.outline for item in items}
    numbers = {name: number for number, name in enumerate(outlines)}
    return {
        "stock": stock,
        "of": stock,
        "off_cut": None,
        "rest": None,
        "takes": "",
        "missing": [],
        "sheet": (sheet.length, sheet.width, sheet.gap, sheet.margin),
        "keeps_grain": 90.0 not in sheet.turns,
        "flat": items[0].is_flat,
        "outlines": [_rings(outline) for outline in outlines.values()],
        "items": [(item.title, numbers[item.name]) for item in items],
        "puts": [(p.item, p.sheet, p.x, p.y, p.turn, p.fixed) for p in layout.puts],
        "sheets": layout.sheets,
        "alike": [list(one) for one in alike_sheets(items, layout)],
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
