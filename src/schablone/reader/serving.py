"""The reader's side: copies of a process that waits, one for each file."""

from __future__ import annotations

import logging
import os
import signal
import socket
import traceback
from pathlib import Path
from typing import Any, NoReturn

from ..apart import serving as copies
from ..apart.limits import TooLong, limit
from ..core.files import read_bytes
from ..core.problem import SchabloneError
from .inputs import INPUTS
from .values import packed, unpacked


def serve(connection: socket.socket) -> None:
    """Read files for whoever wishes it, each wish in a process of its own: the answer goes to the
    pipe that came with it."""
    copies.serve(connection, lambda wish, handles: answer(wish, handles[0]))


def answer(wish: bytes, handle: int) -> NoReturn:
    """Read the files of a wish in this process, which ends with it, and write what they hold to a
    pipe."""
    try:
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
