"""What is laid together: the parts of a design by what they are cut or printed from, on sheets that
a machine's stock, or its bed, has."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..problem import SchabloneError
from ..process.known import Stock
from ..process.model import Process
from .items import Item, items_of
from .packing import EFFORT, ORDERS, lay_out
from .sheets import Layout, Sheet

#: How far parts stay apart where the machine says nothing, mm: cut, and printed.
_WEB, _BESIDE = 3.0, 6.0
#: How far they stay from the edge, mm.
_MARGIN = 5.0
#: How far the thickness of a part may be from that of the stock that it is cut from, mm.
_AS_THICK = 0.26


@dataclass(frozen=True)
class Plan:
    """Parts of one stock with the sheet that they are laid on, and how they lie on it."""

    stock: str
    items: tuple[Item, ...]
    sheet: Sheet
    layout: Layout

    @property
    def endings(self) -> tuple[str, ...]:
        """The formats that it is written in."""
        return (".dxf", ".svg") if self.items[0].is_flat else (".3mf",)


def by_stock(design: Design, built: Rebuilt) -> dict[str, list[Item]]:
    """The parts that can share a sheet.

    Raises:
        SchabloneError: where a part cannot be laid.
    """
    stocks: dict[str, list[Item]] = {}
    for item in items_of(design, built):
        stocks.setdefault(item.stock, []).append(item)
    return stocks


def likely_sheet(built: Rebuilt, item: Item) -> Sheet:
    """The sheet of the machine's stock that a part is cut from, with the web and turns that suit
    it; the bed where there is no such stock."""
    cutter = built.view.cutter_of(item.name) or built.view_of(item.name)
    process = cutter.process
    stock = stock_of(process, item)
    turns = (0.0, 180.0) if stock is not None and stock.grain else (0.0, 90.0, 180.0, 270.0)
    gap = _WEB + process.cut_width(item.piece.material, item.thickness) if item.is_flat else _BESIDE
    if stock is None:
        return Sheet(process.bed[0], process.bed[1], _MARGIN, gap, turns)
    return Sheet(max(stock.size), min(stock.size), _MARGIN, gap, turns)


def stock_of(process: Process, item: Item) -> Stock | None:
    """The stock in the rack of a process that a flat part is cut from, as far as it is known: that
    nearest in thickness, of equal ones the first."""
    if not item.is_flat:
        return None
    off = {
        stock: off
        for stock in process.stock
        if stock.material in ("", item.piece.material)
        and (off := abs(stock.measured - item.thickness)) < _AS_THICK
    }
    return min(off, key=lambda stock: off[stock], default=None)


def plan(
    items: Sequence[Item],
    sheet: Sheet,
    effort: float = EFFORT,
    alive: Callable[[], bool] = lambda: True,
    orders: int = ORDERS,
) -> Plan:
    """Lay parts of one stock.

    Raises:
        SchabloneError: where one is larger than the sheet, by its name.
    """
    outlines = [item.outline for item in items]
    try:
        layout = lay_out(outlines, sheet, None, effort, alive, orders)
    except SchabloneError as error:
        raise named_trouble(error, [item.title for item in items]) from None
    return Plan(items[0].stock, tuple(items), sheet, layout)


def named_trouble(error: SchabloneError, titles: Sequence[str]) -> SchabloneError:
    """What is wrong with a layout, parts told by their titles and not by numbers."""

    def named(match: re.Match[str]) -> str:
        number = int(match[2]) - 1
        return f"“{titles[number]}”" if number < len(titles) else match[0]

    return SchabloneError(
        *(
            problem.model_copy(
                update={"what": re.sub(r"\b([Pp]arts?|and) (\d+)\b", _worded(named), problem.what)}
            )
            for problem in error.problems
        )
    )


def _worded(named: Callable[[re.Match[str]], str]) -> Callable[[re.Match[str]], str]:
    def replaced(match: re.Match[str]) -> str:
        return f"and {named(match)}" if match[1] == "and" else named(match)

    return replaced


def with_grain(sheet: Sheet, grain: str) -> Sheet:
    """The sheet with the turns that grain leaves: ``keep`` turns over end only, ``any`` by
    quarters."""
    turns = (0.0, 180.0) if grain == "keep" else (0.0, 90.0, 180.0, 270.0)
    return replace(sheet, turns=turns)
