"""Triangles put on faces one by one: closed as trimesh sees it, within chords of what closed
formulas say, and never those of a face as it was before."""

from __future__ import annotations

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from OCP.TopoDS import TopoDS, TopoDS_Face

from schablone.core.kernel.frame import Frame
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.occ import face_nets
from schablone.core.kernel.occ.combine import combine, solid_of_tool
from schablone.core.kernel.occ.face_nets import Net, NotSimple, net_of
from schablone.core.kernel.occ.kept import KeptByShape
from schablone.core.kernel.occ.meshing import mesh_of
from schablone.core.kernel.occ.solids import Solid
from schablone.core.kernel.tools import Revolved
from tests.core.plain_parts import as_solid, box, cut, cylinder
from tests.core.test_seated import PLANES, TOP, block, disc, polygon, prism, rectangle, work

CHORDS = 0.01


def looked_at(solid: Solid, tolerance: float = CHORDS) -> trimesh.Trimesh:
    """The mesh of a solid for another library, closed and wound outwards."""
    mesh = mesh_of(solid, tolerance)
    found = trimesh.Trimesh(mesh.points, mesh.triangles, process=False)
    assert found.is_watertight
    assert found.is_winding_consistent
    # Normals of the faces look the way that their triangles do.
    assert (np.einsum("ij,ij->i", mesh.normals.mean(axis=1), found.face_normals) > 0.9).all()
    slack = tolerance * solid.figures.area + 1e-9
    assert found.volume == pytest.approx(solid.volume, abs=slack)
    return found


def not_simple(solid: Solid) -> list[str]:
    """The faces that go to the general mesher."""
    found = []
    for face, name in zip(solid.faces(), solid.names, strict=True):
        try:
            net_of(TopoDS.Face_s(face), CHORDS)
        except NotSimple:
            found.append(str(name))
    return found


def cone(low: float, high: float, tall: float) -> Revolved:
    """A cone that stands on the top of the block and narrows, or widens, upwards."""
    return Revolved(
        Frame((0.0, 0.0, 10.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
        polygon((0, 0), (low, 0), (high, tall), (0, tall)),
        (0.0, 0.0), (0.0, 1.0), 0.0, 360.0,
        FaceName("cone", "a"), FaceName("cone", "b"),
        {f"c{k}": FaceName("cone", f"side{k}") for k in range(4)},
    )  # fmt: skip


def test_a_post_over_the_edge_of_a_block_has_a_wall_of_two_heights() -> None:
    post = prism(TOP, disc(30, 0, 8), -6, 5, "post")
    solid = combine(block(), "add", [post])
    assert not not_simple(solid)
    found = looked_at(solid, 0.001)
    assert found.volume == pytest.approx(24_000 + math.pi * 16 * (5 + 6 / 2), rel=1e-5)


@pytest.mark.parametrize(("low", "high"), [(6, 3), (3, 6)])
def test_cones_narrow_and_wide_and_with_a_slot_across(low: float, high: float) -> None:
    solid = combine(block(), "add", [cone(low, high, 9)])
    assert not not_simple(solid)
    exact = 24_000 + math.pi * 9 / 3 * (low * low + low * high + high * high)
    assert looked_at(solid, 0.001).volume == pytest.approx(exact, rel=1e-5)
    slot = prism(TOP, rectangle(0, 0, 40, 2), 4, 20, "slot")
    slotted = combine(solid, "cut", [slot])
    assert len(slotted.names) > len(solid.names)
    looked_at(slotted)


def test_a_cone_with_a_tip_is_left_to_the_general_mesher() -> None:
    for part in (360.0, 120.0):
        pointed = Revolved(
            Frame((0.0, 0.0, 10.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
            polygon((0, 0), (6, 0), (0, 9)),
            (0.0, 0.0), (0.0, 1.0), 0.0, part,
            FaceName("cone", "a"), FaceName("cone", "b"),
            {f"c{k}": FaceName("cone", f"side{k}") for k in range(3)},
        )  # fmt: skip
        solid = solid_of_tool(pointed)
        assert len(not_simple(solid)) == 1
        mesh = mesh_of(solid, CHORDS)
        found = trimesh.Trimesh(mesh.points, mesh.triangles, process=False)
        assert found.is_watertight
        assert found.volume == pytest.approx(math.pi * 36 * 3 * part / 360, rel=5e-3)


def test_a_bore_across_a_bore_is_unrolled() -> None:
    solid = as_solid(
        cut(
            cut(box(-20, -20, 0, 40, 40, 30), cylinder((0, 0, -1), (0, 0, 1), 8, 40)),
            cylinder((-25, 0, 15), (1, 0, 0), 3, 50),
        )
    )
    assert not not_simple(solid)
    looked_at(solid)


def test_a_full_wall_without_a_seam_across_its_openings() -> None:
    """Windows all round: the unrolled wall is an area with four holes."""
    ring = cut(cylinder((0, 0, 0), (0, 0, 1), 15, 30), cylinder((0, 0, -1), (0, 0, 1), 12, 40))
    for k in range(4):
        way = (math.cos(0.4 + k * math.pi / 2), math.sin(0.4 + k * math.pi / 2), 0.0)
        ring = cut(ring, cylinder((0, 0, 15), way, 4, 40))
    looked_at(as_solid(ring))


@given(st.lists(work, min_size=1, max_size=4))
def test_what_is_kept_of_a_face_is_not_taken_for_one_that_has_changed(steps) -> None:
    solid = block()
    for number, (plane, region, operation, deep) in enumerate(steps):
        low, high = (0.0, float(deep)) if operation == "add" else (-float(deep), 0.5)
        tool = prism(PLANES[plane], region, low, high, f"tool{number}")
        after = combine(solid, operation, [tool])
        if after.is_empty() or after.touching() is not None or not after.is_valid():
            break
        solid = after
        kept = looked_at(solid)
        face_nets.KEPT.clear()
        assert looked_at(solid).volume == pytest.approx(kept.volume, rel=1e-12)


def test_no_more_is_kept_than_may_be() -> None:
    kept = KeptByShape[Net | None](20_000, face_nets._size_of)

    def net_on(face: TopoDS_Face) -> Net | None:
        return kept.get(face, CHORDS, lambda: net_of(face, CHORDS))

    for k in range(12):
        solid = combine(block(), "cut", [prism(TOP, disc(k, 0, 6), -4, 1)])
        for face in solid.faces():
            face_nets.KEPT.clear()
            net = net_on(TopoDS.Face_s(face))
            face_nets.KEPT.clear()
            assert net is not None
            assert net_on(TopoDS.Face_s(face)) is net
        held = sum(face_nets._size_of(net) for _, net in kept._by.values())
        assert kept.size == held <= 20_000
    # A tool that is turned is meshed as well as any other.
    looked_at(solid_of_tool(cone(4, 2, 6)))
