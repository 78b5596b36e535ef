"""Reading untrusted files with bounds, and errors of files in words."""

from __future__ import annotations

import errno
from collections.abc import Mapping
from pathlib import Path

from .problem import Problem, SchabloneError

#: The largest file of each kind that is read, bytes.
LARGEST: Mapping[str, int] = {
    "design": 20_000_000,
    "edition": 300_000_000,
    "process": 1_000_000,
    "bought": 14_000_000,
    "stencil": 2_000_000,
    "choice": 1_000_000,
    "report": 5_000_000,
    "solid": 20_000_000,
    "mesh": 60_000_000,
    "outlines": 30_000_000,
    "table": 20_000_000,
    "chart": 1_000_000,
    "readings": 2_000_000,
    "made": 200_000_000,
    "off-cuts": 1_000_000,
    "settings": 2_000_000,
    "unsaved": 400_000_000,
}


#: What files of meshes end in, of which solids are made.
MESHES = (".stl", ".3mf", ".obj")


def say_os_error(error: OSError, path: Path, doing: str) -> SchabloneError:
    """An operating-system error as words: what could not be done, why, what to do."""
    reasons = {
        errno.ENOENT: ("there is no such file or folder", "Check the name."),
        errno.EACCES: ("you may not", "Choose another place or change its permissions."),
        errno.EPERM: ("you may not", "Choose another place or change its permissions."),
        errno.EROFS: ("the disk can only be read", "Choose another place."),
        errno.ENOSPC: ("the disk is full", "Free some space and try again; nothing is lost."),
        errno.EDQUOT: (
            "your share of the disk is full",
            "Free some space and try again; nothing is lost.",
        ),
        errno.EISDIR: ("it is a folder", "Choose a file."),
        errno.ENOTDIR: ("a part of its path is no folder", "Check the name."),
        errno.ENAMETOOLONG: ("its name is too long", "Choose a shorter name."),
    }
    why, hint = reasons.get(error.errno or 0, (error.strerror or str(error), ""))
    return SchabloneError(
        Problem(
            area="file", name=path.name, what=f"{path.name} could not be {doing}: {why}.", hint=hint
        )
    )


def read_bytes(path: Path, largest: int) -> bytes:
    """The contents of a file of at most ``largest`` bytes.

    Raises:
        SchabloneError: where it cannot be read, or is larger.
    """
    try:
        with open(path, "rb") as file:
            data = file.read(largest + 1)
    except OSError as error:
        raise say_os_error(error, path, "read") from None
    if len(data) > largest:
        raise SchabloneError(
            Problem(
                area="file",
                name=path.name,
                what=f"{path.name} is larger than {largest // 1_000_000} MB, so it is not read.",
            )
        )
    return data


def require_room(kind: str, data: bytes, name: str) -> None:
    """See to it that a file of a kind, called ``name``, will be read again.

    Raises:
        SchabloneError: where it would be larger than those that are.
    """
    if len(data) > (largest := LARGEST[kind]):
        what = (
            f"{name} would be {len(data) / 1e6:.1f} MB large; {largest // 1_000_000} MB are read."
        )
        hint = "It was not written. What takes most room are solids and pictures in it."
        raise SchabloneError(Problem(area="file", name=name, what=what, hint=hint))


def read_text(path: Path, largest: int) -> str:
    """The same for UTF-8 text."""
    return text_of(read_bytes(path, largest), path.name)


def text_of(data: bytes, name: str) -> str:
    """The text of a file with this name.

    Raises:
        SchabloneError: where it is not UTF-8.
    """
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise SchabloneError(
            Problem(
                area="file",
                name=name,
                what=f"{name} is not text (byte {error.start} is not UTF-8).",
                hint="It may be another kind of file, or damaged.",
            )
        ) from None


def with_suffix(path: Path, suffix: str, *others: str) -> Path:
    """The path with an ending, unless it has that one or another that will do."""
    return path if path.suffix.lower() in (suffix, *others) else path.with_name(path.name + suffix)
