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
from itertools import count

import numpy as np
import scipy
from numpy.typing import NDArray

from ..problem import Problem, SchabloneError
from .knapsack import cells_of, fullest

#: Up to so many ways to cut are listed one by one.
_MOST_WAYS = 2500
#: And no more are begun.
_MOST_LOOKS = 200_000
#: So many branches are looked at for whole bars.
_NODES = 1000
#: What is nearer to the best possible by this share is not worth further ways.
_NEAR = 5e-4
#: So often further ways are looked for at least where there are too many, and so many cells of
#: knapsacks are gone through.
_FEWEST, _WORK = 20, 1_500_000_000
#: So many of the last bars may be replaced by others.
_LAST = 4


#: The number of a bar, and how many of each piece are cut from it.
Way = tuple[int, tuple[int, ...]]


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
    ways: list[Way] = []
    complete = True
    for number, bar in enumerate(bars):
        listed = _ways(takes, counts, bar.length + kerf, _MOST_WAYS - len(ways))
        complete &= listed is not None
        ways += [(number, way) for way in listed or ()]
    filled = _filled(takes, counts, bars, kerf)
    bound = 0.0
    if not complete:
        ways, bound = _generated(takes, counts, bars, kerf, list(dict.fromkeys(filled)))
    optimize = scipy.optimize  # it loads when it is first used: the window knows this module, too
    prices = np.array([bars[number].price for number, _ in ways])
    matrix = np.array([way for _, way in ways], dtype=float).T
    relaxed = optimize.linprog(prices, A_ub=-matrix, b_ub=-counts, bounds=(0, None), method="highs")
    bound = _up(float(relaxed.fun or 0.0) if complete else bound, prices)
    # The whole bars of the relaxed plan, and the rest filled one after the other; or all of them.
    times = np.floor(np.asarray(relaxed.x) + 1e-9).astype(int)
    left = np.maximum(counts - np.round(matrix @ times).astype(int), 0)
    begun = [one for one, n in zip(ways, times.tolist(), strict=True) for _ in range(n)]
    plans = [[*begun, *_filled(takes, left, bars, kerf)], filled]
    plans += [_ended(plan, takes, bars, kerf) for plan in plans]
    if min(_cost(plan, bars) for plan in plans) > bound + 1e-6:
        solved = optimize.milp(
            prices,
            constraints=optimize.LinearConstraint(matrix, lb=counts),
            integrality=np.ones(len(ways), dtype=np.int64),
            bounds=optimize.Bounds(0, np.inf),
            # Counted and not timed: the same comes out on every machine.
            options={"node_limit": _NODES, "mip_rel_gap": 1e-9},
        )
        if solved.x is not None:
            whole = np.round(solved.x).astype(int).tolist()
            plans.append([one for one, n in zip(ways, whole, strict=True) for _ in range(n)])
        if complete and solved.mip_dual_bound is not None:
            bound = max(bound, float(solved.mip_dual_bound))
    found = [_plan(wanted, bars, one, counts, kerf, allowance, bound) for one in plans]
    return min(found, key=lambda plan: plan.cost)


def _cost(plan: Sequence[Way], bars: Sequence[Bar]) -> float:
    return math.fsum(bars[number].price for number, _ in plan)


def _ended(
    plan: Sequence[Way], takes: NDArray[np.float64], bars: Sequence[Bar], kerf: float
) -> list[Way]:
    """The plan, its last bars replaced by others where those are cheaper: a bar that is the best to
    fill may be too much for the last few pieces."""
    best = list(plan)
    for drop in range(1, min(_LAST, len(plan)) + 1):
        left = np.sum([way for _, way in plan[-drop:]], axis=0)
        for number, bar in enumerate(bars):
            if takes[left > 0].max() <= bar.length + kerf + 1e-9:
                mine = [(number, way) for _, way in _filled(takes, left, [bar], kerf)]
                best = min(best, [*plan[:-drop], *mine], key=lambda one: _cost(one, bars))
    return best


