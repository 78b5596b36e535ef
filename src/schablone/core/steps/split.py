"""Split a part along a plane: what lies beyond it becomes another part."""

from __future__ import annotations

from typing import Literal

from ..kernel.body import Body, renamed
from ..kernel.figures import NoEffect, NothingLeft
from ..kernel.frame import Frame
from ..kernel.motion import Motion
from ..kernel.naming import FaceName
from ..kernel.operations import cut_beyond
from ..model import FormulaText, Identifier, OneLine
from ..quantity import ANGLE
from .base import Slot, Step
from .sentence import ChoicePiece, FormulaPiece, PartPiece, PlacePiece, Sentence, Words
from .workshop import Feature, StepError, Workshop


class Split(Step):
    """Cuts a part in two along a plane; both pieces are kept, the one beyond as a part of its own.

    Faces of the other part are named after this step.
    """

    order = 58
    title = "Split"
    purpose = "Cut the part in two along a plane, and keep both"
    also = "halves two cut divide saw"
    looks_around = True
    places = ("plane",)

    kind: Literal["split"] = "split"
    plane: OneLine = "side"
    at: FormulaText = "0 mm"
    angle: FormulaText = "0 deg"
    about: Literal["x", "y"] = "y"
    other: Identifier | Literal[""] = ""
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
                Words("split along a plane"),
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
        plane = leaning_plane(shop, self.plane, self.at, self.angle, self.about)
        here = FaceName(self.name, "cut")

        def lower(body: Body) -> Body:
            return _half(body, plane, here)

        def upper(body: Body) -> Body:
            return renamed(_half(body, plane.turned_over(), here), self.name, "other")

        return Feature("add", self.part, change=lower, others={self.other: upper})


def leaning_plane(shop: Workshop, place: str, at: str, angle: str, about: str) -> Frame:
    """A plane at a distance from a plane or face, turned about its x or y; ``at`` and ``angle`` are
    the formulas.

    Raises:
        StepError: where it would lean over.
    """
    degrees = shop.values["angle"]
    if not -89 <= degrees <= 89:
        raise StepError(
            f"The angle is {degrees:g}°; it must lie from −89° to 89°.",
            f"Change “{angle}”.",
            "angle",
        )
    base = shop.plane(place, "plane").lifted(shop.values["at"])
    return Motion.turn(base.origin, base.x if about == "x" else base.y, degrees).frame(base)


def _half(body: Body, plane: Frame, name: FaceName) -> Body:
    try:
        return cut_beyond(body, plane, name)
    except (NoEffect, NothingLeft):
        raise NoEffect("the plane does not go through the part") from None
