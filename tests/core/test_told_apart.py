"""Fits that a machine can tell apart, tried on practice machines, which share nothing with the
figures that are fitted to them."""

from __future__ import annotations

import itertools

import numpy as np
import pytest

from schablone.core.design import read_design
from schablone.core.gallery.makers import blank, coupon_features, learned
from schablone.core.practice.caliper import Caliper
from schablone.core.practice.cutting import Laser
from schablone.core.practice.features import Measurable
from schablone.core.practice.printing import FilamentPrinter, ResinPrinter
from schablone.core.process import shipped_processes
from schablone.core.process.fits import Fits
from schablone.core.process.taking_over import calibrated_fits
from schablone.core.process.told_apart import (
    gap_within,
    not_told_apart,
    say_spacing,
    spaced,
    spacing,
    with_spacing,
)
from tests.conftest import TOP

COUNT = 60
FITS = ("press", "push", "sliding", "loose")


@pytest.fixture(scope="module", params=["filament print", "resin print", "laser or knife"])
def some(request):
    """Machines of a kind with what a test piece told of each."""
    of, coupon, ending = {
        "filament print": (FilamentPrinter.of, "printing-coupon", ".stl"),
        "resin print": (ResinPrinter.of, "printing-coupon", ".stl"),
        "laser or knife": (Laser.of, "cutting-coupon", ".dxf"),
    }[request.param]
    features = coupon_features(read_design(TOP / "demo" / f"{coupon}.schablone"), ending)
    machines = [of(500 + k) for k in range(COUNT)]
    return [
        (machine, learned(request.param, machine, features, Caliper.of(k, 0.01), k))
        for k, machine in enumerate(machines)
    ]


def _gap(machine, process, hole: float, peg: float, seed: int) -> float:
    """The gap of a hole and a peg that are made in one piece, corrected for the machine."""
    if process.family == "cut":
        kerf = process.cut_width("", 3.0)
        sent = hole - kerf, peg + kerf
    else:
        scale = 1 - process.shrinkage_xy / 100
        sent = process.send_inside(hole) / scale, process.send_outside(peg) / scale
    features = [Measurable("hole", sent[0], -20.0, 0.0), Measurable("peg", sent[1], 20.0, 0.0)]
    made = {
        one.feature.kind: one.size
        for one in machine.make(features, 7_000_000 + seed, 8_000_000 + seed)
    }
    return made["hole"] - made["peg"]


def test_a_gap_comes_out_within_what_is_said(some) -> None:
    held, widths = 0, []
    for seed, (machine, process) in enumerate(some):
        within = gap_within(process)
        widths.append(within)
        held += abs(_gap(machine, process, 10.1, 9.9, seed) - 0.2) <= within
    assert held >= 0.88 * COUNT
    assert max(widths) < 0.25


def test_what_is_meant_to_slide_slides_once_fits_are_spaced(some) -> None:
    """Of the sliding and the loose fit; the tightest two stay as they are."""
    right = 0
    for seed, (machine, process) in enumerate(some):
        gaps = [getattr(spaced(process), fit) for fit in FITS]
        made = _gap(machine, process, 10 + gaps[2] / 2, 10 - gaps[2] / 2, 900 + seed)
        right += int(np.argmin([abs(made - gap) for gap in gaps])) == 2
    assert right >= 0.9 * COUNT


def test_spacing_moves_what_must_and_says_so(some) -> None:
    for _, process in some[:10]:
        made = process.with_(fits=spaced(process))
        assert set(not_told_apart(made)) <= {("press", "push")}
        assert (made.fits.press, made.fits.push) == (process.fits.press, process.fits.push)
        for a, b in itertools.pairwise(FITS):
            assert getattr(made.fits, a) <= getattr(made.fits, b)
        assert spacing(made) == {}
        assert say_spacing(made) == ""
        assert "mm" in say_spacing(process.with_(fits=process.fits.with_(sliding=0.06)))


def test_what_was_never_measured_is_not_spaced() -> None:
    for process in shipped_processes():
        assert spacing(process) == {}
        assert say_spacing(process) == ""
    assert gap_within(blank("filament print")) > 0.2
    folding = next(p for p in shipped_processes() if p.family == "fold")
    assert gap_within(folding) is None
    assert spaced(folding) == folding.fits


def test_gaps_beyond_what_a_fit_can_be_stay_and_what_was_felt_is_no_longer_said_so(some) -> None:
    _, process = some[0]
    wide = process.with_(fits=process.fits.with_(push=4.9, sliding=4.9, loose=5))
    assert spaced(wide) == wide.fits
    assert spacing(wide) == {}
    felt = calibrated_fits(
        process, {"push": 0.05, "sliding": 0.06, "loose": 0.07}, "2026-01-01", 8.0
    )
    made = with_spacing(felt, "2026-01-02")
    assert made.fits.sliding > 0.06
    assert "fits.push" in made.known
    assert not {"fits.sliding", "fits.loose"} & set(made.known)
    assert made.history[-1].fits == felt.fits


@pytest.mark.parametrize("reference", [0.0, 3.0, 10.0, 40.0])
def test_a_gap_that_was_found_by_feel_is_that_of_the_size_that_it_was_found_at(reference) -> None:
    """A tab of 8 mm says what fits at 8 mm, whatever size the gaps are kept at."""
    fits = Fits(press=-0.1, push=0.0, sliding=0.2, loose=0.6, reference=reference)
    process = shipped_processes()[0].with_(fits=fits)
    felt = {"press": -0.15, "push": 0.05, "sliding": 0.25, "loose": 0.55}
    made = calibrated_fits(process, felt, "2026-01-01", 8.0)
    for fit, gap in felt.items():
        assert made.clearance(fit, 8.0) == pytest.approx(gap, abs=1e-4)
    if reference:
        # ISO 286: the tolerance unit is 0.45 times the cube root of the size, and a thousandth of
        # the size, in µm.
        unit = [0.45 * size ** (1 / 3) + 0.001 * size for size in (20.0, 8.0)]
        assert made.clearance("loose", 20.0) == pytest.approx(0.55 * unit[0] / unit[1], abs=1e-3)
