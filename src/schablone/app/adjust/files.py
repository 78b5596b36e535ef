"""Files for one machine: a single one, or all that the machines of all parts take."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from ...core.design import Design
from ...core.process import Process
from ...core.publish.edition import file_name
from ...core.publish.exports import FORMATS
from ...core.publish.pieces import endings_for
from ...worker import talk
from ..worker_client import WorkerClient

_Answer = talk.Exported | talk.Refused


def stem_of(design: str, process: str) -> str:
    """How files for a machine are called, without their ending."""
    return f"{file_name(design)}-{file_name(process)}"


def ask_for_file(parent: QWidget, stem: str, first: str) -> Path | None:
    """Ask where one file is to be written; None where nobody wants to."""
    shown = sorted((".3mf", ".stl", ".step", ".dxf", ".svg"), key=lambda ending: ending != first)
    endings = ";;".join(f"{ending[1:].upper()} (*{ending})" for ending in shown)
    name = str(Path.home() / f"{stem}{first}")
    path, _ = QFileDialog.getSaveFileName(parent, "Save", name, endings)
    if not path:
        return None
    return Path(path) if Path(path).suffix.lower() in FORMATS else Path(path + first)


@dataclass(frozen=True, slots=True)
class Chosen:
    """What is written: a design with the values that were set, on a process. It is held fast when
    writing begins: whoever goes on adjusting meanwhile gets no mixture."""

    design: Design
    process: Process
    values: dict[str, str]

    @property
    def stem(self) -> str:
        return stem_of(self.design.name, self.process.name)


class FileWriter(QObject):
    """``said`` tells what becomes of a wish."""

    said = Signal(str)

    def __init__(self, worker: WorkerClient, parent: QObject) -> None:
        super().__init__(parent)
        self.worker = worker

    def write(self, what: Chosen, path: Path) -> None:
        """Write one file."""

        def after(answer: _Answer) -> None:
            if not self._is_refused(answer):
                self.said.emit(f"Wrote {path.name} for {what.process.name}.")

        self.said.emit(f"Writing {path.name} …")
        self._export(what, path, after)

    def write_all(
        self, what: Chosen, made_by: Sequence[Process], folder: Path, last: Callable[[Path], None]
    ) -> None:
        """Write all files that machines take, one after the other, into a folder; ``last`` is given
        the path, without an ending, when all are written."""
        waiting = [
            folder / f"{what.stem}{ending}"
            for ending in endings_for((process.family for process in made_by), what.design)
        ]
        written: list[str] = []

        def after(answer: _Answer) -> None:
            if not self._is_refused(answer):
                written.append(waiting.pop(0).name)
                following()

        def following() -> None:
            if waiting:
                self.said.emit(f"Writing {waiting[0].name} …")
                self._export(what, waiting[0], after)
                return
            last(folder / what.stem)
            self.said.emit(f"Wrote {', '.join(written)} and what you chose.")

        following()

    def _export(self, what: Chosen, path: Path, after: Callable[[_Answer], None]) -> None:
        self.worker.export(what.design, "sent", what.process, path, after, what.values)

    def _is_refused(self, answer: _Answer) -> bool:
        refused = isinstance(answer, talk.Refused)
        if isinstance(answer, talk.Refused):
            self.said.emit("Not written: " + " ".join(problem.what for problem in answer.problems))
        return refused
