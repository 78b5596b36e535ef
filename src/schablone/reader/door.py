"""Our side of the door: who wants to know what a file holds asks here.

Where there are windows or threads a process cannot be copied safely. So one that has neither is set
aside at the start (:func:`open_door`), and is copied for each file; everywhere else the process
copies itself.
"""

from __future__ import annotations

import contextlib
import importlib
import os
import pickle
import select
import signal
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from ..apart.copies import Copy, Original
from ..apart.limits import ENDED_BY, WAITS
from ..core.problem import Problem, SchabloneError
from .inputs import INPUTS
from .serving import answer, serve
from .values import packed, unpacked

#: The most that comes back from one wish, bytes.
_MOST_BACK = 400_000_000
#: So long may the process that is set aside take to copy itself, and a fresh one to begin, s.
_COPIES, _BEGINS = 3.0, 30.0

_aside: Original | None = None


class ReaderFault(SchabloneError):
    """A fault of ours met a file; ``details`` is for the log."""

    def __init__(self, problem: Problem, details: str) -> None:
        super().__init__(problem)
        self.details = details


def open_door() -> None:
    """Set a copy of this process aside that reads files from now on. To be called before there are
    threads; a second call does nothing."""
    global _aside
    if _aside is None:
        _aside = Original.copied(serve)


class Reading:
    """Files that are being read. ``handle`` has something to take whenever it can be read from;
    ``take`` until it says that it is over; then ``outcomes``.

    Raises:
        SchabloneError: where no process can be had that reads.
    """

    def __init__(self, kind: str, paths: Sequence[Path], extra: Any = None) -> None:
        self.kind, self.paths = kind, list(paths)
        self._data = bytearray()
        self._outcome: Any = None
        # Loaded here it is loaded once: a copy of this process has it.
        importlib.import_module(f"schablone.{INPUTS[kind].values}")
        self._until = time.monotonic() + WAITS * INPUTS[kind].seconds + 5
        wish = packed((kind, [Path(path).absolute() for path in paths], extra))
        try:
            self.handle, self._process = _wish(wish)
        except OSError as error:
            raise _nobody_reads(error, paths) from None

    @property
    def patience(self) -> float:
        """So long, s, it is waited for at most."""
        return max(0.0, self._until - time.monotonic())

    def take(self) -> bool:
        """Take what there is; True once it is over."""
        part = os.read(self.handle, 1 << 20)
        self._data += part
        if len(self._data) > _MOST_BACK:
            self.give_up("memory")
        elif not part:
            try:
                self._outcome = unpacked(bytes(self._data))
            except MemoryError:
                self._outcome = "ended"
            except pickle.UnpicklingError:
                self._outcome = ENDED_BY.get(-self._code(), "ended")
            self._let_go()
        return self.handle < 0

    def give_up(self, why: str = "given up") -> None:
        """It is not waited for any more."""
        if self.handle >= 0:
            self._outcome = why
            if isinstance(self._process, Copy):
                self._process.kill()
            else:
                with contextlib.suppress(ProcessLookupError):
                    os.kill(self._process, signal.SIGKILL)
            self._let_go()

    def _code(self) -> int:
        """How the process ended that said nothing whole: minus the signal, where it was one."""
        if isinstance(self._process, Copy):
            return self._process.code
        ended = os.waitid(os.P_PID, self._process, os.WEXITED | os.WNOWAIT)
        return -ended.si_status if ended and ended.si_code != os.CLD_EXITED else 0

    def _let_go(self) -> None:
        os.close(self.handle)
        self.handle = -1
        if isinstance(self._process, Copy):
            self._process.let_go()
        else:
            os.waitpid(self._process, 0)

    def outcomes(self) -> list[Any]:
        """For each file what it holds, or the :class:`SchabloneError` that says why not.

        Raises:
            SchabloneError: where reading itself came to no end.
        """
        if not isinstance(self._outcome, list):
            raise _came_to_no_end(self._outcome, self.kind, self.paths)
        return [held if how == "holds" else SchabloneError(*held) for how, held in self._outcome]


