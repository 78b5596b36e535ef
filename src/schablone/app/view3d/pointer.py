"""The pointer in the view: turning, moving, picking, and dimensions that are dragged."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QMouseEvent

from .figures import Figure

if TYPE_CHECKING:
    from .view import PartView

#: So many pixels sideways change a dimension by one step.
_A_STEP = 7
#: The pointer rests as long as it stays within so many pixels, and clicks where it does while a
#: button is held.
_RESTS = 3


class Pointer:
    """What the pointer does between press and release; ``last`` is where it was seen last."""

    def __init__(self, view: PartView) -> None:
        self.view = view
        self.last = QPointF()
        self._pressed: QPoint | None = None
        self._moved = False
        #: The dimension that is held, and by how many steps it was dragged.
        self._held: Figure | None = None
        self._steps = 0

    @property
    def drags(self) -> bool:
        """Whether something follows it now."""
        return self._pressed is not None and self._moved

    def press(self, event: QMouseEvent) -> None:
        view = self.view
        view.stop_turning()
        self._pressed, self.last, self._moved = event.position().toPoint(), event.position(), False
        self._held = None if view.is_asked else view.figure_boxes.at(event.position())
        self._steps = 0

    def move(self, event: QMouseEvent) -> None:
        if self._pressed is None:
            self._go_over(event.position())
            return
        step = event.position() - self.last
        self.last = event.position()
        far = (event.position().toPoint() - self._pressed).manhattanLength()
        self._moved = self._moved or far > _RESTS
        if not self._moved:
            return
        if self._held is not None:
            self._drag_figure(self._held, event.position())
            return
        view = self.view
        shifted = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        if event.buttons() & Qt.MouseButton.LeftButton and not shifted:
            view.see_from(view.camera.orbited(-step.x(), step.y()))
        else:
            view.see_from(view.camera.panned(step.x(), step.y(), view.height()))

    def release(self, event: QMouseEvent) -> None:
        view, pressed, moved = self.view, self._pressed is not None, self._moved
        if self._held is not None and moved:
            self._drag_figure(self._held, event.position())  # where it was let go
            self._held, self._pressed, self._moved = None, None, False
            view.figure_left.emit()
            view.drawn.refine()
            return
        self._pressed, self._moved = None, False
        if pressed and not moved and event.button() == Qt.MouseButton.LeftButton:
            self._click(event.position())
        if moved:
            view.see_from(view.camera)

    def _go_over(self, at: QPointF) -> None:
        """It moves with no button held."""
        view = self.view
        if (at - view.hover.behind_at).manhattanLength() > _RESTS:
            view.hover.look_in_front()
        self.last = at
        view.seek()
        if view.is_asked:
            view.update()
        elif view.tool is None:
            figure = view.figure_boxes.at(at)
            can_drag = figure is not None and bool(figure.path)
            view.setCursor(Qt.CursorShape.SizeHorCursor) if can_drag else view.unsetCursor()

    def _drag_figure(self, held: Figure, at: QPointF) -> None:
        """A dimension is dragged sideways: the part follows."""
        assert self._pressed is not None
        steps = int((at.x() - self._pressed.x()) / _A_STEP)
        if steps != self._steps and held.path:
            self.view.figure_dragged.emit(held.step, held.path, steps - self._steps)
            self._steps = steps

    def _click(self, at: QPointF) -> None:
        """What is under it is meant: by a tool, as a dimension, as a face, or as an edge where
        edges are picked."""
        view = self.view
        if view.tool is not None:
            view.tool.click(at)
            return
        figure = view.figure_boxes.at(at)
        if figure is not None and not view.is_asked:
            view.figure_clicked.emit(figure.step, figure.path)
            return
        face = dict(view.describe(view.face_at(at.x(), at.y())))
        edge = view.edge_at(at.x(), at.y()) if view.picks_edges else None
        if edge is not None:
            name = face.get("name", "")
            face |= {"edge": view.edge_faces(edge), "name": name, "flat": True}
        elif face:
            face["at"] = view.spot_at(at.x(), at.y())
        view.picked.emit(face)
