"""A plane on a face with axes of its own, to draw on and to repeat along; and how much room there
is around it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from ..quantity import LENGTH, Kind
from .anchored import ASKED, Anchored, say_where
from .base import Step
from .sentence import PartPiece, PlacePiece, Sentence, Words
from .stencil import PutIn
from .workshop import Feature, StepError, Workshop


class Plane(Anchored):
    """A plane on a flat face, its origin at a point of it, its x that of the face, turned. How far
    it is from there to the edges of the face, and how thick the part is under it, are read off as
    ``plane.along``, ``plane.thickness`` … Of a stencil that is opened it ``holds`` what put it in,
    and is where its steps stand."""

    order = 12
    in_stencils = True
    title = "Plane on a face"
    purpose = "Axes of their own at a point of a face, to draw on and to measure from"
    also = "axes coordinate origin anchor datum"
    asks = "face"

    kind: Literal["plane"] = "plane"
    holds: PutIn | None = None

    def with_step_renamed(self, old: str, new: str) -> Step:
        renamed = super().with_step_renamed(old, new)
        if self.holds is None:
            return renamed
        # Its own name stays: what was opened is named after that.
        holds = self.holds.with_step_renamed(old, new).model_copy(update={"name": self.holds.name})
        return renamed.model_copy(update={"holds": holds})

    def sentence(self) -> Sentence:
        asked = f"{', '.join(f'{self.name}.{name}' for name in ASKED[:-1])} and "
        return (
            (Words("plane on"), PlacePiece("face"), Words("of"), PartPiece("part")),
            say_where(self),
            (Words(f"read off there: {asked}{self.name}.{ASKED[-1]}"),),
        )

    def measures(self) -> Mapping[str, Kind]:
        return dict.fromkeys(ASKED, LENGTH)

    def measure(self, shop: Workshop) -> dict[str, float]:
        try:
            return self.room(shop, ASKED)
        except StepError:
            return {}  # beside the face there is no room to tell of, but a plane to draw on

    def feature(self, shop: Workshop) -> Feature:
        host = self.host(shop)
        return Feature("add", self.part, frame=host.frame, host=host)
