"""Combine two parts: add one to another, cut it away, or keep what both have in common."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from ..kernel.body import Body
from ..kernel.operations import combined_bodies
from ..model import Identifier
from ..words import say_name
from .base import Standing, Step
from .sentence import ChoicePiece, PartPiece, Sentence, Words
from .workshop import Feature, StepError, Workshop


class Combine(Step):
    """Changes one part by another, which stays as it is."""

    order = 62
    title = "Combine"
    purpose = "Add another part, cut it away, or keep what is common"
    also = "boolean union subtract intersect join"
    looks_around = True

    kind: Literal["combine"] = "combine"
    mode: Literal["add", "cut", "common"] = "cut"
    other: Identifier | Literal[""] = ""
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        # What there is one of need not be chosen.
        others = [part for part in before.parts if part != before.part]
        return {**super().likely(before), "other": others[0] if len(others) == 1 else ""}

    def sentence(self) -> Sentence:
        words = {
            "add": "add the part",
            "cut": "cut away the part",
            "common": "keep only what is also in the part",
        }
        ends = {"add": "to", "cut": "from", "common": "of"}
        return (
            (
                ChoicePiece("mode", words),
                PartPiece("other"),
                Words(f"{ends[self.mode]} {say_name(self.part)}"),
            ),
        )

    def feature(self, shop: Workshop) -> Feature:
        other = shop.bodies.get(self.other)
        if other is None or self.other == self.part:
            known = [name for name in shop.bodies if name != self.part]
            listed = f" There are: {', '.join(known)}." if known else " There is no other part yet."
            what = (
                f"There is no other part “{self.other}” at this step."
                if self.other
                else "No other part is chosen."
            )
            hint = f"Choose a part that is built before.{listed}"
            raise StepError(what, hint, "other", known, asks=not self.other)
        mode, tool = self.mode, other

        def change(body: Body) -> Body:
            return combined_bodies(body, mode, tool)

        return Feature("add", self.part, change=change)
