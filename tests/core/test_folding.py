"""Folded sheets: blanks by hand and by closed formulas, solids against their figures, words."""

import math

import ezdxf
import pytest
from ezdxf import bbox
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from schablone.core.design import Design, read_design
from schablone.core.design.measures import measures_of
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.folding import Folded
from schablone.core.kernel.folding.bend_lines import bend_lines
from schablone.core.kernel.folding.sheet import Turned
from schablone.core.practice.folding import FlatStrip, FoldingMachine, Gauge, strips_of_file
from schablone.core.practice.machines import practise_bending
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, Process, shipped_processes
from schablone.core.process.bend_calibrate import StripReading, calibrated, calibrated_by_sheet
from schablone.core.process.bend_chart import bend_figures
from schablone.core.process.bending import allowance, deduction, k_of_deduction, set_back
from schablone.core.process.chart_file import read_chart
from schablone.core.process.known import BendKnown
from schablone.core.prove import findings
from schablone.core.prove.size_report import size_report
from schablone.core.publish.exports import export
from schablone.core.publish.pieces import pieces_of
from tests.conftest import TOP, of_kind, plate

K = 0.42


def machine(*rows: dict, **more: object) -> Process:
    return Process.model_validate(
        {
            "name": "Folder",
            "kind": "folding",
            "material": {"name": "Steel", "density": 7.85},
            "bends": list(rows),
            "bed": [2000, 2000, 500],
            **more,
        }
    )


def row(thickness: float, radius: float, k: float = K, angle: float = 90.0) -> dict:
    """A row of a chart, its deduction by the trade's formula, written out here."""
    ossb = (radius + thickness) * (math.tan(math.radians(angle) / 2) if angle <= 90 else 1)
    length = math.radians(angle) * (radius + k * thickness)
    return {
        "thickness": thickness, "radius": radius, "angle": angle, "deduction": 2 * ossb - length,
    }  # fmt: skip


def folded(*steps: dict, t: str = "2 mm", wide: str = "100 mm", high: str = "60 mm") -> Design:
    outline = {"kind": "rectangle", "name": "edge", "width": wide, "height": high}
    first = [
        {"kind": "sketch", "name": "outline", "shapes": [outline]},
        {"kind": "sheet", "name": "base", "sketch": "outline", "thickness": t},
    ]
    return Design.model_validate({"name": "Folded", "steps": [*first, *steps]})


def flange(*edges: str, name: str = "rim", **more: object) -> dict:
    rules = [{"how": "around", "of": [f"base/side/edge.{edge}"]} for edge in edges]
    return {"kind": "flange", "name": name, "edges": rules, **more}


def built(design: Design, process: Process | None = None, lens: str = "wanted"):
    return rebuild(design, LensView(lens, process or machine(row(2.0, 3.0))))


def sheet(design: Design, process: Process | None = None) -> Folded:
    found = built(design, process)
    assert found.whole, found.problems
    body = found.bodies["part"]
    assert body.folded is not None
    return body.folded


def blank_size(made: Folded) -> tuple[float, float]:
    x0, y0, x1, y1 = made.blank.region.outer.bounds()
    return x1 - x0, y1 - y0


def box(design: Design, process: Process | None = None) -> tuple[float, float, float]:
    found = built(design, process)
    low, high = found.figures["part"].bounds
    return tuple(b - a for a, b in zip(low, high, strict=True))


BA = math.pi / 2 * (3 + K * 2)  # 6.0318578948924


class TestByHand:
    """2 mm sheet, inside radius 3 mm, k 0.42: a right angle takes 6.0319 mm of the blank, 3.9681 mm
    less than both legs measured outside."""

    def test_an_l(self):
        made = sheet(folded(flange("right", height="30 mm")))
        assert blank_size(made) == pytest.approx((100 + 30 - 10 + BA, 60), abs=1e-9)
        assert box(folded(flange("right", height="30 mm"))) == pytest.approx((100, 60, 30))

    def test_a_u(self):
        design = folded(flange("right", "left", height="30 mm"))
        assert blank_size(sheet(design)) == pytest.approx((160 - 2 * (10 - BA), 60), abs=1e-9)
        assert box(design) == pytest.approx((100, 60, 30))

    def test_a_z(self):
        design = folded(
            flange("right", height="30 mm"),
            of_kind(
                "flange",
                "foot",
                height="20 mm",
                way="down",
                edges=[{"how": "around", "of": ["rim/tip"]}],
            ),
        )
        # 100 + 30 + 20 outside, each bend takes 3.9681 mm off; the web is measured over both bends.
        assert blank_size(sheet(design))[0] == pytest.approx(150 - 2 * (10 - BA), abs=1e-9)
        # Down is away from the panel's upper face, which looks inwards: the foot goes outwards.
        assert box(design) == pytest.approx((100 + 20 - 2, 60, 30))

    def test_a_hat(self):
        design = folded(
            flange("right", "left", height="30 mm", way="down"),
            of_kind(
                "flange",
                "brim",
                height="20 mm",
                way="up",
                edges=[{"how": "around", "of": ["rim/tip"]}],
            ),
        )
        assert blank_size(sheet(design))[0] == pytest.approx(100 + 100 - 4 * (10 - BA), abs=1e-9)
        assert box(design) == pytest.approx((100 + 2 * 18, 60, 30))

    def test_a_box_with_closed_corners(self):
        design = folded(
            flange(
                "bottom", "right", "top", "left", height="30 mm", corners="first over", gap="0.2 mm"
            )
        )
        made = sheet(design)
        assert blank_size(made) == pytest.approx(
            (160 - 2 * (10 - BA), 120 - 2 * (10 - BA)), abs=1e-9
        )
        assert box(design) == pytest.approx((100, 60, 30))
        # Bends 90 and 50 mm long, quarter rings of ø 6 and 10. Each wall 25 mm high beyond the
        # bend: over at one end by 5 mm, short of the inner face by 0.2 of 3 mm at the other.
        ring = math.pi / 4 * (25 - 9)
        walls = 2 * 25 * (90 + 5 + 2.8) + 2 * 25 * (50 + 5 + 2.8)
        assert made.volume() == pytest.approx(2 * (90 * 50 + walls) + ring * 2 * 140, rel=1e-12)

    @pytest.mark.parametrize("relief", ["none", "square", "round", "torn"])
    @pytest.mark.parametrize("lies", ["within", "starts"])
    def test_a_flange_on_a_part_of_an_edge(self, relief, lies):
        design = folded(
            flange(
                "right", height="30 mm", extent="from_to", begin="10 mm", end="35 mm",
                relief=relief, lies=lies, relief_by="formula", relief_width="1 mm",
                relief_depth="2 mm",
            )
        )  # fmt: skip
        body = built(design).bodies["part"]
        made = body.folded
        # Notches: 1 mm wide, 5 mm of the bend and 2 mm more, round ones end in half a circle.
        notch = {
            "none": 0.005 * 5, "square": 7, "round": 6.5 + math.pi / 8, "torn": 0.05 * 5,
        }[relief]  # fmt: skip
        if lies == "starts":
            notch = 0
        back = 5 if lies == "within" else 0
        blank = 100 * 60 - 25 * back - 2 * notch + 25 * (BA + 25)
        assert made.blank.region.area == pytest.approx(blank, abs=1e-9)
        assert body.solid().volume == pytest.approx(made.volume(), rel=1e-9)
        x, y, z = box(design)
        assert (x, y, z) == pytest.approx((100 if lies == "within" else 105, 60, 30))

    def test_sent_is_the_blank(self):
        found = built(folded(flange("right", height="30 mm")), lens="sent")
        low, high = found.figures["part"].bounds
        assert high[0] - low[0] == pytest.approx(120 + BA, abs=1e-9)
        assert high[2] - low[2] == pytest.approx(2)
        assert built(folded(flange("right", height="30 mm")), lens="expected").figures[
            "part"
        ].bounds[1][2] == pytest.approx(30)


