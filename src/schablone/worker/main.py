"""The worker: reads requests from standard input, answers on standard output, one at a time.

A newer rebuild request, or ``cancel``, ends the one at work at its next step. What the kernel
prints goes to standard error, so that it cannot get between the messages.
"""

from __future__ import annotations

import gc
import os
import queue
import socket
import sys
import threading
import traceback
from collections.abc import Iterator
from dataclasses import dataclass, replace
from importlib import import_module
from io import BufferedReader
from typing import TYPE_CHECKING, BinaryIO

from ..apart.limits import allow_one_more, end_with_parent, is_nearly_full, limit_worker
from ..apart.serving import serve
from ..core.design import Design
from ..core.design.facing import facing
from ..core.design.file import read_design_text
from ..core.design.measures import measures_of
from ..core.design.rebuild import Cancelled, Memory, rebuild
from ..core.kernel.body import Body
from ..core.kernel.folding import half_bent
from ..core.kernel.mesh import FOR_LOOKING, Mesh
from ..core.kernel.naming import speak_of
from ..core.problem import Problem, SchabloneError, errors
from ..core.process.lens import LensView
from ..core.prove import close_findings
from ..core.prove.deviation import deviations
from ..core.prove.follows import what_follows
from ..core.prove.nearness import Neighbours, neighbours
from ..core.prove.trying import values_to_try
from ..core.prove.ways_off import ways_off
from ..core.quantity import Kind, formula_of
from ..core.steps.measure import Measure
from ..core.steps.workshop import StepError
from . import talk
from .blank_report import blanks_of
from .drawing import drawn, sizes_drawn
from .faults import TOO_LARGE, our_fault, without_steps
from .messages import Arrays, Unpacker, pack
from .report import FOR_A_GLANCE, report_of, said

if TYPE_CHECKING:
    from .laying import KnownLayouts

#: How often the collector of cycles looks: bodies and sheets, which are kept by the thousand, have
#: none, and looking through them would stop an edit for a tenth of a second.
_COLLECTS = (20_000, 20, 50)
#: How many pairs of what lies next to each other are told; all are checked.
_MOST_PAIRS = 200
#: What sketches are solved and put together with, in parts.
_FOR_SKETCHES = ("scipy.linalg", "scipy.sparse.csgraph", "scipy.sparse.linalg", "scipy.spatial")
#: Seconds without a request after which the kernel is loaded.
_LONG_PAUSE = 15.0


