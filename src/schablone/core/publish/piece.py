"""A part as it goes into a file."""

from __future__ import annotations

from dataclasses import dataclass

from ..kernel.body import Body
from ..kernel.folding.bend_lines import BendLine
from ..kernel.tabs import NONE, Tabs


@dataclass(frozen=True, slots=True)
class Piece:
    """A part to be exported: its title, its body, what it is made of, by how many tabs a cut leaves
    it held, and where the blank of a folded part is bent."""

    title: str
    body: Body
    material: str = ""
    tabs: Tabs = NONE
    bends: tuple[BendLine, ...] = ()
