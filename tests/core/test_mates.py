"""Fits between two made parts: gaps by hand, how sure they are by drawing machines at random."""

from __future__ import annotations

import math

import numpy as np
import pytest

from schablone.core.design import Design
from schablone.core.design.lens_table import machines_of
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.process import neutral
from schablone.core.process.sure import HOLDS_95, mean_and_days
from schablone.core.prove.mates import Mate, fits_of_parts, mates_of, say_mate
from schablone.core.prove.size_report import size_report

FIRST = neutral().with_(
    name="First printer", kind="filament print", shrinkage_xy=0.4, hole_gain=-0.2, peg_gain=0.1,
    fits={"press": -0.05, "push": 0.05, "sliding": 0.2, "loose": 0.4},
)  # fmt: skip
SECOND = FIRST.with_(
    name="Second printer", hole_gain=-0.05, peg_gain=0.02,
    fits={"press": 0.0, "push": 0.1, "sliding": 0.3, "loose": 0.5},
)  # fmt: skip


def disc_on(part: str, name: str, across: str, mode: str = "add") -> list[dict]:
    return [
        {"kind": "sketch", "name": f"{name}_at", "shapes": [
            {"kind": "circle", "name": "c", "diameter": across}]},
        {"kind": "extrude", "name": name, "sketch": f"{name}_at", "by": "10 mm", "part": part,
         "mode": mode},
    ]  # fmt: skip


def handle(
    pin: str = "shared_peg(base, sliding)",
    bore: str = "shared_hole(base, sliding)",
    process: str = "",
) -> Design:
    """A head of 30 mm with a bore, and a pin of another part that goes into it."""
    return Design.model_validate(
        {
            "name": "Handle",
            "sizes": [
                {"name": "base", "formula": "8 mm"},
                {"name": "pin", "formula": pin},
                {"name": "bore", "formula": bore},
            ],
            "parts": [{"name": "head"}, {"name": "grip", "title": "Grip", "process": process}],
            "steps": [
                *disc_on("head", "body", "30 mm"),
                *disc_on("head", "hollow", "bore", "cut"),
                *disc_on("grip", "peg", "pin"),
            ],
        }
    )


def mates(design: Design, known: tuple = (SECOND,)) -> list[Mate]:
    built = rebuild(design, design.seen("wanted", FIRST, known), Memory())
    assert built.whole, built.problems
    measures = measures_of(design, built)
    lines = size_report(design, measures, FIRST, built.table, machines_of(built))
    return mates_of(design, measures, lines)


def test_a_shared_fit_is_one_row():
    (mate,) = mates(handle())
    assert (mate.inside, mate.outside, mate.word) == ("bore", "pin", "sliding")
    assert mate.inside_parts == {"head"}
    assert mate.outside_parts == {"grip"}
    # Both are corrected, so that the gap comes out as the class has it, halfway to its neighbours.
    assert mate.wanted == pytest.approx(0.2)
    assert mate.expected == pytest.approx(0.2)
    assert (mate.low, mate.high) == (pytest.approx(0.125), pytest.approx(0.3))
    titles = {"head": "Head", "grip": "Grip"}
    assert say_mate(mate, titles) == "pin of Grip in bore of Head"


def test_parts_of_two_machines_share_the_gaps_of_both():
    (mate,) = mates(handle(process="Second printer"))
    # Each gives half of the gap of its own machine: 0.1 and 0.15.
    assert mate.wanted == pytest.approx(0.25)
    assert mate.expected == pytest.approx(0.25)
    # Half of the way to the neighbours on each: 0.125/2 + 0.2/2 to 0.3/2 + 0.4/2.
    assert (mate.low, mate.high) == (pytest.approx(0.1625), pytest.approx(0.35))


@pytest.mark.parametrize(
    ("pin", "bore", "wanted", "expected"),
    [
        ("peg(8 mm)", "hole_for(pin, push)", 0.05, 0.05),
        # The pin is scaled for its shrinkage, but not corrected: it comes out 0.1 mm larger.
        ("8 mm", "hole_for(pin, loose)", 0.4, 0.3),
        ("peg_for(bore, sliding)", "inside(8 mm)", 0.2, 0.2),
    ],
)
def test_what_is_made_for_the_size_of_another_part(pin, bore, wanted, expected):
    (mate,) = mates(handle(pin, bore))
    assert mate.wanted == pytest.approx(wanted)
    assert mate.expected == pytest.approx(expected)


