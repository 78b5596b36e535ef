"""Steps that lead, join, repeat and divide: against closed formulas, and what cannot be is told."""

from __future__ import annotations

import math
import random

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from schablone.core.design import Design
from schablone.core.design import edit as edits
from schablone.core.design.text import sentence_of
from schablone.core.kernel.along import carried, least_twist, rounded_polyline
from schablone.core.kernel.frame import GROUND, dot
from schablone.core.kernel.naming import FaceName
from schablone.core.packed import packed
from schablone.core.publish.exports import export
from schablone.core.publish.piece import Piece
from schablone.core.sketch.chain import chained
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.thick import thickened
from tests.conftest import examples, of_kind, plate
from tests.core.test_steps import made, volume

PI = math.pi


def square(name: str = "bar", side: str = "4 mm", plane: str = "side", **more: object) -> dict:
    shape = {"kind": "rectangle", "name": "edge", "width": side, "height": side}
    return {"kind": "sketch", "name": name, "plane": plane, "shapes": [shape], **more}


def drawn(name: str, *elements: dict, **more: object) -> dict:
    return {"kind": "sketch", "name": name, "drawing": {"elements": list(elements)}, **more}


def point(name: str, x: float, y: float, **more: object) -> dict:
    return {"kind": "point", "name": name, "x": x, "y": y, **more}


def line(name: str, start: str, end: str) -> dict:
    return {"kind": "line", "name": name, "start": start, "end": end}


def design(
    *steps: dict, sizes: dict[str, str] | None = None, parts: tuple[str, ...] = ("part",)
) -> Design:
    listed = [{"name": name, "formula": formula} for name, formula in (sizes or {}).items()]
    return Design.model_validate(
        {"sizes": listed, "steps": list(steps), "parts": [{"name": name} for name in parts]}
    )


def only(found: Design):
    result = made(found)
    assert result.whole, [p.text for p in result.problems]
    return result.bodies["part"]


def told(found: Design) -> str:
    result = made(found)
    assert not result.whole
    return result.problems[-1].text


CORNER = [
    {"x": "0 mm"},
    {"x": "30 mm"},
    {"x": "30 mm", "y": "20 mm"},
    {"x": "30 mm", "y": "20 mm", "z": "10 mm"},
]


class TestLead:
    def lead(self, section: dict | None = None, **more: object) -> Design:
        step = {**of_kind("lead", "rail", sketch="bar", way="points", points=CORNER), **more}
        return design(section or square(), step)

    def test_mitred_corners_keep_the_section_all_along(self):
        body = only(self.lead())
        assert body.figures().volume == pytest.approx(16 * 60)
        assert FaceName.read("rail/side/edge.top") in body.names()
        assert body.solid().is_valid()

    def test_bends_take_the_length_of_their_arcs(self):
        length = 60 - 4 * 5 + 2 * PI / 2 * 5
        body = only(self.lead(bend="5 mm"))
        assert body.figures().volume == pytest.approx(16 * length)
        assert body.frames[FaceName.read("rail/end")].normal == pytest.approx((0, 0, 1))

    @pytest.mark.parametrize(
        ("more", "expected"),
        [
            ({"twist": "90 deg * along"}, 16 * 30.0),  # sections turn, their area stays
            ({"growth": "1 - along / 2"}, 30 / 3 * (16 + 8 + 4)),  # a frustum
            ({"twist": "45 deg"}, 16 * 30.0),
            ({"growth": "2"}, 64 * 30.0),
        ],
    )
    def test_twist_and_growth(self, more, expected):
        body = only(self.lead(points=[{}, {"x": "30 mm"}], **more))
        assert body.figures().volume == pytest.approx(expected, rel=2e-6)

    def test_a_tube_along_a_drawn_path(self):
        tube = of_kind(
            "sketch",
            "bar",
            plane="front",
            shapes=[
                {"kind": "circle", "name": "out", "diameter": "6 mm"},
                {"kind": "circle", "name": "in", "diameter": "4 mm"},
            ],
        )
        path = drawn("way", point("a", 0, 0), point("b", 0, 20), line("run", "a", "b"))
        step = {"kind": "lead", "name": "rail", "sketch": "bar", "drawn": "way"}
        assert only(design(tube, path, step)).figures().volume == pytest.approx(PI * (9 - 4) * 20)

    def test_a_helix_by_formula_has_the_volume_of_its_length(self):
        body = only(self.lead(square(plane="ground"), way="formula"))
        assert body.figures().volume == pytest.approx(16 * math.hypot(2 * PI * 20, 10), rel=1e-5)

    @pytest.mark.parametrize(
        ("more", "says"),
        [
            ({"points": [{}]}, "two points at least"),
            ({"points": [{}, {}]}, "points 1 and 2 of the path are the same"),
            ({"bend": "11 mm"}, "do not fit"),
            ({"bend": "-1 mm"}, "must not be negative"),
            ({"twist": "90 deg * along"}, "sharp corner"),
            ({"growth": "1 - along"}, "shrinks to 0"),
            ({"points": [{}, {"x": "30 mm"}, {"x": "10 mm"}]}, "turns back on itself"),
        ],
    )
    def test_what_cannot_be_is_told(self, more, says):
        assert says.lower() in told(self.lead(**more)).lower()


