"""A builder: a process that judges one point after the other.

It reads a task, then points, from its input, and writes what came of each to its output; it ends
with its input, or with the process that it is a copy of. What ends it at a point (a fault of the
kernel, too much memory or time) is for who asked to tell.
"""

from __future__ import annotations

import gc
import os
import socket
import sys
from pathlib import Path
from typing import Any

from ..apart import serving as copies
from ..apart.limits import allow_one_more, is_nearly_full, limit_worker
from ..core.design.facing import facing
from ..core.kernel.naming import speak_of
from ..core.kernel.threads import do_without_threads
from ..core.prove.ranges.allowed import point_from
from ..core.prove.ranges.judge import Failure, Judge, Outcome
from .kept import Kept, engine
from .talk import Lines, Task, line

#: So much processor time, s, may one point take.
LONGEST = 300
#: How much less of the processor it wants than a window that somebody works in.
_NICE = 10


def judge_of(task: Task, kept: Kept | None = None) -> Judge:
    """One that judges the points of a task, keeping what it builds."""
    kept = kept or Kept(Path(task.kept) if task.kept else None)
    allowed = task.allowed()
    speak_of(facing(allowed.design))
    return Judge(allowed, kept.get, kept.put, engine())


def too_large() -> Outcome:
    """What is said of a point that does not go into memory."""
    what = "It takes more memory than there is for one part."
    return Outcome((Failure("The part can be worked out", what, "Look for very many features."),))


def serve(connection: socket.socket) -> None:
    """Be what builders are copies of."""
    copies.serve(connection, lambda _, handles: _build(*handles), ready=_load_kernel)


def _load_kernel() -> None:
    """Nearly all builders need it: it is loaded once, as soon as there is something to build."""
    from ..core.kernel.occ import combine, meshing  # noqa: F401

    gc.freeze()


def _build(points: int, told: int) -> None:
    """A copy: judge the points that come until their end."""
    limit_worker()
    do_without_threads()
    os.nice(_NICE)
    answers = os.fdopen(told, "wb")
    os.dup2(2, 1)  # what the kernel prints must not get between the answers
    lines, judge = Lines(), None
    while data := os.read(points, 1 << 16):
        for message in lines.feed(data):
            if "task" in message:
                judge = judge_of(Task.model_validate(message["task"]))
                answers.write(line({"ready": os.getpid()}))
            elif judge is not None:
                answers.write(line({"number": message["number"], "outcome": _of(judge, message)}))
            answers.flush()


def _of(judge: Judge, message: dict[str, Any]) -> str:
    allow_one_more(LONGEST)
    try:
        outcome = judge.outcome(point_from(message["point"]))
    except MemoryError:
        outcome = too_large()
    if is_nearly_full():
        judge.memory.forget(0)
    return outcome.as_text()


if __name__ == "__main__":
    serve(socket.socket(fileno=int(sys.argv[1])))
