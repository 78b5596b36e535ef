"""What machines make of turned and lofted parts: walls move across the axis by half of the gain,
heights stay."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design import Design
from schablone.core.design.rebuild import Rebuilt, rebuild
from schablone.core.process import Process
from schablone.core.process.known import Material
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.loops import Loop
from schablone.core.sketch.radial import moved_from_axis
from schablone.core.sketch.regions import Region
from schablone.core.sketch.shapes import circle, rectangle
from tests.conftest import examples, of_kind

PI = math.pi
PEG, HOLE = 0.2, -0.3


def printer(**more: object) -> Process:
    given = {"peg_gain": PEG, "hole_gain": HOLE, **more}
    return Process.model_validate(
        {"name": "P", "material": Material(name="stuff", density=1.0), **given}
    )


def turned(
    *shapes: dict,
    mode: str = "add",
    before: tuple[dict, ...] = (),
    sizes: dict[str, str] | None = None,
) -> Design:
    listed = [{"name": name, "formula": formula} for name, formula in (sizes or {}).items()]
    steps = [
        *before,
        {"kind": "sketch", "name": "half", "plane": "front", "shapes": list(shapes)},
        {"kind": "revolve", "name": "body", "sketch": "half", "mode": mode},
    ]
    return Design.model_validate({"sizes": listed, "steps": steps})


def rect(width: str, height: str, x: str, y: str = "0 mm") -> dict:
    return {"kind": "rectangle", "name": "wall", "width": width, "height": height, "x": x, "y": y}


def built(design: Design, lens: str, machine: Process) -> Rebuilt:
    found = rebuild(design, design.seen(lens, machine))
    assert found.whole, [p.text for p in found.problems]
    return found


def test_a_tube_gains_outside_and_closes_inside():
    # radii 10 and 15
    found = built(turned(rect("5 mm", "20 mm", "12.5 mm")), "expected", printer())
    figures = found.figures["part"]
    assert figures.volume == pytest.approx(PI * 20 * ((15 + PEG / 2) ** 2 - (10 + HOLE / 2) ** 2))
    assert figures.bounds[1][2] - figures.bounds[0][2] == pytest.approx(20)


def test_a_solid_bar_has_no_bore_to_close():
    found = built(turned(rect("6 mm", "20 mm", "3 mm")), "expected", printer())
    assert found.figures["part"].volume == pytest.approx(PI * 20 * (6 + PEG / 2) ** 2)


def test_small_bores_close_more():
    machine = printer(hole_small=-0.6)
    # bore of 4 mm, outside of 14 mm
    found = built(turned(rect("5 mm", "10 mm", "4.5 mm")), "expected", machine)
    bore = 4 + HOLE - 0.6 / 4
    assert found.figures["part"].volume == pytest.approx(
        PI * 10 * ((7 + PEG / 2) ** 2 - (bore / 2) ** 2)
    )


def test_what_is_cut_by_turning_is_a_bore_and_what_stays_in_it_a_peg():
    block = (
        of_kind(
            "sketch",
            "o",
            shapes=[{"kind": "rectangle", "name": "edge", "width": "60 mm", "height": "60 mm"}],
        ),
        {"kind": "extrude", "name": "block", "sketch": "o", "by": "10 mm"},
    )
    found = built(
        turned(rect("5 mm", "30 mm", "12.5 mm"), mode="cut", before=block), "expected", printer()
    )
    ring = PI * 10 * ((15 + HOLE / 2) ** 2 - (10 + PEG / 2) ** 2)
    assert found.figures["part"].volume == pytest.approx((60 + PEG) ** 2 * 10 - ring)


def test_a_ring_of_round_section_follows_the_rule_of_pappus():
    shape = {"kind": "circle", "name": "wire", "diameter": "10 mm", "x": "20 mm"}
    found = built(turned(shape), "expected", printer())
    half, strip, off = PI * 25 / 2, (PEG - HOLE) / 2 * 10, 4 * 5 / (3 * PI)
    moments = (
        half * (20 + off + PEG / 2) + half * (20 - off + HOLE / 2) + strip * (20 + (PEG + HOLE) / 4)
    )
    assert found.figures["part"].volume == pytest.approx(2 * PI * moments, rel=1e-6)


@examples(20)
@given(
    st.floats(-0.5, 0.5),
    st.floats(-0.5, 0.5),
    st.floats(-0.4, 0.2),
    st.floats(-1, 3),
    st.floats(8, 20),
    st.floats(2, 8),
)
def test_what_is_corrected_comes_out_as_wanted(peg, hole, small, shrink, radius, wall):
    machine = printer(
        peg_gain=peg, hole_gain=hole, hole_small=small, shrinkage_xy=shrink, shrinkage_z=shrink / 2
    )
    sizes = {"bore": f"{2 * radius!r} mm", "across": f"{2 * (radius + wall)!r} mm"}
    walls = [
        ("inside(bore)/2", "0 mm"),
        ("outside(across)/2", "0 mm"),
        ("outside(across)/2", "9 mm"),
        ("inside(bore)/2", "9 mm"),
    ]
    shape = {"kind": "polyline", "name": "wall", "points": [{"x": x, "y": y} for x, y in walls]}
    design = turned(shape, sizes=sizes)
    wanted, expected = (
        built(design, lens, machine).figures["part"] for lens in ("wanted", "expected")
    )
    assert expected.volume == pytest.approx(wanted.volume, rel=1e-9)
    for a, b in zip(
        expected.bounds[0] + expected.bounds[1], wanted.bounds[0] + wanted.bounds[1], strict=True
    ):
        assert a == pytest.approx(b, abs=1e-6)


def test_a_bore_that_closes_up_is_told():
    design = turned(rect("5 mm", "10 mm", "2.55 mm"))  # a bore of 0.1 mm
    found = rebuild(design, design.seen("expected", printer(hole_gain=-0.5)))
    assert "over its axis" in found.problems[0].what


def test_outlines_of_lofts_gain_too():
    square = lambda name, size, up: {  # noqa: E731
        "kind": "sketch",
        "name": name,
        "lift": up,
        "shapes": [{"kind": "rectangle", "name": "edge", "width": size, "height": size}],
    }
    steps = [
        square("low", "20 mm", ""),
        square("high", "20 mm", "10 mm"),
        {"kind": "loft", "name": "body", "first": "low", "last": "high"},
    ]
    for step in steps[:2]:
        if not step["lift"]:
            step.pop("lift")
    found = built(Design.model_validate({"steps": steps}), "expected", printer())
    assert found.figures["part"].volume == pytest.approx((20 + PEG) ** 2 * 10)


class TestSections:
    """The half sections themselves, against areas worked out by hand."""

    def by(self, away: bool, across: float) -> float:
        return 1.0 if away else -0.5

    def test_a_rectangle_grows_by_both_walls(self):
        moved = moved_from_axis(Region(rectangle("r", 10, 0, 4, 6)), (0, 0), (0, 1), self.by)
        assert moved.area == pytest.approx((4 + 1.5) * 6)
        assert moved.outer.bounds() == pytest.approx((7.5, -3, 13, 3))

    def test_it_does_not_matter_on_which_side_of_the_axis_it_lies_or_how_the_axis_runs(self):
        areas = [
            moved_from_axis(Region(rectangle("r", x, 0, 4, 6)), (0, 0), way, self.by).area
            for x, way in ((10, (0, 1)), (-10, (0, 1)), (10, (0, -3)), (-10, (0, -3)))
        ]
        assert areas == pytest.approx([33] * 4)

    def test_a_circle_is_pulled_apart_along_the_way(self):
        moved = moved_from_axis(Region(circle("c", 10, 0, 4)), (0, 0), (0, 1), self.by)
        assert moved.area == pytest.approx(PI * 4 + 1.5 * 4)

    def test_a_void_in_the_section_shrinks_by_the_same_walls(self):
        section = Region(rectangle("r", 20, 0, 20, 20), (rectangle("void", 20, 0, 8, 8),))
        moved = moved_from_axis(section, (0, 0), (0, 1), self.by)
        # The far wall of the void faces the axis and moves by -0.5, the near one faces away and
        # moves by 1.
        assert moved.area == pytest.approx((20 + 1.5) * 20 - (8 - 1.5) * 8)

    def test_a_slanting_wall_moves_across_the_axis_only(self):
        points = [(5.0, 0.0), (12.0, 0.0), (8.0, 6.0), (5.0, 6.0)]
        outline = Loop(
            tuple(
                Segment(a, b, str(k))
                for k, (a, b) in enumerate(zip(points, points[1:] + points[:1], strict=True))
            )
        )
        moved = moved_from_axis(Region(outline), (0, 0), (0, 1), self.by)
        assert moved.area == pytest.approx(outline.area + 1.5 * 6)

    def test_a_wall_on_the_axis_stays_there(self):
        outline = rectangle("r", 3, 0, 6, 4)
        moved = moved_from_axis(Region(outline), (0, 0), (0, 1), self.by)
        assert moved.outer.bounds() == pytest.approx((0, -2, 7, 2))

    def test_a_dome_on_the_axis_keeps_its_height(self):
        dome = Loop(
            (
                Segment((0.0, 0.0), (5.0, 0.0), "floor"),
                EllipticArc((0, 0), 5, 5, 0, PI / 2, "dome"),
                Segment((0.0, 5.0), (0.0, 0.0), "axis"),
            )
        )
        moved = moved_from_axis(Region(dome), (0, 0), (0, 1), self.by)
        assert moved.area == pytest.approx(PI * 25 / 4 + 1.0 * 5)
        assert moved.outer.bounds() == pytest.approx((0, 0, 6, 5))

    def test_what_would_turn_inside_out_is_refused(self):
        with pytest.raises(ValueError, match="closes up"):
            moved_from_axis(
                Region(rectangle("r", 10, 0, 1, 6)),
                (0, 0),
                (0, 1),
                lambda away, _: -1.0 if away else 1.0,
            )
