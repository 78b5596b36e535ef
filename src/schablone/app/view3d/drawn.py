"""The picture of the parts that a view shows: drawn at once where they are new, with smooth edges a
moment later, and kept until something of it changes."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSize, QTimer, Signal
from PySide6.QtGui import QImage

from ..theme import theme
from .back_end import BackEnd
from .camera import Camera
from .drawn_mesh import colour
from .looks import Looks, fill

if TYPE_CHECKING:
    from .scene import Scene

#: How long, ms, other parts are shown before their edges are drawn smooth.
_REFINED = 90


class DrawnParts(QObject):
    """``refined`` is emitted when it should be drawn once more, with smooth edges."""

    refined = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.is_coarse = False
        #: How often it was drawn.
        self.times = 0
        self._back_end = BackEnd(self)
        self._image: QImage | None = None
        self._is_stale = self._is_changed = True
        self._timer = QTimer(self, singleShot=True, interval=_REFINED)
        self._timer.timeout.connect(self.refine)

    def begin(self) -> None:
        """Load what draws, a step at a time."""
        self._back_end.begin()

    def release(self) -> None:
        """Give back what drawing needs; the next drawing takes it again."""
        self._back_end.release()
        self._image = None
        self.change()

    def change(self, *, is_new: bool = False) -> None:
        """The parts look otherwise; where they are others, they are drawn at once first."""
        self.is_coarse = self.is_coarse or is_new
        self._is_stale = self._is_changed = True

    def move(self) -> None:
        """They are looked at from elsewhere."""
        self._is_stale = True

    def refine(self) -> None:
        """Draw once more what was drawn at once."""
        self.is_coarse, self._is_stale = False, True
        self.refined.emit()

    def image(
        self,
        camera: Camera,
        size: QSize,
        ratio: float,
        looks: Callable[[], Looks],
        *,
        is_moving: bool,
    ) -> QImage | None:
        """The picture for a size in pixels of the window, of which each is ``ratio`` of the screen;
        drawn at twice the size for smooth edges, but for what ``is_moving`` or new."""
        if not self._is_stale and self._image is not None:
            return self._image
        scene = self._back_end.scene()
        if self.is_coarse:
            self._timer.start()
        elif not is_moving:
            ratio = max(2.0, ratio)
        if self._is_changed:
            fill(scene, looks())
            self._is_changed = False
        wide, high = max(2, round(size.width() * ratio)), max(2, round(size.height() * ratio))
        pixels = scene.render(camera, wide, high, colour(theme().view), ratio, quick=self.is_coarse)
        self._image = QImage(
            pixels.data, wide, high, 4 * wide, QImage.Format.Format_RGBX8888
        ).copy()
        self._is_stale = False
        self.times += 1
        return self._image

    @property
    def is_stale(self) -> bool:
        """Whether it is to be drawn again."""
        return self._is_stale

    def scene(self) -> Scene | None:
        """What the parts were drawn with, as long as nothing of them has changed since."""
        return self._back_end.scene() if self._back_end.is_made and not self._is_changed else None
