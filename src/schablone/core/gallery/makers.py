"""Simulated makers: each takes an edition, chooses sizes within its range, makes it on a practice
machine, measures and reports. The machines work on the exported file and share no code with the
processes that are fitted to them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from ..design.lens_table import machines_of
from ..design.measures import measures_of
from ..design.model import Design
from ..design.rebuild import Memory, Rebuilt, rebuild
from ..practice import features_of_file
from ..practice.caliper import Caliper, Made
from ..practice.cutting import Laser, Router
from ..practice.features import Measurable
from ..practice.machines import Maker as Machine
from ..practice.printing import FilamentPrinter, ResinPrinter
from ..problem import errors
from ..process.calibrate import calibrate
from ..process.known import Material
from ..process.model import Process, neutral
from ..process.readings import MadePiece, Reading
from ..process.taking_over import calibrated, calibrated_cut
from ..process.told_apart import spaced
from ..prove.checks import beds
from ..prove.ranges.allowed import Sheets, allowed_of
from ..prove.size_report import SizeLine, size_report
from ..publish.choices import choice_of
from ..publish.exports import export
from ..publish.pieces import pieces_of
from ..publish.reports import Report, asked_back, measured_as, report_of

#: How careful somebody is: *careful* measures a whole test piece three times with a fine caliper,
#: *coarse* has one with a last digit of 0.05 mm, *careless* slips now and then and looks once,
#: *none* never calibrated.
Care = Literal["careful", "coarse", "careless", "none"]
CARES: tuple[Care, ...] = ("careful", "careful", "careful", "coarse", "careless", "none")

_MACHINES: dict[str, Callable[[int], Machine]] = {
    "filament print": FilamentPrinter.of,
    "resin print": ResinPrinter.of,
    "laser or knife": Laser.of,
    "router": Router.of,
}
_TITLES = {
    "filament print": "Filament printer", "resin print": "Resin printer",
    "laser or knife": "Laser", "router": "Router",
}  # fmt: skip
_NAMES = (
    "Anke", "Bo", "Cem", "Dana", "Emil", "Fee", "Gus", "Hanna", "Ivo", "Jule", "Kaj", "Lena",
    "Milo", "Nele", "Ole", "Pia", "Quirin", "Rosa", "Sami", "Tove", "Udo", "Vera", "Wim", "Xenia",
    "Yola", "Zeno",
)  # fmt: skip
#: The day that everything here happens on.
_DAY = "2026-05-30"
#: So near to what a file says a feature must be to be the size that is looked for, mm.
_NEAR = 0.02
#: So many choices are tried until one can be made on the machine.
_TRIES = 12


def readings(measured: Sequence[tuple[Measurable, tuple[float, ...]]]) -> tuple[Reading, ...]:
    """What a hand wrote down, as the calibration takes it."""
    return tuple(
        Reading(f.kind, f.size, value, f.label, f.axis)
        for f, values in measured
        for value in values
    )


def blank(kind: str, layer: float = 0.0, name: str = "machine") -> Process:
    """A process of a kind of which nothing is known but what stands on the machine."""
    fields: dict[str, object] = {}
    if kind == "router":
        fields = {"cutter": 6.0}
    elif "laser" in kind:
        fields = {"kerfs": ({"thickness": 3.0, "kerf": 0.2},)}
    if layer:
        fields["layer"] = layer
    return Process.model_validate(
        {"name": name, "kind": kind, "material": Material(name="stuff", density=1.0), **fields}
    )


def learned(
    kind: str,
    machine: Machine,
    features: Sequence[Measurable],
    caliper: Caliper,
    seed: int,
    *,
    outliers: int = 0,
    times: int = 3,
    name: str = "machine",
) -> Process:
    """The process that one test piece gives, made on one day and measured so many times;
    ``outliers`` of the readings are grossly wrong."""
    layer = float(getattr(machine, "layer", 0.0))
    piece = machine.make(list(features), 1_000_000 + seed, 20_000_000 + seed)
    measured = list(readings(caliper.readings(piece, times, seed)))
    chance = np.random.default_rng([seed, 99])
    for k in chance.choice(len(measured), outliers, replace=False).tolist():
        wrong = float(chance.choice([-1, 1]) * chance.uniform(0.2, 0.8))
        measured[k] = replace(measured[k], measured=measured[k].measured + wrong)
    made = MadePiece(tuple(measured), _DAY, caliper.closed())
    process = blank(kind, layer, name)
    calibration = calibrate([made], kind, layer=layer, cutter=process.cutter)
    if "print" in kind:
        known = calibrated(process, calibration, _DAY)
    else:
        known = calibrated_cut(process, calibration, _DAY, "", 3.0)
    # As the window proposes it, for gaps that nobody has tried by hand.
    return known.with_(fits=spaced(known))


def coupon_features(coupon: Design, ending: str) -> list[Measurable]:
    """What can be measured on a test piece, by its file of a format (``.stl`` or ``.dxf``)."""
    built = rebuild(coupon, coupon.seen("sent", neutral()))
    return features_of_file(export(pieces_of(coupon, built, ending), f"c{ending}"), f"c{ending}")


@dataclass(frozen=True, slots=True)
class Maker:
    """Somebody with a machine: what they know of it (``process``), and what it does."""

    name: str
    care: Care
    process: Process
    machine: Machine
    caliper: Caliper
    seed: int


def name_of(number: int) -> str:
    """What a maker is called: no two are called alike."""
    turn, which = divmod(number, len(_NAMES))
    return f"{_NAMES[which]} {turn + 1}" if turn else _NAMES[which]


def makers(
    kinds: Sequence[str],
    count: int,
    test_pieces: Mapping[str, Sequence[Measurable]],
    seed: int = 0,
    first: int = 0,
) -> list[Maker]:
    """So many makers from the ``first`` on, their machines by turns of some kinds, their care by
    turns of :data:`CARES`. ``test_pieces`` has the features of a file for each kind."""
    makers = []
    for number in range(first, first + count):
        kind, care = kinds[number % len(kinds)], CARES[number // len(kinds) % len(CARES)]
        mine = 7919 * (seed + 1) + number
        machine = _MACHINES[kind](mine)
        caliper = Caliper.of(mine, 0.05 if care == "coarse" else 0.01)
        title = _TITLES[kind]
        layer = float(getattr(machine, "layer", 0.0))
        if care == "none":
            process = blank(kind, layer, title)
        else:
            process = learned(
                kind, machine, test_pieces[kind], caliper, mine, name=title,
                outliers=2 if care == "careless" else 0, times=1 if care == "careless" else 3,
            )  # fmt: skip
        makers.append(Maker(name_of(number), care, process, machine, caliper, mine))
    return makers


@dataclass(frozen=True, slots=True)
class MadeSize:
    """A size as it was truly made, mm, and whether that is as it is meant; None where nothing says
    what is meant."""

    line: SizeLine
    made: float

    @property
    def is_as_meant(self) -> bool | None:
        """Whether it lies within its tolerance; None where it has none that holds."""
        meant = self.line.meant
        return None if meant is None or meant.trouble else meant.low <= self.made <= meant.high


@dataclass(frozen=True, slots=True)
class MadeUp:
    """A make: its report, what was truly made as it was sent, and what the same machine makes of
    the design without any correction."""

    report: Report
    sent: tuple[MadeSize, ...]
    plain: tuple[MadeSize, ...]


def made_by(maker: Maker, design: Design, memory: Memory | None = None) -> MadeUp | str:
    """Let a maker take an edition, choose within its range, make it and report; or why they cannot,
    in words. ``design`` is that of the edition."""
    chance = np.random.default_rng([maker.seed, 31])
    sheets = Sheets(allowed_of(design, maker.process))
    memory = memory if memory is not None else Memory()
    why = "nothing that it allows can be made on the machine"
    for _ in range(_TRIES):
        names = [span.name for span in sheets.allowed.spans]
        shares = dict(zip(names, chance.random(len(names)).tolist(), strict=True))
        point = sheets.placed(shares, sheets.allowed.rows[0], maker.process.name, "a choice")
        if point is None or not sheets.is_allowed(point):
            continue
        given = sheets.allowed.given(point)
        built = rebuild(design, design.seen("sent", maker.process), memory, given)
        trouble = errors(built.problems)
        if trouble or not built.bodies:
            why = trouble[0].text if trouble else "it makes no part"
            continue
        if small := next((finding for finding in beds(built) if not finding.holds), None):
            why = small.why
            continue
        return _make(maker, design, given, built, memory)
    return why


def _make(
    maker: Maker, design: Design, given: Mapping[str, str], built: Rebuilt, memory: Memory
) -> MadeUp:
    process = maker.process
    lines = asked_back(
        design,
        size_report(design, measures_of(design, built), process, built.table, machines_of(built)),
    )
    pieces = _made(maker, design, built, 1)
    made_lines = [
        (line, made) for line in lines if (made := _that(line, line.row.sent.value, pieces))
    ]
    plain = rebuild(design, design.seen("wanted", process), memory, given)
    as_drawn = _made(maker, design, plain, 2)
    choice = choice_of(design, given, process)
    values = _read(maker, [made for _, made in made_lines])
    measured = tuple(
        measured_as(design, line, value)
        for (line, _), value in zip(made_lines, values, strict=True)
    )
    told = [one.is_as_meant for one in measured if one.is_as_meant is not None]
    fits = "yes" if all(told) else "almost" if sum(told) * 2 >= len(told) else "no"
    report = report_of(
        choice, process, date=_DAY, who=maker.name, measured=measured, fits=fits if told else "",
        words="" if all(told) else "One of them did not go together as it should.",
    )  # fmt: skip
    return MadeUp(
        report,
        tuple(MadeSize(line, made.size) for line, made in made_lines),
        tuple(
            MadeSize(line, made.size)
            for line in lines
            if (made := _that(line, line.row.wanted.value, as_drawn))
        ),
    )


def _made(maker: Maker, design: Design, built: Rebuilt, piece: int) -> list[Made]:
    """What the machine makes of the file that it is sent."""
    ending = ".stl" if maker.process.family == "print" else ".dxf"
    data = export(pieces_of(design, built, ending), f"piece{ending}")
    features = features_of_file(data, f"piece{ending}")
    return maker.machine.make(
        features, 3_000_000 + maker.seed, 40_000_000 + 10 * maker.seed + piece
    )


def _that(line: SizeLine, size: float, made: Sequence[Made]) -> Made | None:
    """The feature of a piece that is a size, found by its kind and by what the file says of it."""
    correction = line.row.measure.correction
    if correction.axes == {"z"}:
        kind = "height"
    elif correction.side == "inside":
        kind = "hole" if correction.round else "opening"
    else:
        kind = "peg" if correction.round else "length"
    near = [
        one for one in made if one.feature.kind == kind and abs(one.feature.size - size) <= _NEAR
    ]
    return min(near, key=lambda one: abs(one.feature.size - size), default=None)


def _read(maker: Maker, made: Sequence[Made]) -> list[float]:
    """What a hand reads, the middle of three readings, to the last digit of its caliper."""
    if not made:
        return []
    rows = maker.caliper.readings(list(made), 3, maker.seed)
    zero = maker.caliper.closed() if maker.care != "careless" else 0.0
    return [round(float(np.median(values)) - zero, 3) for _, values in rows]
