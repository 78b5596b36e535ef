"""Parts of one design that are made by different processes."""

from __future__ import annotations

import math

import pytest

from schablone.core.design import Design
from schablone.core.design.edit import make_by
from schablone.core.design.lens_table import lens_table, machines_of
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.editions import make_edition
from schablone.core.process import Process, shipped_processes
from schablone.core.process.known import Material
from schablone.core.prove import findings
from schablone.core.publish.edition import read_edition
from schablone.core.publish.pieces import pieces_of
from tests.conftest import of_kind, plate

STUFF = Material(name="PETG", density=1.0)
PRINTER = Process(
    name="Printer", material=STUFF, shrinkage_xy=1, hole_gain=-0.2, bed=(100, 100, 100)
)
LASER = Process.model_validate(
    {"name": "Laser", "kind": "laser or knife", "material": {"name": "ply", "density": 0.7},
     "bed": (25, 25, 9),
     "kerfs": [{"thickness": 3, "kerf": 0.2}]}
)  # fmt: skip


def box_with_lid(lid: str = "Laser") -> Design:
    """A block and a lid, each as wide as ``wide``, with a hole for a pin of ``pin``."""
    steps: list[dict] = []
    for part, height, corrected in (
        ("box", "10 mm", "inside(pin)"),
        ("lid", "3 mm", "inside(pin)"),
    ):
        shape = {"kind": "rectangle", "name": "edge", "width": "wide", "height": "wide"}
        steps += [
            {"kind": "sketch", "name": f"{part}_outline", "shapes": [shape]},
            of_kind("extrude", f"{part}_plate", sketch=f"{part}_outline", by=height, part=part),
            of_kind("hole", f"{part}_hole", face=f"{part}_plate/end", diameter=corrected),
        ]
    sizes = [
        {"name": "wide", "formula": "20 mm", "low": "10 mm", "high": "90 mm"},
        {"name": "pin", "formula": "5 mm"},
    ]
    return Design.model_validate(
        {
            "sizes": sizes,
            "steps": steps,
            "parts": [{"name": "box"}, {"name": "lid", "process": lid}],
            "process": "Printer",
            "publish": {"adjust": [{"size": "wide"}], "author": "A"},
        }
    )


def widths(design: Design, lens: str, known: tuple[Process, ...] = (LASER,)) -> tuple[float, float]:
    built = rebuild(design, design.seen(lens, PRINTER, known))
    return tuple(
        built.figures[part].bounds[1][0] - built.figures[part].bounds[0][0]
        for part in ("box", "lid")
    )


def test_each_part_is_sent_as_its_own_machine_needs_it():
    box, lid = widths(box_with_lid(), "sent")
    assert box == pytest.approx(20 / 0.99)
    assert lid == pytest.approx(20 + 0.2)  # half a kerf on each side, and no shrinkage


def test_what_is_expected_of_both_is_what_is_wanted():
    assert widths(box_with_lid(), "expected") == pytest.approx((20, 20), abs=1e-9)
    assert widths(box_with_lid(), "wanted") == pytest.approx((20, 20), abs=1e-12)


def test_without_one_of_their_own_all_are_made_by_that_of_the_design():
    design = make_by(box_with_lid(), "lid", "")
    assert widths(design, "sent") == pytest.approx((20 / 0.99,) * 2)


def test_a_process_that_is_not_known_is_told_and_the_part_is_still_there():
    design = box_with_lid()
    built = rebuild(design, design.seen("wanted", PRINTER))
    assert [(p.area, p.name, p.severity) for p in built.problems] == [("part", "lid", "warning")]
    assert "“Laser”, which is not known here" in built.problems[0].what
    assert set(built.bodies) == {"box", "lid"}
    assert built.whole


def test_the_table_has_a_row_for_each_machine_that_acts_on_a_size():
    design = box_with_lid()
    built = rebuild(design, design.seen("sent", PRINTER, [LASER]))
    rows = lens_table(design, measures_of(design, built), PRINTER, built.table, machines_of(built))
    told = {(row.name, row.process.name): row.sent.value for row in rows}
    assert told == {
        ("wide", "Printer"): pytest.approx(20 / 0.99),
        ("wide", "Laser"): pytest.approx(20.2),
        ("pin", "Printer"): pytest.approx(5.2 / 0.99),
        ("pin", "Laser"): pytest.approx(4.8),
    }


