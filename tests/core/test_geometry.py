"""Outlines, regions, prisms and the kernel's solids, against closed formulas and against each
other."""

import math

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.kernel import occ
from schablone.core.kernel.body import Body
from schablone.core.kernel.figures import NoEffect, NothingLeft
from schablone.core.kernel.flat import flat_outline
from schablone.core.kernel.frame import FRONT, GROUND, SIDE, Frame
from schablone.core.kernel.mesh import Mesh
from schablone.core.kernel.naming import FaceName, speaking_of
from schablone.core.kernel.operations import apply
from schablone.core.kernel.prism import Prism, bore
from schablone.core.layers import Layers
from schablone.core.sketch import OutlinesCross, shapes
from schablone.core.sketch.loops import Loop, offset
from schablone.core.sketch.mapping import Mapping2D
from schablone.core.sketch.regions import polygon_of, regions_of
from tests.conftest import examples


def prism(
    *loops: Loop, low: float = 0.0, high: float = 4.0, step: str = "plate", frame: Frame = GROUND
) -> Prism:
    (region,) = regions_of(loops)
    sides = {
        curve.name: FaceName(step, "side", curve.name) for loop in loops for curve in loop.curves
    }
    return Prism(frame, region, low, high, FaceName(step, "start"), FaceName(step, "end"), sides)


def plate() -> Body:
    return apply(None, "add", [prism(shapes.rectangle("o", 0, 0, 100, 40))]).body


def closed(mesh: Mesh) -> trimesh.Trimesh:
    found = trimesh.Trimesh(mesh.points, mesh.triangles, process=False)
    assert found.is_watertight
    assert found.is_winding_consistent
    # The given corner normals look the way the triangles do.
    assert (np.einsum("ij,ij->i", found.face_normals, mesh.normals.mean(axis=1)) > 0.9).all()
    return found


# Outlines


@pytest.mark.parametrize(
    ("loop", "area", "length"),
    [
        (shapes.rectangle("r", 3, 4, 20, 10, 30), 200, 60),
        (shapes.circle("c", -5, 2, 8), 16 * math.pi, 8 * math.pi),
        (shapes.slot("s", 1, 1, 30, 6, 45), 24 * 6 + 9 * math.pi, 48 + 6 * math.pi),
        (shapes.slot("s", 1, 1, 6, 6), 9 * math.pi, 6 * math.pi),
        (shapes.polyline("p", [(0, 0), (10, 0), (0, 10)]), 50, 20 + math.sqrt(200)),
        (shapes.polyline("p", [(0, 0), (0, 10), (10, 0)]), 50, 20 + math.sqrt(200)),
    ],
)
def test_areas_and_lengths_of_outlines(loop: Loop, area: float, length: float) -> None:
    assert loop.area == pytest.approx(area, rel=1e-12)
    assert loop.length == pytest.approx(length, rel=1e-12)


def test_a_stretched_circle_is_an_ellipse() -> None:
    ellipse = shapes.circle("c", 1, 1, 10).mapped(Mapping2D(a=2.0, d=1.0))
    assert ellipse.area == pytest.approx(math.pi * 10 * 5)
    # Ramanujan's second approximation of the circumference, good to 1e-6 at this shape.
    h = (5 / 15) ** 2
    assert ellipse.length == pytest.approx(
        math.pi * 15 * (1 + 3 * h / (10 + math.sqrt(4 - 3 * h))), rel=1e-6
    )
    with pytest.raises(ValueError, match="along its axes"):
        ellipse.mapped(Mapping2D(0, -1, 1, 0))


@given(st.floats(-2, 5), st.floats(0, 90))
def test_offset_of_outlines(by: float, turn: float) -> None:
    assert offset(shapes.rectangle("r", 1, 2, 20, 10, turn), by).area == pytest.approx(
        (20 + 2 * by) * (10 + 2 * by)
    )
    assert offset(shapes.circle("c", 1, 2, 20), by).area == pytest.approx(math.pi * (10 + by) ** 2)
    grown = offset(shapes.slot("s", 0, 0, 30, 10, turn), by)
    assert grown.area == pytest.approx(20 * (10 + 2 * by) + math.pi * (5 + by) ** 2)
    assert [c.name for c in grown.curves] == ["s.bottom", "s.right", "s.top", "s.left"]


def test_offset_that_would_vanish_is_refused() -> None:
    with pytest.raises(ValueError, match="too small"):
        offset(shapes.rectangle("r", 0, 0, 20, 10), -6)
    with pytest.raises(ValueError, match="too small"):
        offset(shapes.circle("c", 0, 0, 5), -3)