@given(
    st.lists(st.tuples(*[st.floats(-50, 50)] * 3), min_size=3, max_size=6, unique=True),
    st.floats(0.0, 1.0),
)
@example([(0.0, 0.0, 0.0), (0.0, 0.0, 3.0), (0.0, 4.0, 0.0), (0.0, 0.0, 1e-9)], 1.0)
@examples(60)
def test_frames_along_a_path_stay_square_to_it(points, bend):
    try:
        pieces, closed = rounded_polyline(points, bend)
    except ValueError:
        return
    end = carried(GROUND, pieces)
    # A path that closes ends where it began: behind the bend at its first point.
    goal = pieces[0][0].origin if closed else points[-1]
    assert end.origin == pytest.approx(goal, abs=1e-9)
    assert abs(dot(end.x, end.y)) < 1e-9
    assert dot(end.x, end.x) == pytest.approx(1)


def test_frames_do_not_turn_about_a_plane_path():
    import numpy as np

    t = np.linspace(0, PI, 40)
    points = np.stack([20 * np.sin(t), 0 * t, 20 - 20 * np.cos(t)], 1)
    tangents = np.stack([np.cos(t), 0 * t, np.sin(t)], 1)
    across = np.cross(tangents, least_twist(points, tangents, GROUND))
    # square to the plane of the path
    assert across == pytest.approx(np.tile([0, 1, 0], (40, 1)), abs=1e-12)


class TestRib:
    ELL = (
        point("a", -10, 0),
        point("b", 10, 0),
        point("c", 10, 10),
        line("run", "a", "b"),
        line("rise", "b", "c"),
    )

    def test_a_wall_along_lines(self):
        body = only(
            design(
                drawn("way", *self.ELL),
                {"kind": "rib", "name": "fin", "sketch": "way", "by": "5 mm"},
            )
        )
        # Twice the lines' length: the corner's kite is what both pieces share inside.
        assert body.figures().volume == pytest.approx(2 * 30 * 5)
        assert body.figures().bounds == (pytest.approx((-10, -1, 0)), pytest.approx((11, 10, 5)))

    def test_a_rib_goes_down_to_the_part_only(self):
        box = [
            square("base", "40 mm", "ground"),
            {"kind": "extrude", "name": "box", "sketch": "base", "by": "30 mm"},
            {"kind": "shell", "name": "hollow", "faces": ["box/end"], "wall": "3 mm"},
        ]
        rib = {"kind": "rib", "name": "fin", "sketch": "way", "extent": "next", "direction": "down"}
        with_rib = design(*box, drawn("way", *self.ELL, lift="20 mm"), rib)
        assert only(with_rib).figures().volume - only(
            design(*box)
        ).figures().volume == pytest.approx(2 * 30 * 17)

    def test_an_arc_made_thick_has_the_area_of_its_middle(self):
        (loop,) = thickened([EllipticArc((0, 0), 10, 10, 0, PI / 2, "bow")], 2, 0.5)
        assert loop.area == pytest.approx(10 * PI / 2 * 2)
        with pytest.raises(ValueError, match="too sharply"):
            thickened([EllipticArc((0, 0), 10, 10, 0, PI / 2, "bow")], 30, 0.5)

    def test_curves_that_make_no_path_are_told(self):
        cross = [Segment((0, 0), (1, 0)), Segment((0, 0), (0, 1)), Segment((0, 0), (-1, 0))]
        with pytest.raises(ValueError, match="more than two curves meet"):
            chained(cross)
        with pytest.raises(ValueError, match="one path"):
            chained([Segment((0, 0), (1, 0)), Segment((5, 0), (6, 0))])
        path, closed = chained(
            [
                Segment((1, 0), (0, 0), "p"),
                Segment((1, 1), (1, 0), "q"),
                Segment((0, 0), (1, 1), "r"),
            ]
        )
        assert closed
        assert [a.end for a in path] == [b.start for b in [*path[1:], path[0]]]


