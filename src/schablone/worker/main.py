"""The worker: reads requests from standard input, answers on standard output, one at a time.

A newer rebuild request, or ``cancel``, ends the one at work at its next step. What the kernel prints goes to
standard error, so that it cannot get between the messages.
"""

from __future__ import annotations

import os
import queue
import sys
import threading
import traceback
from dataclasses import replace
from pathlib import Path
from typing import Any, BinaryIO

from ..core.design import Design
from ..core.design.facing import facing
from ..core.design.file import read_design_text
from ..core.design.measures import measures_of
from ..core.design.rebuild import Cancelled, Memory, rebuild
from ..core.files import read_bytes, write_whole
from ..core.kernel.mesh import Mesh
from ..core.kernel.naming import speak_of
from ..core.practice.features import Feature, features_of_file
from ..core.practice.files import LARGEST, NotReadable
from ..core.practice.machines import machine
from ..core.problem import Problem, SchabloneError, errors
from ..core.process.lens import View
from ..core.process.model import Process
from ..core.prove import close_findings
from ..core.prove.deviation import deviations
from ..core.prove.follows import what_follows
from ..core.prove.trying import values_to_try
from ..core.publish.edition import pieces_of
from ..core.publish.exports import export
from ..core.quantity import Kind, formula_of
from ..core.steps.measure import Measure
from ..core.steps.workshop import StepError
from .messages import Unpacker, pack
from .report import FOR_A_GLANCE, FOR_LOOKING, report_of, said

#: Seconds without a request after which the kernel is loaded.
_LONG_PAUSE = 15.0


