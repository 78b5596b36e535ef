"""What was laid, as files: one drawing for each sheet with the names of its parts, one 3MF for each
bed with parts where they were put."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import replace

from ..kernel.body import placed_body
from ..kernel.motion import Motion
from ..publish.exports import drawn_dxf, drawn_svg, placed_stl, placed_three_mf
from ..publish.flat_layout import Laid
from ..publish.names import file_name
from ..publish.piece import Piece
from ..sketch.mapping import Mapping2D
from .items import Item
from .sheets import Layout, Put

#: What beds are written as.
_SOLIDS = {".3mf": placed_three_mf, ".stl": placed_stl}


def alike_sheets(items: Sequence[Item], layout: Layout) -> list[tuple[int, ...]]:
    """The numbers of the sheets on which the same parts lie alike, in the order of the first of
    each: they are made from one file."""
    lying: list[list[tuple[str, float, float, float]]] = [[] for _ in range(layout.sheets)]
    for put in layout.puts:
        x, y, turn = (round(length, 5) + 0.0 for length in (put.x, put.y, put.turn))
        lying[put.sheet].append((items[put.item].name, x, y, turn))
    alike: dict[tuple[tuple[str, float, float, float], ...], list[int]] = {}
    for number, there in enumerate(lying):
        alike.setdefault(tuple(sorted(there)), []).append(number)
    return [tuple(numbers) for numbers in alike.values()]


def sheet_files(items: Sequence[Item], layout: Layout, ending: str) -> dict[str, bytes]:
    """The files of a layout by name: ``sheet-1.dxf`` and so on, or ``bed-1.3mf`` and ``bed-1.stl``.
    Where sheets are alike there is one, named by how often it is made: ``sheet-1-12-times.dxf``.

    Raises:
        ValueError: for an ending that nothing laid is written in, or an ellipse that was turned.
    """
    files: dict[str, bytes] = {}
    if ending in (".dxf", ".svg"):
        files |= _backs(items, ending)
    on: dict[int, list[Put]] = {}
    for put in layout.puts:
        on.setdefault(put.sheet, []).append(put)
    for first, *others in alike_sheets(items, layout):
        mine = on.get(first, [])
        told = f"{first + 1}" if not others else f"{first + 1}-{1 + len(others)}-times"
        if ending in _SOLIDS:
            pieces = [_moved(items[put.item].piece, put) for put in mine]
            files[f"bed-{told}{ending}"] = _SOLIDS[ending](pieces)
            continue
        laid = [_put(items[put.item], put) for put in mine]
        title = ", ".join(dict.fromkeys(items[put.item].title for put in mine))
        if ending == ".dxf":
            files[f"sheet-{told}.dxf"] = drawn_dxf(laid)
        elif ending == ".svg":
            size = layout.sheet.length, layout.sheet.width
            files[f"sheet-{told}.svg"] = drawn_svg(laid, title, (0.0, 0.0, *size))
        else:
            raise ValueError(
                f"“{ending}” is no format of what was laid; there are dxf, svg, 3mf, stl"
            )
    return files


def _backs(items: Sequence[Item], ending: str) -> dict[str, bytes]:
    """What is cut from the other side of parts that are turned over: a drawing for each, set by the
    outline that is cut already."""
    files: dict[str, bytes] = {}
    for item in {item.name: item for item in items if item.back}.values():
        name = told = f"other-side-{file_name(item.title)}"
        while f"{name}{ending}" in files:  # another part is called so
            name = f"{told}-{len(files) + 1}"
        laid = [replace(back, notes=(item.title,)) for back in item.back]
        box = laid[0].bounds()
        files[f"{name}{ending}"] = (
            drawn_dxf(laid) if ending == ".dxf" else drawn_svg(laid, item.title, box)
        )
    return files


def mapping_of(put: Put) -> Mapping2D:
    """From the outline's own coordinates to the sheet."""
    turn = math.radians(put.turn)
    c, s = (round(f(turn), 15) for f in (math.cos, math.sin))
    return Mapping2D(c, -s, s, c, put.x, put.y)


def _put(item: Item, put: Put) -> Laid:
    assert item.laid is not None
    laid = item.laid.mapped(mapping_of(put))
    x0, y0, x1, y1 = laid.bounds()
    return replace(laid, notes=(item.title,), note_at=((x0 + x1) / 2, (y0 + y1) / 2))


def _moved(piece: Piece, put: Put) -> Piece:
    low = piece.body.figures().bounds[0][2]
    turn = Motion.turn((0.0, 0.0, 0.0), (0.0, 0.0, 1.0), put.turn)
    there = Motion.move((put.x, put.y, -low)).after(turn)
    return replace(piece, body=placed_body(piece.body, there))


def cut_length(items: Sequence[Item], layout: Layout) -> Mapping[int, float]:
    """How long the cuts on each sheet are, mm."""
    lengths: dict[int, float] = {}
    for put in layout.puts:
        laid = items[put.item].laid
        if laid is not None and not laid.register:
            loops = [loop for region in laid.outlines for loop in region.loops]
            length = math.fsum(loop.length for loop in loops)
            lengths[put.sheet] = lengths.get(put.sheet, 0.0) + length
    return lengths
