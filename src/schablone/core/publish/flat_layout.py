"""Flat parts laid on one sheet of a drawing, each on its own place, from the faces that they are
cut from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from ..kernel.flat import NotFlat
from ..kernel.flat_cuts import FlatCuts, Pocket, cuts_of
from ..kernel.folding.bend_lines import BendLine
from ..kernel.tabs import NONE, Tabs
from ..problem import Problem, SchabloneError
from ..sketch.curves import Curve
from ..sketch.mapping import Mapping2D
from ..sketch.regions import Region
from .piece import Piece
from .rows import in_rows

#: Free space between two parts, and how long a row of them is at most, mm.
_ROW = 1200.0
#: How high notes are written, mm, and how much room a line of them takes.
LETTER, LINE = 4.0, 7.0


@dataclass(frozen=True, slots=True)
class Laid:
    """A part, or the other side of one, on its place. ``register``: the outline is cut already and
    only tells where it is.
    ``notes`` stand below it, from ``note_at`` down, one line each."""

    title: str
    outlines: tuple[Region, ...]
    pockets: tuple[Pocket, ...] = ()
    tabs: Tabs = NONE
    register: bool = False
    notes: tuple[str, ...] = ()
    note_at: tuple[float, float] = (0.0, 0.0)
    bends: tuple[BendLine, ...] = ()
    marks: tuple[Curve, ...] = ()

    def moved(self, x: float, y: float) -> Laid:
        """The same moved by x and y, mm."""
        return self.mapped(Mapping2D(e=x, f=y))

    def mapped(self, by: Mapping2D) -> Laid:
        """The same moved and turned.

        Raises:
            ValueError: where an ellipse would be turned.
        """
        pockets = tuple(replace(pocket, region=pocket.region.mapped(by)) for pocket in self.pockets)
        outlines = tuple(region.mapped(by) for region in self.outlines)
        return replace(
            self,
            outlines=outlines,
            pockets=pockets,
            note_at=by.point(self.note_at),
            bends=tuple(bend.moved(by) for bend in self.bends),
            marks=tuple(curve.mapped(by) for curve in self.marks),
        )

    def bounds(self) -> tuple[float, float, float, float]:
        """The box around outlines and notes, mm."""
        boxes = [region.outer.bounds() for region in self.outlines]
        low, left = min(b[1] for b in boxes), min(b[0] for b in boxes)
        return (
            left,
            low - LINE * len(self.notes),
            max(b[2] for b in boxes),
            max(b[3] for b in boxes),
        )


def laid_out(pieces: Sequence[Piece]) -> list[Laid]:
    """Every piece on its own place. A plain plate alone stays where it is drawn; several lie beside
    each other, in rows.

    A part with pockets on its lower face only is turned over; one with pockets on both faces is
    drawn twice, the second time from below, its outline to set it by.

    Raises:
        SchabloneError: where a part has no flat face.
    """
    laid: list[Laid] = []
    for piece in pieces:
        try:
            laid += _sides(piece, cuts_of(piece.body), len(pieces) > 1)
        except NotFlat as error:
            raise SchabloneError(
                Problem(
                    area="part",
                    name=piece.title,
                    what=f"“{piece.title}” cannot be drawn flat: {error}.",
                    hint=f"Export {'STEP, ' if piece.body.meshed is None else ''}STL or 3MF.",
                )
            ) from None
    return laid if len(laid) == 1 else _in_rows(laid)


def laid_alone(piece: Piece) -> list[Laid]:
    """A piece as it is cut, without notes: as it is drawn, and once more where it is turned over.

    Raises:
        SchabloneError: where it has no flat face.
    """
    return [replace(laid, notes=()) for laid in laid_out([piece])]


def _sides(piece: Piece, cuts: FlatCuts, named: bool) -> list[Laid]:
    faces = {pocket.face for pocket in cuts.pockets}
    if faces == {"lower"}:
        cuts, faces = cuts.turned_over(), {"upper"}
    missed = tuple(f"not cut here: {what}" for what in cuts.missed)
    depths = sorted({round(pocket.depth, 6) for pocket in cuts.pockets if pocket.face == "upper"})
    told = (f"pockets {', '.join(f'{depth:.4g}' for depth in depths)} mm deep",) if depths else ()
    titles = (
        (f"{piece.title}: upper face, cut first",)
        if "lower" in faces
        else (piece.title,)
        if named or told
        else ()
    )
    upper = tuple(pocket for pocket in cuts.pockets if pocket.face == "upper")
    laid = [
        _noted(
            Laid(
                piece.title,
                cuts.outlines,
                upper,
                piece.tabs,
                False,
                (*titles, *told, *missed),
                bends=piece.bends,
                marks=piece.marks,
            )
        )
    ]
    if "lower" in faces:
        over = cuts.turned_over()
        lower = tuple(pocket for pocket in over.pockets if pocket.face == "upper")
        depths = sorted({round(pocket.depth, 6) for pocket in lower})
        deep = ", ".join(f"{depth:.4g}" for depth in depths)
        notes = (
            f"{piece.title}: turned over to the side, set by its outline",
            f"pockets {deep} mm deep",
        )
        laid.append(_noted(Laid(piece.title, over.outlines, lower, NONE, True, notes)))
    return laid


def _noted(laid: Laid) -> Laid:
    boxes = [region.outer.bounds() for region in laid.outlines]
    return replace(laid, note_at=(min(b[0] for b in boxes), min(b[1] for b in boxes) - LINE))


def _in_rows(pieces: Sequence[Laid]) -> list[Laid]:
    places = in_rows([laid.bounds() for laid in pieces], _ROW)
    return [laid.moved(x, y) for laid, (x, y) in zip(pieces, places, strict=True)]
