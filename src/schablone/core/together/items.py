"""Parts as they are laid on a sheet or a bed: their outlines seen from above, as often as they are
made."""

from __future__ import annotations

from dataclasses import dataclass, replace

import shapely
from shapely.geometry import Polygon

from ..design.model import Design
from ..design.rebuild import Rebuilt
from ..design.treat import as_it_lies
from ..kernel.second import manifold_of
from ..problem import Problem, SchabloneError
from ..publish.flat_layout import Laid, laid_alone
from ..publish.parts_list import count_of
from ..publish.piece import Piece
from ..publish.pieces import pieces_of
from ..sketch.regions import Region

#: Chord tolerance of outlines, mm; they are made larger by as much, so that nothing sticks out.
_CHORDS = 0.02


@dataclass(frozen=True)
class Item:
    """One part to be laid: what it is called, its outline in the coordinates that it is exported
    in, and what goes into the file. ``stock`` tells apart what cannot share a sheet: machine,
    material and thickness in words. ``back`` is what is cut from its other side, once it lies
    there."""

    name: str
    title: str
    outline: Polygon
    piece: Piece
    laid: Laid | None
    stock: str
    thickness: float
    back: tuple[Laid, ...] = ()

    @property
    def is_flat(self) -> bool:
        """Whether it lies on sheets."""
        return self.laid is not None


def items_of(design: Design, built: Rebuilt, lies_flat: bool | None = None) -> list[Item]:
    """All parts of a design, each as often as it is made. What is cut or folded is laid flat, what
    is printed stands as it does.

    Raises:
        SchabloneError: where a part cannot be laid.
    """
    items = []
    pieces = dict(zip(built.bodies, _all_pieces(design, built), strict=True))
    for part in design.parts:
        if part.name not in pieces:
            continue
        piece = pieces[part.name]
        cutter = built.view.cutter_of(part.name) or built.view_of(part.name)
        family = cutter.process.family
        flat = family in ("cut", "fold") if lies_flat is None else lies_flat
        count = count_of(part, built)
        if flat:
            front, *back = laid_alone(piece)
            thick = _thickness(piece)
            stock = f"{cutter.process.name} · {piece.material} · {thick:.4g} mm"
            outline = _outline(front.outlines)
            items += [
                Item(part.name, front.title, outline, piece, front, stock, thick, tuple(back))
            ] * count
        else:
            piece = replace(piece, body=as_it_lies(piece.body, part.down))
            outline = _shadow(piece)
            stock = f"{cutter.process.name} · {piece.material}"
            items += [Item(part.name, piece.title, outline, piece, None, stock, 0.0)] * count
    return items


def _all_pieces(design: Design, built: Rebuilt) -> list[Piece]:
    return pieces_of(design, built)


def _outline(regions: tuple[Region, ...]) -> Polygon:
    shapes = [r.polygon(_CHORDS).buffer(_CHORDS, join_style="mitre") for r in regions]
    whole = shapely.union_all(shapes)
    return whole if isinstance(whole, Polygon) else Polygon(whole.convex_hull.exterior)


def _thickness(piece: Piece) -> float:
    folded = piece.body.blank_of or piece.body.folded
    if folded is not None:
        return folded.thickness
    low, high = piece.body.figures().bounds
    return min(b - a for a, b in zip(low, high, strict=True))


def _shadow(piece: Piece) -> Polygon:
    """What a part covers of the bed, seen from above."""
    solid = manifold_of(piece.body.mesh(0.05))
    if solid is None:
        low, high = piece.body.figures().bounds
        return Polygon(shapely.box(low[0], low[1], high[0], high[1]).exterior)
    rings = [Polygon(ring) for ring in solid.project().to_polygons() if len(ring) > 2]
    outer = [Polygon(r.exterior) for r in rings if r.exterior.is_ccw]
    whole = shapely.union_all([ring.buffer(0.05, join_style="mitre") for ring in outer])
    if not isinstance(whole, Polygon) or whole.is_empty:
        if whole.is_empty:
            raise SchabloneError(
                Problem(area="part", name=piece.title, what=f"“{piece.title}” covers nothing.")
            )
        return Polygon(whole.convex_hull.exterior)
    return Polygon(whole.exterior)  # nothing is laid in the holes of what is printed
