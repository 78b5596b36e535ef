"""Cut off what lies beyond a plane, square or at an angle (a mitre)."""

from __future__ import annotations

from typing import Literal

from ..kernel.body import Body
from ..kernel.naming import FaceName
from ..kernel.operations import cut_beyond
from ..model import Identifier
from .leaning import AlongPlane
from .sentence import ChoicePiece, FormulaPiece, PlacePiece, Sentence, Words
from .workshop import Feature, Workshop


class CutOff(AlongPlane):
    """Cuts a part along a plane that stands ``at`` from a plane or face, turned by an angle about
    its x or y axis.

    What lies on the far side goes: beyond the plane, seen from the plane or face that it is
    measured from.
    """

    order = 56
    title = "Cut off"
    purpose = "Cut along a plane, square or at an angle: a mitre"
    also = "mitre saw trim split"

    kind: Literal["cut_off"] = "cut_off"
    side: Literal["beyond", "before"] = "beyond"
    part: Identifier = "part"

    def sentence(self) -> Sentence:
        return (
            (
                Words("cut off what lies"),
                ChoicePiece("side", {"beyond": "beyond", "before": "before"}),
                FormulaPiece("at"),
                Words("from"),
                PlacePiece("plane", planes=True),
            ),
            self.how_it_leans(),
        )

    def feature(self, shop: Workshop) -> Feature:
        plane = self.leaning_plane(shop)
        if self.side == "before":
            plane = plane.turned_over()
        name = FaceName(self.name, "cut")

        def change(body: Body) -> Body:
            return cut_beyond(body, plane, name)

        return Feature("add", self.part, change=change, frame=shop.plane(self.plane, "plane"))
