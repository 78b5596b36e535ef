"""The file of a bought part: what it is, its outline, where it can be held, what room it needs.

All lengths are formulas over the part's own dimensions. It lies with its underside at z = 0 and the
middle of its footprint at x = y = 0; ``front`` is towards −y.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ..model import FormulaText, Frozen, Identifier, OneLine, Paragraphs
from ..packed import LONGEST

Side = Literal["front", "back", "left", "right", "top", "bottom"]
Money = Annotated[float, Field(ge=0, le=1e9, allow_inf_nan=False)]

#: Names that every bought part has of itself: the size of the box around it, and two anchors.
BOX = ("length", "width", "height")
ANCHORS = ("middle", "top_middle")


class BoughtLength(Frozen):
    """A length of the part, by how much it differs from piece to piece (±, mm), and where it is
    measured."""

    name: Identifier
    formula: FormulaText
    tolerance: Annotated[float, Field(ge=0, le=1000, allow_inf_nan=False)] = 0.0
    note: OneLine = ""


class BoxOutline(Frozen):
    """A box, ``length`` along x, ``width`` along y."""

    kind: Literal["box"] = "box"
    length: FormulaText = "40 mm"
    width: FormulaText = "20 mm"
    height: FormulaText = "10 mm"


class CylinderOutline(Frozen):
    """A cylinder that stands upright, or lies along x."""

    kind: Literal["cylinder"] = "cylinder"
    diameter: FormulaText = "10 mm"
    height: FormulaText = "20 mm"
    lies: bool = False


class OutlineCorner(Frozen):
    """A corner of a drawn outline; ``round`` is the radius of the arc that it is rounded by."""

    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    round: FormulaText = "0 mm"


class RaisedOutline(Frozen):
    """A region given by its corners, raised by a height."""

    kind: Literal["raised"] = "raised"
    corners: Annotated[tuple[OutlineCorner, ...], Field(min_length=3, max_length=500)]
    height: FormulaText = "10 mm"


class FileOutline(Frozen):
    """The solid of a STEP file, packed; it is moved so that its box lies as others do. ``size`` is
    that of the box around it, mm, as it was when the file was taken in: formulas ask for it without
    reading the file."""

    kind: Literal["file"] = "file"
    file: OneLine = ""
    data: Annotated[str, Field(max_length=LONGEST)]
    size: tuple[Money, Money, Money] = (0.0, 0.0, 0.0)


Outline = Annotated[
    BoxOutline | CylinderOutline | RaisedOutline | FileOutline, Field(discriminator="kind")
]


class Anchor(Frozen):
    """A point by which the part is placed; it is ``towards`` this side that it lies on what it is
    placed on."""

    name: Identifier
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    z: FormulaText = "0 mm"
    towards: Side = "bottom"


class ScrewHole(Frozen):
    """A hole that goes upright through the part, for a screw such as M3."""

    name: Identifier
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    diameter: FormulaText = "3.2 mm"
    screw: OneLine = ""


class Port(Frozen):
    """An opening that the part needs in what lies beside it: on which side, how far along that from
    its middle, how high above the underside, how large, and how much wider it must be cut all
    round. On the top and bottom ``along`` and ``up`` are x and y."""

    name: Identifier
    side: Side = "front"
    form: Literal["rectangle", "round"] = "rectangle"
    along: FormulaText = "0 mm"
    up: FormulaText = "5 mm"
    width: FormulaText = "10 mm"
    height: FormulaText = "5 mm"
    clearance: FormulaText = "0.3 mm"


class BoughtPart(Frozen):
    """A bought part. ``sort`` says what it can be changed for: another of the same sort. ``mass``
    is in g."""

    format: Literal["schablone bought part"] = "schablone bought part"
    version: Literal[1] = 1
    name: Identifier
    title: OneLine = ""
    sort: OneLine = ""
    note: Paragraphs = ""
    source: OneLine = ""
    price: Money | None = None
    currency: OneLine = "EUR"
    mass: Money | None = None
    dimensions: Annotated[tuple[BoughtLength, ...], Field(max_length=200)] = ()
    outline: Outline = BoxOutline()
    anchors: Annotated[tuple[Anchor, ...], Field(max_length=100)] = ()
    holes: Annotated[tuple[ScrewHole, ...], Field(max_length=200)] = ()
    ports: Annotated[tuple[Port, ...], Field(max_length=100)] = ()

    @model_validator(mode="after")
    def _names_are_distinct(self) -> Self:
        for what, taken, listed in (
            ("dimensions", (), self.dimensions),
            ("anchors", ANCHORS, self.anchors),
            ("holes", (), self.holes),
            ("ports", (), self.ports),
        ):
            names = [*taken, *(one.name for one in listed)]
            twice = next((name for k, name in enumerate(names) if name in names[:k]), None)
            if twice is not None:
                raise ValueError(f"two {what} are called “{twice}”")
        return self

    @property
    def said(self) -> str:
        """What it is called."""
        return self.title or self.name.replace("_", " ")

    def anchor_names(self) -> tuple[str, ...]:
        """The places that it can be put by: those that every part has, then its own."""
        return (*ANCHORS, *(anchor.name for anchor in self.anchors))
