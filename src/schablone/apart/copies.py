"""Processes that are copies of one that waits: what takes a second to load is loaded once.

Where there are windows or threads a process cannot be copied safely. So one that has neither is set
aside, the :class:`Original`, and copies itself for whoever has a wish. A wish is its length, then
its bytes; handles of open files go with it. The first of them is the life of the copy, a pipe: the
original writes the number of the process to it once that is there, and how it ended once it has
(:mod:`~schablone.apart.serving`). A life that closes without such words says that the original has
ended, and its copies with it.
"""

from __future__ import annotations

import contextlib
import os
import select
import signal
import socket
import struct
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from weakref import WeakSet

#: Length of a wish; number of a process, and how it ended.
LENGTH, NUMBER, STATUS = struct.Struct("<Q"), struct.Struct("<q"), struct.Struct("<i")

#: So long, s, may it take until the original tells how a copy ended.
_TELLS = 1.0

_originals: WeakSet[Original] = WeakSet()
_copies: WeakSet[Copy] = WeakSet()


class Original:
    """A process that waits to be copied. It ends with this one; ``pid`` is its number."""

    def __init__(self, connection: socket.socket, pid: int) -> None:
        self._connection, self.pid = connection, pid
        _originals.add(self)

    @classmethod
    def begun(cls, module: str) -> Original:
        """A fresh process that runs a module, which gets the number of its connection as its only
        argument and serves there.

        Raises:
            OSError: where it cannot be started.
        """
        ours, theirs = socket.socketpair()
        with theirs:
            process = subprocess.Popen(
                [sys.executable, "-m", module, str(theirs.fileno())],
                pass_fds=[theirs.fileno()],
                stdin=subprocess.DEVNULL,
            )
        process.returncode = 0  # it is waited for here, if at all
        return cls(ours, process.pid)

    @classmethod
    def copied(cls, serve: Callable[[socket.socket], object]) -> Original:
        """A copy of this process, which has neither windows nor threads yet.

        Raises:
            OSError: where it cannot be copied.
        """
        ours, theirs = socket.socketpair()
        pid = os.fork()
        if pid == 0:
            try:
                ours.close()
                serve(theirs)
            finally:
                os._exit(0)
        theirs.close()
        return cls(ours, pid)

    def copy(self, wish: bytes = b"", handles: Sequence[int] = (), seconds: float = 3.0) -> Copy:
        """A copy of it that fulfils a wish; the handles are there under other numbers. It waits
        for nothing but room for the wish, so many seconds at most.

        Raises:
            OSError: where nobody takes the wish; what has come of it on its way is nobody's.
        """
        ours, theirs = os.pipe()
        try:
            self._connection.settimeout(seconds)
            socket.send_fds(self._connection, [LENGTH.pack(len(wish))], [theirs, *handles])
            self._connection.sendall(wish)
        except OSError:
            os.close(ours)
            raise
        finally:
            os.close(theirs)
        return Copy(self, ours)

    def end(self) -> None:
        """End it, whatever it is at, and all its copies with it."""
        self.let_go()
        with contextlib.suppress(ProcessLookupError, ChildProcessError):
            os.kill(self.pid, signal.SIGKILL)  # one that stands still would do so for ever
            os.waitpid(self.pid, 0)

    def let_go(self) -> None:
        """Close the connection, at which it ends by itself, its copies with it."""
        self._connection.close()


class Copy:
    """A process that was asked for. ``life`` has something to read when something becomes known of
    it: :attr:`pid`, or that it :attr:`is_over`. Once :attr:`pid` is known, ``end`` does too as soon
    as it has ended (pidfd_open(2)), also where the original stands still."""

    def __init__(self, original: Original, life: int) -> None:
        self.life, self.end = life, -1
        self._original = original
        self._told = b""
        self._is_closed = False
        os.set_blocking(life, False)
        _copies.add(self)

    def _hear(self) -> None:
        while not self._is_closed:
            try:
                part = os.read(self.life, 64)
            except BlockingIOError:
                return
            self._told += part
            self._is_closed = not part
            if part and self.end < 0:
                with contextlib.suppress(OSError):  # it is over already, or handles are all used
                    self.end = os.pidfd_open(self._number())

    def _number(self) -> int:
        return int(NUMBER.unpack(self._told[: NUMBER.size])[0])

    @property
    def pid(self) -> int:
        """The number of the process; 0 before it is there."""
        self._hear()
        return self._number() if self._told else 0

    @property
    def is_over(self) -> bool:
        """Whether it has ended."""
        self._hear()
        return self._is_told or (self.end >= 0 and _has_something(self.end))

    @property
    def _is_told(self) -> bool:
        return self._is_closed or len(self._told) == NUMBER.size + STATUS.size

    @property
    def code(self) -> int:
        """Once it is over: its exit code, or minus the signal that ended it. Where the original
        does not tell within a moment, because it has ended or stands still, it was killed."""
        self._hear()
        until = time.monotonic() + _TELLS
        while not self._is_told and (left := until - time.monotonic()) > 0:
            _has_something(self.life, seconds=left)
            self._hear()
        status = self._told[NUMBER.size :]
        return os.waitstatus_to_exitcode(STATUS.unpack(status)[0]) if status else -signal.SIGKILL

    def is_there_within(self, seconds: float) -> bool:
        """Whether there is a process in so long a time."""
        return self._waited(lambda: self.pid != 0 or self.is_over, seconds) and self.pid != 0

    def is_over_within(self, seconds: float) -> bool:
        """Whether it ends in so long a time."""
        return self._waited(lambda: self.is_over, seconds)

    def _waited(self, is_so: Callable[[], bool], seconds: float) -> bool:
        until = time.monotonic() + seconds
        while not is_so():
            left = until - time.monotonic()
            if left <= 0 or not _has_something(self.life, self.end, seconds=left):
                return is_so()
        return True

    def kill(self) -> None:
        """End it at once. One that is not even there yet waits for an original that stands still:
        that is ended then."""
        if self.is_over:
            return
        if self.pid:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self._number(), signal.SIGKILL)
        else:
            self._original.end()

    def let_go(self) -> None:
        """Close its life: nobody wants to know of it any more. A second time does nothing."""
        for handle in (self.life, self.end):
            if handle >= 0:
                os.close(handle)
        self.life = self.end = -1
        self._is_closed = True


def _has_something(*handles: int, seconds: float = 0.0) -> bool:
    """Whether one of the handles can be read from within so long a time; those below 0 are none."""
    moves = select.poll()
    for handle in handles:
        if handle >= 0:
            moves.register(handle, select.POLLIN)
    return bool(moves.poll(1000 * seconds))


def _let_all_go() -> None:
    """A copy of this process has nothing to do with what this one holds."""
    for original in list(_originals):
        original.let_go()
    for copy in list(_copies):
        copy.let_go()


os.register_at_fork(after_in_child=_let_all_go)