measures = st.sampled_from(["outside", "inside", "flat"])
places = st.sampled_from(["within", "beyond", "starts"])
angles = st.floats(5, 175)
sheets = st.floats(0.5, 4)
radii = st.floats(0.2, 8)
ks = st.floats(0.2, 0.5)


def corner_off(angle: float, radius: float) -> float:
    """From the start of an arc of a radius to where its tangents meet, by the lines themselves;
    beyond a right angle to where it reaches farthest."""
    if angle > 90:
        return radius
    a = math.radians(angle)
    # The end of the arc, and back along its tangent until the height of its start.
    return radius * math.sin(a) - radius * (1 - math.cos(a)) / math.tan(a)


@given(angles, sheets, radii, ks, measures, places, st.floats(10, 60))
def test_blank_lengths_for_any_angle_radius_k_and_reference(a, t, r, k, measured, lies, flat):
    off = {"outside": corner_off(a, r + t), "inside": corner_off(a, r), "flat": 0.0}[measured]
    back = {"within": corner_off(a, r + t), "beyond": corner_off(a, r), "starts": 0.0}[lies]
    if back > 45:
        return
    design = folded(
        flange(
            "right", height=f"{flat + off!r} mm", angle=f"{a!r} deg", measured=measured, lies=lies,
            radius_by="formula", radius=f"{r!r} mm",
        ),
        t=f"{t!r} mm",
    )  # fmt: skip
    made = sheet(design, machine(row(t, r, k)))
    wanted = 100 - back + math.radians(a) * (r + k * t) + flat
    assert blank_size(made) == pytest.approx((wanted, 60), abs=1e-9)
    ring = math.radians(a) / 2 * ((r + t) ** 2 - r**2)
    assert made.volume() == pytest.approx(60 * ((100 - back + flat) * t + ring), rel=1e-9)


@given(angles, sheets, radii, ks, st.floats(0.01, 1))
def test_on_the_way_the_line_that_keeps_its_length_keeps_it(a, t, r, k, share):
    made = sheet(
        folded(
            flange(
                "right", height="60 mm", angle=f"{a!r} deg", measured="flat", lies="starts",
                radius_by="formula", radius=f"{r!r} mm",
            ),
            t=f"{t!r} mm",
        ),
        machine(row(t, r, k)),
    )  # fmt: skip
    bend = made.bends[0]
    turned = Turned.of(bend, share)
    assert turned.angle * (turned.radius + k * t) == pytest.approx(bend.length, rel=1e-9)
    # Panels are the same whatever the share: their corners keep their distances.
    for frame in (made.placed(share)[1], made.placed(0.0)[1], made.frames[1]):
        corners = [frame.at(*c.start) for c in made.panels[1].region.outer.curves]
        assert math.dist(corners[0], corners[1]) == pytest.approx(60, rel=1e-9)
    assert made.placed(0.0)[1] == made.frame


CORNERS = [("open", "0 mm"), ("meeting", "0.3 mm"), ("first over", "0.2 mm")]


