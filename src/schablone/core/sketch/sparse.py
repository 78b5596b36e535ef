"""What sketches need of SciPy, loaded when the first large one is solved: the window is up sooner
without it, and small ones do with NumPy."""

from __future__ import annotations

from functools import cache
from types import ModuleType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

#: Up to so many things that hang together it takes less to look through them by hand than to load
#: what does it for many.
_FEW = 1000
#: Up to so many equations NumPy is as fast as SciPy.
_FEW_ROWS = 16


class Sparse(NamedTuple):
    """SciPy's modules for matrices, dense and sparse."""

    dense: ModuleType
    sparse: ModuleType
    solving: ModuleType
    graphs: ModuleType


@cache
def scipy() -> Sparse:
    """The modules, loaded once."""
    import scipy.linalg
    import scipy.sparse
    import scipy.sparse.csgraph
    import scipy.sparse.linalg

    return Sparse(scipy.linalg, scipy.sparse, scipy.sparse.linalg, scipy.sparse.csgraph)


def clusters(count: int, ones: Ints, others: Ints) -> Ints:
    """For each of ``count`` things the number of the cluster it is in, from 0, (count,): each of
    ``ones`` hangs together with that of ``others`` that has its place."""
    if count > _FEW:
        graph = scipy().sparse.coo_matrix(
            (np.ones(len(ones)), (ones, others)), shape=(count, count)
        )
        labels: Ints = scipy().graphs.connected_components(graph, directed=False)[1]
        return labels
    first = np.arange(count)  # the first that each is known to hang together with
    while True:
        low = np.minimum(first[ones], first[others])
        before = first.copy()
        np.minimum.at(first, ones, low)
        np.minimum.at(first, others, low)
        first = first[first]
        if (first == before).all():
            break
    return np.unique(first, return_inverse=True)[1]


def solved(product: Floats, right: Floats) -> Floats:
    """The solution y (n,) of P y = r for a dense P (n, n), symmetric.

    Raises:
        numpy.linalg.LinAlgError: where P is not positive definite.
    """
    if len(right) > _FEW_ROWS:
        ways = scipy().dense
        factors = ways.cho_factor(product, check_finite=False)
        answer: Floats = ways.cho_solve(factors, right, check_finite=False)
    else:
        np.linalg.cholesky(product)  # says so where it is not positive definite
        answer = np.asarray(np.linalg.solve(product, right), dtype=float)
    return answer
