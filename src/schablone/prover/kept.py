"""Outcomes kept on disk by what they follow from, so that what was built once is not built again:
after an edit, an interruption, a crash."""

from __future__ import annotations

import contextlib
import hashlib
import sqlite3
from functools import cache
from pathlib import Path

import platformdirs

#: So many are kept; those unused for longest go first.
_MOST = 200_000
#: How long to wait for another process that writes, s.
_PATIENCE = 30.0


def usual_place() -> Path:
    """Where outcomes are kept for a person."""
    return Path(platformdirs.user_cache_dir("schablone")) / "proofs.sqlite"


@cache
def engine() -> str:
    """What the program that builds is: another text where any of its modules is another."""
    top, told = Path(__file__).resolve().parent.parent / "core", hashlib.sha256()
    for path in sorted(top.rglob("*.py")):
        told.update(path.read_bytes())
    return told.hexdigest()[:16]


class Kept:
    """A table of texts by key. What cannot be kept is not: a full disk or a damaged file costs
    time, nothing else. May be open in several processes."""

    def __init__(self, path: Path | None) -> None:
        self._open: sqlite3.Connection | None = None
        if path is None:
            return
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            self._begin(path)
        except (sqlite3.DatabaseError, OSError):
            # It is a cache: one that cannot be read makes room for a new one.
            with contextlib.suppress(sqlite3.Error, OSError):
                path.unlink(missing_ok=True)
                self._begin(path)

    def _begin(self, path: Path) -> None:
        opened = sqlite3.connect(path, timeout=_PATIENCE, isolation_level=None)
        opened.execute("PRAGMA journal_mode=WAL")
        opened.execute("PRAGMA synchronous=NORMAL")
        opened.execute(
            "CREATE TABLE IF NOT EXISTS outcomes ("
            "number INTEGER PRIMARY KEY, key TEXT UNIQUE NOT NULL, text TEXT NOT NULL)"
        )
        self._open = opened

    def get(self, key: str) -> str | None:
        """What is kept under a key."""
        if self._open is None:
            return None
        try:
            row = self._open.execute("SELECT text FROM outcomes WHERE key = ?", (key,)).fetchone()
        except sqlite3.Error:
            return None
        return str(row[0]) if row is not None else None

    def put(self, key: str, text: str) -> None:
        """Keep a text under a key; at once, so that nothing is lost where a process is ended."""
        if self._open is None:
            return
        with contextlib.suppress(sqlite3.Error):
            self._open.execute(
                "INSERT OR REPLACE INTO outcomes (key, text) VALUES (?, ?)", (key, text)
            )

    def tidy(self) -> None:
        """Let go of what was kept longest ago, where there is too much."""
        if self._open is None:
            return
        with contextlib.suppress(sqlite3.Error):
            self._open.execute(
                "DELETE FROM outcomes WHERE number <= (SELECT max(number) FROM outcomes) - ?",
                (_MOST,),
            )

    def close(self) -> None:
        if self._open is not None:
            self._open.close()
            self._open = None
