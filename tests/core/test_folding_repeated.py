"""Bends repeated by rows, rings and mirrors, and a sheet joined to its own image: the same part as
when each bend is put on by itself."""

import itertools
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.kernel.folding.described import rooted, turned_over
from schablone.core.kernel.frame import Frame
from tests.conftest import examples
from tests.core.test_folding import built, flange, folded, lines, sheet
from tests.core.test_meshes import whole

HALF = {"kind": "rectangle", "name": "edge", "width": "50 mm", "height": "60 mm", "x": "25 mm"}


def figures(design):
    found = built(design)
    assert found.whole, [problem.what for problem in found.problems]
    one = found.bodies["part"]
    return one.figures(), one.folded


def alike(one, other, names: bool = False):
    """The same solid, the same blank, in the same place."""
    a, first = figures(one)
    b, second = figures(other)
    assert a.volume == pytest.approx(b.volume, abs=1e-7)
    assert a.area == pytest.approx(b.area, abs=1e-6)
    assert a.centre == pytest.approx(b.centre, abs=1e-7)
    assert [*a.bounds[0], *a.bounds[1]] == pytest.approx([*b.bounds[0], *b.bounds[1]], abs=1e-7)
    assert len(first.panels) == len(second.panels)
    assert len(first.bends) == len(second.bends)
    assert first.blank.region.area == pytest.approx(second.blank.region.area, abs=1e-7)
    assert first.blank.region.outer.bounds() == pytest.approx(
        second.blank.region.outer.bounds(), abs=1e-7
    )
    if names:
        assert {str(name) for name in first.names()} == {str(name) for name in second.names()}


def mirrored(of: str = "", name: str = "twin", plane: str = "side") -> dict:
    what = {"what": "step", "of": of} if of else {"what": "part"}
    return {"kind": "mirror", "name": name, "plane": plane, **what}


def in_row(of: str, count: int, pitch: str, along: str = "y") -> dict:
    return {
        "kind": "row", "name": "tabs", "of": of, "how": "on", "count": str(count), "pitch": pitch,
        "along": along,
    }  # fmt: skip


def tab(name: str, begin: float, **more: object) -> dict:
    ends = {"extent": "from_to", "begin": f"{begin} mm", "end": f"{begin + 10} mm"}
    return flange("right", name=name, height="15 mm", **ends, **more)