def _filled(
    takes: NDArray[np.float64], counts: NDArray[np.int64], bars: Sequence[Bar], kerf: float
) -> list[Way]:
    """Bars one after the other, each as full for its price as what is left can make it."""
    left, plan = counts.copy(), []
    while left.any():
        sacks = [
            (number, fullest(takes, takes, left, bar.length + kerf + 1e-9)[0])
            for number, bar in enumerate(bars)
        ]
        number, way = max(sacks, key=lambda one: float(takes @ one[1]) / bars[one[0]].price)
        cut = np.array(way)
        # As often as it goes on.
        times = int(min(have // need for have, need in zip(left, way, strict=True) if need))
        plan += [(number, way)] * times
        left = left - cut * times
    return plan


def _up(least: float, prices: NDArray[np.float64]) -> float:
    """The least cost that whole bars can have: where all cost the same, the next whole number."""
    price = float(prices.min())
    return price * math.ceil(least / price - 1e-9) if np.ptp(prices) < 1e-12 else least


def _ways(
    takes: NDArray[np.float64],
    counts: NDArray[np.int64],
    room: float,
    most: int,
) -> list[tuple[int, ...]] | None:
    """All ways to cut a bar that leave no room for another piece that is still wanted; None where
    there are too many."""
    ways: list[tuple[int, ...]] = []
    way = [0] * len(takes)
    #: What all pieces from one on take.
    rest = [*np.cumsum((takes * counts)[::-1])[::-1].tolist(), 0.0]
    looked = count()

    def go(k: int, left: float, shortest: float) -> bool:
        """``shortest`` is the least that one more of a piece would take that is still wanted."""
        if next(looked) > _MOST_LOOKS:
            return False
        if shortest <= left - rest[k] + 1e-9:
            return True  # there will be room for it whatever else is cut
        if k == len(takes):
            if any(way):
                ways.append(tuple(way))
            return len(ways) <= most
        take, wanted = float(takes[k]), int(counts[k])
        for n in range(min(wanted, math.floor(left / take + 1e-9)), -1, -1):
            way[k] = n
            if not go(k + 1, left - n * take, min(shortest, take) if n < wanted else shortest):
                return False
        way[k] = 0
        return True

    return ways if go(0, room, math.inf) else None


def _generated(
    takes: NDArray[np.float64],
    counts: NDArray[np.int64],
    bars: Sequence[Bar],
    kerf: float,
    begun: Sequence[Way],
) -> tuple[list[Way], float]:
    """The ways that column generation finds from some on: each is the knapsack that the prices of
    the pieces would now be worth most in; and the least that any plan can cost.

    That is A. A. Farley's bound (A note on bounding a class of linear programming problems,
    Operations Research 38, 1990): worths by which no bar gets more than it costs.
    """
    optimize = scipy.optimize
    rooms = [bar.length + kerf + 1e-9 for bar in bars]
    ways = list(begun)
    for k in range(len(takes)):
        fits = [n for n, room in enumerate(rooms) if takes[k] <= room]
        number = min(fits, key=lambda n: bars[n].price)
        way = [0] * len(takes)
        way[k] = min(int(counts[k]), math.floor(rooms[number] / takes[k]))
        ways.append((number, tuple(way)))
    # No bar gives a millimetre for less.
    least = min(bar.price / room for bar, room in zip(bars, rooms, strict=True))
    bound = least * float(takes @ counts)
    cells = sum(cells_of(room) for room in rooms) * len(takes)
    for _ in range(max(_FEWEST, _WORK // cells)):
        prices = np.array([bars[number].price for number, _ in ways])
        matrix = np.array([way for _, way in ways], dtype=float).T
        solved = optimize.linprog(
            prices, A_ub=-matrix, b_ub=-counts, bounds=(0, None), method="highs"
        )
        worth = np.maximum(-solved.ineqlin.marginals, 0.0)
        sacks = [fullest(worth, takes, counts, room) for room in rooms]
        share = min(
            bar.price / max(bar.price, most) for bar, (_, most) in zip(bars, sacks, strict=True)
        )
        bound = max(bound, share * float(worth @ counts))
        better: list[Way] = [
            (number, way)
            for number, (way, _) in enumerate(sacks)
            if float(worth @ way) > bars[number].price + 1e-7
        ]
        if not better:
            break
        if float(solved.fun or 0.0) - bound <= _NEAR * bound:
            break
        ways += better
    return ways, bound


def _plan(
    wanted: Sequence[Length],
    bars: Sequence[Bar],
    plan: Sequence[Way],
    counts: NDArray[np.int64],
    kerf: float,
    allowance: float,
    bound: float,
) -> BarPlan:
    """The plan in bars, with no more pieces than are asked for."""
    left = [int(count) for count in counts]
    cut: dict[Way, int] = {}
    for number, way in plan:
        mine = tuple(min(a, b) for a, b in zip(way, left, strict=True))
        if any(mine):
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