class Worker:
    """Answers requests from a queue that a reading thread fills."""

    def __init__(self, source: BufferedReader, sink: BinaryIO) -> None:
        self.source, self.sink = source, sink
        self.requests: queue.Queue[talk.Request | _Unread | None] = queue.Queue()
        self.newest = self.newest_sheet = 0
        self.memory = Memory()
        self.layouts: KnownLayouts | None = None
        self.kernel_loaded = False

    def read_requests(self) -> None:
        unpacker = Unpacker()
        while data := self.source.read1(1 << 16):
            for header, _ in unpacker.feed(data):
                try:
                    request = talk.request_of(header)
                except ValueError as error:
                    self.requests.put(_Unread(int(header.get("id", 0)), error))
                    continue
                if isinstance(request, talk.Rebuild | talk.Cancel):
                    self.newest = request.id
                if isinstance(request, talk.DrawSheet) and not request.about:
                    self.newest_sheet = request.id
                if not isinstance(request, talk.Cancel):
                    self.requests.put(request)
        self.requests.put(None)

    def run(self) -> None:
        gc.freeze()
        gc.set_threshold(*_COLLECTS)
        threading.Thread(target=self.read_requests, daemon=True).start()
        self.send(talk.Ready())
        while (request := self.next_request()) is not None:
            try:
                allow_one_more()
                self.answer(request)
            except Cancelled:
                self.send(talk.GivenUp(id=request.id))
            except SchabloneError as error:
                self.send(talk.Refused(id=request.id, problems=error.problems))
            except MemoryError:
                self.memory.forget(0)
                self.send(talk.Refused(id=request.id, problems=(TOO_LARGE,)))
            except Exception as error:
                traceback.print_exc()
                self.send(talk.Refused(id=request.id, problems=(our_fault(error),), ours=True))
            if is_nearly_full():
                self.memory.forget_half()

    def next_request(self) -> talk.Request | _Unread | None:
        """Wait for a request; a long pause is used to load the kernel, which takes seconds and
        which most rebuilds do without."""
        if not self.kernel_loaded:
            try:
                return self.requests.get(timeout=_LONG_PAUSE)
            except queue.Empty:
                from ..core.kernel.occ import combine, meshing  # noqa: F401

                self.kernel_loaded = True
        return self.requests.get()

    def send(self, answer: talk.Answer, arrays: Arrays | None = None) -> None:
        self.sink.write(pack(answer.model_dump(mode="json"), arrays))
        self.sink.flush()

    def answer(self, request: talk.Request | _Unread) -> None:
        if isinstance(request, _Unread):
            raise request.error
        assert not isinstance(request, talk.Cancel)
        if not isinstance(request, talk.Rebuild | talk.Writing | talk.About):
            from .without_design import answer_of_files  # here: most workers are never asked for it

            self.send(answer_of_files(request))
            return
        design = read_design_text(request.design)
        speak_of(facing(design))
        view = design.seen(request.lens, request.process, request.others)
        match request:
            case talk.Rebuild():
                self.rebuild(request, design, view)
            case talk.Export() | talk.ExportAll() | talk.WriteBendSheet():
                self.write(request, design, view)
            case talk.TieFaces():
                from .tying import ties_told  # here: it needs the geometry kernel

                self.send(ties_told(request, design, view, self.memory))
            case talk.Wiggle():
                from .tying import swings

                for told, arrays in swings(request, design, view, self.memory):
                    self.send(told, arrays)
            case _:
                self.answer_about(request, design, view)

    def answer_about(self, request: talk.About, design: Design, view: LensView) -> None:
        """What is asked about a design."""
        match request:
            case talk.Follow():
                self.follow(request, design, view)
            case talk.Try():
                self.try_values(request, design, view)
            case talk.GaugeBetween():
                self.gauge(request, design, view)
            case talk.Deviate():
                self.deviate(request, design, view)
            case talk.Glance():
                self.glance(request, design, view)
            case talk.BendTo():
                self.bend_to(request, design, view)
            case talk.LayOut():
                self.lay_out(request, design, view)
            case talk.DrawSheet():
                self.draw_sheet(request, design, view)
            case talk.DrawSizes():
                self.draw_sizes(request, design, view)
            case talk.BuildAt():
                self.build_at(request, design, view)

    def rebuild(self, request: talk.Rebuild, design: Design, view: LensView) -> None:
        """The part; then its blanks, what its sizes measure, and the checks that look at the whole
        shape, unless it has changed."""

        def progress(number: int, count: int, name: str) -> None:
            if self.newest != request.id:
                raise Cancelled
            self.send(talk.Progress(id=request.id, step=number, steps=count, name=name))

        design, ended = without_steps(design, request.without)
        built = rebuild(design, view, self.memory, request.given, progress, request.until)
        built.problems.extend(ended)
        self.send(talk.Progress(id=request.id, step=len(design.steps), steps=len(design.steps)))
        meshes: dict[str, Mesh] = {}
        report, arrays = report_of(design, built, request.known, meshes=meshes)
        self.send(talk.RebuildDone(id=request.id, report=report), arrays)
        if self.newest == request.id:
            self.send(talk.Unfolded(id=request.id, blanks=blanks_of(design, built)))
            self.send(talk.ReadOff(id=request.id, measures=measures_of(design, built).as_data()))
        pairs: list[Neighbours] = []
        if len(built.bodies) + len(built.things) > 1:
            pairs = neighbours(design, built, meshes, lambda: self.newest == request.id)
        # Also where there is nothing: what lay next to each other before is no longer so.
        self.send(talk.Near(id=request.id, pairs=[_pair(pair) for pair in pairs[:_MOST_PAIRS]]))
        findings = close_findings(
            design, built, meshes, lambda: self.newest == request.id, pairs, lightly=True
        )
        self.send(talk.Looked(id=request.id, findings=said(findings)))
        if len(built.bodies) > 1 and view.lens == "wanted" and self.newest == request.id:
            # Last of all, and given up as soon as anything else is asked.
            off = ways_off(design, built, meshes, self.is_idle)
            if self.is_idle():
                words = [one.words() for one in off]
                self.send(talk.ComesOff(id=request.id, words=words))

    def is_idle(self) -> bool:
        """Whether nothing else is asked."""
        return self.requests.empty()

    def may_look_on(self) -> bool:
        """Whether nothing is asked that cannot wait. Two that can must not give way to each other
        for ever."""
        return self.requests.empty() or all(map(_may_wait, list(self.requests.queue)))

    def write(self, request: talk.Writing, design: Design, view: LensView) -> None:
        """Write files for machines."""
        from .writing import written  # here: most workers write none

        def progress(number: int, count: int, name: str) -> None:
            self.send(talk.Progress(id=request.id, step=number, steps=count, name=name))

        self.send(written(request, design, view, self.memory, progress))

    def _must_have_value(
        self, request: talk.Follow | talk.Try, design: Design, view: LensView
    ) -> Kind:
        """The kind of the size that is asked about.

        Raises:
            SchabloneError: where it has no value.
        """
        cell = rebuild(design, view, self.memory).table.cells.get(request.about)
        if cell is None:
            what = f"“{request.about}” has no value yet."
            raise SchabloneError(
                Problem(area="size", name=request.about, what=what, hint="Mend its formula first.")
            )
        return cell.wanted.kind

    def follow(self, request: talk.Follow, design: Design, view: LensView) -> None:
        """Which faces follow a size."""
        self._must_have_value(request, design, view)
        follows = what_follows(design, view, request.about, self.memory)
        self.send(
            talk.Followed(
                id=request.id,
                size=request.about,
                moved=sorted(follows.moved),
                stays=sorted(follows.stays),
                came=sorted(follows.came),
                went=sorted(follows.went),
                from_=list(follows.from_),
                to=list(follows.to),
                trouble=follows.trouble,
            )
        )

    def gauge(self, request: talk.GaugeBetween, design: Design, view: LensView) -> None:
        """What lies between two spots or faces, as a measure that is not kept."""
        first, _, second = request.about.partition(" | ")
        built = rebuild(design, view, self.memory)
        try:
            ends = Measure(name="gauge", first=first, second=second).ends(built.bodies)
        except StepError as error:
            raise SchabloneError(Problem(area="design", what=error.what, hint=error.hint)) from None
        self.send(talk.Gauged(id=request.id, ends=ends))

    def deviate(self, request: talk.Deviate, design: Design, view: LensView) -> None:
        """How far the faces of what is expected lie from those wanted, by part, in the order of the
        report's faces."""
        wanted = rebuild(design, replace(view, lens="wanted"), self.memory)
        expected = rebuild(design, replace(view, lens="expected"), self.memory)
        by_face = {
            name: deviations(body.mesh(FOR_LOOKING), wanted.bodies[name].mesh(FOR_LOOKING))
            for name, body in expected.bodies.items()
            if name in wanted.bodies
        }
        self.send(talk.Deviated(id=request.id, parts=by_face))

    def glance(self, request: talk.Glance, design: Design, view: LensView) -> None:
        """The part as it is after a step, for a small picture."""
        built = rebuild(design, view, self.memory, until=request.about)
        report, arrays = report_of(design, built, {}, FOR_A_GLANCE)
        self.send(talk.Glanced(id=request.id, step=request.about, report=report), arrays)

    def build_at(self, request: talk.BuildAt, design: Design, view: LensView) -> None:
        """The part with other formulas for some sizes."""
        asked = talk.AtAsked.model_validate_json(request.about)
        built = rebuild(design, view, self.memory, asked.given)
        finely = FOR_A_GLANCE if asked.small else FOR_LOOKING
        report, arrays = report_of(design, built, {}, finely)
        self.send(talk.BuiltAt(id=request.id, report=report), arrays)

    def bend_to(self, request: talk.BendTo, design: Design, view: LensView) -> None:
        """Folded parts on their way from flat to folded."""
        share = float(request.about)
        built = rebuild(design, replace(view, lens="wanted"), self.memory)
        bodies = {
            name: body if body.folded is None else Body.of_sheet(half_bent(body.folded, share))
            for name, body in built.bodies.items()
        }
        figures = {name: body.figures() for name, body in bodies.items()}
        report, arrays = report_of(design, replace(built, bodies=bodies, figures=figures), {})
        self.send(talk.BentTo(id=request.id, report=report), arrays)

    def draw_sheet(self, request: talk.DrawSheet, design: Design, view: LensView) -> None:
        """The parts as they are wanted, on a drawing sheet. One that is only looked at is given up
        where the part waits, or a later one."""

        def still_wanted() -> None:
            if not request.about and max(self.newest, self.newest_sheet) > request.id:
                raise Cancelled

        still_wanted()
        built = rebuild(design, replace(view, lens="wanted"), self.memory)
        pages, size = drawn(design, built, request.about, still_wanted)
        self.send(talk.SheetDrawn(id=request.id, pages=pages, path=request.about, bytes=size))

    def draw_sizes(self, request: talk.DrawSizes, design: Design, view: LensView) -> None:
        """Where sizes are measured, on the parts as they are wanted."""
        asked = talk.SizesAsked.model_validate_json(request.about)
        built = rebuild(design, replace(view, lens="wanted"), self.memory, asked.given)
        self.send(talk.SizesDrawn(id=request.id, pages=sizes_drawn(design, built, asked.sizes)))

    def lay_out(self, request: talk.LayOut, design: Design, view: LensView) -> None:
        """The parts as they are sent, on sheets and beds; and what is made and bought."""
        # Here: the first picture needs none of it.
        from .laying import KnownLayouts, cut_bars, laid_out, listed

        self.layouts = self.layouts or KnownLayouts()
        asked = talk.LayingOut.model_validate_json(request.about)
        sent = rebuild(design, replace(view, lens="sent"), self.memory)
        wrong = errors(sent.problems)
        if wrong:
            raise SchabloneError(*wrong)
        plain = rebuild(design, replace(view, lens="wanted"), self.memory)
        # A better way is looked for as long as nothing is asked that cannot wait; what is to be
        # written, or is shown first, is waited for.
        alive = self.may_look_on if _may_wait(request) else lambda: True
        # Who asks for bars looks at no sheets.
        stocks, files = (
            laid_out(design, sent, asked, alive, self.layouts) if asked.bars is None else ([], [])
        )
        parts = listed(design, plain)
        bars = cut_bars(design, plain, asked.bars) if asked.bars is not None else None
        self.send(talk.LaidOut(id=request.id, stocks=stocks, parts=parts, files=files, bars=bars))

    def try_values(self, request: talk.Try, design: Design, view: LensView) -> None:
        """The part for each value worth trying, one after the other; a value that fails does not
        stop the rest."""
        kind = self._must_have_value(request, design, view)
        tries = values_to_try(design, view.process, request.about)
        for number, one in enumerate(tries):
            if self.newest > request.id:
                raise Cancelled  # the design has changed meanwhile
            built = rebuild(design, view, self.memory, {request.about: formula_of(one.value, kind)})
            report, arrays = report_of(design, built, {})
            self.send(
                talk.Tried(
                    id=request.id,
                    number=number,
                    count=len(tries),
                    last=number == len(tries) - 1,
                    value=[one.value, list(kind)],
                    formula=formula_of(one.value, kind),
                    why=one.why,
                    counts=dict(one.counts),
                    changed=dict(one.changed),
                    report=report,
                ),
                arrays,
            )


