"""A kind of step in one module outside of the program: a round stud on a flat face."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Literal

from schablone.core.kernel.frame import Frame, Vector
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.prism import Prism
from schablone.core.model import FormulaText, OneLine
from schablone.core.sketch import shapes
from schablone.core.sketch.regions import Region
from schablone.core.steps.base import Slot, Step
from schablone.core.steps.sentence import FormulaPiece, PlacePiece, Sentence, Words
from schablone.core.steps.workshop import Feature, Outlines, Workshop, above_zero


class Stud(Step):
    """A round stud that stands on a face."""

    order = 33
    title = "Stud"
    purpose = "A round stud on a flat face"
    also = "nipple dimple"
    icon = (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 24"><circle cx="12" '
        'cy="12" r="6" fill="currentColor"/></svg>'
    )
    repeatable = True
    asks = "face"
    places = ("face",)

    kind: Literal["stud"] = "stud"
    face: OneLine = ""
    diameter: FormulaText = "4 mm"
    height: FormulaText = "3 mm"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"

    def slots(self) -> tuple[Slot, ...]:
        return (
            Slot("diameter", self.diameter, "diameter", side="outside", along="plane", round=True),
            Slot("height", self.height, "height", along="normal"),
            Slot("x", self.x, "x on the face", along="x"),
            Slot("y", self.y, "y on the face", along="y"),
        )

    def sentence(self) -> Sentence:
        return (
            (
                Words("stud ø"),
                FormulaPiece("diameter"),
                Words("on"),
                PlacePiece("face"),
                Words("high"),
                FormulaPiece("height"),
            ),
            (Words("at x"), FormulaPiece("x"), Words("y"), FormulaPiece("y")),
        )

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        frame = frame_of(self.face)
        return (
            []
            if frame is None
            else [("diameter", frame.at(values["x"], values["y"], values["height"]))]
        )

    def feature(self, shop: Workshop) -> Feature:
        body, frame, _ = shop.face(self.face, "face")
        part = next(name for name, found in shop.bodies.items() if found is body)
        wide = above_zero(shop.values["diameter"], "diameter", self.diameter, "diameter")
        wide += shop.view.gain("outside", wide)
        high = above_zero(shop.values["height"], "height", self.height, "height")
        loop = shapes.circle("round", shop.values["x"], shop.values["y"], wide)
        names = FaceName(self.name, "start"), FaceName(self.name, "end")
        prism = Prism(
            frame, Region(loop), 0.0, high, *names, {"round": FaceName(self.name, "side")}
        )
        return Feature("add", part, [prism], frame=frame)
