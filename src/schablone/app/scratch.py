"""Files that are only handed on, and gone with the program."""

from __future__ import annotations

import tempfile
from functools import cache
from pathlib import Path


@cache
def _folder() -> tempfile.TemporaryDirectory[str]:
    return tempfile.TemporaryDirectory(prefix="schablone-")


def scratch_file(name: str) -> Path:
    """A place for a file of this name, in a folder of its own."""
    return Path(tempfile.mkdtemp(dir=_folder().name)) / name
