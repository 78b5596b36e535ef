"""The picture of a blank: its outline, panels and bends, lit with what the pointer is on in the
part."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...worker.talk import BlankReport
from ..theme import mono, theme

_MARGIN = 18.0
#: Numbers of bends stand in discs of this radius, px.
_DISC = 8.5


class BlankDrawing(QWidget):
    """Paints a blank to fit. ``pointed`` names the faces of what the pointer is on."""

    pointed = Signal(frozenset)

    def __init__(self) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("blank")
        self.blank: BlankReport | None = None
        self.lit: frozenset[str] = frozenset()
        self._turn = False

    def sizeHint(self) -> QSize:
        return QSize(320, 240)

    def show_blank(self, blank: BlankReport | None) -> None:
        self.blank = blank
        self.update()

    def light(self, faces: Iterable[str]) -> None:
        """Light the panels and bends that bear one of these faces."""
        lit = frozenset(faces)
        if lit != self.lit:
            self.lit = lit
            self.update()

    # Where things are

    def _box(self) -> QRectF:
        assert self.blank is not None
        rings = self.blank["rings"] or [ring for p in self.blank["panels"] for ring in p["rings"]]
        xs = [x for ring in rings for x, _ in ring]
        ys = [y for ring in rings for _, y in ring]
        return QRectF(min(xs), min(ys), max(max(xs) - min(xs), 1e-6), max(max(ys) - min(ys), 1e-6))

    def _map(self) -> QTransform:
        """From the blank, mm, to the widget, y upwards; lying along the wider side."""
        box = self._box()
        room_x, room_y = self.width() - 2 * _MARGIN, self.height() - 2 * _MARGIN
        upright = min(room_x / box.width(), room_y / box.height())
        lying = min(room_x / box.height(), room_y / box.width())
        self._turn = lying > 1.15 * upright
        scale = max(1e-6, lying if self._turn else upright)
        transform = QTransform()
        transform.translate(self.width() / 2, self.height() / 2)
        transform.scale(scale, -scale)
        if self._turn:
            transform.rotate(-90)
        transform.translate(-box.center().x(), -box.center().y())
        return transform

    @staticmethod
    def _path(rings: list[list[tuple[float, float]]], mapped: QTransform) -> QPainterPath:
        path = QPainterPath()
        for ring in rings:
            path.addPolygon(mapped.map(QPolygonF([QPointF(x, y) for x, y in ring])))
            path.closeSubpath()
        return path

    # Painting

    def paintEvent(self, event: QPaintEvent) -> None:
        t, painter = theme(), QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.surface))
        if self.blank is None:
            return
        mapped = self._map()
        outline = self._path(self.blank["rings"], mapped)
        sheet = QColor(t.kraft)
        sheet.setAlpha(70)
        painter.fillPath(outline, sheet)
        lit = QColor(t.kraft)
        for thing in (*self.blank["panels"], *self.blank["bends"]):
            if not self.lit.isdisjoint(thing["faces"]):
                painter.fillPath(self._path(thing["rings"], mapped), lit)
        shade = QColor(t.ink)
        shade.setAlpha(26)
        for bend in self.blank["bends"]:
            painter.fillPath(self._path(bend["rings"], mapped), shade)
        if self.blank["rings"]:
            painter.strokePath(outline, QPen(QColor(t.ink), 1.3))
        else:
            for panel in self.blank["panels"]:
                painter.strokePath(self._path(panel["rings"], mapped), QPen(QColor(t.madder), 1.3))
        painter.setPen(QPen(QColor(t.slate), 1.0))
        for line in self.blank["marks"]:
            painter.drawPolyline(mapped.map(QPolygonF([QPointF(x, y) for x, y in line])))
        self._paint_bends(painter, mapped)

    def _paint_bends(self, painter: QPainter, mapped: QTransform) -> None:
        """Middle lines of bends: whole where they go up, dashed where they go down, told apart by
        colour as well; with their place in the order."""
        assert self.blank is not None
        t = theme()
        font = mono(9)
        painter.setFont(font)
        for bend in self.blank["bends"]:
            colour = QColor(t.sage if bend["up"] else t.madder)
            pen = QPen(colour, 1.4)
            if not bend["up"]:
                pen.setDashPattern([5, 3])
            painter.setPen(pen)
            ends = [mapped.map(QPointF(*p)) for line in bend["lines"] for p in line]
            for a, b in zip(ends[::2], ends[1::2], strict=True):
                painter.drawLine(a, b)
            # Numbers stand off the middle, so that those of neighbours do not meet.
            share = 0.5 + 0.09 * ((bend["order"] % 3) - 1)
            at = ends[0] + (ends[-1] - ends[0]) * share
            painter.setPen(QPen(colour, 1.2))
            painter.setBrush(QColor(t.surface))
            painter.drawEllipse(at, _DISC, _DISC)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawText(
                QRectF(at.x() - _DISC, at.y() - _DISC, 2 * _DISC, 2 * _DISC),
                Qt.AlignmentFlag.AlignCenter,
                str(bend["order"]),
            )

    # Pointing

    def faces_at(self, at: QPointF) -> frozenset[str]:
        """The faces of the panel or bend under a place of the widget."""
        if self.blank is None:
            return frozenset()
        mapped = self._map()
        for thing in (*self.blank["bends"], *self.blank["panels"]):
            path = self._path(thing["rings"], mapped)
            path.setFillRule(Qt.FillRule.OddEvenFill)
            if path.contains(at):
                return frozenset(thing["faces"])
        return frozenset()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        faces = self.faces_at(event.position())
        self.light(faces)
        self.pointed.emit(faces)

    def leaveEvent(self, event: QEvent) -> None:
        self.light(())
        self.pointed.emit(frozenset())
