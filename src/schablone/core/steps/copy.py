"""A copy of a part, moved and turned, with some sizes of its own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.body import placed_body, renamed
from ..kernel.motion import Motion
from ..model import FormulaText, Frozen, Identifier
from ..quantity import ANGLE
from ..words import say_name
from .base import Slot, Standing, Step
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    ListPiece,
    PartPiece,
    Sentence,
    SentencePiece,
    SizePiece,
    Words,
)
from .workshop import Feature, StepError, Workshop


class OtherSize(Frozen):
    """A size and what it is in the copy. The size is a formula of its name alone, so that renaming
    reaches it."""

    size: FormulaText = ""
    formula: FormulaText = "10 mm"


class CopyPart(Step):
    """Brings a copy of a part into a part, built as it would be with the sizes given here.

    Formulas of those sizes are read in the design as it is; what else depends on them follows in
    the copy. Faces of the copy are named after this step.
    """

    order = 61
    title = "Copy of a part"
    purpose = "The same part again, elsewhere, with some sizes of its own"
    also = "again another duplicate larger smaller"
    looks_around = True

    kind: Literal["copy"] = "copy"
    other: Identifier | Literal[""] = ""
    sizes: Annotated[tuple[OtherSize, ...], Field(max_length=100)] = ()
    x: FormulaText = "50 mm"
    y: FormulaText = "0 mm"
    z: FormulaText = "0 mm"
    angle: FormulaText = "0 deg"
    axis: Literal["x", "y", "z"] = "z"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def remakes(self) -> tuple[str, Mapping[str, str]] | None:
        return self.other, {
            own.size: f"sizes.{i}.formula" for i, own in enumerate(self.sizes) if own.size
        }

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        # What there is one of need not be chosen.
        others = before.parts
        return {**super().likely(before), "other": others[0] if len(others) == 1 else ""}

    def slots(self) -> tuple[Slot, ...]:
        sizes = (
            Slot(f"sizes.{i}.formula", own.formula, say_name(own.size) or "size", None)
            for i, own in enumerate(self.sizes)
        )
        moves = (
            Slot(axis, getattr(self, axis), axis, along=f"part {axis}") for axis in ("x", "y", "z")
        )
        return (*sizes, *moves, Slot("angle", self.angle, "angle", ANGLE))

    def sentence(self) -> Sentence:
        lines: list[tuple[SentencePiece, ...]] = [
            (Words("copy of the part"), PartPiece("other", itself=True))
        ]
        for i in range(len(self.sizes)):
            lines.append(
                (
                    Words("with"),
                    SizePiece(f"sizes.{i}.size"),
                    Words("="),
                    FormulaPiece(f"sizes.{i}.formula"),
                )
            )
        lines += [
            (ListPiece("sizes", "size of its own", OtherSize()),),
            (
                Words("moved by x"),
                FormulaPiece("x"),
                Words("y"),
                FormulaPiece("y"),
                Words("z"),
                FormulaPiece("z"),
            ),
            (
                Words("after turning it by"),
                FormulaPiece("angle"),
                Words("about"),
                ChoicePiece("axis", {"x": "x", "y": "y", "z": "z"}),
            ),
        ]
        return tuple(lines)

    def feature(self, shop: Workshop) -> Feature:
        blank = next((i for i, own in enumerate(self.sizes) if not own.size), None)
        if blank is not None:
            raise StepError(
                "No size is chosen that is different in the copy.",
                "Choose one.",
                f"sizes.{blank}.size",
                asks=True,
            )
        assert shop.remade is not None  # the rebuild gives it or fails
        way = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}[self.axis]
        turn = Motion.turn((0.0, 0.0, 0.0), way, shop.values["angle"])
        motion = Motion.move((shop.values["x"], shop.values["y"], shop.values["z"])).after(turn)
        return Feature(
            "add", self.part, brings=renamed(placed_body(shop.remade, motion), self.name, "copy")
        )
