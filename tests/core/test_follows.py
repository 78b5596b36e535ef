"""What follows a size, and which values are worth trying."""

from __future__ import annotations

import pytest

from schablone.core.design import read_design
from schablone.core.process import LensView, neutral
from schablone.core.prove.follows import what_follows
from schablone.core.prove.trying import values_to_try
from tests.conftest import SLIDE, TOP, plate


def follows(design, name):
    return what_follows(design, LensView("wanted", neutral()), name)


def test_the_thickness_moves_the_top_and_not_the_bottom() -> None:
    found = follows(read_design(SLIDE), "board")
    assert "plate/end" in found.moved
    assert "plate/start" in found.stays
    assert not found.trouble


def test_what_was_never_tied_stays() -> None:
    """A hole at a typed place does not follow the width: that is how people find it."""
    design = plate(
        {"kind": "hole", "name": "bore", "face": "plate/end", "x": "40 mm"},
        sizes={"wide": "100 mm"},
    )
    steps = list(design.steps)
    steps[0] = steps[0].with_(shapes=(steps[0].shapes[0].with_(width="wide"),))
    found = follows(design.with_(steps=tuple(steps)), "wide")
    assert {"plate/side/edge.left", "plate/side/edge.right", "plate/end"} <= found.moved
    assert "bore/wall" in found.stays


def test_members_that_come_and_go_are_told() -> None:
    found = follows(read_design(SLIDE), "passages")
    assert {"passage_hole/wall#27"} == {name for name in found.came if "passage" in name}
    assert not found.went


def test_values_at_which_a_count_changes_are_found() -> None:
    # 26 passages of 8 mm with webs of 5 mm and 14 mm at both ends need 361 mm; 27 need 374 mm.
    tries = values_to_try(read_design(SLIDE), neutral(), "width")
    by = {round(t.value, 3): t for t in tries}
    assert [t.why for t in tries] == [
        "smallest",
        "where a count changes",
        "now",
        "where a count changes",
        "largest",
    ]
    assert (by[40.0].counts["passages"], by[600.0].counts["passages"]) == (1, 44)
    below, above = tries[1], tries[3]
    assert above.value == pytest.approx(374)
    assert above.counts["passages"] == 27
    assert 360 <= below.value < 361
    assert below.counts["passages"] == 25


def test_a_count_is_tried_with_one_more_and_one_fewer() -> None:
    guard = read_design(TOP / "demo" / "smoker-heat-guard.schablone")
    assert {"one fewer", "now", "one more"} <= {
        t.why for t in values_to_try(guard, neutral(), "rods")
    }
