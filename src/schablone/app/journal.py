"""The journal: every edit is on disk before the window goes on, so that no crash loses one.

Each window keeps one file under the XDG state directory and holds a lock on it. A file without a
lock was left by a window that ended without saving, and is offered at the next start.
"""

from __future__ import annotations

import fcntl
import json
import os
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from platformdirs import user_state_path

from ..core.design import Design, read_design_text, write_design
from ..core.json_text import parse_json
from ..core.problem import SchabloneError


def journal_folder() -> Path:
    """Where journals lie."""
    return user_state_path("schablone") / "unsaved"


@dataclass(frozen=True, slots=True)
class Left:
    """A design that was not saved when its window ended."""

    file: Path
    design: Design
    path: Path | None
    when: float

    def discard(self) -> None:
        self.file.unlink(missing_ok=True)
        self.file.with_suffix(".lock").unlink(missing_ok=True)


class Journal:
    """The journal of one window. Without a folder to write to, it says so once and does nothing."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or journal_folder()
        self.trouble = ""
        self._lock: IO[str] | None = None
        self._file: Path | None = None

    def _open(self) -> Path | None:
        if self._file is None:
            try:
                self.folder.mkdir(parents=True, exist_ok=True)
                number = 0
                while True:
                    file = self.folder / f"{os.getpid()}-{number}.json"
                    number += 1
                    if file.exists():
                        continue
                    lock = open(file.with_suffix(".lock"), "w")  # noqa: SIM115 (held while the window lives)
                    try:
                        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    except BlockingIOError:
                        # Another window of this process has it, and nothing unsaved in it just now.
                        lock.close()
                        continue
                    self._lock, self._file = lock, file
                    break
            except OSError as error:
                self.trouble = (
                    f"Unsaved work cannot be kept safe: {error.strerror} ({self.folder})."
                )
        return self._file

    def write(self, design: Design, path: Path | None) -> None:
        """Keep this state. Written beside and renamed, so that a whole one is always there."""
        file = self._open()
        if file is None:
            return
        text = json.dumps({"path": str(path) if path else "", "design": write_design(design)})
        beside = file.with_suffix(".part")
        try:
            beside.write_text(text, "utf8")
            os.replace(beside, file)
            self.trouble = ""
        except OSError as error:
            self.trouble = f"Unsaved work cannot be kept safe: {error.strerror} ({self.folder})."

    def clear(self) -> None:
        """Nothing is unsaved."""
        if self._file is not None:
            self._file.unlink(missing_ok=True)

    def close(self) -> None:
        """The window ends in order."""
        self.clear()
        if self._lock is not None and self._file is not None:
            self._file.with_suffix(".lock").unlink(missing_ok=True)
            self._lock.close()
            self._lock = self._file = None


def left_behind(folder: Path | None = None) -> list[Left]:
    """Designs that windows left unsaved, the newest first. Those of living windows are not among
    them."""
    found = []
    for file in sorted((folder or journal_folder()).glob("*.json")):
        lock = file.with_suffix(".lock")
        try:
            with open(lock, "a") as handle:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            data = parse_json(file.read_text("utf8"), file.name, meant="record of unsaved work")
            design = read_design_text(data["design"], file.name)
            path = Path(data["path"]) if data["path"] else None
            found.append(Left(file, design, path, file.stat().st_mtime))
        except (OSError, ValueError, KeyError, TypeError, SchabloneError):
            continue
    return sorted(found, key=lambda left: -left.when)
