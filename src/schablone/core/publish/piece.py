"""A part as it goes into a file."""

from __future__ import annotations

from dataclasses import dataclass

from ..kernel.body import Body
from ..kernel.folding.bend_lines import BendLine
from ..kernel.tabs import NONE, Tabs
from ..sketch.curves import Curve
from ..sketch.regions import Region


@dataclass(frozen=True, slots=True)
class Piece:
    """A part to be exported: its title, its body, what it is made of, by how many tabs a cut leaves
    it held; of a folded part where its blank is bent, the blank as it lies there when it is cut,
    and what is engraved on it."""

    title: str
    body: Body
    material: str = ""
    tabs: Tabs = NONE
    bends: tuple[BendLine, ...] = ()
    blank: tuple[Region, ...] = ()
    marks: tuple[Curve, ...] = ()
