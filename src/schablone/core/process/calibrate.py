"""Calibration: from caliper readings of a test piece to the figures of a process, and how well they are known.

What comes off a printer is modelled as ``m = d (1 − s) + gain``: a length shrinks by its share ``s``, along x and y or
along z; an outside gains a constant, a hole another, and round ones ``small / d`` on top. What is cut is modelled by the kerf alone:
openings come out wider by it, what falls out narrower; a round cutter of diameter ``c`` makes the way from corner to corner of a square
opening shorter by ``(√2 − 1) c``. Which of the optional terms are used is
chosen by leave-one-out: a term that does not predict left-out readings better is not used (D. M. Allen, The relationship
between variable selection and data augmentation and a method for prediction, Technometrics 16, 1974). The fit is robust
(Huber's loss, by reweighting), so that a slipped reading does not pull it.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from .model import CALIBRATED, Covariance, Kerf, Known, Process, State

Floats = NDArray[np.float64]
Feature = Literal["hole", "peg", "length", "height", "opening", "diagonal"]

#: What people may leave out, and the least number of different sizes of what must be measured for it.
_OPTIONAL = {
    "shrinkage_xy": ("length", 2),
    "shrinkage_z": ("height", 2),
    "hole_small": ("hole", 3),
    "peg_small": ("peg", 3),
}
#: A reading further than this from its drawn size, as a share and in mm, has slipped.
_SLIPPED = (0.15, 1.0)
#: The share for a way from corner to corner, where a cutter may well leave a third of it.
_SLIPPED_DIAGONAL = 0.4
#: Residuals further than so many standard deviations out are shown as outliers.
_OUT = 4.0
#: Where Huber's loss turns from square to straight, in standard deviations.
_HUBER = 1.345


@dataclass(frozen=True, slots=True)
class Reading:
    """One reading: what was measured, its size as it was sent to the machine, and the caliper's figure, mm."""

    feature: Feature
    drawn: float
    measured: float
    label: str = ""


@dataclass(frozen=True, slots=True)
class Calibration:
    """What readings say about a process.

    ``figures`` are those of the process that they fix; ``covariance`` is theirs, in the order of ``names``; ``noise`` is
    the standard deviation of a feature about the model, mm, with so many degrees ``free``. ``predicted`` and ``residuals`` go with the readings used;
    ``slipped`` and ``outliers`` are numbers of readings. ``told`` says in words what is missing or odd.
    """

    names: tuple[str, ...]
    figures: Mapping[str, float]
    covariance: Floats
    noise: float
    free: float
    readings: tuple[Reading, ...]
    predicted: Floats
    residuals: Floats
    slipped: frozenset[int]
    outliers: frozenset[int]
    left_out: Mapping[tuple[str, ...], float] = field(default_factory=dict)
    told: tuple[str, ...] = ()

    def uncertainty(self, name: str) -> float:
        """The standard uncertainty of a figure."""
        k = self.names.index(name)
        return float(np.sqrt(self.covariance[k, k]))

    @property
    def factor(self) -> float:
        """How many standard uncertainties hold 95 of 100 (Student's t)."""
        from scipy.stats import t

        return float(t.ppf(0.975, max(1.0, self.free)))

    def measured_between(self) -> dict[str, tuple[float, float]]:
        """The smallest and largest size that was measured of each kind of feature, mm."""
        kinds = {r.feature for r in self.readings}
        sizes = {kind: [r.drawn for r in self.readings if r.feature == kind] for kind in sorted(kinds)}
        return {kind: (round(min(all_), 4), round(max(all_), 4)) for kind, all_ in sizes.items()}

    def band(self, feature: Feature, drawn: Floats) -> tuple[Floats, Floats]:
        """What is predicted for sizes, and its standard uncertainty, mm; without the noise of a single piece."""
        rows = np.array([_row(feature, d, self.names) for d in drawn])
        values = np.array([self.figures[name] for name in self.names])
        return drawn + rows @ values, np.sqrt(np.einsum("ij,jk,ik->i", rows, self.covariance, rows))


def _row(feature: str, drawn: float, names: Sequence[str]) -> list[float]:
    """How what is measured less what was drawn depends on each figure."""
    terms = {
        "shrinkage_xy": -drawn / 100 if feature != "height" else 0.0,
        "shrinkage_z": -drawn / 100 if feature == "height" else 0.0,
        "hole_gain": 1.0 if feature in ("hole", "opening") else 0.0,
        "hole_small": 1.0 / drawn if feature == "hole" else 0.0,
        "peg_gain": 1.0 if feature in ("peg", "length") else 0.0,
        "peg_small": 1.0 / drawn if feature == "peg" else 0.0,
        "height_gain": 1.0 if feature == "height" else 0.0,
        "kerf": {"hole": 1.0, "opening": 1.0, "diagonal": math.sqrt(2)}.get(feature, -1.0),
        "cutter": 1 - math.sqrt(2) if feature == "diagonal" else 0.0,
    }
    return [terms[name] for name in names]


