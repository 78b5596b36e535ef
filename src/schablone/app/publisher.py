"""Writes an edition in a process of its own: it builds every preset on every machine, which takes
seconds."""

from __future__ import annotations

import json
import sys
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from ..core.design import Design, read_design_text, write_design
from ..core.problem import Problem, SchabloneError
from ..core.process import Process
from ..core.publish.life import next_edition
from ..core.publish.make_edition import make_edition
from ..core.whole_files import write_whole
from ..reader.limits import limit_worker


class Publisher(QObject):
    """One edition being written. ``done`` is emitted with the path, the problems, which are empty
    if all went well, and the design with the record of the edition, or None."""

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
        self._process = QProcess(self)
        self._process.finished.connect(self._finished)

    def start(self) -> None:
        self._process.start(sys.executable, ["-m", "schablone.app.publisher"])
        self._process.write(self._request.encode("utf8"))
        self._process.closeWriteChannel()

    def _finished(self) -> None:
        output = bytes(self._process.readAllStandardOutput().data()).decode("utf8", "replace")
        try:
            answer = json.loads(output.splitlines()[-1])
            problems, text = answer["problems"], answer["design"]
            published = read_design_text(text) if text else None
        except (ValueError, IndexError, KeyError, TypeError, SchabloneError):
            published = None
            what = "The process that writes editions ended before it was done."
            problems = [
                Problem(area="publish", what=what, hint="Try again.").model_dump(mode="json")
            ]
        self.done.emit(str(self._path), problems, published)


def main() -> None:
    """Read a request from standard input, write the edition, print the problems as JSON, and the
    design with the record of it. The first process is the design's."""
    from .view3d.picture import paint_parts

    limit_worker()
    request = json.load(sys.stdin)
    problems: list[Problem] = []
    text = ""
    try:
        design = read_design_text(request["design"])
        processes = [Process.model_validate(process) for process in request["processes"]]
        design, _ = next_edition(design, processes[0], processes, request["date"])
        data = make_edition(design, processes, paint_parts, request["proof"])
        write_whole(Path(request["path"]), data)
        text = write_design(design)
    except SchabloneError as error:
        problems = list(error.problems)
    told = [problem.model_dump(mode="json") for problem in problems]
    print(json.dumps({"problems": told, "design": text}))


if __name__ == "__main__":
    main()
