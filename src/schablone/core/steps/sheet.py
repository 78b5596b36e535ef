"""Sheet: a region of a sketch becomes a panel of stock, to be folded."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..kernel.body import Body
from ..kernel.folding import sheet
from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..model import FormulaText, Identifier, OneLine
from ..words import say_name
from .base import Slot, Step
from .choosing import chosen_regions, say_regions, sides_of, sketch_of
from .sentence import ChoicePiece, FormulaPiece, Sentence, StepPiece, Words
from .workshop import Feature, StepError, Workshop, above_zero


class Sheet(Step):
    """Makes the first panel of a part that is folded from one flat piece of stock."""

    order = 110
    title = "Sheet"
    purpose = "A panel of sheet stock, to be folded"
    also = "sheet metal plate panel folding bend blank"
    refers = ("sketch",)

    kind: Literal["sheet"] = "sheet"
    sketch: Identifier | Literal[""] = ""
    shapes: Annotated[tuple[Identifier, ...], Field(max_length=500)] = ()
    regions: Annotated[tuple[OneLine, ...], Field(max_length=500)] = ()
    thickness: FormulaText = "stock(1 mm)"
    direction: Literal["up", "down"] = "up"
    part: Identifier = "part"

    def thickens_by(self) -> str:
        return "thickness"

    def goes_down(self) -> bool:
        return self.direction == "down"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        return (Slot("thickness", self.thickness, "thickness", along="normal"),)

    def sentence(self) -> Sentence:
        return (
            (
                Words("sheet of"),
                StepPiece("sketch", ("sketch",)),
                FormulaPiece("thickness"),
                Words("thick"),
                ChoicePiece("direction", {"up": "upwards", "down": "downwards"}),
            ),
            *say_regions(self),
        )

    def feature(self, shop: Workshop) -> Feature:
        if self.part in shop.bodies:
            raise StepError(
                f"“{say_name(self.part)}” has something already; a sheet begins a part.",
                "Choose another part for it, or add panels by flanges.",
                "part",
            )
        drawing = sketch_of(shop, self.sketch)
        thick = above_zero(
            shop.values["thickness"], "thickness of the sheet", self.thickness, "thickness"
        )
        regions = chosen_regions(drawing, self, raised=True)
        if len(regions) != 1:
            raise StepError(
                f"The sketch has {len(regions)} regions; a sheet is made of one.",
                "Choose one of them, or draw one closed outline.",
                "regions",
            )
        start, end = FaceName(self.name, "start"), FaceName(self.name, "end")
        low, high = (0.0, thick) if self.direction == "up" else (-thick, 0.0)
        if self.direction == "down":
            start, end = end, start
        prism = Prism(
            drawing.frame, regions[0], low, high, start, end, sides_of(regions[0], self.name)
        )
        body = Body.of_sheet(sheet(prism, say_name(self.name)))
        return Feature("add", self.part, brings=body, frame=drawing.frame)
