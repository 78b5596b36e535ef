"""Whether what the user keeps is changed elsewhere: by another window, or another run of the
program."""

from __future__ import annotations

import contextlib

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from .library import Library

#: How long, ms, to wait until whoever writes is through.
_PAUSE = 300


class LibraryWatch(QObject):
    """Looks at the folders of a library, and reads them again; ``changed`` where they hold
    something else than before."""

    changed = Signal()

    def __init__(self, library: Library, parent: QObject) -> None:
        super().__init__(parent)
        self.library = library
        self._seen = library.snapshot()
        self._watcher = QFileSystemWatcher(self)
        for folder in library.folders:
            with contextlib.suppress(OSError):  # where nothing can be kept, nothing is to be seen
                folder.mkdir(parents=True, exist_ok=True)
                self._watcher.addPath(str(folder))
        self._pause = QTimer(self, singleShot=True, interval=_PAUSE)
        self._pause.timeout.connect(self._look)
        self._watcher.directoryChanged.connect(lambda _: self._pause.start())

    def _look(self) -> None:
        self.library.read_own()
        now = self.library.snapshot()
        if now != self._seen:
            self._seen = now
            self.changed.emit()
