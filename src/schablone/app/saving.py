"""Writing one thing of a window to a file of its own, and saying so where that window does."""

from __future__ import annotations

from pathlib import Path
from typing import Literal, Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from ..core.files import with_suffix
from ..core.problem import SchabloneError
from ..core.whole_files import write_whole


class Say(Protocol):
    """How a window says what became of something."""

    def __call__(self, text: str, *, wrong: bool) -> None: ...


def ask_path(parent: QWidget, what: str, name: str, suffix: str) -> Path | None:
    """Ask where something is to be saved, such as a *stencil*; None where that is given up."""
    path, _ = QFileDialog.getSaveFileName(
        parent, f"Save the {what}", f"{name}{suffix}", f"{what.capitalize()} (*{suffix})"
    )
    return with_suffix(Path(path), suffix) if path else None


def write_and_say(path: Path, text: str, say: Say) -> bool:
    """Write a file whole or not at all, and say which."""
    try:
        write_whole(path, text.encode("utf8"))
    except SchabloneError as error:
        say(str(error), wrong=True)
        return False
    say(f"{path.name} written.", wrong=False)
    return True


def ask_before_leaving(
    parent: QWidget, text: str, *, leave: str = "Throw it away", may_save: bool = True
) -> Literal["save", "leave", "stay"]:
    """Ask what is to become of what is not saved. ``leave`` are the words for going without it."""
    box = QMessageBox(parent)
    box.setWindowTitle("Not saved")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole) if may_save else None
    gone = box.addButton(leave, QMessageBox.ButtonRole.DestructiveRole)
    box.addButton("Stay here", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    if save is not None and box.clickedButton() is save:
        return "save"
    return "leave" if box.clickedButton() is gone else "stay"
