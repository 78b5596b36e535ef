"""The map of deviations: faces that come out too far are plum, those that stay behind are ochre,
those as wanted plain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QLinearGradient, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from ...core.quantity import plain
from ..theme import mono, theme
from .drawn_mesh import Colour, colour

#: The least that the scale spans to both sides, mm.
_LEAST = 0.02


def largest(off: Mapping[str, Sequence[float | None]]) -> float:
    """What the scale spans to both sides: the largest deviation, in a round number."""
    most = max((abs(v) for values in off.values() for v in values if v is not None), default=0.0)
    return next((s for s in (_LEAST, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0) if most <= s), most)


def off_colour(value: float, most: float, body: Colour) -> Colour:
    """The colour of a deviation."""
    share = min(1.0, abs(value) / most)
    end = colour(theme().madder if value > 0 else theme().slate)
    red, green, blue = (
        (p := 0.55 * b + 0.45) + (e - p) * share for b, e in zip(body, end, strict=True)
    )
    return red, green, blue


class OffLegend(QWidget):
    """The scale with its ends in mm; beside the view and never over the part."""

    def __init__(self) -> None:
        super().__init__()
        self._most = 0.0
        self.setFixedHeight(24)
        self.hide()

    def show_off(self, off: Mapping[str, Sequence[float | None]]) -> None:
        """The scale of a map; nothing without one."""
        self.setVisible(bool(off))
        self._most = largest(off)
        self.setAccessibleName(" … ".join(self._ends()))
        self.update()

    def _ends(self) -> tuple[str, str, str]:
        most = plain(self._most, 3)
        return f"−{most} mm: too little", "as wanted", f"+{most} mm: too much"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(mono(11))
        metrics = QFontMetricsF(painter.font())
        t, (low, middle, high) = theme(), self._ends()
        left = metrics.horizontalAdvance(low) + 16
        right = self.width() - metrics.horizontalAdvance(high) - 16
        box = QRectF(left, 3, max(40.0, right - left), 7)
        fade = QLinearGradient(box.topLeft(), box.topRight())
        for at in (0.0, 0.5, 1.0):
            tint = off_colour(self._most * (2 * at - 1), self._most, colour(t.plum))
            fade.setColorAt(at, QColor.fromRgbF(*tint))
        painter.setPen(QPen(QColor(t.rule), 1))
        painter.setBrush(fade)
        painter.drawRect(box)
        painter.setPen(QColor(t.ink))
        mid = int(Qt.AlignmentFlag.AlignVCenter)
        painter.drawText(QRectF(8, 0, left, 14), mid, low)
        painter.drawText(QRectF(right + 8, 0, self.width() - right, 14), mid, high)
        under = QRectF(box.left(), 11, box.width(), 13)
        painter.drawText(under, int(Qt.AlignmentFlag.AlignCenter), middle)
