"""How true what the program says of a machine is: calibrated on machines that are not its model,
then held against pieces.

For each kind of machine many of them are drawn, one test piece is made on one day and measured, and
the figures are fitted. Then other pieces are made on other days. Counted is how often a size lies
within the stated ± of the next piece (95 of 100 are meant), how often what the machine does on the
whole lies within the stated ± of the mean, and how wide the ± is against that of an oracle that
knows the scatters and has to find out the same from one piece with the same caliper. Fits are made
for a bought dowel of 6 mm and counted by the verdict that is given before they are made.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from schablone.core.gallery.makers import learned
from schablone.core.practice.caliper import Caliper, Made
from schablone.core.practice.cutting import Laser, Router
from schablone.core.practice.features import Measurable
from schablone.core.practice.folding import FlatStrip, FoldingMachine, Gauge
from schablone.core.practice.machines import Maker
from schablone.core.practice.printing import FilamentPrinter, ResinPrinter
from schablone.core.process import Process
from schablone.core.process.bend_calibrate import StripReading, calibrated
from schablone.core.process.bending import deduction
from schablone.core.process.calibrate import slopes
from schablone.core.process.checking import expected
from schablone.core.process.priors import noise_of
from schablone.core.process.sure import HOLDS_95, sure_of
from schablone.core.prove.meant import class_of

MAKERS: dict[str, Callable[[int], Maker]] = {
    "filament print": FilamentPrinter.of,
    "resin print": ResinPrinter.of,
    "laser or knife": Laser.of,
    "router": Router.of,
}
#: What is made after calibrating: sizes that no test piece has, on the layers.
EVERYDAY: dict[str, tuple[float, ...]] = {
    "hole": (3.4, 5.2, 7.0, 9.4, 12.5, 18.0), "opening": (7.0, 11.0, 16.0),
    "peg": (5.2, 7.5, 12.0, 18.0),
    "length": (22.0, 45.0, 95.0), "height": (5.0, 14.0, 25.0), "slot": (5.6, 8.2),
    "tab": (7.5, 9.5),
}  # fmt: skip
_KIND = {"slot": "opening", "tab": "length"}


def everyday(chance: np.random.Generator, kind: str) -> list[tuple[str, Measurable]]:
    """A piece out of a workshop, its features anywhere on it."""
    found = []
    for name, sizes in EVERYDAY.items():
        if "print" not in kind and name in ("peg", "height"):
            continue
        for size in sizes:
            size = (
                max(size, 6.2) if kind == "router" and name in ("hole", "opening", "slot") else size
            )
            x, y = chance.uniform(-50, 50, 2).tolist()
            straight = name not in ("hole", "peg", "height")
            axis = "xy"[int(chance.integers(2))] if straight else ""
            found.append((name, Measurable(_KIND.get(name, name), size, x, y, axis)))  # type: ignore[arg-type]
    return found


def stated(process: Process, f: Measurable) -> tuple[float, float]:
    """The ± of the mean and of the next piece, mm."""
    spread = process.spread_in("", 3.0)
    sure = sure_of(
        process, slopes(f.kind, f.size, f.axis, process.kind), f.size, spread, noise_of(f.kind)
    )
    return HOLDS_95 * sure.mean, HOLDS_95 * sure.piece


@dataclass
class Count:
    """How often something held, and ratios of ± to the oracle's."""

    piece: list[bool] = field(default_factory=list)
    mean: list[bool] = field(default_factory=list)
    ratio: list[float] = field(default_factory=list)


