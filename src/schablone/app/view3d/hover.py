"""What is under the pointer, and what is lit over the picture: cheap, so that it follows the
pointer at once."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, QPointF, QRectF, QTimer
from PySide6.QtGui import QPainter

from .lit import Marks, face_of_number, light

if TYPE_CHECKING:
    from .view import PartView

#: For so long, ms, the pointer rests before one looks what is under it.
_RESTS = 6


class Hover(QObject):
    """Of one view. ``face`` and ``edge``, each a part and a number, are what a click would pick;
    ``behind`` by how many steps what lies behind is meant, and not what is seen, and
    ``behind_at`` where the pointer was then."""

    def __init__(self, view: PartView) -> None:
        super().__init__(view)
        self.view = view
        self.face: tuple[int, int] | None = None
        self.edge: tuple[int, int] | None = None
        self.behind, self.behind_at = 0, QPointF()
        self._seen: NDArray[np.int32] | None = None
        self._seen_for: tuple[object, ...] = ()
        self.timer = QTimer(self, singleShot=True, interval=_RESTS)
        self.timer.timeout.connect(self.look)

    def forget(self) -> None:
        """Other parts are shown."""
        self.face, self.behind = None, 0

    def forget_picture(self) -> None:
        """There is no picture any more to read anything off."""
        self._seen, self._seen_for = None, ()

    def leave(self) -> None:
        """The pointer is elsewhere."""
        self.timer.stop()
        self._put(None)

    def look(self) -> None:
        """Find out what is under the pointer."""
        view, at = self.view, self.view.pointer.last
        if view.tool is not None:
            view.tool.hover(at)
        edge = view.edge_at(at.x(), at.y()) if view.picks_edges else None
        if edge != self.edge:
            self.edge = edge
            view.update()
        face = self.face_under(at.x(), at.y())
        self._put(face if face and view.can_be_picked(face) else None)

    def look_in_front(self) -> None:
        """What is seen is meant again, and not what lies behind it."""
        self.behind = 0

    def look_behind(self) -> None:
        """Step from what is under the pointer to what lies behind it; after the last comes the
        first again."""
        self.behind += 1
        self.behind_at = self.view.pointer.last
        self.look()

    def _put(self, face: tuple[int, int] | None) -> None:
        if face != self.face:
            self.face = face
            self.view.hovered.emit(self.view.describe(face))
            self.view.update()

    def face_under(self, x: float, y: float) -> tuple[int, int] | None:
        """Part and face number under a pixel, read off what is seen where that is known."""
        seen = self._faces_seen() if not self.behind else None
        if seen is None:
            return self.view.face_at(x, y)
        row, column = int(y), int(x)
        if not (0 <= row < seen.shape[0] and 0 <= column < seen.shape[1]):
            return None
        return face_of_number(int(seen[row, column]), self._faces())

    def edge_points(self) -> NDArray[np.float64] | None:
        """The edge that a click would pick, as points (k, 3), mm."""
        parts = self.view.parts
        if self.edge is None or self.edge[0] >= len(parts):
            return None
        shape = parts[self.edge[0]].shape
        ends = np.concatenate([[0], np.cumsum(shape.edge_lengths)])
        if self.edge[1] + 1 >= len(ends):
            return None
        return shape.edges[ends[self.edge[1]] : ends[self.edge[1] + 1]].astype(np.float64)

    def draw(self, painter: QPainter) -> None:
        """Light up what is under the pointer and what is marked."""
        view = self.view
        face = None if view.grey else self.face
        marks = Marks(view.marked_steps, view.marked_faces, face, view.striped)
        if marks and not view.pointer.drags and (seen := self._faces_seen()) is not None:
            painter.drawImage(QRectF(view.rect()), light(seen, self._faces(), marks))

    def _faces(self) -> list[Sequence[Mapping[str, Any]]]:
        """The faces of each part; of one that is hidden none."""
        view = self.view
        return [part.faces if part.name not in view.hidden else [] for part in view.parts]

    def _faces_seen(self) -> NDArray[np.int32] | None:
        """Which face is seen at each pixel, (height, width); drawn once for each place of the
        camera."""
        view = self.view
        scene = view.drawn.scene()
        if scene is None:
            return None
        size = view.width(), view.height()
        now = (view.camera, *size, view.drawn.times)
        if self._seen_for != now:
            counts = [len(faces) for faces in self._faces()]
            self._seen_for, self._seen = now, scene.faces_seen(view.camera, *size, counts)
        return self._seen
