"""Plot of a calibration: what pieces gained over their size, the model through it with its band,
and what is left over."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...core.process.calibrate import Calibration
from ...core.process.known import FeatureKind
from ...core.quantity import plain
from ..theme import mono, theme

_NAMES: dict[FeatureKind, str] = {
    "hole": "holes", "opening": "openings", "peg": "pegs", "length": "lengths", "height": "heights",
    "diagonal": "corners, without the cutter", "first layer": "first layer",
}  # fmt: skip

#: From one line of writing to the next, pixels.
_LINE = 13.0


class FitPlot(QWidget):
    """Above: measured less drawn, by size; every kind of feature in its own ink, named at its line.
    Below: residuals."""

    def __init__(self) -> None:
        super().__init__()
        self.found: Calibration | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(300, 150)
        self.setAccessibleName("plot of the readings")

    def sizeHint(self) -> QSize:
        return QSize(420, 320)

    def show_fit(self, fit: Calibration | None) -> None:
        self.found = fit
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        painter.setFont(mono(11))
        fit = self.found
        if fit is None or not fit.readings:
            painter.setPen(QColor(t.quiet))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "the plot comes with the readings"
            )
            return
        inks = {
            "hole": t.slate_text,
            "opening": t.plum_text,
            "peg": t.madder,
            "length": t.ink,
            "height": t.ochre_text,
            "diagonal": t.sage_text,
            "first layer": t.sage_text,
        }
        sizes = np.array([r.drawn for r in fit.readings])
        gained = np.array([r.measured for r in fit.readings]) - fit.base
        low, high = float(sizes.min()), float(sizes.max())
        first, last = np.log(low / 1.15), np.log(high * 1.15)
        top = QRectF(58, 12, self.width() - 76, (self.height() - 74) * 0.68)
        under = QRectF(58, top.bottom() + 26, top.width(), (self.height() - 74) * 0.32)
        bands = {}
        kinds = [k for k in _NAMES if any(r.feature == k for r in fit.readings)]
        for kind in kinds:
            own = sizes[[r.feature == kind for r in fit.readings]]
            at = np.exp(np.linspace(np.log(own.min() / 1.06), np.log(own.max() * 1.06), 60))
            middle, mean, piece = fit.expects(kind, at)
            bands[kind] = (
                at,
                middle - at + _corner(fit, kind),
                fit.factor * mean,
                fit.factor * piece,
            )
        edges = [m + way * p for _, m, _, p in bands.values() for way in (1, -1)]
        span = np.concatenate([gained, *edges])
        y0, y1 = _padded(float(span.min()), float(span.max()))

        def x_of(size: float) -> float:
            return top.left() + float((np.log(size) - first) / (last - first)) * top.width()

        def y_of(value: float) -> float:
            return top.bottom() - (value - y0) / (y1 - y0) * top.height()

        written: list[tuple[float, float, float, str, QColor]] = []
        self._axes(painter, top, under, (low, high), (y0, y1), x_of, y_of)
        for kind in kinds:
            at, middle, mean, piece = bands[kind]
            ink = QColor(inks[kind])
            for spread, strong in ((piece, 16), (mean, 38)):
                area = QPainterPath(QPointF(x_of(at[0]), y_of(middle[0] + spread[0])))
                for s, m, e in zip(at[1:], middle[1:], spread[1:], strict=True):
                    area.lineTo(x_of(s), y_of(m + e))
                for s, m, e in zip(at[::-1], middle[::-1], spread[::-1], strict=True):
                    area.lineTo(x_of(s), y_of(m - e))
                faint = QColor(ink)
                faint.setAlpha(strong)
                painter.fillPath(area, faint)
            line = QPainterPath(QPointF(x_of(at[0]), y_of(middle[0])))
            for s, m in zip(at[1:], middle[1:], strict=True):
                line.lineTo(x_of(s), y_of(m))
            painter.setPen(QPen(ink, 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(line)
            words = _NAMES[kind]
            wide = QFontMetricsF(painter.font()).horizontalAdvance(words)
            x = min(x_of(at[-1]) + 4, top.right() - wide)
            written.append((x, x + wide, y_of(middle[-1]) - 6, words, ink))
        noise = max(fit.noise.values())
        most = max(float(np.abs(fit.residuals).max()), 2 * noise, 1e-3)
        for reading, gain, rest in zip(fit.readings, gained, fit.residuals, strict=True):
            ink = QColor(inks[reading.feature])
            painter.setPen(QPen(ink, 1.1))
            far = abs(rest) > 4 * noise
            painter.setBrush(QColor(t.surface) if far else ink)
            painter.drawEllipse(
                QPointF(x_of(reading.drawn), y_of(gain)), 4 if far else 2.4, 4 if far else 2.4
            )
            y = under.center().y() - rest / most * under.height() / 2
            painter.drawEllipse(QPointF(x_of(reading.drawn), y), 2, 2)
        for box, title in ((top, "measured less drawn, mm"), (under, "left over")):
            wide = QFontMetricsF(painter.font()).horizontalAdvance(title)
            x = box.left() + 6
            written.append((x, x + wide, box.top() + 13, title, QColor(t.quiet)))
        _write_apart(painter, written)  # last, so that no reading lies on a name

    def _axes(
        self,
        painter: QPainter,
        top: QRectF,
        under: QRectF,
        sizes: tuple[float, float],
        gains: tuple[float, float],
        x_of: Callable[[float], float],
        y_of: Callable[[float], float],
    ) -> None:
        t = theme()
        fit = self.found
        assert fit is not None
        for box in (top, under):
            painter.fillRect(box, QColor(t.surface))
            painter.setPen(QPen(QColor(t.rule), 1))
            painter.drawRect(box)
        step = _step(gains[1] - gains[0], 5)
        value = np.ceil(gains[0] / step) * step
        while value <= gains[1]:
            painter.setPen(QPen(QColor(t.rule), 1))
            painter.drawLine(QPointF(top.left(), y_of(value)), QPointF(top.right(), y_of(value)))
            painter.setPen(QColor(t.quiet))
            text = plain(round(float(value), 6) + 0.0, 3).replace("-", "−")
            painter.drawText(
                QRectF(0, y_of(value) - 8, 52, 16),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                text,
            )
            value += step
        for size in (1, 2, 3, 5, 10, 20, 30, 50, 100, 200, 500):
            if sizes[0] / 1.1 <= size <= sizes[1] * 1.1:
                painter.setPen(QColor(t.quiet))
                painter.drawText(
                    QRectF(x_of(size) - 24, under.bottom() + 3, 48, 16),
                    Qt.AlignmentFlag.AlignCenter,
                    f"{size}",
                )
        painter.setPen(QColor(t.quiet))
        painter.drawText(
            QRectF(under.left(), under.bottom() + 18, under.width(), 16),
            Qt.AlignmentFlag.AlignCenter,
            "size in the file, mm",
        )
        painter.setPen(QPen(QColor(t.rule), 1))
        painter.drawLine(
            QPointF(under.left(), under.center().y()), QPointF(under.right(), under.center().y())
        )


def _write_apart(painter: QPainter, written: list[tuple[float, float, float, str, QColor]]) -> None:
    """Names of lines (from x, to x, y, words, ink), each below the last that it would lie on."""
    placed: list[tuple[float, float, float]] = []
    for left, right, at, words, ink in sorted(written, key=lambda one: one[2]):
        y = at
        for start, end, other in placed:
            if left < end and right > start and abs(y - other) < _LINE:
                y = other + _LINE
        placed.append((left, right, y))
        pale = QColor(theme().surface)
        pale.setAlpha(205)
        painter.fillRect(QRectF(left - 2, y - _LINE + 4, right - left + 4, _LINE), pale)
        painter.setPen(ink)
        painter.drawText(QPointF(left, y), words)


def _corner(fit: Calibration, kind: str) -> float:
    """What the cutter's true radius takes off a way from corner to corner beside the one that it is
    called by, mm: that is in what would come out of a machine without habits."""
    return (float(np.sqrt(2)) - 1) * fit.cutter if kind == "diagonal" else 0.0


def _padded(low: float, high: float) -> tuple[float, float]:
    room = max(0.02, (high - low) * 0.12)
    return min(low - room, 0.0), max(high + room, 0.0)


def _step(span: float, count: int) -> float:
    raw = span / count
    base = 10 ** np.floor(np.log10(raw))
    return float(next(m * base for m in (1, 2, 5, 10) if m * base >= raw))


__all__ = ["FitPlot"]
