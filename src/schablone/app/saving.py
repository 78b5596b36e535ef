"""Writing one thing of a window to a file of its own, and saying so where that window does."""

from __future__ import annotations

from pathlib import Path
from typing import Protocol

from PySide6.QtWidgets import QFileDialog, QWidget

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


def write_and_say(path: Path, text: str, say: Say) -> None:
    """Write a file whole or not at all, and say which."""
    try:
        write_whole(path, text.encode("utf8"))
    except SchabloneError as error:
        say(str(error), wrong=True)
    else:
        say(f"{path.name} written.", wrong=False)
