"""Writing one thing of a window to a file of its own, and saying so where that window does."""

from __future__ import annotations

import glob
from pathlib import Path
from typing import Literal, Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QMessageBox, QWidget

from ..core.files import require_room, with_suffix
from ..core.problem import SchabloneError
from ..core.whole_files import write_whole

#: So many files are named that would be written over.
_NAMED = 4
#: A name that is proposed is no longer than this: some disks take 255 bytes.
_LONGEST = 60


class Say(Protocol):
    """How a window says what became of something."""

    def __call__(self, text: str, *, wrong: bool) -> None: ...


def ask_file(
    parent: QWidget, title: str, name: str, *kinds: tuple[str, str], folder: Path | None = None
) -> Path | None:
    """Ask where something is to be written; None where that is given up.

    ``kinds`` are what it can be, each with its ending: ``("DXF", ".dxf")``; the first is proposed.
    ``name`` may be anything that a design is called. Without an ending that will do, the file gets
    that of the kind that was chosen; whether it may go over one that lies there is asked then, as
    the dialog asked for what was typed only.
    """
    endings = [ending for _, ending in kinds]
    filters = ";;".join(f"{words} (*{ending})" for words, ending in kinds)
    proposed = (folder or Path.home()) / f"{_sayable(name)}{endings[0]}"
    answer, chosen = QFileDialog.getSaveFileName(parent, title, str(proposed), filters)
    if not answer:
        return None
    typed = Path(answer)
    usual = next((one for one in endings if f"(*{one})" in chosen), endings[0])
    path = with_suffix(typed, usual, *endings)
    if path != typed and path.exists() and not _may_replace(parent, f"“{path.name}” is there"):
        return None
    return path


def _sayable(name: str) -> str:
    """A name without what the name of a file cannot hold: ``1/2 in`` is no file of a folder
    ``1``."""
    kept = "".join("-" if c in "/\\" else " " if ord(c) < 32 else c for c in name).strip(" .")
    return kept[:_LONGEST] or "unnamed"


def ask_path(parent: QWidget, what: str, name: str, suffix: str) -> Path | None:
    """Ask where something is to be saved, such as a *stencil*; None where that is given up."""
    return ask_file(parent, f"Save the {what}", name, (what.capitalize(), suffix))


def may_go_over(parent: QWidget, folder: Path, *stems: str, begins: str = "") -> bool:
    """Whether files for machines may be written into a folder under names without their endings,
    or under such as begin in one way: where some lie there already, that is asked."""
    from ..core.publish.choices import CHOICE  # what is published loads when it is asked for
    from ..core.publish.exports import FORMATS

    patterns = [f"{glob.escape(stem)}.*" for stem in stems]
    patterns += [f"{glob.escape(begins)}*"] if begins else []
    there = [
        path.name
        for pattern in patterns
        for path in sorted(folder.glob(pattern))
        if path.suffix.lower() in (*FORMATS, CHOICE)
    ]
    if not there:
        return True
    more = f" and {len(there) - _NAMED} more" if len(there) > _NAMED else ""
    return _may_replace(parent, f"In {folder.name} there is {', '.join(there[:_NAMED])}{more}")


def _may_replace(parent: QWidget, there: str) -> bool:
    return is_sure(parent, f"{there} already.", "Write over it", "Is there already")


def may_take_the_place(parent: QWidget, own: object, new: object, said: str) -> bool:
    """Whether something may be kept in the place of one's ``own`` of the same name, None where
    there is none: that is asked, unless it is the same."""
    if own is None or own == new:
        return True
    text = f"“{said}” is on the shelf, as you made it. This would take its place."
    return is_sure(parent, text, "Take its place", "Is there already")


def is_sure(parent: QWidget, text: str, words: str, title: str) -> bool:
    """Whether what cannot be taken back may be done; ``words`` say yes."""
    return ask_before_leaving(parent, text, leave=words, may_save=False, title=title) == "leave"


def write_and_say(path: Path, kind: str, text: str, say: Say) -> bool:
    """Write a file of a kind whole or not at all, and say which."""
    data = text.encode("utf8")
    try:
        require_room(kind, data, path.name)
        write_whole(path, data)
    except SchabloneError as error:
        say(str(error), wrong=True)
        return False
    say(f"{path.name} written.", wrong=False)
    return True


def ask_before_leaving(
    parent: QWidget,
    text: str,
    *,
    leave: str = "Throw it away",
    save: str = "Save",
    may_save: bool = True,
    title: str = "Not saved",
) -> Literal["save", "leave", "stay"]:
    """Ask what is to become of what is not saved. ``leave`` are the words for going without it,
    ``save`` those for keeping it."""
    box = QMessageBox(parent)
    box.setWindowTitle(title)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(text)
    kept = box.addButton(save, QMessageBox.ButtonRole.AcceptRole) if may_save else None
    gone = box.addButton(leave, QMessageBox.ButtonRole.DestructiveRole)
    box.addButton("Stay here", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    if kept is not None and box.clickedButton() is kept:
        return "save"
    return "leave" if box.clickedButton() is gone else "stay"
