"""Text as outlines, in the typeface that ships."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from importlib.resources import files
from io import BytesIO
from typing import TYPE_CHECKING, Any, Literal

from .curves import Bezier, Curve, Segment
from .loops import Loop

if TYPE_CHECKING:
    from fontTools.ttLib import TTFont

Face = Literal["regular", "medium", "semibold"]
_FILES = {
    "regular": "IBMPlexSans-Regular.ttf",
    "medium": "IBMPlexSans-Medium.ttf",
    "semibold": "IBMPlexSans-SemiBold.ttf",
}
XY = tuple[float, float]

#: The longest text that is drawn as one.
LONGEST_TEXT = 120


@lru_cache(maxsize=3)
def _font(face: Face) -> TTFont:
    from fontTools.ttLib import TTFont  # here, since only lettering pays for loading it

    return TTFont(BytesIO(files("schablone.fonts").joinpath(_FILES[face]).read_bytes()))


class _Pen:
    """Takes a glyph's outline as the font library draws it, in font units."""

    def __init__(self, glyphs: Any) -> None:
        from fontTools.pens.basePen import BasePen

        outer = self
        self.rings: list[list[Curve]] = []

        class Taker(BasePen):  # type: ignore[misc]
            def _moveTo(self, pt: XY) -> None:
                outer.rings.append([])
                outer.at = pt
                outer.begun = pt

            def _lineTo(self, pt: XY) -> None:
                if pt != outer.at:
                    outer.rings[-1].append(Segment(outer.at, pt))
                outer.at = pt

            def _curveToOne(self, pt1: XY, pt2: XY, pt3: XY) -> None:
                outer.rings[-1].append(Bezier(outer.at, pt1, pt2, pt3))
                outer.at = pt3

            def _closePath(self) -> None:
                self._lineTo(outer.begun)

        self.at: XY = (0.0, 0.0)
        self.begun: XY = (0.0, 0.0)
        self.taker = Taker(glyphs)


def lettering(text: str, height: float, name: str, face: Face = "medium") -> tuple[Loop, ...]:
    """Closed outlines of a line of text, counters included, its baseline's middle at the origin.

    ``height`` is that of the capitals, mm. Each outline is named ``name.1``, ``name.2`` … in
    reading order.

    Raises:
        ValueError: for an empty text, a letter that the typeface does not have, or no height.
    """
    if height <= 0:
        raise ValueError(f"the height of “{name}” is {height:g} mm; it must be above zero")
    if not text.strip():
        raise ValueError(f"the text “{name}” is empty")
    font = _font(face)
    table, glyphs = font.getBestCmap(), font.getGlyphSet()
    scale = height / font["OS/2"].sCapHeight
    rings: list[list[Curve]] = []
    at = 0.0
    for letter in text:
        glyph = table.get(ord(letter))
        if glyph is None:
            raise ValueError(f"the typeface has no letter “{letter}” for “{name}”")
        pen = _Pen(glyphs)
        glyphs[glyph].draw(pen.taker)
        rings += [_placed(ring, scale, at) for ring in pen.rings if ring]
        at += glyphs[glyph].width * scale
    return tuple(
        _counter_clockwise(ring, f"{name}.{k}", -at / 2) for k, ring in enumerate(rings, 1)
    )


def _placed(ring: Sequence[Curve], scale: float, at: float) -> list[Curve]:
    from .mapping import Mapping2D

    return [curve.mapped(Mapping2D(a=scale, d=scale, e=at)) for curve in ring]


def _counter_clockwise(ring: Sequence[Curve], name: str, shift: float) -> Loop:
    curves: Sequence[Curve] = ring
    if sum(curve.area_below() for curve in ring) < 0:
        curves = [curve.reversed() for curve in reversed(ring)]
    loop = Loop(tuple(curves), name).renamed([f"{name}.{k}" for k in range(1, len(curves) + 1)])
    return loop.moved(shift, 0.0)
