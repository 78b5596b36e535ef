"""Writes an edition in a process of its own: it builds every preset on every machine, which takes
seconds."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, QProcess, Signal

from ..apart.limits import limit_worker
from ..core.design import Design, read_design_text, write_design
from ..core.problem import Problem, SchabloneError
from ..core.process import Process
from ..core.publish.life import next_edition
from ..core.whole_files import write_whole


class Publisher(QObject):
    """One edition being written. ``at`` is emitted with what is being made, how much is done, and
    of how much; ``done`` with the path, the problems, which are empty if all went well, and the
    design with the record of the edition, or None."""

    at = Signal(str, int, int)
    done = Signal(str, list, object)

    def __init__(
        self,
        design: Design,
        processes: Sequence[Process],
        path: Path,
        proof: str = "",
        date: str = "",
    ) -> None:
        super().__init__()
        self._path = path
        self._request = json.dumps(
            {
                "design": write_design(design),
                "processes": [process.model_dump(mode="json") for process in processes],
                "path": str(path),
                "proof": proof,
                "date": date,
            }
        )
        self._answer: dict[str, Any] | None = None
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._hear)
        self._process.finished.connect(self._finished)

    def start(self) -> None:
        self._process.start(sys.executable, ["-m", "schablone.app.publisher"])
        self._process.write(self._request.encode("utf8"))
        self._process.closeWriteChannel()

    def stop(self) -> bool:
        """End it; False where it is done already. The file that was there before stays: an edition
        is written as a whole, at the end."""
        if self._process.state() == QProcess.ProcessState.NotRunning:
            return False
        self._process.finished.disconnect(self._finished)
        self._process.kill()
        self._process.waitForFinished(2000)
        return True

    def _hear(self) -> None:
        while self._process.canReadLine():
            line = bytes(self._process.readLine().data())
            try:
                heard = json.loads(line)
                if "at" in heard:
                    self.at.emit(*heard["at"])
                else:
                    self._answer = heard
            except (ValueError, TypeError):
                continue  # a library's own words

    def _finished(self) -> None:
        self._hear()
        try:
            assert self._answer is not None
            problems, text = self._answer["problems"], self._answer["design"]
            published = read_design_text(text) if text else None
        except (AssertionError, KeyError, TypeError, SchabloneError):
            published = None
            what = "The process that writes editions ended before it was done."
            problems = [
                Problem(area="publish", what=what, hint="Try again.").model_dump(mode="json")
            ]
        self.done.emit(str(self._path), problems, published)


def main() -> None:
    """Read a request from standard input, write the edition, and print a line of JSON for each
    piece that is made; the last holds the problems and the design with the record of the edition.
    The first process is the design's."""
    # Here, and not for the window that only starts this: what lays parts takes long to load.
    from ..core.editions import make_edition
    from .view3d.picture import paint_parts

    limit_worker()
    request = json.load(sys.stdin)
    problems: list[Problem] = []
    text = ""
    try:
        design = read_design_text(request["design"])
        processes = [Process.model_validate(process) for process in request["processes"]]
        design, _ = next_edition(design, processes[0], processes, request["date"])
        data = make_edition(design, processes, paint_parts, request["proof"], _tell)
        write_whole(Path(request["path"]), data)
        text = write_design(design)
    except SchabloneError as error:
        problems = list(error.problems)
    told = [problem.model_dump(mode="json") for problem in problems]
    print(json.dumps({"problems": told, "design": text}))


def _tell(what: str, done: int, of: int) -> None:
    print(json.dumps({"at": [what, done, of]}), flush=True)


if __name__ == "__main__":
    main()
