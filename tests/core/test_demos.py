"""The demo designs: whole at their sizes, at their limits and in every variant, with their checks
holding."""

from __future__ import annotations

import math
from pathlib import Path

import pytest

from schablone.core.design import read_design
from schablone.core.design.edit import choose_row
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.kernel.operations import merged
from schablone.core.process import Lens, LensView, neutral, shipped_processes
from schablone.core.prove import findings
from tests.conftest import DEMOS as ALL_DEMOS
from tests.conftest import TOP

DEMOS = sorted((TOP / "demo").glob("*.schablone"))
#: Those whose geometry takes seconds are tried at fewer limits.
SLOW = {"smoker-heat-guard"}
LIMITS = [p for p in ALL_DEMOS if p.values[0] not in SLOW]


@pytest.mark.parametrize("path", DEMOS, ids=lambda path: path.stem)
def test_it_is_whole_and_what_must_hold_holds(path: Path) -> None:
    design = read_design(path)
    process = next((p for p in shipped_processes() if p.name == design.process), neutral())
    found = rebuild(design, LensView("wanted", process))
    assert found.whole, [p.text for p in found.problems]
    assert [f.name for f in findings(design, found) if not f.holds] == []
    assert design.note
    assert all(size.note or size.formula for size in design.sizes)


@pytest.mark.parametrize("lens", ["sent", pytest.param("expected", marks=pytest.mark.nightly)])
@pytest.mark.parametrize("demo", ALL_DEMOS)
def test_what_must_hold_holds_through_the_other_lenses(demo: str, lens: Lens) -> None:
    design, known = read_design(TOP / "demo" / f"{demo}.schablone"), shipped_processes()
    process = next((p for p in known if p.name == design.process), neutral())
    found = rebuild(design, design.seen(lens, process, known))
    assert found.whole, [p.text for p in found.problems]
    assert [(f.name, f.why) for f in findings(design, found) if not f.holds] == []


@pytest.mark.parametrize("demo", LIMITS)
def test_it_follows_every_size_to_its_limits(demo: str) -> None:
    design, memory = read_design(TOP / "demo" / f"{demo}.schablone"), Memory()
    for size in design.sizes:
        for end in (size.low, size.high):
            if end and size.name not in design.table.columns:
                found = rebuild(
                    design, LensView("wanted", neutral()), memory, given={size.name: end}
                )
                assert found.whole, (size.name, end, [p.text for p in found.problems])


def test_the_panels_slots_are_as_many_as_fit() -> None:
    found = rebuild(
        read_design(TOP / "demo" / "excluder-panel.schablone"), LensView("wanted", neutral())
    )
    across, along = int((370 - 28 + 3.4) // 7.6), ((460 - 28 + 8) // 36)
    slot = (28 - 4.2) * 4.2 + math.pi / 4 * 4.2**2
    assert found.bodies["panel"].figures().volume == pytest.approx(
        (460 * 370 - across * along * slot) * 2
    )


def test_the_caps_plug_is_what_the_machine_needs_for_a_press_fit(amsel) -> None:
    design = read_design(TOP / "demo" / "feeder-cap.schablone")
    found = rebuild(design, LensView("wanted", amsel))
    assert found.table.cells["plug"].wanted.value == pytest.approx(70 - amsel.clearance("press"))
    assert found.bodies["cap"].figures().bounds[1][2] == pytest.approx(2.4 + 14)


@pytest.mark.parametrize(
    ("row", "length", "width", "high"),
    [("Hummel 10", 462, 372, 232), ("Hummel Mini", 238, 196, 158)],
)
def test_the_boards_of_the_hive_box_fill_its_corners(row, length, width, high) -> None:
    """Put together the boards are the whole box, no joint left open and none filled twice."""
    design = choose_row(read_design(TOP / "demo" / "hive-box.schablone"), row)
    found = rebuild(design, LensView("wanted", neutral()))
    stock = 18
    walls = ((width + 2 * stock) * (length + 2 * stock) - width * length) * high
    rests = 2 * stock / 2 * 19 * width
    grips = 4 * ((110 - 24) * 24 + math.pi * 12**2) * stock / 2
    assert sum(f.volume for f in found.figures.values()) == pytest.approx(walls - rests - grips)
    boards = list(found.bodies.values())
    together = boards[0]
    for board in boards[1:]:
        together = merged(together, board)
    assert together.figures().volume == pytest.approx(walls - rests - grips)


def test_the_winter_lid_is_what_its_stencils_come_to() -> None:
    design, memory = read_design(TOP / "demo" / "winter-lid.schablone"), Memory()
    for width, height in ((160, 120), (220, 150)):
        given = {"width": f"{width} mm", "height": f"{height} mm"}
        found = rebuild(design, LensView("wanted", neutral()), memory, given)
        field = (width - 36, height - 36)
        columns, rows = int((field[0] - 8 + 4) // 22), int((field[1] - 8 + 4) // 7)
        assert found.table.cells["passages"].wanted.value == columns * rows
        vents = columns * rows * (math.pi * 2.25 + 15 * 3) * 4
        across = 0.85 * 3 + 4
        post = (across + 4) ** 2 * 3 + math.pi / 4 * across**2 * 7 - math.pi / 4 * 2.55**2 * 9
        # A label of 44 by 8 mm with 0.3 mm around, and what its notch takes beside and below.
        half = math.pi * 9 / 2
        label = 44.6 * 8.6 * 0.8 + half * 1.4 + half * 0.6
        # The notch goes 9 mm to the edge, 5 mm wide, with half a round behind it.
        cable = (9 * 5 + math.pi / 2 * 6.25) * 6
        ribs = int((height - 3 + 2) // 3.2)
        whole = width * height * 6 - field[0] * field[1] * 2 - vents - label - cable
        whole += 4 * post + 2 * ribs * 1.2 * 3 * 0.8
        assert found.figures["part"].volume == pytest.approx(whole, rel=1e-9)
