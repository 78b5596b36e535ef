"""A round hole in a flat face."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from shapely.geometry import Point

from ..kernel.body import Body
from ..kernel.frame import Vector
from ..kernel.naming import FaceName
from ..kernel.prism import Prism, in_frame
from ..kernel.tools import Tool
from ..model import FormulaText, Line
from ..sketch import shapes
from ..sketch.regions import Region
from .base import (
    ChoicePiece,
    Feature,
    FormulaPiece,
    Piece,
    PlacePiece,
    Sentence,
    Slot,
    Step,
    StepError,
    Words,
    Workshop,
    above_zero,
)


class Hole(Step):
    """A hole of a diameter, through or to a depth, at a position on a named face.

    The position is measured in the face's own x and y: on the ends of an extrusion those of its sketch, on
    a side from the middle of its lower edge.
    """

    order = 30
    title = "Hole"
    purpose = "A round hole in a flat face"
    places = ("face",)

    kind: Literal["hole"] = "hole"
    face: Line = ""
    diameter: FormulaText = "5 mm"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    extent: Literal["through", "depth"] = "through"
    depth: FormulaText = "5 mm"

    def slots(self) -> tuple[Slot, ...]:
        found = [
            Slot("diameter", self.diameter, "diameter", side="inside", along="x"),
            Slot("x", self.x, "x on the face", along="x"),
            Slot("y", self.y, "y on the face", along="y"),
        ]
        if self.extent == "depth":
            found.append(Slot("depth", self.depth, "depth", along="normal"))
        return tuple(found)

    def sentence(self) -> Sentence:
        pieces: list[Piece] = [
            Words("hole ø"), FormulaPiece("diameter"), Words("in"), PlacePiece("face"),
            ChoicePiece("extent", {"through": "through", "depth": "to a depth of"}),
        ]  # fmt: skip
        if self.extent == "depth":
            pieces.append(FormulaPiece("depth"))
        return (tuple(pieces), (Words("at x"), FormulaPiece("x"), Words("y"), FormulaPiece("y")))

    def feature(self, shop: Workshop) -> Feature:
        body, frame, _ = shop.face(self.face, "face")
        part = next(name for name, found in shop.bodies.items() if found is body)
        wanted = above_zero(shop.values["diameter"], "diameter", self.diameter, "diameter")
        diameter = wanted + shop.view.gain("inside")
        if diameter <= 0:
            raise StepError(
                f"A hole of {wanted:g} mm closes up altogether on this machine.",
                "Make it larger.",
                "diameter",
            )
        if self.extent == "depth":
            bottom = -above_zero(shop.values["depth"], "depth", self.depth, "depth")
        else:
            bottom = -shop.reach(part)
        loop = shapes.circle("round", shop.values["x"], shop.values["y"], diameter)
        # The tool stands out of the face a little, so that no skin is left on it.
        tool = Prism(
            frame, Region(loop), bottom, 1.0,
            FaceName(self.name, "floor"), FaceName(self.name, "mouth"), {"round": FaceName(self.name, "wall")},
        )  # fmt: skip
        stretch = shop.stretch
        return Feature("cut", part, [tool], lambda body, tools: self._check_fits(body, tools, stretch))

    def _check_fits(self, body: Body, tools: Sequence[Tool], stretch: Vector) -> None:
        """Refuse holes that break out of their face: that is a cut, and rarely meant.

        Raises:
            StepError: names the hole that breaks out.
        """
        name = FaceName.read(self.face)
        frame = body.frames[name].stretched(stretch)[0]
        outline = body.outline_of(name, frame)
        if outline is None:
            return
        for tool in tools:
            if not isinstance(tool, Prism) or tool.start.role != "floor":
                continue
            placed = in_frame(tool.stretched(stretch), frame)
            if placed is None:
                continue
            x0, y0, x1, y1 = placed.region.outer.bounds()
            radius, u, v = (x1 - x0) / 2, (x0 + x1) / 2, (y0 + y1) / 2
            centre = Point(u, v)
            if outline.contains(centre) and outline.exterior.distance(centre) > radius - 1e-6:
                continue
            number = f" {'.'.join(map(str, tool.start.member))}" if tool.start.member else ""
            raise StepError(
                f"Hole{number} of ø {2 * radius:.4g} mm at x {u:.4g}, y {v:.4g} mm breaks out of the "
                f"{name.words(body.frames[name].normal)}.",
                "Make it smaller, move it inwards, or cut a sketch instead.",
                "diameter",
            )
