"""The design file: JSON text whose keys keep their order, so that a diff reads well. See
docs/file-format.md."""

from __future__ import annotations

import json
from pathlib import Path

from pydantic import ValidationError

from ..files import LARGEST, read_text, require_room
from ..formula.evaluation import MOST_TEXT
from ..json_text import parse_json
from ..model import lean
from ..problem import Problem, SchabloneError
from ..whole_files import write_whole
from ..words import say_validation
from .model import Design

SUFFIX = ".schablone"


#: The design that was written last, and its text: an edit is kept and sent in the same moment.
_last: tuple[Design, str] | None = None


def write_design(design: Design) -> str:
    """The text of a design file. Fields at their default are left out, except those that identify
    it."""
    global _last
    if _last is not None and _last[0] is design:
        return _last[1]
    data = lean(design.model_dump(mode="json"), design)
    text = json.dumps(data, indent=2, ensure_ascii=False) + "\n"
    _last = design, text
    return text


def read_design_text(text: str, origin: str = "design") -> Design:
    """Read a design from the text of its file.

    Raises:
        SchabloneError: with every finding and its place.
    """
    data = parse_json(text, origin, meant="design")
    if not isinstance(data, dict) or data.get("format") != "schablone design":
        raise SchabloneError(
            Problem(
                area="file",
                name=origin,
                what=f"{origin} is no Schablone design.",
                hint="Choose a .schablone file.",
            )
        )
    if isinstance(data.get("version"), int) and data["version"] > 1:
        raise SchabloneError(
            Problem(
                area="file",
                name=origin,
                what=f"{origin} was written by a newer Schablone (file version "
                f"{data['version']}, this one reads 1).",
                hint="Update Schablone.",
            )
        )
    try:
        design = Design.model_validate(data)
    except ValidationError as error:
        raise SchabloneError(*say_validation(error, "file", origin)) from None
    _require_short(design, origin)
    return design


def _require_short(design: Design, origin: str) -> None:
    length = sum(len(size.formula) + len(size.low) + len(size.high) for size in design.sizes)
    if length > MOST_TEXT:
        raise SchabloneError(
            Problem(
                area="file",
                name=origin,
                what=f"{origin} has sizes whose formulas are {length:,} characters long; "
                f"{MOST_TEXT:,} are the most.",
                hint="Shorten them, or make two designs of it.",
            )
        )


def read_design(path: Path) -> Design:
    """Read a design file.

    Raises:
        SchabloneError: where it cannot be read or is no design.
    """
    return read_design_text(read_text(path, LARGEST["design"]), path.name)


def save_design(design: Design, path: Path) -> None:
    """Write a design file whole or not at all.

    Raises:
        SchabloneError: where it cannot be written, or could not be read again; a file that was
            there is then as it was.
    """
    data = write_design(design).encode("utf8")
    _require_short(design, path.name)
    require_room("design", data, path.name)
    write_whole(path, data)


def json_schema() -> dict[str, object]:
    """The JSON Schema of design files, from the models."""
    return Design.model_json_schema()
