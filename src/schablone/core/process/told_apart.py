"""Fits that a machine can tell apart: gaps so far from each other that what is meant to slide does
slide, though the machine is not the same every day."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from ..formula.habits import FITS
from ..quantity import plain
from ..words import listed
from .calibrate import slopes
from .fits import WIDEST, Fits
from .known import NoiseKind, Spread
from .model import Process, State
from .priors import PRIORS
from .sure import HOLDS_95, mean_and_days

#: The size that gaps are looked at where they are the same for every size, mm.
_SIZE = 10.0
#: A gap that is less sure than this, mm, asks for another test piece, not for more room.
_MOST = 0.25
#: What makes a fit, and how that scatters.
_SIDES: tuple[tuple[str, str, NoiseKind], ...] = (
    ("hole", "peg", "round"),
    ("opening", "length", "straight"),
)


def gap_within(process: Process) -> float | None:
    """How far the gap between two sides that this machine makes at once lies from what is expected
    in 95 of 100 cases, mm; None for one that makes no fits, or of whose kind nothing is known.

    A day on which holes come out narrow is one on which pegs come out thick, so a gap scatters by
    up to twice as much as a size.
    """
    if process.kind not in PRIORS or process.family == "fold":
        return None
    size = process.fits.reference or _SIZE
    widest = 0.0
    for spread in _spreads(process):
        for inside, outside, noise in _SIDES:
            a, b = (slopes(side, size, "", process.kind) for side in (inside, outside))
            names = tuple(dict.fromkeys([*a, *b]))
            way = np.array([a.get(name, 0.0) - b.get(name, 0.0) for name in names])
            mean, days = mean_and_days(process, names, spread)
            single = PRIORS[process.kind].noise[noise]
            if spread is not None:
                single = spread.noise.get(noise, single)
            variance = float(way @ (mean + days) @ way) + 2 * single**2
            widest = max(widest, math.sqrt(max(variance, 0.0)))
    return HOLDS_95 * widest


def _spreads(process: Process) -> list[Spread | None]:
    """What is known of how pieces differ, of each sheet that a laser was calibrated in."""
    if process.kind != "laser or knife":
        return [process.spread]
    return [kerf.spread for kerf in process.kerfs if kerf.spread is not None] or [None]


def not_told_apart(process: Process) -> list[tuple[str, str]]:
    """Neighbouring fits that lie so near to each other that a gap comes out nearer to the other one
    in more than 5 of 100 cases."""
    within = gap_within(process)
    if within is None:
        return []
    return [
        (tight, wide)
        for tight, wide in pairwise(FITS)
        if _gap(process, wide) - _gap(process, tight) < 2 * within - 1e-9
    ]


def spaced(process: Process) -> Fits:
    """The fits of a process so that its machine can tell them apart as far as that makes sense.

    What slides and what is loose gets more room. *Press* and *push* stay: more than a part can give
    way by, no gap may be below nothing. All grow with the size, as deviations of a machine do and
    as what gives way does: the gap is that at 10 mm, in whole hundredths of a millimetre, and
    smaller sizes are told apart less well. Fits that would need more than :data:`WIDEST` stay.
    """
    within = gap_within(process)
    if within is None:
        return process.fits
    step = math.ceil(200 * within - 1e-6) / 100
    gaps = {fit: _gap(process, fit) for fit in FITS}
    for tight, wide in pairwise(FITS[1:]):
        gaps[wide] = max(gaps[wide], round(gaps[tight] + step, 2))
    if gaps["loose"] > WIDEST:
        return process.fits
    return process.fits.with_(**gaps, reference=process.fits.reference or _SIZE)


def spacing(process: Process) -> dict[str, float]:
    """What :func:`spaced` changes of the fits of a calibrated process, mm; nothing of one that was
    not measured, or so little that room for what is not known of it would be no fit."""
    within = gap_within(process)
    if within is None or within > _MOST or all(one is None for one in _spreads(process)):
        return {}
    fits = spaced(process)
    names = (*FITS, "reference")
    return {name: new for name in names if (new := getattr(fits, name)) != _gap(process, name)}


def with_spacing(process: Process, date: str) -> Process:
    """The process with what :func:`spacing` changes as its new state of a day; the state before
    stays at hand. Nothing was measured for it, so nothing says that it was, nor that a gap is still
    the one that was found by hand."""
    moved = {f"fits.{name}" for name in spacing(process)}
    known = {name: one for name, one in process.known.items() if name not in moved}
    history = (*process.history, State.of(process))
    return process.with_(fits=spaced(process), known=known, date=date, history=history)


def say_spacing(process: Process) -> str:
    """What :func:`spacing` does, and why, in words; empty where it does nothing."""
    changes, within = spacing(process), gap_within(process)
    if not changes or within is None:
        return ""
    told = [
        f"{fit} becomes {_signed(changes[fit])} mm instead of {_signed(_gap(process, fit))}"
        for fit in FITS
        if fit in changes
    ]
    told += ["all grow with the size"] if "reference" in changes else []
    said = f"A gap between two sides that it makes comes out within ± {plain(within, 2)} mm. "
    size = plain(process.fits.reference or _SIZE)
    said += f"So that each fit of {size} mm comes out as itself, {listed(told)}."
    made = process.with_(fits=spaced(process))
    if ("press", "push") in not_told_apart(made):
        said += " Press and push lie nearer than that, and may come out as one another."
    return said


def _gap(process: Process, fit: str) -> float:
    return float(getattr(process.fits, fit))


def _signed(gap: float) -> str:
    return plain(gap, 2).replace("-", "−")
