"""Extrude: the regions of a sketch, raised by a size, to both sides or through everything."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

from pydantic import Field

from ..kernel.naming import FaceName
from ..kernel.prism import Prism
from ..model import FormulaText, Identifier, Line
from ..sketch.arrangement import Face, arrange
from ..sketch.curves import is_plain, offset
from ..sketch.offsetting import moved_outline
from ..sketch.regions import OutlinesCross, Region, regions_of
from .base import (
    ChoicePiece,
    Feature,
    FormulaPiece,
    Outlines,
    Piece,
    Sentence,
    Slot,
    Step,
    StepError,
    StepPiece,
    Words,
    Workshop,
    above_zero,
)


class Extrude(Step):
    """Raises the regions of a sketch into a part, or cuts them from it."""

    order = 20
    title = "Extrude"
    purpose = "Raise the outlines of a sketch, or cut them out"
    refers = ("sketch",)

    kind: Literal["extrude"] = "extrude"
    sketch: Identifier | Literal[""] = ""
    shapes: Annotated[tuple[Identifier, ...], Field(max_length=500)] = ()
    regions: Annotated[tuple[Line, ...], Field(max_length=500)] = ()
    mode: Literal["add", "cut"] = "add"
    extent: Literal["by", "both", "through"] = "by"
    direction: Literal["up", "down"] = "up"
    by: FormulaText = "10 mm"
    part: Identifier = "part"

    def slots(self) -> tuple[Slot, ...]:
        if self.extent == "through":
            return ()
        return (Slot("by", self.by, "length", along="normal"),)

    def sentence(self) -> Sentence:
        first: list[Piece] = [
            ChoicePiece("mode", {"add": "extrude", "cut": "cut"}),
            StepPiece("sketch", ("sketch",)),
            ChoicePiece("extent", {"by": "by", "both": "to both sides, in all", "through": "through everything"}),
        ]
        if self.extent != "through":
            first.append(FormulaPiece("by"))
        if self.extent == "by":
            first.append(ChoicePiece("direction", {"up": "upwards", "down": "downwards"}))
        lines = [tuple(first)]
        if self.regions:
            words = "; ".join(say_region(name) for name in self.regions[:3])
            lines.append((Words(f"only between {words}" + ("; …" if len(self.regions) > 3 else "")),))
        if self.shapes:
            lines.append((Words("only " + ", ".join(self.shapes)),))
        return tuple(lines)

    def feature(self, shop: Workshop) -> Feature:
        drawing = shop.drawings.get(self.sketch)
        if drawing is None:
            raise StepError(
                f"There is no sketch “{self.sketch}” before this step." if self.sketch else "No sketch is chosen.",
                "Choose one.", "sketch", sorted(shop.drawings),
            )  # fmt: skip
        # A shape of several outlines, such as a text, is chosen by its own name.
        heads = {name: name.partition(".")[0] for name in drawing.loops}
        chosen = tuple(
            name for name, head in heads.items() if not self.shapes or name in self.shapes or head in self.shapes
        )
        lost = [name for name in self.shapes if name not in drawing.loops and name not in heads.values()]
        if lost:
            raise StepError(
                f"The sketch “{self.sketch}” has no shape “{lost[0]}”.",
                "Choose another.",
                "shapes",
                sorted(set(heads.values())),
            )
        low, high = self._heights(shop)
        tools = []
        for region in self._regions(drawing, chosen, shop):
            sides = {c.name: FaceName(self.name, "side", c.name) for loop in region.loops for c in loop.curves}
            start, end = FaceName(self.name, "start"), FaceName(self.name, "end")
            if self.direction == "down" and self.extent == "by":
                start, end = end, start
            tools.append(Prism(drawing.frame, region, low, high, start, end, sides))
        return Feature(self.mode, self.part, tools)

    def _heights(self, shop: Workshop) -> tuple[float, float]:
        if self.extent == "through":
            reach = shop.reach(self.part)
            return -reach, reach
        by = above_zero(shop.values["by"], "length of the extrusion", self.by, "by")
        if self.extent == "both":
            return -by / 2, by / 2
        return (0.0, by) if self.direction == "up" else (-by, 0.0)

    def _regions(self, drawing: Outlines, chosen: Sequence[str], shop: Workshop) -> tuple[Region, ...]:
        """Regions with the machine's gains on them: outlines of material grow by the outside gain, outlines
        of holes by the inside gain, half of it on each side."""
        sides = ("outside", "inside") if self.mode == "add" else ("inside", "outside")
        outer, inner = (shop.view.gain(side) / 2 for side in sides)
        try:
            regions = self._chosen(drawing, chosen)
            if outer or inner:
                return tuple(grown for region in regions for grown in _grown(region, outer, inner))
            return regions
        except ValueError as error:
            text = str(error)
            raise StepError(f"{text[:1].upper()}{text[1:]}.", "Change the sketch.", "sketch") from None

    def _chosen(self, drawing: Outlines, chosen: Sequence[str]) -> tuple[Region, ...]:
        """The regions to use: those that are named, those of the named shapes, or all that are no holes."""
        if self.regions:
            found = drawing.arrangement()
            faces: dict[str, Face] = {}
            for name in self.regions:
                now = found.named(name)
                if not now:
                    raise StepError(
                        f"The region between {say_region(name)} is not there any more.",
                        "Choose another.", "regions", [face.name for face in found.faces],
                    )  # fmt: skip
                faces |= {face.name: face for face in now}
            return found.regions(list(faces.values()))
        loops = [drawing.loops[name] for name in chosen]
        if not drawing.curves or self.shapes:
            try:
                return regions_of(loops)
            except OutlinesCross:
                only = arrange([curve for loop in loops for curve in loop.curves])
                return only.regions(only.material())
        found = drawing.arrangement()
        if not found.faces:
            raise StepError(
                f"The sketch “{self.sketch}” encloses no area yet.",
                "Close its outline: lines must meet or cross all round.", "sketch",
            )  # fmt: skip
        return found.regions(found.material())


def _grown(region: Region, outer: float, inner: float) -> list[Region]:
    """A region with its outline and its holes moved outwards by so much each."""
    if all(is_plain(loop) for loop in region.loops):
        return [Region(offset(region.outer, outer), tuple(offset(hole, inner) for hole in region.holes))]
    holes = [found.outer for hole in region.holes for found in moved_outline(hole, inner)]
    return [Region(found.outer, (*found.holes, *holes)) for found in moved_outline(region.outer, outer)]


def say_region(name: str) -> str:
    """A region by the curves around it."""
    curves = list(dict.fromkeys(side[:-1].replace("_", " ") for side in name.split("#")[0].split()))
    return ", ".join(curves[:4]) + (" …" if len(curves) > 4 else "")
