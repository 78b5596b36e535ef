"""Files of every variant of the size table for its machines, one after the other."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject

from ..core.design import Design
from ..core.design import edit as edits
from ..core.publish.names import file_name, file_names
from ..worker import talk
from .question_strip import QuestionStrip
from .session import Session
from .worker_client import WorkerClient


def stems_of(design: Design) -> dict[str, str]:
    """How the files of each variant are called, without their endings: no two alike."""
    names = file_names(row.name for row in design.table.rows)
    return {row: f"{file_name(design.name)}-{name}" for row, name in names.items()}


class VariantFiles(QObject):
    """``strip`` says how far it is, and what could not be made: one that fails stops no other."""

    def __init__(
        self, session: Session, worker: WorkerClient, strip: QuestionStrip, parent: QObject
    ) -> None:
        super().__init__(parent)
        self.session, self.worker, self.strip = session, worker, strip
        self._waiting: list[tuple[str, str]] = []
        self._is_stopped = False

    @property
    def is_at_work(self) -> bool:
        """Whether files are still to come."""
        return bool(self._waiting)

    def write(self, folder: Path) -> None:
        """Write them as they are sent. What is edited meanwhile does not get into them."""
        design, process = self.session.design, self.session.process
        self._waiting = list(stems_of(design).items())
        self._is_stopped = False
        count = len(self._waiting)
        done, failed = 0, list[str]()

        def after(answer: talk.Exported | talk.Refused) -> None:
            nonlocal done
            if isinstance(answer, talk.Refused):
                failed.append(f"{self._waiting[0][0]}: {answer.problems[0].what}")
            else:
                done += 1
            del self._waiting[:1]
            if self._waiting and not self._is_stopped:
                following()
                return
            told = f"{done} of {count} variants written to {folder.name}."
            stopped = ["Stopped."] if self._waiting else []
            self._waiting = []
            self.strip.tell(" ".join([told, *stopped, *failed]))

        def following() -> None:
            name, stem = self._waiting[0]
            at = count - len(self._waiting) + 1
            # Asked anew each time: something else may have been told in between.
            self.strip.ask(f"Making variant {at} of {count}: {name}", ("Stop", self._stop))
            variant = edits.choose_row(design, name)
            self.worker.export_all(variant, process, folder / stem, after)

        following()

    def _stop(self) -> None:
        """End after the one that is being made."""
        self._is_stopped = True
