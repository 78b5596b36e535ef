"""Puts the application together: theme, library, windows with their workers."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import (
    QEventLoop,
    QMessageLogContext,
    QObject,
    Qt,
    QTimer,
    QtMsgType,
    Signal,
    qInstallMessageHandler,
)
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication, QMainWindow

from ..core.bought import look_at_solids_by
from ..core.problem import Problem, SchabloneError
from ..reader import open_door
from . import bindings  # noqa: F401 - before any class of ours that Qt calls is made
from .cycles import collect_here, keep_what_is_loaded
from .demo import demo_designs
from .guard import begin_log, install
from .journal import Journal
from .library import Library
from .library_watch import LibraryWatch
from .main_window import MainWindow
from .rail import PLACES
from .reading import look_at_solid, read_file
from .scratch import scratch_file
from .session import Session
from .theme import DARK, LIGHT, apply_theme, load_fonts
from .view3d.view import PartView
from .worker_client import WorkerClient

if TYPE_CHECKING:
    from ..core.design import Design
    from .adjust.window import AdjustWindow


class _Bell(QObject):
    """Rung in any thread, heard in the window's."""

    rung = Signal(str)


class Application(QObject):
    """All open windows."""

    def __init__(self, library: Library | None = None, journal: Journal | None = None) -> None:
        super().__init__()
        look_at_solids_by(look_at_solid)
        self.library = library or Library()
        self.journal = journal
        self.windows: list[QMainWindow] = []
        #: What one window, or another run of the program, has kept is in force in all windows.
        self._watch = LibraryWatch(self.library, self)

    def open_design_window(self, path: Path | None, design: Design | None = None) -> MainWindow:
        """A window with a design: of a file, one that is no file yet, or the demo design where none
        is named."""
        worker = WorkerClient(processes=self.library.processes)
        worker.start()
        session = Session(self.library, self.journal)
        window = MainWindow(session, worker)
        self._watch.changed.connect(window.follow_library)
        window.files.edition_wanted.connect(self.open_edition_from(window))
        self.windows.append(window)
        if design is not None:
            session.take(design, None, saved=False)
        elif path is None:
            demos = demo_designs()
            demo = next(
                (demo for demo in demos if demo.stem == "entrance-slide"),
                demos[0] if demos else None,
            )
            if demo is not None:
                window.files.open_demo(demo)
        else:
            window.files.open_path(path)
        window.header.refresh()
        # What is loaded by now stays as long as the program runs: looking through all of it for
        # cycles would stop the window for a tenth of a second now and then.
        window.part.drawn.connect(keep_what_is_loaded)
        return window

    def tell(self, text: str) -> None:
        """Tell of a fault of the program in the window that is in hand."""
        windows = [
            window
            for window in self.windows
            if isinstance(window, MainWindow) and window.isVisible()
        ]
        for window in sorted(windows, key=lambda one: not one.isActiveWindow())[:1]:
            window.strip.ask(
                text, ("Show what happened", window.beside.show_log), ("All right", lambda: None)
            )

    def open_edition_from(self, window: MainWindow) -> Callable[[Path], None]:
        """What opens an edition for a window, and tells that window what is wrong with it."""

        def open_it(path: Path) -> None:
            try:
                self.open_adjust_window(path).show()
            except SchabloneError as error:
                window.files.trouble(error, "Not opened")

        return open_it

    def open_own(self, design: Design) -> None:
        """A window with a design that somebody made their own; it is not saved yet."""
        window = self.open_design_window(None, design)
        window.show()

    def open_adjust_window(self, path: Path) -> AdjustWindow:
        """A window that adjusts an edition.

        Raises:
            SchabloneError: where it is no sound edition.
        """
        from .adjust.window import AdjustWindow  # most windows are not of this kind

        edition = read_file(None, "edition", path)
        worker = WorkerClient(processes=self.library.processes)
        worker.start()
        window = AdjustWindow(edition, self.library, worker)
        self._watch.changed.connect(window.follow_library)
        window.design_wanted.connect(self.open_own)
        self.windows.append(window)
        return window


