"""Writing files whole or not at all, and leaving them to whom and as what they were."""

from __future__ import annotations

import hashlib
import os
import stat
import tempfile
from pathlib import Path

from .files import say_os_error
from .problem import Problem, SchabloneError

#: What is left beside a file where its writer was killed begins and ends so.
_BEGINS, _ENDS = ".schablone-", ".part"


def write_whole(path: Path, data: bytes) -> None:
    """Write a file whole or not at all: a temporary file beside it, flushed to disk, then renamed
    over it. Links are followed; owner, mode and attributes stay. A file that has other names (hard
    links) is written in its place, after what comes is safe on disk beside it.

    Raises:
        SchabloneError: where that fails, or the file is protected; what was there is then as it
        was.
    """
    temporary = ""
    try:
        path = _followed(path)
        before = path.stat() if path.exists() else None
        if before is not None and not before.st_mode & 0o222:
            raise _protected(path)
        _clear_left(path)
        handle, temporary = tempfile.mkstemp(
            prefix=f"{_BEGINS}{_told_by(path)}-{os.getpid()}-", suffix=_ENDS, dir=path.parent
        )
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if before is not None and (before.st_nlink > 1 or not _can_be_owned(temporary, before)):
            _in_its_place(path, data)
            os.unlink(temporary)
        else:
            _dress(temporary, path, before)
            os.replace(temporary, path)
        _sync_folder(path.parent)
    except OSError as error:
        if temporary:
            Path(temporary).unlink(missing_ok=True)
        raise say_os_error(error, path, "written") from None


def _followed(path: Path) -> Path:
    """The file that a path leads to, links followed.

    Raises:
        SchabloneError: where links lead round in a circle.
    """
    try:
        return path.resolve()
    except RuntimeError:
        raise SchabloneError(
            Problem(
                area="file",
                name=path.name,
                what=f"{path.name} is a link that leads back to itself.",
                hint="Choose another name, or take the link away.",
            )
        ) from None


def _protected(path: Path) -> SchabloneError:
    return SchabloneError(
        Problem(
            area="file",
            name=path.name,
            what=f"{path.name} is protected against writing, and was left as it is.",
            hint="Save it under another name, or take the protection off.",
        )
    )


def _told_by(path: Path) -> str:
    """A few letters that tell a file from others of its folder, however long its name is."""
    return hashlib.sha256(path.name.encode("utf8", "surrogateescape")).hexdigest()[:10]


def _clear_left(path: Path) -> None:
    """Take away what writers of this file left that are no longer there."""
    for left in path.parent.glob(f"{_BEGINS}{_told_by(path)}-*{_ENDS}"):
        writer = left.name.split("-")[2]
        if writer.isdigit() and int(writer) != os.getpid() and not _is_alive(int(writer)):
            left.unlink(missing_ok=True)


def _is_alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except OSError:
        return True
    return True


def _can_be_owned(temporary: str, before: os.stat_result) -> bool:
    """Give the new file to the owner and group of the one before, where that may be done."""
    mine = os.stat(temporary)
    if (mine.st_uid, mine.st_gid) == (before.st_uid, before.st_gid):
        return True
    try:
        os.chown(temporary, before.st_uid, before.st_gid)
    except OSError:
        return False
    return True


def _dress(temporary: str, path: Path, before: os.stat_result | None) -> None:
    """Mode and attributes of the file before; what the system would give for a new one."""
    if before is None:
        os.chmod(temporary, 0o666 & ~_umask())
        return
    os.chmod(temporary, stat.S_IMODE(before.st_mode))
    try:
        for name in os.listxattr(path):
            os.setxattr(temporary, name, os.getxattr(path, name))
    except OSError:
        pass  # attributes that nobody but the system may set, or a disk that has none


def _in_its_place(path: Path, data: bytes) -> None:
    """Write over a file without giving it up."""
    with open(path, "r+b") as file:
        file.write(data)
        file.truncate()
        file.flush()
        os.fsync(file.fileno())


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _sync_folder(folder: Path) -> None:
    """Make the rename itself last through a power cut, where the system lets folders be flushed."""
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        return
    try:
        os.fsync(handle)
    except OSError:
        pass
    finally:
        os.close(handle)
