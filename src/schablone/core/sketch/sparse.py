"""What sketches need of SciPy, loaded when the first one is solved: the window is up sooner without
it."""

from __future__ import annotations

from functools import cache
from types import ModuleType
from typing import NamedTuple


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
