"""What somebody chose is kept as a file, and opened again; what is not as it was then is told."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QVBoxLayout, QWidget

from ...core.problem import SchabloneError
from ...core.publish.choices import CHOICE, Choice, write_choice
from ...core.publish.names import file_name
from ...core.whole_files import write_whole
from ...core.words import sentence
from ..reading import read_file
from ..saving import ask_file
from ..widgets.basics import button, clear, label


class Choosing(QWidget):
    """``opened`` gives a choice that was read; ``said`` a line for the window. ``now`` is asked for
    what is chosen: None where what is typed is not right yet."""

    opened = Signal(object)
    said = Signal(str)

    def __init__(self, now: Callable[[], Choice | None]) -> None:
        super().__init__()
        self._now = now
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        row = QHBoxLayout()
        row.setSpacing(14)
        row.addWidget(
            button(
                "Keep what I chose …", "link", self.save_dialog,
                "Keep what you chose as a file, to open it again",
            )
        )  # fmt: skip
        row.addWidget(
            button("Open what I kept …", "link", self.open_dialog, "Open a choice that you kept")
        )
        row.addStretch(1)
        layout.addLayout(row)
        self.card = QFrame()
        self.card.setObjectName("card")
        self._notes = QVBoxLayout(self.card)
        self._notes.setContentsMargins(12, 8, 12, 8)
        self._notes.setSpacing(4)
        self.card.hide()
        layout.addWidget(self.card)

    def show_notes(self, notes: Sequence[str]) -> None:
        """What is not as it was when the choice was kept."""
        clear(self._notes)
        self.card.setVisible(bool(notes))
        if not notes:
            return
        self._notes.addWidget(label("Your choice in this edition", "strong"))
        for note in notes:
            self._notes.addWidget(label(sentence(note), "small", wrap=True))
        close = button("Good", "link", lambda: self.show_notes(()), "Close these notes")
        self._notes.addWidget(close, 0, Qt.AlignmentFlag.AlignLeft)

    def save_dialog(self) -> None:
        choice = self._now()
        if choice is None:
            return
        name = file_name(choice.title)
        path = ask_file(self.window(), "Keep what you chose", name, ("Choice", CHOICE))
        if path is not None:
            self._write(choice, path)

    def _write(self, choice: Choice, path: Path) -> None:
        try:
            write_whole(path, write_choice(choice).encode("utf8"))
        except SchabloneError as error:
            self.said.emit(f"Not kept: {error.problems[0].what}")
            return
        self.said.emit(f"Kept as {path.name}.")

    def open_dialog(self) -> None:
        path, _ = QFileDialog.getOpenFileName(
            self.window(), "Open what you kept", str(Path.home()), f"Choice (*{CHOICE})"
        )
        if path:
            self.open_from(Path(path))

    def open_from(self, path: Path) -> None:
        """Read a choice and hand it on."""
        try:
            choice = read_file(self.window(), "choice", path)
        except SchabloneError as error:
            self.said.emit(" ".join(problem.text for problem in error.problems))
            return
        self.opened.emit(choice)
