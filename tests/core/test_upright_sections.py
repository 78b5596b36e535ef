"""Sections of parts whose faces stand upright, told from their edges: the same as the geometry
kernel's own boolean, and as closed formulas."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.gp import gp_Ax1, gp_Dir, gp_Pnt, gp_Trsf

from schablone.core.kernel.frame import Frame
from schablone.core.kernel.occ.flat_sections import section_by_kernel, slabs
from schablone.core.kernel.occ.upright_sections import upright_section
from schablone.core.sketch.arrangement import arrange
from tests.conftest import examples
from tests.core.plain_parts import as_solid, box, cone, cut, cylinder, fuse, rounded, volume


def area_of(curves) -> float:
    """The area of the material that curves go round, mm²."""
    plan = arrange(curves)
    return math.fsum(region.area for region in plan.regions(plan.material()))


def lengths(curves) -> list[float]:
    return sorted(round(curve.length, 6) for curve in curves)


def level(z: float) -> Frame:
    return Frame((0.0, 0.0, z))


PLATE = box(0, 0, 0, 40, 30, 10)


def test_a_plate_with_a_bore_a_pocket_and_a_notch() -> None:
    part = cut(PLATE, cylinder((10, 15, -1), (0, 0, 1), 4, 20))
    part = cut(part, box(20, 10, 6, 10, 10, 10))
    part = cut(part, cylinder((40, 15, -1), (0, 0, 1), 5, 20))
    bored = math.pi * 16 + math.pi * 25 / 2
    for z, wanted in ((3.0, 1200 - bored), (8.0, 1200 - bored - 100)):
        found = upright_section(as_solid(part), level(z))
        assert area_of(found) == pytest.approx(wanted, rel=1e-9)
        assert lengths(found) == lengths(section_by_kernel(as_solid(part), level(z)))


@pytest.mark.parametrize(
    "part",
    [
        cut(PLATE, cylinder((20, -1, 5), (0, 1, 0), 2, 40)),  # a hole that lies
        fuse(PLATE, cone((20, 15, 10), 8, 4, 6)),
        rounded(PLATE, 2, lambda edge: True),
    ],
)
def test_what_leans_is_left_to_the_kernel(part) -> None:
    assert upright_section(as_solid(part), level(5.0)) is None


def test_a_plane_through_a_level_face_is_left_to_the_kernel() -> None:
    part = cut(PLATE, box(20, 10, 6, 10, 10, 10))
    assert upright_section(as_solid(part), level(6.0)) is None


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["bore", "pocket", "post", "slot"]),
            st.floats(-5, 45), st.floats(-5, 35), st.floats(1, 14), st.floats(1, 9),
        ),
        min_size=1, max_size=6,
    ),
    st.floats(0, 3), st.floats(0.3, 0.7),
)  # fmt: skip
@examples(60)
def test_random_parts_come_to_the_same_both_ways(deeds, turn, share) -> None:
    """Turned about the upright axis, so that no wall lies along one."""
    part = PLATE
    for kind, x, y, size, deep in deeds:
        if kind == "bore":
            part = cut(part, cylinder((x, y, -1), (0, 0, 1), size / 2, 30))
        elif kind == "pocket":
            part = cut(part, box(x, y, 10 - deep, size, size, 30))
        elif kind == "post":
            part = fuse(part, cylinder((x, y, 1), (0, 0, 1), size / 2, deep + 9))
        else:
            part = cut(part, box(x, -10, 10 - deep, size / 3, 60, 30))
    way = gp_Trsf()
    way.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1)), turn)
    part = BRepBuilderAPI_Transform(part, way, True).Shape()
    solid = as_solid(part)
    upright = slabs(solid, (0.0, 0.0, 1.0))
    assert sum(prism.volume for prism in upright) == pytest.approx(volume(part), rel=1e-6)
    for prism in upright:
        plane = prism.frame.lifted(prism.low + share * (prism.high - prism.low))
        quick = upright_section(solid, plane)
        assert quick is not None
        slow = section_by_kernel(solid, plane)
        assert math.fsum(c.length for c in quick) == pytest.approx(
            math.fsum(c.length for c in slow), rel=1e-6
        )
        assert {c.name for c in quick} == {c.name for c in slow}
