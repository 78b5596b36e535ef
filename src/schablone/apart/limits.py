"""What a process may use of the machine; more than that ends it, or raises where it can be told."""

from __future__ import annotations

import contextlib
import ctypes
import resource
import signal
from pathlib import Path
from types import FrameType

_PR_SET_PDEATHSIG = 1
#: A reader that waits for what never comes goes by itself after so many times its processor time.
WAITS = 3
#: Nothing of what is read is written out again but what a kernel wants to see as a file.
_LARGEST_WRITTEN = 64_000_000
#: Memory, MB, that a process which builds may have beyond what it begins with, and the processor
#: time, s, that it may take for one answer: what no part of anybody's has ever needed.
_WORKING, _ANSWER = 1000, 1200


class TooLong(BaseException):
    """The processor time is used up."""


#: What ends a process of :func:`limit` from outside, by what it had too much of: processor time,
#: or time in which it came to nothing.
ENDED_BY: dict[int, str] = {
    signal.SIGXCPU: "time",
    signal.SIGPROF: "time",
    signal.SIGALRM: "waiting",
}


def virtual_size() -> int:
    """The addresses that this process uses now, bytes."""
    pages = int(Path("/proc/self/statm").read_text("ascii").split()[0])
    return pages * resource.getpagesize()


def limit(memory: int, seconds: int) -> None:
    """From now on at most ``memory`` MB more and ``seconds`` of processor time more, for this
    process and all that it starts; what is beyond raises :class:`MemoryError` or
    :class:`TooLong`, and ends the process where nobody can raise (:data:`ENDED_BY`)."""
    most = virtual_size() + memory * 1_000_000
    used = int(sum(resource.getrusage(resource.RUSAGE_SELF)[:2]))
    signal.signal(signal.SIGXCPU, _too_long)
    for number in (signal.SIGALRM, signal.SIGPROF):
        signal.signal(number, signal.SIG_DFL)
    # Where a library is at it nobody can raise: a timer of the same clock ends it, a second later.
    signal.setitimer(signal.ITIMER_PROF, seconds + 1)
    signal.alarm(WAITS * seconds + 2)
    _lower(resource.RLIMIT_AS, most, most)
    _lower(resource.RLIMIT_CPU, used + seconds, used + seconds + 3)
    _lower(resource.RLIMIT_FSIZE, _LARGEST_WRITTEN, _LARGEST_WRITTEN)
    _lower(resource.RLIMIT_CORE, 0, 0)


def _data_size() -> int:
    """What this process has of memory of its own, bytes."""
    return int(Path("/proc/self/statm").read_text("ascii").split()[5]) * resource.getpagesize()


def is_nearly_full() -> bool:
    """Whether more than half of what a worker may have is taken."""
    most = resource.getrlimit(resource.RLIMIT_DATA)[0]
    return most != resource.RLIM_INFINITY and most - _data_size() < _WORKING * 500_000


def limit_worker() -> None:
    """For a process that builds, and lives as long as who asks it: what it may have of memory."""
    most = _data_size() + _WORKING * 1_000_000
    _lower(resource.RLIMIT_DATA, most, most)
    _lower(resource.RLIMIT_CORE, 0, 0)


def end_with_parent() -> None:
    """This process ends when the one that started it does, also while it is stopped (prctl(2),
    PR_SET_PDEATHSIG); where the system knows no such thing, its closed input ends it."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, int(signal.SIGKILL), 0, 0, 0)


def allow_one_more(seconds: int = _ANSWER) -> None:
    """So much processor time from now on as one answer may take; the process ends where it takes
    more."""
    used = int(sum(resource.getrusage(resource.RUSAGE_SELF)[:2]))
    hard = resource.getrlimit(resource.RLIMIT_CPU)[1]
    soft = used + seconds if hard == resource.RLIM_INFINITY else min(used + seconds, hard)
    resource.setrlimit(resource.RLIMIT_CPU, (soft, hard))


def _lower(what: int, soft: int, hard: int) -> None:
    """Set a limit, never above the one that there is."""
    there = resource.getrlimit(what)[1]
    if there != resource.RLIM_INFINITY:
        soft, hard = min(soft, there), min(hard, there)
    resource.setrlimit(what, (soft, hard))


def _too_long(_: int, __: FrameType | None) -> None:
    raise TooLong
