"""The map of deviations: faces that come out too far are plum, those that stay behind are ochre,
those as wanted plain."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPen

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


def draw_legend(painter: QPainter, off: Mapping[str, Sequence[float | None]], height: int) -> None:
    """The scale with its ends in mm, at the left foot of the view."""
    t, most = theme(), largest(off)
    box = QRectF(16, height - 218, 14, 132)
    fade = QLinearGradient(box.topLeft(), box.bottomLeft())
    body = colour(t.plum)
    for at in (0.0, 0.5, 1.0):
        fade.setColorAt(at, QColor.fromRgbF(*off_colour(most * (1 - 2 * at), most, body)))
    behind = QColor(t.view)
    behind.setAlpha(225)
    painter.fillRect(box.adjusted(-8, -14, 168, 14), behind)
    painter.setPen(QPen(QColor(t.rule), 1))
    painter.setBrush(fade)
    painter.drawRect(box)
    painter.setPen(QColor(t.ink))
    painter.setFont(mono(11))
    for at, words in (
        (0.0, f"+{plain(most, 3)} mm: too much"),
        (0.5, "as wanted"),
        (1.0, f"−{plain(most, 3)} mm: too little"),
    ):
        y = box.top() + at * box.height()
        painter.drawText(
            QRectF(box.right() + 7, y - 9, 190, 18),
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            words,
        )
