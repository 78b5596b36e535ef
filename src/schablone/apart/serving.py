"""The side of the process that is copied (see :mod:`~schablone.apart.copies`)."""

from __future__ import annotations

import contextlib
import os
import selectors
import signal
import socket
import struct
import time
import traceback
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import NoReturn

from .copies import LENGTH, NUMBER, STATUS
from .limits import end_with_parent

#: Handles that may come with a wish, its life among them.
_HANDLES = 8
#: What a copy does: it gets its wish and the handles that came with it.
Work = Callable[[bytes, list[int]], object]


@dataclass(slots=True)
class _Child:
    """A copy: its process, what tells of its end (pidfd_open(2)), and its life."""

    pid: int
    end: int
    life: int


def serve(
    connection: socket.socket,
    work: Work,
    meanwhile: Iterator[float] | None = None,
    ready: Callable[[], object] = lambda: None,
) -> None:
    """Copy this process for each wish until nobody is there to have any. While nobody has one,
    ``meanwhile`` goes on, which says after how many seconds it does so again; ``ready`` is called
    before the first copy is made."""
    end_with_parent()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    meanwhile = meanwhile or iter(())
    pause = next(meanwhile, None)
    goes_on = time.monotonic() + (pause or 0.0)
    is_ready = False
    with selectors.DefaultSelector() as moves:
        moves.register(connection, selectors.EVENT_READ)
        while True:
            left = None if pause is None else max(0.0, goes_on - time.monotonic())
            moved = moves.select(left)
            for key, _ in moved:
                if isinstance(key.data, _Child):
                    moves.unregister(key.fileobj)
                    _tell_end(key.data)
                    continue
                if (wish := _next_wish(connection)) is None:
                    return
                if not is_ready:
                    is_ready = True
                    ready()
                if (child := _copied(connection, moves, work, *wish)) is not None:
                    moves.register(child.end, selectors.EVENT_READ, child)
            if not moved:
                pause = next(meanwhile, None)
                goes_on = time.monotonic() + (pause or 0.0)


def _next_wish(connection: socket.socket) -> tuple[bytes, list[int]] | None:
    """The next wish and the handles that came with it; None where there will be no more."""
    try:
        head, handles, _, _ = socket.recv_fds(connection, LENGTH.size, _HANDLES)
        if not head:
            return None
        return _exactly(connection, LENGTH.unpack(head)[0]), handles
    except (OSError, struct.error):
        return None


def _copied(
    connection: socket.socket,
    moves: selectors.BaseSelector,
    work: Work,
    wish: bytes,
    handles: list[int],
) -> _Child | None:
    """The copy that fulfils a wish; None where the system makes none, which its life tells by being
    closed."""
    life, *others = handles
    try:
        pid = os.fork()
    except OSError:
        for handle in handles:
            os.close(handle)
        return None
    if pid == 0:
        _forget(connection, moves, life)
        _do(work, wish, others)
    for handle in others:
        os.close(handle)
    with contextlib.suppress(BrokenPipeError):  # nobody wants to know
        os.write(life, NUMBER.pack(pid))
    return _Child(pid, os.pidfd_open(pid), life)


def _forget(connection: socket.socket, moves: selectors.BaseSelector, life: int) -> None:
    """A copy has nothing to do with what the original holds."""
    for key in moves.get_map().values():
        if isinstance(key.data, _Child):
            os.close(key.data.end)
            os.close(key.data.life)
    moves.close()
    connection.close()
    os.close(life)


def _do(work: Work, wish: bytes, handles: list[int]) -> NoReturn:
    code = 1
    try:
        end_with_parent()
        work(wish, handles)
        code = 0
    except SystemExit as ending:
        code = ending.code if isinstance(ending.code, int) else 1
    except BaseException:
        traceback.print_exc()
    finally:
        os._exit(code)


def _tell_end(child: _Child) -> None:
    _, status = os.waitpid(child.pid, 0)
    with contextlib.suppress(BrokenPipeError):
        os.write(child.life, STATUS.pack(status))
    os.close(child.end)
    os.close(child.life)


def _exactly(connection: socket.socket, count: int) -> bytes:
    data = bytearray()
    while len(data) < count:
        part = connection.recv(min(count - len(data), 1 << 20))
        if not part:
            raise OSError("the wish is cut off")
        data += part
    return bytes(data)
