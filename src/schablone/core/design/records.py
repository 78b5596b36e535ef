"""Records of unsaved work: one a line, a checksum and then what was kept. What is damaged is passed
over, and counted."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from ..json_text import parse_json
from ..problem import SchabloneError
from .file import read_design_text, write_design
from .model import Design

#: Endings of files of records, and of those that hold one state only.
RECORDS, STATE = ".journal", ".json"
#: How long the checksum of a record is.
_SUM = 24


@dataclass(frozen=True, slots=True)
class Recorded:
    """A design as it was kept, the file that it belongs to, and how many records after it cannot
    be read."""

    design: Design
    path: Path | None
    lost: int = 0


def record_of(design: Design, path: Path | None) -> bytes:
    """One record, a line of bytes."""
    told = {"path": str(path) if path else "", "design": write_design(design)}
    text = json.dumps(told).encode("utf8")
    return hashlib.sha256(text).hexdigest()[:_SUM].encode("ascii") + b" " + text + b"\n"


def last_record(data: bytes, name: str) -> Recorded | None:
    """The last record that can be read of a file with this name; None where there is none."""
    lost = 0
    for text in _texts(data) if name.endswith(RECORDS) else [data]:
        if text is None:
            lost += 1
            continue
        try:
            told = parse_json(text.decode("utf8"), name, meant="record of unsaved work")
            design = read_design_text(told["design"], name)
            path = Path(told["path"]) if told["path"] else None
            return Recorded(design, path, lost)
        except (OSError, ValueError, KeyError, TypeError, SchabloneError):
            lost += 1
    return None


def _texts(data: bytes) -> Iterator[bytes | None]:
    """What the records say, the last first; None for one that is damaged."""
    for line in reversed(data.split(b"\n")):
        if not line:
            continue
        told, _, text = line.partition(b" ")
        good = hashlib.sha256(text).hexdigest()[:_SUM].encode("ascii") == told
        yield text if good else None
