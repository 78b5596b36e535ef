"""Work that may end the process, or never come to an end, done in a copy of it first.

The kernel offsets and rounds mostly well, but now and then it reads memory that is not its own, or
looks for something for minutes. What that would end, or hold up, is then only the copy.
"""

from __future__ import annotations

import os
import pickle
import signal
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from OCP.BinTools import BinTools
from OCP.TopoDS import TopoDS_Shape

from ..threads import do_without_threads

_in_copy = False

Facts = TypeVar("Facts")


def survives(work: Callable[[], object], seconds: int = 0) -> bool:
    """Whether a process that does this goes on after it, within some seconds where they are given;
    what the work gives or raises is not looked at. A copy takes it as it comes."""
    return _in_copy or not os.WIFSIGNALED(_status(work, seconds))


def comes_out(work: Callable[[], bool], seconds: int) -> bool:
    """Whether work comes out as true, within so many seconds, in a process that goes on after
    it."""
    if _in_copy:
        return work()
    status = _status(work, seconds)
    return os.WIFEXITED(status) and os.WEXITSTATUS(status) == 0


def made_apart(
    work: Callable[[], tuple[TopoDS_Shape, Facts] | None], seconds: int
) -> tuple[TopoDS_Shape, Facts] | None:
    """A shape that takes long to make, with plain facts about it, made in a copy of the process
    only, and taken over from there; None where the work comes to nothing, ends its process, or
    takes longer than so many seconds. The faces keep their order."""
    if _in_copy:
        return work()
    with tempfile.TemporaryDirectory(prefix="schablone-") as folder:
        shape_file, facts_file = Path(folder, "shape"), Path(folder, "facts")

        def leave() -> None:
            if (made := work()) is not None:
                BinTools.Write_s(made[0], str(shape_file))
                facts_file.write_bytes(pickle.dumps(made[1]))

        if os.WIFSIGNALED(_status(leave, seconds)) or not facts_file.exists():
            return None
        shape = TopoDS_Shape()
        if not BinTools.Read_s(shape, str(shape_file)) or shape.IsNull():
            return None
        facts: Facts = pickle.loads(facts_file.read_bytes())  # our own copy wrote it
        return shape, facts


def _status(work: Callable[[], object], seconds: int) -> int:
    """How a copy of this process ends that does some work: with 0 where that comes out as true."""
    global _in_copy
    child = os.fork()
    if child == 0:
        code = 1
        try:
            _in_copy = True
            do_without_threads()
            # A fault is told to the one who waits, and to no log.
            for number in (signal.SIGSEGV, signal.SIGABRT, signal.SIGFPE, signal.SIGBUS):
                signal.signal(number, signal.SIG_DFL)
            os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
            signal.signal(signal.SIGALRM, signal.SIG_DFL)
            signal.alarm(seconds)
            code = 0 if work() else 1
        except BaseException:
            pass
        finally:
            os._exit(code)
    return os.waitpid(child, 0)[1]