def calibrate(readings: Sequence[Reading], *, cut: bool = False) -> Calibration:
    """Fit the figures of a process that prints, or with ``cut`` of one that cuts, to readings.

    Raises:
        ValueError: where there are too few readings to say anything.
    """
    slipped = frozenset(k for k, r in enumerate(readings) if _has_slipped(r))
    used = [(k, r) for k, r in enumerate(readings) if k not in slipped]
    prints = (("hole_gain", ("hole", "opening")), ("peg_gain", ("peg", "length")), ("height_gain", ("height",)))
    cuts = (("kerf", ("hole", "opening", "peg", "length")), ("cutter", ("diagonal",)))
    base = [name for name, kinds in (cuts if cut else prints) if any(r.feature in kinds for _, r in used)]
    told = [
        f"{readings[k].label or readings[k].feature} {readings[k].drawn:g} mm was read as {readings[k].measured:g} mm: "
        "a slipped point or another feature? It is left out."
        for k in sorted(slipped)
    ]
    if len(used) < len(base) + 2 or not base:
        raise ValueError(
            f"{len(used)} usable readings are too few; measure at least {len(base) + 2 or 3}, each feature twice"
        )
    terms = {} if cut else _OPTIONAL
    optional = [name for name, (kind, least) in terms.items() if _sizes(used, kind) >= least]
    for name in [name for name in terms if name not in optional]:
        kind, least = _OPTIONAL[name]
        told.append(f"{_WORDS[name]} cannot be told: measure at least {least} different {_PLURAL[kind]}.")
    # Readings of one feature share what the machine did to that feature: each feature counts once, with their middle.
    features: dict[tuple[str, float, str], list[Reading]] = {}
    for _, r in used:
        features.setdefault((r.feature, round(r.drawn, 4), r.label), []).append(r)
    firsts = [many[0] for many in features.values()]
    y = np.array([float(np.median([r.measured for r in many])) - many[0].drawn for many in features.values()])
    left_out: dict[tuple[str, ...], float] = {}
    best: tuple[float, tuple[str, ...]] | None = None
    for count in range(len(optional) + 1):
        for more in itertools.combinations(optional, count):
            names = (*base, *more)
            rows = np.array([_row(r.feature, r.drawn, names) for r in firsts])
            if len(firsts) < len(names) + 1 or np.linalg.matrix_rank(rows) < len(names):
                continue
            score = _press(rows, y)
            left_out[names] = score
            # A further term must be worth it: a hair's breadth is chance.
            if best is None or score < best[0] * 0.94:
                best = (score, names)
    if best is None:
        raise ValueError(f"{len(firsts)} different features are too few; measure at least {len(base) + 1}")
    names = best[1]
    rows = np.array([_row(r.feature, r.drawn, names) for r in firsts])
    values, weights = _robust(rows, y)
    # Scale and covariance of Huber's estimate (P. J. Huber, Robust Statistics, 1981, section 7.6).
    free = max(1.0, float(len(firsts) - len(names)))
    pulled = weights * (y - rows @ values)
    inside = max(0.25, float((weights > 1 - 1e-9).mean()))
    few = 1 + len(names) / len(firsts) * (1 - inside) / inside
    noise = max(few * float(np.sqrt((pulled**2).sum() / free)) / inside, 1e-4)
    covariance = noise**2 * np.linalg.inv(rows.T @ rows)
    each = np.array([_row(r.feature, r.drawn, names) for _, r in used])
    drawn = np.array([r.drawn for _, r in used])
    residuals = np.array([r.measured for _, r in used]) - drawn - each @ values
    outliers = frozenset(k for (k, _), e in zip(used, residuals, strict=True) if abs(e) > _OUT * noise)
    told += [
        f"{readings[k].label or readings[k].feature} {readings[k].drawn:g} mm lies far off the others."
        for k in sorted(outliers)
    ]
    figures = dict(zip(names, values.tolist(), strict=True))
    return Calibration(
        names, figures, covariance, noise, free, tuple(r for _, r in used), drawn + each @ values, residuals, slipped,
        outliers, left_out, tuple(told),
    )  # fmt: skip


_WORDS = {
    "shrinkage_xy": "The shrinkage in x and y", "shrinkage_z": "The shrinkage in z", "hole_small": "What small holes lose on top",
    "peg_small": "What small pegs gain on top",
}  # fmt: skip
_PLURAL = {"length": "lengths", "height": "heights", "hole": "holes", "peg": "pegs"}


def _sizes(used: Sequence[tuple[int, Reading]], kind: str) -> int:
    """How many different sizes of a kind there are; pegs tell of lengths too."""
    kinds = ("length", "peg") if kind == "length" else (kind,)
    return len({round(r.drawn, 3) for _, r in used if r.feature in kinds})


def _has_slipped(reading: Reading) -> bool:
    share, least = _SLIPPED
    if reading.feature == "diagonal":
        share = _SLIPPED_DIAGONAL
    off = abs(reading.measured - reading.drawn)
    return not np.isfinite(reading.measured) or reading.measured <= 0 or off > max(least, share * reading.drawn)