WALL = [
    square("base", "40 mm", "ground"),
    {"kind": "extrude", "name": "base_plate", "sketch": "base", "by": "4 mm"},
    {"kind": "sketch", "name": "foot", "plane": "base_plate/end",
     "shapes": [{"kind": "rectangle", "name": "edge", "x": "-18 mm", "width": "4 mm",
                 "height": "40 mm"}]},
    {"kind": "extrude", "name": "wall", "sketch": "foot", "by": "30 mm"},
]  # fmt: skip


class TestGusset:
    def gusset(self, *more: dict, **fields: object) -> Design:
        step = {
            **of_kind("gusset", "web", first="base_plate/end", second="wall/side/edge.right"),
            **fields,
        }
        return design(*WALL, step, *more)

    def added(self, found: Design) -> float:
        return only(found).figures().volume - only(design(*WALL)).figures().volume

    def test_straight_and_hollowed(self):
        assert self.added(self.gusset()) == pytest.approx(15 * 15 / 2 * 3)
        assert self.added(self.gusset(form="hollow")) == pytest.approx((15**2 - PI / 4 * 15**2) * 3)

    def test_a_row_of_gussets(self):
        row = of_kind(
            "row",
            "webs",
            of="web",
            along="y",
            span="40 mm",
            pitch="10 mm",
            margin="2 mm",
            item="3 mm",
        )
        assert self.added(self.gusset(row)) == pytest.approx(4 * 15 * 15 / 2 * 3)

    @pytest.mark.parametrize(
        ("fields", "says"),
        [
            ({"second": "base_plate/side/edge.right"}, "sticks out"),
            ({"second": "wall/end"}, "do not meet in a straight edge"),
            ({"first_leg": "0 mm"}, "must be above zero"),
        ],
    )
    def test_what_cannot_be_is_told(self, fields, says):
        assert says in told(self.gusset(**fields))


class TestExtents:
    BOX = [
        square("base", "40 mm", "ground"),
        {"kind": "extrude", "name": "box", "sketch": "base", "by": "30 mm"},
        {"kind": "shell", "name": "hollow", "faces": ["box/end"], "wall": "3 mm"},
    ]

    def test_a_hole_to_the_next_face_goes_through_one_wall(self):
        hole = of_kind("hole", "bore", face="box/side/edge.right", diameter="6 mm", y="15 mm")
        whole = only(design(*self.BOX)).figures().volume
        for extent, walls in (("next", 1), ("through", 2)):
            left = only(design(*self.BOX, {**hole, "extent": extent})).figures().volume
            assert whole - left == pytest.approx(PI * 9 * 3 * walls)

    def test_a_post_stands_on_the_next_face_below(self):
        disc = of_kind(
            "sketch",
            "disc",
            lift="20 mm",
            shapes=[{"kind": "circle", "name": "c", "diameter": "8 mm"}],
        )
        post = of_kind("extrude", "post", sketch="disc", extent="next", direction="down")
        whole = only(design(*self.BOX)).figures().volume
        assert only(design(*self.BOX, disc, post)).figures().volume - whole == pytest.approx(
            PI * 16 * 17
        )
        assert "no face on the way" in told(design(*self.BOX, disc, {**post, "direction": "up"}))

    @pytest.mark.parametrize(("extent", "count"), [("by", 1), ("both", 2)])
    def test_leaning_sides_make_a_frustum(self, extent, count):
        up = of_kind(
            "extrude",
            "boss",
            sketch="base",
            by=f"{10 * count} mm",
            extent=extent,
            sides="leaning",
            lean="10 deg",
        )
        top = 40 - 2 * 10 * math.tan(math.radians(10))
        expected = count * 10 / 3 * (1600 + 40 * top + top**2)
        assert only(
            design(square("base", "40 mm", "ground"), up)
        ).figures().volume == pytest.approx(expected)


