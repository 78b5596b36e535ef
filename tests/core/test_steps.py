"""Kinds of step against closed formulas, against each other, and through changes of size and
order."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Design, edit
from schablone.core.design.rebuild import Rebuilt, rebuild
from schablone.core.kernel.frame import Frame
from schablone.core.kernel.motion import Motion
from schablone.core.process import LensView, Process, neutral
from tests.conftest import examples, of_kind, plate

PI = math.pi


def made(
    design: Design, lens: str = "wanted", process: Process | None = None, **given: str
) -> Rebuilt:
    return rebuild(design, LensView(lens, process or neutral()), given=given)  # type: ignore[arg-type]


def volume(design: Design, **given: str) -> float:
    found = made(design, **given)
    assert found.whole, [p.text for p in found.problems]
    return found.bodies["part"].figures().volume


def turned(section: dict, **more: object) -> Design:
    """A section on the front plane turned about its y axis, which is the part's z."""
    sketch = {"kind": "sketch", "name": "section", "plane": "front", "shapes": [section]}
    step = {"kind": "revolve", "name": "body", "sketch": "section", **more}
    return Design.model_validate({"name": "Turned", "steps": [sketch, step]})


RING = of_kind("rectangle", "ring", width="4 mm", height="6 mm", x="10 mm", y="5 mm")


class TestRevolve:
    @pytest.mark.parametrize(
        ("extent", "by", "share"),
        [
            ("full", "1 deg", 1.0),
            ("by", "90 deg", 0.25),
            ("both", "60 deg", 1 / 6),
            ("uneven", "60 deg", 0.25),
        ],
    )
    def test_volume_is_that_of_pappus(self, extent, by, share):
        design = turned(RING, extent=extent, by=by)
        assert volume(design) == pytest.approx(24 * 2 * PI * 10 * share)
        design = turned(
            {"kind": "circle", "name": "tube", "diameter": "6 mm", "x": "12 mm"},
            extent=extent,
            by=by,
        )
        assert volume(design) == pytest.approx(9 * PI * 2 * PI * 12 * share, rel=1e-6)

    def test_every_face_has_a_name_and_flat_ones_a_frame(self):
        body = made(turned(RING)).bodies["part"]
        assert {str(name) for name in body.names()} == {
            f"body/side/ring.{side}" for side in ("left", "right", "top", "bottom")
        }
        heights = {
            name.element: frame.origin[2] * frame.normal[2] for name, frame in body.frames.items()
        }
        assert heights == {"ring.top": pytest.approx(8), "ring.bottom": pytest.approx(-2)}
        assert {
            name.role
            for name in made(turned(RING, extent="by", by="30 deg")).bodies["part"].names()
        } == {"side", "start", "end"}

    def test_a_hole_goes_into_a_turned_face(self):
        design = turned(
            of_kind("rectangle", "disc", width="30 mm", height="4 mm", x="15 mm", y="2 mm")
        )
        hole = of_kind("hole", "bore", face="body/side/disc.top", diameter="6 mm", x="12 mm")
        drilled = Design.model_validate(
            {**design.model_dump(), "steps": [*design.model_dump()["steps"], hole]}
        )
        assert volume(drilled) == pytest.approx(PI * 900 * 4 - 9 * PI * 4)

    def test_both_sides_of_the_axis_are_told(self):
        found = made(turned({**RING, "x": "1 mm"}))
        assert "lies on both sides of the y axis, by 3 mm and 1 mm" in found.problems[0].what

    @pytest.mark.parametrize(("by", "says"), [("0 deg", "above 0°"), ("400 deg", "up to 360°")])
    def test_impossible_angles(self, by, says):
        assert says in made(turned(RING, extent="by", by=by)).problems[0].what

    def test_scaled_for_shrinkage_it_keeps_its_form(self, amsel):
        shrunk = (
            amsel.with_(shrinkage=amsel.shrinkage.with_(xy=0.005, z=0.02))
            if hasattr(amsel, "shrinkage")
            else amsel
        )
        view = LensView("sent", shrunk)
        fx, _, fz = view.stretch
        plain, sent = (
            made(turned(RING)).bodies["part"],
            made(turned(RING), "sent", shrunk).bodies["part"],
        )
        assert sent.figures().volume == pytest.approx(
            plain.figures().volume * fx * fx * fz, rel=1e-5
        )
        assert sent.figures().bounds[1][0] == pytest.approx(12 * fx, rel=1e-6)
        assert sent.names() == plain.names()


