"""The windows beside the main one, each loaded when somebody opens it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, Any

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


class Beside:
    """Opens them for a main window, over which they stand."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.session = window, window.session

    def show_log(self) -> None:
        """The log, in a window of its own."""
        from .log_window import LogWindow

        LogWindow(self.window).show()

    def show_screws(self) -> None:
        """What holes for screws are drilled to."""
        from .screws_window import ScrewsWindow

        ScrewsWindow(self.session, self.window).show()

    def show_layout(self) -> LayoutWindow:
        """What is made and bought, and how it lies on sheets and beds."""
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

        window = SheetWindow(self.session, ask, self.window)
        share_keys(window, self.session, self.window.files.save)
        window.show()
        return window

    def show_stencils(self) -> StencilWindow:
        """The stencils of the design and of the shelf."""
        from .stencil_window import StencilWindow

        window = self.window
        shelf = StencilWindow(self.session, window.putting.pictures, window)
        shelf.put_wanted.connect(window.putting.begin)
        shelf.show()
        return shelf

    def show_gallery(self) -> GalleryWindow:
        """The practice gallery in a window of its own."""
        from .gallery_window import GalleryWindow

        window = self.window
        gallery = window.publish.gallery = GalleryWindow(self.session.library.gallery, window)
        gallery.open_wanted.connect(window.files.edition_wanted)
        gallery.told.connect(lambda _: window.publish.heard.take_from_gallery())
        gallery.show()
        return gallery

    def make_stencil(self, names: Sequence[str]) -> MakeStencilWindow:
        """A stencil of some steps of the design."""
        from .make_stencil_window import MakeStencilWindow

        making = MakeStencilWindow(self.session, names, self.window.shape.face_frames, self.window)
        making.show()
        return making

    def show_bought(self) -> BoughtWindow:
        """The bought parts of the design and of the shelf."""
        from .bought_window import BoughtWindow

        window = BoughtWindow(self.session, self.window)
        share_keys(window, self.session, self.window.files.save)
        window.show()
        return window

    def _ask(self, what: str, asked: str, lens: Lens, answered: Callable[[Any], None]) -> None:
        """Ask the worker something of the design."""
        session = self.session
        self.window.worker.ask(
            what, asked, session.design, lens, session.process, lambda answer, _: answered(answer)
        )
