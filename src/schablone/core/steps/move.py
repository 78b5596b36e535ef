"""Move, turn or scale a whole part."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from ..kernel.body import Body, placed_body, stretched
from ..kernel.motion import Motion
from ..model import FormulaText, Identifier
from ..quantity import ANGLE, COUNT
from .base import Slot, Step
from .sentence import ChoicePiece, FormulaPiece, Sentence, Words
from .workshop import Feature, StepError, Workshop


class Move(Step):
    """Turns a part about an axis through the origin, then moves it; or scales it about the
    origin."""

    order = 60
    title = "Move"
    purpose = "Move, turn or scale the whole part"
    also = "turn rotate shift scale size"

    kind: Literal["move"] = "move"
    how: Literal["move", "scale"] = "move"
    x: FormulaText = "0 mm"
    y: FormulaText = "0 mm"
    z: FormulaText = "0 mm"
    angle: FormulaText = "0 deg"
    axis: Literal["x", "y", "z"] = "z"
    factor: FormulaText = "1"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        if self.how == "scale":
            return (Slot("factor", self.factor, "factor", COUNT),)
        return (
            *(
                Slot(axis, getattr(self, axis), axis, along=f"part {axis}")
                for axis in ("x", "y", "z")
            ),
            Slot("angle", self.angle, "angle", ANGLE),
        )

    def sentence(self) -> Sentence:
        how = ChoicePiece("how", {"move": "move the part", "scale": "scale the part"})
        if self.how == "scale":
            return ((how, Words("by"), FormulaPiece("factor"), Words("about the origin")),)
        return (
            (
                how,
                Words("by x"),
                FormulaPiece("x"),
                Words("y"),
                FormulaPiece("y"),
                Words("z"),
                FormulaPiece("z"),
            ),
            (
                Words("after turning it by"),
                FormulaPiece("angle"),
                Words("about"),
                ChoicePiece("axis", {"x": "x", "y": "y", "z": "z"}),
            ),
        )

    def feature(self, shop: Workshop) -> Feature:
        if self.how == "scale":
            factor = shop.values["factor"]
            if not 1e-3 <= factor <= 1e3:
                raise StepError(
                    f"The factor is {factor:g} (from “{self.factor}”); "
                    "it must lie from 0.001 to 1000.",
                    f"Change “{self.factor}”.",
                    "factor",
                )

            def scaled(body: Body) -> Body:
                larger = stretched(body, (factor, factor, factor))
                frames = {
                    name: frame.stretched((factor, factor, factor))[0]
                    for name, frame in body.frames.items()
                }
                # Other steps go on with it: stretched for good, not when it is looked at.
                whole = larger if larger.stretched is None else Body((), larger.solid())
                return replace(whole, frames=frames)

            return Feature("add", self.part, change=scaled)
        way = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}[self.axis]
        turn = Motion.turn((0.0, 0.0, 0.0), way, shop.values["angle"])
        motion = Motion.move((shop.values["x"], shop.values["y"], shop.values["z"])).after(turn)
        return Feature("add", self.part, change=lambda body: placed_body(body, motion))
