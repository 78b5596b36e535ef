"""What parts weigh: by the density of what they are made of, and by no other."""

from __future__ import annotations

import csv

import pytest

from schablone.core.design.model import Part
from schablone.core.design.rebuild import rebuild
from schablone.core.process import neutral, shipped_processes
from schablone.core.process.known import Stock
from schablone.core.publish.parts_list import as_csv, as_markdown, in_all, parts_list
from tests.conftest import plate

LASER = next(p for p in shipped_processes() if p.kind == "laser or knife")


def listed(part: dict, process=LASER):
    design = plate(parts=[{"name": "part", **part}])
    return parts_list(design, rebuild(design, design.seen("wanted", process)))


@pytest.mark.parametrize(
    ("part", "density"),
    [
        ({}, LASER.material.density),
        ({"material": LASER.material.name}, LASER.material.density),
        ({"material": "Oak"}, 0.70),
        ({"material": "cherry", "density": 0.58}, 0.58),
    ],
)
def test_a_part_weighs_what_it_is_made_of(part: dict, density: float) -> None:
    (row,) = listed(part)
    assert row.mass == pytest.approx(100 * 40 * 4 * density / 1000)


def test_of_a_material_that_is_in_the_rack_only_nobody_knows_the_mass() -> None:
    """It was taken for as dense as what the machine usually cuts."""
    foam = Stock(name="Foam 4", material="Foam board", nominal=4, measured=4)
    process = LASER.with_(stock=(foam,))
    assert Part(name="part", material="Foam board").made_of(process) == ("Foam board", None)
    rows = listed({"material": "Foam board"}, process)
    assert rows[0].mass is None
    assert "What it weighs is not known." in str(as_markdown(rows))
    assert list(csv.reader(as_csv(rows).splitlines()))[1][5:7] == ["", ""]


def test_without_a_machine_nobody_knows_it_unless_a_part_says_so() -> None:
    assert listed({}, neutral())[0].mass is None
    assert listed({"material": "Oak"}, neutral())[0].mass == pytest.approx(11.2)
    design = plate({"kind": "measure", "name": "m", "what": "mass"})
    built = rebuild(design, design.seen("wanted", neutral()))
    assert [p.what for p in built.problems if p.name == "m"] == [
        "Nobody knows how dense what it is made of is."
    ]
    built = rebuild(design, design.seen("wanted", LASER))
    assert built.measured["m.value"] == pytest.approx(16 * LASER.material.density)


def test_sums_say_what_is_missing() -> None:
    assert in_all([(2.0, 3), (None, 1)]) == "In all 6 g and what has no mass given."
    assert in_all([(2.0, 3)]) == "In all 6 g."
    assert in_all([(None, 3)]) == "What it weighs is not known."
