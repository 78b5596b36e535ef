"""A process: a machine with a material and its measured habits. See docs/processes.md for the file."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..model import Frozen, Line, Paragraphs

Millimetres = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]
Clearance = Annotated[float, Field(ge=-2, le=5, allow_inf_nan=False)]
Percent = Annotated[float, Field(ge=-5, le=10, allow_inf_nan=False)]
BedLength = Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)]


class Material(Frozen):
    """What a part is made of. Density in g/cm³."""

    name: Line
    density: Annotated[float, Field(gt=0, le=30, allow_inf_nan=False)]


class Fits(Frozen):
    """Clearance, hole minus peg, for each class of fit, in mm. A press fit may be negative."""

    press: Clearance = -0.05
    push: Clearance = 0.05
    sliding: Clearance = 0.2
    loose: Clearance = 0.4

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if not self.press <= self.push <= self.sliding <= self.loose:
            raise ValueError("fits must not get tighter from press over push and sliding to loose")
        return self


class Process(Frozen):
    """A filament printer with its material.

    ``shrinkage_xy`` and ``shrinkage_z``: how much shorter a length comes out, in percent of what was sent.
    ``hole_gain`` and ``peg_gain``: what is added to every inside and outside measure in the plane of the
    bed, in mm, whatever its size; printed holes close up, so a hole gain is mostly negative.
    """

    format: Literal["schablone process"] = "schablone process"
    version: Literal[1] = 1
    name: Annotated[Line, Field(min_length=1)]
    kind: Literal["filament print"] = "filament print"
    material: Material
    shrinkage_xy: Percent = 0.0
    shrinkage_z: Percent = 0.0
    hole_gain: Millimetres = 0.0
    peg_gain: Millimetres = 0.0
    fits: Fits = Fits()
    bed: tuple[BedLength, BedLength, BedLength] = (250.0, 210.0, 220.0)
    note: Paragraphs = ""

    def clearance(self, fit: str) -> float:
        """Hole minus peg in mm for a class of fit."""
        return float(getattr(self.fits, fit))

    def send_inside(self, wanted: float) -> float:
        """What to draw so that an inside measure finishes at ``wanted`` mm, before scaling for shrinkage."""
        return wanted - self.hole_gain

    def send_outside(self, wanted: float) -> float:
        """The same for an outside measure."""
        return wanted - self.peg_gain

    def gain(self, side: str) -> float:
        """What the machine adds to a measure on this side of the material, in mm."""
        return {"inside": self.hole_gain, "outside": self.peg_gain}.get(side, 0.0)

    def kept(self, axis: str) -> float:
        """The share of a sent length that is left after shrinking: along ``xy`` or ``z``."""
        percent = {"xy": self.shrinkage_xy, "z": self.shrinkage_z}.get(axis, 0.0)
        return 1.0 - percent / 100.0


def neutral() -> Process:
    """A process with no habits, for a design that names none: what is sent is what comes off."""
    return Process(name="No machine", material=Material(name="no material", density=1.0), bed=(1e5, 1e5, 1e5))