class TestSolids:
    @pytest.mark.parametrize(("corners", "gap"), CORNERS)
    @pytest.mark.parametrize("hole", ["none", "round", "square"])
    def test_the_kernels_solid_has_the_volume_of_the_closed_formula(self, corners, gap, hole):
        design = folded(
            flange(
                "bottom", "right", "top", "left", height="25 mm", corners=corners, gap=gap,
                corner_hole=hole, corner_across="4 mm",
            )
        )  # fmt: skip
        body = built(design).bodies["part"]
        solid = body.solid()
        assert solid.is_valid()
        assert solid.volume == pytest.approx(body.folded.volume(), rel=1e-9)
        assert abs(body.mesh().volume()) == pytest.approx(solid.volume, rel=5e-4)
        figures = body.figures()
        assert figures.area == pytest.approx(solid.figures.area, rel=1e-7)
        assert figures.centre == pytest.approx(solid.figures.centre, abs=1e-5)
        for mine, there in zip(figures.bounds, solid.figures.bounds, strict=True):
            assert mine == pytest.approx(there, abs=1e-4)

    @given(st.floats(20, 140), st.floats(0.6, 3), st.booleans())
    def test_leaning_rims_meet_in_their_corners(self, angle, t, up):
        design = folded(
            flange(
                "bottom", "right", "top", "left", height="12 mm", measured="flat",
                angle=f"{angle!r} deg", corners="meeting", gap="0.4 mm", way="up" if up else "down",
            ),
            t=f"{t!r} mm",
        )  # fmt: skip
        body = built(design, machine(row(t, t))).bodies["part"]
        assert body.solid().volume == pytest.approx(body.folded.volume(), rel=1e-8)
        # The tips of two neighbours lie as far apart as the gap says, on the inside.
        made = body.folded
        inner = made.thickness if up else 0.0
        (right, left) = (
            next(c for c in made.panels[k].region.outer.curves if c.name == name)
            for k, name in ((1, "left_end"), (2, "right_end"))
        )
        ends = [made.frames[1].at(*p, inner) for p in (right.start, right.end)]
        others = [made.frames[2].at(*p, inner) for p in (left.start, left.end)]
        assert min(math.dist(a, b) for a in ends for b in others) == pytest.approx(0.4, abs=1e-6)

    def test_a_slot_across_a_bend_is_wrapped_onto_it(self):
        cut = [
            of_kind(
                "sketch",
                "drawn",
                plane="base/end",
                shapes=[{"kind": "circle", "name": "hole", "diameter": "16 mm", "x": "48 mm"}],
            ),
            {"kind": "blank_cut", "name": "window", "sketch": "drawn"},
        ]
        body = built(folded(flange("right", height="30 mm"), *cut)).bodies["part"]
        made, solid = body.folded, body.solid()
        whole = sheet(folded(flange("right", height="30 mm")))
        assert whole.blank.region.area - made.blank.region.area == pytest.approx(
            math.pi * 64, rel=1e-9
        )
        # What it takes of the bend, by slices: a strip of the ring as wide as the circle is there.
        start, n = 45.0, 20000
        slices = [start + BA * (k + 0.5) / n for k in range(n)]
        chord = sum(2 * math.sqrt(max(0.0, 64 - (x - 48) ** 2)) for x in slices) / n
        ring = math.pi / 4 * (25 - 9)
        flat = 2 * (math.pi * 64 - chord * BA)
        assert whole.volume() - made.volume() == pytest.approx(chord * ring + flat, rel=1e-6)
        assert solid.is_valid()
        assert solid.volume == pytest.approx(made.volume(), rel=1e-8)

    @pytest.mark.parametrize(
        ("wide", "high", "x", "what"),
        [
            ("1 mm", "70 mm", "47 mm", "Bend 1 would come apart."),  # right along the bend
            ("20 mm", "70 mm", "48 mm", "Nothing would be left of bend 1."),
            ("4 mm", "20 mm", "48 mm", ""),  # a slot in the bend, which holds at both its ends
            ("1 mm", "70 mm", "45 mm", "would come apart"),
        ],
    )
    def test_a_bend_is_not_cut_through(self, wide, high, x, what):
        cut = [
            of_kind(
                "sketch",
                "drawn",
                plane="base/end",
                shapes=[
                    {"kind": "rectangle", "name": "slit", "width": wide, "height": high, "x": x}
                ],
            ),
            {"kind": "blank_cut", "name": "window", "sketch": "drawn"},
        ]
        found = built(folded(flange("right", height="30 mm"), *cut))
        wrong = [p.what for p in found.problems if p.severity == "error"]
        assert bool(wrong) == bool(what), wrong
        assert not what or what in wrong[0] or "come apart" in wrong[0], wrong
        body = found.bodies["part"]
        assert body.solid().volume == pytest.approx(body.folded.volume(), rel=1e-8)
        assert findings(folded(flange("right", height="30 mm"), *cut), found)

    def test_a_hole_in_a_flange_is_a_hole_in_the_blank(self):
        hole = {
            "kind": "hole", "name": "bore", "face": "rim/inside", "diameter": "6 mm",
            "x": "5 mm", "y": "10 mm",
        }  # fmt: skip
        made = sheet(folded(flange("right", height="30 mm"), hole))
        (ring,) = made.blank.region.holes
        x0, y0, x1, y1 = ring.bounds()
        # The bend ends at 95 + 6.0319 mm from the middle of the edge's other side; x runs along it.
        assert ((x0 + x1) / 2, (y0 + y1) / 2) == pytest.approx((95 - 50 + BA + 10, -5), abs=1e-9)


def lines(*steps: dict, x: str = "10 mm", **more: object) -> Design:
    """A line across the sheet, parallel to y, and a step along it."""
    drawing = {
        "elements": [
            {"kind": "point", "name": "point_1", "x": 10.0, "y": -20.0},
            {"kind": "point", "name": "point_2", "x": 10.0, "y": 15.0},
            {"kind": "line", "name": "crease", "helper": True, "start": "point_1",
             "end": "point_2"},
        ],
        "constraints": [{"name": "upright", "kind": "vertical", "of": ["crease"]}],
        "dimensions": [
            {"name": "out", "kind": "distance", "of": ["crease", "y_axis"], "formula": x},
            {"name": "long", "kind": "distance", "of": ["crease"], "formula": "35 mm"},
        ],
    }  # fmt: skip
    sketch = {"kind": "sketch", "name": "mark", "plane": "base/end", "drawing": drawing}
    return folded(sketch, *steps, **more)


