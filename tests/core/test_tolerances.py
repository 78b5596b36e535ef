"""The tolerance run, against linear theory, sums by hand and a machine that is worked out another
way; and the review page that tells of it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy.stats import norm

from schablone.core.design import Adjustable, Publishing, read_design
from schablone.core.design.evaluate import table_of
from schablone.core.design.lens_table import machines_of
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import rebuild
from schablone.core.process import Process, shipped_processes
from schablone.core.process.sure import HOLDS_95
from schablone.core.prove.finding import Finding
from schablone.core.prove.mates import mates_of
from schablone.core.prove.size_report import SizeLine, size_report, slopes_of
from schablone.core.prove.tolerances import Share, off_machine, tolerance_run
from schablone.core.publish.review import review_text
from tests.conftest import SLIDE, TOP, plate
from tests.core.test_mates import FIRST, handle
from tests.core.test_size_report import printer

#: Printers that differ much, one of which nobody measured.
MACHINES = [
    printer(hole_gain=-0.2, hole_small=-0.3, shrinkage_xy=0.5, peg_gain=0.1),
    printer(hole_gain=0.05, peg_gain=-0.05, shrinkage_xy=-0.3, shrinkage_z=1.0, layer=0.2),
    shipped_processes()[0],
]


def hole_of(formula: str, tolerance: str = "", across: str = "bore"):
    bore = {"kind": "hole", "name": "bore_hole", "face": "plate/end", "diameter": across}
    design = plate(bore, sizes={"pin": "6 mm"})
    size = design.sizes[0].with_(name="bore", formula=formula, tolerance=tolerance)
    return design.model_copy(update={"sizes": (*design.sizes, size)})


def lines_of(design, machine: Process) -> tuple:
    built = rebuild(design, design.seen("wanted", machine))
    measures = measures_of(design, built)
    lines = size_report(design, measures, machine, built.table, machines_of(built))
    return measures, lines


def share_of(design, machine: Process) -> tuple[Share, SizeLine]:
    measures, lines = lines_of(design, machine)
    (share,) = tolerance_run(design, measures, lines)
    return share, next(line for line in lines if line.row.name == share.size)


@pytest.mark.parametrize("machine", MACHINES, ids=lambda one: one.name + str(one.hole_gain))
@pytest.mark.parametrize("tolerance", ["0.05 mm", "0.15 mm", "0.4 mm"])
@pytest.mark.parametrize("formula", ["inside(20 mm)", "20 mm", "inside(33 mm)"])
def test_shares_are_those_of_linear_theory(machine: Process, tolerance: str, formula: str) -> None:
    design = hole_of(formula, tolerance)
    share, line = share_of(design, machine)
    # The report carries derivatives through (a Jacobian); the run draws machines.
    apart = line.sure.piece
    low, high = share.low - line.row.expected.value, share.high - line.row.expected.value
    linear = norm.cdf(high / apart) - norm.cdf(low / apart)
    assert share.share == pytest.approx(linear, abs=0.02)
    assert share.spread == pytest.approx(apart, rel=0.04)
    assert share.expected == pytest.approx(line.row.expected.value, abs=4 * apart / 60)


def test_in_a_fit_both_sides_have_the_same_machine() -> None:
    design = handle()
    measures, lines = lines_of(design, FIRST)
    shares = tolerance_run(design, measures, lines)
    (mate,) = mates_of(design, measures, lines)
    gap = next(share for share in shares if share.meant == "sliding fit")
    apart = mate.around / HOLDS_95
    linear = norm.cdf((mate.high - mate.expected) / apart) - norm.cdf(
        (mate.low - mate.expected) / apart
    )
    assert gap.share == pytest.approx(linear, abs=0.012)
    assert gap.spread == pytest.approx(apart, rel=0.012)
    # Walls that stand too far out close the hole and widen the pin: drawn each by itself they would
    # not spread as wide.
    alone = math.hypot(*(line.sure.piece for line in lines if line.row.name in ("pin", "bore")))
    assert gap.spread > 1.05 * alone
    assert "pin of Grip in bore of head" in gap.words


def test_knowing_a_figure_is_worth_what_conditioning_says() -> None:
    """Where one cause has all the variance but the day's, knowing it leaves only that."""
    rows = {"names": ("hole_gain",), "rows": ((0.1**2,),)}
    days = {"names": ("hole_gain",), "rows": ((0.02**2,),)}
    spread = {"mean": rows, "days": days,
              "noise": dict.fromkeys(("round", "straight", "height"), 0.01)}  # fmt: skip
    machine = printer(hole_gain=-0.2, spread=spread)
    others = {"names": ("hole_gain", "hole_small", "shrinkage_xy"),
              "rows": ((0.01, 0, 0), (0, 1e-12, 0), (0, 0, 1e-12))}  # fmt: skip
    quiet = {"names": others["names"], "rows": ((0.0004, 0, 0), (0, 1e-12, 0), (0, 0, 1e-12))}
    machine = machine.with_(spread={**spread, "mean": others, "days": quiet})
    share, _ = share_of(hole_of("inside(20 mm)", "0.06 mm"), machine)
    uneven = 0.02 / 100 * 20
    before = math.sqrt(0.1**2 + 0.02**2 + 0.01**2 + uneven**2)
    after = math.sqrt(0.02**2 + 0.01**2 + uneven**2)
    assert share.share == pytest.approx(2 * norm.cdf(0.06 / before) - 1, abs=0.02)
    assert share.better == "hole gain of P"
    assert share.share_then == pytest.approx(2 * norm.cdf(0.06 / after) - 1, abs=0.02)


