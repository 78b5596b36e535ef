"""Files of stencils: read with words for what is wrong, and the shelf of those that ship."""

from __future__ import annotations

import json
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

from pydantic import ValidationError

from ..files import LARGEST, read_text
from ..json_text import parse_json
from ..model import lean
from ..problem import Problem, SchabloneError
from ..words import say_validation
from .model import Stencil

SUFFIX = ".stencil"


def parse_stencil(text: str, origin: str) -> Stencil:
    """Read a stencil from JSON text; its formulas are read as well.

    Raises:
        SchabloneError: says what is wrong and where in the file.
    """
    data = parse_json(text, origin, meant="stencil")
    if not isinstance(data, dict) or data.get("format") != "schablone stencil":
        what, hint = f"{origin} is no stencil.", f"Choose a {SUFFIX} file."
        raise SchabloneError(Problem(area="file", name=origin, what=what, hint=hint))
    if isinstance(data.get("version"), int) and data["version"] > 1:
        what = (
            f"{origin} was written by a newer Schablone (file version {data['version']}, this one "
            "reads 1)."
        )
        raise SchabloneError(Problem(area="file", name=origin, what=what, hint="Update Schablone."))
    try:
        return Stencil.model_validate(data)
    except ValidationError as error:
        raise SchabloneError(*say_validation(error, "file", origin)) from None


def read_stencil(path: Path) -> Stencil:
    """Read the file of a stencil.

    Raises:
        SchabloneError: where it cannot be read or holds none.
    """
    return parse_stencil(read_text(path, LARGEST["stencil"]), path.name)


def write_stencil(stencil: Stencil) -> str:
    """The text of the file; what is as it would be anyway is left out."""
    data = lean(stencil.model_dump(mode="json"), stencil)
    return json.dumps(data, indent=2, ensure_ascii=False) + "\n"


@lru_cache(maxsize=1)
def stencils_on_the_shelf() -> tuple[Stencil, ...]:
    """The stencils that come with Schablone, by sort and name."""
    folder = files(__package__).joinpath("shelf")
    names = sorted(entry.name for entry in folder.iterdir() if entry.name.endswith(SUFFIX))
    stencils = [parse_stencil(folder.joinpath(name).read_text("utf8"), name) for name in names]
    return tuple(sorted(stencils, key=lambda one: (one.sort, one.said)))