class TestAlongALine:
    @pytest.mark.parametrize(
        ("line_is", "blank", "tall"),
        [
            ("outside", 100 - 10 + BA, 40),
            ("inside", 100 - 6 + BA, 42),
            ("start", 100 + BA, 45),
            ("middle", 100, 40 - BA / 2 + 5),
        ],
    )
    def test_what_the_line_is(self, line_is, blank, tall):
        step = {
            "kind": "fold", "name": "up", "sketch": "mark", "about": "crease", "moves": "right",
            "line_is": line_is,
        }  # fmt: skip
        design = lines(step)
        assert blank_size(sheet(design))[0] == pytest.approx(blank, abs=1e-9)
        assert box(design)[2] == pytest.approx(tall, abs=1e-9)

    @given(st.floats(15, 120), st.floats(0.6, 3), st.floats(1, 20), st.booleans())
    def test_an_offset_lifts_by_its_height_and_leaves_the_plan(self, angle, t, extra, over):
        least = 2 * 1.5 * t * (1 - math.cos(math.radians(angle)))
        height = least + extra
        step = {
            "kind": "offset_bend", "name": "lap", "sketch": "mark", "about": "crease",
            "moves": "left", "height": f"{height + (t if over else 0)!r} mm",
            "measured": "over" if over else "middle", "angle": f"{angle!r} deg",
        }  # fmt: skip
        design = lines(step, x="40 mm", t=f"{t!r} mm")
        body = built(design, machine(row(t, t))).bodies["part"]
        low, high = body.figures().bounds
        assert high[2] - low[2] == pytest.approx(height + t, abs=1e-9)
        assert (low[0], high[0]) == pytest.approx((-50, 50), abs=1e-9)
        assert body.solid().volume == pytest.approx(body.folded.volume(), rel=1e-8)

    def test_a_lap_follows_the_thickness(self):
        step = {
            "kind": "offset_bend", "name": "lap", "sketch": "mark", "about": "crease",
            "moves": "right", "height": "board",
        }  # fmt: skip
        for t in [0.8 + 2.2 * k / 49 for k in range(50)]:
            design = lines(step, t="board")
            sized = Design.model_validate(
                {**design.model_dump(), "sizes": [{"name": "board", "formula": f"{t!r} mm"}]}
            )
            made = built(sized, machine(row(0.8, 0.8), row(3.0, 3.0)))
            assert made.whole, made.problems
            assert made.figures["part"].bounds[1][2] == pytest.approx(2 * t)

    def test_only_as_far_as_the_line_goes(self):
        step = {
            "kind": "fold", "name": "up", "sketch": "mark", "about": "crease", "moves": "right",
            "across": "line", "relief": "round",
        }  # fmt: skip
        body = built(lines(step)).bodies["part"]
        high = body.figures().bounds[1]
        assert high[0] == pytest.approx(50)  # the rest stays flat
        assert high[2] == pytest.approx(40)
        assert body.solid().is_valid()
        assert body.solid().volume == pytest.approx(body.folded.volume(), rel=1e-8)


class TestHems:
    @pytest.mark.parametrize(("form", "tall"), [("closed", 4.02), ("open", 5.5), ("drop", None)])
    def test_they_keep_the_outline(self, form, tall):
        edges = [{"how": "around", "of": ["base/side/edge.right"]}]
        step = {
            "kind": "hem", "name": "seam", "edges": edges, "form": form, "length": "12 mm",
            "gap": "1.5 mm",
        }  # fmt: skip
        design = folded(step)
        body = built(design).bodies["part"]
        found = box(design)
        assert found[0] == pytest.approx(100, abs=1e-6)
        if tall:
            assert found[2] == pytest.approx(tall, abs=1e-9)
        else:  # the tip of a drop comes back to the sheet
            bend, panel = body.folded.bends[0], body.folded.frames[1]
            assert bend.angle > 180
            tip = next(c for c in body.folded.panels[1].region.outer.curves if c.name == "tip")
            assert panel.at(*tip.start, 2.0)[2] == pytest.approx(2.02, abs=1e-6)
        assert body.solid().is_valid()


class TestWords:
    @pytest.mark.parametrize(
        ("steps", "what"),
        [
            ([flange("right", height="4 mm")], "ends within its own bend, which takes 5 mm"),
            ([flange("right", angle="180 deg")], "a bend goes from 0.1° to below 180°"),
            ([flange("right", angle="-20 deg")], "The angle is -20°"),
            ([flange("right", radius_by="formula", radius="-1 mm")], "no tool bends sharper"),
            ([flange("right", radius_by="formula", radius="0 mm")], "no tool bends sharper"),
            ([flange("right", extent="from_to", end="70 mm")], "from 10 to 70 mm of an edge that"),
            ([flange("sideways")], "There is no free edge of the sheet"),
            ([flange("right", "bottom", corners="meeting", gap="-1 mm")], "run into each other"),
            (
                [flange("right", "top", angle="60 deg", corners="first over", height="30 mm")],
                "only where both stand upright",
            ),
            (
                [{"kind": "fillet", "name": "soft",
                  "edges": [{"how": "upright", "of": ["base"]}]}],
                "no blank can be cut for",
            ),
            (
                [flange("right", height="30 mm"),
                 {"kind": "hole", "name": "bore", "face": "base/end", "x": "46 mm",
                  "diameter": "8 mm"}],
                "breaks out of the top of base",
            ),
            (
                [{"kind": "hole", "name": "pit", "face": "base/end", "depth_by": "depth",
                  "depth": "1 mm", "through": "no"}],
                "",
            ),
        ],
    )  # fmt: skip
    def test_what_cannot_be_is_told(self, steps, what):
        found = None
        try:
            found = built(folded(*steps))
        except ValueError:
            assert not what  # a field that this kind does not have
            return
        (problem,) = [p for p in found.problems if p.severity == "error"]
        assert any(part in problem.what for part in what.split("|")), problem.what
        assert problem.hint
        assert found.bodies["part"].folded is not None  # the sheet before is still there

    def test_a_blank_that_lies_on_itself(self):
        design = folded(
            flange("right", name="rim", height="60 mm"),
            flange("top", name="other", height="60 mm"),
            *(
                of_kind("flange", name, height="70 mm", edges=[{"how": "around", "of": [edge]}])
                for name, edge in (("wing", "rim/left_end"), ("tail", "other/right_end"))
            ),
        )  # fmt: skip
        sent = built(design, lens="sent")
        assert any("lie on each other" in p.what for p in sent.problems), sent.problems

    def test_an_offset_that_is_too_low_says_which_angle_fits(self):
        step = {
            "kind": "offset_bend", "name": "lap", "sketch": "mark", "about": "crease",
            "height": "2 mm", "angle": "90 deg",
        }  # fmt: skip
        (problem,) = [p for p in built(lines(step)).problems if p.severity == "error"]
        assert "lift by 8" in problem.what
        assert "An angle of 41.3° fits" in problem.hint  # cos a = 1 − 2/8

    def test_a_hole_in_the_bend_and_a_line_beside_the_sheet(self):
        step = {"kind": "fold", "name": "up", "sketch": "mark", "about": "crease"}
        hole = {"kind": "hole", "name": "bore", "face": "base/end", "x": "10 mm"}
        (problem,) = [p for p in built(lines(hole, step)).problems if p.severity == "error"]
        assert "lies in the bend" in problem.what
        (problem,) = [p for p in built(lines(step, x="70 mm")).problems if p.severity == "error"]
        assert problem.what == "The line does not cross the sheet."

    def test_curved_edges_crossing_bends_and_sheets_put_together(self):
        disc = {"kind": "sketch", "name": "outline",
                "shapes": [{"kind": "circle", "name": "edge", "diameter": "60 mm"}]}  # fmt: skip
        plate = {"kind": "sheet", "name": "base", "sketch": "outline", "thickness": "2 mm"}
        rim = {"kind": "flange", "name": "rim",
               "edges": [{"how": "between", "of": ["base/end", "base/side/edge"]}]}  # fmt: skip
        round_ = built(Design.model_validate({"name": "Disc", "steps": [disc, plate, rim]}))
        (problem,) = [p for p in round_.problems if p.severity == "error"]
        assert "is curved: a sheet is bent along straight edges" in problem.what
        fold = {"kind": "fold", "name": "up", "sketch": "mark", "about": "crease"}
        crossed = built(lines(flange("top", height="30 mm"), fold))
        (problem,) = [p for p in crossed.problems if p.severity == "error"]
        assert problem.what == "The line crosses a bend."
        again = {"kind": "copy", "name": "again", "other": "part", "part": "second", "x": "200 mm"}
        design = folded(flange("right", height="30 mm"), again)
        two = Design.model_validate(
            {**design.model_dump(), "parts": [{"name": "part"}, {"name": "second"}]}
        )
        bodies = built(two).bodies
        assert bodies["second"].folded.volume() == pytest.approx(bodies["part"].folded.volume())

    def test_a_chart_with_a_gap_says_what_it_takes(self):
        chart = machine(row(1.0, 1.0), row(4.0, 4.0, 0.45))
        assert not bend_figures(chart, "Steel", 2.5, 90).remark
        assert "no bend of 8 mm; that of 4 mm" in bend_figures(chart, "Steel", 8, 90).remark
        assert "no chart" in bend_figures(machine(), "Steel", 2, 90).remark
        notes = built(folded(flange("right"), t="8 mm"), chart).problems
        assert any("no bend of 8 mm" in p.what and p.severity == "note" for p in notes)


