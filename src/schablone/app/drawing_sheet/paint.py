"""Strokes and words of a page on the screen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QFont, QPainter, QPen, QPolygonF

from ...core.publish.drawing_sheet.page import ADVANCE, DASHES, WIDTHS
from ...worker import talk
from ..theme import mono

#: A place on paper, mm, in pixels.
ToScreen = Callable[[float, float], QPointF]


def paint_strokes(
    painter: QPainter,
    to: ToScreen,
    scale: float,
    strokes: Sequence[talk.StrokeDrawn],
    ink: QColor,
) -> None:
    """Lines with their pens; ``scale`` is pixels for each mm."""
    for stroke in strokes:
        name: Any = stroke["pen"]
        width = max(WIDTHS[name] * scale, 0.6)
        pen = QPen(ink, width)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        if name in DASHES:
            pen.setDashPattern([mm * scale / width for mm in DASHES[name]])
        painter.setPen(pen)
        for line in stroke["lines"]:
            painter.drawPolyline(QPolygonF([to(*point) for point in line]))


def paint_words(
    painter: QPainter, to: ToScreen, scale: float, words: talk.WordsDrawn, ink: QColor
) -> None:
    """A line of letters, as wide as it will be on paper, whatever pixels make of it."""
    font = mono(10)
    font.setPixelSize(max(1, round(words["size"] * scale)))
    font.setWeight(QFont.Weight.Medium if words["bold"] else QFont.Weight.Normal)
    painter.save()
    painter.setFont(font)
    painter.setPen(ink)
    painter.translate(to(*words["at"]))
    painter.rotate(-words["angle"])
    wide = painter.fontMetrics().horizontalAdvance(words["text"])
    meant = len(words["text"]) * ADVANCE * words["size"] * scale
    if wide > 0:
        painter.scale(meant / wide, 1.0)
    start = {"start": 0.0, "middle": -0.5, "end": -1.0}[words["align"]] * wide
    painter.drawText(QPointF(start, 0.0), words["text"])
    painter.restore()
