"""The lens switch: Wanted, Sent, Expected."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...core.process import LENSES, Lens
from ..theme import theme
from ..widgets.basics import on_hover

_TIPS = {
    "wanted": "Wanted: as it must be in the hand",
    "sent": "Sent: what the machine is given",
    "expected": "Expected: what should come off the machine",
}


class LensSwitch(QWidget):
    """Three words on a band; the chosen one is filled with the tint of the part under that lens."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.lens: Lens = "wanted"
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.setMaximumWidth(self.sizeHint().width())
        self.setAccessibleName("Lens: wanted, sent or expected")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setMouseTracking(True)

    def sizeHint(self) -> QSize:
        return QSize(276, 32)

    def minimumSizeHint(self) -> QSize:
        return QSize(210, 32)

    def set_lens(self, lens: Lens) -> None:
        self.lens = lens
        self.setAccessibleDescription(_TIPS[lens])
        self.update()

    def _choose(self, index: int) -> None:
        lens = LENSES[max(0, min(2, index))]
        if lens != self.lens:
            self.set_lens(lens)
            self.chosen.emit(lens)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(int(event.position().x() * 3 / self.width()))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        on_hover(self, _TIPS[LENSES[max(0, min(2, int(event.position().x() * 3 / self.width())))]])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self._choose(LENSES.index(self.lens) + step)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        band = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.setPen(QPen(QColor(t.ink if self.hasFocus() else t.rule), 1))
        painter.setBrush(QColor(t.chip))
        painter.drawRoundedRect(band, 5, 5)
        wide = band.width() / 3
        for index, lens in enumerate(LENSES):
            cell = QRectF(band.left() + index * wide, band.top(), wide, band.height())
            font = QFont(self.font())
            font.setPixelSize(13)
            on = lens == self.lens
            if on:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(t.tint(lens)))
                painter.drawRoundedRect(cell.adjusted(2, 2, -2, -2), 4, 4)
                font.setWeight(QFont.Weight.DemiBold)
            dark_on_light = lens == "wanted" or t.dark
            painter.setPen(QColor(("#1F2A37" if dark_on_light else "#FFFFFF") if on else t.quiet))
            painter.setFont(font)
            painter.drawText(cell, Qt.AlignmentFlag.AlignCenter, lens.capitalize())
