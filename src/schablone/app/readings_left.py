"""Readings that were typed and are not taken over yet. Measuring a test piece takes a while: what
was typed is there again on coming back, and after the program was ended in between."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from ..core.problem import SchabloneError
from ..core.whole_files import write_whole
from ..reader import read


class ReadingsLeft:
    """``path`` is a file that holds all of them: by process, by piece, what each page made of
    itself."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._known: dict[str, Any] = {}
        self._as_of: int | None = None

    def of(self, process: str, piece: str) -> Mapping[str, Any]:
        """What was typed of a piece; nothing where nothing was."""
        found = self._all().get(process, {})
        kept = found.get(piece, {}) if isinstance(found, dict) else {}
        return kept if isinstance(kept, dict) else {}

    def keep(self, process: str, piece: str, data: Mapping[str, Any]) -> None:
        """Remember it at once; nothing forgets it."""
        if data == self.of(process, piece):
            return
        known = self._all()
        pieces = known.get(process)
        pieces = {**pieces} if isinstance(pieces, dict) else {}
        pieces.pop(piece, None)
        if data:
            pieces[piece] = dict(data)
        known.pop(process, None)
        if pieces:
            known[process] = pieces
        # A disk that takes nothing is told where the figures are kept, on which something depends.
        with contextlib.suppress(OSError, SchabloneError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            write_whole(self._path, json.dumps(known, indent=2, ensure_ascii=False).encode("utf8"))
            self._as_of = self._path.stat().st_mtime_ns

    def _all(self) -> dict[str, Any]:
        """All that is kept, read again where another process has written since."""
        with contextlib.suppress(OSError, SchabloneError):
            as_of = self._path.stat().st_mtime_ns
            if as_of != self._as_of:
                self._known, self._as_of = dict(read("settings", self._path)), as_of
        return self._known


def texts_of(data: Mapping[str, Any], field: str) -> dict[str, list[str]]:
    """Rows of texts by what they are of, out of a file that anybody may have written."""
    rows = data.get(field)
    if not isinstance(rows, dict):
        return {}
    return {
        str(name): [str(text) for text in texts]
        for name, texts in rows.items()
        if isinstance(texts, list)
    }
