"""The size report: what is sent and expected on machines of every kind, against tolerances, fits
and classes."""

from __future__ import annotations

import math
import re

import pytest

from schablone.core.design import Design, read_design
from schablone.core.design.edit import change_size, set_formula
from schablone.core.design.evaluate import table_of
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.formula.errors import FormulaError
from schablone.core.process import LensView, Process, shipped_processes
from schablone.core.process.known import Known, Material
from schablone.core.prove.size_report import SizeLine, not_known, size_report
from tests.conftest import DEMOS, TOP, of_kind, plate

STUFF = Material(name="stuff", density=1.0)
FITS = {"press": -0.1, "push": 0.0, "sliding": 0.2, "loose": 0.5}


def printer(**more: object) -> Process:
    return Process.model_validate({"name": "P", "material": STUFF, "fits": FITS, **more})


def lines_of(design: Design, machine: Process, memory: Memory | None = None) -> list[SizeLine]:
    built = rebuild(design, design.seen("wanted", machine), memory)
    return size_report(design, measures_of(design, built), machine, built.table)


#: A machine that is known to a tenth of a micrometre.
FIGURES = (
    "shrinkage_xy", "shrinkage_z", "hole_gain", "hole_small", "opening_gain", "peg_gain",
    "peg_small", "length_gain", "height_gain",
    "x_and_y", "kerf", "inside",
)  # fmt: skip
_ROWS = {"names": FIGURES, "rows": tuple((1e-10,) * len(FIGURES) for _ in FIGURES)}
SURE = {"mean": _ROWS, "days": _ROWS, "noise": dict.fromkeys(("round", "straight", "height"), 1e-4)}


def measured(noise: float = 1e-4, **more: object) -> Process:
    """A printer that was measured to death."""
    return printer(
        **more, spread={**SURE, "noise": dict.fromkeys(("round", "straight", "height"), noise)}
    )


def report(formula: str, machine: Process, **more: object) -> SizeLine:
    """The line of a hole's diameter with a formula."""
    hole = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "bore"}
    design = plate(hole, sizes={"pin": "6 mm"})
    sizes = (*design.sizes, design.sizes[0].with_(name="bore", formula=formula, **more))
    design = design.model_copy(update={"sizes": sizes})
    return next(line for line in lines_of(design, machine) if line.row.name == "bore")


@pytest.mark.parametrize(
    ("formula", "wanted"),
    [
        ("hole_for(pin, sliding)", 6.2),
        ("hole_for(pin, sliding, 0.05 mm)", 6.25),  # the largest pin still slides
        ("hole_for(pin, press, 0.05 mm)", 5.85),  # the smallest pin still holds
        ("shared_hole(pin, sliding)", 6.1),
        ("iso_hole(pin, H7)", 6.006),  # H7 at 6 mm is 0 to 12 µm
    ],
)
def test_a_fit_holds_where_the_machine_is_known(formula, wanted):
    line = report(formula, measured(hole_gain=-0.3, hole_small=-0.2))
    assert line.row.wanted.value == pytest.approx(wanted, abs=2e-4)
    assert line.row.expected.value == pytest.approx(line.row.wanted.value, abs=1e-9)
    assert line.verdict == "holds"


def test_a_slot_comes_out_as_wanted_and_a_round_hole_drawn_as_one_does_not():
    machine = measured(hole_gain=-0.3, hole_small=-0.2)
    window = {"kind": "rectangle", "name": "r", "width": "bore", "height": "20 mm"}
    cut = {"kind": "extrude", "name": "slot", "sketch": "s", "mode": "cut", "extent": "through"}
    design = plate(
        {"kind": "sketch", "name": "s", "shapes": [window]},
        cut,
        sizes={"pin": "6 mm", "bore": "slot_for(pin, loose)"},
    )
    slot = next(line for line in lines_of(design, machine) if line.row.name == "bore")
    assert slot.row.expected.value == pytest.approx(6.5, abs=1e-9)
    assert slot.verdict == "holds"
    # A round hole closes by 0.2 / 6.8 more than the slot that it was reckoned as.
    assert report("slot_for(pin, loose)", machine).row.expected.value == pytest.approx(
        6.5 - 0.2 / 6.8
    )


def test_both_halves_of_a_shared_fit_leave_its_gap_between_them():
    sizes = {"pin": "6 mm", "bore": "shared_hole(pin, sliding)", "peg": "shared_peg(pin, sliding)"}
    design = plate(sizes=sizes)
    cells = table_of(design, printer()).cells
    assert cells["bore"].wanted.value - cells["peg"].wanted.value == pytest.approx(0.2)


