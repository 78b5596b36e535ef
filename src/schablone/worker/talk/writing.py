"""Files that machines take: what is asked to be written of a design, and what was."""

from __future__ import annotations

from typing import Literal

from .message import Message, OfADesign


class Export(OfADesign):
    """Write its parts to a file."""

    do: Literal["export"] = "export"
    path: str
    given: dict[str, str] = {}


class ExportAll(OfADesign):
    """Write all files that the machines of its parts take; ``stem`` is their path without an
    ending."""

    do: Literal["export all"] = "export all"
    stem: str
    given: dict[str, str] = {}


class WriteBendSheet(OfADesign):
    """Write the bend sheet of one part, as PDF or SVG."""

    do: Literal["write bend sheet"] = "write bend sheet"
    path: str
    part: str


Writing = Export | ExportAll | WriteBendSheet


class Exported(Message):
    """Files are written, so large together."""

    answer: Literal["exported"] = "exported"
    paths: tuple[str, ...]
    bytes: int
