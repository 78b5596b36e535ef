"""The window's side of a range run: starts the process that directs it, tells it what is wanted,
takes what comes."""

from __future__ import annotations

import sys
from collections.abc import Sequence

from PySide6.QtCore import QObject, QProcess, Signal

from ..core.design import Design, write_design
from ..core.problem import Problem
from ..core.process import Process
from ..core.prove.ranges.result import say_proof
from ..prover.kept import usual_place
from ..prover.results import kept_result
from ..prover.talk import Lines, News, Task, Wish, message
from .ending import end_quietly

#: So often it may end by itself before a run is given up.
_MOST_ENDS = 3


def _task(design: Design, process: Process, known: Sequence[Process]) -> Task:
    text, kept = write_design(design), str(usual_place())
    return Task(design=text, process=process, known=tuple(known), kept=kept)


def proof_of(design: Design, process: Process, known: Sequence[Process]) -> str:
    """What others may be told of how a design was proved as it is; nothing where it was not."""
    return say_proof(kept_result(_task(design, process, known)))


class ProverClient(QObject):
    """One design at a time. What was built is kept by the process itself, so that one which is
    ended goes on where it was as soon as it is started again.

    Signals: ``ready`` with what may vary and what was found before; ``planned``, ``built`` and
    ``at`` while it runs; ``done`` with what was found; ``map_begun`` and ``place`` of maps;
    ``wrong`` with problems.
    """

    ready = Signal(dict)
    planned = Signal(dict)
    built = Signal(dict)
    at = Signal(str)
    done = Signal(dict)
    map_begun = Signal(dict)
    place = Signal(dict)
    wrong = Signal(tuple)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.is_running = self.is_paused = False
        self._task: Wish | None = None
        self._takes = 0
        self._ends = 0
        self._lines = Lines()
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._read)
        self._process.readyReadStandardError.connect(self._read_errors)
        self._process.finished.connect(self._ended)

    @property
    def pid(self) -> int:
        return int(self._process.processId())

    def take(self, design: Design, process: Process, known: Sequence[Process], builds: int) -> None:
        """Take up a design; what was at work for another is given up."""
        self._takes += 1
        self._task = Wish(task=_task(design, process, known), of=self._takes, builds=builds)
        self.is_running = self.is_paused = False
        self._ends = 0
        if self._process.state() == QProcess.ProcessState.NotRunning:
            self._begin()
        else:
            self._process.write(message(self._task))

    def run(self) -> None:
        """Build all that is planned; what is kept is not built again."""
        self.is_running, self.is_paused = True, False
        self._tell(Wish(do="run"))

    def pause(self, on: bool) -> None:
        """Begin nothing more for now, or go on."""
        self.is_paused = on
        self._tell(Wish(do="pause" if on else "go on"))

    def stop(self) -> None:
        """Give up what is not built yet; what was found until now is told."""
        self._tell(Wish(do="stop"))

    def map(self, across: str, up: str, number: int) -> None:
        """Build a map over two sizes; ``number`` comes back with its places."""
        self._tell(Wish(do="map", across=across, up=up, number=number))

    def close(self) -> None:
        """End it with the window."""
        self._task = None
        end_quietly(self._process)

    def _begin(self) -> None:
        assert self._task is not None
        self._lines = Lines()
        self._process.start(sys.executable, ["-m", "schablone.prover"])
        self._process.write(message(self._task))

    def _tell(self, wish: Wish) -> None:
        if self._process.state() == QProcess.ProcessState.NotRunning and self._task is not None:
            self._ends = 0  # it was given up; whoever asks again means it
            self._begin()
        self._process.write(message(wish))

    def _read_errors(self) -> None:
        sys.stderr.write(
            bytes(self._process.readAllStandardError().data()).decode("utf8", "replace")
        )

    def _read(self) -> None:
        for told in self._lines.feed(bytes(self._process.readAllStandardOutput().data())):
            news = News.model_validate(told)
            if self._task is None or news.of != self._task.of:
                continue  # of a design that was taken up before
            if news.done is not None or news.wrong is not None:
                self.is_running = False
                self._ends = 0
            for signal, what in (
                (self.ready, news.ready),
                (self.planned, news.planned),
                (self.built, news.built),
                (self.at, news.at),
                (self.done, news.done),
                (self.map_begun, news.map),
                (self.place, news.place),
                (self.wrong, news.wrong),
            ):
                if what is not None:
                    signal.emit(what)

    def _ended(self) -> None:
        if self._task is None:
            return
        self._ends += 1
        if self._ends > _MOST_ENDS:
            self.is_running = False
            what = "The range run ended several times by itself. What was built is kept."
            self.wrong.emit((Problem(area="design", what=what),))
            return
        was_running = self.is_running
        self._begin()
        if was_running:
            self.run()
