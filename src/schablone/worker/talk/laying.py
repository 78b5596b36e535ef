"""Parts laid on sheets and beds, lengths cut from bars."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict
from typing_extensions import TypedDict

from .message import Message, OfADesign


class LayOut(OfADesign):
    """Lay the parts on sheets and beds; ``about`` is a :class:`LayingOut` as JSON."""

    do: Literal["lay out"] = "lay out"
    about: str


class SheetAsked(BaseModel):
    """How the parts of one stock are to be laid, mm; what is None is as the machine has it.
    ``fixed`` are those that were put by hand: number of the part, sheet, x, y, turn; ``lying`` how
    the others lay when the last of them was, which stay as they can."""

    model_config = ConfigDict(extra="forbid")

    size: tuple[float, float] | None = None
    gap: float | None = None
    margin: float | None = None
    grain: Literal["", "keep", "any"] = ""
    fixed: list[tuple[int, int, float, float, float]] = []
    lying: list[tuple[int, int, float, float, float]] = []


class BarsAsked(BaseModel):
    """Lengths to be cut from bars: those that there are with their prices, how wide the saw cuts,
    how much is left for finishing, mm, and the parts that are cut so."""

    model_config = ConfigDict(extra="forbid")

    bars: list[tuple[float, float]]
    kerf: float = 3.0
    allowance: float = 0.0
    parts: list[str] = []


class BarsTold(TypedDict):
    """How bars are cut: for each way the bar's length, how often, the pieces with their lengths,
    and what is left over, mm; the lengths of parts that could be cut so; how many bars, which share
    of them is used, whether there can be no better way, and why there is none."""

    cuts: list[tuple[float, int, list[tuple[str, float]], float]]
    lengths: list[tuple[str, str, float, int]]
    bars: int
    used: float
    optimal: bool
    trouble: str


class LayingOut(BaseModel):
    """What is asked of a layout: sheets by stock, off-cuts by stock that are used before new
    sheets, what is cut from bars, where files go, empty for nowhere, and with how much
    effort a better one is looked for (about s)."""

    model_config = ConfigDict(extra="forbid")

    sheets: dict[str, SheetAsked] = {}
    off_cuts: dict[str, list[tuple[float, float]]] = {}
    bars: BarsAsked | None = None
    folder: str = ""
    effort: float = 3.0


#: An outline with its holes, in its own coordinates.
Rings = list[list[tuple[float, float]]]


class LaidStock(TypedDict):
    """How the parts of one stock lie: the sheet as it was taken (length, width, gap, margin),
    whether parts keep to its grain, for each part its title and the number of its outline among the
    ``outlines``, and where each is: part, sheet, x, y, turn, by hand; ``alike`` are the sheets that
    are made from the same file. ``trouble`` says why they could not be laid. ``of`` is the stock
    itself where this is an off-cut of it, of ``off_cut`` mm, ``rest`` the strip that is left in the
    end; ``takes`` says
    how long it takes and what it costs, ``missing`` what is not known of that."""

    stock: str
    of: str
    off_cut: tuple[float, float] | None
    rest: tuple[float, float] | None
    takes: str
    missing: list[str]
    sheet: tuple[float, float, float, float]
    keeps_grain: bool
    flat: bool
    outlines: list[Rings]
    items: list[tuple[str, int]]
    puts: list[tuple[int, int, float, float, float, bool]]
    sheets: int
    alike: list[list[int]]
    used: float
    cut: float
    trouble: str


class ListedReport(TypedDict):
    """A line of the parts list."""

    title: str
    part: str
    count: int
    made: bool
    what: str
    size: str
    mass: float | None
    price: float | None
    currency: str


class LaidOut(Message):
    """How the parts lie, what is made and bought, and which files were written; or, where that was
    asked for, how bars are cut."""

    answer: Literal["laid out"] = "laid out"
    stocks: list[LaidStock]
    parts: list[ListedReport]
    files: list[str]
    bars: BarsTold | None = None
