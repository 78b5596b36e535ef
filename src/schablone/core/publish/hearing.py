"""What many reports say about a design: which size is off on every machine, which is the design's
fault, and which machine is off, which is that machine's.

The mean of a size over machines is that of a random-effects model with the variance of Hartung and
Knapp (*A refined method for the meta-analysis of controlled clinical trials*, 2001), which holds
for few machines, too. A machine that is far from the middle of the others is set aside before.

Only machines that were calibrated speak of the design: those that were not may all lean the same
way. And reports are heard edition by edition: what a later one mended is not laid at its door.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..process.sure import HOLDS_95
from ..quantity import plain
from ..words import listed, say_name
from .choices import as_order
from .reports import Machine, Report

#: From so many machines on something is said of the design.
_MACHINES = 3
#: What is said must hold in 99 of 100 cases where there is nothing.
_SURE = 0.995
#: What calipers and hands do to a size alike, whoever measures, mm: a standard uncertainty.
_HANDS = 0.008
#: Nobody sees less with a caliper, mm.
_SEEN = 0.02
#: Of a size that may still be off by more, mm, nobody says that it comes out.
_PRAISED = 0.1
#: What is said in the place of a machine where a report names none.
_NOT_OURS = "no machine of ours"
#: So many times what is to be expected a machine must be off to be told.
_FAR = 3.0


@dataclass(frozen=True, slots=True)
class Make:
    """One reading of a size: the number of its report, whose machine and whether that was
    calibrated, what it is off from wanted and from expected, mm, and the ± that was stated, 0 where
    nobody knows."""

    report: int
    machine: str
    calibrated: bool
    off: float
    beside: float
    sure: float
    as_meant: bool | None


@dataclass(frozen=True, slots=True)
class SizeHeard:
    """A size over all makes. ``mean`` is what it is off on the machines that go together, mm, give
    or take ``around`` for 99 of 100; NaN where too few were heard. ``says`` is what follows, in
    words. ``everywhere`` is what it is off on all of them alike, mm, 0 where that is within what
    is to be expected; ``by`` what steps should add where they use it, mm, 0 where that is not known
    to be the design's."""

    name: str
    label: str
    makes: tuple[Make, ...]
    mean: float
    around: float
    says: str
    everywhere: float = 0.0
    by: float = 0.0


@dataclass(frozen=True, slots=True)
class MachineHeard:
    """A machine over all sizes: how many times what is to be expected it is off at most, of which
    size, and what follows in words; empty where nothing does."""

    name: str
    calibrated: str
    makes: int
    worst: float
    says: str


@dataclass(frozen=True, slots=True)
class Heard:
    """What all reports say. ``fits`` counts yes, almost, no; ``as_meant`` how many of the readings
    of sizes with a tolerance or a fit are within."""

    reports: int
    fits: tuple[int, int, int]
    as_meant: tuple[int, int]
    sizes: tuple[SizeHeard, ...]
    machines: tuple[MachineHeard, ...]


def whose(report: Report) -> str:
    """The machines of a report in words, told from another person's of the same name."""
    machines = [report.machine, *report.others]
    names = listed([machine.name for machine in machines if machine is not None])
    return _of(names or _NOT_OURS, report.who)


def _whose(machine: Machine | None, report: Report) -> str:
    return _of(machine.name if machine else _NOT_OURS, report.who)


def _of(name: str, who: str) -> str:
    return f"{name} of {who}" if who else name


def by_edition(reports: Sequence[Report]) -> dict[str, list[Report]]:
    """Reports by the number of the edition that was made, the latest first; those that name none
    under an empty one, last."""
    latest = sorted({report.number for report in reports}, key=as_order, reverse=True)
    return {number: [one for one in reports if one.number == number] for number in latest}


