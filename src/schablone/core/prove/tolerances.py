"""The tolerance run: how many of a hundred pieces come out as they are meant to, and which figure
of the machine to know better so that more do.

What is not known of a machine, how it differs from day to day, how single features and the stock
scatter are drawn many times, each machine once for all that it makes, and what comes off is worked
out by what the machine does to what is sent. Knowing a figure takes away the share of the draws
that goes with it (the conditional distribution of a joint normal one).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..design.lens_table import LensRow, cut_sheet
from ..design.measures import Measures
from ..design.model import Design
from ..process.model import NAMES, Process
from ..process.priors import PRIORS
from ..process.sure import UNEVEN, mean_and_days
from ..words import say_name
from .mates import mating, say_sizes
from .size_report import SizeLine, noise_kind, slopes_of

Floats = NDArray[np.float64]

#: So many pieces are drawn, and where chance begins: the same design gives the same shares.
DRAWS, _SEED = 20_000, 31
#: By so many of a hundred more must come out before a figure is told.
_WORTH = 0.02
#: What is within this of an end, mm, is as good.
_SAME = 5e-5


@dataclass(frozen=True, slots=True)
class Share:
    """A size with a tolerance, or a fit between two: in words, what it is meant to be, and which
    ``share`` of pieces comes out so, 0 to 1. ``expected`` and ``spread``: mean and standard
    deviation of what comes off, mm, between ``low`` and ``high`` as it is meant. ``better``: what
    to know better, in words, and the share that comes out then; empty where that would not help.
    ``measured``: whether what it hangs on was measured on the machine."""

    words: str
    meant: str
    size: str
    share: float
    expected: float
    spread: float
    low: float
    high: float
    better: str
    share_then: float
    measured: bool


@dataclass(slots=True)
class _Source:
    """Draws of what is not known of a machine for one sheet: by figure, off what is believed.
    ``daily`` are the covariances of its days, ``day`` draws of one on which all is made."""

    names: tuple[str, ...]
    mean: Floats
    off: Floats
    daily: Floats
    day: Floats

    def known(self, name: str) -> Floats:
        """The draws with one figure known."""
        k = self.names.index(name)
        if self.mean[k, k] <= 0:
            return self.off
        return self.off - np.outer(self.off[:, k], self.mean[:, k] / self.mean[k, k])


@dataclass(slots=True)
class _Drawn:
    """Draws of a size: what comes off, and by what could be known, what would come off then; the
    same of one day of the machine that is its ``source``."""

    size: Floats
    known: dict[str, Floats] = field(default_factory=dict)
    source: _Source | None = None
    of_one_day: _Drawn | None = None


def tolerance_run(
    design: Design, measures: Measures, lines: Sequence[SizeLine], draws: int = DRAWS
) -> list[Share]:
    """Sizes with a tolerance or a fit that a machine makes, and fits between parts, those that come
    out least first. ``lines`` are the size report; a seed makes the draws the same every time."""
    rng = np.random.default_rng(_SEED)
    machine = _Machines(measures, rng, draws, lines)
    shares = []
    drawn = {id(line): machine.drawn(line) for line in lines}
    for line in lines:
        meant, mine = line.meant, drawn[id(line)]
        if meant is not None and not meant.trouble and mine is not None:
            low, high = meant.low, meant.high
            words = say_name(line.row.name)
            shares.append(_share(words, meant.words, line, mine, (low, high), line.sure.measured))
    titles = {part.name: part.title or say_name(part.name) for part in design.parts}
    for inside, outside, word, low, high in mating(design, lines):
        one, other = drawn[id(inside)], drawn[id(outside)]
        if one is None or other is None:
            continue
        gap = _gap(one, other)
        measured = inside.sure.measured and outside.sure.measured
        words = say_sizes(inside, outside, titles)
        shares.append(_share(words, f"{word} fit", inside, gap, (low, high), measured))
    return sorted(shares, key=lambda one: one.share)


def _gap(one: _Drawn, other: _Drawn) -> _Drawn:
    """Draws of what lies between two sizes. A machine may make both on one day or on two, and on a
    day on which holes come out narrow pegs come out thick: whichever is worse counts."""
    gap = _Drawn(one.size - other.size)
    for name in {**one.known, **other.known}:
        gap.known[name] = one.known.get(name, one.size) - other.known.get(name, other.size)
    if one.of_one_day is None or other.of_one_day is None or one.source is not other.source:
        return gap
    at_once = _gap(one.of_one_day, other.of_one_day)
    return max(gap, at_once, key=lambda found: float(np.std(found.size)))


def _share(
    words: str, meant: str, line: SizeLine, drawn: _Drawn, ends: tuple[float, float], measured: bool
) -> Share:
    low, high = ends[0] - _SAME, ends[1] + _SAME

    def within(size: Floats) -> float:
        return float(np.mean((size >= low) & (size <= high)))

    share = within(drawn.size)
    better, then = "", share
    for name, size in sorted(drawn.known.items()):
        if within(size) > max(then, share + _WORTH):
            better, then = name, within(size)
    return Share(
        words, meant, line.row.name, share, float(np.mean(drawn.size)), float(np.std(drawn.size)),
        ends[0], ends[1], better, then, measured,
    )  # fmt: skip


class _Machines:
    """Draws each machine once for each sheet that it works on, so that what it does is the same for
    all that is made on it."""

    def __init__(
        self, measures: Measures, rng: np.random.Generator, draws: int, lines: Sequence[SizeLine]
    ) -> None:
        self.measures, self.rng, self.draws = measures, rng, draws
        self.days = np.random.default_rng([_SEED, 1])
        self._sources: dict[tuple[str, tuple[str, float]], _Source] = {}
        self._names: dict[tuple[str, tuple[str, float]], dict[str, None]] = {}
        for line in lines:
            if line.row.is_made and line.row.process.kind in PRIORS:
                names = self._names.setdefault(self._key(line.row), {})
                names |= dict.fromkeys(slopes_of(line.row, line.row.process))

    def _key(self, row: LensRow) -> tuple[str, tuple[str, float]]:
        sheet = (
            cut_sheet(self.measures, row.measure.parts, row.process)
            if row.process.family == "cut"
            else ("", 0.0)
        )
        return row.process.name, sheet

    def _source(self, row: LensRow) -> _Source:
        key = self._key(row)
        if key not in self._sources:
            names, process = tuple(self._names[key]), row.process
            mean, days = mean_and_days(process, names, process.spread_in(*key[1]))
            self._sources[key] = _Source(
                names,
                mean,
                _normal(self.rng, mean, self.draws),
                days,
                _normal(self.days, days, self.draws),
            )
        return self._sources[key]

    def drawn(self, line: SizeLine) -> _Drawn | None:
        """Draws of a size; None where no machine makes it, or nothing is known of how."""
        row, process = line.row, line.row.process
        if not row.is_made:
            return None
        noise = self.rng.standard_normal(self.draws)
        if process.kind not in PRIORS or (row.measure.thick and process.family == "cut"):
            # What is bent, and how thick a board is: as far as the report is sure of it.
            off = line.sure.piece * noise
            values = _Drawn(row.expected.value + off)
            if line.sure.piece > 0 and row.measure.thick:
                values.known["how thick the board is where it is cut"] = values.size - off
            return values if line.sure.piece > 0 or row.measure.thick else None
        if not slopes_of(row, process):
            return None
        source = self._source(row)
        spread = process.spread_in(*self._key(row)[1])
        kind = noise_kind(row)
        single = PRIORS[process.kind].noise[kind]
        single = spread.noise.get(kind, single) if spread is not None else single
        if kind != "height" and process.family != "cut":
            single = math.hypot(single, UNEVEN / 100 * row.sent.value)
        beside = single * noise

        def comes_off(off: Floats) -> Floats:
            figures = {name: off[:, k] for k, name in enumerate(source.names)}
            return off_machine(row, process, figures) + beside

        def on(day: Floats) -> _Drawn:
            values = _Drawn(comes_off(source.off + day), source=source)
            for name in slopes_of(row, process):
                k = source.names.index(name)
                if source.mean[k, k] > 0:
                    known = comes_off(source.known(name) + day)
                    values.known[f"{_called(process, name)} of {process.name}"] = known
            return values

        # Parts that go together need not be of one day.
        values = on(_normal(self.rng, source.daily, self.draws))
        values.of_one_day = on(source.day)
        return values


def _called(process: Process, name: str) -> str:
    """A figure of a machine in words; those that no process has are told by what they do."""
    beside = {"inside": "how openings differ from outsides", "x_and_y": "how x differs from y"}
    if process.kind == "router" and name == "kerf":
        name = "path_gain"
    return NAMES[name][0] if name in NAMES else beside.get(name, name)


def _normal(rng: np.random.Generator, covariance: Floats, draws: int) -> Floats:
    """Draws, shape (draws, n), of a normal distribution about nothing; any positive semidefinite
    covariance will do."""
    values, vectors = np.linalg.eigh(covariance)
    root = vectors * np.sqrt(np.clip(values, 0.0, None))
    noise: Floats = rng.standard_normal((draws, len(covariance))) @ root.T
    return noise


def off_machine(row: LensRow, process: Process, off: Mapping[str, Floats]) -> Floats:
    """What comes off a machine of a size as it is sent, where its figures are off what is believed
    by ``off``, each in its own unit; lengths in mm. Heights come in whole layers, and gain what
    heights gain."""
    correction = row.measure.correction
    nothing = np.zeros_like(next(iter(off.values())))
    shrinks = "shrinkage_xy" if correction.axis == "xy" else "shrinkage_z"
    if process.family == "cut":
        sent = row.sent.value * row.share
        # Both sides of the cut are where half of what it truly takes away lies.
        out = correction.moved(1.0)
        length = row.expected.value * row.share - out / 2 * off.get("kerf", nothing)
        length = length - sent * off.get(shrinks, nothing) / 100
        for gain in correction.gains:
            if gain.side == "inside":
                length = length + gain.share * off.get("inside", nothing)
        wide = max((sent * gain.round for gain in correction.gains), default=0.0)
        if wide > 0 and "hole_small" in off:
            length = length + row.share * off["hole_small"] / wide
        lengths: Floats = length / row.share
        return lengths
    believed = process.kept(correction.axis)
    sent = row.sent.value * row.share
    kept = believed - off.get(shrinks, nothing) / 100
    length = sent * kept + sent * off.get("x_and_y", nothing) / 200
    for gain in correction.gains:
        straight = not gain.round
        constant, small = process.gain_figures(gain.side, straight=straight, lying=gain.lying)
        known = float(getattr(process, constant))
        if straight and constant in ("hole_gain", "peg_gain"):
            constant = "opening_gain" if gain.side == "inside" else "length_gain"
        gained = known + off.get(constant, nothing)
        if small:
            across = sent * believed * gain.round
            gained = gained + (float(getattr(process, small)) + off.get(small, nothing)) / across
        length = length + gain.share * gained
    if correction.axes == {"z"}:
        layer = process.layer
        between = sent - round(sent / layer) * layer if layer > 0 else 0.0
        length = length - between * believed + process.height_gain + off.get("height_gain", nothing)
    result: Floats = length / row.share
    return result
