"""A plane that a part is cut along: at a distance from a plane or face, turned about its x or y."""

from __future__ import annotations

from typing import Literal

from ..kernel.frame import Frame
from ..kernel.motion import Motion
from ..model import FormulaText, OneLine
from ..quantity import ANGLE
from .base import Slot, Step
from .sentence import ChoicePiece, FormulaPiece, SentencePiece, Words
from .workshop import StepError, Workshop


class AlongPlane(Step):
    """What the kinds have in common that cut along such a plane."""

    places = ("plane",)

    plane: OneLine = "side"
    at: FormulaText = "0 mm"
    angle: FormulaText = "0 deg"
    about: Literal["x", "y"] = "y"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        return (
            Slot("at", self.at, "distance", along="normal"),
            Slot("angle", self.angle, "angle", ANGLE),
        )

    def how_it_leans(self) -> tuple[SentencePiece, ...]:
        """A line of the sentence."""
        return (
            Words("at an angle of"),
            FormulaPiece("angle"),
            Words("about its"),
            ChoicePiece("about", {"x": "x", "y": "y"}),
            Words("axis"),
        )

    def leaning_plane(self, shop: Workshop) -> Frame:
        """The plane.

        Raises:
            StepError: where it would lean over.
        """
        degrees = shop.values["angle"]
        if not -89 <= degrees <= 89:
            raise StepError(
                f"The angle is {degrees:g}°; it must lie from −89° to 89°.",
                f"Change “{self.angle}”.",
                "angle",
            )
        base = shop.plane(self.plane, "plane").lifted(shop.values["at"])
        axis = base.x if self.about == "x" else base.y
        return Motion.turn(base.origin, axis, degrees).frame(base)