@given(st.floats(1, 175), radii, sheets, ks)
def test_deduction_and_k_say_the_same(a, r, t, k):
    assert k_of_deduction(a, r, t, deduction(a, r, t, k)) == pytest.approx(k, abs=1e-9)
    assert allowance(a, r, t, k) == pytest.approx(2 * set_back(a, r + t) - deduction(a, r, t, k))


@given(st.lists(st.sampled_from(["bottom", "right", "top", "left"]), min_size=1, unique=True),
       st.floats(0.6, 3), st.floats(1, 80), st.floats(1, 179), measures, places)  # fmt: skip
def test_any_flange_comes_out_or_says_why(edges, t, high, angle, measured, lies):
    design = folded(
        flange(
            *edges, height=f"{high!r} mm", angle=f"{angle!r} deg", measured=measured, lies=lies,
            corners="meeting",
        ),
        t=f"{t!r} mm",
    )  # fmt: skip
    found = built(design, machine(row(t, t)))
    body = found.bodies["part"]
    if found.whole:
        assert body.solid().volume == pytest.approx(body.folded.volume(), rel=1e-7)
    else:
        assert all(p.what and p.hint for p in found.problems if p.severity == "error")


class TestBlankAsSent:
    def drawn(self, tmp_path, design: Design, name: str, process: Process, *known: Process):
        found = rebuild(design, design.seen("sent", process, known))
        assert found.whole, found.problems
        path = tmp_path / name
        path.write_bytes(export(pieces_of(design, found, path.suffix), name))
        return path

    def test_the_drawing_has_the_kerf_and_the_bend_lines(self, tmp_path):
        laser = Process.model_validate(
            {
                "name": "Beam", "kind": "laser or knife",
                "material": {"name": "Steel", "density": 7.85},
                "kerfs": [{"material": "Steel", "thickness": 2.0, "kerf": 0.2}],
            }
        )  # fmt: skip
        design = folded(flange("right", height="30 mm"), flange("left", name="l", way="down"))
        design = design.model_copy(
            update={"parts": tuple(p.with_(cut_by="Beam") for p in design.parts)}
        )
        folder = machine({**row(2.0, 3.0), "springs_back": 2.0})
        path = self.drawn(tmp_path, design, "blank.dxf", folder, laser)
        space = ezdxf.readfile(path).modelspace()
        box = bbox.extents(space.query('*[layer=="OUTSIDE"]'))
        blank = 100 + 30 + 20 - 2 * (10 - BA)
        assert box.size.x == pytest.approx(blank + 0.2, abs=1e-6)
        (up,), (down,) = (space.query(f'LINE[layer=="BEND_{way}"]') for way in ("UP", "DOWN"))
        # The bend starts 5 mm inside of the edge; its middle is half its length further out.
        assert up.dxf.start.x == pytest.approx(45 + BA / 2, abs=1e-6)
        assert down.dxf.start.x == pytest.approx(-45 - BA / 2, abs=1e-6)
        assert abs(up.dxf.end.y - up.dxf.start.y) == pytest.approx(60)
        said = {text.dxf.text for text in space.query("TEXT")}
        assert said == {"1: up 90°", "2: down 90°"}

    def test_the_bend_sheet_tells_order_angle_and_stop(self, tmp_path):
        design = folded(flange("right", height="30 mm"))
        folder = machine({**row(2.0, 3.0), "springs_back": 2.0})
        text = self.drawn(tmp_path, design, "page.bends.svg", folder).read_text("utf8")
        stop = 30 - 5 + BA / 2  # from the middle of the bend to the edge
        for words in ("90°", "92°", f"{BA:.2f}", f"{stop:.2f}", f"blank {120 + BA:.2f} × 60 mm"):
            assert f">{words}" in text, words
        assert self.drawn(tmp_path, design, "page.pdf", folder).read_bytes()[:5] == b"%PDF-"
        plain_part = plate()
        with pytest.raises(SchabloneError, match="No part is folded"):
            export(pieces_of(plain_part, rebuild(plain_part, LensView("sent", folder))), "x.pdf")

    def test_tips_are_bent_before_what_they_hang_on(self):
        design = folded(
            flange("right", height="30 mm"),
            {"kind": "hem", "name": "edge", "edges": [{"how": "around", "of": ["rim/tip"]}]},
        )
        lines = bend_lines(sheet(design))
        assert [round(line.angle) for line in lines] == [180, 90]
        # Once the hem is pressed, its outermost point lies at the stop, in a soft sheet as well
        # whose hem is shorter on the blank than it is round.
        assert lines[1].stop == pytest.approx(30 - 5 + BA / 2, abs=1e-6)
        soft = machine(row(2.0, 3.0), row(2.0, 0.0, 0.1, 180.0))
        assert bend_lines(sheet(design, soft))[1].stop == pytest.approx(30 - 5 + BA / 2, abs=1e-6)


