"""What a check found."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Finding:
    """The outcome of one check. ``own`` marks a check that the designer wrote."""

    name: str
    holds: bool
    why: str = ""
    hint: str = ""
    own: bool = False
    area: str = "design"
    place: str = ""
