"""The bend sheet: one page with which a blank is folded at the machine. A picture of the blank with
its bends numbered in their order, and a table of them. As PDF or SVG."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from importlib.resources import as_file, files
from typing import TYPE_CHECKING, Any, Literal

from ..kernel.flat import flat_outline, plate_of
from ..kernel.folding.bend_lines import BendLine
from ..problem import Problem, SchabloneError
from ..quantity import plain
from .piece import Piece

if TYPE_CHECKING:
    from matplotlib.axes import Axes

#: A4 upright, inches, and what stands free around it.
_PAGE = (8.27, 11.69)
_INK, _QUIET, _UP, _DOWN = "#1F2A37", "#5F6873", "#4F7A57", "#A63D2B"
_COLUMNS = (
    "bend", "way", "angle", "set to", "inside radius", "on the blank", "to the stop", "long",
)  # fmt: skip


def bend_sheet(pieces: Sequence[Piece], form: Literal["pdf", "svg"] = "pdf") -> bytes:
    """The page of each folded part; a file of several pages as PDF, of the first part as SVG.

    Raises:
        SchabloneError: where no part is folded.
    """
    folded = [piece for piece in pieces if piece.bends]
    if not folded:
        raise SchabloneError(
            Problem(
                area="design",
                what="No part is folded, so there is nothing to bend.",
                hint="A bend sheet is made of parts that begin with the step “Sheet”.",
            )
        )
    # here, since only this page pays for loading it
    from matplotlib.backends.backend_pdf import PdfPages

    data = io.BytesIO()
    if form == "svg":
        import matplotlib as mpl

        with mpl.rc_context({"svg.fonttype": "none", "svg.hashsalt": "schablone"}):
            _page(folded[0]).savefig(data, format="svg", metadata={"Date": None})
        return data.getvalue()
    with PdfPages(data, metadata={"Creator": "Schablone", "CreationDate": None}) as pages:
        for piece in folded:
            pages.savefig(_page(piece))
    return data.getvalue()


def _page(piece: Piece) -> Any:
    from matplotlib.figure import Figure

    use_our_font()
    page = Figure(figsize=_PAGE)
    page.text(0.07, 0.955, piece.title, fontsize=17, weight="semibold", color=_INK, va="top")
    outline = piece.blank or flat_outline(piece.body)
    boxes = [region.outer.bounds() for region in outline]
    wide = max(b[2] for b in boxes) - min(b[0] for b in boxes)
    high = max(b[3] for b in boxes) - min(b[1] for b in boxes)
    area = math.fsum(region.area for region in outline)
    thick = plate_of(piece.body).thickness
    facts = (
        f"blank {plain(wide, 2)} × {plain(high, 2)} mm, {plain(area / 100, 1)} cm² of "
        f"{piece.material} {plain(thick, 2)} mm"
    )
    page.text(0.07, 0.925, facts, fontsize=9.5, color=_QUIET, va="top")
    rows = len(piece.bends)
    foot = min(0.52, 0.10 + 0.021 * (rows + 1))
    axes = page.add_axes((0.07, foot + 0.05, 0.86, 0.85 - foot))
    axes.set_axis_off()
    axes.set_aspect("equal")
    for region in outline:
        for loop in region.loops:
            points = [*loop.points(0.02).tolist(), list(loop.curves[0].start)]
            axes.plot(*zip(*points, strict=True), color=_INK, linewidth=0.9)
    for curve in piece.marks:
        points = [*curve.points(0.02), curve.end]
        axes.plot(*zip(*points, strict=True), color=_QUIET, linewidth=0.6)
    for line in piece.bends:
        _draw_bend(axes, line)
    _table(page, piece.bends, foot)
    return page


def _draw_bend(axes: Axes, line: BendLine) -> None:
    colour = _UP if line.is_up else _DOWN
    for (x0, y0), (x1, y1) in line.pieces:
        dashes = (8, 0.001) if line.is_up else (5, 3)
        axes.plot((x0, x1), (y0, y1), color=colour, linewidth=0.8, dashes=dashes)
    (x0, y0), (x1, y1) = line.pieces[0][0], line.pieces[-1][1]
    share = 0.5 + 0.1 * ((line.order % 3) - 1)
    axes.text(
        x0 + (x1 - x0) * share, y0 + (y1 - y0) * share, str(line.order), fontsize=7, color=colour,
        ha="center", va="center",
        bbox={"boxstyle": "circle,pad=0.25", "facecolor": "white", "edgecolor": colour,
              "linewidth": 0.7},
    )  # fmt: skip


def _table(page: Any, bends: Sequence[BendLine], foot: float) -> None:
    """The bends in their order; lengths in mm."""
    places = (0.07, 0.14, 0.25, 0.35, 0.49, 0.64, 0.78, 0.91)
    step = 0.021
    for x, head in zip(places, _COLUMNS, strict=True):
        page.text(x, foot, head, fontsize=8, color=_QUIET, ha=_side(head))
    for k, line in enumerate(bends, 1):
        cells = (
            str(line.order),
            "up" if line.is_up else "down",
            f"{plain(abs(line.angle), 1)}°",
            f"{plain(line.told, 1)}°",
            f"{line.radius:.2f}",
            f"{line.length:.2f}" + ("" if line.charted else " ~"),
            f"{line.stop:.2f}",
            f"{line.long:.1f}",
        )
        for x, head, cell in zip(places, _COLUMNS, cells, strict=True):
            page.text(x, foot - k * step, cell, fontsize=9, color=_INK, ha=_side(head))
    words = (
        "All lengths in mm. Up and down are seen from the side that is drawn. The stop is measured "
        "from the middle of the bend."
    )
    if any(not line.charted for line in bends):
        words += "\n~ is not in the machine's chart: how long that bend is on the blank is a guess."
    page.text(0.07, foot - (len(bends) + 1.6) * step, words, fontsize=7.5, color=_QUIET, va="top")


def _side(head: str) -> str:
    return "left" if head in ("bend", "way") else "right"


def use_our_font() -> None:
    """Write in the program's own typeface, as on its screen."""
    import matplotlib as mpl
    from matplotlib import font_manager

    family = "IBM Plex Sans"
    if family not in font_manager.fontManager.get_font_names():
        for entry in files("schablone.fonts").iterdir():
            if entry.name.endswith(".ttf"):
                with as_file(entry) as path:
                    font_manager.fontManager.addfont(path)
    if family in font_manager.fontManager.get_font_names():
        mpl.rcParams["font.family"] = family
