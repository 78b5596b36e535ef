"""What is still loose, what is said twice, and what cannot hold together."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .drawing import Drawing
from .formula_curve import ChebyshevCurve
from .solve import solve
from .sparse import scipy
from .system import CannotHold, System
from .variables import dense

Floats = NDArray[np.float64]

#: Singular directions below this share of the largest are none.
_RANK = 1e-8

#: How many times a conflict may be tried to make it smaller.
_MOST_TRIALS = 80
#: So many steps of solving a search for what is at odds may take.
_MOST_STEPS = 3000


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """The state of a drawing that holds.

    ``freedoms`` counts the independent ways in which it can still move; ``motions`` (freedoms, n)
    gives one small movement of all variables for each, the largest share 1 mm; ``loose`` names the
    elements that can move; ``directions`` gives for each loose point the unit vectors along which
    it can; ``redundant`` names constraints and dimensions that say what the earlier ones say
    already.
    """

    freedoms: int
    motions: Floats
    loose: frozenset[str]
    directions: Mapping[str, tuple[tuple[float, float], ...]]
    redundant: tuple[str, ...]


def diagnose(system: System, x: Floats) -> Diagnosis:
    """Look at the equations about a solution ``x``.

    The rank of each cluster's derivatives comes from a QR factorisation with column pivoting, which
    also gives the null space (G. Golub, C. Van Loan, Matrix Computations, 5.4). Takes O(n³) for the
    largest cluster of n variables. At a drawing with a special coincidence of place (three centres
    in line, say) the rank may be below that of its neighbours, and is the one that is reported.
    """
    _, jac = system.linearised(x)
    slopes = dense(jac)
    norms = np.linalg.norm(slopes, axis=1)
    slopes = slopes / np.where(norms > 0, norms, 1.0)[:, None]
    motions: list[Floats] = []
    dependent: list[int] = []
    columns = system.columns
    for cluster in np.unique(system.cluster_of_column):
        cols = np.flatnonzero(system.cluster_of_column == cluster)
        rows = np.flatnonzero(system.cluster_of_row == cluster)
        part = slopes[np.ix_(rows, cols)]
        basis, rank = _null_space(part)
        for vector in _sparse_basis(basis).T:
            whole = np.zeros(len(x))
            whole[columns[cols]] = vector / np.abs(vector).max()
            motions.append(whole)
        if rank < len(rows):
            dependent += [int(rows[i]) for i in _dependent_rows(part)]
    # Rows about fixed things only, such as a distance between the origin and an axis.
    lone = np.setdiff1d(system.cluster_of_row, system.cluster_of_column)
    dependent += [row for row in range(system.rows) if system.cluster_of_row[row] in lone]
    moves = np.array(motions).reshape(len(motions), len(x))
    return Diagnosis(
        len(motions),
        moves,
        _loose(system, moves),
        _directions(system, moves),
        _said_twice(system, dependent),
    )


def _null_space(part: Floats) -> tuple[Floats, int]:
    """Orthonormal basis (n, n − rank) of what the rows leave free, and the rank."""
    rows, cols = part.shape
    if rows == 0:
        return np.eye(cols), 0
    q, r, _ = scipy().dense.qr(part.T, pivoting=True, check_finite=False)
    pivots = np.abs(np.diag(r))
    rank = int((pivots > _RANK * max(1.0, pivots[0])).sum())
    return np.asarray(q[:, rank:], dtype=np.float64), rank


def _sparse_basis(basis: Floats) -> Floats:
    """The same space by vectors with few entries, so that each motion is one that people
    recognise."""
    count = basis.shape[1]
    if count == 0:
        return basis
    # Rows that stand for the space best; in their terms each vector moves one of them and not the
    # others.
    _, _, order = scipy().dense.qr(basis.T, pivoting=True, check_finite=False)
    reduced = basis @ np.linalg.inv(basis[order[:count]])
    reduced[np.abs(reduced) < 1e-9] = 0.0
    return reduced


def _dependent_rows(part: Floats) -> list[int]:
    """Rows that the rows before them already span, in order (Gram–Schmidt, each row twice)."""
    basis = np.zeros((0, part.shape[1]))
    dependent = []
    for i, row in enumerate(part):
        rest = row - basis.T @ (basis @ row)
        rest -= basis.T @ (basis @ rest)
        length = float(np.linalg.norm(rest))
        if length <= 1e-7:
            dependent.append(i)
        else:
            basis = np.vstack([basis, rest / length])
    return dependent


def _said_twice(system: System, dependent: Sequence[int]) -> tuple[str, ...]:
    """Constraints all of whose equations are dependent."""
    rows = set(dependent)
    counts: dict[str, list[int]] = {}
    for row, owner in enumerate(system.owners):
        counts.setdefault(owner, []).append(row)
    rules = {rule.name for rule in system.drawing.rules}
    return tuple(name for name, mine in counts.items() if name in rules and rows.issuperset(mine))


def _loose(system: System, motions: Floats) -> frozenset[str]:
    """Elements of which a variable, or a point that they are drawn between, can move."""
    moves = (
        np.abs(motions).max(axis=0, initial=0.0) > 1e-7
        if len(motions)
        else np.zeros(len(system.start), bool)
    )
    loose = {
        name
        for (name, _), can in zip(system.variables, moves, strict=True)
        if can and name in system.elements
    }
    for curve in system.drawing.curves:
        if not loose.isdisjoint(curve.uses()):
            loose.add(curve.name)
    return frozenset(loose)


def _directions(system: System, motions: Floats) -> dict[str, tuple[tuple[float, float], ...]]:
    directions = {}
    for point in system.drawing.points:
        ix, iy = system.xy(point.name)
        if not len(motions):
            continue
        values, vectors = np.linalg.eigh(motions[:, [ix, iy]].T @ motions[:, [ix, iy]])
        top = float(values[-1])
        if top <= 1e-12:
            continue
        along = [i for i in (1, 0) if values[i] > 1e-10 * top]
        directions[point.name] = (
            ((1.0, 0.0), (0.0, 1.0))
            if len(along) == 2
            else tuple((float(vectors[0, i]), float(vectors[1, i])) for i in along)
        )
    return directions


def conflict(
    drawing: Drawing,
    values: Mapping[str, float],
    shapes: Mapping[str, tuple[ChebyshevCurve, float]],
) -> tuple[str, ...]:
    """The smallest set of constraints and dimensions that cannot hold together, by name; empty
    where all hold.

    By dividing (U. Junker, QuickXplain: preferred explanations and relaxations for over-constrained
    problems, AAAI 2004): what is left cannot spare any of its members. Earlier constraints are kept
    in preference, so the one that was added last is among them.
    """
    names = [rule.name for rule in drawing.rules if not getattr(rule, "reads", False)]
    trials, work = 0, _Work()

    def holds(kept: Sequence[str]) -> bool:
        nonlocal trials
        trials += 1
        if trials > _MOST_TRIALS:
            return True
        return _holds(_only(drawing, frozenset(kept)), values, shapes, work)

    if _holds(drawing, values, shapes, work, tries=3):
        return ()
    system = System(drawing, shapes)
    bad = solve(system, values)
    # Only clusters that are off can be to blame.
    off = set(system.cluster_of_row[np.abs(bad.residuals) > 1e-7 * system.size].tolist())
    off |= system.clusters_of(bad.lost)
    owners = {system.owners[row] for row in range(system.rows) if system.cluster_of_row[row] in off}
    suspects = [name for name in names if name in owners]
    culprits = _explain([], suspects, False, holds) if suspects else []
    if _holds(_only(drawing, frozenset(culprits)), values, shapes, work, tries=5):
        # They do hold together, only from here no way leads there; or finding out takes too long:
        # all that is off is all that can be said.
        return tuple(suspects)
    return tuple(culprits)


class _Work:
    """Counts the steps of solving that a search takes, those of large drawings for more; done after
    a second or two of a processor."""

    def __init__(self) -> None:
        self.steps = 0.0

    @property
    def is_done(self) -> bool:
        return self.steps > _MOST_STEPS

    def count(self, steps: int, rows: int) -> None:
        self.steps += steps * (1 + rows / 100)


def _explain(
    background: list[str], suspects: list[str], added: bool, holds: Callable[[Sequence[str]], bool]
) -> list[str]:
    if added and not holds(background):
        return []
    if len(suspects) == 1:
        return suspects
    half = len(suspects) // 2
    first, second = suspects[:half], suspects[half:]
    late = _explain(background + first, second, bool(first), holds)
    early = _explain(background + late, first, bool(late), holds)
    return early + late


def _only(drawing: Drawing, names: frozenset[str]) -> Drawing:
    return drawing.model_copy(
        update={
            "constraints": tuple(c for c in drawing.constraints if c.name in names),
            "dimensions": tuple(d for d in drawing.dimensions if d.name in names),
        }
    )


def _holds(
    drawing: Drawing,
    values: Mapping[str, float],
    shapes: Mapping[str, tuple[ChebyshevCurve, float]],
    work: _Work,
    tries: int = 1,
) -> bool:
    """Whether all of it can hold: from where it is drawn, and with more tries from places a little
    aside. It counts as holding where there is no time left to find out."""
    try:
        system = System(drawing, shapes)
        for number in range(tries):
            if work.is_done:
                return True
            aside = (
                np.random.default_rng(number).normal(0, 0.1 * system.size, len(system.start))
                * system.free
            )
            place = system.start + aside if number else None
            solution = solve(system, values, place, patient=number > 0)
            work.count(system.looks, system.rows)
            system.looks = 0
            if solution.holds:
                return True
        return False
    except CannotHold:
        return False