class TestEdges:
    def rounded(self, radius: str = "3 mm", **rule: object) -> Design:
        return plate({"kind": "fillet", "name": "soft", "edges": [rule], "radius": radius})

    def test_upright_edges_of_a_plate(self):
        # Each of four corners loses what a square has over a quarter circle.
        lost = 4 * (1 - PI / 4) * 9 * 4
        assert volume(self.rounded(how="upright", of=["plate"])) == pytest.approx(16000 - lost)
        assert volume(
            self.rounded(how="between", of=["plate/side/edge.left", "plate/side/edge.top"])
        ) == pytest.approx(16000 - lost / 4)

    def test_bevels_evenly_and_by_two(self):
        def design(**more: object) -> Design:
            rule = {"how": "between", "of": ["plate/end", "plate/side/edge.top"]}
            return plate(
                {"kind": "chamfer", "name": "bevel", "edges": [rule], "by": "2 mm", **more}
            )

        assert volume(design()) == pytest.approx(16000 - 2 * 100)
        assert volume(design(how="two", other="3 mm")) == pytest.approx(16000 - 3 * 100)
        assert volume(design(how="angle", angle="45 deg")) == pytest.approx(16000 - 2 * 100)

    def test_too_much_says_what_would_work(self):
        found = made(self.rounded("9 mm", how="around", of=["plate/end"]))
        (problem,) = found.problems
        assert "A radius of 9 mm (from “9 mm”) does not fit" in problem.what
        assert "is the most that works here" in problem.what
        most = float(problem.what.split("About ")[1].split(" mm")[0])
        assert 3.5 < most <= 4.05  # the plate is 4 mm thick
        # what does not depend on it is there
        assert found.bodies["part"].figures().volume == pytest.approx(16000)

    def test_a_lost_edge_is_told_with_what_there_is(self):
        found = made(self.rounded(how="around", of=["plate/side/edge.middle"]))
        assert "There is no edge any more" in found.problems[0].what

    def test_too_much_is_blamed_on_the_size_that_makes_the_face_narrow(self):
        thin = plate(
            of_kind(
                "fillet",
                "soft",
                edges=[{"how": "between", "of": ["plate/end", "plate/side/edge.top"]}],
                radius="5 mm",
            ),
            sizes={"board": "4 mm", "other": "9 mm"},
        )
        (problem,) = made(thin).problems
        assert "The top side of plate is only 4 mm wide there." in problem.what
        assert "4 mm is what “board” says." in problem.hint

    @examples(200)
    @given(
        st.integers(60, 300),
        st.integers(30, 90),
        st.integers(3, 20),
        st.integers(1, 4),
        st.sets(st.sampled_from(["bore", "notch", "post", "slit"])),
        st.permutations(["bore", "notch", "post", "slit"]),
        st.booleans(),
    )
    def test_the_fillet_stays_on_its_edge_whatever_changes(
        self, width, height, thick, count, there, order, off
    ):
        """By geometry, over 200 changes: the corner at +x +y is the round one, also with earlier
        steps put in, taken out, switched off, in another order, and with the plate's region cut in
        two by a slit."""
        rule = {"how": "between", "of": ["plate/side/edge.right", "plate/side/edge.top"]}

        def shape(name: str, x: float, y: float, wide: float, high: float) -> dict:
            box = of_kind(
                "rectangle",
                "gap",
                width=f"{wide} mm",
                height=f"{high} mm",
                x=f"{x} mm",
                y=f"{y} mm",
            )
            return {"kind": "sketch", "name": f"{name}_outline", "shapes": [box]}

        def cut(name: str, *box: float) -> list[dict]:
            return [
                shape(name, *box),
                of_kind("extrude", name, sketch=f"{name}_outline", mode="cut", extent="through"),
            ]

        blocks = {
            "bore": [
                {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "5 mm"},
                of_kind("row", "bores", of="bore", how="count", count=f"{count}", span="50 mm"),
            ],
            "notch": cut("notch", -width / 2, 0, 4, 8),
            "post": [
                shape("post", 20, 0, 6, 6),
                of_kind("extrude", "post", sketch="post_outline", by=f"{thick + 5} mm", on=not off),
            ],
            "slit": cut("slit", -width / 4, 0, 2, height + 2),  # what was one plate is two
        }
        steps = [
            of_kind(
                "sketch",
                "outline",
                shapes=[of_kind("rectangle", "edge", width=f"{width} mm", height=f"{height} mm")],
            ),
            {"kind": "extrude", "name": "plate", "sketch": "outline", "by": f"{thick} mm"},
            *[step for name in order if name in there for step in blocks[name]],
            {"kind": "fillet", "name": "soft", "edges": [rule], "radius": "6 mm"},
        ]
        found = made(Design.model_validate({"name": "Plate", "steps": steps}))
        assert found.whole, [p.text for p in found.problems]
        points = found.bodies["part"].mesh(0.05).points

        def reach(sx: int, sy: int) -> float:
            return float((points[:, 0] * sx + points[:, 1] * sy).max())

        whole = (width + height) / 2
        assert reach(1, 1) == pytest.approx(whole - 6 * (2 - math.sqrt(2)), abs=0.05)
        assert reach(-1, 1) == pytest.approx(whole)
        assert reach(1, -1) == pytest.approx(whole)

    def test_a_region_cut_in_two_keeps_both_pieces(self):
        """A line put across the region that a step uses: the step goes on using both halves."""

        def drawn(*more: dict) -> Design:
            corners = (
                ("a", 0, 0),
                ("b", 40, 0),
                ("c", 40, 20),
                ("d", 0, 20),
                ("p", 10, -5),
                ("q", 10, 25),
            )
            points = [{"kind": "point", "name": n, "x": x, "y": y} for n, x, y in corners]
            ends = (("low", "a", "b"), ("right", "b", "c"), ("top", "c", "d"), ("left", "d", "a"))
            lines = [{"kind": "line", "name": n, "start": s, "end": e} for n, s, e in ends]
            sketch = of_kind("sketch", "outline", drawing={"elements": [*points, *lines, *more]})
            up = of_kind(
                "extrude", "slab", sketch="outline", by="5 mm", regions=["left- low+ right+ top+"]
            )
            return Design.model_validate({"steps": [sketch, up]})

        names = [face.name for face in made(drawn()).drawings["outline"].arrangement().faces]
        design = drawn()
        steps = (design.steps[0], design.steps[1].with_(regions=(names[0],)))
        assert volume(design.with_(steps=steps)) == pytest.approx(40 * 20 * 5)
        across = drawn({"kind": "line", "name": "across", "start": "p", "end": "q"})
        cut = across.with_(steps=(across.steps[0], steps[1]))
        assert volume(cut) == pytest.approx(40 * 20 * 5)

    def test_renaming_a_step_reaches_the_rules(self):
        design = self.rounded(how="between", of=["plate/side/edge.left", "plate/side/edge.top"])
        there = edit.rename_step_everywhere(design, "plate", "board")
        assert volume(there) == pytest.approx(volume(design))
        assert edit.rename_step_everywhere(there, "board", "plate") == design

    def test_a_rim_too_narrow_for_its_roundings_is_told(self) -> None:
        """The kernel ends at such a rim: that is tried in a copy of the process."""
        shell = {"kind": "shell", "name": "hollow", "faces": ["plate/end"], "wall": "1 mm"}
        around = [{"how": "around", "of": ["plate/end"]}]
        for kind, size in (("fillet", "radius"), ("chamfer", "by")):
            step = {"kind": kind, "name": "rim", "edges": around, size: "1 mm"}
            (problem,) = made(plate(shell, step)).problems
            assert "The top of plate is only 1 mm wide there. About 0.4" in problem.what
            step[size] = "0.4 mm"
            assert made(plate(shell, step)).problems == []