class TestFlangesAgain:
    def test_mirrored_is_the_flange_on_the_other_side(self):
        one = folded(flange("right", height="30 mm"), mirrored("rim"))
        alike(one, folded(flange("right", "left", height="30 mm")), names=True)

    def test_a_ring_of_four_closes_its_corners(self):
        square = {"wide": "60 mm", "high": "60 mm"}
        more = {"height": "20 mm", "corners": "meeting", "gap": "0.3 mm"}
        ring = {"kind": "ring", "name": "round", "of": "rim", "count": "4"}
        one = folded(flange("right", **more), ring, **square)
        alike(one, folded(flange("right", "top", "left", "bottom", **more), **square))

    @pytest.mark.parametrize("relief", ["square", "round", "torn"])
    @pytest.mark.parametrize("way", ["up", "down"])
    def test_a_row_of_tabs_on_one_edge(self, way, relief):
        more = {"way": way, "relief": relief}
        one = folded(tab("first", 5, **more), in_row("first", 3, "18 mm"))
        alone = figures(folded(tab("first", 5, **more)))[0]
        made, bent = figures(one)
        plain = figures(folded())[0]
        assert made.volume - plain.volume == pytest.approx(3 * (alone.volume - plain.volume))
        # Three middles 18 mm apart: the moment about y = 0 is three times that of the second.
        moment = made.volume * made.centre[1] - plain.volume * plain.centre[1]
        first = alone.volume * alone.centre[1] - plain.volume * plain.centre[1]
        each = alone.volume - plain.volume
        assert moment == pytest.approx(3 * first + each * (18 + 36), abs=1e-6)
        spans = sorted(bend.span()[0] for bend in bent.bends)
        assert [b - a for a, b in itertools.pairwise(spans)] == pytest.approx([18, 18])

    def test_a_row_of_no_members_leaves_the_sheet_as_it_was(self):
        alike(folded(tab("first", 5), in_row("first", 0, "18 mm")), folded())

    def test_a_row_of_a_row(self):
        nested = {**mirrored("tabs"), "name": "both"}
        made = folded(tab("first", 5), in_row("first", 2, "18 mm"), nested)
        _, one = figures(made)
        names = {str(bend.inside) for bend in one.bends}
        assert names == {
            "first/bend_inside", "first/bend_inside#2", "first/bend_inside#2.1",
            "first/bend_inside#2.2",
        }  # fmt: skip

    def test_beyond_the_edge_is_told(self):
        found = built(folded(tab("first", 5), in_row("first", 4, "18 mm")))
        assert not found.whole
        told = " ".join(problem.what for problem in found.problems)
        assert "no free straight edge" in told
        assert found.bodies["part"].folded is not None  # the sheet as it was is still there

    def test_turned_about_its_own_middle_a_flange_goes_down_on_the_other_side(self):
        ring = {"kind": "ring", "name": "turned", "of": "rim", "count": "2", "axis": "y",
                "first": "0 mm", "second": "1 mm"}  # fmt: skip
        one = folded(flange("right", height="30 mm"), ring)
        other = folded(
            flange("right", height="30 mm"), flange("left", name="back", height="30 mm", way="down")
        )
        alike(one, other)

    def test_hems(self):
        hem = {"kind": "hem", "name": "hem", "length": "8 mm", "form": "open", "gap": "2 mm",
               "edges": [{"how": "around", "of": ["base/side/edge.right"]}]}  # fmt: skip
        both = {"how": "around", "of": ["base/side/edge.left"]}
        two = {**hem, "edges": [*hem["edges"], both]}
        alike(folded(hem, mirrored("hem")), folded(two), names=True)


def along(name: str, moves: str, **more: object) -> dict:
    return {
        "kind": "fold", "name": name, "sketch": "mark", "about": "crease", "moves": moves,
        "angle": "60 deg", **more,
    }  # fmt: skip


