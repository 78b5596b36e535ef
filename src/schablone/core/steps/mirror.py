"""A mirror image of a step, or of the whole part."""

from __future__ import annotations

from typing import Literal

from ..kernel.body import Body, named_anew, placed_body
from ..kernel.motion import Motion
from ..kernel.operations import combined_bodies, united
from ..model import Identifier, OneLine
from .base import Step
from .repeating import repeated, seed_of
from .sentence import ChoicePiece, PlacePiece, Sentence, SentencePiece, StepPiece, Words
from .workshop import Feature, Workshop


class Mirror(Step):
    """Adds the mirror image in a plane or flat face. The faces of the image bear the number 2."""

    order = 46
    in_stencils = True
    title = "Mirror"
    purpose = "The mirror image of a step, or of the part"
    also = "symmetric copy reflect"
    repeatable = True
    refers = ("of",)
    places = ("plane",)

    kind: Literal["mirror"] = "mirror"
    what: Literal["step", "part"] = "step"
    of: Identifier | Literal[""] = ""
    plane: OneLine = "side"
    part: Identifier = "part"

    def carries(self) -> str:
        return self.of if self.what == "step" else ""

    def needs(self) -> tuple[str, ...]:
        return tuple(name for name in super().needs() if self.what == "step" or name != self.of)

    def only_prisms(self) -> bool:
        return self.what == "step"

    def sentence(self) -> Sentence:
        pieces: list[SentencePiece] = [
            Words("mirror"),
            ChoicePiece("what", {"step": "the step", "part": "the whole part"}),
        ]
        if self.what == "step":
            pieces.append(StepPiece("of", repeatable=True))
        return ((*pieces, Words("in"), PlacePiece("plane", planes=True)),)

    def feature(self, shop: Workshop) -> Feature:
        motion = Motion.mirror(shop.plane(self.plane, "plane"))
        if self.what == "step":
            return repeated(seed_of(shop, self.of), (Motion(), motion))

        def change(body: Body) -> Body:
            if body.folded is not None:
                return united(body, [(1, Motion()), (2, motion)])
            image = named_anew(placed_body(body, motion), lambda name: name.of_member(2))
            return combined_bodies(body, "add", image)

        return Feature("add", self.part, change=change)
