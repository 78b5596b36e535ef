"""Process files: read with words for what is wrong, and the ones that ship."""

from __future__ import annotations

import json
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from ..files import LARGEST, read_text
from ..json_text import parse_json
from ..problem import SchabloneError
from ..words import say_validation
from .model import FIGURES, Process


def parse_process(text: str, origin: str) -> Process:
    """Read a process from JSON text.

    Raises:
        SchabloneError: says what is wrong and where in the file.
    """
    data = parse_json(text, origin, "process", meant="process file")
    try:
        return Process.model_validate(data)
    except ValidationError as error:
        raise SchabloneError(*say_validation(error, "process", origin)) from None


def read_process(path: Path) -> Process:
    """Read a process file.

    Raises:
        SchabloneError: where the file cannot be read or holds no process.
    """
    return parse_process(read_text(path, LARGEST["process"]), path.name)


def write_process(process: Process) -> str:
    """The text of a process file."""
    mine = {
        "format",
        "version",
        "name",
        "kind",
        "material",
        "fits",
        "known",
        "spread",
        "measured",
        "pieces",
        "date",
        "history",
        "note",
    }
    data = process.model_dump(mode="json", include=mine | set(FIGURES[process.kind]))
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


@lru_cache(maxsize=1)
def shipped_processes() -> tuple[Process, ...]:
    """The made-up processes that come with Schablone, by kind and in the order of their file
    names."""
    folder = files(__package__).joinpath("shipped")
    names = sorted(entry.name for entry in folder.iterdir() if entry.name.endswith(".json"))
    processes = [parse_process(folder.joinpath(name).read_text("utf8"), name) for name in names]
    return tuple(sorted(processes, key=lambda process: list(FIGURES).index(process.kind)))
