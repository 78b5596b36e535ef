"""The windows beside the main one, each loaded when somebody opens it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any, TypeVar

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from ..core.process import Lens
from ..worker import talk
from .shared_keys import share_keys

if TYPE_CHECKING:
    from .bought_window import BoughtWindow
    from .drawing_sheet import SheetWindow
    from .gallery_window import GalleryWindow
    from .layout_window import LayoutWindow
    from .main_window import MainWindow
    from .make_stencil_window import MakeStencilWindow
    from .stencil_window import StencilWindow

_Window = TypeVar("_Window", bound=QWidget)


class Beside:
    """Opens them for a main window, over which they stand."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.session = window, window.session

    def show_log(self) -> None:
        """The log, in a window of its own."""
        from .log_window import LogWindow

        self._open(LogWindow, lambda: LogWindow(self.window))

    def show_screws(self) -> None:
        """What holes for screws are drilled to."""
        from .screws_window import ScrewsWindow

        self._open(ScrewsWindow, lambda: ScrewsWindow(self.session, self.window))

    def show_layout(self) -> LayoutWindow:
        """What is made and bought, and how it lies on sheets and beds; one more each time, so that
        two ways can be compared."""
        from .layout_window import LayoutWindow

        def ask(asked: talk.LayingOut, answered: Callable[[Any], None]) -> None:
            self._ask("lay out", asked.model_dump_json(), self.session.lens, answered)

        window = LayoutWindow(self.session, ask, self.window)
        share_keys(window, self.session, self.window.files.save)
        window.show()
        return window

    def show_sheet(self) -> SheetWindow:
        """The drawing sheet of the design."""
        from .drawing_sheet import SheetWindow

        def ask(path: str, answered: Callable[[Any], None]) -> None:
            self._ask("draw sheet", path, "wanted", answered)

        return self._open(
            SheetWindow, lambda: SheetWindow(self.session, ask, self.window), shares_keys=True
        )

    def show_stencils(self) -> StencilWindow:
        """The stencils of the design and of the shelf."""
        from .stencil_window import StencilWindow

        putting = self.window.putting

        def made() -> StencilWindow:
            shelf = StencilWindow(self.session, putting.pictures, self.window)
            shelf.put_wanted.connect(putting.begin)
            return shelf

        return self._open(StencilWindow, made)

    def show_gallery(self) -> GalleryWindow:
        """The practice gallery in a window of its own."""
        from .gallery_window import GalleryWindow

        window = self.window

        def made() -> GalleryWindow:
            gallery = window.publish.gallery = GalleryWindow(self.session.library.gallery, window)
            gallery.open_wanted.connect(window.files.edition_wanted)
            gallery.told.connect(lambda _: window.publish.heard.take_from_gallery())
            return gallery

        return self._open(GalleryWindow, made)

    def make_stencil(self, names: Sequence[str]) -> MakeStencilWindow:
        """A stencil of some steps of the design."""
        from .make_stencil_window import MakeStencilWindow

        making = MakeStencilWindow(self.session, names, self.window.shape.face_frames, self.window)
        making.show()
        return making

    def show_bought(self) -> BoughtWindow:
        """The bought parts of the design and of the shelf."""
        from .bought_window import BoughtWindow

        return self._open(
            BoughtWindow, lambda: BoughtWindow(self.session, self.window), shares_keys=True
        )

    def _open(
        self, kind: type[_Window], make: Callable[[], _Window], *, shares_keys: bool = False
    ) -> _Window:
        """The window of a kind that stands open, in front; or a new one. Two of a kind would each
        have their own of what is typed and not taken over yet."""
        for window in self.window.findChildren(kind):
            if window.isVisible():
                window.setWindowState(window.windowState() & ~Qt.WindowState.WindowMinimized)
                window.raise_()
                window.activateWindow()
                return window
        made = make()
        if shares_keys:
            share_keys(made, self.session, self.window.files.save)
        made.show()
        return made

    def _ask(self, what: str, asked: str, lens: Lens, answered: Callable[[Any], None]) -> None:
        """Ask the worker something of the design."""
        session = self.session
        self.window.worker.ask(
            what, asked, session.design, lens, session.process, lambda answer, _: answered(answer)
        )