class TestShellAndCut:
    def test_a_box_with_walls(self):
        design = plate(
            {"kind": "shell", "name": "hollow", "faces": ["plate/end"], "wall": "1.5 mm"}
        )
        assert volume(design) == pytest.approx(16000 - (100 - 3) * (40 - 3) * (4 - 1.5))
        thick = plate({"kind": "shell", "name": "hollow", "faces": ["plate/end"], "wall": "25 mm"})
        assert "does not fit" in made(thick).problems[0].what or made(thick).problems[0].what

    @pytest.mark.parametrize(("angle", "lost"), [("0 deg", 20 * 40 * 4), ("45 deg", 20 * 40 * 4)])
    def test_a_mitre(self, angle, lost):
        # Turned about the plane's own y, which runs along the part's z through the middle of the
        # width.
        cut = of_kind("cut_off", "mitre", plane="side", at="30 mm", angle=angle, about="y")
        assert volume(plate(cut)) == pytest.approx(16000 - lost)

    def test_a_plane_that_misses_and_one_that_leaves_nothing(self):
        assert (
            "does not meet"
            in made(plate({"kind": "cut_off", "name": "m", "plane": "side", "at": "80 mm"}))
            .problems[0]
            .what
        )
        assert (
            "nothing would be left"
            in made(plate({"kind": "cut_off", "name": "m", "plane": "side", "at": "-80 mm"}))
            .problems[0]
            .what.lower()
        )