class Worker:
    """Answers requests from a queue that a reading thread fills."""

    def __init__(self, source: BinaryIO, sink: BinaryIO) -> None:
        self.source, self.sink = source, sink
        self.requests: queue.Queue[dict[str, Any] | None] = queue.Queue()
        self.newest = 0
        self.memory = Memory()
        self.kernel_loaded = False

    def read_requests(self) -> None:
        unpacker = Unpacker()
        while data := self.source.read1(1 << 16):  # type: ignore[attr-defined]
            for header, _ in unpacker.feed(data):
                if header["do"] in ("rebuild", "cancel"):
                    self.newest = header["id"]
                if header["do"] != "cancel":
                    self.requests.put(header)
        self.requests.put(None)

    def run(self) -> None:
        threading.Thread(target=self.read_requests, daemon=True).start()
        self.send({"answer": "ready", "id": 0})
        while (request := self.next_request()) is not None:
            try:
                self.answer(request)
            except Cancelled:
                self.send({"answer": "cancelled", "id": request["id"]})
            except SchabloneError as error:
                problems = [problem.model_dump(mode="json") for problem in error.problems]
                self.send({"answer": "refused", "id": request["id"], "problems": problems})
            except Exception as error:
                traceback.print_exc()
                problem = Problem(
                    area="design", what=f"Something went wrong that should not have: {type(error).__name__}: {error}.",
                    hint="Undo the last change; your design is not lost.",
                )  # fmt: skip
                self.send({"answer": "refused", "id": request["id"], "problems": [problem.model_dump(mode="json")]})

    def next_request(self) -> dict[str, Any] | None:
        """Wait for a request; a long pause is used to load the kernel, which takes seconds and which most
        rebuilds do without."""
        if not self.kernel_loaded:
            try:
                return self.requests.get(timeout=_LONG_PAUSE)
            except queue.Empty:
                from ..core.kernel.occ import combine, meshing  # noqa: F401

                self.kernel_loaded = True
        return self.requests.get()

    def send(self, header: dict[str, Any], arrays: dict[str, Any] | None = None) -> None:
        self.sink.write(pack(header, arrays))
        self.sink.flush()

    def answer(self, request: dict[str, Any]) -> None:
        if request["do"] in ("features", "practice"):
            self.measure_file(request)
            return
        design = read_design_text(request["design"])
        speak_of(facing(design))
        process = Process.model_validate(request["process"])
        others = [Process.model_validate(other) for other in request.get("others", ())]
        view = design.seen(request["lens"], process, others)
        if request["do"] == "follow":
            self.follow(request, design, view)
            return
        if request["do"] == "try":
            self.try_values(request, design, view)
            return
        if request["do"] == "gauge":
            self.gauge(request, design, view)
            return
        if request["do"] == "deviate":
            self.deviate(request, design, view)
            return
        if request["do"] == "glance":
            self.glance(request, design, view)
            return
        rebuilding = request["do"] == "rebuild"

        def progress(number: int, count: int, name: str) -> None:
            if rebuilding and self.newest != request["id"]:
                raise Cancelled
            self.send({"answer": "progress", "id": request["id"], "step": number, "steps": count, "name": name})

        built = rebuild(design, view, self.memory, request.get("given"), progress, request.get("until", ""))
        if rebuilding:
            meshes: dict[str, Mesh] = {}
            header, arrays = report_of(design, built, request.get("known", {}), meshes=meshes)
            self.send({"answer": "rebuilt", "id": request["id"], **header}, arrays)
            # What takes a look at the whole shape comes after the picture, unless the design has changed meanwhile.
            if self.newest == request["id"]:
                self.send({"answer": "read off", "id": request["id"], "measures": measures_of(design, built).as_data()})
            found = close_findings(built, meshes, lambda: self.newest == request["id"])
            self.send({"answer": "looked", "id": request["id"], "findings": said(found)})
            return
        wrong = errors(built.problems)
        if wrong:
            raise SchabloneError(*wrong)
        path = Path(request["path"])
        data = export(pieces_of(design, built, path.suffix), path.name)
        write_whole(path, data)
        self.send({"answer": "exported", "id": request["id"], "path": str(path), "bytes": len(data)})

    def _must_have_value(self, request: dict[str, Any], design: Design, view: View) -> Kind:
        """The kind of the size that is asked about.

        Raises:
            SchabloneError: where it has no value.
        """
        cell = rebuild(design, view, self.memory).sheet.cells.get(request["size"])
        if cell is None:
            what = f"“{request['size']}” has no value yet."
            raise SchabloneError(Problem(area="size", name=request["size"], what=what, hint="Mend its formula first."))
        return cell.wanted.kind

    def follow(self, request: dict[str, Any], design: Design, view: View) -> None:
        """Which faces follow a size."""
        self._must_have_value(request, design, view)
        found = what_follows(design, view, request["size"], self.memory)
        answer = {
            "moved": sorted(found.moved), "stays": sorted(found.stays), "came": sorted(found.came), "went": sorted(found.went),
            "from": list(found.from_), "to": list(found.to), "trouble": found.trouble,
        }  # fmt: skip
        self.send({"answer": "followed", "id": request["id"], "size": request["size"], **answer})

    def measure_file(self, request: dict[str, Any]) -> None:
        """What can be measured on an exported file, or what a practice machine makes of it."""
        path = Path(request["path"])
        try:
            data = read_bytes(path, LARGEST)
            if request["do"] == "features":
                found = [_feature(feature) for feature in features_of_file(data, path.name)]
                self.send({"answer": "features", "id": request["id"], "features": found})
                return
            maker = machine(request["machine"])
            piece = maker.make(data, path.name, request["piece"], request["day"], request["layer"])
            measured = [
                {**_feature(feature), "readings": readings}
                for feature, readings in maker.measure(piece, request["times"], request["piece"])
            ]
        except NotReadable as error:
            raise SchabloneError(Problem(area="file", name=path.name, what=f"{error}.")) from None
        closed = maker.caliper.closed()
        self.send({"answer": "measured", "id": request["id"], "measured": measured, "closed": closed})

    def gauge(self, request: dict[str, Any], design: Design, view: View) -> None:
        """What lies between two spots or faces, as a measure that is not kept."""
        first, _, second = request["size"].partition(" | ")
        built = rebuild(design, view, self.memory)
        try:
            ends = Measure(name="gauge", first=first, second=second).ends(built.bodies)
        except StepError as error:
            raise SchabloneError(Problem(area="design", what=error.what, hint=error.hint)) from None
        self.send({"answer": "gauged", "id": request["id"], "ends": ends})

    def deviate(self, request: dict[str, Any], design: Design, view: View) -> None:
        """How far the faces of what is expected lie from those wanted, by part, in the order of the report's faces."""
        wanted = rebuild(design, replace(view, lens="wanted"), self.memory)
        expected = rebuild(design, replace(view, lens="expected"), self.memory)
        found = {
            name: deviations(body.mesh(FOR_LOOKING), wanted.bodies[name].mesh(FOR_LOOKING))
            for name, body in expected.bodies.items()
            if name in wanted.bodies
        }
        self.send({"answer": "deviated", "id": request["id"], "parts": found})

    def glance(self, request: dict[str, Any], design: Design, view: View) -> None:
        """The part as it is after a step, for a small picture."""
        built = rebuild(design, view, self.memory, until=request["size"])
        header, arrays = report_of(design, built, {}, FOR_A_GLANCE)
        self.send({"answer": "glanced", "id": request["id"], "step": request["size"], "report": header}, arrays)

    def try_values(self, request: dict[str, Any], design: Design, view: View) -> None:
        """The part for each value worth trying, one after the other; a value that fails does not stop the rest."""
        kind = self._must_have_value(request, design, view)
        tries = values_to_try(design, view.process, request["size"])
        for number, one in enumerate(tries):
            if self.newest > request["id"]:
                raise Cancelled  # the design has changed meanwhile
            built = rebuild(design, view, self.memory, {request["size"]: formula_of(one.value, kind)})
            header, arrays = report_of(design, built, {})
            self.send(
                {
                    "answer": "tried", "id": request["id"], "number": number, "count": len(tries), "last": number == len(tries) - 1,
                    "value": [one.value, list(kind)], "formula": formula_of(one.value, kind), "why": one.why,
                    "counts": dict(one.counts), "changed": dict(one.changed), "report": header,
                },
                arrays,
            )  # fmt: skip


def _feature(feature: Feature) -> dict[str, Any]:
    return {"kind": feature.kind, "size": feature.size, "label": feature.label, "axis": feature.axis}


def main() -> None:
    """Take over standard input and output and serve until the input ends."""
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)
    Worker(sys.stdin.buffer, answers).run()


if __name__ == "__main__":
    main()
