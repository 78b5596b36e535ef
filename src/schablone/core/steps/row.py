"""A row of any step that adds or cuts: how many fit, or how far apart, or a given count."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from ..formula import fitting, spelled
from ..formula.value_table import Working
from ..kernel.frame import Vector
from ..kernel.motion import Motion
from ..model import FormulaText
from ..quantity import COUNT, LENGTH
from .base import Slot, Step
from .repeating import Repeats
from .sentence import ChoicePiece, FormulaPiece, Sentence, SentencePiece, Words
from .workshop import Feature, Workshop

#: The longest row. A count beyond it is a slip in a formula, not a design.
LONGEST_ROW = 5000

_AXES: dict[str, Vector] = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


class Row(Repeats):
    """Repeats a step along an axis, spread evenly to both sides of where that step stands, or going
    on from there.

    ``most``: as many as fit with a fixed pitch, at least ``margin`` free at both ends. ``spaced``:
    from margin to margin, the pitch never above ``pitch``. ``count``: a given count from margin to
    margin. ``on``: the first where the step stands, the others one every ``pitch``, backwards where
    that is below zero.
    ``item`` is the width of one member along the row, from which the margins are counted.
    """

    order = 40
    in_stencils = True
    title = "Row"
    purpose = "Repeat a step along a line, as many as fit"
    also = "repeat line array"
    repeatable = True

    kind: Literal["row"] = "row"
    along: Literal["x", "y", "z"] = "x"
    how: Literal["most", "spaced", "count", "on"] = "most"
    span: FormulaText = "100 mm"
    item: FormulaText = "0 mm"
    pitch: FormulaText = "10 mm"
    count: FormulaText = "3"
    margin: FormulaText = "10 mm"

    def working(self) -> Working:
        outputs = {"count": COUNT, "pitch": LENGTH, "margin": LENGTH}
        if self.how == "on":
            asked = {"count": self.count, "pitch": self.pitch}
            return Working(self.name, asked, {"count": COUNT, "pitch": LENGTH}, outputs, self._work)
        formulas = {"span": self.span, "item": self.item, "margin": self.margin}
        formulas["count" if self.how == "count" else "pitch"] = (
            self.count if self.how == "count" else self.pitch
        )
        wanted = {name: COUNT if name == "count" else LENGTH for name in formulas}
        return Working(self.name, formulas, wanted, outputs, self._work)

    def _work(self, values: Mapping[str, float]) -> Mapping[str, float]:
        if self.how == "on":
            count, pitch = values["count"], values["pitch"]
            if count != round(count) or count < 0:
                raise ValueError(f"the count is {count:g}; it must be a whole number from 0")
            if pitch == 0:
                raise ValueError("the pitch is 0 mm; all would stand in one place")
            return {"count": self._bounded(count), "pitch": pitch, "margin": 0.0}
        span, item, margin = values["span"], values["item"], values["margin"]
        if span <= 0:
            raise ValueError(f"the row has {span:g} mm to go over; it must be above zero")
        if item < 0 or margin < 0:
            raise ValueError("the width of an item and the margin must not be negative")
        if self.how == "count":
            count = values["count"]
            if count != round(count) or count < 0:
                raise ValueError(f"the count is {count:g}; it must be a whole number from 0")
            row = fitting.given_count(span, item, self._bounded(count), margin)
        elif self.how == "spaced":
            pitch = values["pitch"]
            self._bounded((span - 2 * margin - item) / pitch if pitch > 0 else 0)
            row = fitting.spaced_at_most(span, item, pitch, margin)
        else:
            pitch = values["pitch"]
            if pitch <= 0:
                raise ValueError(f"the pitch is {pitch:g} mm; it must be above zero")
            self._bounded(span / pitch)
            row = fitting.most_that_fit(span, item, pitch - item, margin)
        return {"count": row.count, "pitch": row.pitch, "margin": row.margin}

    def explain(self, output: str, values: Mapping[str, float]) -> str:
        """How an output comes about, with numbers: ``(372 − 2·14 + 5) / (8 + 5) = 26.85, so
        26``."""
        try:
            outputs = self._work(values)
        except (KeyError, ValueError):
            return ""
        if self.how == "on":
            return ""
        span, item, margin = values["span"], values["item"], values["margin"]
        if self.how == "most":
            gap = values["pitch"] - item
            if output == "margin":
                return spelled.left_at_ends(span, item, gap, outputs["count"])
            return spelled.most_that_fit(span, item, gap, margin) if output == "count" else ""
        if output == "pitch" and outputs["count"] > 1:
            return spelled.even_pitch(span, outputs["count"], margin, item)
        if output == "count" and self.how == "spaced":
            return spelled.fewest_spaced(span, values["pitch"], margin, item)
        return ""

    @staticmethod
    def _bounded(count: float) -> float:
        if count > LONGEST_ROW:
            raise ValueError(
                f"the row would have about {count:,.0f} members; {LONGEST_ROW:,} are the most"
            )
        return count

    def works_out_along(self) -> Mapping[str, str]:
        return dict.fromkeys(("pitch", "margin"), self.along)

    @classmethod
    def repeats(cls, kind: type[Step]) -> bool:
        # A row of rows is a grid, and rarely what is meant.
        return kind.model_fields["kind"].default in ("hole", "extrude")

    def slots(self) -> tuple[Slot, ...]:
        axis = f"part {self.along}"
        if self.how == "on":
            slots = [
                Slot("count", self.count, "count", COUNT),
                Slot("pitch", self.pitch, "pitch", along=axis),
            ]
            return (*slots, *self.omit_slots(("number", "count")))
        slots = [
            Slot("span", self.span, "span", along=axis),
            Slot("item", self.item, "width of one", along=axis),
        ]
        if self.how == "count":
            slots.append(Slot("count", self.count, "count", COUNT))
        else:
            slots.append(Slot("pitch", self.pitch, "pitch", along=axis))
        slots.append(Slot("margin", self.margin, "end margin", along=axis))
        return (*slots, *self.omit_slots(("number", "count")))

    def sentence(self) -> Sentence:
        start: tuple[SentencePiece, ...] = (
            Words("row of"),
            *self.say_what(),
            Words("along"),
            ChoicePiece("along", {"x": "x", "y": "y", "z": "z"}),
        )
        how = ChoicePiece(
            "how",
            {
                "most": "as many as fit, one every",
                "spaced": "never further apart than",
                "count": "exactly",
                "on": "going on from here, in all",
            },
        )
        if self.how == "on":
            on = (how, FormulaPiece("count"), Words("of them, one every"), FormulaPiece("pitch"))
            return (start, on, *self.say_omit())
        start += (Words("over"), FormulaPiece("span"))
        second: tuple[SentencePiece, ...] = (
            how,
            FormulaPiece("count" if self.how == "count" else "pitch"),
        )
        keeps = "keeping at least" if self.how == "most" else "leaving"
        third: tuple[SentencePiece, ...] = (
            Words("each"),
            FormulaPiece("item"),
            Words(f"wide, {keeps}"),
            FormulaPiece("margin"),
            Words("at both ends"),
        )
        return (start, second, third, *self.say_omit())

    def feature(self, shop: Workshop) -> Feature:
        count, pitch = int(shop.outputs["count"]), shop.outputs["pitch"]
        x, y, z = _AXES[self.along]
        first = 0.0 if self.how == "on" else (count - 1) / 2
        places = [(i - first) * pitch for i in range(count)]
        return self.repeat(
            shop, {(k,): Motion.move((x * by, y * by, z * by)) for k, by in enumerate(places, 1)}
        )
