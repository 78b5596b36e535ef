"""Small files of others that hold one value as JSON: read within bounds, with words for what is
wrong."""

from __future__ import annotations

from typing import TypeVar

from pydantic import ValidationError

from .json_text import parse_json
from .model import Frozen
from .problem import Problem, SchabloneError
from .words import say_validation

_Model = TypeVar("_Model", bound=Frozen)


def parse_model(model: type[_Model], text: str, origin: str, meant: str, ending: str) -> _Model:
    """Read a value whose field ``format`` says what it is; ``meant`` says it in words, with an
    article.

    Raises:
        SchabloneError: says what is wrong and where in the file.
    """
    name = meant.split()[1]
    data = parse_json(text, origin, meant=name)
    if not isinstance(data, dict) or data.get("format") != f"schablone {name}":
        what = f"{origin} is not {meant}."
        hint = f"Choose a file that ends in {ending}."
        raise SchabloneError(Problem(area="file", name=origin, what=what, hint=hint))
    try:
        return model.model_validate(data)
    except ValidationError as error:
        raise SchabloneError(*say_validation(error, "file", origin)) from None
