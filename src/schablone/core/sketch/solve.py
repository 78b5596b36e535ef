"""Solving: from a drawing as drawn to one in which everything holds.

One step is Newton's in the least-norm form, damped after Levenberg and Marquardt: Δ = −Wᵀ Jᵀ (J W
Jᵀ + λ)⁻¹ r (J. Nocedal, S. Wright, Numerical Optimization, ch. 10 and 11). What is loose moves as
little as can be, and constraints that say the same thing twice do no harm. Clusters that share no
equation are damped apart.

Dimensions do not jump to their values: the drawing is first made to hold with its dimensions as
drawn, then these are led to their values together, in steps as large as the drawing follows without
leaping (continuation, E. Allgower, K. Georg, Introduction to Numerical Continuation Methods, SIAM
2003). So a triangle or a tangent never flips over because a size was changed much at once, and the
outcome does not depend on what was typed before.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from .sparse import scipy
from .system import System
from .vanishing import Watch, holding
from .variables import FEW, dense

if TYPE_CHECKING:
    from scipy.sparse import csr_matrix

Floats = NDArray[np.float64]

#: Residuals below this share of the sketch's size are none.
EXACT = 1e-11
#: What is accepted where rounding lets no more be reached.
GOOD = 1e-9

_MOST_STEPS = 40
#: After so many steps without an end, steps are worked out more carefully.
_PLAIN_STEPS = 12
#: Where so many careful steps do not even halve what is off, no end is near.
_SLOW_STEPS = 8
_SMALLEST_SHARE = 1 / 256
#: How far a step of the continuation may go from its first, straight part.
_MOST_BEND = 0.35


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
    most: int = _MOST_STEPS,
) -> Solution:
    """Make the equations hold from ``x`` on, at the system's present targets.

    ``weights`` (free,) is how dear it is to move each free variable. With ``towards`` (n,) what is
    loose goes there as far as it can, to about a thousandth; without, it moves as little as
    possible.
    """
    if system.rows == 0:
        placed = x.copy()
        if towards is not None:
            placed[system.columns] = towards[system.columns]
        return Solution(placed, True, np.zeros(0))
    columns, clusters = system.columns, system.cluster_of_row
    count = int(max(clusters.max(), system.cluster_of_column.max(initial=0))) + 1
    cheap = np.ones(len(columns)) if weights is None else 1 / weights
    begun, first = x, x
    moved = math.inf
    x = x.copy()
    damping = np.full(count, 1e-12)
    residual, jac = system.linearised(x)
    norms = _norms(residual, clusters, count)
    size = max(system.size, float(np.abs(x).max(initial=0.0)))
    tolerance = EXACT * size
    near_since = steps = 0
    for steps in range(1, most + 1):
        pull = np.zeros(len(columns)) if towards is None else (towards - x)[columns]
        # With a wish the way there counts, not the last digit: the caller makes the end exact
        # without one.
        if np.abs(residual).max() <= tolerance if towards is None else moved <= 1e-3 * size:
            return Solution(x, True, residual, 1.0, steps - 1, _bend(begun, first, x))
        right = -(residual + jac @ pull) if towards is not None else -residual
        # Towards a wish only the linear part may be followed; its error is mended by the next step.
        delta = pull + cheap * (jac.T @ _solve_rows(jac, cheap, damping[clusters], right))
        trial = x.copy()
        trial[columns] += _held(delta, size)
        moved = float(np.abs(trial - x).max(initial=0.0))
        fresh, fresh_jac = system.linearised(trial)
        fresh_norms = _norms(fresh, clusters, count)
        if towards is None:
            worse = (fresh_norms > norms) & (fresh_norms > tolerance)
            if worse.any():
                # Clusters that got worse go back and are damped more; the others keep their step.
                back = worse[system.cluster_of_column]
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
        if towards is None and steps >= _PLAIN_STEPS and jac.shape[0] <= FEW:
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
    for _ in range(_MOST_STEPS):
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
            dense_ = scipy().dense
            held: Floats = dense_.cho_solve(
                dense_.cho_factor(product, check_finite=False), right, check_finite=False
            )
            return held
        except np.linalg.LinAlgError:  # which SciPy raises too
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


def solve(
    system: System,
    values: Mapping[str, float],
    start: Floats | None = None,
    *,
    patient: bool = True,
) -> Solution:
    """Lead the dimensions to ``values`` (mm and degrees, by name) and make everything hold.

    Dimensions without a value stay as drawn. Where something cannot hold, the solution is the last
    that did, with the residuals of the first step that failed. Not ``patient``, it gives up sooner.

    Raises:
        CannotHold: for a value that no drawing can have.
    """
    found = _solved(system, values, start, patient)
    if not found.lost:
        return found
    # Nearest is not best there: another way may leave what would be lost as it is drawn.
    drawing, held = holding(system, found.lost)
    keeping = System(drawing, system.shapes)
    kept = _solved(keeping, {**values, **held}, start, patient)
    system.looks += keeping.looks
    if kept.holds and held:
        return replace(kept, residuals=kept.residuals[: system.rows])
    return found


def _solved(
    system: System, values: Mapping[str, float], start: Floats | None, patient: bool
) -> Solution:
    drawn = system.targets.copy()
    wanted = system.targets.copy()
    for dimension in system.drawing.dimensions:
        row = system.dimension_rows.get(dimension.name)
        if row is not None and dimension.name in values:
            wanted[row] = system.target(dimension, values[dimension.name])
    angles = np.array(system.angular, dtype=bool)
    change = wanted - drawn
    if angles.any():
        # An angle goes the short way round.
        turn = 2 * np.pi * system.size
        change[angles] -= turn * np.round(change[angles] / turn)
    begun = system.start if start is None else start
    nothing = ~angles & (np.abs(wanted) <= GOOD * system.size)
    to_nothing = any(nothing[row] for row in system.dimension_rows.values())
    watch = Watch(system, begun, to_nothing=to_nothing)
    try:
        found = _led(system, drawn, change, begun, patient, watch)
    finally:
        system.targets = drawn
    lost = watch.lost(found.x) if found.holds else ()
    return replace(found, holds=False, lost=lost) if lost else found


def _led(
    system: System,
    drawn: Floats,
    change: Floats,
    start: Floats,
    patient: bool,
    watch: Watch,
) -> Solution:
    size = system.size
    smallest, most = (_SMALLEST_SHARE, _MOST_STEPS) if patient else (1 / 16, 12)
    x, done, share, steps = start, 0.0, 1.0, 0
    near = (
        max(np.abs(change).max(initial=0.0), np.abs(system.residuals(start)).max(initial=0.0))
        <= 0.02 * size
    )
    if near:
        # A small change is one step, most times.
        system.targets = drawn + change
        solution = newton(system, x, most=most)
        if solution.holds and solution.bend <= _MOST_BEND:
            return solution
        steps = solution.steps
        system.targets = drawn
    # Dimensions as drawn, and everything else made to hold; then they are measured anew from there.
    first = _without(system, change != 0)(start)
    steps += first.steps
    if not first.holds:
        return _all_led(system, drawn + change, start, smallest, most, steps, watch)
    x = first.x
    watch.saw(x)
    measured = drawn + (system.residuals(x) + system.targets - drawn)
    moving = change != 0
    change = change.copy()
    change[moving] += (drawn - measured)[moving]
    drawn = np.where(moving, measured, drawn)
    while done < 1.0:
        share = min(share, 1.0 - done)
        system.targets = drawn + change * (done + share)
        solution = newton(system, x, most=most)
        steps += solution.steps
        leapt = solution.bend > _MOST_BEND and share > smallest * 4
        if solution.holds and not leapt:
            x, done = solution.x, done + share
            watch.saw(x)
            share *= 2 if solution.steps <= 4 else 1
        elif share <= smallest:
            # Dimensions that say the same in different terms agree at both ends of the way, not on
            # it.
            system.targets = drawn + change
            # Nor does every demand that only just touches hold on the way.
            for place in (x, start):
                whole = newton(system, place, most=most)
                steps += whole.steps
                if whole.holds:
                    return whole
            return Solution(x, False, solution.residuals, done, steps)
        else:
            share /= 4 if not solution.holds else 2
    return Solution(x, True, system.residuals(x), 1.0, steps)


def _all_led(
    system: System,
    final: Floats,
    start: Floats,
    smallest: float,
    most: int,
    steps: int,
    watch: Watch,
) -> Solution:
    """Lead every equation from the value it has at the start to the one it must have.

    For a drawing that something else has moved far, such as a curve whose formula has other sizes
    now.
    """
    system.targets = final
    off = system.residuals(start)
    x, done, share = start, 0.0, 0.25
    while done < 1.0:
        share = min(share, 1.0 - done)
        system.targets = final + (1.0 - done - share) * off
        solution = newton(system, x, most=most)
        steps += solution.steps
        if solution.holds and (solution.bend <= _MOST_BEND or share <= smallest * 4):
            x, done = solution.x, done + share
            watch.saw(x)
            share *= 2 if solution.steps <= 4 else 1
        elif share <= smallest:
            system.targets = final
            return Solution(x, False, system.residuals(x), done, steps)
        else:
            share /= 4 if not solution.holds else 2
    system.targets = final
    return Solution(x, True, system.residuals(x), 1.0, steps)


def _without(system: System, loose: NDArray[np.bool_]) -> Callable[[Floats], Solution]:
    """A Newton solve in which some dimensions keep whatever value they come to."""

    def run(x: Floats) -> Solution:
        names = {system.owners[row] for row in np.flatnonzero(loose)}
        if not names:
            return newton(system, x)
        drawing = system.drawing.model_copy(
            update={
                "dimensions": tuple(d for d in system.drawing.dimensions if d.name not in names)
            }
        )
        base = System(drawing, system.shapes)
        keep = [row for row, owner in enumerate(system.owners) if owner not in names]
        base.targets = system.targets[keep]
        # Both number the variables alike: dimensions bring none.
        return newton(base, x)

    return run