def truth(
    kind: str,
    features: list[Measurable],
    loops: int = 100,
    resolution: float = 0.01,
    outliers: int = 0,
) -> dict[str, Count]:
    """So many machines of a kind, by the kind of size."""
    counts: dict[str, Count] = {}
    for seed in range(loops):
        maker = MAKERS[kind](1000 + seed)
        process = learned(
            kind, maker, features, Caliper.of(seed, resolution), seed, outliers=outliers
        )
        chance = np.random.default_rng([seed, 5])
        piece = everyday(chance, kind)
        runs = np.array(
            [
                [
                    _sizes(
                        maker.make(
                            _anywhere(piece, chance), 100 * seed + d, 10_000 * seed + 10 * d + p
                        )
                    )
                    for p in range(2)
                ]
                for d in range(24)
            ]
        )
        of_day, of_piece = (
            runs.mean(axis=1).var(axis=0, ddof=1),
            runs.var(axis=1, ddof=1).mean(axis=0),
        )
        middle = runs.mean(axis=(0, 1))
        for k, (name, f) in enumerate(piece):
            says, (mean, next_) = expected(process, f.kind, f.size, "", 3.0), stated(process, f)
            count = counts.setdefault(name, Count())
            count.mean.append(abs(middle[k] - says) <= mean)
            count.piece += [bool(abs(one - says) <= next_) for one in runs[::3, 0, k]]
            # What its caliper rounds evens out over as many as there are of the kind, at best.
            rounds = resolution**2 / 12 / sum(one.kind == f.kind for one in features)
            oracle = HOLDS_95 * math.sqrt(
                2 * max(of_day[k] - of_piece[k] / 2, 0.0) + of_piece[k] + rounds
            )
            count.ratio.append(next_ / oracle)
    return counts


def _anywhere(piece: list[tuple[str, Measurable]], chance: np.random.Generator) -> list[Measurable]:
    """The same features at other places on the bed."""
    return [
        replace(f, x=float(chance.uniform(-50, 50)), y=float(chance.uniform(-50, 50)))
        for _, f in piece
    ]


#: The dowel that fits are made for, and the classes by the gap that each has.
DOWEL, FITS = 6.0, ("press", "push", "sliding", "loose")


def fits(kind: str, features: list[Measurable], loops: int) -> dict[str, list[bool]]:
    """By the verdict that is given before (*holds*, *likely*): whether the next hole has the fit
    that was asked for."""
    counted: dict[str, list[bool]] = {"holds": [], "likely": []}
    for seed in range(loops):
        maker = MAKERS[kind](1000 + seed)
        process = learned(kind, maker, features, Caliper.of(seed), seed)
        for fit in FITS:
            _, low, high = class_of(fit, DOWEL, process)
            wanted = DOWEL + process.clearance(fit, DOWEL)
            sent = (
                wanted - process.cut_width("", 3.0)
                if process.family == "cut"
                else process.send_inside(wanted) / process.kept("xy")
            )
            hole = Measurable("hole", sent, 20.0, -15.0)
            around = stated(process, hole)[1]
            verdict = (
                "holds"
                if DOWEL + low <= wanted - around and wanted + around <= DOWEL + high
                else "likely"
            )
            for day in range(3):
                (made,) = maker.make([hole], 500_000 + 10 * seed + day, 700_000 + 10 * seed + day)
                counted[verdict].append(low <= made.size - DOWEL <= high)
    return counted


#: The legs that are folded after calibrating, mm, and how many pieces of each.
LEGS, PIECES = (30.0, 50.0), 24


