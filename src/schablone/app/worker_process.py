"""A worker's process and what connects it with this one.

A worker and the window have most in common, which takes as long to load as all the rest. So what
workers are copies of is set aside once that is loaded, and before anything of the window is
(:func:`begin_workers`); hence there is no Qt here. A second worker, or one in the place of one that
ended, is there at once.
"""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from collections.abc import Callable, Sequence
from weakref import WeakSet

from ..apart.copies import Copy, Original

#: The module whose process workers are copies of.
_WORKER = "schablone.worker"
#: How long, s, it may keep a wish waiting.
_TAKES = 1.0

_processes: WeakSet[WorkerProcess] = WeakSet()


class WorkerProcess:
    """A worker: ``socket`` is its input and output, ``errors`` where the rest of what it says can
    be read, ``moves`` can be read from when something becomes known of it; then :attr:`end` as
    soon as it has ended. None of them waits."""

    def __init__(self, begin: Callable[[int, int], Copy | subprocess.Popen[bytes]]) -> None:
        """``begin`` gets the handles of its ends of both.

        Raises:
            OSError: where it cannot be begun.
        """
        self.socket, theirs = socket.socketpair()
        self.errors, said = os.pipe()
        try:
            self._process = begin(theirs.fileno(), said)
            self.moves = (
                self._process.life
                if isinstance(self._process, Copy)
                else os.pidfd_open(self._process.pid)
            )
        except OSError:
            self.socket.close()
            os.close(self.errors)
            raise
        finally:
            theirs.close()
            os.close(said)
        self.socket.setblocking(False)
        os.set_blocking(self.errors, False)
        self._is_held = True
        _processes.add(self)

    @property
    def pid(self) -> int:
        """Its number; 0 before it is there."""
        return self._process.pid

    @property
    def end(self) -> int:
        """From which can be read once it has ended; below 0 as long as nothing is known of it."""
        return self._process.end if isinstance(self._process, Copy) else self.moves

    @property
    def is_over(self) -> bool:
        """Whether it has ended."""
        if isinstance(self._process, Copy):
            return self._process.is_over
        return self._process.poll() is not None

    def kill(self) -> None:
        self._process.kill()

    def is_over_within(self, seconds: float) -> bool:
        """Whether it ends in so long a time."""
        if isinstance(self._process, Copy):
            return self._process.is_over_within(seconds)
        try:
            self._process.wait(seconds)
        except subprocess.TimeoutExpired:
            return False
        return True

    def let_go(self) -> None:
        """Close what connects it with this process; a second time does nothing."""
        if self._is_held:
            self._is_held = False
            self.socket.close()
            os.close(self.errors)
            if isinstance(self._process, Copy):
                self._process.let_go()
            else:
                os.close(self.moves)


def _let_all_go() -> None:
    """A copy of this process has nothing to do with workers of this one."""
    for process in list(_processes):
        process.let_go()


os.register_at_fork(after_in_child=_let_all_go)

_original: Original | None = None


def begin_workers() -> None:
    """Set aside what workers are copies of: a copy of this process, which has neither windows nor
    threads yet. Where that cannot be, the first worker begins a fresh one."""
    global _original
    try:
        _original = Original.copied(_serve_copies)
    except OSError:
        _original = None


def _serve_copies(connection: socket.socket) -> None:
    from ..worker.main import serve_copies  # loaded there, beside the window

    serve_copies(connection)


def a_worker(command: Sequence[str] = ()) -> WorkerProcess:
    """A worker; or what Python makes of another command.

    Raises:
        OSError: where it cannot be started.
    """
    return WorkerProcess(_copied if not command else lambda *ends: _run(command, *ends))


def _copied(connection: int, said: int) -> Copy:
    global _original
    if _original is not None:
        try:
            return _original.copy(handles=[connection, said], seconds=_TAKES)
        except OSError:
            _original.end()  # it has ended, or stands still
    _original = Original.begun(_WORKER)
    return _original.copy(handles=[connection, said], seconds=_TAKES)


def _run(command: Sequence[str], connection: int, said: int) -> subprocess.Popen[bytes]:
    return subprocess.Popen(
        [sys.executable, *command],
        stdin=connection,
        stdout=connection,
        stderr=said,
        env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )
