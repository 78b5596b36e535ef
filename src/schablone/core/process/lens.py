"""The lenses: how a design is seen.

*Wanted* is the design as it must be in the hand. *Sent* is what the machine is given: process
functions in formulas correct for the gains of holes and outsides, and the whole part is treated:
scaled for shrinkage, or moved off the line of the cut by half the kerf. *Expected* is what should
come off: the machine's habits applied to what was sent.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Literal

from .correction import Correction
from .lying import Down, lies, upright_axis
from .model import Process

Lens = Literal["wanted", "sent", "expected"]
LENSES: tuple[Lens, ...] = ("wanted", "sent", "expected")


@dataclass(frozen=True, slots=True)
class LensView:
    """A lens with its process.

    ``scaled``: whether the part is scaled for shrinkage before it is sent. ``on_line``: whether
    outlines are moved off the line of the cut before they are sent, so that the cut's edge and not
    its middle lies on them. ``relieved``:
    whether inner corners are made so that a round cutter gets into them. ``bevelled``: whether the
    lower edges are bevelled by as much as the first layer is squeezed out. ``tabbed``: whether tabs
    hold cut parts in their sheet. ``own``: parts, by name, that are made by another process;
    ``cutters``: the process that cuts the blank of a folded part. ``lying``: parts, by name, that
    do not lie as they are drawn while they are made. ``down``: the side of
    the part that is seen that lies on the machine then.
    """

    lens: Lens
    process: Process
    scaled: bool = True
    on_line: bool = True
    relieved: bool = True
    bevelled: bool = False
    tabbed: bool = True
    own: tuple[tuple[str, Process], ...] = ()
    cutters: tuple[tuple[str, Process], ...] = ()
    lying: tuple[tuple[str, Down], ...] = ()
    down: Down = "bottom"

    def of_part(self, name: str) -> LensView:
        """The same view of a part with the process that it is made by, as it lies."""
        process = next((process for part, process in self.own if part == name), self.process)
        down = next((down for part, down in self.lying if part == name), self.down)
        printed = process.family == "print"  # what is cut is laid flat, however it is drawn
        lying = down if printed else "bottom"
        return replace(self, process=process, own=(), lying=(), down=lying)

    @property
    def up(self) -> int:
        """The axis of the part that stands upright while it is made."""
        return upright_axis(self.down)

    def is_lying(self, way: Sequence[float]) -> bool:
        """Whether a hole along a direction, of length 1, lies while its part is made."""
        return lies(way, self.up)

    def cutter_of(self, name: str) -> LensView | None:
        """The same view on the process that cuts the blank of a part; None where none is chosen."""
        cutter = next((process for part, process in self.cutters if part == name), None)
        return None if cutter is None else replace(self, process=cutter, own=(), cutters=())

    @property
    def sent_values(self) -> bool:
        """Whether formulas give corrected sizes."""
        return self.lens != "wanted"

    def sent_factor(self, axis: str) -> float:
        """By what the whole part is scaled before it is sent, along ``xy`` or ``z``."""
        return 1.0 / self.process.kept(axis) if self.scaled else 1.0

    def factor(self, axis: str) -> float:
        """The ratio of a length in this view to that in the formulas, gains apart."""
        if self.lens == "sent":
            return self.sent_factor(axis)
        # What was scaled up for shrinkage shrinks back to its length; what was not comes out short.
        return self.process.kept(axis) if self.lens == "expected" and not self.scaled else 1.0

    def gain(self, side: str, across: float = 0.0, *, lying: bool = False) -> float:
        """What to add to a measure in the formulas so that it shows the machine's gain, mm;
        ``across`` is the diameter of a round hole or peg as the formulas have it, 0 for straight
        sides."""
        if self.lens != "expected":
            return 0.0
        factor = self.factor("xy")
        return self.process.gain(side, across * factor, lying=lying) / factor

    def moved_off(self, material: str, thickness: float) -> float:
        """By how much every outline of a flat part lies outwards of the formulas' one in this view,
        mm: half a kerf under *Sent*; under *Expected* what the cut takes away again."""
        if self.lens == "wanted":
            return 0.0
        half = self.process.cut_width(material, thickness) / 2
        sent = half if self.on_line else 0.0
        return sent if self.lens == "sent" else sent - half

    @property
    def stretch(self) -> tuple[float, float, float]:
        """Factors along x, y and z from the formulas' space to this view."""
        level, upright = self.factor("xy"), self.factor("z")
        x, y, z = (upright if axis == self.up else level for axis in range(3))
        return (x, y, z)

    def of(self, wanted: float, drawn: float, correction: Correction, moved: float = 0.0) -> float:
        """A length in this view, from its wanted value and the one that formulas draw, mm.
        ``moved``: by how much outlines lie outwards of the formulas' ones in this view
        (:meth:`moved_off`)."""
        if self.lens == "wanted":
            return wanted
        gained = correction.gained(
            lambda side, across, lying: self.gain(side, across, lying=lying), drawn
        )
        return (drawn + gained) * self.factor(correction.axis) + correction.moved(moved)
