"""Hem: an edge of a sheet folded right over, closed, open or as a drop."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Literal

from ..kernel.folding import CornerForm, Folded, Leg, Relief, flanged
from ..model import FormulaText
from .base import Slot, Step
from .selecting import EdgeRules, part_with
from .sentence import ChoicePiece, EdgesPiece, FormulaPiece, Sentence, SentencePiece, Words
from .sheet_work import bend_for, edges_meant, flanges_on, sheet_of, torn_width
from .workshop import Feature, StepError, Workshop, above_zero

#: A closed hem keeps twice this between its layers, mm: pressed flat, and still two faces.
_PRESSED = 0.01


class Hem(Step):
    """Folds edges over, so that they are blunt and stiff. The part keeps its outline."""

    order = 114
    repeatable = True
    title = "Hem"
    purpose = "Fold an edge of a sheet right over, so that it is blunt"
    also = "sheet metal safe edge fold over teardrop drip"
    asks = "edges+edge"
    edge_rules = ("edges",)

    kind: Literal["hem"] = "hem"
    edges: EdgeRules = ()
    way: Literal["up", "down"] = "up"
    form: Literal["closed", "open", "drop"] = "closed"
    length: FormulaText = "8 mm"
    gap: FormulaText = "2 mm"
    free: FormulaText = "0 mm"

    def bent_to(self) -> Mapping[str, str]:
        return {"length": "leg"}

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        slots = [
            Slot("length", self.length, "length of the hem"),
            Slot("free", self.free, "free at both ends"),
        ]
        if self.form != "closed":
            what = "gap in the hem" if self.form == "open" else "width of the drop, inside"
            slots.append(Slot("gap", self.gap, what))
        return tuple(slots)

    def sentence(self) -> Sentence:
        form: list[SentencePiece] = [
            ChoicePiece(
                "form",
                {
                    "closed": "pressed flat",
                    "open": "open, with a gap of",
                    "drop": "as a drop, inside wide",
                },
            )
        ]
        if self.form != "closed":
            form.append(FormulaPiece("gap"))
        return (
            (
                Words("hem"),
                EdgesPiece("edges"),
                ChoicePiece("way", {"up": "upwards", "down": "downwards"}),
                FormulaPiece("length"),
                Words("long, in all"),
            ),
            tuple(form),
            (Words("free at both ends for"), FormulaPiece("free")),
        )

    def feature(self, shop: Workshop) -> Feature:
        part = part_with(shop.bodies, self.edges, "edges")
        sheet = sheet_of(shop.bodies, part)
        radius = _PRESSED
        if self.form != "closed":
            radius = above_zero(shop.values["gap"], "gap of the hem", self.gap, "gap") / 2
        over = radius + sheet.thickness
        long = shop.values["length"] - over
        if long <= 1e-6:
            raise StepError(
                f"A hem of {shop.values['length']:.6g} mm (from “{self.length}”) ends within its "
                f"own bend, which takes {over:.4g} mm of it.",
                f"Make it longer than {over:.4g} mm.",
                "length",
            )
        angle = 180.0 if self.form != "drop" else self._drop(radius, long)
        bend = bend_for(shop, part, sheet.thickness, angle if self.way == "up" else -angle, radius)
        edges = edges_meant(sheet, self.edges)
        free = self._free(shop, min(edge.length for _, edge in edges))
        legs = [
            Leg(
                panel, edge, over, bend.turn, long,
                (free, edge.length - free) if free else None,
                (k,) if len(edges) > 1 else (),
                clears=True,
            )
            for k, (panel, edge) in enumerate(edges, 1)
        ]  # fmt: skip

        # Where the sheet stands out beside an edge that is hemmed, one cut parts it from the hem.
        relief = Relief("torn", torn_width(shop, part, sheet))

        def make(folded: Folded, legs: Sequence[Leg]) -> Folded:
            return flanged(folded, self.name, legs, relief, CornerForm())

        return flanges_on("add", part, make, legs, sheet, bend.remarks)

    def _free(self, shop: Workshop, shortest: float) -> float:
        free = shop.values["free"]
        if free < 0 or 2 * free > shortest - 1e-6:
            raise StepError(
                f"{free:.6g} mm free at both ends (from “{self.free}”) leaves no hem on an edge of "
                f"{shortest:.6g} mm.",
                f"Change “{self.free}”.",
                "free",
            )
        return free

    def _drop(self, radius: float, long: float) -> float:
        """The angle of a bend whose leg comes back to the sheet with its tip: its inner face is
        ``radius`` (1 − cos a) high where the leg starts, and falls by ``long`` · −sin a."""

        def height(turn: float) -> float:
            return radius * (1 - math.cos(turn)) + long * math.sin(turn) - 2 * _PRESSED

        low, high = math.pi, 1.5 * math.pi
        if height(high) > 0:
            raise StepError(
                f"The leg of {long:.4g} mm is too short to come back to the sheet around a drop "
                f"that is {2 * radius:.4g} mm wide.",
                "Make the hem longer or the drop narrower.",
                "length",
            )
        for _ in range(80):
            middle = (low + high) / 2
            low, high = (middle, high) if height(middle) > 0 else (low, middle)
        return math.degrees(low)
