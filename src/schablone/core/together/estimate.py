"""How long it takes to make what is laid on sheets or beds, and what it costs, as far as the
process says what work takes."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from ..process.known import Stock
from ..process.model import Process
from ..quantity import grams_if_known
from .items import Item
from .sheet_files import cut_length
from .sheets import Layout

#: Nobody reads minutes of so many hours, and cents of so much.
_LONG, _DEAR = 100, 1000


@dataclass(frozen=True, slots=True)
class Estimate:
    """Minutes of work, and what material and hours cost in the currency of the process; None where
    something is not known, which ``missing`` names."""

    minutes: float | None
    cost: float | None
    missing: tuple[str, ...] = ()

    def words(self) -> str:
        """``about 14 min · about 6.40 €``; nothing where nothing is known."""
        parts = []
        if self.minutes is not None:
            hours, rest = divmod(round(self.minutes), 60)
            if hours < _LONG:
                parts.append(f"about {f'{hours} h ' if hours else ''}{rest} min")
            else:
                parts.append(f"about {self.minutes / 60:.0f} h")
        if self.cost is not None:
            parts.append(f"about {self.cost:.{2 if self.cost < _DEAR else 0}f} €")
        return " · ".join(parts)


def estimate(
    process: Process,
    items: Sequence[Item],
    layout: Layout,
    stock: Stock | None,
    density: float | None,
    *,
    paid: bool = False,
) -> Estimate:
    """What a layout takes and costs on the process that makes it. Sheets are paid whole, by their
    area where they have another size than those in the rack, of which ``stock`` says the price;
    unless they were ``paid`` before. Of what is printed the mass is paid, ``density`` in g/cm³."""
    work = _cutting(process, items, layout) if items[0].is_flat else _printing(process, items)
    missing = [] if work is not None else [_named("cut_speed" if items[0].is_flat else "flow")]
    minutes = None if work is None else work + layout.sheets * process.set_up
    material: float | None
    if items[0].is_flat:
        share = layout.sheet.area / (stock.size[0] * stock.size[1]) if stock is not None else 0.0
        known = stock is not None and stock.price > 0
        material = stock.price * share * layout.sheets if stock is not None and known else None
        material = 0.0 if paid else material
        missing += [] if material is not None else ["what a sheet costs"]
    else:
        volume = math.fsum(item.piece.body.figures().volume for item in items)
        mass = grams_if_known(volume, density)
        material = None
        if mass is None:
            missing.append("how dense its material is")
        elif not process.kilo_cost:
            missing.append(_named("kilo_cost"))
        else:
            material = mass / 1000 * process.kilo_cost
    cost = None
    if minutes is not None and material is not None:
        cost = material + minutes / 60 * process.hour_cost
    return Estimate(minutes, cost, tuple(missing))


def _named(figure: str) -> str:
    return {
        "cut_speed": "how fast it cuts",
        "flow": "how much it lays down in a second",
        "kilo_cost": "what a kilogram costs",
    }[figure]


def _cutting(process: Process, items: Sequence[Item], layout: Layout) -> float | None:
    if not process.cut_speed:
        return None
    starts = sum(
        len(region.loops)
        for put in layout.puts
        if (laid := items[put.item].laid) is not None and not laid.register
        for region in laid.outlines
    )
    way = math.fsum(cut_length(items, layout).values())
    return (way / process.cut_speed + starts * process.pierce) / 60


def _printing(process: Process, items: Sequence[Item]) -> float | None:
    if not process.flow:
        return None
    return math.fsum(item.piece.body.figures().volume for item in items) / process.flow / 60
