"""Lengths cut from bars: as few or as cheap bars as possible, with the saw's kerf and an allowance
for finishing.

Gilmore and Gomory, A linear programming approach to the cutting-stock problem (Operations Research
9, 1961): all ways to cut a bar that leave no room for another piece are listed, and integer
programming chooses among them, which is optimal. Where there are too many ways, only those that
column generation finds are used; how far the outcome is from the best possible is then said.
"""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from ..problem import Problem, SchabloneError

#: Up to so many ways to cut are listed one by one.
_MOST_WAYS = 2500


@dataclass(frozen=True, slots=True)
class Length:
    """A piece to be cut: its name, finished length in mm, and how many of it."""

    name: str
    length: float
    count: int = 1


@dataclass(frozen=True, slots=True)
class Bar:
    """Bars of one length, mm, and what one costs."""

    length: float
    price: float = 1.0


@dataclass(frozen=True, slots=True)
class Cut:
    """One way to cut a bar, and how many bars are cut so: names and finished lengths of the pieces,
    mm, in the order of cutting, and what is left over."""

    bar: Bar
    times: int
    pieces: tuple[tuple[str, float], ...]
    rest: float


@dataclass(frozen=True, slots=True)
class BarPlan:
    """All cuts. ``bound`` is the least that any plan can cost; the plan is ``optimal`` where it
    costs no more."""

    cuts: tuple[Cut, ...]
    cost: float
    bound: float

    @property
    def bars(self) -> int:
        """How many bars are cut."""
        return sum(cut.times for cut in self.cuts)

    @property
    def optimal(self) -> bool:
        """Whether nothing can cost less."""
        return self.cost <= self.bound + 1e-6

    @property
    def used(self) -> float:
        """The share of the bars that becomes pieces."""
        whole = math.fsum(cut.times * cut.bar.length for cut in self.cuts)
        mine = math.fsum(cut.times * length for cut in self.cuts for _, length in cut.pieces)
        return mine / whole if whole else 0.0


def cut_from_bars(
    lengths: Sequence[Length], bars: Sequence[Bar], kerf: float, allowance: float = 0.0
) -> BarPlan:
    """The cheapest bars that give all pieces; mm. Each piece takes its length, the allowance, and a
    kerf; the last cut of a bar may fall on its end.

    Raises:
        SchabloneError: where a piece is longer than any bar, or nothing is asked for.
    """
    wanted = [piece for piece in lengths if piece.count > 0]
    if not wanted:
        return BarPlan((), 0.0, 0.0)
    longest = max((bar.length for bar in bars), default=0.0)
    for piece in wanted:
        if piece.length <= 0 or piece.length + allowance > longest + 1e-9:
            what = (
                f"“{piece.name}” is {piece.length:.6g} mm long; "
                + ("a piece has a length above zero." if piece.length <= 0 else "")
                + (f"the longest bar has {longest:.6g} mm." if piece.length > 0 else "")
            )
            raise SchabloneError(
                Problem(area="design", what=what, hint="Choose longer bars or a shorter piece.")
            )
    takes = np.array([piece.length + allowance + kerf for piece in wanted])
    counts = np.array([piece.count for piece in wanted])
    ways: list[tuple[int, tuple[int, ...]]] = []
    complete = True
    for number, bar in enumerate(bars):
        listed = _ways(takes, counts, bar.length + kerf, _MOST_WAYS - len(ways))
        complete &= listed is not None
        ways += [(number, way) for way in listed or ()]
    if not complete:
        ways = _generated(takes, counts, bars, kerf)
    optimize = scipy.optimize  # it loads when it is first used: the window knows this module, too
    prices = np.array([bars[number].price for number, _ in ways])
    matrix = np.array([way for _, way in ways], dtype=float).T
    relaxed = optimize.linprog(prices, A_ub=-matrix, b_ub=-counts, bounds=(0, None), method="highs")
    solved = optimize.milp(
        prices,
        constraints=optimize.LinearConstraint(matrix, lb=counts),
        integrality=np.ones(len(ways), dtype=np.int64),
        bounds=optimize.Bounds(0, np.inf),
        options={"time_limit": 4.0, "mip_rel_gap": 1e-9},
    )
    # Where time runs out before whole bars are found, those of the relaxed plan are rounded up:
    # what is cut too often is left out again.
    whole = solved.x if solved.x is not None else np.ceil(np.asarray(relaxed.x) - 1e-9)
    times = np.round(whole).astype(int)
    bound = _up(float(relaxed.fun or 0.0), prices)
    if complete and solved.x is not None and solved.mip_dual_bound is not None:
        bound = max(bound, float(solved.mip_dual_bound))
    return _plan(wanted, bars, ways, times, counts, kerf, allowance, bound)


def _up(least: float, prices: np.ndarray[tuple[int], np.dtype[np.float64]]) -> float:
    """The least cost that whole bars can have: where all cost the same, the next whole number."""
    price = float(prices.min())
    return price * math.ceil(least / price - 1e-9) if np.ptp(prices) < 1e-12 else least