class TestPatterns:
    bore = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "4 mm", "x": "12 mm"}

    def test_ring_grid_and_mirror_count_their_members(self):
        one = 4 * PI * 4
        ring = {"kind": "ring", "name": "around", "of": "bore", "count": "5"}
        assert volume(plate(self.bore, ring)) == pytest.approx(16000 - 5 * one)
        grid = {"kind": "grid", "name": "field", "of": "bore", "columns": "4", "rows": "3"}
        flat = {**self.bore, "x": "0 mm"}
        assert volume(plate(flat, grid)) == pytest.approx(16000 - 12 * one)
        assert volume(plate(flat, {**grid, "form": "staggered"})) == pytest.approx(
            16000 - (4 + 3 + 4) * one
        )
        mirror = {"kind": "mirror", "name": "both", "of": "bore", "plane": "side"}
        assert volume(plate(self.bore, mirror)) == pytest.approx(16000 - 2 * one)
        nested = plate(
            self.bore,
            mirror,
            of_kind("ring", "four", of="both", count="2", over="angle", angle="90 deg"),
        )
        assert volume(nested) == pytest.approx(16000 - 4 * one)

    @pytest.mark.parametrize(
        ("count", "says"), [("-1", "from 0"), ("2.5", "whole number"), ("1e6", "the most")]
    )
    def test_counts_that_cannot_be(self, count, says):
        found = made(
            plate(self.bore, {"kind": "ring", "name": "around", "of": "bore", "count": count})
        )
        assert says in found.problems[0].what

    def test_the_whole_part_mirrored(self):
        l_shape = of_kind(
            "sketch",
            "more",
            shapes=[
                of_kind("rectangle", "lug", width="10 mm", height="10 mm", x="60 mm", y="5 mm")
            ],
        )
        lug = {"kind": "extrude", "name": "lug", "sketch": "more", "by": "4 mm"}
        # The lug reaches from x 55 to 65 and stands apart; mirrored in the plane x = 0 there are
        # two.
        joined = {**l_shape, "shapes": [{**l_shape["shapes"][0], "x": "54 mm"}]}
        both = {"kind": "mirror", "name": "both", "what": "part", "plane": "side"}
        assert volume(plate(joined, lug, both)) == pytest.approx(16000 + 2 * 9 * 10 * 4)

    def test_a_changed_part_cannot_be_repeated(self):
        soft = {"kind": "fillet", "name": "soft", "edges": [{"how": "upright", "of": ["plate"]}]}
        found = made(plate(soft, {"kind": "ring", "name": "around", "of": "soft"}))
        assert "changes the part as a whole" in found.problems[0].what


class TestSweep:
    def test_a_helix_has_the_volume_of_its_length(self):
        design = Design.model_validate(
            {"name": "Helix", "steps": [{"kind": "sweep", "name": "wire"}]}
        )
        length = 2 * math.hypot(2 * PI * 20, 10)
        assert volume(design) == pytest.approx(length * PI * 1.5**2, rel=1e-4)

    def test_too_thick_a_wire_is_told(self):
        design = Design.model_validate(
            {"name": "Helix", "steps": [{"kind": "sweep", "name": "wire", "wire": "60 mm"}]}
        )
        assert "bends more sharply than the outline is wide" in made(design).problems[0].what


class TestExtents:
    def raised(self, **more: object) -> Design:
        peg = of_kind(
            "sketch",
            "peg",
            plane="plate/end",
            shapes=[{"kind": "circle", "name": "round", "diameter": "6 mm"}],
        )
        return plate(peg, {"kind": "extrude", "name": "peg_up", "sketch": "peg", **more})

    def test_uneven_and_common(self):
        assert volume(self.raised(extent="uneven", by="5 mm", down_by="2 mm")) == pytest.approx(
            16000 + 9 * PI * 5
        )
        assert volume(
            self.raised(mode="common", extent="uneven", by="5 mm", down_by="3 mm")
        ) == pytest.approx(9 * PI * 3)

    def test_up_to_a_face(self):
        cut = self.raised(mode="cut", extent="upto", upto="plate/start")
        for thick in ("4 mm", "11 mm"):
            thicker = cut.with_(
                steps=tuple(s.with_(by=thick) if s.name == "plate" else s for s in cut.steps)
            )
            value = float(thick.split()[0])
            assert volume(thicker) == pytest.approx((4000 - 9 * PI) * value)
        assert (
            "does not lie level"
            in made(self.raised(extent="upto", upto="plate/side/edge.left")).problems[0].what
        )