def begin(kind: str, path: Path, extra: Any = None) -> Reading:
    """Begin to read a file; for who has something else to do meanwhile."""
    return Reading(kind, [path], extra)


def read(kind: str, path: Path, extra: Any = None) -> Any:
    """What a file holds, by a kind of :data:`~schablone.reader.inputs.INPUTS`; ``extra`` is what
    that kind wants to know beside it.

    Raises:
        SchabloneError: where it cannot be read, is none, or costs more than such a file may.
    """
    return only(_whole(Reading(kind, [path], extra)))


def only(reading: Reading) -> Any:
    """What the one file of a reading holds that is over.

    Raises:
        SchabloneError: where it was not read.
    """
    outcome = reading.outcomes()[0]
    if isinstance(outcome, SchabloneError):
        raise outcome
    return outcome


def read_all(kind: str, paths: Sequence[Path]) -> list[Any]:
    """The same for several files at once: for each what it holds, or the error."""
    if not paths:
        return []
    try:
        return _whole(Reading(kind, paths)).outcomes()
    except SchabloneError as error:
        if len(paths) == 1:
            return [error]
        # One of them ends the reader: which, is seen one by one.
        return [one for path in paths for one in read_all(kind, [path])]


def _whole(reading: Reading) -> Reading:
    while reading.handle >= 0:
        if not select.select([reading.handle], [], [], reading.patience)[0]:
            reading.give_up("waiting")
        else:
            reading.take()
    return reading


def _wish(wish: bytes) -> tuple[int, Copy | int]:
    """Hand a wish to a process of its own: from where its answer is read, and the process, by its
    number where it is a child of this one."""
    global _aside
    ours, theirs = os.pipe()
    try:
        if _aside is None:
            pid = os.fork()
            if pid == 0:
                os.close(ours)
                answer(wish, theirs)
            return ours, pid
        with contextlib.suppress(OSError):
            return ours, _handed(_aside, wish, theirs, _COPIES)
        _aside.end()  # it was ended from outside, or stands still
        _aside = Original.begun("schablone.reader")
        return ours, _handed(_aside, wish, theirs, _BEGINS)
    except OSError:
        os.close(ours)
        raise
    finally:
        os.close(theirs)


def _handed(aside: Original, wish: bytes, theirs: int, seconds: float) -> Copy:
    copy = aside.copy(wish, [theirs], seconds)
    if not copy.is_there_within(seconds):
        copy.let_go()
        raise OSError("nobody is there")
    return copy


def _nobody_reads(error: OSError, paths: Sequence[Path]) -> SchabloneError:
    name = paths[0].name
    what = f"{name} was not read: no process could be started for it ({error.strerror or error})."
    return SchabloneError(Problem(area="file", name=name, what=what, hint="Try again."))


def _came_to_no_end(why: Any, kind: str, paths: Sequence[Path]) -> SchabloneError:
    one = INPUTS[kind]
    name = paths[0].name if len(paths) == 1 else f"one of {len(paths)} files"
    if isinstance(why, tuple):
        what = f"{name} could not be read: this is a fault in Schablone, not in the file."
        hint = "What happened stands in the log. Nothing else is lost."
        return ReaderFault(Problem(area="file", name=name, what=what, hint=hint), str(why[-1]))
    cost = "It is damaged, or made to do harm. Nothing else is lost."
    what, hint = {
        "time": (f"{name} takes more than {one.seconds} s to read, so it is not opened.", cost),
        "memory": (f"{name} needs more than {one.memory} MB to read, so it is not opened.", cost),
        "waiting": (
            f"{name} was not read: it was waited for in vain.",
            "This machine is busy, or what the file lies on does not answer. Try again later.",
        ),
        "given up": (f"{name} was not read: you gave it up.", ""),
    }.get(why, (f"{name} ended its reader, so it is not opened.", cost))
    return SchabloneError(Problem(area="file", name=name, what=what, hint=hint))
