"""What is put in follows the pointer over the part, in whole millimetres, until a click places
it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from ...core.kernel.frame import Frame
from ...core.kernel.motion import Motion
from ..theme import mono, theme

if TYPE_CHECKING:
    from .view import PartView


@dataclass(frozen=True, slots=True)
class Spot:
    """Where it would be put: on which face of which part, at which place of that, turned."""

    face: Mapping[str, Any]
    part: str
    x: int
    y: int
    turn: int


class PutInTool(QObject):
    """``placed`` is emitted with a :class:`Spot`; the key R turns by a quarter."""

    placed = Signal(object)
    told = Signal(str)

    def __init__(self, view: PartView) -> None:
        super().__init__(view)
        self.view = view
        self.outlines: Sequence[Sequence[tuple[float, float]]] = ()
        self.spot: Spot | None = None
        self.turn = 0
        self._at = QPointF()

    def begin(self, outlines: Sequence[Sequence[tuple[float, float]]]) -> None:
        """Another stencil: its outlines in the axes of its anchor."""
        self.outlines, self.spot, self.turn = outlines, None, 0

    def hover(self, at: QPointF) -> None:
        """Where a click would put it."""
        self._at = at
        spot = self._spot_at(at)
        if spot != self.spot:
            self.spot = spot
            self.view.update()

    def _spot_at(self, at: QPointF) -> Spot | None:
        there = self.view.face_at(at.x(), at.y())
        point = self.view.spot_at(at.x(), at.y())
        if there is None or point is None:
            return None
        face = self.view.describe(there)
        if not face.get("flat") or "origin" not in face:
            return None
        u, v, _ = _frame_of(face).coordinates(point)
        return Spot(face, self.view.parts[there[0]].name, round(u), round(v), self.turn)

    def key(self, key: Qt.Key) -> bool:
        """R turns it a quarter further."""
        if key != Qt.Key.Key_R:
            return False
        self.turn = (self.turn + 90) % 360
        self.hover(self._at)
        return True

    def click(self, at: QPointF) -> None:
        """Put it there."""
        spot = self._spot_at(at)
        if spot is None:
            self.told.emit("That is no flat face. Click where it goes (R turns it, Esc gives up)")
            return
        self.placed.emit(spot)

    def draw(self, painter: QPainter) -> None:
        """Its outlines on the face under the pointer, and where it is."""
        spot, view, t = self.spot, self.view, theme()
        if spot is None:
            return
        there = self.view.placing_of(spot.part).there
        frame = _frame_of(spot.face)
        turned = Motion.turn(frame.origin, frame.normal, spot.turn).frame(frame)
        anchor = Frame(frame.at(spot.x, spot.y), turned.x, turned.y)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        cross = [[(-4.0, 0.0), (8.0, 0.0)], [(0.0, -4.0), (0.0, 4.0)]]
        for outline, wide in (*((o, 1.8) for o in self.outlines), *((c, 2.4) for c in cross)):
            closed = [*outline, outline[0]] if len(outline) > 2 else outline
            points = np.array([there(anchor.at(u, v)) for u, v in closed])
            seen = view.camera.project(points, view.width(), view.height())
            painter.setPen(QPen(QColor(t.madder), wide))
            painter.drawPolyline([QPointF(a, b) for a, b in seen.tolist()])
        painter.setFont(mono(12))
        words = f"x {spot.x}  y {spot.y} mm" + (f"  {spot.turn}°" if spot.turn else "")
        wide = painter.fontMetrics().horizontalAdvance(words) + 14
        box = QRectF(self._at.x() + 14, self._at.y() - 34, wide, 22)
        box.moveLeft(min(box.left(), view.width() - wide - 4))
        painter.setPen(QPen(QColor(t.madder), 1.2))
        painter.setBrush(QColor(t.surface))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(QPen(QColor(t.ink)))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def _frame_of(face: Mapping[str, Any]) -> Frame:
    return Frame(tuple(face["origin"]), tuple(face["x"]), tuple(face["y"]))