class TestMarks:
    text = {"kind": "text", "name": "t", "text": "AB", "height": "8 mm", "x": "-20 mm"}

    def steps(self, plane: str, *more: dict, **shape: object) -> list[dict]:
        sketch = {"kind": "sketch", "name": "word", "plane": plane,
                  "shapes": [{**self.text, **shape}]}  # fmt: skip
        return [*more, sketch, {"kind": "sheet_mark", "name": "said", "sketch": "word"}]

    def test_they_go_with_their_panel_and_onto_a_layer_of_their_own(self, tmp_path):
        fold = {"kind": "fold", "name": "up", "sketch": "mark", "about": "crease", "moves": "left"}
        design = lines(*self.steps("base/end"), fold)
        made = sheet(design)
        (_, moved) = made.panels
        assert moved.marks
        assert not made.panels[0].marks
        # The text stood 20 mm left of the middle: it moves with what lies left of the line.
        assert max(point[2] for line in made.marks() for point in line) > 20
        found = built(design, lens="sent")
        path = tmp_path / "marked.dxf"
        path.write_bytes(export(pieces_of(design, found, ".dxf"), "marked.dxf"))
        space = ezdxf.readfile(path).modelspace()
        assert len(space.query('*[layer=="MARK"]')) == sum(len(p.marks) for p in made.panels)
        assert built(design).figures["part"].volume == pytest.approx(
            built(lines(fold)).figures["part"].volume
        )

    @pytest.mark.parametrize(
        ("steps", "what"),
        [
            (lambda self: self.steps("base/end", x="60 mm"), "The mark leaves base."),
            (
                lambda self: [
                    *self.steps("base/end", x="10 mm"),
                    {"kind": "fold", "name": "up", "sketch": "mark", "about": "crease"},
                ],
                "A mark lies in the bend",
            ),
        ],
    )
    def test_what_cannot_be_is_told(self, steps, what):
        (problem,) = [p for p in built(lines(*steps(self))).problems if p.severity == "error"]
        assert what in problem.what


class TestChecks:
    def told(self, design: Design, process: Process) -> dict[str, str]:
        found = findings(design, built(design, process))
        return {one.name: one.why for one in found if not one.holds}

    def test_each_says_what_is_wrong(self):
        tools = {**row(2.0, 3.0), "die": 16.0}
        short = folded(flange("right", height="12 mm"))
        told = self.told(short, machine(tools))
        # 7 mm of flat, and half of the bend: less than six tenths of the die.
        assert "only 10.02 mm lie on the die; it needs 9.6" not in str(told)
        assert (
            "9.02 mm lie on the die; it needs 9.6 mm"
            in self.told(folded(flange("right", height="11 mm")), machine(tools))[
                "Every bend can be made"
            ]
        )
        good = folded(flange("right", height="30 mm"))
        assert self.told(good, machine(tools)) == {}
        assert (
            "60 mm long; Folder bends up to 50 mm"
            in self.told(good, machine(tools, longest_bend=50.0))["Every bend can be made"]
        )
        near = folded(
            flange("right", height="30 mm"),
            {"kind": "hole", "name": "bore", "face": "base/end", "x": "40 mm", "diameter": "6 mm"},
        )
        # Half of what the outer face is stretched, and three fifths of the way are left.
        pulled = math.pi / 2 * 2 * (1 - K) / 2 * (1 - 2 / 5)
        assert (
            f"drawn towards the bend, by up to {pulled:.2f} mm"
            in self.told(near, machine(tools))["Holes keep clear of the bends"]
        )
        assert (
            "begins 2 mm from bend 1; nearer than 5 mm"
            in self.told(near, machine(tools))["Holes keep clear of the bends"]
        )
        # Nearer by what nobody could measure is not nearer: it would be drawn by some 0.003 mm.
        unfelt = {"kind": "hole", "name": "bore", "face": "base/end", "x": "37.02 mm"}
        far = folded(flange("right", height="30 mm"), {**unfelt, "diameter": "6 mm"})
        assert self.told(far, machine(tools)) == {}
        torn = folded(
            flange("right", height="30 mm", extent="centred", width="30 mm", relief="none")
        )
        assert (
            "would tear there" in self.told(torn, machine(tools))["The ends of all bends are freed"]
        )
        corner = folded(flange("right", "top", height="30 mm"))
        assert (
            "meets another bend in a corner"
            in self.told(corner, machine(tools))["The ends of all bends are freed"]
        )
        small = {"name": "S", "material": "Steel", "nominal": 2.0, "measured": 2.0,
                 "size": [100, 100]}  # fmt: skip
        assert (
            "the sheet 100 × 100 mm"
            in self.told(good, machine(tools, stock=[small]))["Every blank is one flat piece"]
        )

    def test_the_blank_lies_on_the_bed_of_what_cuts_it(self):
        design = folded(flange("right", height="30 mm"))
        design = design.model_copy(
            update={"parts": tuple(p.with_(cut_by="Small") for p in design.parts)}
        )
        folder = machine(row(2.0, 3.0))
        for bed, holds in (([130, 70, 5], True), ([70, 130, 5], True), ([125, 70, 5], False)):
            laser = Process.model_validate(
                {"name": "Small", "kind": "laser or knife", "bed": bed,
                 "material": {"name": "Steel", "density": 7.85}}
            )  # fmt: skip
            found = rebuild(design, design.seen("wanted", folder, [laser]))
            told = next(f for f in findings(design, found) if "one flat piece" in f.name)
            assert told.holds == holds, told
            assert holds or "the bed of Small 125 × 70 mm" in told.why

    def test_what_runs_into_itself_while_it_is_folded(self):
        both = folded(
            flange("right", "left", height="70 mm", angle="120 deg"), wide="60 mm", high="60 mm"
        )
        told = self.told(both, machine(row(2.0, 3.0)))
        assert "runs into" in told["Nothing is in the way while it is folded"]


