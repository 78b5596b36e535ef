"""A drawing sheet as a file: PDF and SVG in true size, DXF on layers. All pages go into one file;
where that has no pages, they lie below each other."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import PurePath
from typing import Any

from markupsafe import Markup, escape

from ...problem import Problem, SchabloneError
from ...sketch.curves import Curve
from ...sketch.mapping import Mapping2D
from ..bend_sheet import use_our_font
from ..exports import curve_in_dxf, path_data, written_dxf
from .page import DASHES, WIDTHS, DrawnDimension, Page, Pen, Stroke, Words

#: One page from the next, mm, where they lie below each other.
_BETWEEN = 10.0
_MM = 25.4
_LAYERS: dict[Pen, tuple[str, int]] = {
    "seen": ("VISIBLE", 7), "hidden": ("HIDDEN", 8), "thin": ("DIMENSION", 5),
    "chain": ("CENTRE", 3), "hatch": ("HATCH", 9), "frame": ("FRAME", 7),
}  # fmt: skip


def sheet_pdf(pages: Sequence[Page]) -> bytes:
    """PDF, a page for each; its letters are letters, in the program's own typeface."""
    from matplotlib.backends.backend_pdf import PdfPages  # here: only this file pays for it

    use_our_font()
    data = io.BytesIO()
    with PdfPages(data, metadata={"Creator": "Schablone", "CreationDate": None}) as book:
        for page in pages:
            book.savefig(_figure(page))
    return data.getvalue()


def _figure(page: Page) -> Any:
    from matplotlib.figure import Figure
    from matplotlib.lines import Line2D

    figure = Figure(figsize=(page.wide / _MM, page.high / _MM))
    for stroke in page.all_strokes():
        width = WIDTHS[stroke.pen] / _MM * 72
        dashes = DASHES.get(stroke.pen)
        style: Any = (0, [mm / _MM * 72 / width for mm in dashes]) if dashes else "-"
        for points in _lines(stroke):
            xs, ys = zip(*points, strict=True)
            figure.add_artist(
                Line2D(
                    [x / page.wide for x in xs],
                    [y / page.high for y in ys],
                    linewidth=width,
                    linestyle=style,
                    color="black",
                    transform=figure.transFigure,
                    solid_capstyle="round",
                )
            )
    for words in page.all_words():
        figure.text(
            words.at[0] / page.wide, words.at[1] / page.high, words.text.replace("$", r"\$"),
            fontsize=words.size / _MM * 72, family="IBM Plex Mono",
            weight="medium" if words.bold else "regular", rotation=words.angle,
            rotation_mode="anchor", va="baseline",
            ha={"start": "left", "middle": "center", "end": "right"}[words.align],
        )  # fmt: skip
    return figure


def _lines(stroke: Stroke) -> list[list[tuple[float, float]]]:
    """A stroke as lines of points, those that go on into each other in one."""
    return [
        [point for curve in run for point in curve.points(0.02)] + [run[-1].end]
        for run in _runs(stroke)
    ]


def _runs(stroke: Stroke) -> list[list[Curve]]:
    """The curves of a stroke, those that go on into each other together: dashes go on, too."""
    runs: list[list[Curve]] = []
    for curve in stroke.curves:
        if runs and runs[-1][-1].end == curve.start:
            runs[-1].append(curve)
        else:
            runs.append([curve])
    return runs


def sheet_svg(pages: Sequence[Page]) -> bytes:
    """SVG in mm, a group for each page."""
    wide = max(page.wide for page in pages)
    high = sum(page.high for page in pages) + _BETWEEN * (len(pages) - 1)
    groups = []
    top = 0.0
    for page in pages:
        name = escape(page.part or "sizes")
        groups.append(f'<g id="{name}" transform="translate(0 {top:.6g})">')
        for stroke in page.all_strokes():
            dashes = DASHES.get(stroke.pen)
            dashed = f' stroke-dasharray="{" ".join(map(str, dashes))}"' if dashes else ""
            # The file's y runs downwards from the upper edge of the page.
            paths = "".join(
                path_data(tuple(run), 0.0, page.high, closed=False) for run in _runs(stroke)
            )
            groups.append(
                f'<path class="{stroke.pen}" fill="none" stroke="#000000" '
                f'stroke-width="{WIDTHS[stroke.pen]}"{dashed} d="{paths}"/>'
            )
        groups += [svg_words(words, page) for words in page.all_words()]
        groups.append("</g>")
        top += page.high + _BETWEEN
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.6g}mm" height="{high:.6g}mm" '
        f'viewBox="0 0 {wide:.6g} {high:.6g}" font-family="IBM Plex Mono, monospace">\n'
        f'<rect width="{wide:.6g}" height="{high:.6g}" fill="#ffffff"/>\n'
        + "\n".join(groups)
        + "\n</svg>\n"
    ).encode()