def test_slots_close_by_the_constant_only():
    machine = printer(hole_gain=-0.3, hole_small=-0.2)
    cells = table_of(
        plate(sizes={"slot": "slot_for(3 mm, push)", "hole": "hole_for(3 mm, push)"}), machine
    ).cells
    assert cells["slot"].sent.value == pytest.approx(3.3)
    assert cells["hole"].sent.value == pytest.approx((3.3 + math.sqrt(3.3**2 + 0.8)) / 2)


def test_the_range_of_a_class_reaches_halfway_to_its_neighbours():
    line = report("hole_for(pin, sliding)", printer())
    assert line.meant is not None
    assert (line.meant.low, line.meant.high) == (pytest.approx(6.1), pytest.approx(6.35))
    assert line.meant.words == "sliding on 6 mm, gap 0.2 mm"
    loosest = report("hole_for(pin, loose)", printer()).meant
    assert loosest is not None
    assert (loosest.low, loosest.high) == (pytest.approx(6.35), pytest.approx(6.65))


def test_what_is_not_known_well_enough_is_likely_and_what_lies_out_is_off():
    vague = printer(known={"hole_gain": Known(uncertainty=0.06)})
    assert report("hole_for(pin, sliding)", vague).verdict == "likely"  # ± 0.12 reaches beyond 6.1
    assert report("iso_hole(pin, H7)", measured(noise=0.004)).verdict == "likely"
    plain = report("6 mm", measured(hole_gain=-0.1), tolerance="0.05 mm")
    assert plain.verdict == "off"
    assert (plain.meant.low, plain.meant.high) == (pytest.approx(5.95), pytest.approx(6.05))
    assert report("6 mm", measured(hole_gain=-0.1), tolerance="0.12 mm").verdict == "holds"


def test_a_tolerance_that_cannot_be_read_is_told():
    line = report("6 mm", measured(), tolerance="0.1 kg")
    assert line.meant is not None
    assert "mass" in line.meant.trouble
    assert line.verdict == "as wanted"


def test_what_nobody_measured_is_as_sure_as_machines_of_its_kind_are_alike():
    typed, own = report("inside(6 mm)", printer()), report("inside(6 mm)", measured())
    assert (typed.verdict, own.verdict) == ("as wanted, not measured", "as wanted")
    assert (typed.sure.measured, own.sure.measured) == (False, True)
    assert typed.sure.mean > 0.05 > own.sure.mean
    assert report("hole_for(pin, sliding)", printer()).verdict == "likely"


def test_a_height_between_layers_is_as_far_off_as_the_next_layer():
    """A post of 9.9 mm in layers of 0.2 mm comes out as 9.8 or 10: ± 0.1 mm is no tolerance that
    holds."""
    post = of_kind(
        "sketch",
        "o",
        plane="plate/end",
        shapes=[{"kind": "circle", "name": "p", "diameter": "9 mm"}],
    )
    raised = {"kind": "extrude", "name": "post", "sketch": "o", "by": "up"}
    verdicts = {}
    for up in ("9.9 mm", "10 mm"):
        design = plate(post, raised, sizes={})
        design = Design.model_validate(
            {
                **design.model_dump(mode="json"),
                "sizes": [{"name": "up", "formula": up, "tolerance": "0.08 mm"}],
            }
        )
        (line,) = lines_of(design, measured(layer=0.2))
        verdicts[up] = line.verdict
    assert verdicts == {"9.9 mm": "likely", "10 mm": "holds"}


@pytest.mark.parametrize(
    ("formula", "words"),
    [
        ("hole_for(6 mm, snug)", "no fit"),
        ("hole_for(6 mm, sliding, 2)", "length"),
        ("hole_for(6 mm, sliding, 0 - 1 mm)", "below zero"),
        ("shared_hole(6 mm, sliding, 1 mm)", "3 arguments"),
        ("slot_for(6 kg, sliding)", "mass"),
    ],
)
def test_wrong_fits_are_told_in_words(formula, words):
    (problem,) = table_of(plate(sizes={"bore": formula}), printer()).problems
    assert words in problem.text


def laser(**more: object) -> Process:
    given = {"name": "L", "kind": "laser or knife", "material": STUFF, "fits": FITS, **more}
    return Process.model_validate({"kerfs": [{"thickness": 4, "kerf": 0.2}], **given})


def test_a_cut_shows_in_what_is_sent():
    line = report("pin", laser())
    assert line.row.sent.value == pytest.approx(5.8)  # the cut takes a tenth on either side
    assert line.row.expected.value == pytest.approx(6)


