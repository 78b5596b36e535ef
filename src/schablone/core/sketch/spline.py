"""Smooth curves through points: cubic splines as chains of Bézier pieces.

The parameter runs by the square root of the chords (E. T. Y. Lee, Choosing nodes in parametric
curve interpolation, Computer-Aided Design 21, 1989), which keeps uneven points from making loops.
At an end with a handle the curve leaves towards it, as fast as a Bézier piece with that control
point; at a free end its curvature is zero.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray


def pieces(
    points: NDArray[Any], first: NDArray[Any] | None = None, last: NDArray[Any] | None = None
) -> NDArray[Any]:
    """Bézier control points (n − 1, 4, 2) of the spline through ``points`` (n, 2), real or complex.

    ``first`` and ``last`` are the handles, (2,). Solves one tridiagonal system. Between points that
    follow each other in one place the piece is that place, and the curve is the one without it.
    """
    n = len(points)
    chords = np.diff(points, axis=0)
    apart = np.real(chords).any(axis=1)
    if not apart.all():
        a, b = points[:-1], points[1:]
        control = np.stack([a, a, b, b], 1)
        if apart.any():
            there = np.concatenate([[True], apart])
            control[apart] = pieces(points[there], first, last)
        return control
    steps = np.sqrt(np.sqrt((chords * chords).sum(1)))
    matrix = np.zeros((n, n), dtype=points.dtype)
    right = np.zeros((n, 2), dtype=points.dtype)
    for i in range(1, n - 1):
        h0, h1 = steps[i - 1], steps[i]
        matrix[i, i - 1 : i + 2] = h1, 2 * (h0 + h1), h0
        right[i] = 3 * (h1 / h0 * chords[i - 1] + h0 / h1 * chords[i])
    for row, near, handle, step, chord, sign in (
        (0, 1, first, steps[0], chords[0], 1.0),
        (n - 1, n - 2, last, steps[-1], chords[-1], -1.0),
    ):
        if handle is not None:
            matrix[row, row] = 1.0
            right[row] = 3 * sign * (handle - points[row]) / step
        else:
            matrix[row, row], matrix[row, near] = 2.0, 1.0
            right[row] = 3 * chord / step
    slopes = np.linalg.solve(matrix, right)
    third = (steps / 3)[:, None]
    return np.stack(
        [
            points[:-1],
            points[:-1] + third * slopes[:-1],
            points[1:] - third * slopes[1:],
            points[1:],
        ],
        1,
    )


def at(control: NDArray[Any], t: Any) -> NDArray[Any]:
    """The point at parameter ``t``, which counts pieces from 0: 2.5 is the middle of the third."""
    index = int(min(max(np.floor(np.real(t)), 0), len(control) - 1))
    u = t - index
    v = 1 - u
    p = control[index]
    points: NDArray[Any] = v**3 * p[0] + 3 * v * v * u * p[1] + 3 * v * u * u * p[2] + u**3 * p[3]
    return points
