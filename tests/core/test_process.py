"""Processes, lenses, and the table of sizes by lens."""

import json

import pytest

from schablone.core.design import Design, edit
from schablone.core.design.evaluate import role_of
from schablone.core.design.lens_table import lens_table, seen_through
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import rebuild
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, Process, neutral, read_process, shipped_processes
from schablone.core.process.store import parse_process, write_process
from tests.conftest import of_kind, plate


def table(design: Design, process: Process) -> dict:
    built = rebuild(design, design.seen("wanted", process))
    return {
        row.name: row
        for row in lens_table(design, measures_of(design, built), process, built.table)
    }


def test_sizes_by_lens_of_the_slide(slide: Design, amsel: Process) -> None:
    """Shrinkage 0.3 % in x and y, 0.15 % in z; holes −0.18 mm, outsides +0.06 mm; sliding fit 0.2
    mm."""
    rows = table(slide, amsel)
    closed = {
        "width": (372.0, (372 - 0.06) / 0.997, 372.0),
        "board": (4.0, 4 / 0.9985, 4.0),
        "passage": (8.0, (8 + 0.18) / 0.997, 8.0),
        "dowel_hole": (6.2, (6.2 + 0.18) / 0.997, 6.2),
        "dowel": (6.0, 6.0, 6.0),  # a bought thing: no machine acts on it
        "passages": (26.0, 26.0, 26.0),
        "left_over": (5.5, 5.5 / 0.997, 5.5),
    }
    for name, (wanted, sent, expected) in closed.items():
        row = rows[name]
        assert row.wanted.value == pytest.approx(wanted)
        assert row.sent.value == pytest.approx(sent)
        assert row.expected.value == pytest.approx(expected)
        assert row.difference == pytest.approx(expected - wanted, abs=1e-12)


def test_the_table_is_honest_about_what_is_not_corrected(amsel: Process) -> None:
    design = plate(
        {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "d", "x": "at"},
        sizes={"d": "10 mm", "at": "5 mm"},
    )
    rows = table(design, amsel)
    assert rows["d"].expected.value == pytest.approx(10 - 0.18)
    assert rows["at"].expected.value == pytest.approx(5)
    unscaled = table(design.model_copy(update={"scale_for_shrinkage": False}), amsel)
    assert unscaled["at"].sent.value == 5.0
    assert unscaled["at"].expected.value == pytest.approx(5 * 0.997)
    assert unscaled["d"].expected.value == pytest.approx(10 * 0.997 - 0.18)


def test_the_table_agrees_with_the_part(slide: Design, amsel: Process, build) -> None:
    for lens in ("sent", "expected"):
        built = build(slide, amsel, lens)
        shown = seen_through(slide, measures_of(slide, built), built.view, built.table)
        low, high = built.bodies["slide"].figures().bounds
        for axis, name in enumerate(("width", "height", "board")):
            assert high[axis] - low[axis] == pytest.approx(shown[name][0].value, abs=1e-9)
        bores = [
            hole for hole in built.bodies["slide"].prisms[0].region.holes if hole.bounds()[1] > 0
        ]
        x0, _, x1, _ = bores[0].bounds()
        assert x1 - x0 == pytest.approx(shown["dowel_hole"][0].value, abs=1e-9)


def test_axes_follow_the_plane_that_a_sketch_lies_on() -> None:
    steps = [
        of_kind(
            "sketch",
            "upright",
            plane="front",
            shapes=[{"kind": "rectangle", "name": "r", "width": "w", "height": "h"}],
        ),
        {"kind": "extrude", "name": "wall", "sketch": "upright", "by": "t"},
        of_kind("hole", "bore", face="wall/end", diameter="6 mm", x="hx", y="hy"),
    ]
    sizes = {"w": "30 mm", "h": "20 mm", "t": "3 mm", "hx": "1 mm", "hy": "2 mm", "unused": "2 * w"}
    design = Design.model_validate(
        {"steps": steps, "sizes": [{"name": n, "formula": f} for n, f in sizes.items()]}
    )
    built = rebuild(design, LensView("wanted", neutral()))
    found = {
        name: measures[0].correction for name, measures in measures_of(design, built).of.items()
    }
    assert found["w"].axes == found["t"].axes == found["hx"].axes == {"xy"}
    assert found["h"].axes == found["hy"].axes == {"z"}
    assert found["w"].side == "outside"
    assert found["unused"].axes == {"xy"}  # it is made of w, which lies along the bed


def test_roles(slide: Design) -> None:
    roles = {size.name: role_of(size) for size in slide.sizes}
    assert roles["width"] == "set"
    assert roles["web"] == "worked out"
    assert roles["passages"] == "worked out"
    assert roles["spacing"] == "read off"
    assert roles["dowel_hole"] == "from the process"


def test_processes_are_read_as_they_are_written() -> None:
    for process in (*shipped_processes(), neutral()):
        assert parse_process(write_process(process), "p.json") == process
    assert len(shipped_processes()) == 7


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"shrinkage_xy": 40}, "“shrinkage_xy” is 40; it must be at most 10"),
        ({"hole_gain": "wide"}, "“hole_gain” is “wide”; a number is wanted"),
        ({"bed": [0, 100, 100]}, "“bed → number 1” is 0; it must be above 0"),
        ({"fits": {"press": 1.0}}, "must not get tighter"),
        ({"shrinkage": 1}, "not known here"),
        ({"name": None}, "text is wanted"),
        ({"format": "recipe"}, "must be"),
    ],
)
def test_impossible_figures_are_told(change: dict, says: str, amsel: Process) -> None:
    text = json.dumps({**amsel.model_dump(mode="json"), **change})
    with pytest.raises(SchabloneError) as caught:
        parse_process(text, "p.json")
    assert says in str(caught.value)


def test_files_that_are_no_process_are_told(tmp_path) -> None:
    broken = tmp_path / "p.json"
    broken.write_text('{"format": "schablone pro')
    with pytest.raises(SchabloneError, match="is cut off at line 1"):
        read_process(broken)
    with pytest.raises(SchabloneError, match="no such file"):
        read_process(tmp_path / "none.json")
    broken.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(SchabloneError, match="not text"):
        read_process(broken)


def test_the_same_design_comes_out_with_the_same_fit_on_another_machine(
    slide: Design, build
) -> None:
    """What is drawn differs from machine to machine; hole minus dowel is the machine's own sliding
    fit."""
    for process in shipped_processes()[:3]:
        assert table(slide, process)["dowel_hole"].expected.value - 6.0 == pytest.approx(
            process.fits.sliding
        )
    drawn = {
        build(slide, process, "sent").bodies["slide"].figures().volume
        for process in shipped_processes()[:3]
    }
    assert len(drawn) == 3


def test_scaling_can_be_switched_off(slide: Design, amsel: Process) -> None:
    assert LensView("sent", amsel, True).stretch == pytest.approx(
        (1 / 0.997, 1 / 0.997, 1 / 0.9985)
    )
    assert LensView("sent", amsel, False).stretch == (1.0, 1.0, 1.0)
    assert LensView("expected", amsel, True).stretch == (1.0, 1.0, 1.0)
    assert LensView("expected", amsel, False).stretch == pytest.approx((0.997, 0.997, 0.9985))
    assert edit.map_formulas(slide, str) == slide