def test_a_part_cut_on_the_line_is_off_by_the_kerf():
    hole = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "bore"}
    design = plate(hole, sizes={"bore": "6 mm"}, cut_beside_line=False)
    machine = laser(kerfs=[{"thickness": 4, "kerf": 0.2, "spread": SURE}])
    (line,) = lines_of(design, machine)
    assert (line.row.sent.value, line.row.expected.value) == (pytest.approx(6), pytest.approx(6.2))
    assert line.verdict == "off"


def test_kerfs_go_by_the_thickness_of_the_part_and_its_material():
    kerfs = [
        {"thickness": 2, "kerf": 0.1},
        {"thickness": 6, "kerf": 0.3},
        {"material": "oak", "thickness": 4, "kerf": 0.4},
    ]
    # halfway between 2 mm and 6 mm
    assert report("pin", laser(kerfs=kerfs)).row.sent.value == pytest.approx(5.8)
    hole = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "bore"}
    oak = plate(
        hole, sizes={"bore": "6 mm"}, parts=[{"name": "part", "material": "oak", "density": 0.7}]
    )
    (line,) = lines_of(oak, laser(kerfs=kerfs))
    assert line.row.sent.value == pytest.approx(5.6)


def test_a_leaning_cut_is_told_with_its_lean():
    assert report("pin", laser(taper=1)).leans == pytest.approx(2 * 4 * math.tan(math.radians(1)))
    assert report("pin", laser()).leans == 0


def test_a_size_beyond_what_was_measured_is_told():
    machine = printer(measured={"hole": (3, 20), "height": (4, 30)})
    assert report("6 mm", machine).beyond == ""
    assert report("25 mm", machine).beyond == "larger than what was measured, 3 to 20 mm"
    assert report("2 mm", machine).beyond.startswith("smaller than what was measured")


@pytest.mark.parametrize("demo", DEMOS)
def test_every_demo_has_a_report_on_every_machine(demo):
    design = read_design(TOP / "demo" / f"{demo}.schablone")
    memory = Memory()
    for machine in shipped_processes():
        # What is measured on the part has its value once that is built.
        wanted = rebuild(design, LensView("wanted", machine), memory)
        table = table_of(design, machine, None, wanted.measured)
        lines = lines_of(design, machine, memory)
        told = {line.row.name for line in lines}
        untold = not_known(design, measures_of(design, wanted), table, lines)
        # Every size has a line, or it is said why it has none.
        for name in set(table.cells) & {size.name for size in design.sizes}:
            assert (name in told) != (re.search(rf"\b{name}\b", untold) is not None), name


def test_what_a_printer_makes_of_a_radius_is_not_said_to_be_what_is_wanted():
    """It shrinks with all else: nobody works out by how much, so that no figure is shown."""
    edges = [{"how": "around", "of": ["plate/end"]}]
    steps = [of_kind("fillet", "round", radius="corner", edges=edges)]
    design = plate(*steps, sizes={"corner": "1 mm", "half": "corner/2", "aside": "7 mm"})
    machine = printer(shrinkage_xy=1.0)
    built = rebuild(design, LensView("wanted", machine))
    assert built.whole
    measures = measures_of(design, built)
    lines = size_report(design, measures, machine, built.table)
    assert [(line.row.name, line.verdict) for line in lines] == [
        ("aside", "not made by the machine")
    ]
    said = not_known(design, measures, built.table, lines)
    assert said == "What the machine makes of it is not worked out: corner and half."
    # To a laser it is what it is.
    names = [line.row.name for line in size_report(design, measures, laser(), built.table)]
    assert names == ["corner", "half", "aside"]


def test_a_tolerance_belongs_to_the_size_and_follows_other_names():
    from schablone.core.design import edit as edits

    design: Design = plate(sizes={"play": "0.1 mm", "bore": "6 mm"})
    design = edits.change_size(design, "bore", tolerance="play")
    assert edits.users_of(design, "play") == ["bore"]
    renamed = edits.rename_size(design, "play", "slack")
    assert renamed.size("bore").tolerance == "slack"
    with pytest.raises(FormulaError):
        edits.change_size(design, "bore", tolerance="play +")


