"""The side of the process that is copied (see :mod:`~schablone.apart.copies`)."""

from __future__ import annotations

import contextlib
import os
import select
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


def serve(connection: socket.socket, work: Work, meanwhile: Iterator[float] | None = None) -> None:
    """Copy this process for each wish until nobody is there to have any. While nobody has one,
    ``meanwhile`` goes on, which says after how many seconds it does so again."""
    end_with_parent()
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    children: dict[int, _Child] = {}
    meanwhile = meanwhile or iter(())
    pause = next(meanwhile, None)
    goes_on = time.monotonic() + (pause or 0.0)
    wishes = connection.fileno()
    while True:
        left = None if pause is None else max(0.0, goes_on - time.monotonic())
        moved, _, _ = select.select([wishes, *children], [], [], left)
        for handle in moved:
            if handle != wishes:
                _tell_end(children.pop(handle))
            elif (child := _one_more(connection, work, children)) is not None:
                children[child.end] = child
            else:
                return
        if not moved:
            pause = next(meanwhile, None)
            goes_on = time.monotonic() + (pause or 0.0)


def _one_more(connection: socket.socket, work: Work, children: dict[int, _Child]) -> _Child | None:
    """The copy for the next wish; None where there will be no more."""
    try:
        head, handles, _, _ = socket.recv_fds(connection, LENGTH.size, _HANDLES)
        if not head:
            return None
        wish = _exactly(connection, LENGTH.unpack(head)[0])
    except (OSError, struct.error):
        return None
    life, *others = handles
    pid = os.fork()
    if pid == 0:
        connection.close()
        os.close(life)
        for child in children.values():
            os.close(child.end)
            os.close(child.life)
        _do(work, wish, others)
    for handle in others:
        os.close(handle)
    with contextlib.suppress(BrokenPipeError):  # nobody wants to know
        os.write(life, NUMBER.pack(pid))
    return _Child(pid, os.pidfd_open(pid), life)


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
    found = bytearray()
    while len(found) < count:
        part = connection.recv(min(count - len(found), 1 << 20))
        if not part:
            raise OSError("the wish is cut off")
        found += part
    return bytes(found)
