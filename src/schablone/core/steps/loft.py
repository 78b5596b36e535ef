"""Loft: from the region of one sketch to that of another, straight or smooth."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from typing import Literal

from ..kernel.frame import Frame
from ..kernel.naming import FaceName
from ..kernel.tools import Lofted
from ..model import Identifier
from ..sketch.regions import Region
from .base import Standing, Step
from .choosing import only_region, sides_of, sketch_of, with_gains
from .sentence import ChoicePiece, Sentence, StepPiece, Words
from .workshop import Feature, StepError, Workshop


class Loft(Step):
    """Joins the outlines of two sketches on planes apart; a third between them bends the way."""

    order = 26
    in_stencils = True
    title = "Loft"
    purpose = "From one outline to another on a plane apart"
    also = "blend transition funnel"
    repeatable = True
    refers = ("first", "last", "middle")

    kind: Literal["loft"] = "loft"
    first: Identifier | Literal[""] = ""
    last: Identifier | Literal[""] = ""
    middle: Identifier | Literal[""] = ""
    form: Literal["straight", "smooth"] = "straight"
    mode: Literal["add", "cut", "common"] = "add"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    @classmethod
    def likely(cls, before: Standing) -> Mapping[str, object]:
        return {
            **super().likely(before),
            **dict(zip(("first", "last"), before.sketches[-2:], strict=False)),
        }

    def sentence(self) -> Sentence:
        return (
            (
                ChoicePiece(
                    "mode",
                    {
                        "add": "lead",
                        "cut": "cut by leading",
                        "common": "keep only what lies within",
                    },
                ),
                StepPiece("first", ("sketch",)),
                Words("over to"),
                StepPiece("last", ("sketch",)),
                ChoicePiece("form", {"straight": "straight", "smooth": "smoothly"}),
                Words("by way of"),
                StepPiece("middle", ("sketch",)),
            ),
        )

    def _sketches(self) -> list[tuple[str, str]]:
        """The fields that name sketches, with these."""
        return [
            ("first", self.first),
            *((("middle", self.middle),) if self.middle else ()),
            ("last", self.last),
        ]

    def sections(self, shop: Workshop) -> Mapping[str, tuple[Region, ...]]:
        regions = {}
        for where, sketch in self._sketches():
            region = only_region(sketch_of(shop, sketch, where), sketch, where)
            regions[sketch] = with_gains((region,), self.mode, shop.view)
        return regions

    def feature(self, shop: Workshop) -> Feature:
        sections = []
        outlines = self.sections(shop)
        for where, sketch in self._sketches():
            drawing, grown = sketch_of(shop, sketch, where), outlines[sketch]
            if len(grown) != 1:
                raise StepError(
                    f"The outline of “{sketch}” falls apart on this machine.",
                    "Draw it wider.",
                    where,
                )
            sections.append((drawing.frame, grown[0]))
        for (a, _), (b, _) in itertools.pairwise(sections):
            if max(abs(c) for c in a.coordinates(b.origin)) < 1e-6 and a.normal == b.normal:
                raise StepError(
                    "Two of the sketches lie in one plane.", "Lift one of them.", "last"
                )
        start, end, side = (FaceName(self.name, role) for role in ("start", "end", "side"))
        tool = Lofted(
            tuple(sections), self.form == "straight", start, end, side, _sides(sections, self.name)
        )
        return Feature(self.mode, self.part, [tool])


def _sides(sections: Sequence[tuple[Frame, Region]], step: str) -> dict[str, FaceName]:
    """Names of the sides by the curves of the first outline, where the others have the same curves
    one for one."""
    first = sections[0][1]
    names = [curve.name for curve in first.outer.curves]
    alike = all(
        [curve.name for curve in region.outer.curves] == names for _, region in sections[1:]
    )
    return sides_of(first, step) if alike and len(names) > 1 else {}
