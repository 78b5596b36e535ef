"""Split a part along a plane: what lies beyond it becomes another part."""

from __future__ import annotations

from typing import Literal

from ..kernel.body import Body, renamed
from ..kernel.figures import NoEffect, NothingLeft
from ..kernel.frame import Frame
from ..kernel.naming import FaceName
from ..kernel.operations import cut_beyond
from ..model import Identifier
from .leaning import AlongPlane
from .sentence import FormulaPiece, PartPiece, PlacePiece, Sentence, Words
from .workshop import Feature, StepError, Workshop


class Split(AlongPlane):
    """Cuts a part in two along a plane; both pieces are kept, the one beyond as a part of its own.

    Faces of the other part are named after this step.
    """

    order = 58
    title = "Split"
    purpose = "Cut the part in two along a plane, and keep both"
    also = "halves two cut divide saw"
    looks_around = True

    kind: Literal["split"] = "split"
    other: Identifier | Literal[""] = ""
    part: Identifier = "part"

    def sentence(self) -> Sentence:
        return (
            (
                Words("split along a plane"),
                FormulaPiece("at"),
                Words("from"),
                PlacePiece("plane", planes=True),
            ),
            self.how_it_leans(),
            (Words("what lies beyond becomes the part"), PartPiece("other", new=True)),
        )

    def feature(self, shop: Workshop) -> Feature:
        if not self.other or self.other == self.part:
            raise StepError(
                "No part is chosen for what lies beyond.",
                "Choose one, or make a new one.",
                "other",
                asks=True,
            )
        plane = self.leaning_plane(shop)
        here = FaceName(self.name, "cut")

        def lower(body: Body) -> Body:
            return _half(body, plane, here)

        def upper(body: Body) -> Body:
            return renamed(_half(body, plane.turned_over(), here), self.name, "other")

        others = {self.other: upper}
        frame = shop.plane(self.plane, "plane")
        return Feature("add", self.part, change=lower, others=others, frame=frame)


def _half(body: Body, plane: Frame, name: FaceName) -> Body:
    try:
        return cut_beyond(body, plane, name)
    except (NoEffect, NothingLeft):
        raise NoEffect("the plane does not go through the part") from None
