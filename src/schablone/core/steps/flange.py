"""Flange: a panel raised at an edge of a sheet, to a measure that the trade takes."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Literal

from ..kernel.folding import CornerForm, Folded, Leg, Turn, flanged
from ..kernel.folding.flanges import Corners
from ..kernel.frame import Frame, Vector
from ..kernel.naming import FaceName
from ..model import FormulaText
from ..process.bending import set_back
from .base import Slot, Step
from .selecting import EdgeRules, part_with
from .sentence import ChoicePiece, EdgesPiece, FormulaPiece, Sentence, SentencePiece, Words
from .sheet_work import (
    MadeBend,
    angle_in,
    angle_slot,
    asked_radius,
    bend_for,
    edges_meant,
    flanges_on,
    radius_pieces,
    radius_slot,
    relief_of,
    relief_pieces,
    relief_slots,
    sheet_of,
)
from .workshop import Feature, Outlines, Remark, StepError, Workshop, above_zero

#: Where a flange lies beside the edge that was drawn, in words.
LIES = {
    "within": "with its outer face where the edge was",
    "beyond": "with its inner face where the edge was",
    "starts": "bent from the edge on",
}


class Flange(Step):
    """Raises a panel at one or more straight edges of a sheet."""

    order = 111
    repeatable = True
    title = "Flange"
    purpose = "A panel bent up or down at an edge of a sheet"
    also = "sheet metal wall rim leg bend fold"
    asks = "edges+edge"
    edge_rules = ("edges",)

    kind: Literal["flange"] = "flange"
    edges: EdgeRules = ()
    way: Literal["up", "down"] = "up"
    height: FormulaText = "20 mm"
    measured: Literal["outside", "inside", "flat"] = "outside"
    angle: FormulaText = "90 deg"
    lies: Literal["within", "beyond", "starts"] = "within"
    radius_by: Literal["machine", "formula"] = "machine"
    radius: FormulaText = "1 mm"
    extent: Literal["whole", "centred", "from_to"] = "whole"
    width: FormulaText = "30 mm"
    begin: FormulaText = "10 mm"
    end: FormulaText = "40 mm"
    relief: Literal["none", "square", "round", "torn"] = "square"
    relief_by: Literal["machine", "formula"] = "machine"
    relief_width: FormulaText = "1 mm"
    relief_depth: FormulaText = "2 mm"
    corners: Corners = "open"
    gap: FormulaText = "0.2 mm"
    corner_hole: Literal["none", "round", "square"] = "none"
    corner_across: FormulaText = "3 mm"

    def bent_to(self) -> Mapping[str, str]:
        return {"height": "leg", "angle": "angle"}

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        slots = [
            Slot("height", self.height, "height of the flange"),
            angle_slot(self.angle),
            *radius_slot(self.radius_by, self.radius),
        ]
        if self.extent == "centred":
            slots.append(Slot("width", self.width, "width of the flange"))
        elif self.extent == "from_to":
            slots += [
                Slot("begin", self.begin, "where the flange begins", side=""),
                Slot("end", self.end, "where it ends", side=""),
            ]
        slots += relief_slots(self.relief_by, self.relief, self.relief_width, self.relief_depth)
        if self.corners != "open":
            slots.append(Slot("gap", self.gap, "gap in the corner"))
        if self.corner_hole != "none":
            slots.append(Slot("corner_across", self.corner_across, "hole in the corner"))
        return tuple(slots)

    def sentence(self) -> Sentence:
        first = (
            Words("flange on"),
            EdgesPiece("edges"),
            ChoicePiece("way", {"up": "upwards", "down": "downwards"}),
            FormulaPiece("height"),
            ChoicePiece(
                "measured",
                {
                    "outside": "high, measured outside",
                    "inside": "high, measured inside",
                    "flat": "of flat beyond the bend",
                },
            ),
        )
        extent: list[SentencePiece] = [
            ChoicePiece(
                "extent",
                {
                    "whole": "along the whole edge",
                    "centred": "in its middle, wide",
                    "from_to": "from its left end on, seen from outside, from",
                },
            )
        ]
        if self.extent == "centred":
            extent.append(FormulaPiece("width"))
        elif self.extent == "from_to":
            extent += [FormulaPiece("begin"), Words("to"), FormulaPiece("end")]
        lines: list[tuple[SentencePiece, ...]] = [
            first,
            (Words("bent by"), FormulaPiece("angle"), ChoicePiece("lies", LIES)),
            radius_pieces(self.radius_by),
            tuple(extent),
        ]
        # Along a whole edge there is nothing to be freed but in corners of some outlines.
        freed = "where the sheet goes on beside it," if self.extent == "whole" else "its ends with"
        lines.append(relief_pieces(self.relief_by, self.relief, freed))
        lines += [self._say_corners(), self._say_holes()]
        return tuple(lines)

    def _say_corners(self) -> tuple[SentencePiece, ...]:
        choice = ChoicePiece(
            "corners",
            {
                "open": "corners open",
                "meeting": "corners closed, with a gap of",
                "first over": "first edge over the next, with a gap of",
                "second over": "next edge over the first, with a gap of",
            },
        )
        return (choice,) if self.corners == "open" else (choice, FormulaPiece("gap"))

    def _say_holes(self) -> tuple[SentencePiece, ...]:
        choice = ChoicePiece(
            "corner_hole",
            {
                "none": "no hole where bends meet",
                "round": "a round hole where bends meet, ø",
                "square": "a square hole where bends meet, wide",
            },
        )
        return (choice,) if self.corner_hole == "none" else (choice, FormulaPiece("corner_across"))

    def figure_spots(
        self,
        values: Mapping[str, float],
        drawings: Mapping[str, Outlines],
        frame_of: Callable[[str], Frame | None],
    ) -> list[tuple[str, Vector]]:
        frame = frame_of(str(FaceName(self.name, "inside")))
        if frame is None or "height" not in values:
            return []
        return [
            ("height", frame.at(0.0, values["height"] / 2)),
            ("angle", frame.at(0.0, 0.0)),
        ]

    def feature(self, shop: Workshop) -> Feature:
        part = part_with(shop.bodies, self.edges, "edges")
        sheet = sheet_of(shop.bodies, part)
        turn = angle_in(shop, self.angle, 180.0, "Use the step “Hem” to fold an edge right over.")
        signed = turn if self.way == "up" else -turn
        radius = asked_radius(shop, self.radius_by, self.radius)
        bend = bend_for(shop, part, sheet.thickness, signed, radius)
        said = self.relief_by, self.relief, self.relief_width, self.relief_depth
        relief = relief_of(shop, part, said, sheet, bend.turn.radius)
        corner = self._corner(shop)
        legs = self._legs(shop, sheet, bend)

        def make(folded: Folded, legs: Sequence[Leg]) -> Folded:
            return flanged(folded, self.name, legs, relief, corner)

        remarks = bend.remarks
        if self.extent != "whole" and self.lies != "starts" and self.relief == "none":
            remarks = (
                *remarks,
                Remark(
                    "Nothing frees the ends of this bend: the sheet would tear there.",
                    "Choose a relief.",
                    "relief",
                ),
            )
        return flanges_on("add", part, make, legs, sheet, remarks)

    def _corner(self, shop: Workshop) -> CornerForm:
        gap = shop.values.get("gap", 0.0)
        if gap < 0:
            raise StepError(
                f"The gap in the corner is {gap:g} mm (from “{self.gap}”); flanges would run into "
                "each other.",
                f"Change “{self.gap}”.",
                "gap",
            )
        across = 0.0
        if self.corner_hole != "none":
            across = above_zero(
                shop.values["corner_across"], "hole in the corner", self.corner_across,
                "corner_across",
            )  # fmt: skip
        return CornerForm(self.corners, gap, self.corner_hole, across)

    def _legs(self, shop: Workshop, sheet: Folded, bend: MadeBend) -> list[Leg]:
        turn, thick = bend.turn, sheet.thickness
        long = self._flat(shop.values["height"], turn, thick)
        back = {
            "within": set_back(turn.angle, turn.radius + thick),
            "beyond": set_back(turn.angle, turn.radius),
            "starts": 0.0,
        }[self.lies]
        edges = edges_meant(sheet, self.edges)
        return [
            Leg(
                panel,
                edge,
                back,
                turn,
                long,
                self._span(shop, edge.length),
                (k,) if len(edges) > 1 else (),
            )
            for k, (panel, edge) in enumerate(edges, 1)
        ]

    def _flat(self, height: float, turn: Turn, thick: float) -> float:
        """How long the flat of the flange is, mm."""
        off = {
            "outside": set_back(turn.angle, turn.radius + thick),
            "inside": set_back(turn.angle, turn.radius),
            "flat": 0.0,
        }[self.measured]
        if height - off <= 1e-6:
            raise StepError(
                f"A flange of {height:.6g} mm (from “{self.height}”) ends within its own bend, "
                f"which takes {off:.4g} mm of it.",
                f"Make it higher than {off:.4g} mm, or the radius smaller.",
                "height",
            )
        return height - off

    def _span(self, shop: Workshop, long: float) -> tuple[float, float] | None:
        if self.extent == "whole":
            return None
        if self.extent == "centred":
            width = above_zero(shop.values["width"], "width of the flange", self.width, "width")
            a, b = (long - width) / 2, (long + width) / 2
        else:
            a, b = shop.values["begin"], shop.values["end"]
        if a < -1e-9 or b > long + 1e-9 or b - a < 1e-6 or not math.isfinite(b - a):
            raise StepError(
                f"The flange would go from {a:.6g} to {b:.6g} mm of an edge that is {long:.6g} mm "
                "long.",
                "Keep it within the edge, and let it end beyond where it begins.",
                "width" if self.extent == "centred" else "end",
            )
        return (a, b) if a > 1e-9 or b < long - 1e-9 else None