def heard(reports: Sequence[Report]) -> Heard:
    """What reports about one edition of a design say."""
    makes: dict[str, list[Make]] = {}
    labels: dict[str, str] = {}
    for number, report in enumerate(reports):
        for one in report.measured:
            labels[one.size] = one.label or labels.get(one.size) or say_name(one.size)
            machine = report.made_on(one)
            calibrated = machine is not None and bool(machine.calibrated)
            makes.setdefault(one.size, []).append(
                Make(
                    number, _whose(machine, report), calibrated, one.measured - one.wanted,
                    one.measured - one.expected, one.sure, one.is_as_meant,
                )
            )  # fmt: skip
    sizes = tuple(_size(name, labels[name], tuple(mine)) for name, mine in makes.items())
    told = [make.as_meant for mine in makes.values() for make in mine if make.as_meant is not None]
    yes, almost, no = (
        sum(report.fits == word for report in reports) for word in ("yes", "almost", "no")
    )
    return Heard(
        len(reports),
        (yes, almost, no),
        (sum(told), len(told)),
        sizes,
        _machines(reports, sizes),
    )


def _by_machine(makes: Sequence[Make]) -> dict[str, list[Make]]:
    machines: dict[str, list[Make]] = {}
    for make in makes:
        machines.setdefault(make.machine, []).append(make)
    return machines


def _size(name: str, label: str, makes: tuple[Make, ...]) -> SizeHeard:
    mine = _by_machine(makes)
    known = {one: group for one, group in mine.items() if all(make.calibrated for make in group)}
    speak = known if len(known) >= _MACHINES else mine
    means = np.array([np.mean([make.off for make in group]) for group in speak.values()])
    variances = _variances(speak, _scatter(mine))
    together = _together(means, variances)
    if together.sum() < _MACHINES:
        few = f"heard of {_machines_in_words(len(mine))}: too few to say whose fault it is"
        return SizeHeard(name, label, makes, math.nan, math.nan, few)
    mean, around = _mean(means[together], variances[together])
    many = _machines_in_words(len(speak))
    if speak is known and len(known) < len(mine):
        many += " that were calibrated"
    same = np.sign(means[together]) == np.sign(mean)
    if abs(mean) <= max(around, _SEEN) or same.mean() < 0.8:
        says = _nothing_proved(mean, around, many)
        return SizeHeard(name, label, makes, mean, around, says)
    by, way, change = plain(abs(mean), 2), "large", "-"
    if mean < 0:
        way, change = "small", "+"
    off = f"comes out {by} mm too {way} on {int(same.sum())} of {many}"
    if speak is not known:
        calibrated = f"{len(known) or 'none'} of them {'were' if len(known) > 1 else 'was'}"
        says = f"{off}, but {calibrated} calibrated: too few to say that it is the design's"
        return SizeHeard(name, label, makes, mean, around, says, mean)
    says = (
        f"{off}: that is the design's. Where a step uses it, {name} {change} {by} mm would come "
        "out as it is wanted"
    )
    return SizeHeard(name, label, makes, mean, around, says, mean, -mean)


def _nothing_proved(mean: float, around: float, machines: str) -> str:
    """What is said of a size that nothing is proved against: to within how much it is known to be
    right. That nothing was found where little was heard is no praise."""
    within = plain(math.ceil(100.0 * max(abs(mean) + around, _SEEN) - 1e-6) / 100.0, 2)
    if abs(mean) + around <= _PRAISED:
        return f"comes out as it is wanted, within {within} mm in the mean of {machines}"
    return f"is not seen to be off, but may be by up to {within} mm: {machines} do not tell more"


def _machines_in_words(count: int) -> str:
    return f"{count} machine{'s' if count != 1 else ''}"


def _variances(mine: dict[str, list[Make]], scatter: float) -> np.ndarray:
    """How sure the mean of each machine's makes is, mm²: by what is stated, and by what is seen.
    Where nobody stated it, it is no surer than the others', or than the machines lie apart."""
    unknown = max((make.sure for group in mine.values() for make in group), default=0.0)
    if unknown == 0 and len(mine) > 1:
        means = [np.mean([make.off for make in group]) for group in mine.values()]
        unknown = HOLDS_95 * float(np.std(means, ddof=1))
    return np.array(
        [
            max(
                sum(((make.sure or unknown) / HOLDS_95) ** 2 for make in group) / len(group),
                scatter**2,
            )
            / len(group)
            for group in mine.values()
        ]
    )