@given(st.floats(-100, 100), st.floats(-100, 100), st.floats(-100, 100), st.floats(-360, 360))
def test_motions_keep_lengths_and_mirroring_twice_is_nothing(x, y, z, angle):
    turn = Motion.turn((x, y, z), (1.0, 2.0, -0.5), angle)
    a, b = (3.0, -4.0, 12.0), (x, 1.0, z)
    assert math.dist(turn.point(a), turn.point(b)) == pytest.approx(math.dist(a, b), abs=1e-9)
    assert turn.point((x, y, z)) == pytest.approx((x, y, z), abs=1e-9)
    mirror = Motion.mirror(Frame((x, y, z), (0.0, 0.6, 0.8), (1.0, 0.0, 0.0)))
    assert mirror.mirrors
    assert mirror.after(mirror).point(a) == pytest.approx(a, abs=1e-9)
    assert turn.after(mirror).point(b) == pytest.approx(turn.point(mirror.point(b)), abs=1e-9)


class TestHoles:
    def drilled(self, **more: object) -> Design:
        return plate(
            {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "4 mm", **more}
        )

    def test_countersunk(self):
        # The cone from ø 8 to ø 4 at 90° is 2 mm deep: a cone frustum, then 2 mm of cylinder.
        frustum = PI * 2 / 3 * (16 + 8 + 4)
        assert volume(self.drilled(form="countersunk", head="8 mm")) == pytest.approx(
            16000 - frustum - PI * 4 * 2
        )

    def test_counterbored_and_narrowing(self):
        assert volume(
            self.drilled(form="counterbored", head="7 mm", head_depth="1.5 mm")
        ) == pytest.approx(16000 - PI * 12.25 * 1.5 - PI * 4 * 2.5)
        narrow = self.drilled(form="tapered", tip="3 mm", extent="depth", depth="3 mm")
        assert volume(narrow) == pytest.approx(16000 - PI * 3 / 3 * (4 + 3 + 2.25))

    @pytest.mark.parametrize(
        ("more", "says"),
        [
            ({"form": "countersunk", "head": "3 mm"}, "no wider than the hole"),
            (
                {
                    "form": "counterbored",
                    "head": "8 mm",
                    "head_depth": "3 mm",
                    "extent": "depth",
                    "depth": "2 mm",
                },
                "The head needs",
            ),
            ({"form": "tapered", "tip": "5 mm", "extent": "depth"}, "no narrower than the mouth"),
            ({"form": "tapered", "tip": "2 mm"}, "needs a depth"),
        ],
    )
    def test_what_cannot_be(self, more, says):
        assert says in made(self.drilled(**more)).problems[0].what

    def test_a_row_of_countersunk_holes(self):
        row = of_kind("row", "line", of="bore", how="count", count="3", span="80 mm")
        one = 16000 - volume(self.drilled(form="countersunk", head="8 mm"))
        design = self.drilled(form="countersunk", head="8 mm")
        both = Design.model_validate(
            {**design.model_dump(), "steps": [*design.model_dump()["steps"], row]}
        )
        assert volume(both) == pytest.approx(16000 - 3 * one)


