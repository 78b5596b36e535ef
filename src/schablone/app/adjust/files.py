"""Files for one machine: a single one, or all that the machines of all parts take."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from ...core.design import Design
from ...core.process import Process
from ...core.publish.names import file_name
from ...worker import talk
from ..saving import ask_file
from ..worker_client import WorkerClient

_Answer = talk.Exported | talk.Refused


def stem_of(design: str, process: str) -> str:
    """How files for a machine are called, without their ending."""
    return f"{file_name(design)}-{file_name(process)}"


def ask_for_file(parent: QWidget, stem: str, first: str) -> Path | None:
    """Ask where one file is to be written; None where nobody wants to."""
    shown = sorted((".3mf", ".stl", ".step", ".dxf", ".svg"), key=lambda ending: ending != first)
    return ask_file(parent, "Save", stem, *((one[1:].upper(), one) for one in shown))


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
        self.worker.export(what.design, "sent", what.process, path, after, what.values)

    def write_all(self, what: Chosen, folder: Path, last: Callable[[Path], bool]) -> None:
        """Write all files that the machines of all parts take into a folder; ``last`` is given the
        path, without an ending, when they are written, and says whether it wrote its own."""
        stem = folder / what.stem

        def after(answer: _Answer) -> None:
            if isinstance(answer, talk.Exported) and last(stem):
                names = ", ".join(Path(path).name for path in answer.paths)
                self.said.emit(f"Wrote {names} and what you chose.")
            else:
                self._is_refused(answer)

        self.said.emit(f"Writing all files into {folder.name} …")
        self.worker.export_all(what.design, what.process, stem, after, what.values)

    def _is_refused(self, answer: _Answer) -> bool:
        refused = isinstance(answer, talk.Refused)
        if isinstance(answer, talk.Refused):
            self.said.emit("Not written: " + " ".join(problem.what for problem in answer.problems))
        return refused
