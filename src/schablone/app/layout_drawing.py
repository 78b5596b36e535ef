"""Sheets with the parts that lie on them, to look at and to move by hand."""

from __future__ import annotations

import math
from typing import Any

from PySide6.QtCore import QPointF, QRectF, QSize, QSizeF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QTransform,
)
from PySide6.QtWidgets import QFrame, QScrollArea, QWidget

from ..worker import talk
from .theme import mono, theme

#: Room between sheets and around them, and what is said of a sheet above it, pixels.
_ROOM, _CAPTION = 18, 15
#: No sheet is drawn smaller: where there are many one scrolls, by a bar that is so wide.
_LEAST, _BAR = 150, 14
Put = tuple[int, int, float, float, float, bool]


class LayoutDrawing(QWidget):
    """Draws the sheets of one stock below each other, those that are alike once.

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
        self._waiting: talk.LaidStock | None = None
        self._by = QPointF()
        #: Where sheets and parts lie on the screen, kept until either changes.
        self._seen: _Seen | None = None
        self._room = QSize()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName(
            "sheets with parts. Drag a part to put it by hand, R turns it, Delete frees it."
        )

    def show_stock(self, stock: talk.LaidStock | None) -> None:
        """Show a layout; what comes while a part is in hand waits until it is put down."""
        same = (
            stock is not None and self.stock is not None and stock["items"] == self.stock["items"]
        )
        if self._drag is not None and same:
            self._waiting = stock
            return
        self.stock, self._waiting = stock, None
        self._drag = None
        if stock is None or self.chosen >= len(stock["items"]):
            self.chosen = -1
        self.fit()

    def fit(self, room: QSize | None = None) -> None:
        """Be as high as all sheets need in so much room, or in that which there was."""
        self._room = room or self._room
        self._seen = _Seen(self.stock, QSizeF(self._room)) if self.stock is not None else None
        self.setMinimumHeight(math.ceil(self._seen.height - 1e-6) if self._seen is not None else 0)
        self.update()

    def _at(self, spot: QPointF) -> Put | None:
        seen = self._seen.paths if self._seen is not None else {}
        return next((put for put, path in seen.items() if path.contains(spot)), None)

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(event.rect(), QColor(t.view))
        if self.stock is None or self._seen is None:
            painter.setPen(QColor(t.quiet))
            painter.drawText(
                self.rect(), Qt.AlignmentFlag.AlignCenter, "The parts are being laid …"
            )
            return
        painter.setFont(mono(11))
        near = QRectF(event.rect())
        for frame, said in zip(self._seen.frames.values(), self._seen.said, strict=True):
            if not frame.adjusted(0, -_CAPTION, 0, 0).intersects(near):
                continue
            painter.setPen(QPen(QColor(t.rule), 1.2))
            painter.setBrush(QColor(t.surface))
            painter.drawRect(frame)
            margin = self.stock["sheet"][3] * self._seen.scale
            painter.setPen(QPen(QColor(t.rule), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(frame.adjusted(margin, margin, -margin, -margin))
            painter.setPen(QColor(t.quiet))
            painter.drawText(frame.topLeft() - QPointF(0, 5), said)
        for put, path in self._seen.paths.items():
            if path.boundingRect().intersects(near):
                self._draw_part(painter, put, path)

    def _draw_part(self, painter: QPainter, put: Put, path: QPainterPath) -> None:
        assert self.stock is not None
        t = theme()
        mine = self._drag is not None and self._drag[1][0] == put[0]
        if mine:
            path = path.translated(self._by)
        chosen = put[0] == self.chosen
        fill = QColor(t.kraft)
        fill.setAlpha(150 if mine else 215)
        painter.setBrush(fill)
        painter.setPen(QPen(QColor(t.madder if chosen else t.ink), 2.0 if chosen else 1.1))
        painter.drawPath(path)
        box = path.boundingRect()
        title = self.stock["items"][put[0]][0] + (" (by hand)" if put[5] else "")
        metrics = painter.fontMetrics()
        if max(box.width(), box.height()) < 4 * metrics.averageCharWidth():
            return
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
        waiting, self._waiting = self._waiting, None
        if (abs(self._by.x()) + abs(self._by.y())) > 3:
            assert self._seen is not None
            frames, spot = self._seen.frames, event.position()
            there = next((k for k, frame in frames.items() if frame.contains(spot)), put[1])
            dx = self._by.x() + frames[put[1]].left() - frames[there].left()
            dy = frames[there].bottom() - frames[put[1]].bottom() - self._by.y()
            scale = self._seen.scale
            self.moved.emit(put[0], there, put[2] + dx / scale, put[3] + dy / scale, put[4])
        elif waiting is not None:
            self.show_stock(waiting)
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
        ring = self.stock["outlines"][self.stock["items"][put[0]][1]][0]

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


class SheetsAround(QScrollArea):
    """What the sheets lie in: it scrolls where there are many."""

    def __init__(self, drawing: LayoutDrawing) -> None:
        super().__init__()
        self.setMinimumSize(360, 240)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._drawing = drawing
        self.setWidget(drawing)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        # Not what a scroll bar leaves: that comes and goes with how high the sheets are.
        self._drawing.fit(self.maximumViewportSize())


class _Seen:
    """Where the sheets and parts of a stock lie on a screen with so much room."""

    def __init__(self, stock: talk.LaidStock, room: QSizeF) -> None:
        alike = stock["alike"] or [[0]]
        what = "sheet" if stock["flat"] else "bed"
        self.said = [_numbers(what, numbers) if stock["sheets"] > 1 else "" for numbers in alike]
        long, wide, *_ = stock["sheet"]
        words = max(map(QFontMetricsF(mono(11)).horizontalAdvance, self.said))
        columns, self.scale = _columns(len(alike), (long, wide), room, words)
        across = max(long * self.scale, words) + _ROOM
        up = wide * self.scale + _ROOM + _CAPTION
        #: The first of the sheets that are alike, and its place.
        self.frames = {
            numbers[0]: QRectF(
                _ROOM + (k % columns) * across,
                _ROOM + _CAPTION + (k // columns) * up,
                long * self.scale,
                wide * self.scale,
            )
            for k, numbers in enumerate(alike)
        }
        self.height = _ROOM + math.ceil(len(alike) / columns) * up
        outlines = [_path(rings) for rings in stock["outlines"]]
        #: The parts that are seen.
        self.paths = {
            put: self._mapped(put, outlines[stock["items"][put[0]][1]])
            for put in stock["puts"]
            if put[1] in self.frames
        }

    def _mapped(self, put: Put, path: QPainterPath) -> QPainterPath:
        _, number, x, y, turn, _ = put
        frame = self.frames[number]
        to = QTransform()
        to.translate(frame.left(), frame.bottom())
        to.scale(self.scale, -self.scale)
        to.translate(x, y)
        to.rotate(turn)
        return to.map(path)


def _columns(
    count: int, sheet: tuple[float, float], room: QSizeF, words: float
) -> tuple[int, float]:
    """How many sheets lie beside each other, and the pixels to a millimetre: as large as all of
    them can be; but no smaller than what can still be seen, and each as far from the next as its
    words need."""
    long, wide = sheet
    best = (0.0, 1)
    most = max(1, int((room.width() - _ROOM) / (words + _ROOM)))
    for columns in range(1, min(count, most) + 1):
        rows = math.ceil(count / columns)
        scale = min(
            (room.width() - _ROOM * (columns + 1)) / (long * columns),
            (room.height() - _ROOM - (_ROOM + _CAPTION) * rows) / (wide * rows),
        )
        best = max(best, (scale, columns))
    scale, columns = best
    if scale * max(long, wide) < _LEAST:
        scale, across = _LEAST / max(long, wide), room.width() - _BAR
        columns = max(1, int((across - _ROOM) / (max(long * scale, words) + _ROOM)))
        fits = (across - _ROOM * (columns + 1)) / (long * columns)
        scale = max(1e-6, min(fits, 2 * scale))
    return columns, scale


def _numbers(what: str, sheets: list[int]) -> str:
    """``sheet 1``, ``sheets 2 to 40, all alike`` or ``sheet 2 and 3 more that are alike``."""
    first, last, count = sheets[0] + 1, sheets[-1] + 1, len(sheets)
    if count == 1:
        return f"{what} {first}"
    if last - first + 1 == count:
        return f"{what}s {first} to {last}, all alike"
    return f"{what} {first} and {count - 1} more that {'is' if count == 2 else 'are'} alike"


def _path(rings: talk.Rings) -> QPainterPath:
    path = QPainterPath()
    for ring in rings:
        path.moveTo(*ring[0])
        for spot in ring[1:]:
            path.lineTo(*spot)
        path.closeSubpath()
    path.setFillRule(Qt.FillRule.OddEvenFill)
    return path
