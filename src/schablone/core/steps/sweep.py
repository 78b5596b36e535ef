"""A round wire led along a path in space that formulas give."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import numpy as np

from ..formula.sampling import SAMPLES, nodes
from ..kernel.naming import FaceName
from ..kernel.tools import Swept
from ..model import FormulaText, Identifier
from ..quantity import ANGLE
from .base import ChoicePiece, Feature, FormulaPiece, Sentence, Slot, Step, StepError, Words, Workshop, above_zero

#: Points in a full turn of the path's direction: a cubic through them stays within 4e-5 of the radius.
_POINTS_A_TURN = 14
_MOST_POINTS = 600


class Sweep(Step):
    """Leads a round wire along x, y and z given as formulas of an angle: a helix, a ring, a wave around a can."""

    order = 24
    title = "Wire along a curve"
    purpose = "A round wire along a curve in space, given by formulas"

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
            *(Slot(axis, getattr(self, axis), axis, over=over) for axis in ("x", "y", "z")),
        )

    def sentence(self) -> Sentence:
        words = self.parameter.replace("_", " ")
        return (
            (ChoicePiece("mode", {"add": "lead", "cut": "cut"}), Words("a round wire of ø"), FormulaPiece("wire"), Words("along")),
            *((Words(axis), FormulaPiece(axis)) for axis in ("x", "y", "z")),
            (Words(f"with {words} from"), FormulaPiece("first"), Words("to"), FormulaPiece("last")),
        )  # fmt: skip

    def feature(self, shop: Workshop) -> Feature:
        radius = above_zero(shop.values["wire"], "thickness of the wire", self.wire, "wire") / 2
        path = _spread(fitted_curve(shop.values))
        _not_too_sharp(path, radius, self.wire)
        names = [FaceName(self.name, role) for role in ("start", "end", "side")]
        points = tuple((float(a), float(b), float(c)) for a, b, c in path)
        return Feature(self.mode, self.part, [Swept(points, radius, *names)])


def fitted_curve(values: Mapping[str, float]) -> list[np.ndarray]:
    """Chebyshev coefficients of x, y and z from their values at the nodes.

    Raises:
        StepError: where the formulas give no curve, or one that turns too often.
    """
    known = [np.array([values[f"{axis}@{k}"] for k in range(SAMPLES)]) for axis in ("x", "y", "z")]
    s = nodes(-1.0, 1.0)
    fitted = [np.polynomial.chebyshev.chebfit(s, v, SAMPLES - 1) for v in known]
    size = max(float(np.ptp(v)) for v in known)
    if size < 1e-6:
        raise StepError("The formulas give one point and no curve.", "Let x, y or z depend on the parameter.", "x")
    # Each axis by its own measure: a rise of metres must not hide that the curve goes round more often than is seen.
    spans = [max(float(np.ptp(v)), 1e-6 * size) for v in known]
    if any(float(np.abs(c[-4:]).max()) > 1e-5 * span for c, span in zip(fitted, spans, strict=True)):
        raise StepError(
            "The curve turns too often to be led along as one.", "Use several steps, each over a part of it.", "last"
        )
    return fitted


def spread(fitted: list[np.ndarray], count: int) -> np.ndarray:
    """Points (count, 3) along a curve given by Chebyshev coefficients, evenly in its parameter."""
    s = np.linspace(-1.0, 1.0, count)
    return np.stack([np.polynomial.chebyshev.chebval(s, c) for c in fitted], 1)


def _spread(fitted: list[np.ndarray]) -> np.ndarray:
    """Points (n, 3) along a curve given by Chebyshev coefficients, closer together where it bends."""
    s = np.linspace(-1.0, 1.0, 4001)
    dense = spread(fitted, len(s))
    steps = np.diff(dense, axis=0)
    length = np.linalg.norm(steps, axis=1)
    way = steps / np.maximum(length, 1e-12)[:, None]
    turned = np.concatenate([[0.0], np.arccos(np.clip((way[1:] * way[:-1]).sum(1), -1, 1))])
    # A straight run counts a little too, so that it gets points as well.
    measure = np.concatenate([[0.0], np.cumsum(turned + 2.0 * length / length.sum())])
    count = int(np.clip(np.ceil(measure[-1] / (2 * np.pi) * _POINTS_A_TURN), 8, _MOST_POINTS))
    at = np.interp(np.linspace(0, measure[-1], count + 1), measure, s)
    return np.stack([np.polynomial.chebyshev.chebval(at, c) for c in fitted], 1)


def _not_too_sharp(path: np.ndarray, radius: float, wire: str) -> None:
    """Refuse a wire thicker than the path's bends allow: it would run into itself."""
    a, b, c = path[:-2], path[1:-1], path[2:]
    sides = [np.linalg.norm(q - p, axis=1) for p, q in ((a, b), (b, c), (a, c))]
    twice = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    bend = float(np.min(sides[0] * sides[1] * sides[2] / np.maximum(2 * twice, 1e-12)))
    if bend < radius * 1.02:
        raise StepError(
            f"The curve bends to a radius of {bend:.3g} mm; a wire of {2 * radius:.4g} mm (from “{wire}”) needs more than half "
            "of its thickness.", f"Make “{wire}” thinner, or the curve wider.", "wire",
        )  # fmt: skip
