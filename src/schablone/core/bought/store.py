"""Files of bought parts: read with words for what is wrong, and the shelf of those that ship."""

from __future__ import annotations

import json
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from ..files import LARGEST, read_text
from ..json_text import parse_json
from ..problem import Problem, SchabloneError
from ..words import say_validation
from .model import BoughtPart
from .resolved import BoughtError, resolved

SUFFIX = ".bought"


def parse_bought(text: str, origin: str) -> BoughtPart:
    """Read a bought part from JSON text; its formulas are read as well.

    Raises:
        SchabloneError: says what is wrong and where in the file.
    """
    data = parse_json(text, origin, meant="bought part")
    try:
        part = BoughtPart.model_validate(data)
    except ValidationError as error:
        raise SchabloneError(*say_validation(error, "file", origin)) from None
    try:
        resolved(part)
    except BoughtError as error:
        raise SchabloneError(
            Problem(area="file", name=origin, what=error.what, hint=error.hint)
        ) from None
    return part


def read_bought(path: Path) -> BoughtPart:
    """Read the file of a bought part.

    Raises:
        SchabloneError: where it cannot be read or holds none.
    """
    return parse_bought(read_text(path, LARGEST["bought"]), path.name)


def write_bought(part: BoughtPart) -> str:
    """The text of the file; what is as it would be anyway is left out."""
    data = part.model_dump(mode="json", exclude_defaults=True)
    kinds = part.outline.model_dump(mode="json", exclude_defaults=True) | {
        "kind": part.outline.kind
    }
    told = {"format": part.format, "version": part.version, **data, "outline": kinds}
    return json.dumps(told, indent=2, ensure_ascii=False) + "\n"


@lru_cache(maxsize=1)
def bought_on_the_shelf() -> tuple[BoughtPart, ...]:
    """The bought parts that come with Schablone, made up or of no brand, by sort and name."""
    folder = files(__package__).joinpath("shelf")
    names = sorted(entry.name for entry in folder.iterdir() if entry.name.endswith(SUFFIX))
    parts = [parse_bought(folder.joinpath(name).read_text("utf8"), name) for name in names]
    return tuple(sorted(parts, key=lambda part: (part.sort, part.said)))
