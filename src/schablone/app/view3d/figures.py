"""Dimensions and notes shown on the part, as small boxes with a line to where they belong."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from ..theme import mono, theme
from .camera import Camera
from .shown import Placing


@dataclass(frozen=True, slots=True)
class Figure:
    """A dimension shown on the part: its text, the point it belongs to, and what it is. With a
    second point ``to`` it is a note of a distance, drawn between both. ``part`` is the one that it
    stands at, where it is one's."""

    text: str
    at: tuple[float, float, float]
    step: str
    path: str
    to: tuple[float, float, float] | None = None
    part: str = ""

    def placed(self, placing: Placing) -> Figure:
        """The same where its part is drawn."""
        to = placing.there(self.to) if self.to is not None else None
        return replace(self, at=placing.there(self.at), to=to)


class FigureBoxes:
    """Draws them, moved apart where they would cover each other, and knows where each stands."""

    def __init__(self) -> None:
        self._boxes: list[tuple[QRectF, Figure]] = []

    def at(self, spot: QPointF) -> Figure | None:
        """The dimension under a pixel."""
        return next((figure for box, figure in self._boxes if box.contains(spot)), None)

    def box_of(self, step: str, path: str) -> QRectF | None:
        """Where a dimension stands on the screen."""
        return next(
            (box for box, figure in self._boxes if (figure.step, figure.path) == (step, path)), None
        )

    def draw(
        self, painter: QPainter, figures: Sequence[Figure], camera: Camera, width: int, height: int
    ) -> None:
        t = theme()
        self._boxes = []
        if not figures:
            return
        font = mono(12)
        painter.setFont(font)
        metrics = QFontMetricsF(font)
        points = camera.project(np.array([f.at for f in figures]), width, height)
        ends = camera.project(np.array([f.to or f.at for f in figures]), width, height)
        centre = np.array([width / 2, height / 2])
        for figure, p, q in zip(figures, points, ends, strict=True):
            ink = QColor(t.slate_text if figure.to is None else t.madder)
            painter.setPen(QPen(ink, 1.6 if figure.to else 1))
            if figure.to is not None:
                painter.drawLine(QPointF(*p), QPointF(*q))
            middle = (p + q) / 2
            way = middle - centre
            way = way / max(float(np.hypot(*way)), 1e-6)
            wide = metrics.horizontalAdvance(figure.text) + 14
            spot = middle + way * 34
            box = QRectF(spot[0] - wide / 2, spot[1] - 11, wide, 22)
            box.moveLeft(min(max(box.left(), 6.0), width - wide - 6))
            box.moveTop(min(max(box.top(), 6.0), height - 28.0))
            for _ in range(12):
                hit = next(
                    (
                        other
                        for other, _ in self._boxes
                        if other.intersects(box.adjusted(-2, -2, 2, 2))
                    ),
                    None,
                )
                if hit is None:
                    break
                box.moveTop(hit.bottom() + 4)
            painter.setPen(QPen(ink, 1))
            painter.drawLine(QPointF(*middle), box.center())
            painter.setBrush(ink)
            for end in (p, q):
                painter.drawEllipse(QPointF(*end), 2.2, 2.2)
            painter.setBrush(QColor(t.surface))
            painter.drawRoundedRect(box, 4, 4)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, figure.text)
            self._boxes.append((box, figure))