class TestTurning:
    """A ring turned from beside a block towards it: the block's face lies in the axis, a quarter
    turn away."""

    BLOCK = [
        {"kind": "sketch", "name": "base", "shapes": [{"kind": "rectangle", "name": "edge",
                                                       "x": "-10 mm", "width": "20 mm",
                                                       "height": "40 mm"}]},
        {"kind": "extrude", "name": "block", "sketch": "base", "by": "10 mm"},
        {"kind": "sketch", "name": "section", "plane": "front",
         "shapes": [{"kind": "rectangle", "name": "bar", "x": "12 mm", "y": "5 mm", "width": "4 mm",
                     "height": "4 mm"}]},
    ]  # fmt: skip

    def turned(self, **more: object) -> Design:
        return design(*self.BLOCK, {"kind": "revolve", "name": "arm", "sketch": "section", **more})

    @pytest.mark.parametrize(
        "more", [{"extent": "upto", "upto": "block/side/edge.right"}, {"extent": "next"}]
    )
    def test_up_to_a_face_and_to_the_next_one(self, more):
        assert only(self.turned(**more)).figures().volume == pytest.approx(
            8000 + 16 * 2 * PI * 12 / 4
        )

    def test_cut_to_the_next_face(self):
        """Begun in the air, the cut goes through the first wall that it meets and no further."""
        ring = only(self.turned(extent="full", mode="cut")).figures().volume
        assert only(self.turned(extent="next", mode="cut")).figures().volume == pytest.approx(
            ring
        )  # half a ring in one piece

    def test_what_cannot_be_is_told(self):
        assert "does not lie in the" in told(self.turned(extent="upto", upto="block/side/edge.top"))
        away = design(
            self.BLOCK[2], {"kind": "revolve", "name": "arm", "sketch": "section", "extent": "next"}
        )
        assert "no part yet" in told(away)


class TestHoles:
    def test_at_the_points_of_a_sketch(self):
        marks = drawn(
            "marks", point("a", 5, 5), point("b", -5, 5), point("aside", 0, 0, helper=True)
        )
        bore = of_kind(
            "hole", "bore", face="plate/end", where="points", sketch="marks", diameter="4 mm"
        )
        body = made(plate(marks, bore)).bodies["part"]
        assert body.figures().volume == pytest.approx(16000 - 2 * PI * 4 * 4)
        assert {str(n) for n in body.names() if n.step == "bore"} == {"bore/wall/a", "bore/wall/b"}
        assert "no points that stand alone" in told(
            plate(drawn("marks", point("a", 0, 0, helper=True)), bore)
        )

    def test_long_holes(self):
        bore = of_kind(
            "hole",
            "bore",
            face="plate/end",
            form="long",
            diameter="4 mm",
            length="10 mm",
            turn="30 deg",
        )
        assert volume(plate(bore)) == pytest.approx(16000 - (PI * 4 + 6 * 4) * 4)
        assert "longer than wide" in told(plate({**bore, "length": "3 mm"}))
        assert "breaks out" in told(plate({**bore, "x": "46 mm"}))

    @pytest.mark.parametrize("side", ["bottom", "top", "left", "right"])
    @pytest.mark.parametrize(
        ("form", "area"), [("pointed", 3 * PI / 4 + 1), ("flat", 3 * PI / 4 + 2 * math.sqrt(2) - 2)]
    )
    def test_roofs_over_holes_that_lie(self, side, form, area):
        bore = of_kind(
            "hole",
            "bore",
            face=f"plate/side/edge.{side}",
            form=form,
            diameter="2.8 mm",
            y="1.9 mm",
            extent="depth",
            depth="10 mm",
        )
        assert volume(plate(bore)) == pytest.approx(16000 - area * 1.4**2 * 10)
        # A point stands √2 · 1.4 mm = 1.98 mm above the middle, in a plate of 4 mm; the flat roof
        # no higher than the circle.
        higher = plate({**bore, "y": "2.1 mm"})
        assert (
            "breaks out" in told(higher)
            if form == "pointed"
            else volume(higher) == pytest.approx(volume(plate(bore)))
        )
        assert volume(
            plate({**bore, "face": "plate/end", "y": "0 mm", "extent": "through"})
        ) == pytest.approx(16000 - PI * 1.4**2 * 4)


