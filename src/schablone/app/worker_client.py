"""The window's side of the worker: sends requests, takes answers, starts it again when it ends or
stands still."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QTimer, Signal

from ..core.design import Design, write_design
from ..core.problem import Problem
from ..core.process import Lens, Process
from ..worker import talk
from ..worker.messages import Arrays, Unpacker, pack
from .guard import write_down
from .supervisor import Supervisor
from .worker_link import WorkerLink
from .worker_process import a_worker

#: Gets each answer to a question, with its arrays.
Answered = Callable[[Any, Arrays], None]

#: After how many ends of the worker at one request that request is given up.
_MOST_ENDS = 2

#: So many steps at most are left out since they ended the worker.
_MOST_LEFT_OUT = 3

#: How long a worker may take to begin, ms, before it is ended and started again.
_START_PATIENCE = 25_000

#: How long to wait before a program that could not be started at all is tried again, ms.
_START_AGAIN = 1000

#: How long a cancelled rebuild may go on, ms, before the worker is ended and started again.
_PATIENCE = 1500


#: What comes after a rebuild, for as long as nothing has changed.
_AFTERWARDS = (talk.Unfolded, talk.Near, talk.ComesOff, talk.Looked, talk.ReadOff)


class WorkerClient(QObject):
    """Rebuilds and exports, in another process.

    Signals: ``rebuilt`` with the report and arrays (see :mod:`schablone.worker.talk`), and
    then, if it is still the same, ``unfolded`` with the blanks of folded parts, ``near`` with what
    lies next to what, and ``looked`` with the checks that look at the whole shape;
    ``refused`` with a list of problems; ``progress`` with step number, count and name; ``working``
    when it begins or ends to be at work on a rebuild; ``started_again`` after it had to be
    restarted.
    """

    rebuilt = Signal(dict, dict)
    unfolded = Signal(list)
    near = Signal(list)
    comes_off = Signal(list)
    looked = Signal(list)
    refused = Signal(list)
    progress = Signal(int, int, str)
    working = Signal(bool)
    #: What the sizes are measures of, as plain data.
    read_off = Signal(object)
    started_again = Signal()
    #: It ended at the same rebuild again and again, which is given up.
    ended_at_it = Signal()

    def __init__(
        self, parent: QObject | None = None, processes: Callable[[], Sequence[Process]] = lambda: ()
    ) -> None:
        """``processes`` are those that parts of a design may name as theirs."""
        super().__init__(parent)
        self.processes = processes
        self._number = 0
        self._number_built = 0
        self._rebuild: talk.Rebuild | None = None
        #: The rebuild that was told whose shape is still being looked at, and the number of one
        #: that was asked for again since the worker ended at that.
        self._looking: talk.Rebuild | None = None
        self._looked_again = 0
        self._exports: dict[int, tuple[talk.Writing, Callable[[Any], None]]] = {}
        self._asked: dict[int, tuple[Any, Answered]] = {}
        self._given_up = 0
        self._ends = 0
        #: The step that is being built, and those that ended the worker as they were.
        self._at_step = self._ended_at = ""
        self._harmful: set[str] = set()
        self._closing = False
        self._unpacker = Unpacker()
        self._link: WorkerLink | None = None
        self._impatience = QTimer(self, singleShot=True, interval=_PATIENCE)
        self._impatience.timeout.connect(self._end_worker)
        #: What Python is given in the place of a worker; nothing for a worker.
        self.command: Sequence[str] = ()
        self.starting = QTimer(self, singleShot=True, interval=_START_PATIENCE)
        self.starting.timeout.connect(self._end_worker)
        self.supervisor = Supervisor(lambda: self.pid, self._has_work, self)
        self.supervisor.stands_still.connect(self._end_worker)

    def _has_work(self) -> bool:
        return self._rebuild is not None or bool(self._exports) or bool(self._asked)

    @property
    def pid(self) -> int:
        return self._link.pid if self._link is not None else 0

    @property
    def is_busy(self) -> bool:
        return self._rebuild is not None

    def start(self) -> None:
        """Start the worker; it loads the kernel on its own time. Where it cannot be started at all
        it is tried again a little later."""
        self._unpacker = Unpacker()
        self.starting.start()
        try:
            process = a_worker(self.command)
        except OSError:
            QTimer.singleShot(_START_AGAIN, self._ended)
            return
        self.use(WorkerLink(process, self))

    def use(self, link: WorkerLink) -> None:
        """Talk to this worker from now on. It gets what is open: it knows nothing that the window
        could build on, but the window still does."""
        if self._link is not None:
            self._link.deleteLater()
        self._link = link
        link.heard.connect(self._read)
        link.complained.connect(self._read_errors)
        link.ended.connect(self._ended)
        if self._rebuild is not None:
            self._send(self._rebuild)
        for request, _ in [*self._exports.values(), *self._asked.values()]:
            self._send(request)

    def close(self) -> None:
        """End the worker with the window. What was asked finds nobody any more."""
        self._closing = True
        self.starting.stop()
        self.supervisor.timer.stop()
        self._asked.clear()
        if self._link is not None:
            self._link.close()

    def rebuild(
        self,
        design: Design,
        lens: Lens,
        process: Process,
        known: dict[str, str],
        given: dict[str, str],
        until: str = "",
    ) -> None:
        """Ask for a rebuild, with ``until`` only up to that step. One under way for an older state
        is given up."""
        self._number += 1
        self._ends, self._at_step, self._ended_at = 0, "", ""
        self._looking = None
        self._rebuild = talk.Rebuild(
            id=self._number,
            **self._scene(design, lens, process),
            known=known,
            given=given,
            until=until,
        )
        self._send(self._rebuild)
        self.working.emit(True)

    def _scene(self, design: Design, lens: Lens, process: Process) -> dict[str, Any]:
        """What every request about a design says of it; ``others`` are the processes of parts that
        have one of their own."""
        names = design.own_processes()
        others = tuple(one for one in self.processes() if one.name in names) if names else ()
        return {"design": write_design(design), "lens": lens, "process": process, "others": others}

    def cancel(self) -> None:
        """Give up the rebuild under way: at its next step, or by ending the worker if that takes
        long."""
        if self._rebuild is not None:
            self._given_up = self._rebuild.id
            self._rebuild = None
            self._send(talk.Cancel(id=self._next()))
            self._impatience.start()
            self.working.emit(False)

    def export(
        self,
        design: Design,
        lens: Lens,
        process: Process,
        path: Path,
        done: Callable[[Any], None],
        given: dict[str, str] | None = None,
    ) -> None:
        """Write the parts to a file."""
        request = talk.Export(
            id=self._next(),
            **self._scene(design, lens, process),
            path=str(path),
            given=given or {},
        )
        self.write(request, done)

    def export_all(
        self,
        design: Design,
        process: Process,
        stem: Path,
        done: Callable[[Any], None],
        given: dict[str, str] | None = None,
    ) -> None:
        """Write all files that the machines of the parts take; ``stem`` is their path without an
        ending."""
        request = talk.ExportAll(
            id=self._next(),
            **self._scene(design, "sent", process),
            stem=str(stem),
            given=given or {},
        )
        self.write(request, done)

    def write_bend_sheet(
        self,
        design: Design,
        process: Process,
        part: str,
        path: Path,
        done: Callable[[Any], None],
    ) -> None:
        """Write the sheet by which a part is folded."""
        scene = self._scene(design, "sent", process)
        request = talk.WriteBendSheet(id=self._next(), **scene, path=str(path), part=part)
        self.write(request, done)

    def write(self, request: talk.Writing, done: Callable[[Any], None]) -> None:
        """Have files written; ``done`` gets the answer, :class:`~talk.Exported` or
        :class:`~talk.Refused`."""
        self._exports[request.id] = (request, done)
        self._send(request)

    def _next(self) -> int:
        self._number += 1
        return self._number

    def ask(
        self,
        what: str,
        size: str,
        design: Design,
        lens: Lens,
        process: Process,
        answered: Answered,
    ) -> int:
        """Ask what follows a size (``follow``), to try values of it (``try``), what lies between
        two spots (``gauge``, both names with a bar between them), or for the part after a step
        (``glance``); the number of the request.
        """
        request = talk.ABOUT[what](
            id=self._next(), **self._scene(design, lens, process), about=size
        )
        self._asked[self._number] = (request, answered)
        self._send(request)
        return self._number

    def ask_file(
        self,
        request: talk.Features | talk.PictureStencils | talk.Practise | talk.BendStrips,
        answered: Answered,
    ) -> int:
        """Ask what can be measured on an exported file, how stencils look, or let a practice
        machine make, bend and measure a piece."""
        request = request.model_copy(update={"id": self._next()})
        self._asked[request.id] = (request, answered)
        self._send(request)
        return self._number

    def forget(self, number: int) -> None:
        """Answers to a request are not wanted any more."""
        self._asked.pop(number, None)

    def _send(self, request: talk.Request) -> None:
        """What is sent before the worker is ready waits for it."""
        if self._link is not None:
            self._link.send(pack(request.model_dump(mode="json")))

    def _read_errors(self, data: bytes) -> None:
        """What the worker and the kernel say beside answering goes to whoever started the window;
        errors into the log too."""
        text = data.decode("utf8", "replace")
        sys.stderr.write(text)
        if "Error" in text or "Traceback" in text:
            write_down(text)

    def _read(self, data: bytes) -> None:
        for header, arrays in self._unpacker.feed(data):
            self._take(talk.answer_of(header), arrays)

    def _take(self, answer: talk.Answer, arrays: Arrays) -> None:
        number = answer.id
        if self._given_up and number >= self._given_up:
            # It has gone on after what was given up: there is nothing to end.
            self._given_up = 0
            self._impatience.stop()
        if isinstance(answer, talk.Ready):
            self.starting.stop()
        elif number in self._exports:
            if not isinstance(answer, talk.Progress):
                self._exports.pop(number)[1](answer)
        elif number in self._asked:
            answered = self._asked[number][1]
            if not isinstance(answer, talk.Tried | talk.Wiggled) or answer.last:
                self._asked.pop(number)
            answered(answer, arrays)
        elif isinstance(answer, _AFTERWARDS):
            if number == self._number_built and self._rebuild is None:
                if isinstance(answer, talk.Looked):
                    self._looking = None
                    self.looked.emit(answer.findings)
                elif isinstance(answer, talk.ComesOff):
                    self.comes_off.emit(answer.words)
                elif isinstance(answer, talk.Near):
                    self.near.emit(answer.pairs)
                elif isinstance(answer, talk.Unfolded):
                    self.unfolded.emit(answer.blanks)
                else:
                    self.read_off.emit(answer.measures)
        elif self._rebuild is not None and number == self._rebuild.id:
            self._take_rebuild(answer, arrays)
        # else nobody waits for it any more

    def _take_rebuild(self, answer: talk.Answer, arrays: Arrays) -> None:
        if isinstance(answer, talk.Progress):
            self._at_step = answer.name
            if answer.name:
                self.progress.emit(answer.step, answer.steps, answer.name)
            return
        if isinstance(answer, talk.GivenUp):
            return
        built, self._rebuild, self._number_built = self._rebuild, None, answer.id
        self.working.emit(False)
        if isinstance(answer, talk.RebuildDone):
            self._looking = built
            self.rebuilt.emit(answer.report, arrays)
        elif isinstance(answer, talk.Refused):
            self.refused.emit(list(answer.problems))

    def _end_worker(self) -> None:
        self._given_up = 0
        if self._link is not None:
            self._link.kill()

    def _ended(self) -> None:
        if self._closing:
            return
        self._ends += 1
        is_shorter = self._rebuild is not None and self._leave_out(self._rebuild)
        if not is_shorter and self._ends > _MOST_ENDS:
            # The same request ends the worker again and again: give it up, keep everything else.
            gave_up = self._rebuild is not None or bool(self._exports)
            self._rebuild = None
            for _, done in list(self._exports.values()):
                done(talk.Refused(problems=(_ENDED,)))
            self._exports.clear()
            for _, answered in list(self._asked.values()):
                answered(talk.Refused(problems=(_ENDED,)), {})
            self._asked.clear()
            if gave_up:
                self.working.emit(False)
                self.refused.emit([_ENDED])
                self.ended_at_it.emit()
        self._at_step = ""
        self._look_again()
        self.started_again.emit()
        self.start()

    def _look_again(self) -> None:
        """Ask once more for what the worker was still looking at; where it ended at that as well,
        that is told in the place of what it would have said."""
        looking, self._looking = self._looking, None
        if looking is None or self._rebuild is not None:
            return
        if looking.id != self._looked_again:
            self._rebuild, self._looked_again = looking, looking.id
            self.working.emit(True)
        else:
            self.looked.emit([_NOT_LOOKED_AT])

    def _leave_out(self, rebuild: talk.Rebuild) -> bool:
        """Ask again without the step at which the worker ended, where it did so twice; or at once
        where it is known for that. False where no step, or too many, are to blame."""
        step, before = self._at_step, rebuild.without
        if not step or step in before or len(before) >= _MOST_LEFT_OUT:
            return False
        again, self._ended_at = step == self._ended_at, step
        if not again and step not in self._harmful:
            return False
        self._harmful.add(step)
        self._rebuild = rebuild.model_copy(update={"without": (*before, step)})
        self._ends = 0
        return True


_NOT_LOOKED_AT = talk.FindingReport(
    name="The whole shape can be looked at",
    holds=False,
    why="The geometry kernel ended twice while it looked at the part.",
    hint="Look for faces that only just touch, and for very thin places.",
    own=False,
    area="design",
    place="",
)
_ENDED = Problem(
    area="design",
    what="The part could not be worked out: the geometry kernel ended several times at it.",
    hint="Undo the last change. Your design is not lost.",
)