class TestSmallPegs:
    """Round pegs may gain more the smaller they are; straight sides do not."""

    machine = printer(peg_gain=0.1, peg_small=0.6)

    def test_what_is_sent_is_the_root_of_its_equation(self):
        cells = table_of(
            plate(sizes={"pin": "peg(4 mm)", "side": "outside(4 mm)"}), self.machine
        ).cells
        s = cells["pin"].sent.value
        assert s + 0.1 + 0.6 / s == pytest.approx(4)
        assert cells["side"].sent.value == pytest.approx(3.9)
        fits = table_of(
            plate(sizes={"a": "peg_for(4 mm, push)", "b": "tab_for(4 mm, push)"}), self.machine
        ).cells
        assert fits["a"].sent.value == pytest.approx(s)
        assert fits["b"].sent.value == pytest.approx(3.9)

    def test_a_peg_that_nothing_is_left_of_is_told(self):
        (problem,) = table_of(plate(sizes={"pin": "peg(1 mm)"}), self.machine).problems
        assert "a peg of 1 mm closes up" in problem.text

    def test_extruded_and_turned_pegs_come_out_as_wanted(self):
        sketch = of_kind(
            "sketch", "o", shapes=[{"kind": "circle", "name": "pin", "diameter": "peg(4 mm)"}]
        )
        half = of_kind("rectangle", "half", width="peg(4 mm)/2", height="9 mm", x="peg(4 mm)/4")
        for steps in (
            [sketch, {"kind": "extrude", "name": "pin", "sketch": "o", "by": "9 mm"}],
            [
                {"kind": "sketch", "name": "o", "plane": "front", "shapes": [half]},
                {"kind": "revolve", "name": "pin", "sketch": "o"},
            ],
        ):
            design = Design.model_validate({"steps": steps})
            figures = rebuild(design, design.seen("expected", self.machine)).figures["part"]
            assert figures.volume == pytest.approx(math.pi * 4 * 9, rel=1e-9)

    def test_the_report_carries_how_well_it_is_known(self):
        known = {
            "peg_small": Known(uncertainty=0.08),
            "peg_gain": Known(uncertainty=0.03),
            "shrinkage_xy": Known(uncertainty=0.01),
        }
        circle = of_kind(
            "sketch",
            "o",
            plane="plate/end",
            shapes=[{"kind": "circle", "name": "p", "diameter": "pin"}],
        )
        boss = {"kind": "extrude", "name": "boss", "sketch": "o", "by": "9 mm"}
        design = plate(circle, boss, sizes={"pin": "peg_for(4 mm, push)"})
        machine = self.machine.with_(known=known)
        (line,) = lines_of(design, machine)
        sent = line.row.sent.value
        assert line.sure.mean == pytest.approx(math.hypot(0.03, 0.08 / sent, 0.0001 * sent))


def test_the_thickness_of_the_stock_is_nothing_that_a_cut_changes():
    """A board with a notch as wide as it is thick: the thickness is what it is, whatever the notch
    gains."""
    board = of_kind(
        "sketch",
        "o",
        shapes=[{"kind": "rectangle", "name": "edge", "width": "60 mm", "height": "40 mm"}],
    )
    notch = of_kind(
        "sketch",
        "n",
        plane="plate/end",
        shapes=[{"kind": "rectangle", "name": "r", "width": "board", "height": "20 mm"}],
    )
    steps = [
        board,
        {"kind": "extrude", "name": "plate", "sketch": "o", "by": "board"},
        notch,
        {"kind": "extrude", "name": "cut", "sketch": "n", "mode": "cut", "extent": "through"},
    ]
    design = Design.model_validate(
        {"sizes": [{"name": "board", "formula": "stock(4 mm)"}], "steps": steps}
    )
    machine = laser(stock=[{"name": "S", "nominal": 4, "measured": 4.2}], taper=2)
    (line,) = lines_of(design, machine)
    assert [q.value for q in (line.row.wanted, line.row.sent, line.row.expected)] == pytest.approx(
        [4.2] * 3
    )
    assert line.leans == 0


def test_a_size_of_nothing_is_reported_before_the_part_is_built_anew() -> None:
    """What sizes measure is known of the part before, while they are nothing already."""
    design = read_design(TOP / "demo" / "feeder-cap.schablone")
    machine = printer()
    built = rebuild(design, design.seen("wanted", machine))
    measures = measures_of(design, built)
    by_formula = [name for name, each in measures.of.items() if any(m.formula for m in each)]
    assert by_formula
    for name in by_formula:
        free = change_size(design, name, low="", high="")
        nothing = set_formula(free, name, "0 mm")
        lines = size_report(nothing, measures, machine, table_of(nothing, machine))
        assert {line.row.wanted.value for line in lines if line.row.name == name} == {0.0}