class TestRepeating:
    BORE = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "4 mm"}
    ONE = PI * 4 * 4

    def test_members_are_left_out_by_a_condition(self):
        grid = of_kind(
            "grid", "g", of="bore", columns="3", rows="2", omit="column == 2 and row == 1"
        )
        assert volume(plate(self.BORE, grid)) == pytest.approx(16000 - 5 * self.ONE)
        row = of_kind("row", "r", of="bore", span="100 mm", omit="number > 1 and number < r.count")
        assert volume(plate(self.BORE, row)) == pytest.approx(16000 - 2 * self.ONE)
        none = made(plate(self.BORE, {**row, "omit": "number > 0"}))
        assert none.whole
        assert none.figures["part"].volume == pytest.approx(16000)
        assert [(p.severity, "are left out" in p.what) for p in none.problems] == [("note", True)]
        assert "a truth is wanted" in told(plate(self.BORE, {**row, "omit": "number + 1"}))

    def test_the_whole_part_in_a_row_stays_prisms(self):
        row = of_kind(
            "row", "r", what="part", span="320 mm", item="100 mm", pitch="110 mm", margin="0 mm"
        )
        body = made(plate(self.BORE, row)).bodies["part"]
        assert body.figures().volume == pytest.approx(3 * (16000 - self.ONE))
        assert len(body.prisms) == 3

    def test_along_a_half_circle(self):
        bow = drawn(
            "bow",
            point("a", 30, 0),
            point("b", -30, 0),
            point("m", 0, 0, helper=True),
            {"kind": "arc", "name": "k", "centre": "m", "start": "a", "end": "b"},
        )
        peg = of_kind(
            "sketch",
            "peg",
            shapes=[
                {"kind": "rectangle", "name": "e", "x": "30 mm", "width": "4 mm", "height": "2 mm"}
            ],
        )
        up = {"kind": "extrude", "name": "pin", "sketch": "peg", "by": "5 mm"}
        trail = {"kind": "trail", "name": "pins", "of": "pin", "path": "bow", "count": "5"}
        body = only(design(bow, peg, up, trail))
        assert body.figures().volume == pytest.approx(5 * 40)
        # Turned with the curve: the middle one lies across, the last is the first one's image.
        assert body.figures().bounds == (pytest.approx((-32, -1, 0)), pytest.approx((32, 32, 5)))
        found = made(
            design(
                bow, peg, up, {**trail, "how": "pitch", "pitch": "10 mm"}, sizes={"n": "pins.count"}
            )
        )
        assert found.table.cells["n"].wanted.value == 10  # 30π / 10 = 9.4: ten posts, nine gaps