def test_beds_are_looked_at_part_by_part():
    design = box_with_lid()
    wide = design.model_copy(
        update={"sizes": (design.sizes[0].with_(formula="40 mm"), design.sizes[1])}
    )
    built = rebuild(wide, wide.seen("wanted", PRINTER, [LASER]))
    beds = {f.name: (f.holds, f.place) for f in findings(wide, built) if "bed" in f.name}
    assert beds["Fits on the bed of Printer"] == (True, "")
    assert beds["Fits on the bed of Laser"] == (False, "lid")


def test_files_hold_the_parts_that_their_machines_make():
    design = box_with_lid()
    built = rebuild(design, design.seen("sent", PRINTER, [LASER]))
    assert [piece.title for piece in pieces_of(design, built, ".dxf")] == ["lid"]
    assert [(piece.title, piece.material) for piece in pieces_of(design, built, ".3mf")] == [
        ("box", "PETG")
    ]
    assert [piece.material for piece in pieces_of(design, built, ".step")] == ["PETG", "ply"]


def test_an_edition_brings_both_processes_and_both_kinds_of_file(tmp_path):
    path = tmp_path / "edition.zip"
    path.write_bytes(make_edition(box_with_lid(), [PRINTER, LASER], lambda *_: b"picture"))
    edition = read_edition(path)
    assert {process.name for process in edition.processes} == {"Printer", "Laser"}
    page = edition.members["README.html"].decode()
    assert "<td>Box</td><td>printed</td><td>PETG</td>" in page
    assert "<td>Lid</td><td>cut out of a sheet or board</td><td>ply</td><td>flat</td>" in page
    endings = {name.rpartition(".")[2] for name in edition.members if name.startswith("ready/")}
    assert endings == {"3mf", "stl", "dxf", "svg", "step"}


def test_another_machine_for_one_part_builds_nothing_of_the_other_anew():
    design, memory = box_with_lid(), Memory()
    rebuild(design, design.seen("sent", PRINTER, [LASER]), memory)
    before = memory.misses
    rebuild(design, design.seen("sent", PRINTER, [LASER]), memory)
    assert memory.misses == before


AMSEL, OTHER, *_ = shipped_processes()
ZEISIG = OTHER.with_(fits=AMSEL.fits.with_(sliding=AMSEL.fits.sliding + 0.13))
ALIKE = OTHER.with_(fits=AMSEL.fits)


def with_lid(*more: dict) -> Design:
    """A plate with a hole, and a lid with the same hole that another machine makes."""
    return plate(
        {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "wide"},
        {"kind": "extrude", "name": "lid", "sketch": "outline", "by": "3 mm", "part": "lid"},
        {"kind": "hole", "name": "eye", "face": "lid/end", "diameter": "wide"},
        *more,
        sizes={"wide": "hole_for(8 mm, sliding)"},
        parts=[{"name": "part"}, {"name": "lid", "process": OTHER.name}],
    )


def test_steps_come_to_what_the_machine_of_their_part_makes() -> None:
    design = with_lid()
    built = rebuild(design, design.seen("wanted", AMSEL, [ZEISIG]))
    wide = 8 + AMSEL.fits.sliding
    assert built.steps["bore"].values["diameter"].value == pytest.approx(wide)
    assert built.steps["eye"].values["diameter"].value == pytest.approx(wide + 0.13)
    hole = 100 * 40 * 3 - built.bodies["lid"].figures().volume
    assert hole == pytest.approx(math.pi / 4 * (wide + 0.13) ** 2 * 3)


@pytest.mark.parametrize("other", [ZEISIG, ALIKE])
@pytest.mark.parametrize("lens", ["wanted", "sent"])
def test_a_measure_that_is_not_what_sizes_have_is_told(other, lens: str) -> None:
    design = with_lid({"kind": "measure", "name": "room", "what": "volume", "part": "lid"})
    built = rebuild(design, design.seen(lens, AMSEL, [other]))
    told = [p.what for p in built.problems if p.name == "room"]
    assert bool(told) == (other is ZEISIG)
    if told:
        volumes = [
            12_000 - math.pi / 4 * (8 + gap) ** 2 * 3
            for gap in (ZEISIG.fits.sliding, AMSEL.fits.sliding)
        ]
        assert f"It measures {volumes[0]:.2f} mm³ on what {OTHER.name} makes" in told[0]
        assert f"sizes have {volumes[1]:.2f} mm³, as {AMSEL.name} would make it" in told[0]
    assert built.whole
