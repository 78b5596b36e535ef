"""Off-cuts: what is left of sheets that were cut, remembered until it is used."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

from pydantic import Field, TypeAdapter, ValidationError

from ..files import LARGEST, read_text
from ..json_text import parse_json
from ..model import Frozen, OneLine
from ..problem import Problem, SchabloneError
from ..whole_files import write_whole

_Length = Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]


class OffCut(Frozen):
    """What is left of a sheet: of which stock, its size in mm, and the
    day that it was put aside."""

    stock: OneLine
    length: _Length
    width: _Length
    date: OneLine = ""

    @property
    def words(self) -> str:
        return f"{self.length:.4g} × {self.width:.4g} mm"


_LIST = TypeAdapter(Annotated[tuple[OffCut, ...], Field(max_length=2000)])


def read_off_cuts(path: Path) -> tuple[OffCut, ...]:
    """Those that are remembered; none where there is no file.

    Raises:
        SchabloneError: where the file is none of off-cuts.
    """
    return parse_off_cuts(read_text(path, LARGEST["off-cuts"]), path.name) if path.exists() else ()


def parse_off_cuts(text: str, name: str) -> tuple[OffCut, ...]:
    """The same from the text of the file.

    Raises:
        SchabloneError: where it is no list of off-cuts.
    """
    try:
        return _LIST.validate_python(parse_json(text, name))
    except ValidationError as error:
        raise SchabloneError(
            Problem(
                area="file",
                name=name,
                what="The list of off-cuts cannot be read.",
                hint="Move it aside: a new one is begun then.",
            )
        ) from error


def write_off_cuts(path: Path, off_cuts: Sequence[OffCut]) -> None:
    """Remember off-cuts.

    Raises:
        SchabloneError: where the file cannot be written.
    """
    data = [one.model_dump(mode="json") for one in off_cuts]
    write_whole(path, (json.dumps(data, indent=2, ensure_ascii=False) + "\n").encode("utf8"))
