"""What touches, what does nothing, what survives repeats, walls as thick as asked, paths that
close: right, or words."""

from __future__ import annotations

import io
import math

import pytest
import trimesh

from schablone.core.design import Design, read_design
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.occ import solid_of_tool
from schablone.core.kernel.occ import stretched as occ_stretched
from schablone.core.kernel.occ.hollow import distance_to, sample
from schablone.core.kernel.tools import stretched_tool
from schablone.core.problem import SchabloneError
from schablone.core.process import LensView, neutral, shipped_processes
from schablone.core.prove.checks import solid_parts
from schablone.core.publish.exports import export
from schablone.core.publish.pieces import pieces_of
from tests.conftest import TOP, of_kind, plate
from tests.parts.making import circle, extrude, rectangle, sketch, step

WANTED = LensView("wanted", neutral())


def hole(name: str, x: float, diameter: float = 6.0, **more: object) -> dict:
    return {
        **of_kind("hole", name, face="plate/end", diameter=f"{diameter} mm", x=f"{x} mm"),
        **more,
    }


def told(design: Design) -> str:
    found = rebuild(design, WANTED)
    assert not found.whole
    assert found.figures["part"].volume > 0
    return next(p.text for p in found.problems if p.severity == "error")


class TestTouching:
    @pytest.mark.parametrize("depth", [{}, {"extent": "depth", "depth": "2 mm"}])
    def test_two_holes_that_touch_are_refused_with_the_place(self, depth):
        words = told(plate(hole("one", 0, **depth), hole("two", 6, **depth)))
        assert "wall of two" in words.casefold()
        assert "wall of one" in words.casefold()
        assert "touch at x 3, y 0" in words
        assert "0.2 mm" in words

    def test_holes_in_a_row_that_touch(self):
        row = of_kind("row", "line", of="one", how="on", count="4", pitch="6 mm")
        assert "touch at" in told(plate(hole("one", -20), row))
        nearly = {**row, "pitch": "6.2 mm"}
        assert rebuild(plate(hole("one", -20), nearly), WANTED).whole

    @pytest.mark.parametrize(("shift", "area"), [(5.0, None), (6.0 + 1e-3, 2 * math.pi * 9)])
    def test_overlapping_and_parted_holes_are_exact(self, shift, area):
        lens = (
            2 * 9 * math.acos(shift / 6) - shift / 2 * math.sqrt(36 - shift**2)
            if area is None
            else 0.0
        )
        found = rebuild(plate(hole("one", 0), hole("two", shift)), WANTED)
        assert found.whole
        assert found.figures["part"].volume == pytest.approx(
            16000 - 4 * (2 * math.pi * 9 - lens), rel=1e-12
        )

    def test_plates_that_meet_in_a_corner_only(self):
        shapes = [
            {"kind": "rectangle", "name": n, "width": "10 mm", "height": "10 mm", "x": x, "y": x}
            for n, x in (("a", "0 mm"), ("b", "10 mm"))
        ]
        steps = [
            {"kind": "sketch", "name": "s", "shapes": shapes},
            {"kind": "extrude", "name": "e", "sketch": "s", "by": "3 mm"},
        ]
        found = rebuild(Design.model_validate({"steps": steps}), WANTED)
        assert "touch" in found.problems[0].text
        assert "x 5, y 5, z 3" in found.problems[0].text


class TestNothingLeftOut:
    def test_shapes_that_meet_nothing_are_told(self):
        shapes = [
            {"kind": "circle", "name": n, "diameter": "5 mm", "x": x}
            for n, x in (("in_it", "0 mm"), ("beside", "90 mm"))
        ]
        steps = [
            {"kind": "sketch", "name": "s", "shapes": shapes},
            {"kind": "extrude", "name": "c", "sketch": "s", "mode": "cut", "extent": "through"},
        ]
        found = rebuild(plate(*steps), WANTED)
        assert found.whole
        assert [p.severity for p in found.problems] == ["note"]
        assert "“beside” of c meets no material" in found.problems[0].what

    def test_circles_that_overlap_by_less_than_chords_show(self):
        shapes = [
            {"kind": "circle", "name": n, "diameter": "40 mm", "x": x}
            for n, x in (("a", "0 mm"), ("b", "39.999 mm"))
        ]
        steps = [
            {"kind": "sketch", "name": "s", "shapes": shapes},
            {"kind": "extrude", "name": "e", "sketch": "s", "by": "1 mm"},
        ]
        found = rebuild(Design.model_validate({"steps": steps}), WANTED)
        lens = 2 * 400 * math.acos(39.999 / 40) - 39.999 / 2 * math.sqrt(1600 - 39.999**2)
        assert found.whole
        assert found.figures["part"].volume == pytest.approx(2 * math.pi * 400 - lens, rel=1e-11)


