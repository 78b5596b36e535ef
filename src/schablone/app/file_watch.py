"""Whether the file of the design in hand is changed by somebody else while it is open."""

from __future__ import annotations

from PySide6.QtCore import QFileSystemWatcher, QObject, QTimer, Signal

from .session import Session

#: How long, ms, to wait until whoever writes to the file is through.
_PAUSE = 400


class FileWatch(QObject):
    """Looks at the file of a session; ``changed`` when it holds something else than the session
    read or wrote."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self.session = session
        self._watcher = QFileSystemWatcher(self)
        self._pause = QTimer(self, singleShot=True, interval=_PAUSE)
        self._pause.timeout.connect(self._look)
        self._watcher.fileChanged.connect(lambda _: self._pause.start())
        self._watcher.directoryChanged.connect(lambda _: self._pause.start())
        session.file_changed.connect(self._follow)
        self._told = False

    def _follow(self) -> None:
        """Watch the file in hand and its folder: a file that is written whole takes the other one's
        place."""
        watched = [*self._watcher.files(), *self._watcher.directories()]
        path = self.session.path
        wanted = [str(path), str(path.parent)] if path is not None else []
        if gone := [one for one in watched if one not in wanted]:
            self._watcher.removePaths(gone)
        if fresh := [one for one in wanted if one not in watched]:
            self._watcher.addPaths(fresh)
        self._told = False

    def _look(self) -> None:
        self._follow_again()
        changed = self.session.is_changed_elsewhere()
        if changed and not self._told:
            self.changed.emit()
        self._told = changed

    def _follow_again(self) -> None:
        told = self._told
        self._follow()
        self._told = told
