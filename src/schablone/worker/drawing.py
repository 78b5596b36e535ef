"""The drawing sheet of a design for the window, and its file."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from ..core.design import Design
from ..core.design.rebuild import Rebuilt
from ..core.problem import SchabloneError, errors
from ..core.publish.drawing_sheet import Page, drawing_pages, sheet_file
from ..core.publish.drawing_sheet.measuring import measuring_pictures
from ..core.publish.drawing_sheet.page import DrawnDimension, Stroke, View, Words
from ..core.whole_files import write_whole
from .talk import DimensionDrawn, PageDrawn, StrokeDrawn, ViewDrawn, WordsDrawn

#: Curves are told to the window with chords within this, mm on paper.
_FINE = 0.03


def drawn(
    design: Design, built: Rebuilt, path: str, step: Callable[[], object]
) -> tuple[list[PageDrawn], int]:
    """The pages, and how large the file is that they were written to, where one is wanted. ``step``
    is called again and again meanwhile, and may raise.

    Raises:
        SchabloneError: where the design cannot be built or drawn, or the file not be written.
    """
    wrong = errors(built.problems)
    if wrong:
        raise SchabloneError(*wrong)
    pages = drawing_pages(design, built, step)
    size = 0
    if path:
        data = sheet_file(pages, path)
        write_whole(Path(path), data)
        size = len(data)
    return [_page(page) for page in pages], size


def sizes_drawn(design: Design, built: Rebuilt, sizes: Sequence[str]) -> dict[str, PageDrawn]:
    """Where each of some sizes is measured."""
    pages = measuring_pictures(design, built, set(sizes))
    return {size: _page(page) for size, page in pages.items()}


def _page(page: Page) -> PageDrawn:
    return {
        "part": page.part,
        "wide": page.wide,
        "high": page.high,
        "scale": page.scale,
        "views": [_view(view) for view in page.views],
        "dimensions": [_dimension(one) for one in page.dimensions],
        "strokes": _strokes(page.strokes),
        "words": [_words(one) for one in page.words],
        "listed": list(page.listed),
    }


def _view(view: View) -> ViewDrawn:
    return {
        "name": view.name,
        "box": view.box,
        "strokes": _strokes(view.strokes),
        "title": _words(view.title) if view.title is not None else None,
    }


def _dimension(one: DrawnDimension) -> DimensionDrawn:
    return {
        "size": one.size,
        "view": one.view,
        "out": one.out,
        "along": one.along,
        "way": one.way,
        "words": _words(one.words),
        "strokes": _strokes(one.strokes),
    }


def _words(words: Words) -> WordsDrawn:
    corners = list(words.box().exterior.coords)[:4]
    return {
        "text": words.text,
        "at": words.at,
        "size": words.size,
        "align": words.align,
        "angle": words.angle,
        "bold": words.bold,
        "corners": [(x, y) for x, y in corners],
    }


def _strokes(strokes: Sequence[Stroke]) -> list[StrokeDrawn]:
    return [
        {
            "pen": stroke.pen,
            "lines": [[*curve.points(_FINE), curve.end] for curve in stroke.curves],
        }
        for stroke in strokes
    ]