def _press(rows: Floats, y: Floats) -> float:
    """The mean square of what each reading is mispredicted by when it is left out, from one robustly weighted fit."""
    values, weights = _robust(rows, y)
    root = np.sqrt(weights)
    hat = np.einsum("ij,ji->i", root[:, None] * rows, np.linalg.pinv(root[:, None] * rows))
    errors = (y - rows @ values) / np.maximum(1 - hat, 1e-9)
    return float((weights * errors**2).sum() / weights.sum())


def _robust(rows: Floats, y: Floats) -> tuple[Floats, Floats]:
    """Huber's estimate by reweighted least squares; values and the weights it ends with."""
    weights: Floats = np.ones(len(y))
    values: Floats = np.asarray(np.linalg.lstsq(rows, y, rcond=None)[0], dtype=np.float64)
    # Fitted values take up part of the spread, and with few features the iteration can creep into fitting some of them
    # exactly: the spread is widened for the first, and for the second never falls below what it began with.
    widen = 1.4826 * (1 + 5 / len(y)) * math.sqrt(len(y) / max(1, len(y) - rows.shape[1]))
    least = 1e-6
    for turn in range(50):
        residuals = y - rows @ values
        spread = max(widen * float(np.median(np.abs(residuals - np.median(residuals)))), least)
        if turn == 0:
            least = spread
        weights = np.minimum(1.0, _HUBER * spread / np.maximum(np.abs(residuals), 1e-12)).astype(np.float64)
        root = np.sqrt(weights)
        fresh = np.asarray(np.linalg.lstsq(root[:, None] * rows, root * y, rcond=None)[0], dtype=np.float64)
        if float(np.abs(fresh - values).max()) < 1e-12:
            break
        values = fresh
    return values, weights


def calibrated(process: Process, found: Calibration, date: str) -> Process:
    """The process with what a calibration fixes, as its new state; the one before goes to its history.

    Raises:
        pydantic.ValidationError: where a figure is beyond what a machine of this kind does.
    """
    known = dict(process.known)
    changes: dict[str, float] = {}
    for name in CALIBRATED:
        if name in found.figures:
            changes[name] = round(found.figures[name], 5)
            known[name] = Known(
                source="calibrated",
                uncertainty=round(found.uncertainty(name), 6),
                date=date,
                readings=len(found.readings),
            )
        elif name in ("hole_small", "peg_small", "shrinkage_xy", "shrinkage_z") and found.figures:
            # Looked for and not found: it is nothing, as far as the readings tell.
            changes[name] = 0.0
            known.pop(name, None)
    kept = [name for name in found.names if name in CALIBRATED]
    at = [found.names.index(name) for name in kept]
    rows = found.covariance[np.ix_(at, at)].tolist()
    covariance = Covariance(names=tuple(kept), rows=tuple(tuple(row) for row in rows))
    return process.with_(
        **changes, known=known, covariance=covariance, noise=round(found.noise, 6), date=date,
        measured=found.measured_between(),
        history=(*process.history, State.of(process)),
    )  # fmt: skip


def calibrated_cut(process: Process, found: Calibration, date: str, material: str, thickness: float) -> Process:
    """A process that cuts, with the kerf that a calibration gives for a material and thickness; a router with what its
    path gains, and with its cutter where that was measured."""
    kerf = round(found.figures["kerf"], 5)
    known = dict(process.known)

    def mark(name: str, figure: str) -> None:
        sure = round(found.uncertainty(figure), 6)
        known[name] = Known(source="calibrated", uncertainty=sure, date=date, readings=len(found.readings))

    changes: dict[str, object] = {}
    if process.kind == "router":
        changes["path_gain"] = -kerf
        mark("path_gain", "kerf")
        if "cutter" in found.figures:
            changes["cutter"] = round(found.figures["cutter"], 5)
            mark("cutter", "cutter")
    else:
        others = (k for k in process.kerfs if (k.material, k.thickness) != (material, thickness))
        kerfs = (*others, Kerf(material=material, thickness=thickness, kerf=kerf))
        changes["kerfs"] = tuple(sorted(kerfs, key=lambda k: (k.material, k.thickness)))
        mark("kerf", "kerf")
    return process.with_(
        **changes, known=known, noise=round(found.noise, 6), date=date, history=(*process.history, State.of(process)),
        measured=found.measured_between(),
    )  # fmt: skip


def calibrated_fits(process: Process, gaps: Mapping[str, float], date: str) -> Process:
    """The process with gaps of fits that were found by hand, as its new state.

    Raises:
        pydantic.ValidationError: where they get tighter from press to loose.
    """
    mark = Known(source="calibrated", date=date, readings=1)
    known = {**process.known, **{f"fits.{fit}": mark for fit in gaps}}
    fits = process.fits.with_(**gaps)
    return process.with_(fits=fits, known=known, date=date, history=(*process.history, State.of(process)))
