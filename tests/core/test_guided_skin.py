"""The skin of a carried section: closed, and with the volume that Pappus' theorem gives."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.kernel.frame import Frame
from schablone.core.kernel.guided import Guided, guided
from schablone.core.kernel.guided_skin import skin_of
from schablone.core.kernel.motion import Motion
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.occ.combine import combine, solid_of, solid_of_tool
from schablone.core.kernel.occ.meshing import mesh_of
from schablone.core.kernel.prism import Prism
from schablone.core.kernel.second import manifold_of
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.loops import Loop
from schablone.core.sketch.regions import Region

A_TURN = 16


def circle(radius: float) -> Loop:
    return Loop((EllipticArc((0.0, 0.0), radius, radius, 0.0, math.tau, f"c{radius:g}"),))


def bar(wide: float, high: float) -> Loop:
    corners = [(-wide, -high), (wide, -high), (wide, high), (-wide, high)]
    pairs = zip(corners, corners[1:] + corners[:1], strict=True)
    return Loop(tuple(Segment(a, b, f"s{k}") for k, (a, b) in enumerate(pairs)))


def helix(region: Region, radius: float, rise: float, turns: float, growth: float = 1.0) -> Guided:
    """A section upright in the plane through the axis, growing evenly to ``growth``."""
    angle = np.linspace(0, turns * math.tau, max(7, round(turns * A_TURN) + 1))
    size = np.linspace(1, growth, len(angle))
    closed = rise == 0 and turns == 1
    c, s, none = np.cos(angle), np.sin(angle), np.zeros_like(angle)
    # x outwards, y downwards, so that the section's normal looks along the path.
    rows = np.stack(
        [radius * c, radius * s, rise * angle / math.tau,
         size * c, size * s, none, none, none, -size], axis=1,
    )  # fmt: skip
    sides = {c.name: FaceName("led", c.name) for loop in region.loops for c in loop.curves}
    start, end = FaceName("led", "start"), FaceName("led", "end")
    return guided(region, angle, rows, closed=closed, start=start, end=end, sides=sides)


def volume(tool: Guided, tolerance: float = 0.002) -> float:
    found = manifold_of(skin_of(tool, tolerance))
    assert found is not None, "it is not closed"
    return found.volume()


def test_a_ring_and_a_pipe_are_what_pappus_says() -> None:
    ring = helix(Region(circle(2)), 30, 0, 1)
    assert ring.closed
    assert volume(ring, 1e-3) == pytest.approx(math.pi * 4 * math.tau * 30, rel=1e-3)
    pipe = helix(Region(circle(3), (circle(2),)), 30, 12, 2.5)
    assert volume(pipe, 1e-3) == pytest.approx(math.pi * 5 * 2.5 * math.tau * 30, rel=1e-3)


def test_a_section_that_grows_a_thousandfold_has_a_bound_in_triangles() -> None:
    grown = helix(Region(circle(0.01)), 40, 100, 1, growth=1000)
    assert volume(grown, 1e-6) == pytest.approx(grown.volume, rel=5e-4)
    assert len(skin_of(grown, 1e-6).triangles) < 250_000


@given(
    st.sampled_from(
        [Region(circle(2)), Region(bar(2, 1)), Region(circle(3), (circle(1.5),))]
    ),
    st.floats(12, 60), st.floats(8, 30), st.floats(0.3, 3), st.floats(0.6, 1.3),
)  # fmt: skip
def test_it_is_closed_and_as_large_as_the_tool_says(region, radius, rise, turns, growth) -> None:
    tool = helix(region, radius, rise, turns, growth)
    skin = skin_of(tool, 0.002)
    plain = manifold_of(skin)
    assert plain is not None, "it is not closed"
    assert plain.volume() == pytest.approx(tool.volume, rel=4e-3)
    turned = skin.moved(Motion.turn((1, 2, 3), (0, 0.6, 0.8), 40))
    mirrored = skin.moved(Motion(rows=((-1, 0, 0), (0, 1, 0), (0, 0, 1))))
    for moved in (turned, mirrored):
        found = manifold_of(moved)
        assert found is not None
        assert found.volume() == pytest.approx(plain.volume(), rel=1e-4)


def test_a_section_that_is_stretched_across_is_as_large_as_the_tool_says() -> None:
    """Its second axis is five times as long as the first."""
    upright = helix(Region(circle(2)), 40, 14, 1.2).stretched((1, 1, 5))
    assert volume(upright, 0.005) == pytest.approx(upright.volume, rel=4e-3)


def test_it_lies_where_the_kernel_has_it() -> None:
    """Both meshes have all but the chords in common."""
    tool = helix(Region(circle(2)), 20, 10, 1.4)
    ours = manifold_of(skin_of(tool, 0.002))
    kernels = manifold_of(mesh_of(solid_of_tool(tool), 0.005))
    assert ours is not None
    assert kernels is not None
    shared = (ours ^ kernels).volume()
    assert shared == pytest.approx(tool.volume, rel=4e-3)


@pytest.mark.parametrize(("radius", "rise", "size"), [(20, 6, 2), (14, 9, 3), (9, 2, 1)])
def test_what_stands_out_of_a_plate_is_measured_as_meshes_have_it(radius, rise, size) -> None:
    """Where a helix comes out of a flat face its edge is a spline: what both come to together, by
    another library on triangles of the path's own numbers."""
    tool = helix(Region(circle(size / 2)), radius, rise, 0.4)
    ground = Frame((0.0, 0.0, -5.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0))
    outline = Region(bar(40, 40))
    sides = {curve.name: FaceName("p", curve.name) for curve in outline.outer.curves}
    high = 5.0 + size / 3
    plate = Prism(ground, outline, 0.0, high, FaceName("p", "start"), FaceName("p", "end"), sides)
    found = combine(solid_of([plate]), "add", [tool])
    both = manifold_of(skin_of(tool, 1e-4)) + manifold_of(mesh_of(solid_of([plate]), 0.01))
    stands_out = both.volume() - plate.volume
    assert stands_out > 1
    assert found.volume - plate.volume == pytest.approx(stands_out, rel=5e-4)
