"""Bevel edges: a chamfer by a distance, by two, or by a distance and an angle."""

from __future__ import annotations

import math
from typing import Literal

from ..kernel.body import Body
from ..model import FormulaText
from ..quantity import ANGLE
from .base import Slot, Step
from .fillet import changed, name_for
from .selecting import EdgeRules, chosen_edges, part_with
from .sentence import ChoicePiece, EdgesPiece, FormulaPiece, Sentence, SentencePiece, Words
from .workshop import Feature, StepError, Workshop, above_zero


class Chamfer(Step):
    """Bevels edges. With two distances the first lies on the face that comes first by name."""

    order = 52
    in_stencils = True
    title = "Bevel edges"
    purpose = "A chamfer on edges, or on all edges of a face"
    also = "mitre edge slope countersink"
    asks = "edges+edge"
    edge_rules = ("edges",)

    kind: Literal["chamfer"] = "chamfer"
    edges: EdgeRules = ()
    how: Literal["even", "two", "angle"] = "even"
    by: FormulaText = "1 mm"
    other: FormulaText = "2 mm"
    angle: FormulaText = "30 deg"

    def slots(self) -> tuple[Slot, ...]:
        slots = [Slot("by", self.by, "distance")]
        if self.how == "two":
            slots.append(Slot("other", self.other, "other distance"))
        elif self.how == "angle":
            slots.append(Slot("angle", self.angle, "angle", ANGLE))
        return tuple(slots)

    def only_prisms(self) -> bool:
        return False

    def sentence(self) -> Sentence:
        pieces: list[SentencePiece] = [
            Words("bevel"),
            EdgesPiece("edges"),
            Words("by"),
            FormulaPiece("by"),
        ]
        pieces.append(
            ChoicePiece(
                "how",
                {"even": "evenly", "two": "and on the other side by", "angle": "at an angle of"},
            )
        )
        if self.how != "even":
            pieces.append(FormulaPiece("other" if self.how == "two" else "angle"))
        return (tuple(pieces),)

    def feature(self, shop: Workshop) -> Feature:
        by = above_zero(shop.values["by"], "distance", self.by, "by")
        share: float | None = None
        if self.how == "two":
            share = above_zero(shop.values["other"], "other distance", self.other, "other") / by
        elif self.how == "angle":
            angle = shop.values["angle"]
            if not 1 <= angle <= 89:
                raise StepError(
                    f"The angle is {angle:g}°; it must lie from 1° to 89°.",
                    f"Change “{self.angle}”.",
                    "angle",
                )
            share = math.tan(math.radians(angle))
        part = part_with(shop.bodies, self.edges, "edges")

        def change(body: Body) -> Body:
            from ..kernel.occ import change as occ_change

            solid = body.solid()
            chosen = chosen_edges(solid, self.edges, "edges")
            named = [(edge.edge, name_for(self.name, "bevel", edge.between)) for edge in chosen]

            def make(size: float) -> object:
                return occ_change.bevelled(
                    solid, named, size, None if share is None else size * share
                )

            return changed(
                body,
                make,
                by,
                self.by,
                "bevel",
                "by",
                narrow=lambda: occ_change.narrowest(solid, [edge for edge, _ in named]),
            )

        return Feature("add", part, change=change)
