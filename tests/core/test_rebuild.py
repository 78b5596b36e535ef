"""The rebuild: the demo design against its closed formula, errors in words, memory."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Design, edit, read_design
from schablone.core.design.rebuild import Cancelled, Memory, rebuild
from schablone.core.process import LENSES, LensView, Process, neutral, shipped_processes
from tests.conftest import SLIDE, examples, of_kind, plate, slide_volume

_SLIDE = read_design(SLIDE)


@examples(80)
@given(st.integers(400, 6000))
def test_the_slide_has_as_many_passages_as_fit_at_every_width(tenths: int) -> None:
    width = tenths / 10
    built = rebuild(_SLIDE, LensView("wanted", neutral()), given={"width": f"{width} mm"})
    assert built.whole
    # In tenths of a millimetre: passage 80, web 50, margin 140.
    count = (tenths - 2 * 140 + 50) // 130
    left = (tenths - count * 80 - (count - 1) * 50) / 2 / 10
    assert built.table.cells["passages"].wanted.value == count
    assert built.table.cells["passage_row.margin"].wanted.value == pytest.approx(left)
    assert built.table.cells["left_over"].wanted.value == pytest.approx(left - 14)
    # no boolean, so the cost grows with the count and no faster
    (prism,) = built.bodies["slide"].prisms
    assert len(prism.region.holes) == count + 2
    xs = sorted(hole.bounds()[0] for hole in prism.region.holes if hole.bounds()[1] < 0)
    assert xs[0] + width / 2 == pytest.approx(left)
    assert volume(built) == pytest.approx(slide_volume(width, 38, 4, count, 8, 6.2), rel=1e-9)


def volume(built) -> float:
    return built.bodies["slide"].figures().volume


@pytest.mark.parametrize("width", [40, 119.5, 372, 600])
@pytest.mark.parametrize("process", shipped_processes()[:2], ids=lambda p: p.material.name)
def test_the_slides_volume_under_each_lens(width: float, process: Process, build) -> None:
    count = math.floor((width - 28 + 5) / 13)
    hole = 6 + process.fits.sliding
    along, up = 1 / (1 - process.shrinkage_xy / 100), 1 / (1 - process.shrinkage_z / 100)
    closed = {
        "wanted": slide_volume(width, 38, 4, count, 8, hole),
        "expected": slide_volume(width, 38, 4, count, 8, hole),
        "sent": slide_volume(
            (width - process.peg_gain) * along,
            (38 - process.peg_gain) * along,
            4 * up,
            count,
            (8 - process.hole_gain) * along,
            (hole - process.hole_gain) * along,
        ),
    }
    for lens in LENSES:
        built = build(_SLIDE, process, lens, width=f"{width} mm")
        assert volume(built) == pytest.approx(closed[lens], rel=1e-9)

        assert built.bodies["slide"].solid().volume == pytest.approx(closed[lens], rel=1e-6)


def test_what_is_not_corrected_is_expected_to_be_off(amsel: Process, build) -> None:
    plain = plate({"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "10 mm"})
    expected = build(plain, amsel, "expected").bodies["part"].figures()
    width, height, hole = 100 + 0.06, 40 + 0.06, 10 - 0.18
    assert expected.volume == pytest.approx((width * height - math.pi / 4 * hole**2) * 4, rel=1e-9)
    unscaled = plain.model_copy(update={"scale_for_shrinkage": False})
    short = build(unscaled, amsel, "expected").bodies["part"].figures()
    low, high = short.bounds
    assert high[0] - low[0] == pytest.approx(100 * 0.997 + 0.06, abs=1e-9)
    assert high[2] - low[2] == pytest.approx(4 * 0.9985, abs=1e-9)


@examples(40)
@given(
    st.floats(-1, 3),
    st.floats(-1, 3),
    st.floats(-0.6, 0.4),
    st.floats(-0.4, 0.6),
    st.floats(50, 590),
    st.booleans(),
)
def test_expected_is_wanted_where_everything_is_corrected(
    xy: float, z: float, hole: float, peg: float, width: float, small: bool
) -> None:
    process = neutral().with_(shrinkage_xy=xy, shrinkage_z=z, hole_gain=hole, peg_gain=peg)
    given = {"width": f"{width:.6f} mm", "dowel": "4 mm" if small else "8 mm"}
    wanted, expected = (
        rebuild(_SLIDE, LensView(lens, process), given=given) for lens in ("wanted", "expected")
    )
    assert expected.whole
    a, b = wanted.bodies["slide"].prisms[0], expected.bodies["slide"].prisms[0]
    for one, other in zip(a.region.loops, b.region.loops, strict=True):
        assert one.bounds() == pytest.approx(other.bounds(), abs=1e-6)
    assert a.bounds()[1] == pytest.approx(b.bounds()[1], abs=1e-6)


# Errors


def hole(**fields: str) -> dict:
    return {"kind": "hole", "name": "bore", "face": "plate/end", **fields}


def row(**fields: str) -> dict:
    return {"kind": "row", "name": "line", "of": "bore", "span": "100 mm", **fields}


@pytest.mark.parametrize(
    ("steps", "sizes", "where", "says"),
    [
        ([hole(face="plate/lid")], {}, ("step", "bore"), "not there any more"),
        ([hole(face="")], {}, ("step", "bore"), "No face is chosen"),
        ([hole(diameter="50 mm")], {}, ("step", "bore"), "breaks out of the top of plate"),
        ([hole(x="49 mm")], {}, ("step", "bore"), "breaks out"),
        ([hole(diameter="0 mm")], {}, ("step", "bore"), "must be above zero"),
        ([hole(diameter="d")], {"d": "-3 mm"}, ("step", "bore"), "-3 mm (from “d”)"),
        ([hole(diameter="5")], {}, ("step", "bore"), "“5” is a count, a length is wanted"),
        ([hole(diameter="wdth")], {"width": "5 mm"}, ("step", "bore"), "no size “wdth”"),
        ([hole(extent="depth", depth="0 mm")], {}, ("step", "bore"), "depth is 0 mm"),
        ([hole(), row(how="count", count="-1")], {}, ("step", "line"), "whole number from 0"),
        ([hole(), row(how="count", count="2.5")], {}, ("step", "line"), "whole number"),
        ([hole(), row(pitch="0 mm")], {}, ("step", "line"), "pitch is 0 mm"),
        ([hole(), row(pitch="0.001 mm")], {}, ("step", "line"), "5,000 are the most"),
        (
            [hole(), row(how="spaced", margin="80 mm")],
            {},
            ("step", "line"),
            "margins leave no room",
        ),
        ([hole(), row(margin="-4 mm")], {}, ("step", "line"), "must not be negative"),
        ([hole(), row(of="bored")], {}, ("step", "line"), "not there to be repeated"),
        (
            [{"kind": "extrude", "name": "lid", "sketch": "nothing"}],
            {},
            ("step", "lid"),
            "no sketch “nothing”",
        ),
        (
            [{"kind": "extrude", "name": "lid", "sketch": "outline", "by": "0 mm"}],
            {},
            ("step", "lid"),
            "must be above zero",
        ),
        (
            [{"kind": "extrude", "name": "lid", "sketch": "outline", "part": "nix"}],
            {},
            ("step", "lid"),
            "no part “nix”",
        ),
        (
            [{"kind": "extrude", "name": "x", "sketch": "outline", "shapes": ["oval"]}],
            {},
            ("step", "x"),
            "no shape “oval”",
        ),
        (
            [of_kind("extrude", "x", sketch="outline", mode="cut", extent="through")],
            {},
            ("step", "x"),
            "nothing would be left",
        ),
        ([{"kind": "sketch", "name": "empty"}], {}, ("step", "empty"), "sketch is empty"),
        (
            [of_kind("sketch", "s", plane="nowhere", shapes=[{"kind": "circle", "name": "c"}])],
            {},
            ("step", "s"),
            "No face is chosen",
        ),
    ],
)
def test_what_is_wrong_is_told_where_it_is(steps, sizes, where, says: str, build) -> None:
    built = build(plate(*steps, sizes=sizes))
    problems = [problem for problem in built.problems if (problem.area, problem.name) == where]
    assert any(says.casefold() in problem.text.casefold() for problem in problems), built.problems
    assert not built.whole
    assert "part" in built.bodies  # what does not depend on it is there


def test_a_lost_face_offers_those_that_are_there(build) -> None:
    built = build(plate(hole(face="plate/side/edge.middle")))
    assert "top of plate" in built.problems[0].hint


def test_what_depends_on_a_problem_says_what_it_waits_for(build) -> None:
    built = build(plate(hole(face="plate/lid"), row()))
    waiting = next(problem for problem in built.problems if problem.name == "line")
    assert waiting.waits_for == "bore"
    assert built.steps["line"].state == "waits"


def test_steps_can_be_switched_off_and_made_on_a_condition(build) -> None:
    design = plate(hole(diameter="10 mm"), row(how="count", count="3"), sizes={"n": "3"})
    full = 16000.0
    one = math.pi * 25 * 4
    assert build(design).bodies["part"].figures().volume == pytest.approx(full - 3 * one)
    off = edit.change_step(design, "line", "on", False)
    assert build(off).bodies["part"].figures().volume == pytest.approx(full - one)
    conditional = edit.change_step(design, "line", "when", "n > 5")
    assert build(conditional).bodies["part"].figures().volume == pytest.approx(full - one)
    assert build(conditional).steps["line"].state == "left out"
    assert build(conditional, n="6").bodies["part"].figures().volume == pytest.approx(
        full - 3 * one
    )
    seedless = edit.change_step(design, "bore", "on", False)
    assert build(seedless).whole
    assert build(seedless).bodies["part"].figures().volume == pytest.approx(full)


def test_rows_of_rows_and_of_extrusions(build) -> None:
    grid = plate(
        hole(diameter="2 mm"),
        row(how="count", count="4", margin="20 mm"),
        of_kind("row", "lines", of="line", along="y", how="count", count="3", span="40 mm"),
    )
    built = build(grid)
    assert built.whole
    assert built.bodies["part"].figures().volume == pytest.approx(16000 - 12 * math.pi * 4)
    assert "wall of bore 3.4" in {name.words() for name in built.bodies["part"].names()}
    ribs = plate(
        of_kind(
            "sketch",
            "rib_outline",
            plane="plate/end",
            shapes=[{"kind": "rectangle", "name": "rib", "width": "3 mm", "height": "30 mm"}],
        ),
        {"kind": "extrude", "name": "rib", "sketch": "rib_outline", "by": "6 mm"},
        of_kind("row", "ribs", of="rib", how="spaced", span="100 mm", pitch="20 mm", item="3 mm"),
    )
    built = build(ribs)
    # (100 − 2·10 − 3) / 20 = 3.85, so 4 gaps and 5 ribs.
    assert built.table.cells["ribs.count"].wanted.value == 5
    assert built.bodies["part"].figures().volume == pytest.approx(16000 + 5 * 3 * 30 * 6, rel=1e-9)
    assert built.bodies["part"].solid().is_valid()


def test_holes_to_a_depth_and_from_every_side(build) -> None:
    steps = [
        hole(extent="depth", depth="3 mm", diameter="6 mm"),
        {
            **hole(face="plate/start", x="20 mm", extent="depth", depth="1 mm", diameter="6 mm"),
            "name": "below",
        },
        {
            **hole(
                face="plate/side/edge.left",
                y="2 mm",
                extent="depth",
                depth="10 mm",
                diameter="2 mm",
            ),
            "name": "left",
        },
    ]
    built = build(plate(*steps))
    assert built.whole, built.problems
    assert built.bodies["part"].figures().volume == pytest.approx(
        16000 - math.pi * (9 * 3 + 9 * 1 + 1 * 10), rel=1e-9
    )
    low, high = built.bodies["part"].figures().bounds
    assert (low, high) == (pytest.approx((-50, -20, 0)), pytest.approx((50, 20, 4)))


def test_a_face_of_a_switched_off_step_is_missed_in_words(build) -> None:
    design = edit.change_step(plate(hole()), "plate", "on", False)
    assert "“plate”, which this stands on, is switched off" in build(design).problems[0].what


def test_a_name_on_a_face_stays_on_it_when_the_design_changes(build) -> None:
    """The dowel holes stay in the top, at the same distance from its edges, whatever is put in
    before them."""
    design = _SLIDE
    extra = of_kind("hole", "peep", face="plate/end", diameter="3 mm", y="height/2 - 8 mm")
    wider = Design.model_validate(
        {
            **design.model_dump(),
            "steps": [
                *[s.model_dump() for s in design.steps[:2]],
                extra,
                *[s.model_dump() for s in design.steps[2:]],
            ],
        }
    )
    for found in (build(design, width="500 mm"), build(wider, width="500 mm")):
        assert found.whole
        bores = [
            h
            for h in found.bodies["slide"].prisms[0].region.holes
            if "round" in h.name and h.bounds()[3] - h.bounds()[1] > 6.1
        ]
        ends = sorted(h.bounds()[0] for h in bores if h.bounds()[1] > 0)
        assert ends[0] == pytest.approx(-250 + 14 - 3.1)
        assert ends[-1] == pytest.approx(250 - 14 - 3.1)


# Memory and progress


def test_only_what_changed_is_built_again() -> None:
    memory, view = Memory(), LensView("wanted", neutral())
    rebuild(_SLIDE, view, memory)
    first = memory.misses
    rebuild(_SLIDE, view, memory)
    assert memory.misses == first
    noted = edit.change_step(_SLIDE, "plate", "note", "thicker than it looks")
    rebuild(noted, view, memory)
    assert memory.misses == first
    late = rebuild(_SLIDE, view, memory, given={"dowel": "7 mm"})
    assert late.whole
    assert 0 < memory.misses - first <= 6  # the dowel holes and what comes of them
    after = memory.misses
    rebuild(_SLIDE, view, memory)  # undo
    assert memory.misses == after


def test_memory_forgets_the_longest_unused() -> None:
    memory = Memory(most=2)
    for key in ("a", "b", "a", "c"):
        memory.get(key, object)
    assert list(memory.results) == ["a", "c"]


def test_a_rebuild_can_be_given_up() -> None:
    def stop(number: int, count: int, name: str) -> None:
        if name == "passage_row":
            raise Cancelled

    with pytest.raises(Cancelled):
        rebuild(_SLIDE, LensView("wanted", neutral()), progress=stop)


def test_an_empty_design_is_no_error_and_makes_no_part(build) -> None:
    built = build(Design())
    assert built.whole
    assert built.problems[0].severity == "warning"
    assert not built.bodies
