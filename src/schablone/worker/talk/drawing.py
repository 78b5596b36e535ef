"""The drawing sheet as the window shows it, and where single sizes are measured."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict
from typing_extensions import TypedDict

from .message import Message, OfADesign


class DrawSheet(OfADesign):
    """Draw the parts with their sizes on a drawing sheet; where ``about`` is the path of a file,
    write it."""

    do: Literal["draw sheet"] = "draw sheet"
    about: str = ""


class DrawSizes(OfADesign):
    """Where are sizes measured? ``about`` is a :class:`SizesAsked` as JSON."""

    do: Literal["draw sizes"] = "draw sizes"
    about: str


class StrokeDrawn(TypedDict):
    """Lines of a page that are drawn alike: the name of their pen, and their points, mm."""

    pen: str
    lines: list[list[tuple[float, float]]]


class WordsDrawn(TypedDict):
    """A line of letters on a page, and the corners of what it covers, mm."""

    text: str
    at: tuple[float, float]
    size: float
    align: Literal["start", "middle", "end"]
    angle: float
    bold: bool
    corners: list[tuple[float, float]]


class ViewDrawn(TypedDict):
    """A view on a page, and the box around it, mm."""

    name: str
    box: tuple[float, float, float, float]
    strokes: list[StrokeDrawn]
    title: WordsDrawn | None


class DimensionDrawn(TypedDict):
    """A size on a page: at which view, how far from it and from the middle of what it measures, in
    which direction it goes away (of a note: none), mm on paper."""

    size: str
    view: str
    out: float
    along: float
    way: tuple[float, float]
    words: WordsDrawn
    strokes: list[StrokeDrawn]


class PageDrawn(TypedDict):
    """A page of a drawing sheet; ``listed`` are the sizes that stand in a list on it."""

    part: str
    wide: float
    high: float
    scale: str
    views: list[ViewDrawn]
    dimensions: list[DimensionDrawn]
    strokes: list[StrokeDrawn]
    words: list[WordsDrawn]
    listed: list[str]


class SizesAsked(BaseModel):
    """The sizes that are to be shown where they are measured, with other formulas for some."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    sizes: tuple[str, ...]
    given: dict[str, str] = {}


class SizesDrawn(Message):
    """A small page for each size that is a length on a part."""

    answer: Literal["sizes drawn"] = "sizes drawn"
    pages: dict[str, PageDrawn]


class SheetDrawn(Message):
    """The pages of a drawing sheet, and the size of the file that was written, 0 for none."""

    answer: Literal["sheet drawn"] = "sheet drawn"
    pages: list[PageDrawn]
    path: str
    bytes: int
