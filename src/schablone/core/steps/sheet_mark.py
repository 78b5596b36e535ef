"""Mark on the sheet: lines and text that the machine engraves on the blank before it is folded."""

from __future__ import annotations

from typing import Literal

from ..kernel.folding import Folded, marked, where_to
from ..kernel.frame import dot
from ..kernel.motion import Motion
from ..model import Identifier
from ..sketch.mapping import Mapping2D
from .base import Step
from .choosing import sketch_of
from .sentence import Sentence, StepPiece, Words
from .sheet_work import change_of_sheet, no_ellipse, panel_under, sheet_of
from .workshop import Feature, StepError, Workshop


class SheetMark(Step):
    """Engraves what is drawn on a panel: its outlines and lines, text as well. The sheet stays as
    it is; the drawing of the blank has the marks on a layer of their own."""

    order = 116
    title = "Mark on the sheet"
    purpose = "Lines and text that are engraved on the blank"
    also = "engrave etch scribe emboss text label line sheet metal"
    refers = ("sketch",)
    repeatable = True

    kind: Literal["sheet_mark"] = "sheet_mark"
    sketch: Identifier | Literal[""] = ""
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def sentence(self) -> Sentence:
        return ((Words("mark"), StepPiece("sketch", ("sketch",)), Words("on the sheet")),)

    def feature(self, shop: Workshop) -> Feature:
        drawing = sketch_of(shop, self.sketch)
        sheet = sheet_of(shop.bodies, self.part)
        drawn = [curve for loop in drawing.loops.values() for curve in loop.curves]
        drawn += drawing.curves
        if not drawn:
            raise StepError("The sketch is empty.", "Draw lines or write a text.", "sketch")
        number, up = panel_under(sheet, drawing.frame, [curve.start for curve in drawn])
        there, own = sheet.frames[number], drawing.frame
        u, v, _ = there.coordinates(own.origin)
        onto = Mapping2D(
            dot(own.x, there.x), dot(own.y, there.x), dot(own.x, there.y), dot(own.y, there.y), u, v
        )
        try:
            curves = [curve.mapped(onto) for curve in drawn]
        except ValueError:
            raise no_ellipse() from None

        def make(folded: Folded, name: str) -> Folded:
            return marked(folded, number, curves, below=not up)

        def again(folded: Folded, name: str, motion: Motion) -> Folded:
            to = where_to(folded, there, motion, [curve.start for curve in curves])
            try:
                moved = [curve.mapped(to.onto) for curve in curves]
            except ValueError:
                raise no_ellipse() from None
            return marked(folded, to.panel, moved, below=up if to.over else not up)

        return change_of_sheet("add", self.part, make, again, self.name)
