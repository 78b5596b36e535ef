"""A round wire led along a path in space that formulas give; closed where the path comes back to
its start."""

from __future__ import annotations

from typing import Literal

from ..kernel.frame import GROUND
from ..kernel.guided import Guided, guided
from ..kernel.naming import FaceName
from ..model import FormulaText, Identifier
from ..quantity import ANGLE, say_spot
from ..sketch.regions import Region
from ..sketch.shapes import circle
from ..words import say_name
from .base import Slot, Step
from .path import by_formulas, frames_of, stations
from .sentence import ChoicePiece, FormulaPiece, Sentence, Words
from .workshop import Feature, Remark, StepError, Workshop, above_zero


class Sweep(Step):
    """Leads a round wire along x, y and z given as formulas of an angle: a helix, a ring, a wave
    around a can."""

    order = 24
    in_stencils = True
    title = "Wire along a curve"
    purpose = "A round wire along a curve in space, given by formulas"
    also = "helix spiral spring pipe tube"
    repeatable = True

    kind: Literal["sweep"] = "sweep"
    mode: Literal["add", "cut"] = "add"
    wire: FormulaText = "3 mm"
    parameter: Identifier = "turned"
    first: FormulaText = "0 deg"
    last: FormulaText = "720 deg"
    x: FormulaText = "20 mm * cos(turned)"
    y: FormulaText = "20 mm * sin(turned)"
    z: FormulaText = "10 mm * turned / (360 deg)"
    part: Identifier = "part"

    def only_prisms(self) -> bool:
        return False

    def slots(self) -> tuple[Slot, ...]:
        over = (self.parameter, "first", "last")
        return (
            Slot("wire", self.wire, "thickness of the wire"),
            Slot("first", self.first, f"first {self.parameter}", ANGLE),
            Slot("last", self.last, f"last {self.parameter}", ANGLE),
            *(
                Slot(axis, getattr(self, axis), axis, over=over, panels=True)
                for axis in ("x", "y", "z")
            ),
        )

    def sentence(self) -> Sentence:
        words = say_name(self.parameter)
        return (
            (
                ChoicePiece("mode", {"add": "lead", "cut": "cut"}),
                Words("a round wire of ø"),
                FormulaPiece("wire"),
                Words("along"),
            ),
            *((Words(axis), FormulaPiece(axis)) for axis in ("x", "y", "z")),
            (Words(f"with {words} from"), FormulaPiece("first"), Words("to"), FormulaPiece("last")),
        )

    def feature(self, shop: Workshop) -> Feature:
        radius = above_zero(shop.values["wire"], "thickness of the wire", self.wire, "wire") / 2
        path = by_formulas(shop.values, self.parameter)
        region = Region(circle("wire", 0.0, 0.0, 2 * radius))
        x, y = frames_of(path, GROUND, None)
        at, rows = stations(path, x, y, 3e-5 * radius)
        start, end, side = (FaceName(self.name, role) for role in ("start", "end", "side"))
        tool = guided(
            region, at, rows, closed=path.closed, start=start, end=end, sides={"wire": side}
        )
        remarks = clear_of_itself(tool, f"Make “{self.wire}” thinner, or the curve wider.", "wire")
        return Feature(self.mode, self.part, [tool], remarks=remarks)


def clear_of_itself(tool: Guided, hint: str, where: str) -> tuple[Remark, ...]:
    """Refuse a section that runs into itself, at a bend or turn by turn.

    Raises:
        StepError: says where.
    """
    spot = tool.folded_at()
    if spot is not None:
        raise StepError(
            f"At x {spot[0]:.4g}, y {spot[1]:.4g}, z {spot[2]:.4g} mm the path bends more "
            "sharply than the outline is wide; "
            "it would run into itself.",
            hint,
            where,
        )
    met = tool.meets_itself()
    if met is not None:
        (a, b, c), deep = met
        raise StepError(
            f"At {say_spot(a, b, c)} the outline meets itself: turns lie "
            f"{deep:.3g} mm in each other.",
            hint,
            where,
        )
    return ()