def svg_words(words: Words, page: Page) -> Markup:
    """A line of letters as SVG, whose y runs downwards from the upper edge of the page."""
    x, y = words.at[0], page.high - words.at[1]
    turn = Markup(' transform="rotate({:.6g} {:.4f} {:.4f})"').format(-words.angle, x, y)
    drawn = Markup('<text x="{:.4f}" y="{:.4f}" font-size="{}" text-anchor="{}"{}{}>{}</text>')
    bold = Markup(' font-weight="500"') if words.bold else Markup("")
    turned = turn if words.angle else Markup("")
    return drawn.format(x, y, words.size, words.align, bold, turned, words.text)


def sheet_dxf(pages: Sequence[Page]) -> bytes:
    """DXF of the paper in mm: layers VISIBLE, HIDDEN, CENTRE, HATCH, DIMENSION, FRAME and TEXT,
    arcs as arcs; dimension lines as dimensions that measure what they say, notes as strokes."""
    import ezdxf.units  # here: only this file pays for it

    document = ezdxf.new("R2010", units=ezdxf.units.MM)
    document.linetypes.add("DASHED_MM", [3.0, 2.0, -1.0])
    document.linetypes.add("CHAIN_MM", [7.6, 5.0, -1.0, 0.6, -1.0])
    types = {"hidden": "DASHED_MM", "chain": "CHAIN_MM"}
    for pen, (layer, color) in _LAYERS.items():
        document.layers.add(layer, color=color, linetype=types.get(pen, "Continuous"))
    document.layers.add("TEXT", color=7)
    space = document.modelspace()
    low = 0.0
    for page in pages:
        onto = Mapping2D(f=-low)
        drawn = [one for one in page.dimensions if one.between is not None]
        plain = replace(
            page, dimensions=tuple(one for one in page.dimensions if one.between is None)
        )
        _draw_in_dxf(space, plain.all_strokes(), plain.all_words(), onto)
        for one in drawn:
            _dimension_in_dxf(document, one, onto)
        low += page.high + _BETWEEN
    return written_dxf(document)


def _draw_in_dxf(
    space: Any, strokes: Sequence[Stroke], all_words: Sequence[Words], onto: Mapping2D
) -> None:
    """Put strokes and words into a space or a block."""
    from ezdxf.enums import TextEntityAlignment

    sides = {
        "start": TextEntityAlignment.LEFT, "middle": TextEntityAlignment.CENTER,
        "end": TextEntityAlignment.RIGHT,
    }  # fmt: skip
    for stroke in strokes:
        for curve in stroke.curves:
            curve_in_dxf(space, curve.mapped(onto), {"layer": _LAYERS[stroke.pen][0]})
    for words in all_words:
        text = space.add_text(
            words.text, height=0.7 * words.size, rotation=words.angle, dxfattribs={"layer": "TEXT"}
        )
        text.set_placement(onto.point(words.at), align=sides[words.align])


def _dimension_in_dxf(document: Any, one: DrawnDimension, onto: Mapping2D) -> None:
    """A dimension that looks as it does on the page, and measures what it is drawn between, in mm
    of the part."""
    assert one.between is not None
    between = one.between.mapped(onto)
    style = document.modelspace().add_linear_dim(
        base=between.through, p1=between.ends[0], p2=between.ends[1], angle=between.angle,
        text=one.words.text,
        override={"dimlfac": 1 / between.scale, "dimtxt": 0.7 * one.words.size, "dimtad": 1},
        dxfattribs={"layer": "DIMENSION"},
    )  # fmt: skip
    style.commit()
    block = document.blocks.new_anonymous_block(type_char="D")
    _draw_in_dxf(block, one.strokes, [one.words], onto)
    style.dimension.dxf.geometry = block.name
    style.dimension.dxf.text_midpoint = onto.point(one.words.at)


_FORMATS: dict[str, Callable[[Sequence[Page]], bytes]] = {
    ".pdf": sheet_pdf,
    ".svg": sheet_svg,
    ".dxf": sheet_dxf,
}


def sheet_file(pages: Sequence[Page], file_name: str) -> bytes:
    """The file that the ending of its name asks for.

    Raises:
        SchabloneError: for an unknown ending.
    """
    ending = PurePath(file_name).suffix.lower()
    if ending not in _FORMATS:
        raise SchabloneError(
            Problem(
                area="file",
                name=file_name,
                what=f"A drawing sheet is written as PDF, SVG or DXF, not “{ending}”.",
            )
        )
    return _FORMATS[ending](pages)
