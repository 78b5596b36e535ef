"""How sure what is expected of a process is: of the machine on the whole, and of the next piece
that it makes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .known import Covariance, NoiseKind, Spread
from .model import Process
from .priors import PRIORS

Floats = NDArray[np.float64]

#: How many standard uncertainties hold 95 of 100.
HOLDS_95 = 1.96


def holds_95(freedom: float) -> float:
    """The same for Student's t with so many degrees of freedom."""
    from scipy.special import stdtrit  # here: most parts are never folded

    return float(stdtrit(freedom, 0.975))


#: How unevenly lengths shrink, in percent.
UNEVEN = 0.02
#: What a figure of the priors is called in a process of a kind.
_CALLED = {"router": {"kerf": "path_gain"}}


@dataclass(frozen=True, slots=True)
class Sure:
    """Standard uncertainties of an expected size, mm: ``mean``, whether the correction holds;
    ``piece``, where the next piece will lie. ``measured``: whether the figures that it hangs on
    were measured on this machine; else they are as wide as machines of its kind differ."""

    mean: float
    piece: float
    measured: bool


def sure_of(
    process: Process,
    slopes: Mapping[str, float],
    size: float,
    spread: Spread | None,
    noise: NoiseKind,
) -> Sure:
    """How sure a size of ``size`` mm is that changes with the figures of a process by ``slopes``.
    ``spread`` is what a calibration found, of the process or of the sheet; ``noise``: whether it is
    ``round``, ``straight`` or a ``height``."""
    if process.kind not in PRIORS or not slopes:
        return Sure(0.0, 0.0, True)
    prior, names = PRIORS[process.kind], tuple(slopes)
    way = np.array([slopes[name] for name in names])
    mean, days = mean_and_days(process, names, spread)
    single = prior.noise[noise]
    if spread is not None:
        single = spread.noise.get(noise, single)
    of_mean = float(way @ mean @ way)
    uneven = 0.0 if noise == "height" or process.family == "cut" else UNEVEN / 100 * size
    of_piece = of_mean + float(way @ days @ way) + single**2 + uneven**2
    told = set(spread.mean.names) if spread else set()
    stated = {name for name in names if _called(process, name) in process.known}
    acting = {name for name in names if abs(slopes[name]) > 0 and name not in prior.allowed}
    return Sure(
        math.sqrt(max(of_mean, 0.0)), math.sqrt(max(of_piece, 0.0)), acting <= told | stated
    )


def mean_and_days(
    process: Process, names: tuple[str, ...], spread: Spread | None
) -> tuple[Floats, Floats]:
    """Covariances (n, n) of figures of a process: by how much the machine is not known, and how it
    differs from day to day."""
    prior = PRIORS[process.kind]
    _, mean = prior.moments(names)
    told = set(spread.mean.names) if spread else set()
    for k, name in enumerate(names):
        known = process.known.get(_called(process, name))
        if name not in told and known is not None and known.uncertainty > 0:
            mean[k, :] = mean[:, k] = 0.0
            mean[k, k] = known.uncertainty**2
    days = prior.day_to_day(names)
    if spread is not None:
        _put(mean, names, spread.mean)
        _put(days, names, spread.days)
    return mean, days


def _called(process: Process, name: str) -> str:
    return _CALLED.get(process.kind, {}).get(name, name)


def _put(matrix: Floats, names: tuple[str, ...], known: Covariance) -> None:
    """Replace what a covariance tells; what it tells nothing of has nothing in common with it."""
    inside = [name in known.names for name in names]
    matrix[np.ix_(inside, [not one for one in inside])] = 0.0
    matrix[np.ix_([not one for one in inside], inside)] = 0.0
    for i, one in enumerate(names):
        for j, other in enumerate(names):
            if inside[i] and inside[j]:
                matrix[i, j] = known.rows[known.names.index(one)][known.names.index(other)]
