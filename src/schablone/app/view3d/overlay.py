"""What lies over the picture of the part: sketches in thin ink, and what is asked at the
pointer."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen

from ..theme import theme
from .camera import Camera

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False, slots=True)
class ShownSketch:
    """A sketch in space: its lines (k, 3) and lone points (n, 3), mm; whether it is the chosen
    one."""

    name: str
    lines: tuple[Floats, ...]
    marks: Floats
    is_chosen: bool = False

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, ShownSketch)
            and (self.name, self.is_chosen) == (other.name, other.is_chosen)
            and len(self.lines) == len(other.lines)
            and all(np.array_equal(a, b) for a, b in zip(self.lines, other.lines, strict=True))
            and np.array_equal(self.marks, other.marks)
        )

    __hash__ = None  # type: ignore[assignment]


def draw_sketches(
    painter: QPainter, sketches: Sequence[ShownSketch], camera: Camera, width: int, height: int
) -> None:
    """Thin ink; the chosen one in slate, its points with it."""
    t = theme()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for sketch in sketches:
        ink = QColor(t.slate_text if sketch.is_chosen else t.ink)
        ink.setAlphaF(1.0 if sketch.is_chosen else 0.7)
        painter.setPen(QPen(ink, 1.6 if sketch.is_chosen else 1.1))
        for line in sketch.lines:
            seen = camera.project(line, width, height)
            painter.drawPolyline([QPointF(u, v) for u, v in seen.tolist()])
        if len(sketch.marks):
            for u, v in camera.project(sketch.marks, width, height).tolist():
                painter.drawLine(QPointF(u - 4, v), QPointF(u + 4, v))
                painter.drawLine(QPointF(u, v - 4), QPointF(u, v + 4))


def draw_at_pointer(painter: QPainter, words: str, pointer: QPointF, width: int) -> None:
    """What is to be picked, in a small box beside the pointer."""
    t = theme()
    font = QFont(painter.font())
    font.setPixelSize(12)
    metrics = QFontMetricsF(font)
    wide = metrics.horizontalAdvance(words) + 16
    left = min(pointer.x() + 16, width - wide - 4)
    box = QRectF(left, pointer.y() + 18, wide, 22)
    painter.setFont(font)
    painter.setPen(QPen(QColor(t.rule), 1))
    painter.setBrush(QColor(t.surface))
    painter.drawRoundedRect(box, 4, 4)
    painter.setPen(QColor(t.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def draw_axes(painter: QPainter, camera: Camera, height: int, said: str) -> None:
    """Which way x, y and z run, as three short ruled lines with letters, at the left foot; ``said``
    stands beside them."""
    t = theme()
    right, up, _ = camera.axes()
    origin = QPointF(34, height - 34)
    font = QFont(painter.font())
    font.setPixelSize(11)
    painter.setFont(font)
    painter.setPen(QPen(QColor(t.quiet), 1.2))
    for axis, letter in enumerate("xyz"):
        dx, dy = float(right[axis]) * 20, -float(up[axis]) * 20
        if dx * dx + dy * dy < 16:
            continue
        tip = origin + QPointF(dx, dy)
        painter.drawLine(origin, tip)
        painter.drawText(
            QRectF(tip.x() + dx * 0.35 - 8, tip.y() + dy * 0.35 - 8, 16, 16),
            Qt.AlignmentFlag.AlignCenter,
            letter,
        )
    painter.drawText(QRectF(64, height - 26, 200, 16), Qt.AlignmentFlag.AlignVCenter, said)


def draw_edge(painter: QPainter, edge: Floats, camera: Camera, width: int, height: int) -> None:
    """The edge that a click would pick, points (k, 3), mm."""
    points = [QPointF(u, v) for u, v in camera.project(edge, width, height).tolist()]
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(theme().madder), 3.2))
    painter.drawPolyline(points)
