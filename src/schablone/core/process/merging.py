"""One process that was changed in two places, each without the other: in two windows, or by a
calibration while somebody typed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from ..model import Frozen
from .model import CALIBRATED, Process, State

#: What tells the rows of a list apart; rows of other lists are told apart by all that they hold.
_KEYS = {
    "kerfs": ("material", "thickness"),
    "bends": ("material", "thickness", "radius", "angle", "die"),
    "stock": ("name", "nominal"),
}
#: What a state is made of.
_OF_A_STATE = (*CALIBRATED, "path_gain", "cutter", "kerfs", "fits")


def merged(begun: Process, mine: Process, theirs: Process) -> Process:
    """``mine`` with what ``theirs`` has changed since both had ``begun``. Where both have changed
    the same, mine counts, and the state that theirs is in goes to the history."""
    fields = _merged(begun, mine, theirs)
    history = fields["history"]
    if any(_are_three(begun, mine, theirs, name) for name in _OF_A_STATE):
        history = (*history, State.of(theirs))
    try:
        return mine.with_(**{**fields, "history": history})
    except ValidationError:
        # Each makes sense, and both together do not: such as fits that are out of order then.
        return mine.with_(history=(*history, State.of(theirs)))


def _are_three(begun: Process, mine: Process, theirs: Process, name: str) -> bool:
    """Whether both have changed a figure, and differently."""
    was, own, other = (getattr(one, name) for one in (begun, mine, theirs))
    return bool(own != was and other not in (was, own))


def _merged(begun: Frozen, mine: Frozen, theirs: Frozen) -> dict[str, Any]:
    """The fields, those that only one has changed as that has them."""
    fields: dict[str, Any] = {}
    for name in type(mine).model_fields:
        was, own, other = (getattr(one, name) for one in (begun, mine, theirs))
        if own in (was, other):
            fields[name] = other
        elif other == was:
            fields[name] = own
        elif isinstance(own, tuple) and name != "bed":
            fields[name] = _rows(was, own, other, _KEYS.get(name, ()))
        elif isinstance(own, Mapping):
            fields[name] = _entries(was, own, other)
        elif name == "fits":
            fields[name] = _merged(was, own, other)
        else:
            fields[name] = own
    return fields


def _rows(was: tuple[Any, ...], own: tuple[Any, ...], other: tuple[Any, ...], keys: Any) -> Any:
    """The rows of the other, without those that were taken away or changed here, and those that
    are new here."""
    fresh = [row for row in own if row not in was and row not in other]

    def key(row: Any) -> Any:
        return tuple(getattr(row, name) for name in keys) if keys else row

    mine = [key(row) for row in fresh]
    kept = [row for row in other if (row in own or row not in was) and key(row) not in mine]
    return (*kept, *fresh)


def _entries(was: Mapping[Any, Any], own: Mapping[Any, Any], other: Mapping[Any, Any]) -> Any:
    names = dict.fromkeys((*other, *own))
    chosen = {
        name: other.get(name) if own.get(name) == was.get(name) else own.get(name) for name in names
    }
    return {name: value for name, value in chosen.items() if value is not None}
