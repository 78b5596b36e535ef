"""Calibration: from caliper readings of pieces to the figures of a process, and how well they are
known.

A Bayesian linear model. What was read less what was drawn is the sum of what the figures do (a
length shrinks by its share, walls stand out, small holes close up, a cut takes its width), of what
the day and the piece did, of what the caliper does (its zero, the pressure of a hand, the flats of
its jaws in a hole), and of noise that has long tails (Student's t), so that a slipped reading pulls
little. Every term is kept; what the readings do not tell stays as wide as it was known before
(:mod:`.priors`). The noise is not known either: all is averaged over a grid of it, at each node by
the mode and its curvature (Laplace's approximation; K. L. Lange, R. J. A. Little and J. M. G.
Taylor, Robust statistical modeling using the t distribution, Journal of the American Statistical
Association 84, 1989, for the weights).
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .known import FeatureKind, NoiseKind
from .priors import NOISES, PRIORS, Prior, noise_of
from .readings import FeatureMean, MadePiece, Reading, in_inches, rows_of
from .sure import HOLDS_95, UNEVEN

Floats = NDArray[np.float64]

#: Degrees of freedom of the noise: long tails, and a scale that outliers do not blow up.
_TAILS = 6.0
#: The scale that a normal noise is given by such a t is by this less than its standard deviation.
_AS_NORMAL = 1.13
#: Nodes of the grid over the noise, and the standard deviation of its logarithm.
_NODES, _UNSURE = np.linspace(-2.0, 2.0, 5), 0.5
#: The same for how far machines are from day to day, where pieces of several days are there.
_DAYS, _UNSURE_DAYS = np.array([-1.4, 0.0, 1.4]), 0.4
#: Modes that move by less, mm or percent, have settled.
_SETTLED = 1e-6
#: Nodes whose chance is less by this power of e are left out.
_NEGLIGIBLE = 8.0
#: The zero of a caliper, mm, as long as nobody closed it and read it; by how much a hand presses
#: its jaws into the work, mm; the square of the width of the flats of inner jaws over two, mm²:
#: mean and standard deviation.
_ZERO, _PRESSED, _FLATS = 0.015, (0.004, 0.003), (0.045, 0.02)
#: The zero of one that was never looked at.
_WRONG_ZERO = 0.15
#: Residuals further than so many standard deviations out are shown as outliers.
_OUT = 4.0
_OUTSIDE = ("peg", "length", "height", "first layer")


@dataclass(frozen=True, slots=True)
class Calibration:
    """What readings say about a process.

    ``figures`` are those of the process, in the order of ``names``; ``covariance`` is that of
    ``spread_names``, which are the figures and what no process corrects; ``days`` the same from day
    to day and piece to piece. ``noise``: standard deviations of a single feature, mm, round,
    straight or in height. ``zero``: what the caliper seems to show when it is closed, mm, with its
    standard uncertainty. ``base`` (what would come out of a machine without habits, in whole
    layers), ``predicted`` (by the figures) and ``residuals`` (with all that day and caliper did) go
    with ``readings``; ``slipped`` and ``outliers`` are numbers of readings of all pieces one after
    the other. ``once_more``: the ± of the next hole of 10 mm now, and after one more piece on
    another day. ``cutter``: that which a router's path was led for, mm. ``wide``: figures that the
    readings do not tell; ``allowed``: what no process corrects, with its standard uncertainty.
    """

    kind: str
    names: tuple[str, ...]
    figures: Mapping[str, float]
    spread_names: tuple[str, ...]
    covariance: Floats
    days: Floats
    noise: Mapping[NoiseKind, float]
    zero: tuple[float, float]
    readings: tuple[Reading, ...]
    base: Floats
    predicted: Floats
    residuals: Floats
    slipped: frozenset[int]
    outliers: frozenset[int]
    once_more: tuple[float, float]
    cutter: float = 0.0
    wide: frozenset[str] = frozenset()
    allowed: Mapping[str, tuple[float, float]] | None = None

    #: How many standard uncertainties hold 95 of 100.
    factor = HOLDS_95

    def uncertainty(self, name: str) -> float:
        """The standard uncertainty of a figure, in its unit: of what the machine does on the whole,
        whatever the day."""
        k = self.spread_names.index(name)
        return float(np.sqrt(self.covariance[k, k]))

    def measured_between(self) -> dict[str, tuple[float, float]]:
        """The smallest and largest size that was measured of each kind of feature, mm."""
        kinds = {r.feature for r in self.readings}
        sizes = {
            kind: [r.drawn for r in self.readings if r.feature == kind] for kind in sorted(kinds)
        }
        return {kind: (round(min(all_), 4), round(max(all_), 4)) for kind, all_ in sizes.items()}

    def expects(
        self, feature: FeatureKind, drawn: Floats, axis: str = ""
    ) -> tuple[Floats, Floats, Floats]:
        """What is predicted for sizes, mm; the standard uncertainty of that, and that of a next
        piece."""
        rows = np.array(
            [
                [slopes(feature, d, axis, self.kind).get(name, 0.0) for name in self.spread_names]
                for d in drawn
            ]
        )
        values = np.array([self.figures.get(name, 0.0) for name in self.spread_names])
        of_mean = np.einsum("ij,jk,ik->i", rows, self.covariance, rows)
        noise = self.noise[noise_of(feature)]
        of_next = (
            of_mean
            + np.einsum("ij,jk,ik->i", rows, self.days, rows)
            + noise**2
            + (UNEVEN / 100 * drawn) ** 2
        )
        return drawn + rows @ values, np.sqrt(of_mean), np.sqrt(of_next)


def slopes(feature: str, drawn: float, axis: str, kind: str) -> dict[str, float]:
    """By how much a measure of a feature changes with each figure of a kind of process, per unit of
    the figure."""
    if PRIORS[kind].noise and "kerf" in PRIORS[kind].causes:
        turned = math.sqrt(2) if feature == "diagonal" else 1.0
        inside = feature in ("hole", "opening", "diagonal")
        by_name = {
            "kerf": turned if inside else -1.0,
            "inside": turned if inside else 0.0,
            "shrinkage_xy": -drawn / 100,
        }
        if feature in ("hole", "peg"):
            by_name["hole_small"] = 1 / drawn
        if feature == "diagonal":
            by_name["cutter"] = 1 - math.sqrt(2)
        return by_name
    if feature == "height":
        return {"shrinkage_z": -drawn / 100, "height_gain": 1.0}
    names = {
        "hole": "hole_gain",
        "opening": "opening_gain",
        "peg": "peg_gain",
        "length": "length_gain",
        # All that it does beyond an ordinary outside is what it is squeezed out, on both sides.
        "first layer": "length_gain",
    }
    by_name = {"shrinkage_xy": -drawn / 100, names[feature]: 1.0}
    if feature in ("hole", "peg"):
        by_name[f"{feature}_small"] = 1 / drawn
    if feature == "first layer":
        by_name["first_layer"] = 2.0
    if axis in ("x", "y"):
        by_name["x_and_y"] = -drawn / 200 if axis == "x" else drawn / 200
    return by_name


def calibrate(
    pieces: Sequence[MadePiece],
    kind: str,
    *,
    layer: float = 0.0,
    cutter: float = 0.0,
    before: Mapping[str, float] | None = None,
) -> Calibration:
    """Fit the figures of a kind of process to readings of its pieces. Heights come out in whole
    layers, where the height of a ``layer`` is given; ``cutter``: the diameter that a router's path
    was led for, mm. ``before``: figures that were thought to be right; what the readings do not
    tell is taken to be so.

    Raises:
        ValueError: where there are too few readings to say anything, or they are in inches.
    """
    everything = [r for piece in pieces for r in piece.readings]
    if in_inches(everything):
        raise ValueError("these readings look like inches: nearly all are 1/25.4 of what was drawn")
    rows, slipped, astray = rows_of(pieces)
    if len(rows) < 3:
        raise ValueError(f"{len(rows)} usable features are too few; measure at least 3, each twice")
    model = _Model(rows, pieces, kind, layer, cutter)
    model.look_for_a_zero()
    calibration = model.calibration(everything, slipped, astray)
    thought = {name: value for name, value in (before or {}).items() if name in calibration.wide}
    if not thought:
        return calibration
    model.take_for_right(thought)
    return model.calibration(everything, slipped, astray)


class _Model:
    """The design of the linear model: columns are figures, then what days and pieces did, then what
    the caliper does."""

    def __init__(
        self,
        rows: Sequence[FeatureMean],
        pieces: Sequence[MadePiece],
        kind: str,
        layer: float,
        cutter: float,
    ) -> None:
        self.rows, self.kind, self.cutter = rows, kind, cutter
        self.prior: Prior = PRIORS[kind]
        self.layer = layer
        told = [self._slopes(row) for row in rows]
        moved = [name for cause in self.prior.causes.values() for name in cause[2]]
        self.names = tuple(
            name for name in dict.fromkeys(moved) if any(name in one for one in told)
        )
        mean, covariance = self.prior.moments(self.names)
        blocks, columns = (
            [covariance],
            [np.array([[one.get(name, 0.0) for name in self.names] for one in told])],
        )
        self.days = sorted({piece.day for piece in pieces})
        # In one piece all that its day did is in its figures too: only by several can it be told
        # apart.
        for scale, members in (
            (1.0, [[p for p, piece in enumerate(pieces) if piece.day == day] for day in self.days]),
            (self.prior.pieces, [[p] for p in range(len(pieces))]),
        ):
            for those in members:
                here = np.array([row.piece in those for row in rows], dtype=np.float64)
                for deviation, moves in self.prior.days.values():
                    way = np.array(
                        [sum(one.get(name, 0.0) * by for name, by in moves.items()) for one in told]
                    )
                    columns.append((here * way)[:, None])
                    blocks.append(np.array([[(deviation * scale) ** 2]]))
        self.of_days = (len(self.names), sum(block.shape[0] for block in blocks))
        one = np.ones(len(rows))
        inside = np.array([-1.0 if row.feature in _OUTSIDE else 1.0 for row in rows])
        flats = np.array([-1 / row.drawn if row.feature == "hole" else 0.0 for row in rows])
        together = self._rounded_together()
        columns += [*together, one[:, None], inside[:, None], flats[:, None]]
        closed = [piece.closed for piece in pieces if piece.closed is not None]
        self.closed, self.was_closed = float(np.mean(closed)) if closed else 0.0, bool(closed)
        blocks += [np.eye(1) for _ in together]
        blocks += [
            np.array([[(0.004 if closed else _ZERO) ** 2]]),
            np.array([[_PRESSED[1] ** 2]]),
            np.array([[_FLATS[1] ** 2]]),
        ]
        size = sum(block.shape[0] for block in blocks)
        self.mean = np.zeros(size)
        self.mean[: len(mean)] = mean
        self.mean[-3:] = self.closed, _PRESSED[0], _FLATS[0]
        self.covariance = np.zeros((size, size))
        at = 0
        for block in blocks:
            self.covariance[at : at + len(block), at : at + len(block)] = block
            at += len(block)
        self.design = np.hstack(columns)
        self.gained = np.array([row.middle - self._comes_out(row) for row in rows])
        self.of_hand = np.array([row.variance for row in rows])
        self.uneven = np.array(
            [0.0 if row.feature == "height" else (UNEVEN / 100 * row.drawn) ** 2 for row in rows]
        )
        self.noise_of = np.array([NOISES.index(noise_of(row.feature)) for row in rows])

    def look_for_a_zero(self) -> None:
        """Where inside and outside alike are off by more than calipers that are looked after, it is
        the caliper's zero; unless somebody closed it and read it."""
        if self.was_closed:
            return
        usual = self.covariance[-3, -3]
        self.covariance[-3, -3] = _WRONG_ZERO**2
        each = np.array([self.prior.noise[name] for name in NOISES])
        (mode,), (covariance,), _ = self.at(each[self.noise_of][None], 1.0)
        if abs(mode[-3] - self.closed) < 3 * math.sqrt(covariance[-3, -3]):
            self.covariance[-3, -3] = usual

    def take_for_right(self, figures: Mapping[str, float]) -> None:
        """What is known of figures before anything is measured."""
        for k, name in enumerate(self.names):
            self.mean[k] = figures.get(name, self.mean[k])

    def _rounded_together(self) -> list[Floats]:
        """What a coarse caliper rounds, column by column: the same for features of one kind that
        lie as far from its digits as each other, until what they shrink differs by half a digit."""
        groups: dict[tuple[object, ...], list[int]] = {}
        cut = "kerf" in self.prior.causes
        share = 0.0 if cut else self.prior.causes["shrinking"][0] / 100
        for k, row in enumerate(self.rows):
            if not row.rounded:
                continue
            beyond = round(self._comes_out(row) / row.rounded % 1.0, 2) % 1.0
            near = round(row.drawn * share / (row.rounded / 2))
            kind = (row.feature in _OUTSIDE) if cut else row.feature
            groups.setdefault((row.piece, kind, beyond, near), []).append(k)
        columns = []
        for members in groups.values():
            column = np.zeros((len(self.rows), 1))
            column[members, 0] = self.rows[members[0]].rounded / math.sqrt(12)
            columns.append(column)
        return columns

    def _slopes(self, row: FeatureMean) -> dict[str, float]:
        return slopes(row.feature, row.drawn, row.axis, self.kind)

    def _comes_out(self, row: FeatureMean) -> float:
        """What comes out where all figures are nothing: heights in whole layers, corners with the
        cutter's radius in them."""
        if row.feature == "height" and self.layer > 0:
            return max(1, round(row.drawn / self.layer)) * self.layer
        return row.drawn - ((math.sqrt(2) - 1) * self.cutter if row.feature == "diagonal" else 0.0)

    def at(self, noise: Floats, days: float, rounds: int = 6) -> tuple[Floats, Floats, Floats]:
        """Modes (n, p), covariances (n, p, p) and logarithms of the evidence (n,), where the noise
        of each feature is known, ``noise`` (n, m), and the scale of the days; by so many rounds of
        weighing the features at most."""
        covariance = self.covariance.copy()
        low, high = self.of_days
        covariance[low:high, low:high] *= days**2
        precision = np.linalg.inv(covariance)
        variance = noise**2 + self.of_hand + self.uneven
        weights = 1 / variance
        modes = np.broadcast_to(self.mean, (len(noise), len(self.mean)))
        for _ in range(rounds):
            hessian = precision + (self.design.T * weights[:, None, :]) @ self.design
            aim = precision @ self.mean + (weights * self.gained) @ self.design
            before, modes = modes, np.linalg.solve(hessian, aim[:, :, None])[:, :, 0]
            squares = (self.gained - modes @ self.design.T) ** 2 / variance
            weights = (_TAILS + 1) / (_TAILS + squares) / variance
            if np.abs(modes - before).max() < _SETTLED:
                break
        # What has long tails tells less than it counts in the mean: the expected information of
        # Student's t.
        tells = weights * ((_TAILS + 1) / (_TAILS + 3))
        hessian = precision + (self.design.T * tells[:, None, :]) @ self.design
        log_t = (
            math.lgamma((_TAILS + 1) / 2)
            - math.lgamma(_TAILS / 2)
            - 0.5 * np.log(_TAILS * np.pi * variance)
        )
        off = modes - self.mean
        evidence = (log_t - (_TAILS + 1) / 2 * np.log1p(squares / _TAILS)).sum(axis=1)
        evidence += 0.5 * (
            np.linalg.slogdet(precision)[1]
            - np.linalg.slogdet(hessian)[1]
            - np.einsum("ni,ij,nj->n", off, precision, off)
        )
        return modes, np.linalg.inv(hessian), evidence

    def posterior(self) -> tuple[Floats, Floats, Floats, float]:
        """Mean and covariance of all columns; the mean squares of the noises, mm²; the mean square
        of the scale of days."""
        usual = np.array([self.prior.noise[name] for name in NOISES])
        grids = [_NODES if (self.noise_of == k).any() else np.zeros(1) for k in range(len(NOISES))]
        ups = np.array(list(itertools.product(*grids)))
        each = usual * np.exp(_UNSURE * ups)
        scales = _DAYS if len(self.days) > 1 else np.zeros(1)
        # In the mean square as usual.
        days = np.exp(_UNSURE_DAYS * scales - _UNSURE_DAYS**2) if len(scales) > 1 else np.ones(1)
        noise = each[:, self.noise_of]
        # Most nodes say next to nothing: two rounds tell which, with days as usual.
        rough = self.at(noise, 1.0, 2)[2] - 0.5 * (ups**2).sum(axis=1)
        near = np.flatnonzero(rough > rough.max() - _NEGLIGIBLE)
        found_at = [self.at(noise[near], float(scale)) for scale in days]
        means, covariances, evidences = (np.concatenate(one) for one in zip(*found_at, strict=True))
        which, node = np.repeat(np.arange(len(days)), len(near)), np.tile(near, len(days))
        log = evidences - 0.5 * ((ups[node] ** 2).sum(axis=1) + scales[which] ** 2)
        chance = np.exp(log - log.max())
        chance /= chance.sum()
        mean = chance @ means
        off = means - mean
        covariance = np.einsum("n,nij->ij", chance, covariances) + (chance * off.T) @ off
        squares = chance @ each[node] ** 2 * _AS_NORMAL**2
        return mean, covariance, squares, float(chance @ days[which] ** 2)

    def calibration(
        self, everything: Sequence[Reading], slipped: Sequence[int], astray: Sequence[int]
    ) -> Calibration:
        mean, covariance, noise, scale = self.posterior()
        count = len(self.names)
        own = covariance[:count, :count].copy()
        mine = [k for k, name in enumerate(self.names) if name in self.prior.allowed]
        allowed = {self.names[k]: (float(mean[k]), float(np.sqrt(own[k, k]))) for k in mine}
        # What is not corrected for is off by all that it is, not only by how little it is known.
        own[np.ix_(mine, mine)] += np.outer(mean[mine], mean[mine])
        figures = {
            name: float(mean[k])
            for k, name in enumerate(self.names)
            if name not in self.prior.allowed
        }
        if "cutter" in figures:
            figures["cutter"] += self.cutter
        fitted = self.design @ mean
        of_row = {n: k for k, row in enumerate(self.rows) for n in row.members}
        numbers = [n for n in range(len(everything)) if n in of_row]
        used = tuple(everything[n] for n in numbers)
        base = np.array([self._comes_out(self.rows[of_row[n]]) for n in numbers])
        of_figures = self.design[:, :count] @ np.where(
            [name in figures for name in self.names], mean[:count], 0.0
        )
        predicted = base + np.array([of_figures[of_row[n]] for n in numbers])
        measured = np.array([r.measured for r in used])
        residuals = measured - base - np.array([fitted[of_row[n]] for n in numbers])
        limits = np.sqrt(noise[self.noise_of] + self.of_hand + self.uneven)
        apart = np.abs(self.gained - fitted)
        outliers = {
            n for k, row in enumerate(self.rows) if apart[k] > _OUT * limits[k] for n in row.members
        } | set(astray)
        before = np.sqrt(np.diag(self.covariance))[:count]
        wide = {
            name
            for k, name in enumerate(self.names)
            if own[k, k] > (0.7 * before[k]) ** 2 and name in figures
        }
        return Calibration(
            self.kind,
            tuple(figures),
            figures,
            self.names,
            own,
            scale * self.prior.day_to_day(self.names),
            dict(zip(NOISES, np.sqrt(noise).tolist(), strict=True)),
            (float(mean[-3]), float(np.sqrt(covariance[-3, -3]))),
            used,
            base,
            predicted,
            residuals,
            frozenset(slipped),
            frozenset(outliers),
            self._once_more(own, noise, scale),
            self.cutter,
            frozenset(wide),
            allowed,
        )

    def _once_more(self, own: Floats, noise: Floats, scale: float) -> tuple[float, float]:
        """The ± of the next hole, or opening, of 10 mm now and with one more piece like these on
        another day."""
        feature = (
            "hole" if any(row.feature == "hole" for row in self.rows) else self.rows[0].feature
        )
        size = 10.0 if feature == "hole" else self.rows[0].drawn
        way = np.array([slopes(feature, size, "", self.kind).get(name, 0.0) for name in self.names])
        of_day = float(way @ self.prior.day_to_day(self.names) @ way) * scale
        now, rest = float(way @ own @ way), of_day + float(noise[NOISES.index(noise_of(feature))])
        shared, days = min(now, of_day / len(self.days)), len(self.days)
        return HOLDS_95 * math.sqrt(now + rest), HOLDS_95 * math.sqrt(
            now - shared / (days + 1) + rest
        )
