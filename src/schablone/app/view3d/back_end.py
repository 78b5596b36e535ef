"""What draws the parts of one view: loaded and made in steps, between which the window answers."""

from __future__ import annotations

from collections.abc import Iterator
from importlib import import_module
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

if TYPE_CHECKING:
    from .scene import Scene

#: How long after the view is seen the first step is taken, ms: the window is up before.
_AFTER = 40
#: What is loaded, each part on those before it.
_PARTS = (
    "vtkmodules.vtkCommonCore",
    "vtkmodules.vtkCommonDataModel",
    "vtkmodules.vtkRenderingCore",
    "vtkmodules.vtkRenderingOpenGL2",
    "schablone.app.view3d.scene",
)


class BackEnd(QObject):
    """One scene, made while the worker is at the first part, or at once where it is wanted
    sooner."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._made: Scene | None = None
        self._steps: Iterator[None] = iter(())
        self._timer = QTimer(self, interval=0)
        self._timer.timeout.connect(self._go_on)

    def begin(self) -> None:
        """Make it, a step at a time."""
        if self._made is None:
            self._steps = self._all_steps()
            QTimer.singleShot(_AFTER, self._timer.start)

    def scene(self) -> Scene:
        """The scene; what is missing of it is made now."""
        if self._made is None:
            for _ in self._all_steps():
                pass
        assert self._made is not None
        return self._made

    @property
    def is_made(self) -> bool:
        return self._made is not None

    def release(self) -> None:
        """Give back what it holds; the next that is wanted is another one."""
        self._timer.stop()
        self._steps = iter(())
        if self._made is not None:
            self._made.release()
        self._made = None

    def _go_on(self) -> None:
        if next(self._steps, self) is self:
            self._timer.stop()

    def _all_steps(self) -> Iterator[None]:
        for name in _PARTS:
            import_module(name)
            yield
        from .scene import Scene

        if self._made is None:
            self._made = Scene()
            yield
            self._made.warm_up()