class TestHolesBesideOthers:
    """What stands on the face of a hole is not cut into, and where a hole begins under it that is
    said."""

    @staticmethod
    def wall(x: str, tall: str = "10 mm") -> list[dict]:
        shape = {"kind": "rectangle", "name": "w", "width": "20 mm", "height": "40 mm", "x": x}
        return [
            {"kind": "sketch", "name": "foot", "plane": "plate/end", "shapes": [shape]},
            {"kind": "extrude", "name": "wall", "sketch": "foot", "by": tall},
        ]

    @pytest.mark.parametrize("tall", [0.5, 1.0, 10.0])
    @pytest.mark.parametrize(
        ("form", "below"),
        [
            ({}, math.pi * 4 * 4),
            ({"extent": "depth", "depth": "3 mm"}, math.pi * 4 * 3),
            (
                {"form": "counterbored", "head": "8 mm", "head_depth": "1 mm"},
                math.pi * (16 * 1 + 4 * 3),
            ),
            (
                {"form": "countersunk", "head": "8 mm", "head_angle": "90 deg"},
                math.pi * (2 / 3 * (16 + 8 + 4) + 4 * 2),
            ),
        ],
    )
    def test_a_wall_over_a_hole_stays_whole(self, form: dict, below: float, tall: float) -> None:
        hole = {"kind": "hole", "name": "h", "face": "plate/end", "x": "11 mm", "diameter": "4 mm"}
        built = made(plate(*self.wall("0 mm", f"{tall} mm"), {**hole, **form}))
        assert built.figures["part"].volume == pytest.approx(16000 + 800 * tall - below, rel=1e-6)
        (remark,) = built.problems
        assert remark.severity == "note"
        assert remark.what.startswith("H begins under what stands on the face there")
        assert not built.problems[0].text.startswith("This step does nothing")

    def test_nothing_is_said_of_holes_beside_a_wall(self) -> None:
        hole = {"kind": "hole", "name": "h", "face": "plate/end", "x": "12 mm", "diameter": "4 mm"}
        built = made(plate(*self.wall("0 mm"), {**hole, "x": "12.001 mm"}))
        assert built.figures["part"].volume == pytest.approx(24000 - math.pi * 16, rel=1e-9)
        assert built.problems == []

    def test_members_of_a_row_under_a_wall_are_named(self) -> None:
        hole = {"kind": "hole", "name": "h", "face": "plate/end", "diameter": "4 mm"}
        row = {
            "kind": "grid", "name": "r", "of": "h", "columns": "3", "column_pitch": "22 mm",
            "rows": "1",
        }  # fmt: skip
        built = made(plate(*self.wall("20 mm"), hole, row))
        (remark,) = built.problems
        assert remark.name == "r"
        assert "3 begins under" in remark.what


class TestMeasure:
    def measuring(self, *more: dict, **fields: object) -> Design:
        wide = {
            **of_kind(
                "measure", "wide", first="plate/side/edge.left", second="plate/side/edge.right"
            ),
            **fields,
        }
        return plate(wide, *more, sizes={"tenth": "wide.value / 10"})

    def test_a_hole_follows_what_is_measured(self):
        hole = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "tenth"}
        design = self.measuring(hole)
        assert volume(design) == pytest.approx(16000 - PI * 25 * 4)
        shapes = design.steps[0].shapes
        wider = design.with_(
            steps=(
                design.steps[0].with_(shapes=(shapes[0].with_(width="200 mm"),)),
                *design.steps[1:],
            )
        )
        found = made(wider)
        assert found.table.cells["tenth"].wanted.value == pytest.approx(20)
        assert found.bodies["part"].figures().volume == pytest.approx(32000 - PI * 100 * 4)

    @pytest.mark.parametrize(
        ("what", "value"),
        [("x", 100.0), ("z", 4.0), ("volume", 16000.0), ("surface", 2 * 4000 + 280 * 4)],
    )
    def test_figures_of_the_whole_part(self, what, value):
        design = plate({"kind": "measure", "name": "m", "what": what})
        assert made(design).measured == {"m.value": pytest.approx(value)}

    def test_the_mass_is_that_of_the_material(self, amsel):
        design = plate({"kind": "measure", "name": "m", "what": "mass"})
        assert made(design, process=amsel).measured["m.value"] == pytest.approx(
            16 * amsel.material.density
        )

    def test_it_is_measured_as_wanted_under_every_lens(self, amsel):
        hole = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "tenth"}
        for lens in ("sent", "expected"):
            assert made(self.measuring(hole), lens, amsel).measured["wide.value"] == pytest.approx(
                100
            )

    def test_a_measure_of_what_depends_on_it_is_told(self):
        design = plate(
            {"kind": "measure", "name": "m", "what": "z"}, sizes={"more": "m.value + 1 mm"}
        )
        steps = (
            design.steps[0],
            design.steps[1].with_(by="if more > 0 mm then more else 4 mm"),
            *design.steps[2:],
        )
        found = made(design.with_(steps=steps))
        assert not found.whole

    def test_a_measure_that_grows_by_itself_is_told(self):
        peg = of_kind(
            "sketch",
            "peg",
            plane="plate/end",
            shapes=[{"kind": "circle", "name": "c", "diameter": "6 mm"}],
        )
        first = {"kind": "measure", "name": "m", "what": "z"}
        up = {"kind": "extrude", "name": "up", "sketch": "peg", "by": "m.value"}
        design = plate(peg, first, up)
        # measured before it is raised
        assert made(design).bodies["part"].figures().bounds[1][2] == pytest.approx(8)

    def test_a_lost_face_is_told(self):
        assert (
            "is not there any more"
            in made(self.measuring(second="plate/side/edge.middle")).problems[-1].what
        )


