"""Stencil: a piece of design that was drawn once, put on a face at a point, turned, with its open
sizes."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..kernel.frame import Frame
from ..kernel.motion import Motion
from ..kernel.spots import steps_named, with_step_renamed
from ..model import FormulaText, Frozen, Identifier, OneLine
from ..words import say_name
from .anchored import Anchored, say_where
from .base import Slot, Step
from .sentence import (
    ChoicePiece,
    FormulaPiece,
    PartPiece,
    PlacePiece,
    Sentence,
    SentencePiece,
    StencilPiece,
    Words,
)
from .workshop import Feature, StepError, Workshop


class Given(Frozen):
    """What an open size is where the stencil is put in: a formula over the sizes of the design."""

    size: Identifier
    formula: FormulaText


class GivenFace(Frozen):
    """The face of the design that a further face of the stencil is."""

    name: Identifier
    face: OneLine = ""


class GivenPart(Frozen):
    """The part of the design that a further part of the stencil is."""

    name: Identifier
    part: Identifier | Literal[""] = ""


class PutIn(Anchored):
    """Puts a stencil on a flat face.

    What the stencil does are steps of their own (``name.step``), which follow this one when the
    design is opened for building (``core/design/opened.py``).
    """

    order = 36
    title = "Stencil"
    purpose = "Put in what was drawn once: a grip, a recess, a vent"
    also = "reuse library cut-out shelf pattern recess grip"
    repeatable = True
    asks = "shelf"

    kind: Literal["stencil"] = "stencil"
    stencil: Identifier | Literal[""] = ""
    image: Literal["drawn", "mirrored"] = "drawn"
    given: Annotated[tuple[Given, ...], Field(max_length=200)] = ()
    faces: Annotated[tuple[GivenFace, ...], Field(max_length=10)] = ()
    parts: Annotated[tuple[GivenPart, ...], Field(max_length=10)] = ()

    def puts_in(self) -> str:
        return self.stencil

    def needs(self) -> tuple[str, ...]:
        further = [step for one in self.faces for step in steps_named(one.face)]
        return tuple(dict.fromkeys([*super().needs(), *further]))

    def with_step_renamed(self, old: str, new: str) -> Step:
        renamed = super().with_step_renamed(old, new)
        faces = tuple(
            one.model_copy(update={"face": with_step_renamed(one.face, old, new)})
            for one in self.faces
        )
        return renamed.model_copy(update={"faces": faces}) if faces != self.faces else renamed

    def slots(self) -> tuple[Slot, ...]:
        # Of what kind the open sizes must be, and whether they may be so, the value table knows.
        given = [
            Slot(f"given.{k}.formula", one.formula, say_name(one.size), None)
            for k, one in enumerate(self.given)
        ]
        return (*super().slots(), *given)

    def sentence(self) -> Sentence:
        lines: list[tuple[SentencePiece, ...]] = [
            (Words("put"), StencilPiece("stencil"), Words("on"), PlacePiece("face")),
            (
                *say_where(self),
                ChoicePiece("image", {"drawn": "as it is drawn", "mirrored": "mirrored"}),
            ),
        ]
        lines += [
            (Words(say_name(one.size)), FormulaPiece(f"given.{k}.formula"))
            for k, one in enumerate(self.given)
        ]
        lines += [
            (Words(f"with {say_name(one.name)}"), PlacePiece(f"faces.{k}.face"))
            for k, one in enumerate(self.faces)
        ]
        lines += [
            (Words(f"with {say_name(one.name)}"), PartPiece(f"parts.{k}.part"))
            for k, one in enumerate(self.parts)
        ]
        return tuple(lines)

    def feature(self, shop: Workshop) -> Feature:
        if self.stencil not in shop.stencils:
            what = f"There is no stencil “{say_name(self.stencil)}” in this design."
            raise StepError(
                what if self.stencil else "It is not chosen which stencil is put in.",
                "Choose one, or take one from the shelf.",
                "stencil",
                sorted(shop.stencils),
                asks=not self.stencil,
            )
        host = self.host(shop)
        for k, further in enumerate(self.faces):
            shop.face(further.face, f"faces.{k}.face")
        for k, other in enumerate(self.parts):
            if not other.part:
                raise StepError(
                    f"It is not chosen which part is {say_name(other.name)}.", "Choose one.",
                    f"parts.{k}.part", asks=True,
                )  # fmt: skip
        return Feature("add", self.part, frame=host.frame, host=host)

    def image_motion(self, anchor: Frame) -> Motion:
        """How what is drawn lies: as it is, or mirrored at the anchor's y and normal."""
        if self.image == "drawn":
            return Motion()
        return Motion.mirror(Frame(anchor.origin, anchor.y, anchor.normal))
