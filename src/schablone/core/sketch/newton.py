"""Newton's method on the equations of a sketch.

One step is taken in the least-norm form, damped after Levenberg and Marquardt: Δ = −W Jᵀ (J W Jᵀ +
λ)⁻¹ r (J. Nocedal, S. Wright, Numerical Optimization, ch. 10 and 11). What is loose moves as little
as can be, and constraints that say the same thing twice do no harm. Clusters that share no equation
are damped apart.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from .sparse import scipy, solved
from .system import System
from .together import Wholes
from .variables import FEW, dense

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

Floats = NDArray[np.float64]

#: Residuals below this share of the sketch's size are none.
EXACT = 1e-11
#: What is accepted where rounding lets no more be reached.
GOOD = 1e-9

MOST_STEPS = 40
#: After so many steps without an end, steps are worked out more carefully.
_PLAIN_STEPS = 12
#: By how much a motion of a whole shape is cheaper than one of a point.
_WHOLES = 1e6
#: Where so many careful steps do not even halve what is off, no end is near.
_SLOW_STEPS = 8


@dataclass(frozen=True, slots=True)
class Solution:
    """Where the variables are, whether everything holds, and how far each row is off, in mm.

    ``share`` is how far the dimensions were led to their values: 1 is all the way. ``bend`` is how
    far the way went from its first step, as a share of that step: where it is small, no other
    solution lies nearer. Where all equations can be kept, but only with something of the drawing
    shrunk to nothing or turned over, it does not hold, and ``lost`` names that.
    """

    x: Floats
    holds: bool
    residuals: Floats
    share: float = 1.0
    steps: int = 0
    bend: float = 0.0
    lost: tuple[str, ...] = ()


def newton(
    system: System,
    x: Floats,
    weights: Floats | None = None,
    towards: Floats | None = None,
    most: int = MOST_STEPS,
    wholes: Wholes | None = None,
) -> Solution:
    """Make the equations hold from ``x`` on, at the system's present targets.

    ``weights`` (free,) is how dear it is to move each free variable. With ``towards`` (n,) what is
    loose goes there as far as it can, to about a thousandth; without, it moves as little as
    possible. With ``wholes``, for few equations, it counts for next to nothing that a shape moves
    or turns as a whole.
    """
    if system.rows == 0:
        placed = x.copy()
        if towards is not None:
            placed[system.columns] = towards[system.columns]
        return Solution(placed, True, np.zeros(0))
    columns = system.columns
    begun, first = x, x
    moved = math.inf
    x = x.copy()
    residual, jac = system.linearised(x)
    size = max(system.size, float(np.abs(x).max(initial=0.0)))
    tolerance = EXACT * size
    if towards is None and np.abs(residual).max() <= tolerance:
        return Solution(x, True, residual, 1.0, 0, 0.0)
    cheap = np.ones(len(columns)) if weights is None else 1 / weights
    clusters = system.cluster_of_row
    count = int(max(clusters.max(), system.cluster_of_column.max(initial=0))) + 1
    damping = np.full(count, 1e-12)
    norms = _norms(residual, clusters, count)
    near_since = steps = 0
    for steps in range(1, most + 1):
        pull = np.zeros(len(columns)) if towards is None else (towards - x)[columns]
        # With a wish the way there counts, not the last digit: the caller makes the end exact
        # without one.
        if np.abs(residual).max() <= tolerance if towards is None else moved <= 1e-3 * size:
            return Solution(x, True, residual, 1.0, steps - 1, _bend(begun, first, x))
        right = -(residual + jac @ pull) if towards is not None else -residual
        # Towards a wish only the linear part may be followed; its error is mended by the next step.
        if wholes is None:
            delta = pull + cheap * (jac.T @ _solve_rows(jac, cheap, damping[clusters], right))
        else:
            delta = _by_wholes(dense(jac), wholes, x, damping[clusters], right)
        trial = x.copy()
        trial[columns] += _held(delta, size)
        moved = float(np.abs(trial - x).max(initial=0.0))
        fresh, fresh_jac = system.linearised(trial)
        fresh_norms = _norms(fresh, clusters, count)
        if towards is None:
            worse = (fresh_norms > norms) & (fresh_norms > tolerance)
            if worse.any():
                # Clusters that got worse go back and are damped more; the others keep their step.
                back = worse[system.cluster_of_column] if wholes is None else slice(None)
                trial[columns[back]] = x[columns[back]]
                fresh, fresh_jac = system.linearised(trial)
                fresh_norms = _norms(fresh, clusters, count)
            damping = np.where(
                worse, np.maximum(damping * 30, 1e-6), np.maximum(damping / 10, 1e-12)
            )
            if (damping > 1e8).any():
                break
        stalled = abs(np.abs(fresh).max() - np.abs(residual).max()) < 0.02 * np.abs(residual).max()
        near_since = near_since + 1 if stalled and np.abs(fresh).max() <= GOOD * size else 0
        first = trial if steps == 1 else first
        x, residual, jac, norms = trial, fresh, fresh_jac, fresh_norms
        if near_since >= 2:
            break
        plain = towards is None and wholes is None
        if plain and steps >= _PLAIN_STEPS and jac.shape[0] <= FEW:
            return _carefully(system, x, cheap, tolerance, size, steps, begun, first)
    worst = float(np.abs(residual).max())
    return Solution(x, worst <= GOOD * size, residual, 1.0, steps, _bend(begun, first, x))


def _carefully(
    system: System,
    x: Floats,
    cheap: Floats,
    tolerance: float,
    size: float,
    steps: int,
    begun: Floats,
    first: Floats,
) -> Solution:
    """Newton's steps from an orthogonal factorisation, shortened where they do not help.

    Where two demands touch (a distance that is all of its upright share), the product J Jᵀ loses
    the digits that are left, and a step only halves what is off.
    """
    columns, root = system.columns, np.sqrt(cheap)
    residual, jac = system.linearised(x)
    norms: list[float] = []
    for _ in range(MOST_STEPS):
        norm = float(np.linalg.norm(residual))
        norms.append(norm)
        if len(norms) > _SLOW_STEPS and norm > norms[-1 - _SLOW_STEPS] / 2:
            break
        if np.abs(residual).max() <= tolerance:
            break
        delta = root * np.linalg.lstsq(dense(jac) * root, -residual, rcond=1e-12)[0]
        for share in (1.0, 0.5, 0.1, 0.01):
            trial = x.copy()
            trial[columns] += _held(share * delta, size)
            fresh, fresh_jac = system.linearised(trial)
            if np.linalg.norm(fresh) < 0.999 * norm:
                break
        else:
            break
        x, residual, jac, steps = trial, fresh, fresh_jac, steps + 1
    holds = bool(np.abs(residual).max() <= GOOD * size)
    return Solution(x, holds, residual, 1.0, steps, _bend(begun, first, x))


def _by_wholes(jac: Floats, wholes: Wholes, x: Floats, damping: Floats, right: Floats) -> Floats:
    """A step of least norm where the motions of whole shapes come on top of what each variable does
    for itself, at next to no cost."""
    motions = wholes.motions(x)
    both = np.hstack([jac, jac @ motions])
    cheap = np.concatenate([np.ones(jac.shape[1]), np.full(motions.shape[1], _WHOLES)])
    step = cheap * (both.T @ _solve_rows(both, cheap, damping, right))
    delta: Floats = step[: jac.shape[1]] + wholes.moved(x, step[jac.shape[1] :])
    return delta


def _bend(begun: Floats, first: Floats, x: Floats) -> float:
    went = float(np.abs(first - begun).max(initial=0.0))
    return float(np.abs(x - first).max(initial=0.0)) / went if went > 0 else 0.0


def _held(delta: Floats, size: float) -> Floats:
    """A step no longer than a few times the sketch, so that one bad direction does not throw
    everything away."""
    longest = float(np.abs(delta).max(initial=0.0))
    return delta if longest <= 50 * size else delta * (50 * size / longest)


def _norms(residual: Floats, clusters: NDArray[np.integer], count: int) -> Floats:
    norms: Floats = np.sqrt(np.bincount(clusters, residual * residual, count))
    return norms


def _solve_rows(jac: Floats | csr_matrix, cheap: Floats, damping: Floats, right: Floats) -> Floats:
    """(J C Jᵀ + diag(λ)) y = right; dense where small, sparse where large."""
    rows = jac.shape[0]
    if isinstance(jac, np.ndarray):
        product = (jac * cheap) @ jac.T
        scale = max(float(product.diagonal().max()), 1e-12)
        product[np.diag_indices(rows)] += damping * scale
        try:
            return solved(product, right)
        except np.linalg.LinAlgError:
            product[np.diag_indices(rows)] += 1e-9 * scale
            answer = np.linalg.lstsq(product, right, rcond=None)[0]
            return np.asarray(answer, dtype=float)
    # J C Jᵀ, on the arrays themselves: for matrices of this size scipy's operators cost more than
    # the numbers.
    splu = scipy().solving.splu
    weighted = scipy().sparse.csr_matrix(
        (jac.data * cheap[jac.indices], jac.indices, jac.indptr), shape=jac.shape
    )
    gram = (weighted @ jac.T).tocsc()
    diagonal = gram.diagonal()
    scale = max(float(diagonal.max()), 1e-12)
    gram.setdiag(diagonal + damping * scale)
    settled: Floats
    try:
        factors = splu(
            gram, permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
        )
        settled = factors.solve(right)
    except RuntimeError:
        gram.setdiag(diagonal + (damping + 1e-9) * scale)
        settled = splu(gram).solve(right)
    return settled
