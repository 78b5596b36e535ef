"""Parts of everyday shops against figures worked out by hand, over the ranges of their sizes."""

from __future__ import annotations

import pytest

from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.process import LensView, neutral
from schablone.core.prove.checks import solid_parts

from .flat_parts import FLAT
from .making import Part
from .solid_things import SOLID

PARTS = [*FLAT, *SOLID]
WANTED = LensView("wanted", neutral())


def test_there_are_enough_of_them() -> None:
    assert len(PARTS) >= 40
    assert len({part.name for part in PARTS}) == len(PARTS)


@pytest.mark.parametrize(
    "part",
    [
        pytest.param(part, id=part.name, marks=[pytest.mark.nightly] if part.nightly else [])
        for part in PARTS
    ],
)
def test_it_comes_out_as_worked_out(part: Part) -> None:
    design, memory = part.design(), Memory()
    for case in part.cases():
        found = rebuild(design, WANTED, memory, given=case)
        assert found.whole, (case, [p.text for p in found.problems])
        sizes = {name: found.table.cells[name].wanted.value for name in part.sizes}
        expected = part.expects(sizes)
        (name,) = found.figures
        figures = found.figures[name]
        assert figures.volume == pytest.approx(expected["volume"], rel=part.closely), case
        if "area" in expected:
            assert figures.area == pytest.approx(expected["area"], rel=max(part.closely, 1e-7)), (
                case
            )
        if "bounds" in expected:
            low, high = figures.bounds
            assert [b - a for a, b in zip(low, high, strict=True)] == pytest.approx(
                expected["bounds"], abs=1e-4
            ), case
        for first, wall in expected.get("walls", {}).items():
            assert wall == pytest.approx(found.table.cells[first].wanted.value)
        solid = solid_parts(found)
        assert solid.holds, (case, solid.why)
