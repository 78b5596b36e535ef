"""Bosses, blind holes and bores on flat faces, made without a boolean: what comes out is what a
boolean of the kernel makes, and where there is doubt it is the boolean that makes it."""

from __future__ import annotations

import inspect
import math
import sys
from functools import lru_cache

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps

from schablone.core.kernel.frame import Frame, cross
from schablone.core.kernel.motion import Motion
from schablone.core.kernel.naming import FaceName
from schablone.core.kernel.occ.booleans import joined_shapes
from schablone.core.kernel.occ.change import stretched
from schablone.core.kernel.occ.combine import combine, solid_of
from schablone.core.kernel.occ.flat_sections import depth_under
from schablone.core.kernel.occ.meshing import mesh_of
from schablone.core.kernel.occ.seated import seated, shortened
from schablone.core.kernel.occ.solids import Solid
from schablone.core.kernel.occ.tool_shapes import shape_of
from schablone.core.kernel.prism import Prism
from schablone.core.kernel.second import manifold_of, walls_along
from schablone.core.kernel.tools import Placed, Revolved, ToNext, Tool
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.loops import Loop
from schablone.core.sketch.regions import Region

TOP = Frame((0.0, 0.0, 10.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0))
#: Planes on five sides of the block, their normals outwards.
PLANES = {
    "top": TOP,
    "under": Frame((0.0, 0.0, 0.0), (0.0, 1.0, 0.0), (1.0, 0.0, 0.0)),
    "right": Frame((30.0, 0.0, 5.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)),
    "front": Frame((0.0, -20.0, 5.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
    "top, turned": Frame((0.0, 0.0, 10.0), (0.6, 0.8, 0.0), (-0.8, 0.6, 0.0)),
}


def polygon(*corners: tuple[float, float]) -> Region:
    return Region(
        Loop(
            tuple(
                Segment(p, corners[(k + 1) % len(corners)], f"c{k}") for k, p in enumerate(corners)
            )
        )
    )


def rectangle(x: float, y: float, wide: float, deep: float) -> Region:
    a, b = wide / 2, deep / 2
    return polygon((x - a, y - b), (x + a, y - b), (x + a, y + b), (x - a, y + b))


def disc(x: float, y: float, across: float) -> Region:
    return Region(Loop((EllipticArc((x, y), across / 2, across / 2, 0.0, math.tau, "round"),)))


def prism(frame: Frame, region: Region, low: float, high: float, step: str = "tool") -> Prism:
    sides = {
        curve.name: FaceName(step, "side", curve.name)
        for loop in region.loops
        for curve in loop.curves
    }
    return Prism(frame, region, low, high, FaceName(step, "start"), FaceName(step, "end"), sides)


def block() -> Solid:
    """60 × 40 × 10 mm, its middle at the origin, standing on the ground."""
    ground = Frame((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0))
    return solid_of([prism(ground, rectangle(0, 0, 60, 40), 0.0, 10.0, "block")])


def measured(solid: Solid) -> tuple[float, float, tuple[float, float, float]]:
    """Volume, area and centre, from the kernel anew."""
    volume, area = GProp_GProps(), GProp_GProps()
    BRepGProp.VolumeProperties_s(solid.shape, volume)
    BRepGProp.SurfaceProperties_s(solid.shape, area)
    p = volume.CentreOfMass()
    return volume.Mass(), area.Mass(), (p.X(), p.Y(), p.Z())


def same(quick: Solid, slow: Solid) -> None:
    assert quick.is_valid()
    assert quick.is_closed()
    assert quick.touching() is None
    volume, area, centre = measured(slow)
    for found in (measured(quick), (quick.volume, quick.figures.area, quick.figures.centre)):
        assert found[0] == pytest.approx(volume, rel=1e-9)
        assert found[1] == pytest.approx(area, rel=1e-9)
        assert found[2] == pytest.approx(centre, abs=1e-7)
    # What bears a name has the area that the boolean gave it, in however many pieces. Where faces
    # lie in one plane the boolean may give one's name to another, far away from the tool; that is
    # not done here.
    mine, other = by_name(quick), by_name(slow)
    assert other.keys() <= mine.keys()
    if other.keys() == mine.keys():
        for name, size in mine.items():
            assert size == pytest.approx(other[name], rel=1e-7)


def by_name(solid: Solid) -> dict[FaceName, float]:
    """The area of all faces of a name, mm²."""
    found: dict[FaceName, float] = {}
    for face, name in zip(solid.faces(), solid.names, strict=True):
        found[name] = found.get(name, 0.0) + area_of(face)
    return found


def area_of(face: object) -> float:
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, found)
    return found.Mass()


spots = st.tuples(st.integers(-35, 35), st.integers(-22, 22))
shapes = st.one_of(
    st.builds(lambda at, d: disc(*at, d), spots, st.integers(2, 14)),
    st.builds(lambda at, a, b: rectangle(*at, a, b), spots, st.integers(2, 20), st.integers(2, 12)),
    st.builds(
        lambda at, a, b: polygon(at, (at[0] + a, at[1]), (at[0], at[1] + b)),
        spots, st.integers(2, 20), st.integers(2, 12),
    ),
)  # fmt: skip
work = st.tuples(
    st.sampled_from(sorted(PLANES)), shapes, st.sampled_from(["add", "cut"]), st.integers(1, 15)
)


@given(st.lists(work, min_size=1, max_size=5))
@example([("top", disc(0, 0, 8), "add", 6), ("top", disc(0, 0, 3), "cut", 12)])
@example([("top", disc(0, 0, 8), "cut", 4), ("top", rectangle(15, 0, 8, 8), "cut", 4)])
@example([("right", disc(0, 0, 4), "cut", 9), ("top", disc(25, 0, 3), "cut", 3)])
@example([("top", disc(0, 0, 8), "cut", 4), ("top", disc(0, 0, 3), "cut", 10)])
@example([("top", disc(0, 0, 8), "add", 4), ("under", disc(0, 0, 3), "cut", 14)])
def test_what_is_seated_is_what_the_boolean_makes(steps):
    solid = block()
    for number, (plane, region, operation, deep) in enumerate(steps):
        frame, name = PLANES[plane], f"tool{number}"
        sunk = -0.5 * (deep % 3) if operation == "add" else -float(deep)
        low, high = sunk, float(deep) if operation == "add" else 0.5
        tool = prism(frame, region, low, high, name)
        slow = joined_shapes(solid, operation, [shape_of(tool)])
        quick = seated(solid, operation, [tool])
        if quick is not None:
            same(quick, slow)
            solid = quick
        elif not slow.is_empty() and slow.is_valid() and slow.is_closed():
            solid = slow


SIMPLE = {
    "a boss": ("add", prism(TOP, disc(3, 4, 6), 0, 5)),
    "a blind hole": ("cut", prism(TOP, disc(3, 4, 6), -4, 1)),
    "a pocket drawn from below": ("cut", prism(TOP.turned_over(), rectangle(3, 4, 6, 9), -1, 4)),
    "a boss begun within": ("add", prism(TOP, disc(3, 4, 6), -3, 5)),
    "a bore": ("cut", prism(TOP, disc(3, 4, 6), -11, 1)),
    "a bore that ends level": ("cut", prism(TOP, rectangle(3, 4, 6, 9), -10, 0)),
    "a bore along the part": ("cut", prism(PLANES["right"], disc(0, 0, 6), -70, 1)),
    "a boss drawn from its top": ("add", prism(TOP.moved((0, 0, 5)), disc(3, 4, 6), -5, 0)),
    "a post down to the part": (
        "add",
        ToNext(prism(TOP.moved((0.0, 0.0, 7.0)), disc(3, 4, 6), -90, 0)),
    ),
    "a post set elsewhere": (
        "add",
        Placed(
            ToNext(prism(TOP.moved((0.0, 0.0, 7.0)), disc(3, 4, 6), -90, 0)),
            Motion.move((5.0, 0.0, 0.0)),
        ),
    ),
    "a narrowing hole": (
        "cut",
        Revolved(
            Frame((5.0, 0.0, 10.0), (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
            polygon((0, -6), (1, -6), (2, 0), (0, 0)),
            (0.0, 0.0), (0.0, 1.0), 0.0, 360.0,
            FaceName("tool", "a"), FaceName("tool", "b"),
            {f"c{k}": FaceName("tool", f"side{k}") for k in range(4)},
        ),
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", SIMPLE)
def test_ordinary_work_takes_no_boolean(name):
    operation, tool = SIMPLE[name]
    quick = seated(block(), operation, [tool])
    assert quick is not None
    wanted = {
        "a boss": 9 * math.pi * 5,
        "a blind hole": -9 * math.pi * 4,
        "a pocket drawn from below": -6 * 9 * 4,
        "a boss begun within": 9 * math.pi * 5,
        "a bore": -9 * math.pi * 10,
        "a bore that ends level": -6 * 9 * 10,
        "a bore along the part": -9 * math.pi * 60,
        "a boss drawn from its top": 9 * math.pi * 5,
        "a post down to the part": 9 * math.pi * 7,
        "a post set elsewhere": 9 * math.pi * 7,
        "a narrowing hole": -math.pi * 6 / 3 * (1 + 2 + 4),
    }[name]
    assert measured(quick)[0] - 24_000 == pytest.approx(wanted)
    assert quick.volume == pytest.approx(measured(quick)[0], rel=1e-12)
    assert quick.is_valid()


DOUBTFUL: dict[str, tuple[str, list[Tool]]] = {
    "through a bore across its way": (
        "cut",
        [prism(PLANES["right"], disc(0, 0, 2), -61, 1), prism(TOP, disc(0, 0, 6), -11, 1)],
    ),
    "nearly through": ("cut", [prism(TOP, disc(0, 0, 6), -9.9995, 1)]),
    "over an edge": ("cut", [prism(TOP, disc(30, 0, 6), -4, 1)]),
    "up to an edge": ("add", [prism(TOP, disc(27, 0, 6), 0, 4)]),
    "out of the part": ("add", [prism(TOP, disc(50, 0, 6), 0, 4)]),
    "above the part": ("add", [prism(TOP, disc(0, 0, 6), 1, 4)]),
    "begun too high": ("add", [prism(TOP, disc(0, 0, 6), 0.0005, 4)]),
    "two that meet": (
        "add",
        [prism(TOP, disc(0, 0, 6), 0, 4, "a"), prism(TOP, disc(5, 0, 6), 0, 4, "b")],
    ),
    "what is added right through": ("add", [prism(TOP, disc(0, 0, 6), -11, 1)]),
    "two that touch": (
        "cut",
        [prism(TOP, rectangle(0, 0, 6, 6), -3, 4, "a"), prism(TOP, rectangle(6, 0, 6, 6), -3, 4)],
    ),
    "what is common": ("common", [prism(TOP, disc(0, 0, 6), -4, 1)]),
    "a tube": (
        "add",
        [prism(TOP, Region(disc(0, 0, 6).outer, (rectangle(0, 0, 2, 2).outer,)), 0, 4)],
    ),
    "cut that stops at the next face": ("cut", [ToNext(prism(TOP, disc(0, 0, 6), -30, 0))]),
}


@pytest.mark.parametrize("name", DOUBTFUL)
def test_doubtful_work_is_left_to_the_boolean(name):
    operation, tools = DOUBTFUL[name]
    assert seated(block(), operation, tools) is None


def test_a_blind_hole_beside_a_bore_across_its_way_is_left_to_the_boolean():
    bored = joined_shapes(
        block(), "cut", [shape_of(prism(PLANES["front"], disc(0, 0, 4), -40, 1, "bore"))]
    )
    across = prism(TOP, disc(0, 0, 3), -6, 1)
    assert seated(bored, "cut", [across]) is None
    beside = prism(TOP, disc(6, 0, 3), -6, 1)
    assert seated(bored, "cut", [beside]) is not None


def test_many_posts_on_one_face_and_holes_in_them():
    spots = [(x, y) for x in range(-24, 25, 8) for y in range(-16, 17, 8)]
    posts = [prism(TOP, disc(x, y, 6), 0, 5, f"post{k}") for k, (x, y) in enumerate(spots)]
    holes = [
        prism(TOP.moved((0.0, 0.0, 5.0)), disc(x, y, 2.5), -8, 0.5, f"hole{k}")
        for k, (x, y) in enumerate(spots)
    ]
    posted = seated(block(), "add", posts)
    assert posted is not None
    bored = seated(posted, "cut", holes)
    assert bored is not None
    assert bored.is_valid()
    each = math.pi * (9 * 5 - 1.25**2 * 8)
    assert measured(bored)[0] == pytest.approx(24_000 + len(spots) * each, rel=1e-12)


def test_figures_follow_through_more_steps_than_calls_may_stand_in_each_other(
    recursion_limit,
) -> None:
    solid, number = block(), 0
    for y in range(-18, 19, 4):
        for x in range(-28, 29, 2):
            hole = prism(TOP, disc(x, y, 0.5), -1, 1, f"hole{number}")
            found = seated(solid, "cut", [hole])
            assert found is not None
            solid, number = found, number + 1
    boss = seated(solid, "add", [prism(PLANES["right"], disc(0, 0, 2), 0, 7)])
    assert number == 290
    assert boss is not None
    recursion_limit(200)
    figures = boss.figures
    assert figures.bounds == ((-30.0, -20.0, 0.0), (37.0, 20.0, 10.0))
    wall = number * math.pi * 0.5 * 1 + math.pi * 2 * 7
    assert figures.area == pytest.approx(2 * (2400 + 600 + 400) + wall)
    assert figures.volume == pytest.approx(24_000 - number * math.pi / 16 + 7 * math.pi)


@pytest.fixture
def recursion_limit():
    """So many calls more than now may stand in each other, for the length of a test."""
    usual = sys.getrecursionlimit()
    yield lambda more: sys.setrecursionlimit(len(inspect.stack(0)) + more)
    sys.setrecursionlimit(usual)


def test_walls_that_two_solids_share_can_be_meshed_and_stretched():
    boss = prism(TOP, disc(-15, 4, 6), 0, 5)
    _, narrowing = SIMPLE["a narrowing hole"]
    first = seated(block(), "add", [boss])
    assert first is not None
    bored = seated(first, "cut", [narrowing])
    assert bored is not None
    mesh_of(bored, 0.05)  # a cone takes the kernel's own mesher
    second = seated(block(), "add", [boss])
    assert second is not None
    wide = stretched(second, (1.0, 1.0, 1.5))
    assert wide.volume == pytest.approx(1.5 * (24_000 + 45 * math.pi), rel=1e-6)


def test_posts_and_a_wall_between_them_in_one_boolean():
    """The posts' ends are told without a boolean; the wall that crosses them takes one."""
    above = TOP.moved((0.0, 0.0, 7.0))
    posts = [
        ToNext(prism(above, disc(x, 0, 6), -90, 0, f"post{k}")) for k, x in enumerate((-15, 15))
    ]
    wall = prism(TOP, rectangle(0, 0, 30, 2), 0, 7, "wall")
    found = shortened(block(), "add", posts)
    assert all(isinstance(tool, Prism) and (tool.low, tool.high) == (-7, 0) for tool in found)
    whole = combine(block(), "add", [*posts, wall])
    assert whole.is_valid()
    # Half of each end of the wall lies within a post: segments of 2 mm across a circle of 3 mm.
    half = math.asin(1 / 3)
    within = 2 * (3 * math.cos(half) * 1 + 9 * half) / 2
    assert measured(whole)[0] - 24_000 == pytest.approx(7 * (2 * 9 * math.pi + 60 - 2 * within))


def test_what_does_not_end_on_one_flat_face_is_not_shortened():
    above = TOP.moved((0.0, 0.0, 7.0))
    over_the_edge = ToNext(prism(above, disc(30, 0, 6), -90, 0))
    into_nothing = ToNext(prism(above, disc(60, 0, 6), -90, 0))
    upwards = ToNext(prism(TOP, disc(0, 0, 6), 0, 90))
    for tool in (over_the_edge, into_nothing, upwards):
        assert shortened(block(), "add", [tool]) == [tool]
    assert shortened(block(), "cut", [over_the_edge]) == [over_the_edge]


@lru_cache
def drilled() -> Solid:
    """A block with six blind holes from above and a bore across."""
    spots = [(u, v) for u in (-20, 0, 20) for v in (-9, 9)]
    tools = [prism(TOP, disc(u, v, 6), -6.0, 1.0, f"blind {u} {v}") for u, v in spots]
    return combine(block(), "cut", [*tools, prism(PLANES["front"], disc(5, 0, 4), -45.0, 1.0)])


@given(st.floats(-29, 29), st.floats(-19, 19), st.floats(-0.6, 0.6), st.floats(-0.6, 0.6))
def test_the_depth_under_a_place_is_where_a_ray_meets_the_mesh(x, y, a, b):
    """By the rays of another library on the triangles of the part."""
    tools = [
        prism(TOP, disc(u, v, 6), -6.0, 1.0, f"{u} {v}") for u in (-20, 0, 20) for v in (-9, 9)
    ]
    tools.append(prism(PLANES["front"], disc(5, 0, 4), -45.0, 1.0, "across"))
    part = combine(block(), "cut", tools)
    long = math.hypot(1.0, a, b)
    n = (a / long, b / long, 1 / long)
    wide = math.hypot(1.0, a)
    frame = Frame((x, y, 10.0), (1 / wide, 0.0, -a / wide), cross(n, (1 / wide, 0.0, -a / wide)))
    walls = walls_along(manifold_of(mesh_of(part, 0.002)), frame.origin, (-n[0], -n[1], -n[2]), 99)
    found = depth_under(part, frame)
    # A place in an opening begins in the air, and so does a ray that leaves at once.
    met = [wall for wall in walls if wall > 0.01]
    if found > 0.01 and met:
        assert min(abs(found - wall) for wall in met) < 0.02
        assert found < met[0] + 0.02
