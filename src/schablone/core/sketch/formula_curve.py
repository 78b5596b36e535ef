"""Curves given by formulas: sampled where polynomials are best known, then worked with as
polynomials.

A smooth function on an interval is given to nearly full precision by its values at the Chebyshev
points (L. N. Trefethen, Approximation Theory and Approximation Practice, SIAM 2013). The formulas
are evaluated only there; points, tangents and derivatives come from the polynomial.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.polynomial import chebyshev
from numpy.typing import NDArray

from ..formula.sampling import SAMPLES, nodes
from .curves import Bezier

#: What the polynomial may leave out, as a share of the size of the curve.
_WILD = 1e-6


@dataclass(frozen=True, slots=True)
class ChebyshevCurve:
    """A curve over s from −1 to 1, as Chebyshev coefficients of x and y, mm."""

    x: NDArray[np.float64]
    y: NDArray[np.float64]

    @classmethod
    def through(cls, x: NDArray[np.float64], y: NDArray[np.float64]) -> ChebyshevCurve:
        """The curve through samples at :func:`nodes`.

        Raises:
            ValueError: where the formulas are not smooth enough for that, or give no curve.
        """
        s = nodes(-1.0, 1.0)
        fitted = [
            np.asarray(chebyshev.chebfit(s, values, SAMPLES - 1), dtype=np.float64)
            for values in (x, y)
        ]
        size = max(float(np.ptp(x)), float(np.ptp(y)))
        if size < 1e-9:
            raise ValueError("the formulas give one point and no curve")
        if max(float(np.abs(c[-4:]).max()) for c in fitted) > _WILD * size:
            raise ValueError(
                "the formulas turn too sharply or too often to be drawn as one curve; use several"
            )
        return cls(fitted[0], fitted[1])

    def at(self, s: float) -> tuple[float, float]:
        """The point at a parameter from −1 to 1, mm."""
        return float(chebyshev.chebval(s, self.x)), float(chebyshev.chebval(s, self.y))

    def slope(self, s: float) -> tuple[float, float]:
        """Derivative by s."""
        dx, dy = chebyshev.chebder(self.x), chebyshev.chebder(self.y)
        return float(chebyshev.chebval(s, dx)), float(chebyshev.chebval(s, dy))

    def beziers(
        self, name: str, shift: tuple[float, float], turn: float, tolerance: float = 1e-4
    ) -> list[Bezier]:
        """Cubic pieces within ``tolerance`` mm of the curve, turned by ``turn`` radians and moved.

        Pieces share point and tangent with the curve at their ends; they are halved until points
        between lie close enough.
        """
        c, sn = math.cos(turn), math.sin(turn)
        dx, dy = chebyshev.chebder(self.x), chebyshev.chebder(self.y)

        def point(s: NDArray[np.float64]) -> NDArray[np.float64]:
            x, y = chebyshev.chebval(s, self.x), chebyshev.chebval(s, self.y)
            return np.stack([c * x - sn * y + shift[0], sn * x + c * y + shift[1]], -1)

        def slope(s: NDArray[np.float64]) -> NDArray[np.float64]:
            x, y = chebyshev.chebval(s, dx), chebyshev.chebval(s, dy)
            return np.stack([c * x - sn * y, sn * x + c * y], -1)

        ends = np.linspace(-1, 1, 9)
        for _ in range(8):
            p, d = point(ends), slope(ends) * 1.0
            h = np.diff(ends)[:, None] / 3
            control = np.stack([p[:-1], p[:-1] + h * d[:-1], p[1:] - h * d[1:], p[1:]], 1)
            worst = np.zeros(len(control))
            for u in (0.25, 0.5, 0.75):
                v = 1 - u
                on = (
                    v**3 * control[:, 0]
                    + 3 * v * v * u * control[:, 1]
                    + 3 * v * u * u * control[:, 2]
                )
                on += u**3 * control[:, 3]
                there = point(ends[:-1] + u * np.diff(ends))
                worst = np.maximum(worst, np.linalg.norm(on - there, axis=1))
            if worst.max() <= tolerance or len(ends) > 2000:
                break
            middles = (ends[:-1] + ends[1:])[worst > tolerance] / 2
            ends = np.sort(np.concatenate([ends, middles]))
        return [Bezier.of(piece, name) for piece in control]
