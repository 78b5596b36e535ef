"""The reader's side: copies of a process that waits, one for each file."""

from __future__ import annotations

import logging
import os
import signal
import socket
import struct
import traceback
from pathlib import Path
from typing import Any, NoReturn

from ..core.files import read_bytes
from ..core.problem import SchabloneError
from .inputs import INPUTS
from .limits import TooLong, end_with_parent, limit
from .values import packed, unpacked

#: Length of a wish; number of the process that has it in hand.
LENGTH, NUMBER = struct.Struct("<Q"), struct.Struct("<q")


def serve(connection: socket.socket) -> None:
    """Take wishes until nobody is there to have any; each gets a process of its own, which writes
    to the pipe that came with the wish."""
    end_with_parent()
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # those that have ended are nobody's
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    while True:
        try:
            head, handles, _, _ = socket.recv_fds(connection, LENGTH.size, 1)
            if not head:
                return
            wish = _exactly(connection, LENGTH.unpack(head)[0])
        except (OSError, struct.error):
            return
        child = os.fork()
        if child == 0:
            connection.close()
            answer(wish, handles[0])
        for handle in handles:
            os.close(handle)
        connection.sendall(NUMBER.pack(child))


def _exactly(connection: socket.socket, count: int) -> bytes:
    found = bytearray()
    while len(found) < count:
        part = connection.recv(min(count - len(found), 1 << 20))
        if not part:
            raise OSError("the wish is cut off")
        found += part
    return bytes(found)


def answer(wish: bytes, handle: int) -> NoReturn:
    """Read the files of a wish in this process, which ends with it, and write what they hold to a
    pipe."""
    try:
        # What it starts itself, as a rehearsal of the kernel, it waits for.
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        logging.disable(logging.CRITICAL)  # what libraries say of damaged files
        kind, paths, extra = unpacked(wish)
        for number in (signal.SIGSEGV, signal.SIGABRT, signal.SIGFPE, signal.SIGBUS):
            signal.signal(number, signal.SIG_DFL)
        one = INPUTS[kind]
        limit(one.memory, one.seconds)
        _write(handle, packed([_told(kind, path, extra) for path in paths]))
    except TooLong:
        _write(handle, packed("time"))
    except MemoryError:
        _write(handle, packed("memory"))
    except BaseException:
        _write(handle, packed(("fault", traceback.format_exc())))
    finally:
        os._exit(0)


def _told(kind: str, path: Path, extra: Any) -> tuple[str, Any]:
    one = INPUTS[kind]
    try:
        return "holds", one.read(read_bytes(path, one.largest), path.name, extra)
    except SchabloneError as error:
        return "wrong", error.problems


def _write(handle: int, data: bytes) -> None:
    rest = memoryview(data)
    while rest:
        rest = rest[os.write(handle, rest) :]
