"""Regions between any curves, and outlines moved in and out, against closed formulas."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.sketch.arrangement import arrange
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.loops import Loop
from schablone.core.sketch.offsetting import moved_outline


def box(x0: float, y0: float, x1: float, y1: float, name: str = "box") -> list[Segment]:
    corners = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
    sides = ("bottom", "right", "top", "left")
    return [
        Segment(corners[k], corners[(k + 1) % 4], f"{name}.{side}") for k, side in enumerate(sides)
    ]


def circle(x: float, y: float, r: float, name: str) -> EllipticArc:
    return EllipticArc((x, y), r, r, 0.0, math.tau, name)


def areas(curves: list) -> list[float]:
    found = arrange(curves)
    return sorted(found.regions([face])[0].area for face in found.faces)


def test_two_circles_enclose_three_regions():
    r, d = 5.0, 6.0
    lens = 2 * r * r * math.acos(d / (2 * r)) - d / 2 * math.sqrt(4 * r * r - d * d)
    whole = math.pi * r * r
    found = areas([circle(0, 0, r, "a"), circle(d, 0, r, "b")])
    assert found == pytest.approx(sorted([lens, whole - lens, whole - lens]), abs=1e-7)


def test_lines_that_stick_out_bound_nothing():
    found = arrange(
        [
            *box(0, 0, 10, 10),
            Segment((5, -3), (5, 13), "through"),
            Segment((20, 0), (30, 0), "apart"),
        ]
    )
    assert sorted(found.regions([f])[0].area for f in found.faces) == pytest.approx([50, 50])
    assert found.left_out == ("apart",)


def test_islands_in_lakes():
    found = arrange(
        [*box(0, 0, 100, 100, "a"), *box(10, 10, 90, 90, "b"), *box(20, 20, 80, 80, "c")]
    )
    assert sorted(face.depth for face in found.faces) == [0, 1, 2]
    assert sum(r.area for r in found.regions(found.material())) == pytest.approx(
        100**2 - 80**2 + 60**2
    )


def test_a_name_lasts_when_sizes_change_and_when_a_helper_line_comes():
    def drawn(width: float, *more: Segment):
        return arrange(
            [*box(0, 0, width, 10), Segment((width / 3, 0), (width / 3, 10), "wall"), *more]
        )

    before = drawn(30)
    left = before.at(5, 5)
    assert left is not None
    for width in (12, 31, 400):
        (same,) = drawn(width).named(left.name)
        assert drawn(width).regions([same])[0].area == pytest.approx(width / 3 * 10)
    cut = drawn(30, Segment((0, 4), (30, 4), "shelf"))
    pieces = cut.named(left.name)
    assert sum(cut.regions([p])[0].area for p in pieces) == pytest.approx(100)


@given(st.floats(0.1, 0.9), st.floats(0.1, 0.9), st.floats(0.05, 3.0))
def test_faces_fill_what_lies_around_them(x, y, turned):
    dx, dy = math.cos(turned), math.sin(turned)
    through = Segment(
        (10 * x - 40 * dx, 10 * y - 40 * dy), (10 * x + 40 * dx, 10 * y + 40 * dy), "through"
    )
    assert sum(areas([*box(0, 0, 10, 10), through])) == pytest.approx(100, abs=1e-6)


class TestMovedOutlines:
    @pytest.mark.parametrize("by", [3.0, 0.5, -0.5, -4.0])
    def test_a_box_outwards_and_inwards(self, by):
        loop = Loop(tuple(box(0, 0, 30, 10)), "box")
        (sharp,) = moved_outline(loop, by)
        assert sharp.area == pytest.approx((30 + 2 * by) * (10 + 2 * by))
        (rounded,) = moved_outline(loop, by, round_corners=True)
        expected = 300 + 80 * by + math.pi * by * by if by > 0 else (30 + 2 * by) * (10 + 2 * by)
        assert rounded.area == pytest.approx(expected)

    def test_too_far_inwards_says_so(self):
        with pytest.raises(ValueError, match="too small to be moved inwards by 5"):
            moved_outline(Loop(tuple(box(0, 0, 30, 10)), "box"), -5.0)

    def test_a_short_edge_vanishes(self):
        # A box with a corner cut off by 1 mm: moved in by 4 mm the cut is gone, outwards it stays.
        corners = [(0, 0), (30, 0), (30, 19), (29, 20), (0, 20)]
        names = ("bottom", "right", "cut", "top", "left")
        loop = Loop(
            tuple(Segment(corners[k], corners[(k + 1) % 5], names[k]) for k in range(5)), "plate"
        )
        (inner,) = moved_outline(loop, -4.0)
        assert inner.area == pytest.approx(22 * 12)
        assert "cut" not in {c.name for c in inner.outer.curves}
        (outer,) = moved_outline(loop, 4.0)
        assert "cut" in {c.name for c in outer.outer.curves}

    def test_a_waist_parts_in_two(self):
        corners = [
            (0, 0),
            (20, 0),
            (20, 8),
            (30, 8),
            (30, 0),
            (50, 0),
            (50, 20),
            (30, 20),
            (30, 12),
            (20, 12),
            (20, 20),
            (0, 20),
        ]
        loop = Loop(
            tuple(Segment(corners[k], corners[(k + 1) % 12], f"s{k}") for k in range(12)),
            "dumbbell",
        )
        found = moved_outline(loop, -3.0)
        assert [region.area for region in found] == pytest.approx([14 * 14, 14 * 14])

    def test_names_of_curves_stay(self):
        slot = Loop(
            (
                Segment((0, -5), (20, -5), "lower"),
                EllipticArc((20, 0), 5, 5, -math.pi / 2, math.pi / 2, "right"),
                Segment((20, 5), (0, 5), "upper"),
                EllipticArc((0, 0), 5, 5, math.pi / 2, 3 * math.pi / 2, "left"),
            ),
            "slot",
        )
        for by in (2.0, -2.0):
            (moved,) = moved_outline(slot, by)
            assert {c.name for c in moved.outer.curves} == {"lower", "right", "upper", "left"}
            assert moved.area == pytest.approx(20 * 2 * (5 + by) + math.pi * (5 + by) ** 2)
