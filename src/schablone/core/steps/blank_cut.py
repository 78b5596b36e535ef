"""Cut in the blank: what is drawn on a panel is cut from the flat piece, across bends too."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ..kernel.folding import Folded, cut_blank, where_to
from ..kernel.motion import Motion
from ..kernel.naming import FaceName
from ..kernel.prism import Prism, in_frame
from ..model import Identifier, OneLine
from .base import Step
from .choosing import chosen_regions, say_regions, sides_of, sketch_of
from .sentence import Sentence, StepPiece, Words
from .sheet_work import change_of_sheet, no_ellipse, panel_under, sheet_of
from .workshop import Feature, StepError, Workshop


class BlankCut(Step):
    """Cuts the regions of a sketch from the blank of a folded sheet. The sketch lies on one of its
    panels; what reaches beyond that goes on over bends, wrapped onto them."""

    order = 115
    title = "Cut in the blank"
    purpose = "Cut a sheet as it lies flat, across bends too"
    also = "sheet metal slot notch hole window across bend flat pattern"
    refers = ("sketch",)
    repeatable = True

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
        regions = chosen_regions(drawing, self, raised=False)
        if not regions:
            raise StepError("The sketch encloses nothing.", "Draw a closed outline.", "sketch")
        corners = [region.outer.curves[0].start for region in regions]
        number, _ = panel_under(sheet, drawing.frame, corners)
        there = sheet.frames[number]
        name = FaceName(self.name, "side")
        holes = []
        for region in regions:
            prism = Prism(drawing.frame, region, 0.0, 1.0, name, name, sides_of(region, self.name))
            flat = in_frame(prism, there)
            if flat is None:
                raise no_ellipse()
            holes.append(flat.region)

        def make(folded: Folded, name: str) -> Folded:
            return cut_blank(folded, name, holes, "")

        def again(folded: Folded, name: str, motion: Motion) -> Folded:
            onto = where_to(folded, there, motion, [h.outer.curves[0].start for h in holes]).onto
            try:
                moved = [hole.mapped(onto) for hole in holes]
            except ValueError:
                raise no_ellipse() from None
            return cut_blank(folded, name, moved, "")

        return change_of_sheet("cut", self.part, make, again, self.name)
