"""What many makes of a size came out as: a dot for each, machine by machine, about the size that
was wanted."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...core.publish.hearing import Make, SizeHeard
from ...core.quantity import plain
from ..theme import theme
from .basics import on_hover

#: Room at the left for a machine's name, below for the scale, and the height of a row, pixels.
_LEFT, _BELOW, _ROW = 190, 20, 18
#: So many machines have a row of their own; those with the largest deviations.
_MOST = 12


class HeardPlot(QWidget):
    """``span`` is how far the scale goes either way, mm: one for all sizes of a page."""

    def __init__(self, size: SizeHeard, span: float) -> None:
        super().__init__()
        self.size_, self.span_ = size, max(span, 0.05)
        rows: dict[str, list[Make]] = {}
        for make in size.makes:
            rows.setdefault(make.machine, []).append(make)
        far = sorted(rows, key=lambda name: -max(abs(make.off) for make in rows[name]))
        self.rows = {name: rows[name] for name in rows if name in far[:_MOST]}
        beside = len(rows) - len(self.rows)
        self.more = f"{beside} more, all nearer" if beside else ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName(f"{size.label} by machine: {size.says}")

    def sizeHint(self) -> QSize:
        return QSize(460, _ROW * len(self.rows) + _BELOW + 6)

    def _x(self, off: float) -> float:
        wide = self.width() - _LEFT - 16
        return _LEFT + wide * (0.5 + off / self.span_ / 2)

    def _places(self) -> list[tuple[QPointF, Make]]:
        return [
            (QPointF(self._x(make.off), 4 + _ROW * (row + 0.5)), make)
            for row, makes in enumerate(self.rows.values())
            for make in makes
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, t = QPainter(self), theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bottom = 4 + _ROW * len(self.rows)
        if not math.isnan(self.size_.mean):
            band = QColor(t.ochre if self.size_.by else t.sage)
            band.setAlpha(50)
            left, right = (
                self._x(self.size_.mean + way * self.size_.around) for way in (-1.0, 1.0)
            )
            # Beyond the scale it ends at its ends: it is not known better there.
            left, right = max(left, self._x(-self.span_)), min(right, self._x(self.span_))
            painter.fillRect(QRectF(left, 4, max(right - left, 1.5), bottom - 4), band)
        painter.setPen(QPen(QColor(t.rule), 1))
        painter.drawLine(QPointF(self._x(0), 0), QPointF(self._x(0), bottom))
        painter.setFont(self.font())
        for row, name in enumerate(self.rows):
            place = QRectF(0, 4 + _ROW * row, _LEFT - 12, _ROW)
            painter.setPen(QColor(t.quiet))
            shown = painter.fontMetrics().elidedText(
                name, Qt.TextElideMode.ElideRight, int(place.width())
            )
            painter.drawText(place, int(Qt.AlignmentFlag.AlignVCenter), shown)
        painter.setPen(QColor(t.quiet))
        place = QRectF(0, bottom + 2, _LEFT - 12, _BELOW - 2)
        painter.drawText(place, int(Qt.AlignmentFlag.AlignVCenter), self.more)
        for at, make in self._places():
            ink = QColor(t.madder if make.as_meant is False else t.ink)
            painter.setPen(QPen(ink, 1.5))
            painter.setBrush(QColor(t.surface) if make.as_meant is False else ink)
            painter.drawEllipse(at, 3.6, 3.6)
        painter.setPen(QColor(t.quiet))
        for off in (-self.span_, -self.span_ / 2, 0.0, self.span_ / 2, self.span_):
            words = "as wanted" if off == 0 else f"{'+' if off > 0 else '−'}{plain(abs(off), 2)} mm"
            wide = 80.0
            x = min(self._x(off) - wide / 2, self.width() - wide)
            painter.drawText(
                QRectF(x, bottom + 2, wide, _BELOW - 2), int(Qt.AlignmentFlag.AlignHCenter), words
            )

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        near = [
            make for at, make in self._places() if (at - event.position()).manhattanLength() < 9
        ]
        on_hover(self, "\n".join(_told(make) for make in near))
        super().mouseMoveEvent(event)


def _told(make: Make) -> str:
    way = "+" if make.off >= 0 else "−"
    meant = {True: ", as it is meant", False: ", not as it is meant", None: ""}[make.as_meant]
    return f"{make.machine}: {way}{plain(abs(make.off), 3)} mm{meant}"
