"""A worker's process and what connects it with this one.

A worker takes as long to begin as the window does. So the first one is begun before anything of the
window is loaded (:func:`begin_one`), and both load side by side; hence there is no Qt here.
"""

from __future__ import annotations

import os
import socket
import subprocess
import sys
from collections.abc import Sequence

#: What Python is given to be a worker.
COMMAND = ("-m", "schablone.worker")


class WorkerProcess:
    """A worker: ``socket`` is its input and output, ``errors`` where the rest of what it says can
    be read, ``end`` can be read from as soon as it has ended (pidfd_open(2)). None of them waits.

    Raises:
        OSError: where it cannot be started.
    """

    def __init__(self, command: Sequence[str] = COMMAND) -> None:
        self.socket, theirs = socket.socketpair()
        self.errors, said = os.pipe()
        try:
            self._process: subprocess.Popen[bytes] = subprocess.Popen(
                [sys.executable, *command],
                stdin=theirs.fileno(),
                stdout=theirs.fileno(),
                stderr=said,
                env={**os.environ, "PYTHONUNBUFFERED": "1"},
            )
            self.end = os.pidfd_open(self._process.pid)
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

    @property
    def pid(self) -> int:
        return self._process.pid

    def kill(self) -> None:
        self._process.kill()

    def is_over_within(self, seconds: float) -> bool:
        """Whether it ends in so long a time."""
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
            os.close(self.end)


_spare: WorkerProcess | None = None


def begin_one() -> None:
    """Begin a worker that :func:`a_worker` hands out. Copies of this process have nothing to do
    with it. Where it cannot be begun, the next try will tell."""
    global _spare
    try:
        _spare = WorkerProcess()
    except OSError:
        return
    os.register_at_fork(after_in_child=_spare.let_go)


def a_worker(command: Sequence[str] = COMMAND) -> WorkerProcess:
    """The worker that was begun before, or one that is begun now.

    Raises:
        OSError: where it cannot be started.
    """
    global _spare
    if _spare is None or command != COMMAND:
        return WorkerProcess(command)
    found, _spare = _spare, None
    return found
