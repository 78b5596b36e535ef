"""Work that may end the process, done in a copy of it first.

The kernel offsets and rounds free surfaces mostly well, but now and then it reads memory that is
not its own. What that would end is then only the copy.
"""

from __future__ import annotations

import os
import signal
from collections.abc import Callable

from ..threads import do_without_threads


def survives(work: Callable[[], object], seconds: int = 0) -> bool:
    """Whether a process that does this goes on after it, within some seconds where they are given;
    what the work gives or raises is not looked at."""
    child = os.fork()
    if child == 0:
        try:
            do_without_threads()
            # A fault is told to the one who waits, and to no log.
            for number in (signal.SIGSEGV, signal.SIGABRT, signal.SIGFPE, signal.SIGBUS):
                signal.signal(number, signal.SIG_DFL)
            os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
            signal.signal(signal.SIGALRM, signal.SIG_DFL)
            signal.alarm(seconds)
            work()
        except BaseException:
            pass
        finally:
            os._exit(0)
    return not os.WIFSIGNALED(os.waitpid(child, 0)[1])