class TestLinesCutsAndMarksAgain:
    def test_a_fold_mirrored_bends_both_ends_up(self):
        _, one = figures(lines(along("up", "right"), mirrored("up"), x="30 mm"))
        assert [bend.angle for bend in one.bends] == [60, 60]
        assert one.bends[0].out == pytest.approx((1, 0), abs=1e-9)
        assert one.bends[1].out == pytest.approx((-1, 0), abs=1e-9)
        low, high = figures(lines(along("up", "right"), mirrored("up"), x="30 mm"))[0].bounds
        assert low[0] == pytest.approx(-high[0], abs=1e-9)
        assert one.volume() == pytest.approx(
            2 * sheet(lines(along("up", "right"), x="30 mm")).volume()
            - sheet(folded()).volume(), abs=1e-7
        )  # fmt: skip

    def test_a_short_line_keeps_to_its_part_of_the_sheet(self):
        step = along("up", "right", across="line", relief="round")
        made, one = figures(lines(step, mirrored("up"), x="30 mm"))
        # From −20 to 15 along y, on both sides.
        solid = built(lines(step, mirrored("up"), x="30 mm")).bodies["part"].solid()
        assert solid.is_valid()
        assert solid.volume == pytest.approx(made.volume, rel=1e-8)
        box = [sorted(region.outer.bounds()[1::2]) for b in one.bends for region in b.regions]
        assert box[0] == pytest.approx([-20, 15], abs=1e-9)
        assert box[1] == pytest.approx([-20, 15], abs=1e-9)

    def test_an_offset_on_both_sides(self):
        lap = {
            "kind": "offset_bend", "name": "lap", "sketch": "mark", "about": "crease",
            "moves": "right", "height": "4 mm", "angle": "30 deg",
        }  # fmt: skip
        # A row along x leaves the plane that the first has lifted what follows to.
        found = built(lines(lap, in_row("lap", 2, "20 mm", "x"), x="0 mm", wide="200 mm"))
        assert "does not cross" in " ".join(problem.what for problem in found.problems)
        twins = figures(lines(lap, mirrored("lap"), x="30 mm", wide="200 mm"))[0]
        assert twins.bounds[1][2] - twins.bounds[0][2] == pytest.approx(6, abs=1e-9)

    def test_cuts_in_the_blank_and_marks_go_with_it(self):
        slot = {
            "kind": "sketch", "name": "drawn", "plane": "base/end",
            "shapes": [{"kind": "rectangle", "name": "slot", "width": "30 mm", "height": "4 mm",
                        "x": "45 mm", "y": "-20 mm"}],
        }  # fmt: skip
        cut = {"kind": "blank_cut", "name": "window", "sketch": "drawn"}
        rim = flange("right", height="30 mm")
        one = sheet(folded(rim, slot, cut, in_row("window", 3, "20 mm")))
        uncut = sheet(folded(rim))
        assert uncut.blank.region.area - one.blank.region.area == pytest.approx(360, abs=1e-7)
        mark = {"kind": "sheet_mark", "name": "said", "sketch": "drawn"}
        two = sheet(folded(slot | {"shapes": [slot["shapes"][0] | {"x": "20 mm"}]}, mark,
                           mirrored("said")))  # fmt: skip
        middles = [sum(p[0] for p in line) / len(line) for line in two.marks()]
        assert math.fsum(middles) == pytest.approx(0, abs=1e-9)
        assert len(middles) == 8

    def test_a_place_without_sheet_is_told(self):
        slot = {
            "kind": "sketch", "name": "drawn", "plane": "base/end",
            "shapes": [{"kind": "circle", "name": "slot", "diameter": "4 mm"}],
        }  # fmt: skip
        cut = {"kind": "blank_cut", "name": "window", "sketch": "drawn"}
        found = built(folded(slot, cut, in_row("window", 3, "40 mm")))
        assert "no material" in " ".join(problem.what for problem in found.problems)


def half(*steps: dict, wide: str = "50 mm") -> object:
    """The right half of the sheet, drawn alone, from x = 0 on."""
    outline = {**HALF, "width": wide}
    first = [
        {"kind": "sketch", "name": "outline", "shapes": [outline]},
        {"kind": "sheet", "name": "base", "sketch": "outline", "thickness": "2 mm"},
    ]
    design = folded()
    return type(design).model_validate({"name": "Half", "steps": [*first, *steps]})


class TestOneAfterTheOther:
    def test_flanges_in_two_steps_are_flanges_in_one(self):
        one = folded(flange("top", height="30 mm"), flange("right", name="end", height="30 mm"))
        alike(one, folded(flange("top", "right", height="30 mm")))

    @pytest.mark.parametrize("way", ["up", "down"])
    def test_on_the_side_of_a_flange(self, way):
        lip = {"kind": "flange", "name": "lip", "height": "12 mm", "way": way,
               "edges": [{"how": "around", "of": ["rim/right_end"]}]}  # fmt: skip
        brim = {"kind": "flange", "name": "brim", "height": "9 mm",
                "edges": [{"how": "around", "of": ["rim/tip"]}]}  # fmt: skip
        for more in ([lip], [brim, lip], [lip, brim]):
            body = built(folded(flange("top", height="30 mm"), *more)).bodies["part"]
            solid = body.solid()
            assert solid.is_valid()
            assert solid.volume == pytest.approx(body.folded.volume(), rel=1e-8)
            whole(body.mesh())