def _scatter(mine: dict[str, list[Make]]) -> float:
    """How much makes of one machine differ, pooled, mm; 0 where no machine made two."""
    squares = []
    for group in mine.values():
        middle = sum(make.off for make in group) / len(group)
        squares += [(make.off - middle) ** 2 for make in group]
    freedoms = len(squares) - len(mine)
    return math.sqrt(sum(squares) / freedoms) if freedoms > 0 else 0.0


def _together(means: np.ndarray, variances: np.ndarray) -> np.ndarray:
    """Which machines go together: not far from the middle of all, by what they differ and by what
    is stated. Where most of them differ much, none is set aside."""
    middle = np.median(means)
    spread = 1.4826 * np.median(np.abs(means - middle))
    far = _FAR * np.sqrt(variances + spread**2)
    close: np.ndarray = np.abs(means - middle) <= np.maximum(far, _SEEN)
    return close if close.sum() > len(means) / 2 else np.ones(len(means), dtype=bool)


def _mean(means: np.ndarray, variances: np.ndarray) -> tuple[float, float]:
    """The mean over machines and how sure it is (99 of 100)."""
    from scipy.special import stdtrit  # here: the window reads reports long after it has begun

    variances = np.maximum(variances, 1e-8)
    weights = 1 / variances
    fixed = (weights * means).sum() / weights.sum()
    q = (weights * (means - fixed) ** 2).sum()
    c = weights.sum() - (weights**2).sum() / weights.sum()
    between = max(0.0, (q - (len(means) - 1)) / c) if c > 0 else 0.0
    weights = 1 / (variances + between)
    mean = (weights * means).sum() / weights.sum()
    spread = (weights * (means - mean) ** 2).sum() / (len(means) - 1) / weights.sum()
    # Never surer than the model itself: few machines may agree by chance. Nor than hands are: all
    # of them press, and read holes on the flats of their jaws.
    spread = max(spread, 1 / weights.sum()) + _HANDS**2
    return float(mean), float(stdtrit(len(means) - 1, _SURE) * math.sqrt(spread))


def _machines(reports: Sequence[Report], sizes: Sequence[SizeHeard]) -> tuple[MachineHeard, ...]:
    calibrated: dict[str, list[str]] = {}
    for report in reports:
        for machine in (report.machine, *report.others):
            if machine is not None:
                calibrated.setdefault(_whose(machine, report), []).append(machine.calibrated)
    machines = []
    for name, days in calibrated.items():
        worst, says = 0.0, ""
        for size in sizes:
            group = [make for make in size.makes if make.machine == name]
            others = _others(size, name)
            stated = [make.sure / HOLDS_95 for make in group if make.sure > 0]
            if not group or (not stated and others is None):
                continue  # nobody knows what is to be expected
            # What is off on every machine is not this one's.
            beside = float(np.mean([make.beside for make in group])) - size.everywhere
            around = max(float(np.mean(stated)) if stated else 0.0, others or 0.0, _SEEN / 2)
            if abs(beside) / around > max(worst, _FAR) and abs(beside) > _SEEN:
                off = f"{plain(abs(beside), 2)} mm too {'large' if beside > 0 else 'small'}"
                says = _of_the_machine(size.label, off, max(days), is_alone=others is not None)
            worst = max(worst, abs(beside) / around)
        machines.append(MachineHeard(name, max(days), len(days), worst, says))
    return tuple(sorted(machines, key=lambda one: -one.worst))


def _of_the_machine(label: str, off: str, calibrated: str, *, is_alone: bool) -> str:
    """What is said of a machine; where others were not heard, the design may be at fault as
    well."""
    known = f"was calibrated on {calibrated}" if calibrated else "was never calibrated"
    if is_alone:
        again = " and should be again" if calibrated else ""
        return f"{label} comes off {off} on it alone: it {known}{again}"
    return (
        f"{label} comes off {off} on it, and too few others made it to say whether it is the "
        f"machine's or the design's: the machine {known}"
    )


def _others(size: SizeHeard, name: str) -> float | None:
    """How much the other machines differ in a size, mm; None where there are too few."""
    means = [
        float(np.mean([make.off for make in group]))
        for machine, group in _by_machine(size.makes).items()
        if machine != name
    ]
    if len(means) < _MACHINES:
        return None
    return 1.4826 * float(np.median(np.abs(np.array(means) - np.median(means))))
