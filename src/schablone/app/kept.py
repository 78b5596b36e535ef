"""Things of one kind that are kept under their names, each in a file of one folder."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from pathlib import Path
from typing import Generic, Protocol, TypeVar

from ..core.files import require_room, say_os_error
from ..core.problem import Problem, SchabloneError
from ..core.publish.names import file_name
from ..core.whole_files import write_whole
from ..reader import read_all


class Named(Protocol):
    """What has a name."""

    @property
    def name(self) -> str: ...


_Item = TypeVar("_Item", bound=Named)


class Kept(Generic[_Item]):
    """``kind`` is what the reader calls it, ``write`` gives the text of a file.

    A file is called after its item, which does not tell all names apart: ``M4 x 20`` and
    ``M4-x-20`` would be one. So each item keeps the file that it was read from, and a new one gets
    a name that no file has, not even one that cannot be read.
    """

    def __init__(self, folder: Path, kind: str, suffix: str, write: Callable[[_Item], str]) -> None:
        self.folder, self._kind, self._suffix, self._write = folder, kind, suffix, write
        self._paths: dict[str, Path] = {}
        #: All of them by name; of two files with one name the last counts.
        self.items: dict[str, _Item] = {}
        #: What is wrong with files that could not be read.
        self.problems: list[Problem] = []
        self.read()

    def read(self) -> None:
        """Read the folder as it is now."""
        self.items, self._paths, self.problems = {}, {}, []
        paths = sorted(self.folder.glob(f"*{self._suffix}")) if self.folder.is_dir() else []
        for path, one in zip(paths, read_all(self._kind, paths), strict=True):
            if isinstance(one, SchabloneError):
                self.problems += one.problems
            else:
                self.items[one.name], self._paths[one.name] = one, path

    def keep(self, item: _Item) -> None:
        """Keep it, in the place of one of its name.

        Raises:
            SchabloneError: where it cannot be written, or could not be read again.
        """
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise say_os_error(error, self.folder, "written") from None
        self.read()  # another window may have kept something
        path = self._paths.get(item.name) or self._free(item.name)
        data = self._write(item).encode("utf8")
        require_room(self._kind, data, path.name)
        write_whole(path, data)
        self.read()

    def forget(self, name: str) -> None:
        """Take it away, where it is there.

        Raises:
            SchabloneError: where that is not allowed.
        """
        path = self._paths.get(name)
        if path is None:
            return
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            raise say_os_error(error, path, "removed") from None
        self.read()

    def _free(self, name: str) -> Path:
        stem = file_name(name)
        for number in count(1):
            more = f"-{number}" if number > 1 else ""
            path = self.folder / f"{stem}{more}{self._suffix}"
            if not path.exists():
                return path
        raise AssertionError("numbers do not end")