class TestImported:
    def foot(self, **more: object) -> Design:
        from schablone.core.packed import packed
        from schablone.core.publish.exports import step
        from schablone.core.publish.piece import Piece

        data = step(
            [
                Piece(
                    "plate",
                    made(
                        plate(
                            {"kind": "hole", "name": "b", "face": "plate/end", "diameter": "6 mm"}
                        )
                    ).bodies["part"],
                )
            ]
        )
        solid = {**of_kind("imported", "foot", file="foot.step", data=packed(data)), **more}
        return Design.model_validate({"name": "Foot", "steps": [solid]})

    def test_a_solid_comes_in_and_is_moved(self):
        found = made(self.foot(x="10 mm", z="5 mm"))
        assert found.whole, found.problems
        figures = found.bodies["part"].figures()
        assert figures.volume == pytest.approx(16000 - 9 * PI * 4)
        assert figures.bounds[0] == pytest.approx((-40, -20, 5), abs=1e-5)

    def test_other_steps_stand_on_its_faces(self):
        design = self.foot()
        body = made(design).bodies["part"]
        top = next(name for name, frame in body.frames.items() if frame.normal[2] > 0.999)
        hole = {"kind": "hole", "name": "more", "face": str(top), "diameter": "4 mm", "x": "20 mm"}
        soft = of_kind("fillet", "soft", edges=[{"how": "upright", "of": ["foot"]}], radius="3 mm")
        both = Design.model_validate(
            {**design.model_dump(), "steps": [*design.model_dump()["steps"], hole, soft]}
        )
        assert volume(both) == pytest.approx(
            16000 - 9 * PI * 4 - 4 * PI * 4 - 4 * (1 - PI / 4) * 9 * 4, rel=1e-6
        )

    @pytest.mark.parametrize(
        ("data", "says"),
        [
            ("", "No file is chosen"),
            ("!!!", "damaged"),
            ("eJwrSS0uAQAEXQHB", "no STEP file"),
            ("cut", "damaged"),
        ],
    )
    def test_what_is_no_solid_is_told(self, data, says):
        design = Design.model_validate(
            {"name": "Foot", "steps": [{"kind": "imported", "name": "foot", "data": data}]}
        )
        assert says in made(design).problems[0].what

    def test_a_file_that_is_cut_off_is_told(self):
        from schablone.core.packed import packed, unpacked

        design = self.foot()
        whole = unpacked(design.steps[0].data)
        for share in (0.1, 0.5, 0.95):
            cut = design.with_(
                steps=(design.steps[0].with_(data=packed(whole[: int(len(whole) * share)])),)
            )
            found = made(cut)
            assert not found.whole or found.bodies["part"].figures().volume > 0


