"""A process: a machine with a material and its measured habits. See docs/processes.md for the
file."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..model import Frozen, OneLine, Paragraphs
from ..words import listed, say_name
from .fits import Fits
from .known import BedLength, Bend, Kerf, Known, Material, MeasuredPiece, Spread, Stock

Millimetres = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]
Width = Annotated[float, Field(ge=0, le=50, allow_inf_nan=False)]
Percent = Annotated[float, Field(ge=-5, le=10, allow_inf_nan=False)]

Relief = Literal["none", "corner", "along", "radius"]

MachineKind = Literal["filament print", "resin print", "laser or knife", "router", "folding"]

#: Which figures a kind of process has, beside its name, material, fits and note.
FIGURES: dict[str, tuple[str, ...]] = {
    "filament print": (
        "shrinkage_xy", "shrinkage_z", "hole_gain", "hole_small", "opening_gain", "lying_hole_gain",
        "peg_gain", "peg_small",
        "length_gain", "height_gain", "line_width", "layer", "first_layer", "smallest", "bed",
        "flow", "set_up", "hour_cost", "kilo_cost",
    ),
    "resin print": (
        "shrinkage_xy", "shrinkage_z", "hole_gain", "hole_small", "opening_gain", "lying_hole_gain",
        "peg_gain", "peg_small",
        "length_gain", "height_gain", "layer", "first_layer", "smallest", "bed",
        "flow", "set_up", "hour_cost", "kilo_cost",
    ),
    "laser or knife": (
        "kerfs", "taper", "smallest", "tabs", "tab_width", "stock", "bed",
        "cut_speed", "pierce", "set_up", "hour_cost",
    ),
    "router": (
        "cutter", "relief", "relief_openings", "relief_pockets", "path_gain", "smallest", "tabs",
        "tab_width", "stock", "bed", "cut_speed", "pierce", "set_up", "hour_cost",
    ),
    "folding": ("bends", "longest_bend", "open_height", "offset_tool", "stock", "bed"),
}  # fmt: skip

#: What each figure that is a number is called, and its unit.
NAMES: dict[str, tuple[str, str]] = {
    "shrinkage_xy": ("shrinkage in x and y", "%"), "shrinkage_z": ("shrinkage in z", "%"),
    "hole_gain": ("hole gain", "mm"), "hole_small": ("extra for small holes", "mm²"),
    "opening_gain": ("gain of straight openings", "mm"),
    "lying_hole_gain": ("gain of lying holes", "mm"),
    "peg_gain": ("peg gain", "mm"), "peg_small": ("extra for small pegs", "mm²"),
    "length_gain": ("gain of straight outsides", "mm"), "height_gain": ("gain of heights", "mm"),
    "line_width": ("line width", "mm"),
    "layer": ("layer", "mm"), "first_layer": ("squeeze of the first layer", "mm"),
    "smallest": ("smallest feature", "mm"),
    "taper": ("taper of the cut", "°"), "cutter": ("cutter", "mm"),
    "path_gain": ("gain of a cut path", "mm"),
    "kerf": ("kerf", "mm"), "tabs": ("tabs around a part", ""),
    "tab_width": ("width of a tab", "mm"),
    "longest_bend": ("longest bend", "mm"), "open_height": ("open height over a bend", "mm"),
    "offset_tool": ("offsets in one stroke, up to", "mm"),
    "flow": ("lays down, on the whole", "mm³/s"), "cut_speed": ("cuts, on the whole", "mm/s"),
    "pierce": ("beginning a cut", "s"), "set_up": ("setting up a sheet or bed", "min"),
    "hour_cost": ("an hour costs", "€"), "kilo_cost": ("a kilogram costs", "€"),
}  # fmt: skip


#: How an inner corner may be relieved, in words.
RELIEFS = {
    "none": "left round",
    "corner": "at the corner",
    "along": "along one side",
    "radius": "by a radius",
}

#: Figures that a calibration of a printer fixes.
CALIBRATED = (
    "shrinkage_xy", "shrinkage_z", "hole_gain", "hole_small", "opening_gain", "peg_gain",
    "peg_small", "length_gain",
    "height_gain", "first_layer",
)  # fmt: skip

#: Figures that may be left open, and the one that then stands for them.
STANDS_FOR = {
    "opening_gain": "hole_gain",
    "lying_hole_gain": "hole_gain",
    "length_gain": "peg_gain",
}


#: A kerf of a material stands for a sheet of it that is thicker or thinner by this factor: sheets
#: that are sold alike differ by as much.
_AS_THICK = 1.1


class _WrittenOnce(Frozen):
    """What was written before there was a :class:`Spread`: one covariance and one noise, of which
    nobody knew what they were of."""

    @model_validator(mode="before")
    @classmethod
    def _without(cls, data: object) -> object:
        if isinstance(data, dict):
            return {
                name: value for name, value in data.items() if name not in ("covariance", "noise")
            }
        return data


class State(_WrittenOnce):
    """The calibrated figures of a process as they were once."""

    date: OneLine = ""
    figures: dict[OneLine, float | None] = {}
    kerfs: tuple[Kerf, ...] = ()
    known: dict[OneLine, Known] = {}
    spread: Spread | None = None
    fits: Fits | None = None
    measured: dict[OneLine, tuple[float, float]] = {}
    pieces: tuple[MeasuredPiece, ...] = ()

    @classmethod
    def of(cls, process: Process) -> State:
        """The state that a process is in."""
        figures = {name: getattr(process, name) for name in (*CALIBRATED, "path_gain", "cutter")}
        return cls(
            date=process.date,
            figures=figures,
            kerfs=process.kerfs,
            known=dict(process.known),
            spread=process.spread,
            fits=process.fits,
            measured=dict(process.measured),
            pieces=process.pieces,
        )


class Process(_WrittenOnce):
    """A machine with a material.

    ``shrinkage_xy`` and ``shrinkage_z``: how much shorter a length comes out, in percent of what
    was sent. ``hole_gain`` and ``peg_gain``: what is added to every inside and outside measure
    across the bed, mm; round holes gain ``hole_small`` divided by their diameter on top, so that
    small ones close more, and round pegs ``peg_small``. Holes that lie gain ``lying_hole_gain``
    instead, straight openings ``opening_gain`` and straight outsides ``length_gain``, where they
    are stated. ``height_gain`` is what heights above the bed gain, mm: it is not corrected, but
    allowed for. ``first_layer`` is how far the first layer is squeezed out all around, mm. Cutting
    machines have ``kerfs`` by material and thickness, and a ``taper`` in
    degrees, by which each side of the cut leans; routers a ``cutter`` diameter and a ``path_gain``,
    by which what they cut free comes out larger all round. Inner corners that a router cannot cut
    get ``relief``: those of notches in the outline, and, where they are not to be as these, those
    of openings and pockets. Every part of a machine that cuts is held by so many ``tabs`` of a
    ``tab_width``. ``known`` says how well each figure is known, ``spread`` what a calibration found
    of how far pieces lie from what is expected, ``measured`` between which sizes it measured holes,
    pegs, lengths and heights, mm, ``pieces`` what was measured. What work takes and costs is for
    estimates: ``flow`` in mm³/s, ``cut_speed`` in mm/s, ``pierce`` in s, ``set_up`` in min; 0 where
    nobody said. ``date`` is that of the state in
    force, ``history`` holds those before.
    """

    format: Literal["schablone process"] = "schablone process"
    version: Literal[1] = 1
    name: Annotated[OneLine, Field(min_length=1)]
    kind: MachineKind = "filament print"
    material: Material
    shrinkage_xy: Percent = 0.0
    shrinkage_z: Percent = 0.0
    hole_gain: Millimetres = 0.0
    hole_small: Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)] = 0.0
    opening_gain: Millimetres | None = None
    lying_hole_gain: Millimetres | None = None
    peg_gain: Millimetres = 0.0
    peg_small: Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)] = 0.0
    length_gain: Millimetres | None = None
    height_gain: Millimetres = 0.0
    line_width: Width = 0.0
    layer: Width = 0.0
    first_layer: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.0
    smallest: Width = 0.0
    kerfs: Annotated[tuple[Kerf, ...], Field(max_length=500)] = ()
    taper: Annotated[float, Field(ge=0, le=15, allow_inf_nan=False)] = 0.0
    cutter: Width = 0.0
    relief: Relief = "none"
    relief_openings: Relief | Literal[""] = ""
    relief_pockets: Relief | Literal[""] = ""
    tabs: Annotated[int, Field(ge=0, le=40)] = 0
    tab_width: Width = 0.0
    path_gain: Millimetres = 0.0
    bends: Annotated[tuple[Bend, ...], Field(max_length=500)] = ()
    longest_bend: Annotated[float, Field(ge=0, le=20000, allow_inf_nan=False)] = 0.0
    offset_tool: Width = 0.0
    open_height: Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)] = 0.0
    flow: Annotated[float, Field(ge=0, le=1e5, allow_inf_nan=False)] = 0.0
    cut_speed: Annotated[float, Field(ge=0, le=1e5, allow_inf_nan=False)] = 0.0
    pierce: Annotated[float, Field(ge=0, le=3600, allow_inf_nan=False)] = 0.0
    set_up: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] = 0.0
    hour_cost: Annotated[float, Field(ge=0, le=1e5, allow_inf_nan=False)] = 0.0
    kilo_cost: Annotated[float, Field(ge=0, le=1e5, allow_inf_nan=False)] = 0.0
    stock: Annotated[tuple[Stock, ...], Field(max_length=500)] = ()
    fits: Fits = Fits()
    bed: tuple[BedLength, BedLength, BedLength] = (250.0, 210.0, 220.0)
    known: dict[OneLine, Known] = {}
    spread: Spread | None = None
    measured: dict[OneLine, tuple[float, float]] = {}
    pieces: Annotated[tuple[MeasuredPiece, ...], Field(max_length=100)] = ()
    date: OneLine = ""
    history: Annotated[tuple[State, ...], Field(max_length=200)] = ()
    note: Paragraphs = ""

    @model_validator(mode="after")
    def _figures_of_its_kind(self) -> Self:
        mine = FIGURES[self.kind]
        for other in {name for names in FIGURES.values() for name in names}:
            value = getattr(self, other)
            default = type(self).model_fields[other].default
            if other not in mine and value != default:
                words = NAMES.get(other, (say_name(other), ""))[0]
                raise ValueError(f"a process of the kind “{self.kind}” has no {words}")
        twice = [
            k
            for i, k in enumerate(self.kerfs)
            if any((k.material, k.thickness) == (o.material, o.thickness) for o in self.kerfs[:i])
        ]
        if twice:
            raise ValueError(
                f"two kerfs are given for {twice[0].material or 'any material'} of "
                f"{twice[0].thickness:g} mm"
            )
        for kerf in self.kerfs:
            if kerf.kerf >= 2 * kerf.thickness + 1:
                raise ValueError(
                    f"a kerf of {kerf.kerf:g} mm in {kerf.thickness:g} mm is wider than any "
                    "beam: a slipped point?"
                )
        if self.tabs and self.tab_width <= 0:
            raise ValueError("tabs need a width above zero")
        if self.kind == "router" and self.cutter <= 0:
            raise ValueError("a router needs the diameter of its cutter")
        return self

    @property
    def family(self) -> str:
        """``print``, ``cut`` or ``fold``: designs for one are nothing for another."""
        return "print" if "print" in self.kind else "fold" if self.kind == "folding" else "cut"

    # What it asks for

    def like_new(self, name: str) -> Process:
        """Another machine of this kind, of which nothing is measured yet: what it is, what it works
        with and takes as here, its figures a guess."""
        return self.with_(
            name=name, known={}, spread=None, measured={}, pieces=(), date="", history=(), note=""
        )

    def clearance(self, fit: str, size: float = 0.0) -> float:
        """Hole minus peg in mm for a class of fit at a size in mm."""
        return self.fits.clearance(fit, size)

    def kerf_in(self, material: str, thickness: float) -> float:
        """The width of the cut, mm: as stated for the material and thickness, on the straight line
        between two thicknesses, or that of the nearest; for any material where none is stated for
        this one, and of all others where there is none of that either (see :meth:`kerf_from`)."""
        around = _around(self._kerfs_for(material), thickness)
        if len(around) < 2:
            return around[0].kerf if around else 0.0
        low, high = around
        share = (thickness - low.thickness) / (high.thickness - low.thickness)
        return low.kerf + (high.kerf - low.kerf) * share

    def _kerfs_for(self, material: str) -> list[Kerf]:
        """Those that stand for a material."""
        for mine in (material, ""):
            if known := [kerf for kerf in self.kerfs if kerf.material == mine]:
                return known
        return list(self.kerfs)

    def kerf_from(self, material: str, thickness: float) -> str:
        """What :meth:`kerf_in` takes the width of the cut from, in words, where none is known of
        this material about as thick; empty where one is."""
        known = self._kerfs_for(material)
        if not known:
            return "it is cut as if the cut had no width"
        around = _around(known, thickness)
        thick = [kerf.thickness for kerf in known]
        within = min(thick) / _AS_THICK <= thickness <= max(thick) * _AS_THICK
        if within and all(kerf.material in ("", material) for kerf in around):
            return ""
        of = [f"that of {k.material or 'any material'} of {k.thickness:g} mm" for k in around]
        return f"{of[0]} is taken" if len(of) < 2 else f"one between {listed(of)} is taken"

    def spread_in(self, material: str, thickness: float) -> Spread | None:
        """What a calibration found of how far pieces lie from what is expected, of a machine that
        cuts in this material and thickness; None where none was made."""
        if self.kind != "laser or knife":
            return self.spread
        for mine in (material, ""):
            known = [k for k in self.kerfs if k.material == mine]
            if known:
                return next((k.spread for k in known if abs(k.thickness - thickness) < 1e-6), None)
        return None

    def cut_width(self, material: str, thickness: float) -> float:
        """How wide the cut is beside the outline of a flat part, mm: a laser's kerf; what a
        router's path gains counts as a cut that is too narrow."""
        if self.kind == "laser or knife":
            return self.kerf_in(material, thickness)
        return -self.path_gain if self.kind == "router" else 0.0

    def reliefs(self) -> dict[str, str]:
        """How inner corners are relieved, by their kind."""
        return {
            "notch": self.relief,
            "opening": self.relief_openings or self.relief,
            "pocket": self.relief_pockets or self.relief,
        }

    def say_reliefs(self) -> str:
        """How inner corners are relieved, in words; nothing where none is."""
        how = self.reliefs()
        if len(set(how.values())) == 1:
            return "" if self.relief == "none" else f"corners {RELIEFS[self.relief]}"
        kinds = {"notch": "notches", "opening": "openings", "pocket": "pockets"}
        return ", ".join(f"{kinds[kind]} {RELIEFS[one]}" for kind, one in how.items())

    def tab_gap(self, material: str, thickness: float) -> float:
        """How long the cut is interrupted for a tab, mm: the tab's width and half the width of the
        cut at both its ends."""
        return self.tab_width + (self.cutter or self.kerf_in(material, thickness))

    def back_to(self, state: State) -> Process:
        """The process in a former state; the one in force goes to the history."""
        rest = tuple(one for one in self.history if one != state)
        return self.with_(
            **state.figures,
            kerfs=state.kerfs,
            date=state.date,
            known=state.known,
            spread=state.spread,
            pieces=state.pieces,
            measured=state.measured,
            fits=state.fits or self.fits,
            history=(*rest, State.of(self)),
        )

    def for_materials(self, materials: Iterable[str]) -> Process:
        """The process as things of these materials meet it, an empty name being what it works: with
        the stock that is of none of them left out. What is of no stated material takes stock of
        any, where there is none so thick of its own."""
        asked = set(materials) or {""}
        mine = {"", *(name or self.material.name for name in asked)}
        of_mine = {stock.nominal for stock in self.stock if stock.material in mine}
        kept = tuple(
            stock
            for stock in self.stock
            if stock.material in mine or ("" in asked and stock.nominal not in of_mine)
        )
        return self if kept == self.stock else self.model_copy(update={"stock": kept})

    def stock_of(self, nominal: float) -> float:
        """The measured thickness of the stock with a nominal one, mm; the nominal one where there
        is no such stock.

        Raises:
            ValueError: where several are sold as this thick and differ by measure.
        """
        named = [stock for stock in self.stock if abs(stock.nominal - nominal) < 1e-6]
        if len({stock.measured for stock in named}) > 1:
            known = listed([f"“{stock.name}” of {stock.measured:g} mm" for stock in named])
            raise ValueError(
                f"several stocks of {self.name} are sold as {nominal:g} mm: {known}; say of which "
                "material the part is, or leave only the one in use in the list of stock"
            )
        return named[0].measured if named else nominal

    def scatter_of(self, thickness: float, material: str) -> float:
        """The standard deviation of the thickness of the stock of a material that is so thick, by
        measure or by name, mm; 0 where there is none, or nobody looked."""
        known = self.for_materials({material}).stock
        for thick in ("measured", "nominal"):
            for stock in known:
                if abs(getattr(stock, thick) - thickness) < 1e-6:
                    return stock.scatter
        return 0.0

    def whole_steps(self, what: str, size: float) -> float:
        """The least whole number of printed ``lines`` or ``layers`` that is as wide or high as a
        size, mm; the size where the process has none."""
        step = self.line_width if what == "lines" else self.layer
        return math.ceil(size / step - 1e-9) * step if step > 0 else size

    # What it does

    def gain(self, side: str, across: float = 0.0, *, lying: bool = False) -> float:
        """What the machine adds to a measure on a side of the material, mm. ``across`` is the
        diameter as drawn of a round hole or peg, 0 for straight sides."""
        constant, small = self.gain_figures(side, straight=across <= 0, lying=lying)
        gain = float(getattr(self, constant)) if constant else 0.0
        return gain + (float(getattr(self, small)) / across if small else 0.0)

    def gain_figures(self, side: str, *, straight: bool, lying: bool = False) -> tuple[str, str]:
        """The names of the figures that act on a measure on a side of the material: a constant, and
        what is divided by the diameter of a round wall; empty where none does."""
        if side not in ("inside", "outside"):
            return "", ""
        inside = side == "inside"
        own = (
            "lying_hole_gain"
            if inside and lying
            else ("opening_gain" if inside else "length_gain")
            if straight
            else ""
        )
        constant = "hole_gain" if inside else "peg_gain"
        if own and getattr(self, own) is not None:
            constant = own
        return constant, "" if straight else "hole_small" if inside else "peg_small"

    def send_inside(self, wanted: float, *, lying: bool = False, straight: bool = False) -> float:
        """What to draw so that an inside measure finishes at ``wanted`` mm, before scaling for
        shrinkage. Round, unless it is ``straight``: then s + a + b / s = wanted is solved for s.

        Raises:
            ValueError: where the hole closes up whatever is drawn.
        """
        return self._sent(wanted, "inside", "hole", straight=straight, lying=lying)

    def send_outside(self, wanted: float, *, straight: bool = True) -> float:
        """The same for an outside measure; of a round peg where it is not ``straight``.

        Raises:
            ValueError: where there is nothing left of it whatever is drawn.
        """
        return self._sent(wanted, "outside", "peg", straight=straight)

    def _sent(
        self, wanted: float, side: str, what: str, *, straight: bool, lying: bool = False
    ) -> float:
        constant, share = self.gain_figures(side, straight=straight, lying=lying)
        rest, small = (
            wanted - float(getattr(self, constant)),
            float(getattr(self, share)) if share else 0.0,
        )
        if not small:
            return rest
        under = rest * rest - 4 * small
        if under < 0:
            raise ValueError(f"a {what} of {wanted:g} mm closes up altogether on {self.name}")
        return (rest + math.copysign(math.sqrt(under), rest)) / 2

    def kept(self, axis: str) -> float:
        """The share of a sent length that is left after shrinking: along ``xy`` or ``z``."""
        percent = {"xy": self.shrinkage_xy, "z": self.shrinkage_z}.get(axis, 0.0)
        return 1.0 - percent / 100.0


def _around(kerfs: list[Kerf], thickness: float) -> list[Kerf]:
    """The kerf of a thickness in mm, or of the nearest end; or both between which it lies."""
    known = sorted(kerfs, key=lambda kerf: (kerf.thickness, kerf.kerf))
    if not known or thickness <= known[0].thickness:
        return known[:1]
    for low, high in itertools.pairwise(known):
        if thickness <= high.thickness:
            return [high] if thickness == high.thickness else [low, high]
    return known[-1:]


#: What a part is made of where no process is named.
NO_MATERIAL = "no material"


def neutral() -> Process:
    """A process with no habits, for a design that names none: what is sent is what comes off."""
    return Process(
        name="No machine", material=Material(name=NO_MATERIAL, density=1.0), bed=(1e5, 1e5, 1e5)
    )
