"""Meshes are closed and have no triangle without area, by two libraries that know nothing of how
they were made."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
import trimesh
from hypothesis import assume, given
from hypothesis import strategies as st
from manifold3d import Error, Manifold
from manifold3d import Mesh as Net
from shapely.geometry import Polygon

from schablone.core.design import Design, edit, read_design
from schablone.core.design.rebuild import rebuild
from schablone.core.design.treat import as_it_lies
from schablone.core.kernel.mesh import Mesh
from schablone.core.kernel.slices import section
from schablone.core.kernel.triangles import _every_side_once, _without_slivers, triangulate
from schablone.core.process import LensView, Process, neutral, shipped_processes
from schablone.core.process.known import Material
from tests.conftest import DEMOS, TOP, examples
from tests.parts.making import circle, cut, extrude, rectangle, sketch, slot, step


def whole(mesh: Mesh) -> None:
    net = trimesh.Trimesh(mesh.points, mesh.triangles, process=False)
    assert net.is_watertight
    assert net.is_winding_consistent
    assert net.area_faces.min() > 1e-12
    solid = Manifold(
        Net(
            vert_properties=mesh.points.astype(np.float32),
            tri_verts=mesh.triangles.astype(np.uint32),
        )
    )
    assert solid.status() == Error.NoError


@pytest.mark.parametrize("demo", DEMOS)
def test_those_of_every_demo_as_it_is_sent_and_as_it_comes_off(demo: str) -> None:
    design = read_design(TOP / "demo" / f"{demo}.schablone")
    machine = next((p for p in shipped_processes() if p.name == design.process), neutral())
    for lens in ("wanted", "sent", "expected"):
        built = rebuild(design, design.seen(lens, machine, shipped_processes()))
        for body in built.bodies.values():
            whole(body.mesh(0.02))


@given(
    st.lists(
        st.tuples(st.integers(0, 3), st.integers(0, 2), st.integers(0, 2)),
        min_size=1,
        unique_by=lambda t: t[:2],
    )
)
@examples(40)
def test_those_of_plates_with_openings_in_rows(cells: list[tuple[int, int, int]]) -> None:
    """Openings that line up with each other and with the outline, in every way."""
    shapes = [rectangle("edge", "80 mm", "60 mm")]
    for number, (column, row, form) in enumerate(cells):
        at = f"{column * 18 - 27} mm", f"{row * 18 - 18} mm"
        name = f"o{number}"
        shapes.append(
            [
                rectangle(name, "10 mm", "10 mm", *at),
                slot(name, "14 mm", "10 mm", *at),
                circle(name, "10 mm", *at),
            ][form]
        )
    design = Design.model_validate({"steps": [sketch("o", *shapes), extrude("plate", "o", "4 mm")]})
    body = rebuild(design, LensView("wanted", neutral())).bodies["part"]
    whole(body.mesh(0.02))
    whole(body.solid() and body.mesh(0.02))


@given(st.floats(0.6, 30), st.floats(1.2, 12), st.floats(0, 90), st.booleans())
@examples(40)
def test_what_is_sent_encloses_what_round_walls_do(
    hole: float, wide: float, turn: float, by_the_kernel: bool
) -> None:
    """A plate with a round hole, and a slot whose ends are half circles: by closed formulas. Its
    walls straight from the outline, and by the kernel, where a corner is bevelled."""
    shapes = [
        rectangle("edge", "120 mm", "60 mm"),
        circle("hole", f"{hole!r} mm", "-35 mm"),
        {**slot("slot", "30 mm", f"{wide!r} mm", "15 mm"), "turn": f"{turn!r} deg"},
    ]
    steps = [sketch("o", *shapes), extrude("plate", "o", "4 mm")]
    exact = 120 * 60 - np.pi * hole**2 / 4 - ((30 - wide) * wide + np.pi * wide**2 / 4)
    exact *= 4
    if by_the_kernel:
        edge = {"how": "between", "of": ["plate/side/edge.left", "plate/side/edge.bottom"]}
        steps.append(step("chamfer", "corner", edges=[edge], by="3 mm"))
        exact -= 4 * 3 * 3 / 2
    built = rebuild(Design.model_validate({"steps": steps}), LensView("wanted", neutral()))
    assert not built.problems
    body = built.bodies["part"]
    assert bool(body.prisms) != by_the_kernel
    mesh = body.mesh_to_send()
    whole(mesh)
    assert mesh.volume() == pytest.approx(exact, rel=1e-9)


@pytest.mark.parametrize("shrinks", [(0.0, 0.0), (0.4, 0.4), (0.5, 0.2)])
@pytest.mark.parametrize("radius", [0.8, 4.0, 17.0])
@pytest.mark.parametrize("done", ["bevelled below", "rounded above"])
def test_round_walls_stay_so_beside_faces_of_any_kind(
    radius: float, done: str, shrinks: tuple[float, float]
) -> None:
    """A bevel around the hole is a cone; a rounding has the whole part go through the kernel's
    mesher, which puts corners on the wall itself. Across the bed everything may shrink by more than
    upwards, so that surfaces are stretched into other kinds."""
    shapes = [rectangle("edge", "60 mm", "50 mm"), circle("hole", f"{2 * radius} mm")]
    steps = [sketch("o", *shapes), extrude("plate", "o", "5 mm")]
    if done == "rounded above":
        edges = [{"how": "between", "of": ["plate/end", f"plate/side/{side}"]}
                 for side in ("edge.left", "hole")]  # fmt: skip
        steps.append(step("fillet", "soft", edges=edges, radius="0.6 mm"))
    level, upright = shrinks
    squeezed = neutral().with_(
        first_layer=0.3 if done == "bevelled below" else 0.0,
        shrinkage_xy=level,
        shrinkage_z=upright,
    )
    design = Design.model_validate({"steps": steps, "bevel_first_layer": True})
    built = rebuild(design, design.seen("sent", squeezed))
    assert not built.problems
    mesh = built.bodies["part"].mesh_to_send()
    whole(mesh)
    (found,) = section(mesh.points[mesh.triangles], 2.5)
    hole = max((Polygon(ring) for ring in found.interiors), key=lambda one: one.area)
    sent = 2 * radius / (1 - level / 100)
    assert 2 * np.sqrt(hole.area / np.pi) == pytest.approx(sent, abs=1.5e-4)
    if done == "bevelled below":
        # What is squeezed out all around was taken off all around.
        foot = mesh.points[np.abs(mesh.points[:, 2]) < 1e-9]
        assert np.ptp(foot[:, 0]) == pytest.approx(60 / (1 - level / 100) - 2 * 0.3, abs=1e-6)


@given(st.floats(-0.5, 2), st.floats(-0.5, 2), st.sampled_from(["bottom", "top", "left", "back"]))
@examples(12)
def test_figures_of_what_is_stretched_are_those_of_the_solid_that_the_kernel_makes(
    level: float, upright: float, down: str
) -> None:
    """Figures and triangles follow from the part as it is drawn; the solid is made by itself."""
    steps = [
        sketch("o", rectangle("edge", "40 mm", "30 mm"), circle("hole", "7 mm", "6 mm", "4 mm")),
        extrude("plate", "o", "8 mm"),
        step(
            "fillet", "soft", radius="1.5 mm",
            edges=[{"how": "between", "of": ["plate/end", "plate/side/edge.left"]}],
        ),
    ]  # fmt: skip
    machine = neutral().with_(shrinkage_xy=level, shrinkage_z=upright)
    part = {"name": "part", "down": down}
    design = Design.model_validate({"parts": [part], "steps": steps})
    built = rebuild(design, design.seen("sent", machine))
    assert not built.problems
    body = as_it_lies(built.bodies["part"], down)
    said, true = body.figures(), body.solid().figures
    assert said.volume == pytest.approx(true.volume, rel=1e-6)
    assert said.area == pytest.approx(true.area, rel=5e-6)
    assert said.centre == pytest.approx(true.centre, abs=1e-5)
    assert np.array(said.bounds) == pytest.approx(np.array(true.bounds), abs=1e-5)
    mesh = body.mesh_to_send()
    whole(mesh)
    assert np.array(said.bounds) == pytest.approx(
        np.array([mesh.points.min(axis=0), mesh.points.max(axis=0)]), abs=2e-3
    )
    assert mesh.volume() == pytest.approx(said.volume, rel=2e-5)
    assert body.names() == set(body.solid().names)


@given(st.floats(0.001, 0.999), st.floats(3, 30), st.sampled_from(["f4", "f8"]))
@examples(150)
def test_a_level_section_closes_at_any_height(share: float, side: float, digits: str) -> None:
    """Where the plane meets the diagonals of walls is told by both triangles beside alike, in the
    numbers of a file too."""
    shapes = [
        rectangle("edge", "77 mm", "41 mm"),
        rectangle("window", f"{side!r} mm", "6 mm", "12 mm"),
        circle("hole", f"{side / 2!r} mm", "-20 mm", "3 mm"),
    ]
    design = Design.model_validate({"steps": [sketch("o", *shapes), extrude("plate", "o", "4 mm")]})
    mesh = rebuild(design, LensView("wanted", neutral())).bodies["part"].mesh()
    triangles = mesh.points[mesh.triangles].astype(digits).astype(float)
    (found,) = section(triangles, 4 * share)
    assert len(found.interiors) == 2
    area = 77 * 41 - side * 6 - np.pi * side**2 / 16
    assert found.area == pytest.approx(area, rel=1e-3)


def test_so_does_that_of_the_steps_of_a_test_piece() -> None:
    """Its outline was lost at every sixth height: both triangles at an edge worked out the same
    point, each from another end."""
    design = read_design(TOP / "demo" / "printing-coupon.schablone")
    for name, formula in (("long", "120 mm"), ("wide", "70 mm")):
        design = edit.set_formula(design, name, formula)
    mesh = rebuild(design, LensView("sent", neutral())).bodies["coupon"].mesh_to_send()
    triangles = mesh.points[mesh.triangles].astype("f4").astype(float)
    for z in np.linspace(0.0025, 0.2475, 99):
        found = section(triangles, z)
        assert [len(one.interiors) for one in found] == [11], z


def test_a_row_of_equal_windows_is_closed_however_it_is_made() -> None:
    windows = [rectangle(f"w{k}", "8 mm", "6 mm", f"{k * 10 - 20} mm") for k in range(5)]
    steps = [
        sketch("o", rectangle("edge", "60 mm", "20 mm")),
        extrude("plate", "o", "3 mm"),
        sketch("w", *windows),
        cut("away", "w"),
    ]
    leaning = step("extrude", "knob", sketch="k", by="2 mm", sides="leaning", lean="10 deg")
    more = [sketch("k", circle("c", "4 mm", "0 mm", "7 mm"), plane="plate/end"), leaning]
    for all_steps in (steps, [*steps, *more]):
        design = Design.model_validate({"steps": all_steps})
        whole(rebuild(design, LensView("wanted", neutral())).bodies["part"].mesh(0.02))


def test_a_round_wall_that_is_stretched_is_not_left_out() -> None:
    """A hole that lies, where the height shrinks and the width does not: its wall is no cylinder
    any more."""
    block = [sketch("o", rectangle("edge", "60 mm", "30 mm")), extrude("block", "o", "20 mm")]
    bore = step("hole", "bore", face="block/side/edge.bottom", diameter="8 mm", y="10 mm")
    design = Design.model_validate({"steps": [*block, bore]})
    machine = Process(name="P", material=Material(name="stuff", density=1.0), shrinkage_z=1.0)
    built = rebuild(design, design.seen("sent", machine))
    mesh = built.bodies["part"].mesh(0.02)
    whole(mesh)
    assert mesh.volume() == pytest.approx(built.figures["part"].volume, rel=1e-3)


@given(st.integers(3, 9), st.integers(3, 9), st.booleans())
@examples(30)
def test_every_side_of_a_ring_is_a_side_of_one_triangle(
    along: int, across: int, backwards: bool
) -> None:
    """Points in line along the sides of a square, and a square hole whose sides lie in line with
    them."""

    def ring(size: float, count: int) -> np.ndarray:
        corners = np.array([[-1.0, -1], [1, -1], [1, 1], [-1, 1]]) * size
        steps = np.linspace(0, 1, count, endpoint=False)[:, None]
        found = np.concatenate(
            [
                a + (b - a) * steps
                for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True)
            ]
        )
        return found[::-1] if backwards else found

    rings = [ring(10.0, along), ring(4.0, across)]
    triangles = triangulate(rings)
    points = np.concatenate(rings)
    a, b, c = (points[triangles[:, i]] for i in range(3))
    areas = np.cross(b - a, c - a) / 2
    assert areas.min() > 1e-9
    assert areas.sum() == pytest.approx(400 - 64)
    sides = np.sort(
        np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1
    )
    _, counts = np.unique(sides, axis=0, return_counts=True)
    assert (counts == 1).sum() == len(points)
    assert counts.max() == 2


@given(
    st.integers(2, 7), st.integers(2, 7), st.floats(0, math.tau), st.randoms(use_true_random=False)
)
@examples(40)
def test_equal_holes_in_rows_leave_no_triangle_without_area(
    columns: int, rows: int, turn: float, dice: random.Random
) -> None:
    """Sides of many holes lie in one line, so that the plain ways make triangles of three points of
    it."""
    square = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    spots = [(1 + 2 * a, 1 + 2 * b) for a in range(columns) for b in range(rows)]
    holes = [square + np.array(spot) for spot in spots]
    dice.shuffle(holes)
    c, s = math.cos(turn), math.sin(turn)
    basis = np.array([[c, s], [-s, c]]) * 6.993006993006993
    rings = [ring @ basis for ring in (square * (2 * columns + 1, 2 * rows + 1), *holes)]
    points = np.concatenate(rings)
    for found in (triangulate(rings), _without_slivers(points, forward(points, rings))):
        a, b, c3 = (points[found[:, i]] for i in range(3))
        areas = np.cross(b - a, c3 - a) / 2
        assert areas.min() > 1e-6
        whole = (2 * columns + 1) * (2 * rows + 1) - columns * rows
        assert areas.sum() == pytest.approx(whole * 6.993006993006993**2, rel=1e-9)


@given(st.integers(2, 6), st.integers(2, 6), st.booleans(), st.randoms(use_true_random=False))
@examples(60)
def test_holes_in_rows_up_to_the_last_digit_keep_all_triangles_one_way_round(
    columns: int, rows: int, backwards: bool, dice: random.Random
) -> None:
    """What lies in line on paper does so up to the last digit only: a triangle between three such
    points may have an area a little below zero, and must not be turned over for it."""
    square = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])
    spots = [(1 + 2 * a, 1 + 2 * b) for a in range(columns) for b in range(rows)]
    holes = [square + np.array(spot) for spot in spots]
    rings = [7.3 * ring for ring in (square * (2 * columns + 1, 2 * rows + 1), *holes)]
    for ring in rings:
        for k in range(4):
            ring[k] = [math.nextafter(c, dice.choice([-1e9, 1e9])) for c in ring[k]]
    if backwards:
        rings = [ring[::-1] for ring in rings]
    triangles = triangulate(rings)
    sides = [(row[i], row[(i + 1) % 3]) for row in triangles.tolist() for i in range(3)]
    assert len(set(sides)) == len(sides)
    points = np.concatenate(rings)
    a, b, c = (points[triangles[:, i]] for i in range(3))
    assert (np.cross(b - a, c - a) / 2).min() > 1e-6


@given(st.lists(st.tuples(st.floats(-50, 50), st.floats(-50, 50)), min_size=4, max_size=4))
@examples(200)
def test_four_corners_are_filled_as_any_number(corners: list[tuple[float, float]]) -> None:
    """Against shapely's area; corners that cross or all but lie in line are not asked for."""
    ring = np.array(corners)
    area = Polygon(ring)
    assume(area.is_valid and area.area > 1e-3)
    edges = np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1)
    assume(edges.min() > 1e-3)
    triangles = triangulate([ring])
    a, b, c = (ring[triangles[:, i]] for i in range(3))
    areas = np.cross(b - a, c - a) / 2
    assert len(triangles) == 2
    assert areas.min() > -1e-9
    assert areas.sum() == pytest.approx(area.area)


def forward(points: np.ndarray, rings: list[np.ndarray]) -> np.ndarray:
    """Triangles by the way that leaves out no point, counter-clockwise."""
    found = _every_side_once(rings)
    a, b, c = (points[found[:, i]] for i in range(3))
    backwards = np.cross(b - a, c - a) < 0
    found[backwards] = found[backwards][:, ::-1]
    return found
