"""The place: a folder with editions and reports. Its index is worked out from what is in it, so
that a lost or damaged one costs nothing."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from ..problem import Problem, SchabloneError
from ..publish.choices import as_order
from ..publish.edition import Edition, read_edition
from ..publish.names import file_name
from ..publish.report_folder import Hears, ReportFolder
from ..whole_files import write_whole

INDEX = "index.json"
_EDITIONS = "editions"


@dataclass(frozen=True, slots=True)
class Shared:
    """An edition that is shared. ``sources`` are the ids of those that it was adapted from, the
    nearest first; ``file`` is its place in the folder."""

    id: str
    title: str
    number: str
    author: str
    date: str
    licence: str
    summary: str
    sources: tuple[str, ...]
    file: str
    bytes: int

    def says(self, text: str) -> bool:
        """Whether all words are found in its title, its author, its summary or its licence."""
        told = " ".join((self.title, self.author, self.summary, self.licence)).casefold()
        return all(word in told for word in text.casefold().split())


class Gallery:
    """One folder. ``opens`` reads an edition, ``hears`` a report: a window has them read by another
    process, since both are somebody else's."""

    def __init__(
        self,
        folder: Path,
        opens: Callable[[Path], Edition] = read_edition,
        hears: Hears | None = None,
    ) -> None:
        self.folder = folder
        self._opens = opens
        #: What came back of what is shared.
        self.reports = ReportFolder(folder / "reports", hears)
        #: Editions that lie in the folder and cannot be read, in words.
        self.problems: list[str] = []

    # What is shared

    def editions(self) -> list[Shared]:
        """All editions, by title, the latest of each first."""
        known = {one.file: one for one in self._index()}
        editions: list[Shared] = []
        self.problems.clear()
        for path in sorted((self.folder / _EDITIONS).glob("*/*.zip")):
            name = str(path.relative_to(self.folder))
            size = path.stat().st_size
            if name in known and known[name].bytes == size:
                editions.append(known[name])
                continue
            try:
                editions.append(_shared(self._opens(path), name, path))
            except SchabloneError as error:
                self.problems.append(error.problems[0].what)
        if set(editions) != set(known.values()):
            self._write_index(editions)
        return sorted(
            editions,
            key=lambda one: (one.title.casefold(), one.id, [-n for n in as_order(one.number)]),
        )

    def latest(self) -> list[Shared]:
        """The latest edition of each design."""
        return list({one.id: one for one in reversed(self.editions())}.values())[::-1]

    def search(self, text: str) -> list[Shared]:
        """The latest editions in whose title, author, summary or licence all words are found."""
        return [one for one in self.latest() if one.says(text)]

    def versions(self, edition: str) -> list[Shared]:
        """All editions of a design, the latest first."""
        return [one for one in self.editions() if one.id == edition]

    def adaptations(self, edition: str) -> list[Shared]:
        """The latest editions that were adapted from a design, at any remove."""
        return [one for one in self.latest() if edition in one.sources]

    def path(self, shared: Shared) -> Path:
        """Where the file of an edition lies."""
        return self.folder / shared.file

    def publish(self, path: Path) -> Shared:
        """Share an edition.

        Raises:
            SchabloneError: where it is none, has no number, or another one with its number is
                shared already.
        """
        edition = self._opens(path)
        publish = edition.design.publish
        if not publish.id or not publish.history:
            what = f"{path.name} has no number yet."
            hint = "Write the edition from its design."
            raise SchabloneError(Problem(area="publish", name=path.name, what=what, hint=hint))
        number = publish.number
        place = self.folder / _EDITIONS / file_name(publish.id)
        name = f"{_EDITIONS}/{place.name}/{number}.zip"
        target = self.folder / name
        data = path.read_bytes()
        if target.exists() and target.read_bytes() != data:
            what = f"Edition {number} is shared already, and is another one."
            hint = "Write the edition anew: it gets a number of its own."
            raise SchabloneError(Problem(area="publish", name=path.name, what=what, hint=hint))
        target.parent.mkdir(parents=True, exist_ok=True)
        write_whole(target, data)
        shared = _shared(edition, name, target)
        self._write_index([*(one for one in self._index() if one.file != name), shared])
        return shared

    # The index

    def _index(self) -> list[Shared]:
        try:
            data = json.loads((self.folder / INDEX).read_text("utf8"))
            return [_from_index(one) for one in data["editions"]]
        except (OSError, ValueError, TypeError, KeyError):
            return []  # it is worked out again

    def _write_index(self, editions: Iterable[Shared]) -> None:
        data = {
            "format": "schablone gallery",
            "version": 1,
            "editions": [asdict(e) for e in editions],
        }
        self.folder.mkdir(parents=True, exist_ok=True)
        text = json.dumps(data, indent=2, ensure_ascii=False) + "\n"
        write_whole(self.folder / INDEX, text.encode("utf8"))


def _from_index(data: dict[str, Any]) -> Shared:
    """A line of the index; whatever else stands there is no line."""
    shared = Shared(**{**data, "sources": tuple(data["sources"])})
    texts = [value for name, value in asdict(shared).items() if name not in ("sources", "bytes")]
    if not all(isinstance(text, str) for text in (*texts, *shared.sources)):
        raise TypeError("a line of the index is none")
    return shared


def _shared(edition: Edition, name: str, path: Path) -> Shared:
    publish = edition.design.publish
    latest = publish.latest
    return Shared(
        publish.id,
        edition.design.title,
        latest.number if latest else "",
        publish.author,
        latest.date if latest else "",
        publish.licence,
        publish.summary,
        tuple(source.id for source in publish.adapted_from if source.id),
        name,
        path.stat().st_size,
    )
