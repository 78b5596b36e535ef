"""Power is lost at any moment while edits are kept and saved: of what the disk was asked to do, it
has done what it had to, and any part of the rest in the order that journals of disks keep.

What a disk may leave: contents since the last flush of a file cut off anywhere, or zeros in their
place; names since the last flush of their folder as they were after any of the changes.
"""

from __future__ import annotations

import os
import threading
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.app import journal as journals
from schablone.app.journal import Journal, left_behind
from schablone.core.design import Design, read_design, save_design
from tests.conftest import examples, plate

REAL = {
    name: getattr(os, name)
    for name in ("open", "write", "fsync", "fdatasync", "replace", "unlink", "close", "fdopen")
}


class Disk:
    """What was asked of the disk under a folder, in order: ``("write", inode, bytes)``,
    ``("sync", inode)``, ``("name", path, inode)`` with None for a name that goes, ``("rename", old,
    new, inode)``, ``("folder",)``; and ``("safe", number)`` where a person was told that something
    is. All of it is done as well."""

    def __init__(self, folder: Path) -> None:
        self.here = str(folder)
        self.asked: list[tuple] = []
        #: The inode of each open file, -1 for a folder, and of each name.
        self.handles: dict[int, int] = {}
        self.names: dict[str, int] = {}
        self.inodes = 0
        self.lock = threading.RLock()

    def put(self, *what) -> None:
        with self.lock:
            self.asked.append(what)

    def open(self, path, flags, *rest, **named):
        is_new = not os.path.exists(path) or flags & os.O_TRUNC
        handle = REAL["open"](path, flags, *rest, **named)
        if not str(path).startswith(self.here):
            return handle
        if os.path.isdir(path):
            self.handles[handle] = -1
            return handle
        if is_new:
            self.inodes += 1
            self.names[str(path)] = self.inodes
            self.put("name", str(path), self.inodes)
        self.handles[handle] = self.names[str(path)]
        return handle

    def write(self, handle, data):
        count = REAL["write"](handle, data)
        if handle in self.handles:
            self.put("write", self.handles[handle], bytes(data[:count]))
        return count

    def fsync(self, handle):
        REAL["fsync"](handle)
        if handle in self.handles:
            inode = self.handles[handle]
            self.put(*(("folder",) if inode < 0 else ("sync", inode)))

    fdatasync = fsync

    def replace(self, old, new):
        REAL["replace"](old, new)
        inode = self.names.pop(str(old))
        self.names[str(new)] = inode
        self.put("rename", str(old), str(new), inode)

    def unlink(self, path, **named):
        REAL["unlink"](path, **named)
        if self.names.pop(str(path), None) is not None:
            self.put("name", str(path), None)

    def close(self, handle):
        self.handles.pop(handle, None)
        REAL["close"](handle)

    def fdopen(self, handle, mode):
        return Written(self, handle)


class Written:
    """A file that is written through :func:`os.fdopen`."""

    def __init__(self, disk: Disk, handle: int) -> None:
        self.disk, self.handle = disk, handle

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self.disk.close(self.handle)

    def write(self, data):
        rest = memoryview(data)
        while rest:
            rest = rest[self.disk.write(self.handle, rest) :]

    def flush(self):
        pass

    def fileno(self):
        return self.handle


@pytest.fixture
def disk(monkeypatch, tmp_path):
    """Records what is asked of the disk under this test's folder."""
    found = Disk(tmp_path)
    for name in REAL:
        monkeypatch.setattr(os, name, getattr(found, name))
    return found


def after_loss(asked: list[tuple], names_at: float, cut, zeros: bool) -> dict[str, bytes]:
    """What lies under each name after power was lost: of the changes of names since the last flush
    of the folder a share is done, of what was written since the last flush of a file a share
    (``cut`` of its number), zeros in the place of the rest where ``zeros``."""
    synced: dict[int, int] = {}
    whole: dict[int, bytes] = {}
    changes: list[tuple] = []
    firm = 0
    for what in asked:
        match what:
            case ("write", inode, data):
                whole[inode] = whole.get(inode, b"") + data
            case ("sync", inode):
                synced[inode] = len(whole.get(inode, b""))
            case ("folder",):
                firm = len(changes)
            case ("name" | "rename", *_):
                changes.append(what)
    done = firm + round((len(changes) - firm) * names_at)
    names: dict[str, int] = {}
    for change in changes[:done]:
        match change:
            case ("name", path, None):
                names.pop(path, None)
            case ("name", path, inode):
                names[path] = inode
            case ("rename", old, new, inode):
                names.pop(old, None)
                names[new] = inode
    found = {}
    for path, inode in names.items():
        data, safe = whole.get(inode, b""), synced.get(inode, 0)
        kept = safe + round((len(data) - safe) * cut(inode))
        found[path] = data[:kept] + (b"\0" * (len(data) - kept) if zeros else b"")
    return found


def numbered(number: int) -> Design:
    return plate().with_(name=f"state {number}")


def number_of(design: Design) -> int:
    return int(design.name.split()[-1])


def test_a_design_and_its_journal_open_after_any_loss(disk, tmp_path, monkeypatch) -> None:
    monkeypatch.setattr(journals, "_MOST", 3)  # the file is begun anew within this test
    unsaved, file = tmp_path / "unsaved", tmp_path / "a.schablone"
    save_design(numbered(0), file)
    disk.put("safe", 0)
    keeper = Journal(unsaved)
    for number in range(1, 12):
        keeper.write(numbered(number), file)
        if number % 3:
            while not keeper.is_synced:
                pass
            disk.put("safe", number)
        if number in (5, 9):
            save_design(numbered(number), file)
            disk.put("safe", number)
            keeper.clear()
    while not keeper.is_synced:
        pass
    disk.put("safe", 11)
    asked = list(disk.asked)
    assert {what[0] for what in asked} == {"name", "write", "sync", "folder", "rename", "safe"}
    keeper.close()
    monkeypatch.undo()
    again = tmp_path / "after"
    shares = st.sampled_from([0.0, 1.0, 0.5, 0.03, 0.97])

    @examples(400)
    @given(st.integers(0, len(asked)), shares, st.lists(shares, min_size=4, max_size=4),
           st.booleans())  # fmt: skip
    def lose(at: int, names_at: float, cuts: list[float], zeros: bool) -> None:
        before = asked[:at]
        safe = max((what[1] for what in before if what[0] == "safe"), default=None)
        left = after_loss(before, names_at, lambda inode: cuts[inode % 4], zeros)
        if again.exists():
            for path in sorted(again.rglob("*"), reverse=True):
                path.rmdir() if path.is_dir() else path.unlink()
        for path, data in left.items():
            target = again / Path(path).relative_to(tmp_path)
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(data)
        found = []
        if (again / "a.schablone").exists():
            found.append(number_of(read_design(again / "a.schablone")))  # whole, whichever it is
        lefts, _ = left_behind(again / "unsaved")
        found += [number_of(one.design) for one in lefts]
        if safe is not None:
            assert max(found) >= safe

    lose()