def test_what_comes_out_as_another_fit_is_told():
    design = handle("8 mm", "8.2 mm + 0 * shared_hole(base, sliding)")
    assert mates(design) == []  # no fit is asked for
    off = handle("8.4 mm", "hole_for(pin, press)")
    (mate,) = mates(off)
    assert mate.verdict == "off"
    assert mate.expected == pytest.approx(-0.15)
    built = rebuild(off, off.seen("wanted", FIRST), Memory())
    (finding,) = fits_of_parts(off, built)
    assert not finding.holds
    assert "pin of Grip in bore of head" in finding.why
    good = handle()
    (held,) = fits_of_parts(good, rebuild(good, good.seen("wanted", FIRST), Memory()))
    assert held.holds


def test_pegs_and_holes_of_one_part_are_no_mates():
    design = handle()
    steps = [
        step.model_copy(update={"part": "head"}) if "part" in type(step).model_fields else step
        for step in design.steps
    ]
    assert mates(design.model_copy(update={"steps": tuple(steps)})) == []


def test_other_sizes_and_classes_are_no_mates():
    assert mates(handle(bore="shared_hole(base, loose)")) == []
    assert mates(handle(bore="shared_hole(9 mm, sliding)")) == []


@pytest.mark.parametrize("process", ["", "Second printer"])
def test_how_sure_a_gap_is_agrees_with_machines_drawn_at_random(process):
    """What nobody measured of a machine is drawn many times, both sizes are made on it, and what
    differs from day to day and from piece to piece is drawn for each; or once for both, where one
    machine makes both on one day. What is said is the worse of the two."""
    design = handle(process=process)
    built = rebuild(design, design.seen("wanted", FIRST, (SECOND,)), Memory())
    measures = measures_of(design, built)
    lines = size_report(design, measures, FIRST, built.table, machines_of(built))
    (mate,) = mates_of(design, measures, lines)
    by_name = {line.row.name: line for line in lines}
    rng, count = np.random.default_rng(7), 200_000
    made, at_once = {}, {}
    machines: dict[str, np.ndarray] = {}
    days_of: dict[str, np.ndarray] = {}
    for size, gain, small in (
        ("bore", "hole_gain", "hole_small"), ("pin", "peg_gain", "peg_small"),
    ):  # fmt: skip
        line = by_name[size]
        names = ("shrinkage_xy", "hole_gain", "hole_small", "peg_gain", "peg_small")
        mean, days = mean_and_days(line.row.process, names, None)
        machine = machines.setdefault(
            line.row.process.name, rng.multivariate_normal(np.zeros(5), mean, count)
        )
        day = rng.multivariate_normal(np.zeros(5), days, count)
        one_day = days_of.setdefault(line.row.process.name, day)
        rest = line.sure.piece**2 - _known(line, names, mean, days)
        single = rng.normal(0, math.sqrt(max(rest, 0.0)), count)
        for into, of_day in ((made, day), (at_once, one_day)):
            today = machine + of_day
            off = {name: today[:, k] for k, name in enumerate(names)}
            sent = line.row.sent.value
            # The forward model, written out: what shrinks, and what walls gain.
            figure = {name: getattr(line.row.process, name) or 0.0 for name in names}
            into[size] = single + (
                sent * (1 - (figure["shrinkage_xy"] + off["shrinkage_xy"]) / 100)
                + figure[gain] + off[gain] + (figure[small] + off[small]) / sent
            )  # fmt: skip
    spreads = [float(np.std(pair["bore"] - pair["pin"])) for pair in (made, at_once)]
    assert mate.around == pytest.approx(HOLDS_95 * max(spreads), rel=0.02)
    if not process:
        assert spreads[1] > spreads[0]


def _known(line, names, mean, days) -> float:
    """The part of a piece's variance that is the machine's, by its derivatives taken by hand."""
    sent, gain = line.row.sent.value, "hole_gain" if line.row.name == "bore" else "peg_gain"
    small = gain.replace("gain", "small")
    slopes = {"shrinkage_xy": -sent / 100, gain: 1.0, small: 1 / sent}
    way = np.array([slopes.get(name, 0.0) for name in names])
    return float(way @ (mean + days) @ way)