def test_stock_scatters_into_what_it_goes_into() -> None:
    box = read_design(TOP / "demo" / "hive-box.schablone")
    known = shipped_processes()
    machine = next(one for one in known if one.name == box.process)
    thick = table_of(box, machine).cells["board"].wanted.value
    sheet = {"name": "board", "nominal": 18.0, "measured": thick, "scatter": 0.12}
    size = box.size("board").with_(tolerance="0.2 mm")
    design = box.model_copy(
        update={"sizes": tuple(size if one.name == "board" else one for one in box.sizes)}
    )
    share, _ = share_of(design, machine.with_(stock=(sheet,)))
    assert share.share == pytest.approx(2 * norm.cdf(0.2 / 0.12) - 1, abs=0.02)
    assert share.better == "how thick the board is where it is cut"
    assert share.share_then == 1.0


@pytest.mark.parametrize("design", ["entrance-slide", "feeder-cap", "quick-coupon", "hive-box"])
def test_what_comes_off_is_what_another_way_to_the_machine_says(design: str) -> None:
    """The same size through a process whose figures are others, by the process itself."""
    found = read_design(TOP / "demo" / f"{design}.schablone")
    machine = next(one for one in shipped_processes() if one.name == found.process) if (
        found.process) else shipped_processes()[0]  # fmt: skip
    _, lines = lines_of(found, machine)
    rng, looked = np.random.default_rng(3), 0
    for line in lines:
        row, process = line.row, line.row.process
        slopes = slopes_of(row, process) if row.is_made and not row.measure.thick else {}
        if not slopes or row.measure.correction.axes == {"z"}:
            continue
        looked += 1
        off = {name: rng.normal(0, 1e-3, 5) for name in slopes}
        came = off_machine(row, process, off)
        # Small deviations go by the slopes, which the size report has from elsewhere.
        linear = row.expected.value + sum(slopes[name] * off[name] for name in slopes)
        assert came == pytest.approx(linear, abs=1e-5)
        nothing = off_machine(row, process, {name: np.zeros(1) for name in slopes})
        assert nothing[0] == pytest.approx(row.expected.value, abs=1e-9)
    assert looked > 0


def test_heights_come_in_whole_layers() -> None:
    machine = printer(layer=0.2, height_gain=0.05)
    design = plate(sizes={"high": "4.1 mm"})
    size = design.sizes[0].with_(tolerance="0.2 mm")
    text = design.model_copy(update={"sizes": (size,)}).model_dump()
    text["steps"][1]["by"] = "high"
    share, _ = share_of(type(design).model_validate(text), machine)
    # 4.1 mm are 20 or 21 layers; heights gain 0.05 mm on top.
    assert share.expected in (pytest.approx(4.05, abs=0.01), pytest.approx(4.25, abs=0.01))


def test_nothing_is_told_where_nothing_is_meant() -> None:
    measures, lines = lines_of(hole_of("20 mm"), MACHINES[0])
    assert tolerance_run(hole_of("20 mm"), measures, lines) == []


# The review


def review(design, machine: Process, ranged=None, findings=()) -> str:
    measures, lines = lines_of(design, machine)
    table = table_of(design, machine)
    shares = tolerance_run(design, measures, lines)
    return review_text(design, machine, table, findings, ranged, (), shares)


def test_a_review_says_what_is_still_open() -> None:
    slide = read_design(SLIDE)
    found = [Finding("Drones can pass", False, "passage = 7 mm")]
    ranged = {
        "whole": False, "done": 12, "count": 300, "machines": {"Printer": [12, 3]}, "unsure": [],
        "found": [
            {"title": "With width 40 mm", "check": "One", "why": "none", "elsewhere": False},
            {"title": "On Meise", "check": "Fits", "why": "too long", "elsewhere": True},
        ],
    }  # fmt: skip
    text = review(slide, shipped_processes()[0], ranged, found)
    still = text.partition("## Still open")[2].partition("## ")[0]
    assert "Drones can pass does not hold: passage = 7 mm" in still
    assert "stopped after 12 of 300 builds" in still
    assert "With width 40 mm" in still
    assert "On Meise" not in still  # another machine's limit is no open point
    assert "Set, with no word about what for: `height`" in still
    assert "Printer: 12 builds, 3 fail" in text
    assert "hole ø" in text.partition("## In words")[2]
    assert "not proved over its whole range" in review(slide, shipped_processes()[0])


def test_a_review_shows_what_strangers_wrote_as_text() -> None:
    design = plate(sizes={"a": "3 mm"}).with_(
        name="<img src=x> [link](http://x)",
        publish=Publishing(
            summary="**bold**", author="*me*", adjust=(Adjustable(size="a", help="<b>x</b>"),)
        ),
    )
    text = review(design, MACHINES[0])
    assert "<img" not in text
    assert "<b>" not in text
    assert "[link](" not in text
    assert "**without both limits**" in text
    assert "Nothing says what to measure before one makes it." in text
