"""What is known of a machine beside its plain figures: how well each is known, what was measured,
its cuts and bends in each material, and the stock in its rack."""

from __future__ import annotations

import math
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..model import Frozen, OneLine
from .bending import k_of_deduction

BedLength = Annotated[float, Field(gt=0, le=100_000, allow_inf_nan=False)]


class Material(Frozen):
    """What a part is made of. Density in g/cm³."""

    name: OneLine
    density: Annotated[float, Field(gt=0, le=30, allow_inf_nan=False)]


class Known(Frozen):
    """How well a figure is known: where it comes from, and its standard uncertainty in the figure's
    own unit."""

    source: Literal["typed", "calibrated", "data sheet"] = "typed"
    uncertainty: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = 0.0
    date: OneLine = ""
    readings: Annotated[int, Field(ge=0, le=100_000)] = 0


#: How features scatter: round ones, straight ones, heights.
NoiseKind = Literal["round", "straight", "height"]


class Covariance(Frozen):
    """Covariances of calibrated figures, each in its own unit."""

    names: tuple[OneLine, ...] = ()
    rows: tuple[tuple[float, ...], ...] = ()

    @model_validator(mode="after")
    def _square(self) -> Self:
        if any(len(row) != len(self.names) for row in self.rows) or len(self.rows) != len(
            self.names
        ):
            raise ValueError("the covariances must be a square with a row for each figure")
        return self


class Spread(Frozen):
    """How far what is made lies from what is expected of it.

    ``mean``: covariances of the figures, by how much the machine is not known. ``days``:
    covariances of what the figures do from day to day and from piece to piece. ``noise``: standard
    deviations of a single feature, mm: ``round``, ``straight`` or of its ``height``. Names that are
    no figures of the process are what it does not correct: ``inside`` (openings against outsides),
    ``x_and_y``.
    """

    mean: Covariance = Covariance()
    days: Covariance = Covariance()
    noise: dict[NoiseKind, Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)]] = {}


#: What is measured on a test piece.
FeatureKind = Literal["hole", "peg", "length", "height", "opening", "diagonal", "first layer"]


class MeasuredRow(Frozen):
    """What was measured on one feature of a piece: its kind, its size as it was sent, and the
    caliper's readings, mm."""

    kind: FeatureKind
    drawn: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]
    read: Annotated[tuple[float, ...], Field(max_length=100)]
    axis: OneLine = ""
    label: OneLine = ""


class MeasuredPiece(Frozen):
    """A piece that was made and measured: on which day, of what, and what a closed caliper showed,
    mm."""

    date: OneLine = ""
    name: OneLine = ""
    material: OneLine = ""
    thickness: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] = 0.0
    closed: Annotated[float, Field(ge=-5, le=5, allow_inf_nan=False)] | None = None
    rows: Annotated[tuple[MeasuredRow, ...], Field(max_length=2000)] = ()


class Kerf(Frozen):
    """How wide the cut is, mm, in a material of a thickness."""

    material: OneLine = ""
    thickness: Annotated[float, Field(gt=0, le=500, allow_inf_nan=False)]
    kerf: Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)]
    known: Known | None = None
    spread: Spread | None = None


class BendKnown(Frozen):
    """How well a bend is known from measured strips: standard uncertainties of its deduction, mm,
    and of the angle that comes, degrees; and the scatter from bend to bend of both legs together
    and of the place of the bend, mm, and of the angle, degrees. ``stop``: the standard uncertainty
    of where the stop stands, mm; nothing in files from before it was kept, where it follows from
    the scatter. ``freedom``: degrees of freedom of all of them."""

    date: OneLine = ""
    strips: Annotated[int, Field(ge=0, le=10_000)] = 0
    deduction: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = 0.0
    angle: Annotated[float, Field(ge=0, le=45, allow_inf_nan=False)] = 0.0
    legs: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = 0.0
    place: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = 0.0
    stop: Annotated[float, Field(ge=0, le=10, allow_inf_nan=False)] = 0.0
    turn: Annotated[float, Field(ge=0, le=45, allow_inf_nan=False)] = 0.0
    freedom: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] = 4.0

    def of_leg(self, angle: float) -> tuple[float, float]:
        """Standard uncertainties of a leg at an angle in degrees, mm: of all that the machine makes
        on the whole, and of the next one."""
        stop = self.stop or self.place / math.sqrt(max(self.strips, 1))
        mean = math.hypot(self.deduction * abs(angle) / 90 / 2, stop)
        return mean, math.sqrt(mean**2 + (self.legs / 2) ** 2 + self.place**2)

    def of_angle(self, angle: float) -> tuple[float, float]:
        """The same of the angle itself, degrees."""
        mean = self.angle * abs(angle) / 90
        return mean, math.hypot(mean, self.turn)


class Bend(Frozen):
    """A bend of a sheet as a tool makes it: its inner radius, and by how much the flat blank is
    shorter than both flanges at an angle, mm. ``springs_back`` is by how many degrees it opens
    again, ``die`` how wide the tool is that it is pressed into, mm; 0 where that is not known."""

    material: OneLine = ""
    thickness: Annotated[float, Field(gt=0, le=50, allow_inf_nan=False)]
    radius: Annotated[float, Field(ge=0, le=200, allow_inf_nan=False)]
    deduction: Annotated[float, Field(ge=-50, le=200, allow_inf_nan=False)]
    angle: Annotated[float, Field(gt=0, le=180, allow_inf_nan=False)] = 90.0
    springs_back: Annotated[float, Field(ge=-5, le=45, allow_inf_nan=False)] = 0.0
    die: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] = 0.0
    known: BendKnown | None = None

    @model_validator(mode="after")
    def _in_the_sheet(self) -> Self:
        k = k_of_deduction(self.angle, self.radius, self.thickness, self.deduction)
        if not -0.5 <= k <= 1.2:
            raise ValueError(
                f"a deduction of {self.deduction:g} mm at {self.angle:g}° does not belong to a "
                f"radius of {self.radius:g} mm in {self.thickness:g} mm: the line that keeps its "
                "length would lie outside of the sheet"
            )
        return self


class Stock(Frozen):
    """Material as it lies in the rack: sheets or bars. Lengths in mm; ``grain`` is along x or y of
    the sheet; ``scatter`` is the standard deviation of its thickness from place to place, 0 where
    nobody looked."""

    name: Annotated[OneLine, Field(min_length=1)]
    material: OneLine = ""
    nominal: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]
    measured: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]
    size: tuple[BedLength, BedLength] = (1000.0, 600.0)
    grain: Literal["", "x", "y"] = ""
    film: bool = False
    price: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 0.0
    scatter: Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)] = 0.0

    @model_validator(mode="after")
    def _near(self) -> Self:
        if not 0.5 <= self.measured / self.nominal <= 1.5:
            raise ValueError(
                f"“{self.name}” is {self.measured:g} mm thick by measure and {self.nominal:g} "
                "mm by name: one has slipped"
            )
        return self
