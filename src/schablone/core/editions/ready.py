"""Ready-made files of one size on one machine. Where a machine makes more than one part, they are
laid on its beds and sheets; one part alone stays as it is designed."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import replace

from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..problem import SchabloneError
from ..process.model import Process
from ..publish.exports import export
from ..publish.names import file_name
from ..publish.pieces import endings_of, pieces_of
from ..together.items import Item
from ..together.plans import Plan, by_stock, likely_sheet, plan
from ..together.sheet_files import sheet_files

#: So many orders of parts are tried. They are counted, and not timed: the same edition twice is the
#: same on a fast machine and on a slow one.
_ORDERS = 6
#: Formats in which what was laid is written.
_LAID = (".3mf", ".stl", ".dxf", ".svg")


def ready_files(
    design: Design, built: Rebuilt, process: Process, preset: str, plans: Sequence[Plan]
) -> dict[str, bytes]:
    """The files by their path in the edition; ``plans`` is how the parts lie (:func:`plans_of`).

    Raises:
        SchabloneError: where a part cannot be written.
    """
    folder, stem = f"ready/{file_name(process.name)}", file_name(preset)
    files: dict[str, bytes] = {}
    for ending in endings_of(design, built):
        mine = _written_in(plans, ending)
        if sum(len(one.items) for one in mine) > 1:
            for name, data in _laid(mine, ending, process):
                files[f"{folder}/{'-'.join([stem, *name])}{ending}"] = data
        else:
            path = f"{folder}/{stem}{ending}"
            files[path] = export(pieces_of(design, built, ending), path)
    return files


def plans_of(design: Design, built: Rebuilt) -> list[Plan]:
    """How the parts lie, those of one stock together.

    Raises:
        SchabloneError: where a part finds no room: as they are designed they may lie in each other.
    """
    return [_laid_out(built, items) for items in by_stock(design, built).values()]


def _laid_out(built: Rebuilt, items: Sequence[Item]) -> Plan:
    """Parts of one stock: on its sheet, else on the bed, else on the bed up to its edge."""
    sheet = likely_sheet(built, items[0])
    cutter = built.view.cutter_of(items[0].name) or built.view_of(items[0].name)
    bed = replace(sheet, length=cutter.process.bed[0], width=cutter.process.bed[1])
    for narrower in (sheet, bed):
        with suppress(SchabloneError):
            return plan(items, narrower, math.inf, orders=_ORDERS)
    return plan(items, replace(bed, margin=0.0), math.inf, orders=_ORDERS)


def _written_in(plans: Sequence[Plan], ending: str) -> list[Plan]:
    if ending not in _LAID:
        return []
    flat = ending in (".dxf", ".svg")
    return [one for one in plans if one.items[0].is_flat == flat]


def _laid(
    plans: Sequence[Plan], ending: str, process: Process
) -> Iterator[tuple[list[str], bytes]]:
    """What is laid, as files: what tells them apart, and what they hold."""
    for one in plans:
        stock = one.stock.removeprefix(f"{process.name} · ")
        files = sheet_files(one.items, one.layout, ending)
        for name, data in files.items():
            place = name.rpartition(".")[0]
            told = [file_name(stock)] if len(plans) > 1 else []
            # By its name one sees how often it is made, too.
            if len(files) > 1 or one.layout.sheets > 1:
                told.append(place)
            yield told, data
