"""A part as it goes into a file."""

from __future__ import annotations

from dataclasses import dataclass

from ..kernel.body import Body
from ..kernel.tabs import NONE, Tabs


@dataclass(frozen=True, slots=True)
class Piece:
    """A part to be exported: its title, its body, what it is made of, and by how many tabs a cut
    leaves it held."""

    title: str
    body: Body
    material: str = ""
    tabs: Tabs = NONE
