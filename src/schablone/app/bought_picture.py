"""A bought part drawn from above and from the front, with its holes, ports and anchors."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from ..core.bought import BoughtPart, Resolved, resolved
from ..core.quantity import plain
from ..core.words import say_name
from .theme import mono, theme

#: Room around the drawing and between its two views, pixels.
_ROOM, _BETWEEN = 26.0, 30.0


class BoughtPicture(QWidget):
    """Shows the last part that made sense."""

    def __init__(self) -> None:
        super().__init__()
        self.known: Resolved | None = None
        self.setMinimumSize(320, 260)
        self.setAccessibleName("the bought part from above and from the front")

    def sizeHint(self) -> QSize:
        return QSize(380, 290)

    def show_part(self, part: BoughtPart) -> None:
        self.known = resolved(part)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.view))
        if self.known is None:
            return
        long, wide, high = self.known.box
        scale = min(
            (self.width() - 2 * _ROOM) / long,
            (self.height() - 2 * _ROOM - _BETWEEN) / (wide + high),
        )
        middle = self.width() / 2
        above = QPointF(middle, _ROOM + wide * scale / 2)
        front = QPointF(middle, self.height() - _ROOM)
        painter.setFont(mono(11))
        self._from_above(painter, above, scale)
        self._from_front(painter, front, scale)

    def _from_above(self, painter: QPainter, at: QPointF, scale: float) -> None:
        known, t = self.known, theme()
        assert known is not None

        def spot(x: float, y: float) -> QPointF:
            return QPointF(at.x() + x * scale, at.y() - y * scale)

        path = QPainterPath()
        for loop in known.footprint.loops:
            path.addPolygon(QPolygonF([spot(x, y) for x, y in loop.points(0.05).tolist()]))
            path.closeSubpath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        painter.setPen(QPen(QColor(t.ink), 1.3))
        painter.setBrush(QColor("#B4BBC0"))
        painter.drawPath(path)
        painter.setBrush(QColor(t.view))
        for hole in known.holes:
            r = hole.diameter / 2 * scale
            painter.drawEllipse(spot(*hole.at), r, r)
        for port in known.ports:
            x, y, _ = port.frame.origin
            n = port.frame.normal
            painter.setPen(QPen(QColor(t.madder), 2))
            if abs(n[2]) > 0.5:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                r = port.width / 2 * scale
                if port.is_round:
                    painter.drawEllipse(spot(x, y), r, r)
                else:
                    h = port.height / 2 * scale
                    c = spot(x, y)
                    painter.drawRect(QRectF(c.x() - r, c.y() - h, 2 * r, 2 * h))
                continue
            along = (port.frame.x[0] * port.width / 2, port.frame.x[1] * port.width / 2)
            painter.drawLine(spot(x - along[0], y - along[1]), spot(x + along[0], y + along[1]))
            tip = spot(x + n[0] * 10 / scale, y + n[1] * 10 / scale)
            painter.drawLine(spot(x, y), tip)
        painter.setPen(QPen(QColor(theme().slate_text), 1.4))
        for anchor in known.anchors.values():
            c = spot(anchor.at[0], anchor.at[1])
            painter.drawLine(c - QPointF(4, 0), c + QPointF(4, 0))
            painter.drawLine(c - QPointF(0, 4), c + QPointF(0, 4))
        long, wide, _ = known.box
        painter.setPen(QColor(t.quiet))
        self._said(painter, f"{plain(long, 2)} mm", QPointF(at.x(), at.y() - wide * scale / 2 - 8))
        side = QPointF(at.x() + long * scale / 2 + 8, at.y())
        self._upright(painter, f"{plain(wide, 2)} mm", side)

    def _from_front(self, painter: QPainter, at: QPointF, scale: float) -> None:
        known, t = self.known, theme()
        assert known is not None
        long, _, high = known.box
        box = QRectF(at.x() - long * scale / 2, at.y() - high * scale, long * scale, high * scale)
        painter.setPen(QPen(QColor(t.ink), 1.3))
        painter.setBrush(QColor("#B4BBC0"))
        painter.drawRect(box)
        painter.setPen(QPen(QColor(t.madder), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for port in known.ports:
            if port.frame.normal[1] > -0.5:
                continue
            x, _, z = port.frame.origin
            w, h = port.width * scale, port.height * scale
            c = QPointF(at.x() + x * scale, at.y() - z * scale)
            shape = QRectF(c.x() - w / 2, c.y() - h / 2, w, h)
            painter.drawEllipse(shape) if port.is_round else painter.drawRect(shape)
        painter.setPen(QColor(t.quiet))
        self._upright(painter, f"{plain(high, 2)} mm", QPointF(box.right() + 8, box.center().y()))
        names = ", ".join(say_name(port.name) for port in known.ports)
        said = f"front · ports: {names}" if names else "front"
        self._said(painter, said, QPointF(at.x(), at.y() + 16))

    @staticmethod
    def _said(painter: QPainter, text: str, at: QPointF) -> None:
        wide = painter.fontMetrics().horizontalAdvance(text)
        painter.drawText(QPointF(at.x() - wide / 2, at.y()), text)

    @staticmethod
    def _upright(painter: QPainter, text: str, at: QPointF) -> None:
        painter.save()
        painter.translate(at)
        painter.rotate(math.degrees(math.pi / 2))
        wide = painter.fontMetrics().horizontalAdvance(text)
        painter.drawText(QPointF(-wide / 2, 0), text)
        painter.restore()
