"""The sizes are worked out: at once where that takes a moment, else beside the window."""

from __future__ import annotations

import contextvars
import threading
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial

from PySide6.QtCore import QObject, QTimer, Signal

from ..core.design import Design
from ..core.design.evaluate import TableKeeper
from ..core.formula.value_table import ValueTable
from ..core.process import Process

#: So long, s, the window waits for it; and how often it looks after that, ms.
_AT_ONCE, _EVERY = 0.05, 15


@dataclass(frozen=True, slots=True)
class Wish:
    """What is to be worked out: a design under its process, and under those of its parts; with
    what its steps read off the part, and with formulas that are given for some sizes."""

    design: Design
    process: Process
    others: tuple[Process, ...] = ()
    measured: Mapping[str, float] = field(default_factory=dict)
    given: Mapping[str, str] = field(default_factory=dict)


class SheetWork(QObject):
    """Tables of values under a design's process and under those of its parts. ``worked_out`` tells
    that those are there which took longer than the window waits."""

    worked_out = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._keepers: dict[str, TableKeeper] = {}
        self._wanted: Wish | None = None
        self._work: _Work | None = None
        self._timer = QTimer(self, interval=_EVERY)
        self._timer.timeout.connect(self._look)

    @property
    def is_waited_for(self) -> bool:
        """Whether something is being worked out."""
        return self._wanted is not None

    def forget(self) -> None:
        """Another design comes: what was known says nothing of it."""
        self._keepers = {}

    def prepare(self, wish: Wish) -> bool:
        """Work it out; False where that takes its time: then ``worked_out`` tells of it, or of what
        was wished for after it."""
        self._wanted = wish
        if self._work is not None:
            return False  # it comes when that is done which is under way
        if self._begin(wish).is_done_within(_AT_ONCE):
            return self._end()
        self._timer.start()
        return False

    def table(self, wish: Wish, process: Process) -> ValueTable:
        """The table under a process of a wish; while one is waited for the last that there was."""
        keeper = self._keeper(process)
        if self.is_waited_for:
            return keeper.last or ValueTable()
        return keeper.table(wish.design, process, wish.measured, wish.given)

    def _keeper(self, process: Process) -> TableKeeper:
        return self._keepers.setdefault(process.name, TableKeeper())

    def _begin(self, wish: Wish) -> _Work:
        keepers = [(process, self._keeper(process)) for process in (wish.process, *wish.others)]
        self._work = _Work(wish, keepers)
        return self._work

    def _look(self) -> None:
        if self._work is not None and self._work.is_done_within(0.0) and self._end():
            self.worked_out.emit()

    def _end(self) -> bool:
        """What was under way is done; whether nothing else was wished for meanwhile."""
        work, self._work = self._work, None
        assert work is not None
        assert self._wanted is not None
        if work.wish is not self._wanted:
            self._begin(self._wanted)
            return False
        self._wanted = None
        self._timer.stop()
        if work.error is not None:
            raise work.error
        return True


class _Work:
    """One wish, worked out in a thread of its own. Designs and tables are values: nobody else
    changes them."""

    def __init__(self, wish: Wish, keepers: Sequence[tuple[Process, TableKeeper]]) -> None:
        self.wish = wish
        self._keepers = keepers
        self.error: Exception | None = None
        self._done = threading.Event()
        # What is said of faces goes by the design in hand, which the thread has to know.
        run = partial(contextvars.copy_context().run, self._run)
        threading.Thread(target=run, name="sizes", daemon=True).start()

    def is_done_within(self, seconds: float) -> bool:
        return self._done.wait(seconds)

    def _run(self) -> None:
        try:
            for process, keeper in self._keepers:
                wish = self.wish
                keeper.table(wish.design, process, wish.measured, wish.given)
        except Exception as error:
            self.error = error  # raised where it was wished for
        finally:
            self._done.set()
