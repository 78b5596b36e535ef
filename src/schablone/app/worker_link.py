"""The window's end of what connects it with a worker: bytes come and go as the event loop runs."""

from __future__ import annotations

import contextlib
import os
import socket
from collections.abc import Callable

from PySide6.QtCore import QObject, QSocketNotifier, Signal

from .worker_process import WorkerProcess

#: Bytes taken at a time.
_PART = 1 << 20
#: How long, s, a worker may take to end by itself, and to be gone once it was killed.
_PATIENCE, _GONE = 0.3, 1.0


class WorkerLink(QObject):
    """Signals: ``heard`` with what the worker answers, ``complained`` with what it says beside
    that, ``ended`` after the last of both."""

    heard = Signal(bytes)
    complained = Signal(bytes)
    ended = Signal()

    def __init__(self, process: WorkerProcess, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.process = process
        self.is_up = True
        self._unsent = bytearray()
        kinds = QSocketNotifier.Type
        self._answers = self._notified(process.socket.fileno(), kinds.Read, self._hear)
        self._errors = self._notified(process.errors, kinds.Read, self._hear_errors)
        self._moves = self._notified(process.moves, kinds.Read, self._moved)
        self._end: QSocketNotifier | None = None
        self._room = self._notified(process.socket.fileno(), kinds.Write, self._send_on)
        self._room.setEnabled(False)

    def _notified(
        self, handle: int, kind: QSocketNotifier.Type, then: Callable[[], None]
    ) -> QSocketNotifier:
        notifier = QSocketNotifier(handle, kind, self)
        notifier.activated.connect(then)
        return notifier

    @property
    def pid(self) -> int:
        """The number of the process; 0 once it has ended."""
        return self.process.pid if self.is_up else 0

    def send(self, data: bytes) -> None:
        """Send now what there is room for, and the rest as the worker reads."""
        if self.is_up:
            self._unsent += data
            self._send_on()

    def kill(self) -> None:
        """End it at once; ``ended`` follows."""
        if self.is_up:
            self.process.kill()

    def close(self) -> None:
        """Close its input, at which it ends by itself; kill it where it does not. What it still
        says nobody hears."""
        if not self.is_up:
            return
        self._be_quiet()
        with contextlib.suppress(OSError):  # it is gone already
            self.process.socket.shutdown(socket.SHUT_WR)
        # One that is not even there yet will find a closed input.
        if self.process.pid and not self.process.is_over_within(_PATIENCE):
            self.process.kill()
            self.process.is_over_within(_GONE)
        self.process.let_go()

    def _be_quiet(self) -> None:
        self.is_up = False
        for notifier in (self._answers, self._errors, self._moves, self._end, self._room):
            if notifier is not None:
                notifier.setEnabled(False)

    def _send_on(self) -> None:
        try:
            while self._unsent:
                del self._unsent[: self.process.socket.send(self._unsent)]
        except BlockingIOError:
            pass
        except OSError:  # it reads no more: that it ends is told by itself
            self._unsent.clear()
        self._room.setEnabled(self.is_up and bool(self._unsent))

    def _hear(self) -> None:
        """Take a part of what there is; where there is more, this is called again."""
        if data := self._part():
            self.heard.emit(data)

    def _part(self) -> bytes:
        try:
            data = self.process.socket.recv(_PART)
        except BlockingIOError:
            return b""
        except OSError:
            data = b""
        if not data:
            self._answers.setEnabled(False)  # it says no more
        return data

    def _hear_errors(self) -> None:
        if data := self._complaint():
            self.complained.emit(data)

    def _complaint(self) -> bytes:
        try:
            data = os.read(self.process.errors, _PART)
        except BlockingIOError:
            return b""
        if not data:
            self._errors.setEnabled(False)
        return data

    def _moved(self) -> None:
        if not self.process.is_over:
            if self._end is None and self.process.end >= 0:
                self._end = self._notified(self.process.end, QSocketNotifier.Type.Read, self._moved)
            return
        self._be_quiet()
        while data := self._part():
            self.heard.emit(data)
        while data := self._complaint():
            self.complained.emit(data)
        self.process.is_over_within(_GONE)
        self.process.let_go()
        self.ended.emit()
