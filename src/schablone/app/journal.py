"""The journal: every edit is on disk before the window goes on, so that no crash loses one.

Each window keeps one file under the XDG state directory and holds a lock on it. A file without a
lock was left by a window that ended without saving, and is offered at the next start.

The file is a list of records, one a line: a checksum, and what was to be kept. An edit appends one;
what was there is never touched, so that a killed window or a machine that loses power can damage
the last record at most. Now and then the file is written anew with its last record only.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import threading
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from platformdirs import user_state_path

from ..core.design import Design
from ..core.design.records import RECORDS, STATE, Recorded, record_of
from ..core.problem import SchabloneError
from ..reader import read_all

#: After so many records, or bytes, the file is written anew with the last one.
_MOST, _LARGEST = 60, 8_000_000


def journal_folder() -> Path:
    """Where journals lie."""
    return user_state_path("schablone") / "unsaved"


@dataclass(frozen=True, slots=True)
class Left:
    """A design that was not saved when its window ended. ``lost`` counts the records after it that
    are damaged."""

    file: Path
    design: Design
    path: Path | None
    when: float
    lost: int = 0

    def discard(self) -> None:
        self.file.unlink(missing_ok=True)
        self.file.with_suffix(".lock").unlink(missing_ok=True)


class Journal:
    """The journal of one window. Without a folder to write to it says so, and goes on trying.

    What is written is with the operating system when :meth:`write` ends: it outlives the window,
    however that ends. That it is on the disk, and outlives a loss of power, follows a moment later
    (:attr:`is_synced`): waiting for a slow disk would hold up the keys.
    """

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or journal_folder()
        self.trouble = ""
        self._lock: IO[str] | None = None
        self._file: Path | None = None
        self._handle: int | None = None
        self._records = 0
        self._syncing: _Syncing | None = None

    @property
    def is_synced(self) -> bool:
        """Whether all that was written is on the disk."""
        return self._syncing is None or self._syncing.is_done

    def _open(self) -> Path | None:
        if self._file is None:
            try:
                self.folder.mkdir(parents=True, exist_ok=True)
                number = 0
                while True:
                    file = self.folder / f"{os.getpid()}-{number}{RECORDS}"
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
                self._tell(error)
        return self._file

    def _tell(self, error: OSError) -> None:
        self.trouble = f"Unsaved work cannot be kept safe: {error.strerror} ({self.folder})."

    def write(self, design: Design, path: Path | None) -> None:
        """Keep this state."""
        file = self._open()
        if file is None:
            return
        record = record_of(design, path)
        try:
            if self._handle is None or not file.exists() or self._is_long(file, record):
                self._begin(file, record)
            else:
                _write_all(self._handle, record)
                self._records += 1
            self.trouble = ""
        except OSError as error:
            self._shut()  # half a record may have been written: the next begins a new file
            self._tell(error)
            return
        if self._syncing is None:
            self._syncing = _Syncing()
        assert self._handle is not None
        self._syncing.sync(self._handle)

    def _is_long(self, file: Path, record: bytes) -> bool:
        return self._records >= _MOST or file.stat().st_size + len(record) > _LARGEST

    def _begin(self, file: Path, record: bytes) -> None:
        """A file with this record only, written beside and renamed, so that a whole one is always
        there."""
        self._shut()
        beside = file.with_suffix(".part")
        handle = os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_APPEND, 0o600)
        try:
            _write_all(handle, record)
            # Before it takes the place of what is safe, it is as safe.
            os.fdatasync(handle)
            os.replace(beside, file)
            _sync_folder(self.folder)
        except OSError:
            os.close(handle)
            raise
        self._handle, self._records = handle, 1

    def _shut(self) -> None:
        if self._syncing is not None:
            self._syncing.wait()
        if self._handle is not None:
            os.close(self._handle)
            self._handle = None

    def clear(self) -> None:
        """Nothing is unsaved."""
        if self._file is not None:
            self._shut()
            self._file.unlink(missing_ok=True)

    def close(self) -> None:
        """The window ends in order."""
        self.clear()
        if self._syncing is not None:
            self._syncing.end()
            self._syncing = None
        if self._lock is not None and self._file is not None:
            self._file.with_suffix(".lock").unlink(missing_ok=True)
            self._lock.close()
            self._lock = self._file = None


class _Syncing:
    """Has the disk take what was written, beside the window."""

    def __init__(self) -> None:
        self._wanted = threading.Condition()
        self._handle: int | None = None
        self._busy = self._ended = False
        self._thread = threading.Thread(target=self._run, name="journal", daemon=True)
        self._thread.start()

    @property
    def is_done(self) -> bool:
        with self._wanted:
            return self._handle is None and not self._busy

    def sync(self, handle: int) -> None:
        with self._wanted:
            self._handle = handle
            self._wanted.notify_all()

    def wait(self) -> None:
        """Until all is on the disk."""
        with self._wanted:
            self._wanted.wait_for(lambda: self._handle is None and not self._busy)

    def end(self) -> None:
        with self._wanted:
            self._ended = True
            self._wanted.notify_all()

    def _run(self) -> None:
        while True:
            with self._wanted:
                self._wanted.wait_for(lambda: self._handle is not None or self._ended)
                if self._handle is None:
                    return
                handle, self._handle, self._busy = self._handle, None, True
            with contextlib.suppress(OSError):  # a full disk is told by the next write
                os.fdatasync(handle)
            with self._wanted:
                self._busy = False
                self._wanted.notify_all()


def _write_all(handle: int, data: bytes) -> None:
    rest = memoryview(data)
    while rest:
        rest = rest[os.write(handle, rest) :]


def _sync_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def left_behind(folder: Path | None = None) -> tuple[list[Left], list[Path]]:
    """Designs that windows left unsaved, the newest first, and files of which nothing can be read:
    damaged ones are set aside under another name, those that nobody got to read stay. Those of
    living windows are not among them."""
    there, damaged = [], []
    place = folder or journal_folder()
    for half in place.glob("*.part"):
        if not half.with_suffix(".lock").exists():
            half.unlink(missing_ok=True)
    nobodys = [
        file
        for file in sorted([*place.glob(f"*{RECORDS}"), *place.glob(f"*{STATE}")])
        if _is_nobodys(file)
    ]
    for file, recorded in zip(nobodys, read_all("unsaved", nobodys), strict=True):
        if isinstance(recorded, Recorded):
            when = file.stat().st_mtime
            there.append(Left(file, recorded.design, recorded.path, when, recorded.lost))
        elif isinstance(recorded, SchabloneError):
            damaged.append(file)  # its reader was ended, or may not read it: it may be whole
        elif file.stat().st_size:
            damaged.append(_set_aside(file))
        else:
            file.unlink(missing_ok=True)
            file.with_suffix(".lock").unlink(missing_ok=True)
    return sorted(there, key=lambda left: -left.when), damaged


def _is_nobodys(file: Path) -> bool:
    """Whether no living window holds it."""
    try:
        with open(file.with_suffix(".lock"), "a") as handle:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        return file.exists()
    except OSError:
        return False


def _set_aside(file: Path) -> Path:
    aside = file.with_suffix(".damaged")
    with contextlib.suppress(OSError):
        os.replace(file, aside)
        file.with_suffix(".lock").unlink(missing_ok=True)
    return aside