def make_qt() -> QApplication:
    """The Qt application with Schablone's typefaces and theme."""
    QGuiApplication.setHighDpiScaleFactorRoundingPolicy(
        Qt.HighDpiScaleFactorRoundingPolicy.PassThrough
    )
    existing = QApplication.instance()
    before = qInstallMessageHandler(_cannot_begin)
    application = existing if isinstance(existing, QApplication) else QApplication(sys.argv[:1])
    qInstallMessageHandler(before)
    collect_here(application)
    application.setApplicationName("schablone")
    application.setDesktopFileName("schablone")
    load_fonts()
    return application


def _cannot_begin(kind: QtMsgType, _: QMessageLogContext, text: str) -> None:
    """What Qt says while it begins; where it cannot, that is told in our words before it ends the
    process."""
    if kind != QtMsgType.QtFatalMsg:
        sys.stderr.write(f"{text}\n")
        return
    sys.stderr.write(
        "Schablone cannot open a window here: there is no screen that it can draw on. Look at "
        "DISPLAY, WAYLAND_DISPLAY and QT_QPA_PLATFORM; ./schablone works without a window.\n"
    )
    sys.stderr.flush()
    os._exit(2)


def open_application(options: argparse.Namespace) -> int:
    """Open what the command line asks for and run until the last window is closed."""
    open_door()
    qt = make_qt()
    library = Library()
    apply_theme(qt, DARK if library.settings.get("dark") else LIGHT)
    application = Application(library)
    begin_log()
    bell = _Bell()
    bell.rung.connect(application.tell, Qt.ConnectionType.QueuedConnection)
    install(application.tell, bell.rung.emit)
    path: Path | None = options.file
    if path is not None and not path.exists():
        print(f"There is no file “{path}”.", file=sys.stderr)
        return 2
    if options.picture is not None:
        return _picture(application, options)
    if path is not None and path.suffix.lower() == ".zip":
        try:
            application.open_adjust_window(path).show()
        except SchabloneError as error:
            print(error, file=sys.stderr)
            return 1
        return int(qt.exec())
    window = application.open_design_window(path)
    window.show()
    QTimer.singleShot(0, window.files.offer_left_behind)
    return int(qt.exec())


def _picture(application: Application, options: argparse.Namespace) -> int:
    """Render one window to a file once its part is there."""
    path: Path | None = options.file
    try:
        if options.view == "adjust" and (path is None or path.suffix.lower() != ".zip"):
            path = _edition_of(path)
        if path is not None and path.suffix.lower() == ".zip":
            window: QMainWindow = application.open_adjust_window(path)
        elif options.view in PLACES:
            window = application.open_design_window(path)
            window.go(options.view)
        else:
            print(
                f"There is no view “{options.view}”; there are {', '.join(PLACES)} and adjust.",
                file=sys.stderr,
            )
            return 2
    except SchabloneError as error:
        print(error, file=sys.stderr)
        return 1
    window.resize(*options.size)
    window.show()
    wait_for_part(window)
    saved = window.grab().save(str(options.picture))
    window.worker.close()  # type: ignore[attr-defined]
    if not saved:
        print(f"{options.picture} could not be written.", file=sys.stderr)
    return 0 if saved else 1


def _edition_of(design: Path | None) -> Path:
    """An edition of a design, or of the demo, in a folder that goes with the process.

    Raises:
        SchabloneError: where it cannot be published.
    """
    source = design or next(demo for demo in demo_designs() if demo.stem == "entrance-slide")
    target = scratch_file("edition.zip")
    command = [
        sys.executable,
        "-m",
        "schablone.cli.main",
        "publish",
        str(source),
        "-o",
        str(target),
        "--trial",
    ]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    if done.returncode:
        raise SchabloneError(
            Problem(
                area="publish",
                name=source.stem,
                what=done.stderr.strip() or "It cannot be published.",
            )
        )
    return target


def wait_for_part(window: QMainWindow, most: int = 30_000) -> None:
    """Let the application run until the window's worker has answered and the picture is drawn."""
    loop = QEventLoop()
    QTimer.singleShot(most, loop.quit)

    def look() -> None:
        done = window.is_finished() if isinstance(window, MainWindow) else window.is_settled()  # type: ignore[attr-defined]
        if done and all(view.is_refined for view in window.findChildren(PartView)):
            QTimer.singleShot(120, loop.quit)
        else:
            QTimer.singleShot(20, look)

    look()
    loop.exec()