@pytest.mark.parametrize(
    ("make", "says"),
    [
        (lambda: shapes.rectangle("edge", 0, 0, 0, 5), "width of “edge” is 0 mm"),
        (lambda: shapes.circle("c", 0, 0, -3), "diameter of “c” is -3 mm"),
        (lambda: shapes.slot("s", 0, 0, 4, 5), "longer than wide"),
        (lambda: shapes.polyline("p", [(0, 0), (1, 1)]), "three at least"),
        (lambda: shapes.polyline("p", [(0, 0), (1, 1), (2, 2)]), "no area"),
        (lambda: shapes.polyline("p", [(0, 0), (0, 0), (2, 2)]), "fall together"),
    ],
)
def test_impossible_shapes_are_told(make, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        make()


def test_outlines_nest_like_islands_and_lakes() -> None:
    rings = [shapes.circle(f"c{d}", 0, 0, d) for d in (40, 30, 20, 10)]
    regions = regions_of([*rings, shapes.circle("beside", 100, 0, 5)])
    assert [region.outer.name for region in regions] == ["c40", "c20", "beside"]
    assert regions[0].area == pytest.approx(math.pi / 4 * (1600 - 900))
    assert regions[1].holes[0].name == "c10"


def test_outlines_that_cross_are_told() -> None:
    with pytest.raises(OutlinesCross, match="“a” and “b” touch or cross"):
        regions_of([shapes.circle("a", 0, 0, 10), shapes.circle("b", 6, 0, 10)])
    with pytest.raises(OutlinesCross, match="“p” crosses itself"):
        regions_of([shapes.polyline("p", [(0, 0), (10, 10), (10, 0), (1, 9)])])


# Bodies


@examples(15)
@given(st.integers(1, 9), st.floats(2, 6), st.sampled_from([GROUND, FRONT, SIDE]))
def test_holes_in_the_outline_agree_with_the_kernels_boolean(
    count: int, diameter: float, frame: Frame
) -> None:
    base = prism(shapes.rectangle("o", 0, 0, 100, 40), frame=frame)
    tools = [
        prism(
            shapes.circle("h", -40 + 10 * i, 3, diameter), low=-5, high=9, step="hole", frame=frame
        )
        for i in range(count)
    ]
    fast = bore(base, tools)
    assert fast is not None
    slow = occ.combine(occ.solid_of([base]), "cut", tools).figures
    closed_formula = (4000 - count * math.pi / 4 * diameter**2) * 4
    assert fast.volume == pytest.approx(closed_formula, rel=1e-12)
    assert slow.volume == pytest.approx(closed_formula, rel=1e-9)
    assert fast.area == pytest.approx(slow.area, rel=1e-9)
    assert np.allclose(fast.bounds(), slow.bounds, atol=1e-6)
    solid = occ.solid_of([fast])
    assert solid.is_valid()
    assert set(solid.names) == fast.names()


def test_what_does_not_go_through_is_left_to_the_kernel() -> None:
    blind = prism(shapes.circle("h", 0, 0, 8), low=2, high=5, step="hole")
    assert bore(plate().prisms[0], [blind]) is None
    edge = prism(shapes.circle("h", 50, 0, 8), low=-1, high=5, step="hole")
    assert bore(plate().prisms[0], [edge]) is None
    both = [prism(shapes.circle("h", x, 0, 8), low=-1, high=5, step="hole") for x in (0, 6)]
    assert bore(plate().prisms[0], both) is None
    found = apply(plate(), "cut", [blind]).body
    assert not found.prisms
    assert found.figures().volume == pytest.approx(16000 - math.pi * 16 * 2, rel=1e-9)
    assert found.solid().is_valid()


def test_names_come_through_booleans() -> None:
    pocket = prism(shapes.slot("s", 0, 8, 30, 6), low=2, high=9, step="pocket")
    found = apply(plate(), "cut", [pocket]).body
    names = {str(name) for name in found.names()}
    assert names == {
        *(f"plate/side/o.{edge}" for edge in ("left", "right", "top", "bottom")),
        *(f"pocket/side/s.{edge}" for edge in ("left", "right", "top", "bottom")),
        "plate/start",
        "plate/end",
        "pocket/start",
    }
    # A groove that cuts the top in two: both pieces are still the top.
    groove = prism(shapes.rectangle("g", 0, 0, 5, 200), low=3, high=9, step="groove")
    halves = apply(plate(), "cut", [groove]).body.solid()
    assert [str(name) for name in halves.names].count("plate/end") == 2
    assert "unknown" not in {name.step for name in halves.names}


def test_a_hole_keeps_its_name_when_holes_before_it_were_joined() -> None:
    plate = prism(shapes.rectangle("edge", 0, 0, 100, 60), high=5)

    def cut(body: Body, loop: Loop, step: str) -> Body:
        return apply(body, "cut", [prism(loop, low=-1, high=6, step=step)]).body

    body = Body.of([plate])
    for step, x in (("a", -30.0), ("b", -20.0), ("lone", 0.0)):
        body = cut(body, shapes.circle("c", x, 0, 8), step)
    body = cut(body, shapes.rectangle("slit", -25, 0, 10, 2), "join")
    for step, x in (("late", 20.0), ("later", 40.0)):
        body = cut(body, shapes.circle("c", x, 0, 8), step)
    walls = {
        str(body.prisms[0].sides[hole.curves[0].name]): round(hole.bounds()[0] + 4)
        for hole in body.prisms[0].region.holes
        if len(hole.curves) == 1
    }
    assert walls == {"lone/side/c": 0, "late/side/c": 20, "later/side/c": 40}


@given(
    a=st.floats(0, 6.3), dx=st.floats(-300, 300), dy=st.floats(-300, 300), mirrored=st.booleans()
)
def test_an_outline_that_is_moved_has_the_polygon_of_where_it_lies(
    a: float, dx: float, dy: float, mirrored: bool
) -> None:
    turn = Mapping2D(math.cos(a), -math.sin(a), math.sin(a), math.cos(a), dx, dy)
    if mirrored:
        turn = Mapping2D(turn.a, -turn.b, turn.c, -turn.d, dx, dy)
    for loop in (shapes.slot("s", 3, 1, 30, 8, 20), shapes.circle("c", 3, 1, 30)):
        fresh = polygon_of(loop.mapped(turn))  # nothing is kept of the loop yet
        polygon_of(loop)
        kept = loop.mapped(turn)
        assert polygon_of(kept).symmetric_difference(fresh).area < 1e-9
        assert polygon_of(kept.renamed(["n"] * len(kept.curves))) is polygon_of(kept)
        assert kept.mapped(Mapping2D()) is kept


@given(st.lists(st.dictionaries(st.integers(0, 30), st.integers(), max_size=8), max_size=30))
def test_layers_are_a_mapping_that_grows_by_copies(parts: list[dict[int, int]]) -> None:
    whole: dict[int, int] = {}
    layers = Layers[int, int]()
    steps = []
    for part in parts:
        whole = {**whole, **part}
        layers = layers.with_more(part)
        steps.append((layers, whole))
    for found, wanted in steps:
        assert all((key in found) == (key in wanted) for key in range(31))
        assert {key: found[key] for key in wanted} == wanted
        assert list(found.items()) == list(wanted.items())
        assert (list(found), len(found)) == (list(wanted), len(wanted))
        assert found == wanted


@pytest.mark.parametrize("operation", ["add", "cut"])
def test_walls_that_a_round_one_touches_keep_their_names(operation: str) -> None:
    """A post and a bar of one width, or their holes: the walls of the bar are parted where the post
    touches them, and joined again."""
    above = GROUND.lifted(4.0)
    low, high = (0.0, 6.0) if operation == "add" else (-3.0, 0.0)
    body = plate()
    for loop, step in (
        (shapes.circle("c", 10, 5, 8), "post"),
        (shapes.slot("s", 10, 5, 30, 8), "bar"),
    ):
        tool = prism(loop, low=low, high=high, step=step, frame=above)
        body = apply(body, operation, [tool]).body
    names = [str(name) for name in body.solid().names]
    assert {"bar/side/s.top", "bar/side/s.bottom", "bar/side/s.left", "bar/side/s.right"} <= set(
        names
    )
    assert all(name.startswith(("plate/", "post/", "bar/")) for name in names)
    area = 22 * 8 + 16 * math.pi
    wanted = 4000 * 4 + area * (high - low) * (1 if operation == "add" else -1)
    assert body.figures().volume == pytest.approx(wanted, rel=1e-9)


def test_bodies_are_added_to() -> None:
    boss = prism(shapes.circle("b", 10, 0, 20), low=4, high=10, step="boss")
    found = apply(plate(), "add", [boss]).body
    assert found.figures().volume == pytest.approx(16000 + math.pi * 100 * 6, rel=1e-9)
    assert found.solid().is_valid()
    closed(found.mesh())


def test_cuts_that_miss_or_leave_nothing_are_told() -> None:
    with pytest.raises(NoEffect):
        apply(plate(), "cut", [prism(shapes.circle("h", 500, 0, 8), low=-1, high=9)])
    with pytest.raises(NoEffect):
        apply(None, "cut", [prism(shapes.circle("h", 0, 0, 8))])
    with pytest.raises(NothingLeft):
        apply(plate(), "cut", [prism(shapes.rectangle("all", 0, 0, 500, 500), low=-1, high=9)])


@pytest.mark.parametrize("tolerance", [0.1, 0.01, 0.001])
def test_meshes_are_closed_and_come_close_to_the_volume(tolerance: float) -> None:
    holes = [
        prism(shapes.circle("h", x, 0, 9), low=-1, high=9, step="hole") for x in (-30, -15, 0, 15)
    ]
    bored = apply(plate(), "cut", holes).body
    pocketed = apply(
        bored, "cut", [prism(shapes.slot("s", 0, 14, 40, 6), low=1.5, high=9, step="pocket")]
    ).body
    crossed = apply(
        pocketed,
        "cut",
        [prism(shapes.circle("q", 30, 2, 1.5), low=-99, high=99, step="cross", frame=FRONT)],
    ).body
    for body in (bored, pocketed, crossed):
        volume = body.figures().volume
        mesh = closed(body.mesh(tolerance))
        # Chords lie within the tolerance of the walls, so the error is at most tolerance times wall
        # area.
        assert abs(mesh.volume - volume) <= tolerance * body.figures().area
        assert mesh.volume == pytest.approx(body.mesh(tolerance).volume())


def test_stretching_keeps_circles_and_makes_ellipses_where_it_must() -> None:
    factors = (1.01, 1.01, 1.002)
    upright = prism(shapes.circle("c", 5, 5, 10)).stretched(factors)
    lying = prism(shapes.circle("c", 5, 5, 10), frame=FRONT).stretched(factors)
    for found in (upright, lying):
        assert found.volume == pytest.approx(math.pi * 25 * 4 * 1.01**2 * 1.002, rel=1e-12)
        assert occ.solid_of([found]).figures.volume == pytest.approx(found.volume, rel=1e-9)
        closed(Body.of([found]).mesh())
    assert upright.region.outer.curves[0].is_circular
    assert not lying.region.outer.curves[0].is_circular
    leaning = Frame((0, 0, 0), (1, 0, 0), (0, math.sqrt(0.5), math.sqrt(0.5)))
    with pytest.raises(ValueError, match="inclined"):
        prism(shapes.circle("c", 5, 5, 10), frame=leaning).stretched(factors)


def test_the_flat_outline_keeps_arcs() -> None:
    region = prism(shapes.slot("s", 0, 0, 60, 20), shapes.circle("h", 0, 0, 6)).region
    (from_prism,) = flat_outline(
        Body.of([prism(shapes.slot("s", 0, 0, 60, 20), shapes.circle("h", 0, 0, 6))])
    )
    pocketed = apply(
        Body.of([prism(region.outer, *region.holes)]),
        "cut",
        [prism(shapes.circle("p", 20, 0, 4), low=2, high=9, step="p")],
    ).body
    (from_solid,) = flat_outline(pocketed)
    assert from_prism.area == pytest.approx(region.area)
    # The larger face is the one without the pocket.
    assert from_solid.area == pytest.approx(region.area, rel=1e-9)
    assert sum(curve.length for curve in from_solid.outer.curves) == pytest.approx(
        region.outer.length, rel=1e-9
    )


def test_names_of_faces_are_read_as_they_are_written() -> None:
    for name in (
        FaceName("plate", "end"),
        FaceName("row", "wall", "", (3, 1)),
        FaceName("p", "side", "o.left", (2,)),
    ):
        assert FaceName.read(str(name)) == name
    with pytest.raises(ValueError, match="no name of a face"):
        FaceName.read("plate")
    assert FaceName("plate", "end").words() == "far end of plate"
    with speaking_of({("plate", "end"): "top"}):
        assert FaceName("plate", "end").words() == "top of plate"
    assert FaceName("dowel_bore", "wall", "", (2,)).words() == "wall of dowel bore 2"


def test_the_first_member_bears_the_bare_name() -> None:
    bare = FaceName("bore", "wall")
    assert bare.of_member(1) == bare
    assert str(bare.of_member(1)) == "bore/wall"
    assert FaceName.read("bore/wall#1") == bare
    assert bare.of_member(1).exact == "bore/wall#1"
    assert bare.exact == "bore/wall"
    # A row of a row: the first of the third is told from the third of the first.
    inner = [bare.of_member(k) for k in (1, 2, 3)]
    outer = [name.of_member(k) for k in (1, 2, 3) for name in inner]
    assert len(set(outer)) == 9
    assert set(inner) <= set(outer)


def test_frames_measure_and_place() -> None:
    frame = prism(shapes.rectangle("o", 0, 0, 100, 40)).frames()[
        FaceName("plate", "side", "o.right")
    ]
    assert frame.normal == pytest.approx((1, 0, 0))
    assert frame.at(0, 0) == pytest.approx((50, 0, 0))
    assert frame.coordinates(frame.at(3, 2, 1)) == pytest.approx((3, 2, 1))