class TestPartsOfParts:
    def test_split_keeps_both_halves(self):
        step = {"kind": "split", "name": "saw", "plane": "side", "at": "20 mm", "other": "lid"}
        lift = {"kind": "move", "name": "up", "part": "lid", "z": "30 mm"}
        found = made(plate(step, lift, parts=[{"name": "part"}, {"name": "lid"}]))
        assert {n: b.figures().volume for n, b in found.bodies.items()} == {
            "part": pytest.approx(70 * 40 * 4),
            "lid": pytest.approx(30 * 40 * 4),
        }
        assert found.bodies["lid"].figures().bounds[0] == pytest.approx((20, -20, 30))
        assert FaceName.read("saw/other/plate.side.edge.right") in found.bodies["lid"].names()
        for other, says in (("lid", "does not go through"), ("part", "No part is chosen")):
            wrong = plate(
                {**step, "at": "60 mm", "other": other}, parts=[{"name": "part"}, {"name": "lid"}]
            )
            assert says in told(wrong)

    def sized(self, *steps: dict) -> Design:
        up = {"kind": "extrude", "name": "cube", "sketch": "base", "by": "high"}
        sizes = {"wide": "40 mm", "high": "wide / 4"}
        return design(
            square("base", "wide", "ground"), up, *steps, sizes=sizes, parts=("part", "small")
        )

    def test_a_copy_with_another_size_follows_it_in_all_that_depends(self):
        copy = of_kind(
            "copy",
            "again",
            other="part",
            part="small",
            x="100 mm",
            angle="90 deg",
            axis="y",
            sizes=[{"size": "wide", "formula": "wide / 2"}],
        )
        found = made(self.sized(copy))
        assert found.bodies["part"].figures().volume == pytest.approx(40 * 40 * 10)
        assert found.bodies["small"].figures().volume == pytest.approx(20 * 20 * 5)
        assert found.bodies["small"].figures().bounds == (
            pytest.approx((100, -10, -10)),
            pytest.approx((105, 10, 10)),
        )
        wider = edits.set_formula(self.sized(copy), "wide", "60 mm")
        assert made(wider).bodies["small"].figures().volume == pytest.approx(30 * 30 * 7.5)

    def test_copies_of_copies_and_wrong_sizes(self):
        one = {"kind": "copy", "name": "one", "other": "part", "x": "100 mm"}
        two = of_kind(
            "copy", "two", other="part", part="small", sizes=[{"size": "wide", "formula": "20 mm"}]
        )
        found = made(self.sized(one, two))
        assert found.bodies["part"].figures().volume == pytest.approx(2 * 16000)
        assert found.bodies["small"].figures().volume == pytest.approx(2 * 2000)
        for size, formula, says in (
            ("wide", "0 mm", "With these sizes the part cannot be built"),
            ("wdie", "1 mm", "no size “wdie”"),
            ("", "1 mm", "No size"),
        ):
            assert says in told(self.sized({**two, "sizes": [{"size": size, "formula": formula}]}))

    def test_renaming_a_size_reaches_the_copy(self):
        copy = of_kind(
            "copy",
            "again",
            other="part",
            part="small",
            sizes=[{"size": "wide", "formula": "wide / 2"}],
        )
        renamed = edits.rename_size(self.sized(copy), "wide", "broad")
        assert made(renamed).bodies["small"].figures().volume == pytest.approx(2000)
        assert "with `broad` = `broad / 2`" in "\n".join(sentence_of(renamed.steps[-1], renamed))


class TestFaces:
    def test_shifted_faces(self):
        bore = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "8 mm"}
        thicker = {"kind": "shift_faces", "name": "more", "faces": ["plate/end"], "by": "2 mm"}
        found = made(plate(bore, thicker)).bodies["part"]
        assert found.figures().volume == pytest.approx((4000 - PI * 16) * 6)
        assert found.frames[FaceName.read("plate/end")].origin[2] == pytest.approx(6)
        wider = of_kind("shift_faces", "more", faces=["bore/wall"], by="1 mm", to="inwards")
        assert volume(plate(bore, wider)) == pytest.approx((4000 - PI * 25) * 4)
        # past its own radius; beyond the plate's edge
        for by, to in (("5 mm", "outwards"), ("30 mm", "inwards")):
            assert "does not fit on these faces" in told(plate(bore, {**wider, "by": by, "to": to}))

    def test_a_wall_of_its_own(self):
        box = [
            square("base", "40 mm", "ground"),
            {"kind": "extrude", "name": "box", "sketch": "base", "by": "10 mm"},
        ]
        shell = of_kind(
            "shell",
            "hollow",
            faces=["box/end"],
            wall="1 mm",
            walls=[{"faces": ["box/side/edge.right"], "wall": "3 mm"}],
        )
        found = design(*box, shell)
        assert only(found).figures().volume == pytest.approx(16000 - 36 * 38 * 9)
        renamed = edits.rename_step_everywhere(found, "box", "crate")
        assert only(renamed).figures().volume == pytest.approx(16000 - 36 * 38 * 9)

    def test_faces_and_edges_of_all_that_a_shape_raised(self):
        lean = of_kind("draft", "lean", faces=["plate/side/edge"], angle="10 deg", hinge="ground")
        t = 4 * math.tan(math.radians(10))
        top = (100 - 2 * t) * (40 - 2 * t)
        middle = (100 - t) * (40 - t)
        # Simpson is exact here
        assert volume(plate(lean)) == pytest.approx(4 / 6 * (4000 + 4 * middle + top))
        soft = of_kind(
            "fillet", "soft", radius="1 mm", edges=[{"how": "raised", "of": ["plate/side/edge"]}]
        )
        body = only(plate(soft))
        # every edge, and every corner
        assert len([n for n in body.solid().names if n.step == "soft"]) == 12 + 8


