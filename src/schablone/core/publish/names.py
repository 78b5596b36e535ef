"""Names for files, from titles."""

from __future__ import annotations

from collections.abc import Iterable


def file_name(text: str) -> str:
    """A name for a file from a title: ``Hummel Mini`` becomes ``hummel-mini``."""
    kept = "".join(c if c.isalnum() else "-" for c in text.casefold())
    return "-".join(part for part in kept.split("-") if part)[:60] or "unnamed"


def file_names(names: Iterable[str]) -> dict[str, str]:
    """A name for a file of each, no two alike: ``M4 x 20`` and ``M4-x-20`` are ``m4-x-20`` and
    ``m4-x-20-2``."""
    files: dict[str, str] = {}
    for name in names:
        stem, number = file_name(name), 1
        while (told := f"{stem}-{number}" if number > 1 else stem) in files.values():
            number += 1
        files[name] = told
    return files


def laid_stem(name: str, stock: int) -> str:
    """How the names of files begin that hold the sheets and beds of a design, so that those of
    another one do not lie under the same; ``stock`` is its number, from 1 on."""
    return f"{file_name(name)}-" + (f"{stock}-" if stock > 1 else "")