class TestNamesSurvive:
    TAB = (
        of_kind(
            "sketch",
            "t",
            shapes=[of_kind("rectangle", "r", width="20 mm", height="10 mm", x="58 mm")],
        ),
        {"kind": "extrude", "name": "tab", "sketch": "t", "by": "9 mm"},
    )
    EYE = {"kind": "hole", "name": "eye", "face": "tab/end", "diameter": "4 mm", "x": "60 mm"}

    @pytest.mark.parametrize(
        "repeat",
        [
            {"kind": "mirror", "name": "more", "of": "tab"},
            {"kind": "ring", "name": "more", "of": "tab", "count": "2"},
            of_kind("row", "more", of="tab", how="on", along="y", count="2", pitch="12 mm"),
        ],
    )
    def test_a_hole_stays_on_its_tab_when_a_repeat_comes_between(self, repeat):
        before = rebuild(plate(*self.TAB, self.EYE), WANTED)
        after = rebuild(plate(*self.TAB, repeat, self.EYE), WANTED)
        assert before.whole
        assert after.whole, [p.text for p in after.problems]
        wall = FaceName("eye", "wall")
        assert wall in before.bodies["part"].names() & after.bodies["part"].names()

    def test_a_face_of_a_member_that_is_gone_names_the_repeat(self):
        row = of_kind("row", "tabs", of="tab", how="on", along="y", count="n", pitch="-12 mm")
        eye = {**self.EYE, "face": "tab/end#3"}
        design = plate(*self.TAB, row, eye, sizes={"n": "3"})
        assert rebuild(design, WANTED).whole
        problem = next(
            p for p in rebuild(design, WANTED, given={"n": "2"}).problems if p.severity == "error"
        )
        assert "“tabs” makes 2 of tab now" in problem.what
        assert problem.hint.split("There are: ")[1].startswith("top of tab")


@pytest.mark.parametrize("wall", [1.0, 2.0, 5.0, 6.0])
def test_walls_are_as_thick_as_asked_at_500_spots(wall):
    """A rounded box, walls thinner than its corners are round, as thick, and thicker."""
    steps = [
        of_kind(
            "sketch",
            "o",
            shapes=[{"kind": "rectangle", "name": "e", "width": "60 mm", "height": "40 mm"}],
        ),
        {"kind": "extrude", "name": "b", "sketch": "o", "by": "25 mm"},
        of_kind("fillet", "f", edges=[{"how": "upright", "of": ["b"]}], radius="5 mm"),
        {"kind": "shell", "name": "h", "faces": ["b/end"], "wall": f"{wall} mm"},
    ]
    full = rebuild(Design.model_validate({"steps": steps[:3]}), WANTED).bodies["part"].solid()
    found = rebuild(Design.model_validate({"steps": steps}), WANTED)
    assert found.whole, [p.text for p in found.problems]
    solid = found.bodies["part"].solid()
    inner = [k for k, name in enumerate(solid.names) if name.step == "h"]
    outside = [
        face for face, name in zip(full.faces(), full.names, strict=True) if str(name) != "b/end"
    ]
    for spot in sample(solid, inner, 500):
        away = min(distance_to(face, spot) for face in outside)
        assert away >= wall - 6e-3
        # Inner corners that stay sharp lie farther in.
        assert away <= wall * math.sqrt(2) + 6e-3


class TestPaths:
    def test_turns_that_lie_in_each_other_are_told_and_touching_ones_are_not(self):
        wire = {"kind": "sweep", "name": "w", "wire": "2 mm", "last": "1080 deg"}
        touching = {**wire, "z": "2.0 mm * turned / (360 deg) * sqrt(1 + (2/(2*pi*20))^2)"}
        assert rebuild(Design.model_validate({"steps": [touching]}), WANTED).whole
        found = rebuild(
            Design.model_validate({"steps": [{**wire, "z": "1.5 mm * turned / (360 deg)"}]}), WANTED
        )
        assert "meets itself" in found.problems[0].what

    def test_a_path_that_closes_with_a_corner_is_told(self):
        drop = of_kind(
            "sweep",
            "w",
            wire="1 mm",
            last="360 deg",
            x="20 mm*sin(turned/2)",
            y="10 mm*sin(turned)",
            z="0 mm",
        )
        found = rebuild(Design.model_validate({"steps": [drop]}), WANTED)
        assert "comes back to its start" in found.problems[0].what

    def test_an_upright_section_cannot_follow_a_path_straight_up(self):
        bar = of_kind(
            "sketch",
            "s",
            shapes=[{"kind": "rectangle", "name": "r", "width": "4 mm", "height": "2 mm"}],
        )
        lead = of_kind(
            "lead",
            "l",
            sketch="s",
            way="points",
            points=[{"z": "0 mm"}, {"z": "30 mm"}],
            keep="upright",
        )
        found = rebuild(Design.model_validate({"steps": [bar, lead]}), WANTED)
        assert "runs along the direction that the outline keeps to" in found.problems[0].what
        assert rebuild(
            Design.model_validate({"steps": [bar, {**lead, "keep": "face", "keep_to": "front"}]}),
            WANTED,
        ).whole


