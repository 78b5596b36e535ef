"""Reports kept in a folder, by the edition that they are about."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path

from ..files import say_os_error
from ..problem import SchabloneError
from ..whole_files import write_whole
from .names import file_name
from .reports import REPORT, Report, parse_report, write_report

#: Reads reports from files: for each what it holds, or the error.
Hears = Callable[[Sequence[Path]], Iterable[Report | SchabloneError]]


class ReportFolder:
    """``hears`` reads the files: a window has that done by another process, since they are somebody
    else's. ``problems`` are files that could not be read, in words."""

    def __init__(self, folder: Path, hears: Hears | None = None) -> None:
        self.folder = folder
        self._hears = hears or _read
        self.problems: list[str] = []
        self._known: dict[Path, Report] = {}

    def of(self, edition: str) -> list[Report]:
        """Those about the editions with an id, in the order of their days."""
        self.problems = []
        paths = self._paths(edition)
        fresh = [path for path in paths if path not in self._known]
        for path, answer in zip(fresh, self._hears(fresh), strict=True):
            if isinstance(answer, SchabloneError):
                self.problems.append(f"{path.name}: {answer.problems[0].what}")
            else:
                self._known[path] = answer  # it is called by what it says, so it stays that
        return sorted(
            (one for path in paths if (one := self._known.get(path)) and one.edition == edition),
            key=lambda report: report.date,
        )

    def count(self, edition: str) -> int:
        """How many there are, without reading them."""
        return len(self._paths(edition))

    def keep(self, report: Report) -> bool:
        """Keep a report; whether it was not there yet.

        Raises:
            SchabloneError: where it cannot be written.
        """
        path = self._path(report)
        if path.exists():
            return False
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise say_os_error(error, path.parent, "written") from None
        write_whole(path, write_report(report).encode("utf8"))
        return True

    def forget(self, report: Report) -> None:
        """Take a report out again.

        Raises:
            SchabloneError: where that is not allowed.
        """
        path = self._path(report)
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            raise say_os_error(error, path, "removed") from None

    def _paths(self, edition: str) -> list[Path]:
        return sorted(self._place(edition).glob(f"*{REPORT}"))

    def _path(self, report: Report) -> Path:
        # The same report twice is one: it is called by what it says.
        digest = hashlib.sha256(write_report(report).encode("utf8")).hexdigest()[:16]
        return self._place(report.edition) / f"{report.date or 'undated'}-{digest}{REPORT}"

    def _place(self, edition: str) -> Path:
        # An id is somebody else's text: nothing of it names a place outside.
        return self.folder / (file_name(edition) if edition else "unknown")


def _read(paths: Sequence[Path]) -> Iterator[Report | SchabloneError]:
    for path in paths:
        try:
            yield parse_report(path.read_text("utf8"), path.name)
        except SchabloneError as error:
            yield error
