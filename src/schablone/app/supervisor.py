"""Whether a process that has work to do still works: its processor time goes on, or that of its
children.

That is its beat. A beat that the process sent by itself would stop while the geometry kernel is at
work, for seconds, since that holds the interpreter; this one goes on exactly as long as it works.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

#: How often a process is looked at, and how long its processor time may stand still while it has
#: work, ms.
_EVERY, _STILL = 1000, 8000


class Supervisor(QObject):
    """Looks at a process as long as it has work; ``stands_still`` tells of one that does nothing at
    it: stopped from outside, or waiting for what never comes. One that works hard for long is none
    of that: a person may give it up."""

    stands_still = Signal()

    def __init__(
        self, pid: Callable[[], int], has_work: Callable[[], bool], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._pid, self._has_work = pid, has_work
        self._seen: tuple[int, int] = (0, -1)
        self._still = 0
        self.timer = QTimer(self, interval=_EVERY)
        self.timer.timeout.connect(self.look)
        self.timer.start()
        self.patience = _STILL

    def look(self) -> None:
        """Look once."""
        pid = self._pid()
        if not pid or not self._has_work():
            self._still = 0
            return
        seen = (pid, processor_time(pid))
        self._still = self._still + self.timer.interval() if seen == self._seen else 0
        self._seen = seen
        if self._still >= self.patience:
            self._still = 0
            self.stands_still.emit()


def processor_time(pid: int) -> int:
    """The processor time that a process and its children have used, in ticks of the system; 0 where
    it is gone."""
    try:
        fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
        threads = os.listdir(f"/proc/{pid}/task")
        children = [
            child
            for t in threads
            for child in Path(f"/proc/{pid}/task/{t}/children").read_text().split()
        ]
    except OSError:
        return 0
    # user, system, and both of children that have ended (proc(5), fields 14 to 17)
    return sum(int(field) for field in fields[11:15]) + sum(
        processor_time(int(child)) for child in children
    )
