"""The equations of constraints: values and exact derivatives, many of one form at a time.

Each function takes the variables of k equations as an array of shape (k, m) and parameters of shape
(k, p), and returns values (k,) and derivatives (k, m). Lengths are in mm, angles in radians. The
derivatives of the few forms that are marked so come from the complex step (J. Martins, P. Sturdza,
J. Alonso, The complex-step derivative approximation, ACM TOMS 29, 2003), which is exact to the last
digit.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Form = Callable[[Floats, Floats], tuple[Floats, Floats]]

_TINY = 1e-300


def wrapped(angle: Floats) -> Floats:
    """Angles, radians, brought to −π … π."""
    return angle - 2 * np.pi * np.round(angle / (2 * np.pi))


def _columns(parts: Sequence[Floats]) -> Floats:
    """Columns side by side; of a few short ones it takes a third of the time of ``numpy.stack``,
    and a sketch asks thousands of times."""
    columns = np.empty((len(parts[0]), len(parts)))
    for number, part in enumerate(parts):
        columns[:, number] = part
    return columns


def linear(x: Floats, c: Floats) -> tuple[Floats, Floats]:
    """Σ c·x."""
    return np.einsum("ij,ij->i", x, c), c


def apart(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """Distance of two points less s₀ r₀ and s₁ r₁, mm. Variables: ax ay bx by r₀ r₁."""
    dx, dy = x[:, 2] - x[:, 0], x[:, 3] - x[:, 1]
    d = np.hypot(dx, dy)
    # Two points on one another have no direction; any will do to move them apart.
    ux = np.where(d > _TINY, dx / np.maximum(d, _TINY), 1.0)
    uy = np.where(d > _TINY, dy / np.maximum(d, _TINY), 0.0)
    value = d - s[:, 0] * x[:, 4] - s[:, 1] * x[:, 5]
    return value, _columns([-ux, -uy, ux, uy, -s[:, 0], -s[:, 1]])


def side(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """s₀ times the distance of a point to the left of a line, less s₁ r. Variables: ax ay bx by px
    py r."""
    ux, uy = x[:, 2] - x[:, 0], x[:, 3] - x[:, 1]
    wx, wy = x[:, 4] - x[:, 0], x[:, 5] - x[:, 1]
    length = np.maximum(np.hypot(ux, uy), _TINY)
    tx, ty = ux / length, uy / length
    h = tx * wy - ty * wx  # to the left
    along = (tx * wx + ty * wy) / length
    # Turning the line about its start by dφ moves the foot; n = (−ty, tx) is its left normal.
    jac = _columns(
        [ty * (1 - along), -tx * (1 - along), ty * along, -tx * along, -ty, tx, np.zeros_like(h)]
    )
    jac *= s[:, :1]
    jac[:, 6] = -s[:, 1]
    return s[:, 0] * h - s[:, 1] * x[:, 6], jac


def side_sum(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """Half the sum of the distances of two points to the left of a line, mm. Variables: ax ay bx by
    px py qx qy."""
    zero = np.zeros((len(x), 1))
    one = np.concatenate([np.ones_like(zero), zero], 1)
    first, a = side(np.concatenate([x[:, :6], zero], 1), one)
    second, b = side(np.concatenate([x[:, :4], x[:, 6:8], zero], 1), one)
    jac = np.concatenate([a[:, :4] + b[:, :4], a[:, 4:6], b[:, 4:6]], 1) / 2
    return (first + second) / 2, jac


def along(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """How far it is from p to q along a line, mm. Variables: ax ay bx by px py qx qy."""
    ux, uy = x[:, 2] - x[:, 0], x[:, 3] - x[:, 1]
    wx, wy = x[:, 6] - x[:, 4], x[:, 7] - x[:, 5]
    length = np.maximum(np.hypot(ux, uy), _TINY)
    tx, ty = ux / length, uy / length
    value = tx * wx + ty * wy
    gx, gy = (wx - value * tx) / length, (wy - value * ty) / length
    return value, _columns([-gx, -gy, gx, gy, -tx, -ty, tx, ty])


def turn(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """Angle from a→b to c→d plus s₀, times s₁ (a length). Variables: ax ay bx by cx cy dx dy."""
    ux, uy = x[:, 2] - x[:, 0], x[:, 3] - x[:, 1]
    vx, vy = x[:, 6] - x[:, 4], x[:, 7] - x[:, 5]
    uu = np.maximum(ux * ux + uy * uy, _TINY)
    vv = np.maximum(vx * vx + vy * vy, _TINY)
    value = wrapped(np.arctan2(vy, vx) - np.arctan2(uy, ux) + s[:, 0])
    gux, guy, gvx, gvy = uy / uu, -ux / uu, -vy / vv, vx / vv
    return value * s[:, 1], _columns([-gux, -guy, gux, guy, -gvx, -gvy, gvx, gvy]) * s[:, 1:2]


def direction(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """Angle of a→b plus s₀, times s₁ (a length). Variables: ax ay bx by."""
    ux, uy = x[:, 2] - x[:, 0], x[:, 3] - x[:, 1]
    uu = np.maximum(ux * ux + uy * uy, _TINY)
    value = wrapped(np.arctan2(uy, ux) + s[:, 0])
    gx, gy = -uy / uu, ux / uu
    return value * s[:, 1], _columns([-gx, -gy, gx, gy]) * s[:, 1:2]


def equal_length(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """Length of a–b less that of c–d, mm. Variables: ax ay bx by cx cy dx dy."""
    zeros = np.zeros((len(x), 2))
    none = np.zeros((len(x), 2))
    first, a = apart(np.concatenate([x[:, :4], zeros], 1), none)
    second, b = apart(np.concatenate([x[:, 4:], zeros], 1), none)
    return first - second, np.concatenate([a[:, :4], -b[:, :4]], 1)


def arc_length(x: Floats, s: Floats) -> tuple[Floats, Floats]:
    """Length of an arc, counter-clockwise. Variables: cx cy sx sy ex ey r."""
    ax, ay = x[:, 2] - x[:, 0], x[:, 3] - x[:, 1]
    bx, by = x[:, 4] - x[:, 0], x[:, 5] - x[:, 1]
    sweep = np.mod(np.arctan2(by, bx) - np.arctan2(ay, ax), 2 * np.pi)
    aa, bb = np.maximum(ax * ax + ay * ay, _TINY), np.maximum(bx * bx + by * by, _TINY)
    r = x[:, 6]
    gax, gay, gbx, gby = r * ay / aa, -r * ax / aa, -r * by / bb, r * bx / bb
    return r * sweep, _columns([-gax - gbx, -gay - gby, gax, gay, gbx, gby, sweep])


def by_complex_step(
    value: Callable[[NDArray[np.complex128], Floats], NDArray[np.complex128]],
) -> Form:
    """A form from a function that also takes complex numbers."""

    def form(x: Floats, s: Floats) -> tuple[Floats, Floats]:
        h = 1e-40
        jac = np.empty_like(x)
        for column in range(x.shape[1]):
            z = x.astype(np.complex128)
            z[:, column] += 1j * h
            jac[:, column] = value(z, s).imag / h
        return value(x.astype(np.complex128), s).real, jac

    return form


def _ellipse_axes(
    z: NDArray[np.complex128],
) -> tuple[NDArray[np.complex128], NDArray[np.complex128], NDArray[np.complex128]]:
    ux, uy = z[:, 2] - z[:, 0], z[:, 3] - z[:, 1]
    a = np.sqrt(ux * ux + uy * uy)
    return ux / a, uy / a, a


def _on_ellipse(z: NDArray[np.complex128], s: Floats) -> NDArray[np.complex128]:
    tx, ty, a = _ellipse_axes(z)
    wx, wy = z[:, 5] - z[:, 0], z[:, 6] - z[:, 1]
    u, v = (wx * tx + wy * ty) / a, (wy * tx - wx * ty) / z[:, 4]
    return (np.sqrt(u * u + v * v) - 1) * z[:, 4]


def _line_at_ellipse(z: NDArray[np.complex128], s: Floats) -> NDArray[np.complex128]:
    tx, ty, a = _ellipse_axes(z)
    lx, ly = z[:, 7] - z[:, 5], z[:, 8] - z[:, 6]
    length = np.sqrt(lx * lx + ly * ly)
    nx, ny = -ly / length, lx / length
    far = nx * (z[:, 0] - z[:, 5]) + ny * (z[:, 1] - z[:, 6])
    reach = np.sqrt((a * (nx * tx + ny * ty)) ** 2 + (z[:, 4] * (ny * tx - nx * ty)) ** 2)
    return s[:, 0] * far - reach


#: A point on an ellipse. Variables: cx cy, vertex x y, minor, px py.
on_ellipse = by_complex_step(_on_ellipse)
#: A line touching an ellipse on its side s₀. Variables: cx cy, vertex x y, minor, ax ay bx by.
line_at_ellipse = by_complex_step(_line_at_ellipse)
