"""A kind of step that ends the process which builds it, as a kernel that falls over does."""

from __future__ import annotations

import os
import signal
from typing import Literal

from schablone.core.model import FormulaText
from schablone.core.steps.base import Slot, Step
from schablone.core.steps.sentence import FormulaPiece, Sentence, Words
from schablone.core.steps.workshop import Feature, Workshop


class Ender(Step):
    """Ends its process where its depth is above 5 mm, and does nothing otherwise."""

    order = 99
    title = "Ender"
    purpose = "Ends the process"
    icon = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 24"/>'

    kind: Literal["ender"] = "ender"
    depth: FormulaText = "9 mm"

    def slots(self) -> tuple[Slot, ...]:
        return (Slot("depth", self.depth, "depth"),)

    def sentence(self) -> Sentence:
        return ((Words("ends"), FormulaPiece("depth")),)

    def feature(self, shop: Workshop) -> Feature:
        if shop.values["depth"] > 5:
            os.kill(os.getpid(), signal.SIGSEGV)
        return Feature("add", next(iter(shop.bodies)), [])