class TestChartsAsText:
    def test_deduction_allowance_and_k_mean_the_same(self):
        by = {"deduction": 10 - BA, "allowance": BA, "k-factor": K}
        read = [
            read_chart(f"thickness (mm);radius;{head}\n2,0;3,0;{str(value).replace('.', ',')}\n")
            for head, value in by.items()
        ]
        for (bend,) in read:
            assert bend.deduction == pytest.approx(10 - BA)

    @pytest.mark.parametrize("unit", ["(in)", "[inch]", ", in"])
    def test_lengths_are_in_the_unit_of_their_column(self, unit):
        heads = "\t".join(f"{name} {unit}" for name in ("thickness", "radius", "deduction", "v"))
        (bend,) = read_chart(f"{heads}\tk\tangle (°)\n0.04\t0.06\t0.08\t0.5\n")
        assert (bend.thickness, bend.radius) == pytest.approx((1.016, 1.524))
        assert (bend.deduction, bend.die, bend.angle) == pytest.approx((2.032, 12.7, 90))

    @pytest.mark.parametrize(
        ("text", "what"),
        [
            ("", "there are no bends"),
            ("thickness,angle\n1,90", "no column radius and no column deduction"),
            ("thickness,radius,deduction\n1,x,2", "line 2: “x” is no number for the radius"),
            ("thickness,radius,deduction\n1,1,40", "does not belong to a radius"),
            ("thickness,radius,deduction\n1,1,", "line 2: its deduction is missing"),
            ("thickness,radius,deduction\n1,5,1,0,1,88", "line 2: it has more cells than there"),
            ("thickness (ft);radius;deduction\n1;1;1.5", "lengths are in “ft”"),
            ("thickness,radius,deduction\n" + "1,1,1.5\n" * 501, "there are 501 bends"),
        ],
    )
    def test_what_is_wrong_is_told_by_its_line(self, text, what):
        with pytest.raises(SchabloneError) as told:
            read_chart(text)
        assert what in str(told.value)