def _may_wait(request: object) -> bool:
    """Whether a better way to lay parts is asked for than the one that is shown already."""
    if not isinstance(request, talk.LayOut):
        return False
    asked = talk.LayingOut.model_validate_json(request.about)
    return asked.effort > 0 and not asked.folder and asked.bars is None


@dataclass(frozen=True, slots=True)
class _Unread:
    """A request that is none."""

    id: int
    error: ValueError


def _pair(pair: Neighbours) -> talk.NearReport:
    assert pair.at is not None  # it was asked for
    return {
        "first": pair.first,
        "second": pair.second,
        "how": pair.how,
        "gap": pair.gap,
        "at": pair.at,
        "words": pair.words(),
    }


def _load_more() -> Iterator[float]:
    """What most designs need at their first sketch, piece by piece while nobody waits for a worker.
    Says after how long, s. The kernel, which takes much memory, each worker loads by itself."""
    for name in _FOR_SKETCHES:
        yield 0.0
        import_module(name)


def _work(_: bytes, handles: list[int]) -> None:
    """A copy: become a worker of whoever has the other ends of two handles."""
    connection, said = handles
    for handle, number in ((connection, 0), (connection, 1), (said, 2)):
        os.dup2(handle, number)
    os.close(connection)
    os.close(said)
    sys.stderr.reconfigure(line_buffering=True)
    serve_input()


def serve_input() -> None:
    """Take over standard input and output and serve until the input ends."""
    end_with_parent()
    limit_worker()
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    Worker(os.fdopen(0, "rb"), answers).run()


def serve_copies(connection: socket.socket) -> None:
    """Copy this process, for each wish that comes, into a worker of whoever has the other ends."""
    gc.freeze()
    serve(connection, _work, _load_more())


def main(arguments: list[str]) -> None:
    """Serve standard input; or, given the number of a connection, whoever there wants workers."""
    if arguments:
        serve_copies(socket.socket(fileno=int(arguments[0])))
    else:
        serve_input()