class TestMeasures:
    def test_centre_angle_radius_and_clearance(self):
        bore = of_kind("hole", "bore", face="plate/end", diameter="8 mm", x="10 mm")
        reads = [
            {"kind": "measure", "name": "c", "what": "centre"},
            of_kind("measure", "a", what="angle", first="plate/end", second="plate/side/edge.left"),
            {"kind": "measure", "name": "r", "what": "radius", "first": "bore/wall"},
            {"kind": "copy", "name": "lid_copy", "other": "part", "part": "lid", "z": "7 mm"},
            {"kind": "measure", "name": "gap", "what": "clearance", "other": "lid"},
        ]
        found = made(plate(bore, *reads, parts=[{"name": "part"}, {"name": "lid"}]))
        hole = PI * 16 * 4
        assert found.measured == {
            "c.x": pytest.approx(-10 * hole / (16000 - hole)),
            "c.y": pytest.approx(0, abs=1e-9),
            "c.z": pytest.approx(2),
            "a.value": pytest.approx(90),
            "r.value": pytest.approx(4),
            "gap.value": pytest.approx(3),
        }
        assert "has no one radius" in told(
            plate({"kind": "measure", "name": "r", "what": "radius", "first": "plate/end"})
        )

    def test_a_size_that_reads_a_later_measure_keeps_no_copy_from_being_made(self):
        copy = {"kind": "copy", "name": "lid_copy", "other": "part", "part": "lid", "z": "7 mm"}
        gap = {"kind": "measure", "name": "gap", "what": "clearance", "other": "lid"}
        sizes = {"far": "gap.value", "twice": "2*far"}
        parts = [{"name": "part"}, {"name": "lid"}]
        found = made(plate(copy, gap, parts=parts, sizes=sizes))
        assert found.table.env().values["twice"] == pytest.approx(6)
        # What asks for it before it is measured is told.
        early = {"kind": "hole", "name": "early", "face": "plate/end", "diameter": "twice"}
        assert "no part “lid” yet" in told(plate(early, copy, gap, parts=parts, sizes=sizes))

    def test_a_part_with_rounded_edges_is_scaled(self):
        soft = of_kind("fillet", "soft", edges=[{"how": "all", "of": ["plate"]}], radius="1 mm")
        large = {"kind": "move", "name": "large", "how": "scale", "factor": "2"}
        before, after = only(plate(soft)), only(plate(soft, large))
        assert after.figures().volume == pytest.approx(8 * before.figures().volume, rel=1e-9)
        assert after.names() == before.names()


@pytest.mark.parametrize("seed", range(8))
def test_a_damaged_step_file_is_told_in_words(seed) -> None:
    """The kernel's reader ends its process on some of these: never the one that asks."""
    whole = export([Piece("Plate", made(plate()).bodies["part"])], "plate.step")
    chance = random.Random(seed)
    data = bytearray(whole)
    for _ in range(30):
        at = chance.randrange(len(data) // 3, len(data))
        if seed % 2:
            del data[at : at + chance.randrange(1, 60)]
        else:
            data[at] = chance.randrange(32, 127)
    step = {"kind": "imported", "name": "solid", "file": "a.step", "data": packed(bytes(data))}
    found = made(Design.model_validate({"name": "From a file", "steps": [step]}))
    if not found.whole:
        (problem,) = [p for p in found.problems if p.severity == "error"]
        assert problem.what.endswith(".")
        assert problem.hint
