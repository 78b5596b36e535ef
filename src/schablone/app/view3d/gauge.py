"""Measuring by picking: corners, middles, centres and faces near the pointer, and what lies between
two of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from ...core.kernel.spots import is_spot, say_spot, spots_on
from ..theme import mono, theme
from .shown import IN_PLACE, Placing

if TYPE_CHECKING:
    from .view import PartView

#: How near, in pixels, the pointer must be to a spot.
_REACH = 14.0


@dataclass(frozen=True, slots=True)
class Spot:
    """A named spot and where it is drawn, as its part is; for a face, where it was clicked."""

    name: str
    at: tuple[float, float, float]
    words: str
    placing: Placing = IN_PLACE


class GaugeTool(QObject):
    """Two clicks ask for what lies between two spots. ``wanted`` gives both names; the answer comes
    by :meth:`take`.

    ``told`` says what to do next, or what was measured.
    """

    wanted = Signal(str, str)
    told = Signal(str)

    def __init__(self, view: PartView) -> None:
        super().__init__(view)
        self.view = view
        self.picked: list[Spot] = []
        self.near: Spot | None = None
        self.reading = ""
        self.ends: tuple[tuple[float, float, float], tuple[float, float, float]] | None = None
        self._spots: list[Spot] = []
        self._of: tuple[object, ...] = ()

    def spots(self) -> list[Spot]:
        """The spots of what is shown."""
        shown = [part for part in self.view.parts if part.name not in self.view.hidden]
        of = tuple((part.key, part.placing) for part in shown)  # drawn apart they lie elsewhere
        if of != self._of:
            self._of, self._spots = of, []
            for part in shown:
                names = [str(face["name"]) for face in part.faces]
                pairs = [(names[a], names[b]) for a, b in part.shape.edge_faces]
                ends = np.cumsum(part.shape.edge_lengths)[:-1]
                lines = (
                    np.split(part.shape.edges.astype(np.float64), ends)
                    if len(part.shape.edges)
                    else []
                )
                spots = spots_on(lines, pairs)
                self._spots += [
                    Spot(name, at, say_spot(name), part.placing) for name, at in spots.items()
                ]
        return self._spots

    def hover(self, at: QPointF) -> None:
        """What a click would take."""
        near = self._spot_at(at)
        if near != self.near:
            self.near = near
            self.view.update()

    def _spot_at(self, at: QPointF) -> Spot | None:
        spots, view = self.spots(), self.view
        face = view.face_at(at.x(), at.y())
        start, way = view.sight.ray(at.x(), at.y())
        hit = view.parts[face[0]].shape.pick(start, way) if face is not None else None
        if spots:
            places = np.array([spot.at for spot in spots])
            flat = view.camera.project(places, view.width(), view.height())
            far = np.hypot(flat[:, 0] - at.x(), flat[:, 1] - at.y())
            # What lies far behind the face under the pointer is not meant; the centre of a hole
            # lies in the air.
            depth = (places - start) @ way
            behind = (hit[1] if hit is not None else np.inf) + 12.0 * view.camera.span / max(
                1, view.height()
            )
            far[depth > behind] = np.inf
            nearest = float(far.min())
            if nearest <= _REACH:
                # Of spots behind each other the one in front is meant.
                alike = np.flatnonzero(far <= nearest + 3.0)
                return spots[int(alike[np.argmin(depth[alike])])]
        if face is None or hit is None:
            return None
        described = view.describe(face)
        point = start + way * hit[1]
        placing = view.parts[face[0]].placing
        return Spot(str(described["name"]), tuple(point.tolist()), str(described["words"]), placing)

    def click(self, at: QPointF) -> None:
        """Take the spot near the pointer as the first or the second."""
        spot = self._spot_at(at)
        if spot is None:
            self.told.emit("Nothing is there. Pick a corner, a middle, a centre or a face")
            return
        if len(self.picked) == 2:
            self.picked, self.reading, self.ends = [], "", None
        self.picked.append(spot)
        if len(self.picked) == 1:
            self.told.emit(f"From {spot.words}. Now pick the other end (Esc gives up)")
        else:
            self.wanted.emit(self.picked[0].name, self.picked[1].name)
        self.view.update()

    def follow(self) -> None:
        """The part is another by now: what was picked on it is measured anew, where it is there
        still."""
        if not self.picked:
            return
        known = {spot.name: spot for spot in self.spots()}
        faces = {str(face["name"]) for part in self.view.parts for face in part.faces}
        self.reading, self.ends = "", None
        if all(spot.name in known or spot.name in faces for spot in self.picked):
            self.picked = [known.get(spot.name, spot) for spot in self.picked]
            if len(self.picked) == 2:
                self.wanted.emit(self.picked[0].name, self.picked[1].name)
        else:
            self.picked = []
            self.told.emit("What was picked is not there any more. Pick a corner, or a face, anew")
        self.view.update()

    def key(self, key: Qt.Key) -> bool:
        """It takes none."""
        return False

    def take(
        self, reading: str, a: tuple[float, float, float], b: tuple[float, float, float]
    ) -> None:
        """What was measured, and between which points."""
        if len(self.picked) < 2:
            return  # another pair was begun meanwhile
        first, second = (spot.placing for spot in self.picked)
        self.reading, self.ends = reading, (first.there(a), second.there(b))
        self.told.emit(f"{reading}  ·  Enter keeps it as a note")
        self.view.update()

    def draw(self, painter: QPainter) -> None:
        """The spots that are picked, the one near the pointer with its kind, and the reading."""
        t, view = theme(), self.view
        ink = QColor(t.madder)
        if self.ends is not None:
            a, b = (
                QPointF(*p)
                for p in view.camera.project(
                    np.array(self.ends), view.width(), view.height()
                ).tolist()
            )
            painter.setPen(QPen(ink, 1.8))
            painter.drawLine(a, b)
            font = mono(13)
            painter.setFont(font)
            wide = QFontMetricsF(font).horizontalAdvance(self.reading) + 18
            middle = (a + b) / 2
            box = QRectF(middle.x() - wide / 2, middle.y() - 34, wide, 24)
            box.moveLeft(min(max(box.left(), 6.0), view.width() - wide - 6))
            box.moveTop(min(max(box.top(), 6.0), view.height() - 30.0))
            painter.setBrush(QColor(t.surface))
            painter.drawRoundedRect(box, 4, 4)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.reading)
        near = [self.near] if self.near is not None and self.near not in self.picked else []
        for spot in [*self.picked, *near]:
            at = QPointF(
                *view.camera.project(np.array([spot.at]), view.width(), view.height())[0].tolist()
            )
            _mark(painter, at, ink, filled=spot in self.picked)
        if near and is_spot(near[0].name):
            at = view.camera.project(np.array([near[0].at]), view.width(), view.height())[0]
            painter.setPen(QPen(QColor(t.ink)))
            painter.setFont(view.font())
            painter.drawText(QPointF(at[0] + 11, at[1] - 8), near[0].name.partition(" ")[0])


def _mark(painter: QPainter, at: QPointF, ink: QColor, *, filled: bool) -> None:
    """A dot; the word beside it says what it is on."""
    painter.setPen(QPen(ink, 1.8))
    painter.setBrush(ink if filled else QColor(theme().surface))
    painter.drawEllipse(at, 4, 4)