def folded(loops: int) -> dict[str, Count]:
    """Folding machines, each calibrated on four strips of one sheet and its stop set by them: legs
    and the angle of right angles."""
    counts = {"leg": Count(), "angle": Count()}
    gauge = Gauge()
    for seed in range(loops):
        machine = FoldingMachine.of(1000 + seed)
        t = (0.8, 1.5, 3.0)[seed % 3]
        strips = []
        for number, told in enumerate((90, 90, 45, 120)):
            bent = machine.bend(FlatStrip(50, 50, told), t, told, 1000 * seed + number)
            read = np.mean(gauge.read(bent, 2, 77 * seed + number), axis=0)
            thick = gauge.thick(bent, seed + number)
            radius = round(machine.inside_radius(t), 1)
            first, second, angle = (float(one) for one in read)
            strips.append(StripReading(100, thick, told, first, second, angle, radius))
        found = calibrated(strips)
        known, factor = found.bend().known, found.k.factor
        assert known is not None
        taken = deduction(90, found.radius, found.thickness, found.k.value) / 2
        flat = FlatStrip(LEGS[0] - taken, LEGS[1] - taken, 90)
        told = 90 * (1 + found.springs.value)
        pieces = [
            machine.bend(flat, t, told, 90_000 + 40 * seed + k, stop=-found.stop.value)
            for k in range(PIECES)
        ]
        off = np.array([(p.first - LEGS[0], p.second - LEGS[1], p.angle - 90) for p in pieces])
        for k, name in ((0, "leg"), (1, "leg"), (2, "angle")):
            of_mean, of_piece = known.of_angle(90) if name == "angle" else known.of_leg(90)
            count = counts[name]
            count.mean.append(bool(abs(off[:, k].mean()) <= factor * of_mean))
            count.piece += (np.abs(off[:3, k]) <= factor * of_piece).tolist()
            # What four strips tell of a machine whose scatter is known.
            oracle = HOLDS_95 * math.sqrt(off[:, k].var(ddof=1) * (1 + 1 / len(strips)))
            count.ratio.append(factor * of_piece / oracle)
    return counts


def _sizes(made: list[Made]) -> list[float]:
    return [one.size for one in made]


#: The calipers that pieces are measured with: the last digit, mm, and how many readings are wrong.
CALIPERS = ((0.01, 0), (0.05, 0), (0.1, 0), (0.01, 3))


def print_truth(features: dict[str, list[Measurable]], loops: int = 300) -> None:
    """The tables; worked out by as many processes as there are processors."""
    cases = [(kind, *caliper) for kind in MAKERS for caliper in CALIPERS]
    print(
        f"{'machine':<16}{'caliper':>8}{'slips':>6}  "
        f"{'size':<9}{'piece in ±':>11}{'mean in ±':>11}{'± / oracle':>11}"
    )
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        counted = [
            pool.submit(truth, kind, features[kind], loops, digit, slips)
            for kind, digit, slips in cases
        ]
        # A strip is bent in no time: more of them, so that chance counts for less.
        bent = pool.submit(folded, 5 * loops)
        made = [pool.submit(fits, kind, features[kind], loops) for kind in MAKERS]
        for (kind, resolution, outliers), done in zip(cases, counted, strict=True):
            _print_counts(f"{kind:<16}{resolution:8.2f}{outliers:6d}", done.result())
        _print_counts(f"{'folding':<16}{Gauge().leg:8.2f}{0:6d}", bent.result())
        print(f"\n{'machine':<16}{'said of a fit':>16}{'times':>8}{'in its class':>14}")
        for kind, held_by in zip(MAKERS, made, strict=True):
            for verdict, held in held_by.result().items():
                share = f"{np.mean(held):14.1%}" if held else f"{'–':>14}"
                print(f"{kind:<16}{verdict:>16}{len(held):8d}{share}", flush=True)


def _print_counts(head: str, counts: dict[str, Count]) -> None:
    for name, count in counts.items():
        piece, mean, ratio = np.mean(count.piece), np.mean(count.mean), np.median(count.ratio)
        print(f"{head}  {name:<9}{piece:11.1%}{mean:11.1%}{ratio:11.2f}", flush=True)


def run() -> None:
    """On the test pieces that ship."""
    from schablone.core.design import read_design
    from schablone.core.design.rebuild import rebuild
    from schablone.core.practice import features_of_file
    from schablone.core.process import neutral
    from schablone.core.publish.exports import export
    from schablone.core.publish.pieces import pieces_of

    found = {}
    for name, ending in (("printing-coupon", ".stl"), ("cutting-coupon", ".dxf")):
        design = read_design(Path(__file__).resolve().parent.parent / "demo" / f"{name}.schablone")
        built = rebuild(design, design.seen("sent", neutral()))
        found[name] = features_of_file(export(pieces_of(design, built), f"c{ending}"), f"c{ending}")
    print_truth(
        {kind: found["printing-coupon" if "print" in kind else "cutting-coupon"] for kind in MAKERS}
    )
