"""With a perfect calibration what is expected is what is wanted: over random machines and random
designs, to 1e-6 mm."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Design
from schablone.core.design.rebuild import Memory, rebuild
from schablone.core.process import Process
from schablone.core.process.known import Material
from tests.conftest import examples, of_kind

STUFF = Material(name="stuff", density=1.0)
gains = st.floats(-0.4, 0.4)
smalls = st.floats(-0.5, 0.25)


@st.composite
def printers(draw) -> Process:
    return Process(
        name="P",
        material=STUFF,
        hole_gain=draw(gains),
        hole_small=draw(smalls),
        peg_gain=draw(gains),
        peg_small=draw(smalls),
        lying_hole_gain=draw(st.none() | gains),
        shrinkage_xy=draw(st.floats(-1, 4)),
        shrinkage_z=draw(st.floats(-1, 4)),
        kind=draw(st.sampled_from(["filament print", "resin print"])),
        bed=(500, 500, 500),
    )


@st.composite
def cutters(draw) -> Process:
    if draw(st.booleans()):
        kerfs = [{"thickness": t, "kerf": draw(st.floats(0, 0.6))} for t in (1, 4, 10)]
        return Process.model_validate(
            {"name": "L", "kind": "laser or knife", "material": STUFF, "kerfs": kerfs}
        )
    return Process.model_validate(
        {
            "name": "R",
            "kind": "router",
            "material": STUFF,
            "cutter": 2.0,
            "path_gain": draw(st.floats(-0.3, 0.3)),
            "relief": draw(st.sampled_from(["none", "corner", "along", "radius"])),
            "tabs": draw(st.integers(0, 4)),
            "tab_width": 3,
        }
    )


@st.composite
def plates(draw) -> Design:
    """A plate whose outline, holes and rounded slots are corrected by the functions that are there
    for them."""
    wide, deep = draw(st.floats(60, 140)), draw(st.floats(40, 90))
    spots = draw(
        st.lists(st.tuples(st.integers(-2, 2), st.integers(-1, 1)), unique=True, max_size=8)
    )
    shapes: list[dict] = []
    for k, (i, j) in enumerate(spots):
        x, y = f"{i} * {wide!r} mm / 6", f"{j} * {deep!r} mm / 4"
        if draw(st.booleans()):
            shapes.append(
                of_kind(
                    "circle", f"h{k}", diameter=f"inside({draw(st.floats(2.5, 7))!r} mm)", x=x, y=y
                )
            )
        else:
            length, width = draw(st.floats(5.5, 8)), draw(st.floats(2.5, 5))
            shapes.append(
                of_kind(
                    "slot",
                    f"s{k}",
                    length=f"gap({length!r} mm)",
                    width=f"gap({width!r} mm)",
                    x=x,
                    y=y,
                    turn=draw(st.sampled_from(["0 deg", "30 deg", "90 deg"])),
                )
            )
    edge = of_kind(
        "rectangle", "edge", width=f"outside({wide!r} mm)", height=f"outside({deep!r} mm)"
    )
    steps = [
        {"kind": "sketch", "name": "o", "shapes": [edge, *shapes]},
        {"kind": "extrude", "name": "plate", "sketch": "o", "by": f"{draw(st.floats(1, 10))!r} mm"},
    ]
    return Design.model_validate({"steps": steps})


def outlines(design: Design, lens: str, machine: Process) -> list[tuple[float, ...]]:
    """Bounds and areas of all outlines, and the thickness."""
    built = rebuild(design, design.seen(lens, machine), Memory())
    assert built.whole, [p.text for p in built.problems]
    (prism,) = built.bodies["part"].prisms
    return [(*loop.bounds(), loop.area, prism.height) for loop in prism.region.loops]


def assert_same(design: Design, machine: Process) -> None:
    wanted, expected = (outlines(design, lens, machine) for lens in ("wanted", "expected"))
    assert len(wanted) == len(expected)
    for one, other in zip(wanted, expected, strict=True):
        assert other[:4] == pytest.approx(one[:4], abs=1e-6)
        # an area: a millionth of a millimetre along 100 mm
        assert other[4] == pytest.approx(one[4], abs=1e-4)
        assert other[5] == pytest.approx(one[5], abs=1e-6)


@examples(60)
@given(plates(), printers())
def test_printed_plates_come_out_as_wanted(design, machine):
    assert_same(design, machine)


@examples(60)
@given(plates(), cutters())
def test_cut_plates_come_out_as_wanted(design, machine):
    assert_same(design, machine)


@examples(15)
@given(printers(), st.floats(8, 20), st.floats(3, 6), st.floats(2, 12))
def test_pegs_on_plates_come_out_as_wanted(machine, wide, pin, high):
    """A boss joined to a plate by the kernel, with a bore down through both and one that lies."""
    steps = [
        of_kind(
            "sketch",
            "o",
            shapes=[
                of_kind(
                    "rectangle",
                    "edge",
                    width=f"outside({2 * wide!r} mm)",
                    height=f"outside({wide!r} mm)",
                )
            ],
        ),
        {"kind": "extrude", "name": "plate", "sketch": "o", "by": "8 mm"},
        of_kind(
            "sketch",
            "b",
            plane="plate/end",
            shapes=[{"kind": "circle", "name": "pin", "diameter": f"peg({pin!r} mm)", "x": "3 mm"}],
        ),
        {"kind": "extrude", "name": "boss", "sketch": "b", "by": f"{high!r} mm"},
        of_kind(
            "hole", "lying", face="plate/side/edge.right", diameter="inside_lying(3 mm)", y="4 mm"
        ),
    ]
    design = Design.model_validate({"steps": steps})
    wanted, expected = (
        rebuild(design, design.seen(lens, machine)).figures["part"]
        for lens in ("wanted", "expected")
    )
    flat = lambda figures: [c for corner in figures.bounds for c in corner]  # noqa: E731
    assert flat(expected) == pytest.approx(flat(wanted), abs=1e-6)
    assert expected.volume == pytest.approx(wanted.volume, rel=1e-7)


@examples(25)
@given(plates(), st.one_of(printers(), cutters()))
def test_what_is_sent_is_another_size_wherever_the_machine_has_habits(design, machine):
    """The other way round: a machine with habits is not sent what is wanted, so that the tests
    above say something."""
    wanted, sent = (outlines(design, lens, machine)[0][2] for lens in ("wanted", "sent"))
    cut = machine.cut_width("stuff", outlines(design, "wanted", machine)[0][5])
    factor = 1 / machine.kept("xy")
    assert sent == pytest.approx((wanted - machine.peg_gain / 2) * factor + cut / 2, abs=1e-9)
