"""Whether what an edit made can be written and read again."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel

from .model import Design


def require_sound(before: Design, after: Design) -> None:
    """See to it that what differs from ``before`` keeps to the model, as it must when it is read: a
    value that is copied with other fields is not validated. What is the very same was sound before.

    Raises:
        pydantic.ValidationError: for the first value that does not.
    """
    _require(after, before)


def _require(value: BaseModel, before: object) -> None:
    if value is before:
        return
    fields = {name: getattr(value, name) for name in type(value).model_fields}
    type(value)(**fields)  # what it holds counts as sound here, and is looked at below
    for name, held in fields.items():
        was = getattr(before, name, None)
        if held is not was:
            _require_all(held, was)


def _require_all(held: object, was: object) -> None:
    if isinstance(held, BaseModel):
        _require(held, was)
    elif isinstance(held, tuple):
        known = was if isinstance(was, tuple) else ()
        same = set(map(id, known))
        by_name = {getattr(one, "name", None): one for one in known}
        for one in held:
            if id(one) not in same:
                _require_all(one, by_name.get(getattr(one, "name", None)))
    elif isinstance(held, Mapping):
        for one in held.values():
            _require_all(one, None)