class TestOneOfTwo:
    def test_half_a_channel_and_its_image(self):
        alike(half(flange("right", height="30 mm"), mirrored()),
              folded(flange("right", "left", height="30 mm")))  # fmt: skip

    def test_bends_that_meet_in_the_plane_become_one(self):
        one = half(flange("top", height="30 mm"), mirrored())
        alike(one, folded(flange("top", height="30 mm")))
        _, made = figures(one)
        assert len(made.panels) == 2
        assert made.bends[0].is_plain()

    def test_a_tree_that_parts_after_the_plane(self):
        brim = {"kind": "flange", "name": "brim", "height": "12 mm",
                "edges": [{"how": "around", "of": ["rim/tip"]}]}  # fmt: skip
        end = flange("right", name="end", height="20 mm")
        alike(
            half(flange("top", height="30 mm"), brim, end, mirrored()),
            folded(flange("top", height="30 mm"), brim, flange("right", "left", name="end",
                                                              height="20 mm")),
        )  # fmt: skip

    def test_what_comes_later_stands_on_the_whole(self):
        hole = {"kind": "hole", "name": "bore", "face": "rim/inside", "diameter": "6 mm",
                "x": "40 mm", "y": "10 mm"}  # fmt: skip
        one = half(flange("top", height="30 mm"), mirrored(), {**hole, "x": "0 mm"})
        two = folded(flange("top", height="30 mm"), {**hole, "x": "0 mm"})
        assert figures(one)[0].volume == pytest.approx(figures(two)[0].volume, abs=1e-7)

    def test_apart_it_is_told(self):
        found = built(half({"kind": "move", "name": "off", "x": "5 mm"}, mirrored()))
        assert "do not go on into each other" in " ".join(p.what for p in found.problems)
        twice = built(folded(mirrored()))
        assert "lies on the sheet itself" in " ".join(p.what for p in twice.problems)

    def test_sectors_of_a_ring(self):
        sector = {"kind": "rectangle", "name": "edge", "width": "40 mm", "height": "40 mm",
                  "x": "20 mm", "y": "20 mm"}  # fmt: skip
        first = [
            {"kind": "sketch", "name": "outline", "shapes": [sector]},
            {"kind": "sheet", "name": "base", "sketch": "outline", "thickness": "2 mm"},
        ]
        ring = {"kind": "ring", "name": "round", "what": "part", "count": "4"}
        design = type(folded()).model_validate(
            {"name": "Tray", "steps": [*first, flange("right", height="20 mm"), ring]}
        )
        made, one = figures(design)
        # Each sector has half of its outer edge's flange: 40 of 80 mm.
        assert len(one.bends) == 4
        assert len(one.panels) == 5
        alone = sheet(type(folded()).model_validate(
            {"name": "Tray", "steps": [*first, flange("right", height="20 mm")]}
        ))  # fmt: skip
        assert made.volume == pytest.approx(4 * alone.volume(), abs=1e-7)

    @examples(25)
    @given(st.floats(20, 150), st.floats(20, 150), st.booleans())
    def test_described_otherwise_it_is_the_same(self, first, second, down):
        brim = {"kind": "flange", "name": "brim", "height": "25 mm", "angle": f"{second!r} deg",
                "way": "down" if down else "up", "measured": "flat",
                "edges": [{"how": "around", "of": ["rim/tip"]}]}  # fmt: skip
        was = sheet(folded(
            flange("right", "top", height="40 mm", angle=f"{first!r} deg", measured="flat"), brim
        ))  # fmt: skip
        for k in range(len(was.panels)):
            for now in (rooted(was, k), turned_over(rooted(was, k))):
                assert now.volume() == pytest.approx(was.volume(), abs=1e-7)
                there = now.face_frames()
                for name, frame in was.face_frames().items():
                    level: Frame = there[name]
                    assert abs(level.coordinates(frame.origin)[2]) < 1e-7
                    assert level.normal == pytest.approx(frame.normal, abs=1e-9)
