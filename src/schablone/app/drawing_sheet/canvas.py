"""A page of a drawing sheet as it will be printed, on which dimensions and views are moved by hand
or by keys."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QWidget

from ...worker import talk
from ..theme import theme
from .paint import paint_strokes, paint_words

#: By how much the arrow keys move what is chosen, mm; with Shift.
_NUDGE, _FINE_NUDGE = 2.0, 0.5
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Chosen:
    """What a hand has hold of: a dimension by its size, or a view by its name."""

    kind: str
    name: str


class SheetCanvas(QWidget):
    """Shows one page. ``moved`` tells by how much something was moved, mm; ``to_list`` that a
    dimension is to stand in the list, ``freed`` that it is to find its place by itself."""

    moved = Signal(object, float, float)
    to_list = Signal(str)
    freed = Signal(object)
    chosen_changed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(420, 300)
        self.page: talk.PageDrawn | None = None
        self.chosen: Chosen | None = None
        self._held: QPointF | None = None
        self._by = QPointF()
        self._say_what_is_seen()

    def show_page(self, page: talk.PageDrawn | None) -> None:
        """Show another page, or the same anew; what was chosen stays so where it is still there."""
        self.page = page
        if page is None or self.chosen not in self._all():
            self.choose(None)
        self._held, self._by = None, QPointF()
        self._say_what_is_seen()
        self.update()

    def choose(self, chosen: Chosen | None) -> None:
        """Take something in hand."""
        if chosen != self.chosen:
            self.chosen = chosen
            self.chosen_changed.emit(chosen)
            self._say_what_is_seen()
            self.update()

    def _say_what_is_seen(self) -> None:
        """For screen readers."""
        if self.page is None:
            self.setAccessibleName("drawing sheet, empty")
            return
        count = len(self.page["dimensions"])
        held = f", {self.chosen.name} chosen" if self.chosen else ""
        self.setAccessibleName(f"drawing sheet, scale {self.page['scale']}, {count} sizes{held}")

    def _all(self) -> list[Chosen]:
        if self.page is None:
            return []
        return [
            *(Chosen("dimension", one["size"]) for one in self.page["dimensions"]),
            *(Chosen("view", one["name"]) for one in self.page["views"]),
        ]

    # Paper to screen

    @property
    def _scale(self) -> float:
        """Pixels for a mm."""
        assert self.page is not None
        return min(
            (self.width() - 24) / self.page["wide"], (self.height() - 24) / self.page["high"]
        )

    def to_screen(self, x: float, y: float) -> QPointF:
        """A place on paper, mm from its lower left corner, in pixels."""
        assert self.page is not None
        k = self._scale
        left = (self.width() - self.page["wide"] * k) / 2
        top = (self.height() - self.page["high"] * k) / 2
        return QPointF(left + x * k, top + (self.page["high"] - y) * k)

    def box_of(self, chosen: Chosen) -> QRectF:
        """What the words of a dimension, or a view, cover, in pixels."""
        assert self.page is not None
        for one in self.page["dimensions"]:
            if chosen == Chosen("dimension", one["size"]):
                corners = [self.to_screen(*corner) for corner in one["words"]["corners"]]
                return QPolygonF(corners).boundingRect()
        for view in self.page["views"]:
            if chosen == Chosen("view", view["name"]):
                x0, y0, x1, y1 = view["box"]
                return QRectF(self.to_screen(x0, y1), self.to_screen(x1, y0))
        return QRectF()

    def at(self, spot: QPointF) -> Chosen | None:
        """What lies under a pixel: dimensions before views."""
        return next(
            (one for one in self._all() if self.box_of(one).adjusted(-2, -2, 2, 2).contains(spot)),
            None,
        )

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        if self.page is None:
            return
        t = theme()
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        corner = self.to_screen(0.0, self.page["high"])
        k = self._scale
        paper = QRectF(corner.x(), corner.y(), self.page["wide"] * k, self.page["high"] * k)
        # Paper is white in both themes: it is what comes out of the printer.
        painter.fillRect(paper, QColor("#FFFFFF"))
        painter.setPen(QPen(QColor(t.rule), 1))
        painter.drawRect(paper)
        ink = QColor("#1A1A1A")
        for view in self.page["views"]:
            painter.save()
            self._shift(painter, Chosen("view", view["name"]))
            paint_strokes(painter, self.to_screen, self._scale, view["strokes"], ink)
            if view["title"] is not None:
                paint_words(painter, self.to_screen, self._scale, view["title"], ink)
            painter.restore()
        paint_strokes(painter, self.to_screen, self._scale, self.page["strokes"], ink)
        for words in self.page["words"]:
            paint_words(painter, self.to_screen, self._scale, words, ink)
        for one in self.page["dimensions"]:
            mine = Chosen("dimension", one["size"])
            held = mine == self.chosen
            colour = QColor("#A63D2B") if held else ink
            painter.save()
            self._shift(painter, mine)
            paint_strokes(painter, self.to_screen, self._scale, one["strokes"], colour)
            paint_words(painter, self.to_screen, self._scale, one["words"], colour)
            painter.restore()
        if self.chosen is not None and self.chosen.kind == "view":
            painter.setPen(QPen(QColor("#A63D2B"), 1, Qt.PenStyle.DashLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.box_of(self.chosen).adjusted(-5, -5, 5, 5).translated(self._by))

    def _shift(self, painter: QPainter, mine: Chosen) -> None:
        if mine == self.chosen:  # until the page with it at its new place is there
            painter.translate(self._by)

    # Hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.page is None:
            return
        self.choose(self.at(event.position()))
        self._held = event.position() if self.chosen is not None else None
        self._by = QPointF()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._by = event.position() - self._held
            self.update()
        elif self.page is not None:
            over = self.at(event.position()) is not None
            self.setCursor(Qt.CursorShape.OpenHandCursor if over else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held is None or self.chosen is None or self.page is None:
            return
        by, self._held = self._by, None
        if by.manhattanLength() > 3:
            self.moved.emit(self.chosen, by.x() / self._scale, -by.y() / self._scale)
        else:
            self._by = QPointF()
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self._choose_next(1 if key == Qt.Key.Key_PageDown else -1)
        elif self.chosen is None:
            super().keyPressEvent(event)
        elif Qt.Key(key) in _ARROWS:
            x, y = _ARROWS[Qt.Key(key)]
            step = _FINE_NUDGE if fine else _NUDGE
            self.moved.emit(self.chosen, x * step, y * step)
        elif key == Qt.Key.Key_Delete and self.chosen.kind == "dimension":
            self.to_list.emit(self.chosen.name)
        elif key == Qt.Key.Key_Backspace:
            self.freed.emit(self.chosen)
        elif key == Qt.Key.Key_Escape:
            self.choose(None)
        else:
            super().keyPressEvent(event)

    def _choose_next(self, step: int) -> None:
        """The next or the last thing on the page."""
        mine = self._all()
        if not mine:
            return
        at = mine.index(self.chosen) if self.chosen in mine else -1 if step > 0 else 0
        self.choose(mine[(at + step) % len(mine)])
