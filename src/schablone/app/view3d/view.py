"""The view of the part: orbit, pan, zoom, fit, standard directions, hover and pick."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import (
    QEasingCurve,
    QRectF,
    QSize,
    Qt,
    QTimer,
    QVariantAnimation,
    Signal,
)
from PySide6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from ...core.process.lying import Down
from ..theme import theme
from .apart import laid, taken_apart
from .camera import Camera
from .drawn import DrawnParts
from .figures import Figure, FigureBoxes
from .ground import say_ground
from .hover import Hover
from .looks import Looks, can_answer
from .overlay import ShownSketch, draw_at_pointer, draw_axes, draw_edge, draw_sketches
from .pointer import Pointer
from .shown import IN_PLACE, Placing, ShownPart
from .sight import Sight
from .tool import PointerTool

#: How long, ms, what an edit moved stays lit, and the view turns to the first part.
_AFTERGLOW, _TURNS = 1100, 420
_RUNS = QVariantAnimation.State.Running


class PartView(QWidget):
    """Shows parts. Drag to turn, drag with the right or middle button (or Shift) to move, wheel to
    zoom.

    ``figure_clicked`` gives the step and the path of a dimension that is shown on the part;
    ``figure_dragged`` also by how many steps it is dragged sideways, until it is ``figure_left``.
    ``hovered`` and ``picked`` are emitted with the description of a face (see the worker's report),
    or with an empty dict beside the part.
    """

    hovered = Signal(dict)
    picked = Signal(dict)
    figure_clicked = Signal(str, str)
    figure_dragged = Signal(str, str, int)
    figure_left = Signal()
    #: A map of deviations is shown, or with nothing in it no longer.
    off_shown = Signal(dict)

    def __init__(self) -> None:
        super().__init__()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 200)
        self.setAccessibleName("The part. Arrow keys turn it, + and - zoom, F fits it.")
        #: The parts as they came, and as they are drawn: apart by a share of the way.
        self.given: list[ShownPart] = []
        self.parts: list[ShownPart] = []
        self.apart = 0.0
        self.told_apart = False
        #: Colours of the palette that parts and the faces of steps have of their own, by name; and
        #: the part that is shown as it lies on its machine.
        self.tints: tuple[Mapping[str, str], Mapping[str, str]] = ({}, {})
        self.lying: tuple[str, Down] | None = None
        self._all_clear = False
        self.lens = "wanted"
        self.grey = False
        self.camera = Camera()
        self.marked_steps: frozenset[str] = frozenset()
        self.marked_faces: frozenset[str] = frozenset()
        #: Axis, place and side of the section, or None; names of the parts that are hidden.
        self.section: tuple[int, float, float] | None = None
        self.hidden: frozenset[str] = frozenset()
        self.clear: frozenset[str] = frozenset()
        #: The parts before the last edit, laid over as lines while ``shows_before``.
        self.before: list[ShownPart] = []
        self.shows_before = False
        self.tool: PointerTool | None = None
        #: How far each face lies from where it is wanted, mm, by part and face number; empty
        #: without the map.
        self.off: dict[str, list[float | None]] = {}
        self.figures: list[Figure] = []
        #: Sketches that are shown beside the parts.
        self.sketches: tuple[ShownSketch, ...] = ()
        self.ground_on = True
        #: What is being asked for, said at the pointer, and which faces can answer it.
        self._asked, self._answers = "", ""
        self._turning: QVariantAnimation | None = None
        self.striped = False
        self.figure_boxes = FigureBoxes()
        self.pointer, self.hover = Pointer(self), Hover(self)
        self._fit_next = True
        self.drawn = DrawnParts(self)
        self.drawn.refined.connect(self.update)
        self._glowing: frozenset[tuple[str, str]] = frozenset()
        self._glow_timer = QTimer(self, singleShot=True, interval=_AFTERGLOW)
        self._glow_timer.timeout.connect(lambda: self.glow(frozenset()))

    def sizeHint(self) -> QSize:
        return QSize(560, 560)

    # What is shown

    def show_parts(self, parts: list[ShownPart], lens: str) -> None:
        """Show other parts. The camera stays, except for the first."""
        first = bool(not self.parts and parts)
        self.given, self.lens = parts, lens
        self.hover.forget()
        self.parts = self._placed()
        if first and self.sketches and self.isVisible() and not self._fit_next:
            self._turn_to(self.camera.looking("corner").fitted(self._points(), self._aspect()))
        elif first or self._fit_next:
            self.fit()
        self.drawn.change(is_new=True)
        self.update()

    def take_apart(self, share: float) -> None:
        """Draw the parts apart by a share from 0 to 1 of the whole way."""
        if share != self.apart:
            self.apart = share
            self.parts = self._placed()
            self.redraw()

    def lay(self, name: str, down: Down = "bottom") -> None:
        """Show a part as it lies on the machine that prints it; with no name all in their
        places."""
        lying = (name, down) if name else None
        if lying != self.lying:
            self.lying = lying
            self.parts = self._placed()
            self.fit()
            self.redraw()

    def _placed(self) -> list[ShownPart]:
        if self.lying is None:
            return taken_apart(self.given, self.apart)
        name, down = self.lying
        return [laid(part, down) if part.name == name else part for part in self.given]

    def tint(self, parts: Mapping[str, str], steps: Mapping[str, str]) -> None:
        """Give parts, and faces by the step that made them, a colour of the palette."""
        if (parts, steps) != self.tints:
            self.tints = (parts, steps)
            self.redraw()

    def see_through(self, on: bool) -> None:
        """See through all that is made, for as long as something within is pointed at."""
        if on != self._all_clear:
            self._all_clear = on
            self.redraw()

    def tell_apart(self, on: bool) -> None:
        """Give each part a colour of its own, or all that of the lens."""
        self.told_apart = on
        self.redraw()

    def _turn_to(self, there: Camera) -> None:
        """Turn smoothly to where another camera stands."""
        here = self.camera
        turning = QVariantAnimation(self, startValue=0.0, endValue=1.0, duration=_TURNS)
        turning.setEasingCurve(QEasingCurve.Type.InOutQuad)

        turning.valueChanged.connect(lambda share: self.see_from(here.towards(there, share)))
        turning.finished.connect(self.drawn.refine)
        turning.start(QVariantAnimation.DeletionPolicy.KeepWhenStopped)
        self._turning = turning

    def _aspect(self) -> float:
        return self.width() / max(1, self.height())

    def show_sketches(self, sketches: Sequence[ShownSketch]) -> None:
        """Show sketches as thin lines over the parts. Without a part, the first are fitted."""
        if tuple(sketches) == self.sketches:
            return
        first = not self.parts and not self.sketches
        self.sketches = tuple(sketches)
        if first:
            self.fit()
        self.update()

    def show_ground(self, on: bool) -> None:
        """The ground that the parts stand on, ruled so that its lines give the scale."""
        if on != self.ground_on:
            self.ground_on = on
            self.redraw()

    def ask_for(self, what: str, answers: str = "") -> None:
        """Say at the pointer what to pick: ``answers`` is ``flat`` for flat faces, ``face`` for
        any, ``edge`` for edges. With an empty text nothing is asked any more."""
        self._asked, self._answers = what, answers
        self.setCursor(Qt.CursorShape.CrossCursor) if what else self.unsetCursor()
        self.redraw()

    @property
    def picks_edges(self) -> bool:
        """While edges are picked, the one near the pointer is picked before the face under it."""
        return self._answers == "edge"

    def glow(self, faces: frozenset[tuple[str, str]]) -> None:
        """Light up faces, by part and name, for a moment: what the last edit moved."""
        if faces != self._glowing:
            self._glowing = faces
            self.redraw()
        if faces:
            self._glow_timer.start()

    def set_grey(self, grey: bool) -> None:
        """Grey means: this is the last good part, not the one that was asked for."""
        if grey != self.grey:
            self.grey = grey
            self.redraw()

    def mark(
        self,
        steps: frozenset[str] = frozenset(),
        faces: frozenset[str] = frozenset(),
        *,
        striped: bool = False,
    ) -> None:
        """Light up the faces that steps made, or faces by name; ``striped`` where they must be told
        apart from the others at a glance, and not by tone alone."""
        now = (self.marked_steps, self.marked_faces, self.striped)
        if (steps, faces, striped) != now:
            self.marked_steps, self.marked_faces, self.striped = steps, faces, striped
            self.update()

    @property
    def is_asked(self) -> bool:
        """Whether something is to be picked."""
        return bool(self._asked)

    def seek(self) -> None:
        """Find out what is under the pointer, as soon as it rests for a moment."""
        self.hover.timer.start()

    def see_from(self, camera: Camera) -> None:
        """Look from elsewhere."""
        self.camera = camera
        self.drawn.move()
        self.update()

    def redraw(self) -> None:
        """Draw anew: something looks otherwise."""
        self.drawn.change()
        self.update()

    def release(self) -> None:
        """Give back what drawing needs; the next drawing takes it again."""
        self.drawn.release()
        self.hover.forget_picture()

    def look(self, name: str) -> None:
        """From one of the standard directions, fitted."""
        self.camera = self.camera.looking(name)
        self.fit()

    def fit_next(self) -> None:
        """Fit the next part that is shown."""
        self._fit_next = True

    def fit(self) -> None:
        """All of the part in the picture."""
        self.stop_turning()
        points = self._points()
        self._fit_next = not len(points)
        if len(points):
            self.camera = self.camera.fitted(points, self._aspect())
        self.drawn.move()
        self.update()

    def _points(self) -> NDArray[np.float64]:
        shapes = [part.shape.points for part in self.parts if len(part.shape.points)]
        if not shapes:
            shapes = [line for sketch in self.sketches for line in sketch.lines]
        return np.concatenate(shapes).astype(np.float64) if shapes else np.empty((0, 3))

    # Drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        if not self.parts and not self.sketches:
            painter.fillRect(self.rect(), QColor(t.view))
            return
        ratio, is_moving = self.devicePixelRatioF(), self._is_moving
        image = self.drawn.image(self.camera, self.size(), ratio, self._looks, is_moving=is_moving)
        if image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), image)
        self.hover.draw(painter)
        size = self.width(), self.height()
        said = say_ground(*self.bounds()) if self.ground_on and self.parts else ""
        draw_axes(painter, self.camera, size[1], said)
        draw_sketches(painter, self.sketches, self.camera, *size)
        if (edge := self.hover.edge_points()) is not None:
            draw_edge(painter, edge, self.camera, *size)
        self.figure_boxes.draw(
            painter,
            [] if self.grey or self._asked or self.lying else self._placed_figures(),
            self.camera,
            self.width(),
            self.height(),
        )
        if self.tool is not None:
            self.tool.draw(painter)
        elif self._asked and self.underMouse():
            draw_at_pointer(painter, self._asked, self.pointer.last, self.width())

    def _placed_figures(self) -> list[Figure]:
        """The dimensions at their parts, wherever these are drawn."""
        if not self.apart:
            return self.figures
        return [figure.placed(self.placing_of(figure.part)) for figure in self.figures]

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.drawn.begin()

    @property
    def is_refined(self) -> bool:
        """What is seen is drawn with smooth edges, or nothing is seen."""
        return not (self.isVisible() and self.drawn.is_coarse)

    @property
    def _is_moving(self) -> bool:
        turns = self._turning is not None and self._turning.state() == _RUNS
        return turns or self.pointer.drags

    def _looks(self) -> Looks:
        """How the parts look now, wherever they are seen from."""
        return Looks(
            self.parts, self.lens, self.grey, self.told_apart, self.tints, self.hidden, self.clear,
            self._all_clear, self.section, self.off, self._glowing, self._answers,
            self.bounds() if self.ground_on else None, self.before if self.shows_before else (),
        )  # fmt: skip

    def resizeEvent(self, event: QResizeEvent) -> None:
        if event.oldSize().isEmpty() or self._fit_next:
            self.fit()
        self.drawn.move()

    # Pointer and keys

    @property
    def sight(self) -> Sight:
        """What is under a pixel as it is looked at now."""
        size = self.width(), self.height()
        return Sight(self.camera, size, self.parts, self.hidden, self.section, self.hover.behind)

    def cut(self, axis: int | None, at: float = 0.0) -> None:
        """Take away what lies on the viewer's side of a plane square to an axis; None shows all of
        it again."""
        towards = self.camera.axes()[2]
        section = None if axis is None else (axis, at, 1.0 if towards[axis] >= 0 else -1.0)
        if section != self.section:
            self.section = section
            self.redraw()

    def show_off(self, off: dict[str, list[float | None]]) -> None:
        """Colour faces by how far they lie from where they are wanted; nothing takes the map
        away."""
        if off != self.off:
            self.off = off
            self.off_shown.emit(off)
            self.redraw()

    def hide_parts(self, hidden: frozenset[str], clear: frozenset[str] = frozenset()) -> None:
        """Leave parts out of the picture, or let others be seen through."""
        if (hidden, clear) != (self.hidden, self.clear):
            self.hidden, self.clear = hidden, clear
            self.redraw()

    def show_before(self, on: bool) -> None:
        """Lay the parts as they were before the last edit over those that are."""
        if on != self.shows_before:
            self.shows_before = on
            self.redraw()

    def use_tool(self, tool: PointerTool | None) -> None:
        """Give the pointer to a tool, or with None take it back."""
        self.tool = tool
        self.setCursor(Qt.CursorShape.CrossCursor) if tool is not None else self.unsetCursor()
        self.update()

    def bounds(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """The box around all parts, mm."""
        points = self._points()
        if not len(points):
            return np.zeros(3), np.zeros(3)
        return points.min(axis=0), points.max(axis=0)

    @property
    def is_displaced(self) -> bool:
        """Whether some part is drawn elsewhere than it is."""
        return bool(self.apart or self.lying)

    def placing_of(self, name: str) -> Placing:
        """Where a part is drawn."""
        return next((part.placing for part in self.parts if part.name == name), IN_PLACE)

    def face_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Part and face number under a pixel."""
        return self.sight.face_at(x, y)

    def spot_at(self, x: float, y: float) -> tuple[float, float, float] | None:
        """Where the line of sight through a pixel meets the part, mm."""
        return self.sight.spot_at(x, y)

    def edge_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Part and edge number near a pixel."""
        return self.sight.edge_at(x, y)

    def can_be_picked(self, face: tuple[int, int]) -> bool:
        """Whether a face can be what is asked for."""
        asks = self._answers in ("flat", "face")
        return not asks or can_answer(self.describe(face), self._answers)

    def edge_faces(self, edge: tuple[int, int]) -> tuple[str, str]:
        """The names of the faces that an edge lies between."""
        part = self.parts[edge[0]]
        a, b = part.shape.edge_faces[edge[1]]
        return part.faces[a]["exact"], part.faces[b]["exact"]

    def show_figures(self, figures: list[Figure]) -> None:
        """Show dimensions on the part."""
        if figures != self.figures:
            self.figures = figures
            self.update()

    def box_of(self, step: str, path: str) -> QRectF | None:
        """Where a dimension stands on the screen."""
        return self.figure_boxes.box_of(step, path)

    def describe(self, at: tuple[int, int] | None) -> Mapping[str, Any]:
        return {} if at is None else self.parts[at[0]].faces[at[1]]

    def stop_turning(self) -> None:
        if self._turning is not None:
            self._turning.stop()
            self._turning = None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.pointer.press(event)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.pointer.move(event)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.pointer.release(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.fit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.stop_turning()
        steps = event.angleDelta().y() / 120.0
        height = max(1, self.height())
        at = (
            (event.position().x() - self.width() / 2) / height,
            (height / 2 - event.position().y()) / height,
        )
        self.see_from(self.camera.zoomed(1.18**steps, at))

    def leaveEvent(self, event: object) -> None:
        self.hover.leave()
        self.update()  # nothing is asked at a pointer that is elsewhere

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if self.tool is not None and self.tool.key(Qt.Key(key)):
            self.update()
            return
        turns = {
            Qt.Key.Key_Left: (30, 0),
            Qt.Key.Key_Right: (-30, 0),
            Qt.Key.Key_Up: (0, 30),
            Qt.Key.Key_Down: (0, -30),
        }
        self.stop_turning()
        if key in turns:
            self.see_from(self.camera.orbited(*turns[Qt.Key(key)]))
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.see_from(self.camera.zoomed(1.25))
        elif key == Qt.Key.Key_Minus:
            self.see_from(self.camera.zoomed(0.8))
        elif key == Qt.Key.Key_F:
            self.fit()
        elif key == Qt.Key.Key_Space:
            self.hover.look_behind()
        else:
            super().keyPressEvent(event)