class TestBodies:
    def two(self, *more: dict) -> Design:
        """A plate, and a peg of another part that stands through it."""
        peg = of_kind(
            "sketch", "peg", shapes=[{"kind": "circle", "name": "round", "diameter": "10 mm"}]
        )
        raised = {"kind": "extrude", "name": "pin", "sketch": "peg", "by": "20 mm", "part": "pin"}
        design = plate(peg, raised, *more)
        return Design.model_validate(
            {**design.model_dump(), "parts": [{"name": "part"}, {"name": "pin"}]}
        )

    @pytest.mark.parametrize(
        ("mode", "expected"),
        [("cut", 16000 - 25 * PI * 4), ("add", 16000 + 25 * PI * 16), ("common", 25 * PI * 4)],
    )
    def test_combine(self, mode, expected):
        design = self.two({"kind": "combine", "name": "both", "mode": mode, "other": "pin"})
        assert volume(design) == pytest.approx(expected)
        assert made(design).bodies["pin"].figures().volume == pytest.approx(25 * PI * 20)

    def test_combining_follows_the_other_part(self):
        design = self.two({"kind": "combine", "name": "both", "other": "pin"})
        from schablone.core.design.rebuild import Memory

        memory = Memory()
        rebuild(design, LensView("wanted", neutral()), memory)
        thicker = edit.change_step(design, "peg", "shapes.0.diameter", "12 mm")
        found = rebuild(thicker, LensView("wanted", neutral()), memory)
        assert found.bodies["part"].figures().volume == pytest.approx(16000 - 36 * PI * 4)

    def test_a_part_that_is_not_there_is_told(self):
        assert (
            "no other part “lid”"
            in made(self.two({"kind": "combine", "name": "both", "other": "lid"})).problems[0].what
        )

    def test_move_turn_and_scale(self):
        moved = made(
            plate({"kind": "move", "name": "away", "x": "10 mm", "z": "-4 mm", "angle": "90 deg"})
        ).bodies["part"]
        assert moved.figures().bounds == (pytest.approx((-10, -50, -4)), pytest.approx((30, 50, 0)))
        assert volume(
            plate({"kind": "move", "name": "larger", "how": "scale", "factor": "1.5"})
        ) == pytest.approx(16000 * 1.5**3)
        hole = of_kind("hole", "bore", face="plate/end", diameter="4 mm", x="20 mm")
        assert volume(
            plate({"kind": "move", "name": "away", "x": "70 mm", "angle": "30 deg"}, hole)
        ) == pytest.approx(16000 - 16 * PI)
        assert (
            "must lie from"
            in made(plate({"kind": "move", "name": "m", "how": "scale", "factor": "0"}))
            .problems[0]
            .what
        )

    def test_a_leaning_side_takes_away_a_wedge(self):
        lean = of_kind("draft", "slope", faces=["plate/side/edge.left"], angle="10 deg")
        assert volume(plate(lean)) == pytest.approx(
            16000 - math.tan(math.radians(10)) * 4 * 4 / 2 * 40, rel=1e-9
        )
        assert "within 45°" in made(plate({**lean, "angle": "60 deg"})).problems[0].what

    @pytest.mark.parametrize("form", ["straight", "smooth"])
    def test_loft_from_a_square_to_a_smaller_one(self, form):
        def square(name: str, side: str, lift: str) -> dict:
            return of_kind(
                "sketch",
                name,
                lift=lift,
                shapes=[{"kind": "rectangle", "name": "edge", "width": side, "height": side}],
            )

        steps = [
            square("foot", "20 mm", "0 mm"),
            square("head", "10 mm", "30 mm"),
            {"kind": "loft", "name": "spire", "first": "foot", "last": "head", "form": form},
        ]
        design = Design.model_validate({"name": "Spire", "steps": steps})
        # A frustum of a pyramid: h/3 (A + a + √(A a)).
        assert volume(design) == pytest.approx(10 * (400 + 100 + 200), rel=1e-6)
        frames = {
            name.role: frame.normal for name, frame in made(design).bodies["part"].frames.items()
        }
        assert frames == {"start": pytest.approx((0, 0, -1)), "end": pytest.approx((0, 0, 1))}
        flat = design.with_(
            steps=(design.steps[0], design.steps[1].with_(lift="0 mm"), design.steps[2])
        )
        assert "lie in one plane" in made(flat).problems[0].what


HEADS = {
    "plain": {},
    "countersunk": {"form": "countersunk", "head": "8 mm"},
    "counterbored": {"form": "counterbored", "head": "8 mm", "head_depth": "1 mm"},
    "tapered": {"form": "tapered", "tip": "2 mm", "extent": "depth", "depth": "3 mm"},
}


@pytest.mark.parametrize("form", HEADS)
@pytest.mark.parametrize("how", ["alone", "in a row", "mirrored"])
def test_a_bore_that_leaves_its_face_is_refused_whatever_its_head(form, how):
    """Heads may stand over an edge, here by a millimetre; bores may not."""

    def told(x: float) -> list[str]:
        bore = {"kind": "hole", "name": "bore", "face": "plate/end", "x": f"{x} mm",
                "diameter": "4 mm", **HEADS[form]}  # fmt: skip
        again = {
            "alone": [],
            "in a row": [{"kind": "row", "name": "more", "of": "bore", "how": "count",
                          "span": "10 mm", "margin": "0 mm", "count": "2"}],
            "mirrored": [{"kind": "mirror", "name": "more", "of": "bore", "plane": "side"}],
        }[how]  # fmt: skip
        design = plate(bore, *again)
        found = rebuild(design, LensView("wanted", neutral()))
        return [p.what for p in found.problems if p.severity == "error"]

    edge = rebuild(plate(), LensView("wanted", neutral())).figures["part"].bounds[1][0]
    off = 5 if how == "in a row" else 0
    assert told(edge - 3 - off) == []
    (wrong,) = told(edge - 1 - off)
    assert "breaks out of the top of plate" in wrong
