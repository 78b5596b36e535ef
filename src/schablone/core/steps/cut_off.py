"""Cut off what lies beyond a plane, square or at an angle (a mitre)."""

from __future__ import annotations

from typing import Literal

from ..kernel.body import Body
from ..kernel.naming import FaceName
from ..kernel.operations import cut_beyond
from ..model import FormulaText, Identifier, OneLine
from ..quantity import ANGLE
from .base import Slot, Step
from .sentence import ChoicePiece, FormulaPiece, PlacePiece, Sentence, Words
from .split import leaning_plane
from .workshop import Feature, Workshop


class CutOff(Step):
    """Cuts a part along a plane that stands ``at`` from a plane or face, turned by an angle about
    its x or y axis.

    What lies on the far side goes: beyond the plane, seen from the plane or face that it is
    measured from.
    """

    order = 56
    title = "Cut off"
    purpose = "Cut along a plane, square or at an angle: a mitre"
    also = "mitre saw trim split"
    places = ("plane",)

    kind: Literal["cut_off"] = "cut_off"
    plane: OneLine = "side"
    at: FormulaText = "0 mm"
    angle: FormulaText = "0 deg"
    about: Literal["x", "y"] = "y"
    side: Literal["beyond", "before"] = "beyond"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        return (
            Slot("at", self.at, "distance", along="normal"),
            Slot("angle", self.angle, "angle", ANGLE),
        )

    def sentence(self) -> Sentence:
        return (
            (
                Words("cut off what lies"),
                ChoicePiece("side", {"beyond": "beyond", "before": "before"}),
                FormulaPiece("at"),
                Words("from"),
                PlacePiece("plane", planes=True),
            ),
            (
                Words("at an angle of"),
                FormulaPiece("angle"),
                Words("about its"),
                ChoicePiece("about", {"x": "x", "y": "y"}),
                Words("axis"),
            ),
        )

    def feature(self, shop: Workshop) -> Feature:
        plane = leaning_plane(shop, self.plane, self.at, self.angle, self.about)
        if self.side == "before":
            plane = plane.turned_over()
        name = FaceName(self.name, "cut")

        def change(body: Body) -> Body:
            return cut_beyond(body, plane, name)

        return Feature("add", self.part, change=change)