def test_a_step_may_be_called_unknown() -> None:
    """No name of a step stands for faces of which nothing is known."""
    steps = [
        sketch("o", rectangle("edge", "40 mm", "30 mm")),
        extrude("unknown", "o", "10 mm"),
        step(
            "fillet",
            "soft",
            edges=[{"of": ["unknown/side/edge.left", "unknown/side/edge.bottom"]}],
            radius="3 mm",
        ),
        step("fillet", "top", edges=[{"of": ["unknown/end"]}], radius="1 mm"),
        step("hole", "bore", face="unknown/end", diameter="6 mm"),
    ]
    found = rebuild(Design.model_validate({"name": "x", "steps": steps}), WANTED)
    assert found.whole, [p.text for p in found.problems]
    names = {str(name) for name in found.bodies["part"].names()}
    assert {"unknown/end", "unknown/start", "unknown/side/edge.right", "bore/wall"} <= names
    assert found.figures["part"].volume < 40 * 30 * 10


class TestStretchedTools:
    """Where the kernel fails to stretch a whole part, its tools are stretched one by one,
    exactly."""

    FACTORS = (1.004, 1.004, 1.0015)
    WIRE = step(
        "sweep", "wire", wire="2 mm", last="1.3 turn", x="12 mm * cos(turned)",
        y="12 mm * sin(turned)",
        z="5 mm * turned / (1 turn)",
    )  # fmt: skip
    RING = (
        sketch("s", circle("foot", "3 mm", "15 mm", "4 mm"), plane="front"),
        step("revolve", "ring", sketch="s"),
    )
    SHORT = {**WIRE, "last": "0.3 turn"}
    BENT = step("ring", "wires", of="wire", count="2", over="full")

    def tools_of(self, *steps):
        design = Design.model_validate({"name": "x", "steps": list(steps)})
        found = rebuild(design, WANTED)
        assert found.whole, [p.text for p in found.problems]
        return found.features[steps[-1]["name"]].tools

    @pytest.mark.parametrize("steps", [(WIRE,), RING, (SHORT, BENT)])
    def test_each_has_the_volume_of_the_stretched_space(self, steps):
        for tool in self.tools_of(*steps):
            before, after = (
                solid_of_tool(one).volume for one in (tool, stretched_tool(tool, self.FACTORS))
            )
            assert after == pytest.approx(before * math.prod(self.FACTORS), rel=2e-5)

    def test_what_would_not_stay_what_it_is_is_told(self):
        lying = (
            sketch("s", circle("foot", "3 mm", "15 mm", "4 mm"), plane="front"),
            step("revolve", "ring", sketch="s", about="x_axis"),
        )
        (tool,) = self.tools_of(*lying)
        with pytest.raises(ValueError, match="upright"):
            stretched_tool(tool, self.FACTORS)


@pytest.mark.nightly
def test_the_heat_guard_can_be_sent_to_every_printer() -> None:
    design = read_design(TOP / "demo" / "smoker-heat-guard.schablone")
    wanted = rebuild(design, WANTED).figures["guard"].volume
    for machine in shipped_processes()[:3]:
        view = design.seen("sent", machine)
        found = rebuild(design, view)
        assert found.whole, [p.text for p in found.problems]
        assert found.figures["guard"].volume == pytest.approx(
            wanted * math.prod(view.stretch), rel=1e-6
        )


def rounded() -> Design:
    edge = {"how": "between", "of": ["plate/end", "plate/side/edge.left"]}
    return plate(step("fillet", "soft", edges=[edge], radius="1 mm"))


UNEVEN = neutral().with_(shrinkage_xy=0.6, shrinkage_z=0.2)


@pytest.mark.parametrize("lens", ["sent", "expected"])
@pytest.mark.parametrize("which", ["rounded", "queen-case", "feeder-cap"])
def test_what_is_stretched_for_shrinkage_is_as_solid_as_before(which: str, lens: str) -> None:
    """Its volume follows from that of the part; the kernel measures splines less well."""
    demo = TOP / "demo" / f"{which}.schablone"
    design = rounded() if which == "rounded" else read_design(demo)
    built = rebuild(design, design.seen(lens, UNEVEN))
    assert not built.problems
    assert lens == "expected" or all(body.stretched for body in built.bodies.values())
    found = solid_parts(built)
    assert found.holds, found.why


def test_where_the_kernel_fails_at_stretching_triangles_are_sent_and_the_rest_is_told(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    def fails(*_: object) -> None:
        raise ValueError("no")

    monkeypatch.setattr(occ_stretched, "stretched", fails)
    design = rounded()
    built = rebuild(design, design.seen("sent", UNEVEN))
    assert not built.problems
    pieces = pieces_of(design, built, ".stl")
    mesh = trimesh.load(io.BytesIO(export(pieces, "a.stl")), file_type="stl")
    assert mesh.is_watertight
    assert mesh.volume == pytest.approx(built.figures["part"].volume, rel=1e-5)
    with pytest.raises(SchabloneError, match="cannot be written as a solid"):
        export(pieces, "a.step")
    found = solid_parts(built)
    assert not found.holds
    assert "cannot be made as a solid" in found.why