def _ways(
    takes: np.ndarray[tuple[int], np.dtype[np.float64]],
    counts: np.ndarray[tuple[int], np.dtype[np.int64]],
    room: float,
    most: int,
) -> list[tuple[int, ...]] | None:
    """All ways to cut a bar that leave no room for another piece that is still wanted; None where
    there are too many."""
    ways: list[tuple[int, ...]] = []
    way = [0] * len(takes)

    def go(k: int, left: float) -> bool:
        if k == len(takes):
            if any(way) and not any(
                way[i] < counts[i] and takes[i] <= left + 1e-9 for i in range(len(takes))
            ):
                ways.append(tuple(way))
            return len(ways) <= most
        for n in range(min(int(counts[k]), math.floor(left / takes[k] + 1e-9)), -1, -1):
            way[k] = n
            if not go(k + 1, left - n * takes[k]):
                return False
        way[k] = 0
        return True

    return ways if go(0, room) else None


def _generated(
    takes: np.ndarray[tuple[int], np.dtype[np.float64]],
    counts: np.ndarray[tuple[int], np.dtype[np.int64]],
    bars: Sequence[Bar],
    kerf: float,
) -> list[tuple[int, tuple[int, ...]]]:
    """The ways that column generation finds: each is the knapsack that the prices of the pieces
    would now be worth most in."""
    optimize = scipy.optimize
    ways: list[tuple[int, tuple[int, ...]]] = []
    for k in range(len(takes)):
        fits = [n for n, bar in enumerate(bars) if takes[k] <= bar.length + kerf + 1e-9]
        number = min(fits, key=lambda n: bars[n].price)
        way = [0] * len(takes)
        way[k] = min(int(counts[k]), math.floor((bars[number].length + kerf) / takes[k] + 1e-9))
        ways.append((number, tuple(way)))
    for _ in range(400):
        prices = np.array([bars[number].price for number, _ in ways])
        matrix = np.array([way for _, way in ways], dtype=float).T
        solved = optimize.linprog(
            prices, A_ub=-matrix, b_ub=-counts, bounds=(0, None), method="highs"
        )
        worth = -solved.ineqlin.marginals
        better = None
        for number, bar in enumerate(bars):
            sack = optimize.milp(
                -worth,
                constraints=optimize.LinearConstraint(takes[None, :], ub=bar.length + kerf + 1e-9),
                integrality=np.ones(len(takes), dtype=np.int64),
                bounds=optimize.Bounds(0, counts),
            )
            if sack.x is None or sack.fun is None:
                continue
            gain = -float(sack.fun) - bar.price
            if gain > 1e-7 and (better is None or gain > better[0]):
                better = gain, (number, tuple(int(n) for n in np.round(sack.x)))
        if better is None:
            break
        ways.append(better[1])
    return ways


def _plan(
    wanted: Sequence[Length],
    bars: Sequence[Bar],
    ways: Sequence[tuple[int, tuple[int, ...]]],
    times: np.ndarray[tuple[int], np.dtype[np.int64]],
    counts: np.ndarray[tuple[int], np.dtype[np.int64]],
    kerf: float,
    allowance: float,
    bound: float,
) -> BarPlan:
    """The plan in bars, with no more pieces than are asked for."""
    left = [int(count) for count in counts]
    cut: dict[tuple[int, tuple[int, ...]], int] = {}
    for (number, way), n in zip(ways, times.tolist(), strict=True):
        for _ in range(n):
            mine = tuple(min(a, b) for a, b in zip(way, left, strict=True))
            if not any(mine):
                break
            left = [b - a for a, b in zip(mine, left, strict=True)]
            cut[number, mine] = cut.get((number, mine), 0) + 1
    cuts = []
    for (number, way), n in cut.items():
        pieces = [
            (piece.name, piece.length)
            for piece, many in sorted(zip(wanted, way, strict=True), key=lambda one: -one[0].length)
            for _ in range(many)
        ]
        takes = math.fsum(length + allowance for _, length in pieces)
        rest = bars[number].length - takes - kerf * max(0, len(pieces) - 1)
        rest -= min(kerf, max(rest, 0.0))  # one more cut parts what is left over
        cuts.append(Cut(bars[number], n, tuple(pieces), max(rest, 0.0)))
    cuts.sort(key=lambda one: (-one.times, one.rest))
    cost = math.fsum(one.times * one.bar.price for one in cuts)
    return BarPlan(tuple(cuts), cost, min(bound, cost))


#: A way to cut a bar as plain values: the bar's length, how often, the pieces, what is left over.
PlainCut = tuple[float, int, Sequence[tuple[str, float]], float]


def cut_list(cuts: Sequence[PlainCut]) -> str:
    """A plan as CSV: one line for each piece, in the order of cutting; lengths in mm."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(["bar", "bar length, mm", "piece", "length, mm", "left over, mm"])
    number = 0
    for bar, times, pieces, rest in cuts:
        for _ in range(times):
            number += 1
            for k, (name, length) in enumerate(pieces):
                left = f"{rest:.2f}" if k == len(pieces) - 1 else ""
                writer.writerow([number, f"{bar:g}", name, f"{length:.3f}", left])
    return text.getvalue()