class TestCalibrating:
    """Strips bent by machines that share no code with what is fitted to them."""

    def strips(self, folder: FoldingMachine, t: float, seed: int) -> list[StripReading]:
        gauge, found = Gauge(), []
        for number, told in enumerate((90, 90, 45, 120)):
            bent = folder.bend(FlatStrip(50, 50, told), t, told, 1000 * seed + number)
            read = [sum(c) / 2 for c in zip(*gauge.read(bent, 2, 77 * seed + number), strict=True)]
            radius = round(folder.inside_radius(t), 1)
            thick = gauge.thick(bent, seed + number)
            found.append(StripReading(100, thick, told, *read, radius))
        return found

    def test_next_legs_and_angles_come_within_what_is_said(self):
        legs, angles, means = [], [], []
        for seed in range(100):
            folder = FoldingMachine.of(seed)
            for t in (0.8, 1.5, 3.0):
                radius = round(folder.inside_radius(t), 1)
                found = calibrated(self.strips(folder, t, seed))
                known = found.bend().known
                back, long = (
                    set_back(90, radius + found.thickness),
                    allowance(90, radius, found.thickness, found.k.value),
                )
                flat = FlatStrip(30 - back + long / 2, 50 - back + long / 2, 90)
                bent = folder.bend(
                    flat, t, 90 + 90 * found.springs.value, 9000 + seed, stop=-found.stop.value
                )
                # The piece itself: what a gauge reads on it is off by the gauge, too.
                first, second, angle = bent.first, bent.second, bent.angle
                (of_all, of_leg), factor = known.of_leg(90), found.k.factor
                legs += [abs(first - 30) <= factor * of_leg, abs(second - 50) <= factor * of_leg]
                angles.append(abs(angle - 90) <= factor * known.of_angle(90)[1])
                assert factor * of_leg < 0.3  # and it says something
                # Of many, what four strips could not tell of the stop and of the bend is left.
                many = [
                    folder.bend(
                        flat, t, 90 + 90 * found.springs.value, 50 * seed + k,
                        stop=-found.stop.value,
                    )
                    for k in range(12)
                ]  # fmt: skip
                means.append(abs(sum(b.first for b in many) / 12 - 30) <= factor * of_all)
        assert 0.95 <= sum(legs) / len(legs) <= 0.985
        assert 0.95 <= sum(angles) / len(angles) <= 0.985
        assert sum(means) / len(means) >= 0.93

    def test_a_bend_of_a_chart_from_before_counts_the_stop_by_its_scatter(self):
        old = BendKnown(strips=4, deduction=0.06, legs=0.04, place=0.05)
        assert old.of_leg(90)[0] == pytest.approx(math.hypot(0.03, 0.05 / 2))
        assert old.with_(stop=0.04).of_leg(45) == pytest.approx(
            (math.hypot(0.015, 0.04), math.sqrt(0.015**2 + 0.04**2 + 0.02**2 + 0.05**2))
        )

    def test_several_sheets_in_one_go_are_told_apart(self):
        folder = FoldingMachine.of(5)
        mixed = [s for t in (3.0, 0.8, 1.5) for s in self.strips(folder, t, 5)]
        together = calibrated_by_sheet(mixed[::-1])
        assert [round(one.thickness, 1) for one in together] == [0.8, 1.5, 3.0]
        alone = calibrated(self.strips(folder, 1.5, 5))
        assert together[1].k.value == pytest.approx(alone.k.value, rel=1e-9)
        assert calibrated_by_sheet([]) == []

    def test_the_coupon_goes_the_whole_way(self, tmp_path):
        coupon = read_design(TOP / "demo" / "bend-coupon.schablone")
        star = next(p for p in shipped_processes() if p.kind == "folding")
        found = rebuild(coupon, coupon.seen("sent", star))
        bent, radius = practise_bending(
            strips_of_file(export(pieces_of(coupon, found, ".dxf"), "strips.dxf")),
            "Practice folder Drossel", 1.0, 1, 3,
        )  # fmt: skip
        assert [(flat.length, flat.angle) for flat, _, _ in bent] == [
            (pytest.approx(100), told) for told in (90, 90, 45, 120)
        ]
        strips = []
        for flat, thick, read in bent:
            first, second, angle = (sum(column) / 3 for column in zip(*read, strict=True))
            strips.append(
                StripReading(100, thick, flat.angle, first, second, angle, radius, "Aluminium")
            )
        made = calibrated(strips).bend()
        assert made.known.strips == 4
        assert star.with_(bends=(*star.bends, made)).bends[-1] == made

    def test_the_size_table_says_how_sure_a_leg_is(self):
        folder = FoldingMachine.of(5)
        made = calibrated(self.strips(folder, 2.0, 5)).bend()
        sized = Design.model_validate(
            {
                **folded(
                    flange("right", height="rim", angle="lean"),
                    {"kind": "hem", "name": "edge", "length": "lap",
                     "edges": [{"how": "around", "of": ["rim/tip"]}]},
                ).model_dump(),
                "sizes": [{"name": "rim", "formula": "30 mm"}, {"name": "lap", "formula": "9 mm"},
                          {"name": "lean", "formula": "90 deg"}],
            }
        )  # fmt: skip
        process = machine(made.model_dump(), {**row(2.0, 0.01, angle=180.0), "angle": 180.0})
        found = built(sized, process)
        told = {
            line.row.name: line
            for line in size_report(sized, measures_of(sized, found), process, found.table)
        }
        known = made.known
        wider = told["rim"].sure.piece / math.sqrt(
            (known.deduction / 2) ** 2 + known.stop**2 + (known.legs / 2) ** 2 + known.place**2
        )
        assert 1.96 * wider == pytest.approx(stats.t.ppf(0.975, known.freedom), rel=1e-3)
        assert told["lean"].bent == "angle"
        assert told["lean"].sure.measured
        assert not told["lap"].sure.measured  # nobody bent a strip right over
        assert told["lap"].verdict == "as wanted, not measured"

    def test_what_is_cut_into_the_blank_is_not_called_sure(self):
        sizes = [{"name": "wide", "formula": "100 mm", "tolerance": "0.5 mm"},
                 {"name": "high", "formula": "60 mm"}]  # fmt: skip
        design = Design.model_validate(
            {**folded(flange("right"), wide="wide", high="high").model_dump(), "sizes": sizes}
        )
        process = machine(row(2.0, 3.0))
        found = built(design, process)
        told = {
            line.row.name: line
            for line in size_report(design, measures_of(design, found), process, found.table)
        }
        assert told["high"].verdict == "as wanted, not measured"
        assert told["wide"].verdict in ("likely", "as wanted, not measured")

    @pytest.mark.parametrize(
        ("changed", "what"),
        [
            ({"first": 55.0}, "come of a blank of about"),
            ({"angle": 60.0}, "far from the 90° that were told"),
            ({"thickness": 0.0}, "must be above zero"),
        ],
    )
    def test_slips_are_told(self, changed, what):
        good = {"blank": 100.0, "thickness": 1.0, "told": 90.0, "first": 50.9, "second": 50.9,
                "angle": 89.0, "radius": 1.0}  # fmt: skip
        with pytest.raises(ValueError, match=what):
            calibrated([StripReading(**{**good, **changed})])
        with pytest.raises(ValueError, match="no strip"):
            calibrated([])

    def test_the_machine_refuses_what_is_no_blank(self):
        for data in (b"", b"\xff\xfe", b"not a drawing"):
            with pytest.raises(SchabloneError):
                strips_of_file(data)


class TestHiveRoof:
    """The demo over its whole range: what changes is its size, never its kind."""

    @pytest.fixture
    def roof(self):
        design = read_design(TOP / "demo" / "hive-roof.schablone")
        known = shipped_processes()
        star = next(p for p in known if p.kind == "folding")
        return lambda lens="wanted", **given: rebuild(
            design, design.seen(lens, star, known), given=given
        )

    def kinds(self, made: Folded) -> list[tuple[int, int, bool]]:
        """What a sheet is made of, whatever its sizes: for each panel what it hangs on, and how
        many curves go round it."""
        return [
            (-1 if p.bend is None else p.bend, len(p.region.outer.curves), bool(p.region.holes))
            for p in made.panels
        ]

    def test_every_thickness(self, roof):
        kinds = None
        for k in range(50):
            found = roof(metal=f"{0.8 + 2.2 * k / 49!r} mm")
            assert found.whole, (k, found.problems)
            made = found.bodies["roof"].folded
            kinds = kinds or self.kinds(made)
            assert self.kinds(made) == kinds, k
            # The lap is lifted by the thickness, so that what it laps over lies flush.
            low, high = found.figures["roof"].bounds
            over = 462 + 2 * 18.2 + 2 * 4 + 2 * made.thickness
            assert high[1] - low[1] == pytest.approx(over + made.thickness, abs=1e-6)

    def test_every_height(self, roof):
        for high in (40, 40.5, 47, 66, 93, 120):
            found = roof(rim=f"{high} mm")
            assert found.whole, (high, found.problems)
            low, top = found.figures["roof"].bounds
            assert top[2] - low[2] == pytest.approx(high, abs=1e-6)
        for high in ("8 mm", "20 mm", "30 mm"):  # less than the seam needs: in words
            found = roof(rim=high)
            assert found.whole or all(p.what for p in found.problems if p.severity == "error")

    def test_what_is_sent_is_the_blank_with_its_kerf(self, roof):
        wanted, sent = roof(), roof("sent")
        assert sent.whole, sent.problems
        blank = wanted.bodies["roof"].folded.blank.region.outer.bounds()
        cut = sent.bodies["roof"].prisms[0].region.outer.bounds()
        kerf = next(p for p in shipped_processes() if "Uhu" in p.name).kerf_in("Aluminium", 1.02)
        assert cut[2] - cut[0] == pytest.approx(blank[2] - blank[0] + kerf, abs=1e-9)
