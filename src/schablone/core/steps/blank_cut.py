"""Cut in the blank: what is drawn on a panel is cut from the flat piece, across bends too."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..kernel.body import Body
from ..kernel.folding import cut_blank
from ..kernel.naming import FaceName
from ..kernel.prism import Prism, in_frame
from ..model import Identifier, OneLine
from .base import Step
from .choosing import chosen_regions, say_regions, sides_of, sketch_of
from .sentence import Sentence, StepPiece, Words
from .sheet_work import panel_under, sheet_of
from .workshop import Feature, StepError, Workshop


class BlankCut(Step):
    """Cuts the regions of a sketch from the blank of a folded sheet. The sketch lies on one of its
    panels; what reaches beyond that goes on over bends, wrapped onto them."""

    order = 115
    title = "Cut in the blank"
    purpose = "Cut a sheet as it lies flat, across bends too"
    also = "sheet metal slot notch hole window across bend flat pattern"
    refers = ("sketch",)

    kind: Literal["blank_cut"] = "blank_cut"
    sketch: Identifier | Literal[""] = ""
    shapes: Annotated[tuple[Identifier, ...], Field(max_length=500)] = ()
    regions: Annotated[tuple[OneLine, ...], Field(max_length=500)] = ()
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def sentence(self) -> Sentence:
        return (
            (Words("cut"), StepPiece("sketch", ("sketch",)), Words("in the blank")),
            *say_regions(self),
        )

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        sheet = sheet_of(shop.bodies, self.part)
        found = chosen_regions(drawing, self)
        if not found:
            raise StepError("The sketch encloses nothing.", "Draw a closed outline.", "sketch")
        corners = [region.outer.curves[0].start for region in found]
        number, _ = panel_under(sheet, drawing.frame, corners)
        there = sheet.frames[number]
        name = FaceName(self.name, "side")
        holes = []
        for region in found:
            prism = Prism(drawing.frame, region, 0.0, 1.0, name, name, sides_of(region, self.name))
            flat = in_frame(prism, there)
            if flat is None:
                raise StepError(
                    "An ellipse cannot be turned onto the blank.",
                    "Draw it along the axes of the panel, or of arcs.",
                    "sketch",
                )
            holes.append(flat.region)

        def change(body: Body) -> Body:
            assert body.folded is not None
            made = cut_blank(body.folded, self.name, holes, "")
            return Body((), None, {**body.frames, **made.face_frames()}, made)

        return Feature("cut", self.part, change=change)
