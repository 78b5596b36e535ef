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
from ..core.publish.edition import make_edition
from ..core.whole_files import write_whole
from ..reader.limits import limit_worker


class Publisher(QObject):
    """One edition being written. ``done`` is emitted with the path and the problems, which are
    empty if all went well."""

    done = Signal(str, list)

    def __init__(self, design: Design, processes: Sequence[Process], path: Path) -> None:
        super().__init__()
        self._path = path
        self._request = json.dumps(
            {
                "design": write_design(design),
                "processes": [process.model_dump(mode="json") for process in processes],
                "path": str(path),
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
            problems = json.loads(output.splitlines()[-1])
        except (ValueError, IndexError):
            what = "The process that writes editions ended before it was done."
            problems = [
                Problem(area="publish", what=what, hint="Try again.").model_dump(mode="json")
            ]
        self.done.emit(str(self._path), problems)


def main() -> None:
    """Read a request from standard input, write the edition, print the problems as JSON."""
    from .view3d.picture import paint_parts

    limit_worker()
    request = json.load(sys.stdin)
    problems: list[Problem] = []
    try:
        design = read_design_text(request["design"])
        processes = [Process.model_validate(process) for process in request["processes"]]
        write_whole(Path(request["path"]), make_edition(design, processes, paint_parts))
    except SchabloneError as error:
        problems = list(error.problems)
    print(json.dumps([problem.model_dump(mode="json") for problem in problems]))


if __name__ == "__main__":
    main()
