"""What was done to a design, one state after the other, as far back as there is room for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from pydantic import BaseModel

from ..core.design import Design

#: So many bytes may all states take together, as they are written to a file: some ten times as
#: much in memory. States share what is the same in them.
MOST = 30_000_000


@dataclass(frozen=True, slots=True)
class _Moment:
    design: Design
    did: str
    together: str
    #: What it holds that the one before does not, bytes.
    size: int = 0


class History:
    """The states of one design. ``let_go`` counts those that were forgotten for want of room."""

    def __init__(self, design: Design) -> None:
        self._moments = [_Moment(design, "", "")]
        self._at = 0
        self.let_go = 0

    @property
    def design(self) -> Design:
        return self._moments[self._at].design

    @property
    def can_undo(self) -> str:
        """What would be undone, or an empty string."""
        return self._moments[self._at].did if self._at > 0 else ""

    @property
    def can_redo(self) -> str:
        """What would be done again, or an empty string."""
        return self._moments[self._at + 1].did if self._at + 1 < len(self._moments) else ""

    def put(self, design: Design, did: str, together: str = "") -> None:
        """The next state; what was undone is gone. ``together`` joins changes of one drag."""
        del self._moments[self._at + 1 :]
        joins = bool(together) and self._at > 0 and self._moments[-1].together == together
        if joins:
            self._moments.pop()
        before = self._moments[-1].design
        self._moments.append(_Moment(design, did, together, _own_size(before, design)))
        whole = sum(moment.size for moment in self._moments)
        while whole > MOST and len(self._moments) > 2:
            gone = self._moments.pop(0)
            whole -= gone.size
            self.let_go += 1
        self._at = len(self._moments) - 1

    def settle(self) -> None:
        """The drag is over: the next change is one of its own."""
        moment = self._moments[self._at]
        self._moments[self._at] = _Moment(moment.design, moment.did, "", moment.size)

    def undo(self) -> str:
        """Go back a state; what was undone, or an empty string."""
        did = self.can_undo
        self._at -= bool(did)
        return did

    def redo(self) -> str:
        """Go on a state again; what was done, or an empty string."""
        did = self.can_redo
        self._at += bool(did)
        return did


def _own_size(before: Design, design: Design) -> int:
    """The bytes of what a state holds that the one before does not. States are values: what is the
    same object in both is there once."""
    return sum(
        _size(new, old)
        for name in type(design).model_fields
        if (new := getattr(design, name)) is not (old := getattr(before, name))
    )


def _size(new: object, old: object) -> int:
    if isinstance(new, tuple):
        there = {id(one) for one in old} if isinstance(old, Iterable) else set()
        return 8 * len(new) + sum(_size(one, None) for one in new if id(one) not in there)
    return len(new.model_dump_json()) if isinstance(new, BaseModel) else len(str(new))
