"""Sheets with the parts that lie on them, to look at and to move by hand."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QTransform,
)
from PySide6.QtWidgets import QWidget

from ..worker import talk
from .theme import mono, theme

#: Room between sheets and around them, pixels.
_ROOM = 18
Put = tuple[int, int, float, float, float, bool]


class LayoutDrawing(QWidget):
    """Draws the sheets of one stock below each other.

    ``moved`` names a part that was dragged to another place by hand, or turned: part, sheet, x, y,
    turn. ``freed`` one that was put by hand and need not be any more.
    """

    moved = Signal(int, int, float, float, float)
    freed = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.stock: talk.LaidStock | None = None
        self.chosen = -1
        self._drag: tuple[QPointF, Put] | None = None
        self._by = QPointF()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(360, 240)
        self.setAccessibleName(
            "sheets with parts. Drag a part to put it by hand, R turns it, Delete frees it."
        )

    def sizeHint(self) -> QSize:
        return QSize(620, 420)

    def show_stock(self, stock: talk.LaidStock | None) -> None:
        self.stock = stock
        self._drag = None
        if stock is None or self.chosen >= len(stock["items"]):
            self.chosen = -1
        self.update()

    # Where things are on the screen

    def _frames(self) -> list[tuple[float, QRectF]]:
        """For each sheet the pixels to a millimetre, and where it lies."""
        if self.stock is None:
            return []
        long, wide, *_ = self.stock["sheet"]
        count = max(1, self.stock["sheets"])
        # As many beside each other as make them largest.
        best = (0.0, 1)
        for columns in range(1, count + 1):
            rows = math.ceil(count / columns)
            scale = min(
                (self.width() - _ROOM * (columns + 1)) / (long * columns),
                (self.height() - _ROOM * (rows + 1)) / (wide * rows),
            )
            best = max(best, (scale, columns))
        scale, columns = max(best[0], 1e-3), best[1]
        frames = []
        for k in range(count):
            x = _ROOM + (k % columns) * (long * scale + _ROOM)
            y = _ROOM + (k // columns) * (wide * scale + _ROOM)
            frames.append((scale, QRectF(x, y, long * scale, wide * scale)))
        return frames

    def _path(self, put: Put) -> QPainterPath:
        """A part on the screen."""
        assert self.stock is not None
        item, number, x, y, turn, _ = put
        scale, frame = self._frames()[number]
        path = QPainterPath()
        for ring in self.stock["items"][item]["rings"]:
            path.moveTo(*ring[0])
            for spot in ring[1:]:
                path.lineTo(*spot)
            path.closeSubpath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        to = QTransform()
        to.translate(frame.left(), frame.bottom())
        to.scale(scale, -scale)
        to.translate(x, y)
        to.rotate(turn)
        return to.map(path)

    def _at(self, spot: QPointF) -> Put | None:
        if self.stock is None:
            return None
        under = (put for put in self.stock["puts"] if self._path(put).contains(spot))
        return next(under, None)

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.view))
        if self.stock is None:
            painter.setPen(QColor(t.quiet))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "The parts are being laid …"
            )
            return
        for scale, frame in self._frames():
            painter.setPen(QPen(QColor(t.rule), 1.2))
            painter.setBrush(QColor(t.surface))
            painter.drawRect(frame)
            margin = self.stock["sheet"][3] * scale
            painter.setPen(QPen(QColor(t.rule), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(frame.adjusted(margin, margin, -margin, -margin))
        font = mono(11)
        painter.setFont(font)
        for put in self.stock["puts"]:
            path = self._path(put)
            mine = self._drag is not None and self._drag[1][0] == put[0]
            if mine:
                path.translate(self._by)
            chosen = put[0] == self.chosen
            fill = QColor(t.kraft)
            fill.setAlpha(150 if mine else 215)
            painter.setBrush(fill)
            painter.setPen(QPen(QColor(t.madder if chosen else t.ink), 2.0 if chosen else 1.1))
            painter.drawPath(path)
            box = path.boundingRect()
            title = self.stock["items"][put[0]]["title"] + (" (by hand)" if put[5] else "")
            metrics = painter.fontMetrics()
            said = metrics.elidedText(
                title, Qt.TextElideMode.ElideRight, int(max(box.width(), box.height()) - 8)
            )
            painter.setPen(QColor("#1F2A37"))
            painter.save()
            painter.translate(box.center())
            if box.height() > box.width() * 1.4 and metrics.horizontalAdvance(said) > box.width():
                painter.rotate(-90)
            wide = metrics.horizontalAdvance(said)
            painter.drawText(QPointF(-wide / 2, metrics.ascent() / 2 - 1), said)
            painter.restore()

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        put = self._at(event.position())
        self.chosen = put[0] if put is not None else -1
        self._drag = (event.position(), put) if put is not None else None
        self._by = QPointF()
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._by = event.position() - self._drag[0]
        else:
            over = self._at(event.position()) is not None
            shape = Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor
            self.setCursor(shape)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drag is None:
            return
        _, put = self._drag
        self._drag = None
        if (abs(self._by.x()) + abs(self._by.y())) > 3:
            frames = self._frames()
            scale, was = frames[put[1]]
            spot = event.position()
            there = next((k for k, (_, f) in enumerate(frames) if f.contains(spot)), put[1])
            frame = frames[there][1]
            dx = self._by.x() + was.left() - frame.left()
            dy = frame.bottom() - was.bottom() - self._by.y()
            self.moved.emit(put[0], there, put[2] + dx / scale, put[3] + dy / scale, put[4])
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        put = self._chosen_put()
        if put is None:
            super().keyPressEvent(event)
            return
        step = 10.0 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
        ways: dict[int, tuple[float, float]] = {
            Qt.Key.Key_Left: (-step, 0), Qt.Key.Key_Right: (step, 0), Qt.Key.Key_Up: (0, step),
            Qt.Key.Key_Down: (0, -step),
        }  # fmt: skip
        if event.key() in ways:
            dx, dy = ways[event.key()]
            self.moved.emit(put[0], put[1], put[2] + dx, put[3] + dy, put[4])
        elif event.key() == Qt.Key.Key_R:
            self.moved.emit(put[0], put[1], *self._turned(put))
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.freed.emit(put[0])
        else:
            super().keyPressEvent(event)

    def _turned(self, put: Put) -> tuple[float, float, float]:
        """A quarter turn about the middle of where it lies."""
        assert self.stock is not None
        by = 180.0 if self.stock["keeps_grain"] else 90.0
        ring = self.stock["items"][put[0]]["rings"][0]

        def middle(turn: float) -> tuple[float, float]:
            c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
            spots = [(c * x - s * y, s * x + c * y) for x, y in ring]
            xs, ys = [x for x, _ in spots], [y for _, y in spots]
            return (min(xs) + max(xs)) / 2, (min(ys) + max(ys)) / 2

        (ax, ay), (bx, by_) = middle(put[4]), middle(put[4] + by)
        return put[2] + ax - bx, put[3] + ay - by_, (put[4] + by) % 360

    def _chosen_put(self) -> Put | None:
        puts: list[Any] = self.stock["puts"] if self.stock is not None else []
        return next((put for put in puts if put[0] == self.chosen), None)
