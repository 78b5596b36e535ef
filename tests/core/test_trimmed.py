"""Faces that are cut off within their parameters, against closed formulas and plain sums."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_NurbsConvert,
    BRepBuilderAPI_Transform,
)
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.Geom import Geom_BSplineSurface, Geom_CylindricalSurface
from OCP.Geom2d import Geom2d_Circle
from OCP.gp import (
    gp_Ax1,
    gp_Ax2,
    gp_Ax3,
    gp_Ax22d,
    gp_Dir,
    gp_Dir2d,
    gp_Pln,
    gp_Pnt,
    gp_Pnt2d,
    gp_Trsf,
    gp_Vec,
)
from OCP.TColgp import TColgp_Array2OfPnt
from OCP.TColStd import TColStd_Array1OfInteger, TColStd_Array1OfReal
from OCP.TopAbs import TopAbs_INTERNAL
from OCP.TopoDS import TopoDS, TopoDS_Face, TopoDS_Shape, TopoDS_Wire
from scipy.integrate import quad
from scipy.interpolate import NdBSpline

from schablone.core.kernel.occ.face_facts import facts_of
from schablone.core.kernel.occ.outlines import drawn_with, wires_of
from schablone.core.kernel.occ.solids import faces_of
from schablone.core.kernel.occ.trimmed import Measured, measured
from tests.conftest import examples

#: A number for each of many points (…, 3) of a surface with the normals there.
Of = Callable[[np.ndarray, np.ndarray], np.ndarray]


def parts_of(shape: TopoDS_Shape) -> list[Measured]:
    found = [measured(TopoDS.Face_s(face)) for face in faces_of(shape)]
    assert None not in found
    return [one for one in found if one is not None]


def whole(shape: TopoDS_Shape) -> tuple[float, float, np.ndarray]:
    """Volume, area and centre of what faces enclose."""
    parts = parts_of(shape)
    volume = sum(one.volume for one in parts)
    moments = np.sum([one.moments for one in parts], axis=0)
    return volume, sum(one.area for one in parts), moments / volume


def put(shape: TopoDS_Shape, turned: float, shift: tuple[float, float, float]) -> TopoDS_Shape:
    turn, move = gp_Trsf(), gp_Trsf()
    turn.SetRotation(gp_Ax1(gp_Pnt(), gp_Dir(1, 2, 3)), turned)
    move.SetTranslation(gp_Vec(*shift))
    return BRepBuilderAPI_Transform(shape, move.Multiplied(turn)).Shape()


def cylinder(radius: float, length: float, along: tuple[float, float, float]) -> TopoDS_Shape:
    base = gp_Pnt(*(-length / 2 * c for c in along))
    return BRepPrimAPI_MakeCylinder(gp_Ax2(base, gp_Dir(*along)), radius, length).Shape()


WHOLE: list[tuple[Callable[[], TopoDS_Shape], float, float]] = [
    (lambda: BRepPrimAPI_MakeBox(2.0, 3.0, 4.0).Shape(), 24.0, 52.0),
    (lambda: cylinder(2, 5, (0, 0, 1)), 20 * math.pi, 28 * math.pi),
    (lambda: BRepPrimAPI_MakeSphere(3.0).Shape(), 36 * math.pi, 36 * math.pi),
    (lambda: BRepPrimAPI_MakeTorus(5.0, 2.0).Shape(), 40 * math.pi**2, 40 * math.pi**2),
    (
        lambda: BRepPrimAPI_MakeCone(1.0, 4.0, 4.0).Shape(),
        math.pi * 4 / 3 * 21,
        math.pi * (1 + 16 + 5 * 5),
    ),
]


@pytest.mark.parametrize(("make", "volume", "area"), WHOLE)
@given(st.floats(0, 6), st.tuples(*[st.floats(-200, 200)] * 3))
@examples(5)
def test_whole_bodies_come_to_their_closed_formulas_wherever_they_lie(
    make: Callable[[], TopoDS_Shape],
    volume: float,
    area: float,
    turned: float,
    shift: tuple[float, float, float],
) -> None:
    got = whole(put(make(), turned, shift))
    assert got[:2] == pytest.approx((volume, area), rel=1e-9)


@given(st.floats(1, 4), st.floats(1.02, 3))
@examples(15)
def test_two_round_bars_across_have_in_common_what_a_single_integral_says(
    small: float, times: float
) -> None:
    large = small * times
    both = BRepAlgoAPI_Common(
        cylinder(small, 20 * large, (1, 0, 0)), cylinder(large, 20 * large, (0, 0, 1))
    ).Shape()

    def depth(y: float) -> float:
        return math.sqrt(max(large * large - y * y, 0.0))

    volume = quad(lambda a: 4 * small**2 * math.cos(a) ** 2 * depth(small * math.sin(a)), -1.5, 1.5)
    rest = quad(
        lambda a: 4 * small**2 * math.cos(a) ** 2 * depth(small * math.sin(a)), 1.5, math.pi / 2
    )
    around = quad(lambda a: 4 * small * depth(small * math.sin(a)), 0, math.pi)
    ends = quad(
        lambda y: 4 * math.sqrt(small**2 - y * y) * large / depth(y), -small, small, limit=200
    )
    got = whole(both)
    assert got[0] == pytest.approx(volume[0] + 2 * rest[0], rel=1e-6)
    assert got[1] == pytest.approx(around[0] + ends[0], rel=1e-6)
    assert got[2] == pytest.approx([0, 0, 0], abs=1e-6 * large)


@given(st.floats(0.2, 2.8), st.tuples(*[st.floats(-50, 50)] * 3))
@examples(10)
def test_a_ring_that_is_cut_beside_its_axis_comes_to_the_sum_of_its_sections(
    at: float, shift: tuple[float, float, float]
) -> None:
    big, tube = 5.0, 2.0
    ring = BRepPrimAPI_MakeTorus(big, tube).Shape()
    away = BRepPrimAPI_MakeBox(gp_Pnt(-20, -20, -20), gp_Pnt(at, 20, 20)).Shape()
    left = BRepAlgoAPI_Cut(ring, away).Shape()

    def section(z: float) -> float:
        """The area beyond the cut at a height: of the outer disc less that of the inner."""
        half = math.sqrt(max(tube * tube - z * z, 0.0))

        def beyond(radius: float) -> float:
            if radius <= at:
                return 0.0
            return radius**2 * math.acos(at / radius) - at * math.sqrt(radius**2 - at * at)

        return beyond(big + half) - beyond(big - half)

    bend = math.sqrt(max(tube**2 - (big - at) ** 2, 0.0))
    volume = quad(section, -tube, tube, points=[-bend, bend], limit=400)[0]
    assert whole(put(left, 1.0, shift))[0] == pytest.approx(volume, rel=1e-6)


def spline(seed: int) -> tuple[Geom_BSplineSurface, NdBSpline]:
    """A wavy surface over the square from 0 to 1, for the kernel and for SciPy."""
    rng = np.random.default_rng(seed)
    m, n, p, q = 7, 6, 3, 2
    x, y = np.meshgrid(np.linspace(0, 30, m), np.linspace(0, 20, n), indexing="ij")
    net = np.stack((x, y, 40 + rng.uniform(-4, 4, (m, n))), -1)
    poles = TColgp_Array2OfPnt(1, m, 1, n)
    for i in range(m):
        for j in range(n):
            poles.SetValue(i + 1, j + 1, gp_Pnt(*net[i, j].tolist()))
    inner = [np.linspace(0, 1, count - degree + 1) for count, degree in ((m, p), (n, q))]
    arrays = []
    for row, degree in zip(inner, (p, q), strict=True):
        values, counts = (TColStd_Array1OfReal(1, len(row)), TColStd_Array1OfInteger(1, len(row)))
        for k, value in enumerate(row.tolist(), 1):
            values.SetValue(k, value)
            counts.SetValue(k, degree + 1 if k in (1, len(row)) else 1)
        arrays.append((values, counts))
    made = Geom_BSplineSurface(poles, arrays[0][0], arrays[1][0], arrays[0][1], arrays[1][1], p, q)
    knots = tuple(
        np.concatenate(([0.0] * d, row, [1.0] * d)) for row, d in zip(inner, (p, q), strict=True)
    )
    return made, NdBSpline(knots, net, (p, q))


def ring_in(surface: Geom_BSplineSurface, at: tuple[float, float], radius: float) -> TopoDS_Wire:
    circle = Geom2d_Circle(gp_Ax22d(gp_Pnt2d(*at), gp_Dir2d(1, 0)), radius)
    return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(circle, surface).Edge()).Wire()


@pytest.mark.parametrize("seed", range(3))
def test_a_disc_with_a_hole_in_a_wavy_surface_comes_to_integrals_over_it(seed: int) -> None:
    surface, known = spline(seed)
    middle, radius, hole, small = (0.45, 0.5), 0.4, (0.55, 0.6), 0.15
    maker = BRepBuilderAPI_MakeFace(surface, ring_in(surface, middle, radius), True)
    maker.Add(TopoDS.Wire_s(ring_in(surface, hole, small).Reversed()))
    got = measured(maker.Face())
    assert got is not None

    def over(f: Of) -> float:
        """The sum over the larger disc less that over the smaller, in rings and rays."""

        def sum_of(around: tuple[float, float], wide: float) -> float:
            nodes, weights = np.polynomial.legendre.leggauss(300)
            r, a = np.meshgrid((nodes + 1) * wide / 2, np.arange(1000) * math.tau / 1000)
            spots = np.stack((around[0] + r * np.cos(a), around[1] + r * np.sin(a)), -1)
            normal = np.cross(known(spots, nu=(1, 0)), known(spots, nu=(0, 1)))
            return (
                float(((f(known(spots), normal) * r) @ weights).sum()) * wide / 2 * math.tau / 1000
            )

        return sum_of(middle, radius) - sum_of(hole, small)

    def size(_: np.ndarray, normal: np.ndarray) -> np.ndarray:
        return np.asarray(np.linalg.norm(normal, axis=-1))

    def flow(point: np.ndarray, normal: np.ndarray) -> np.ndarray:
        return np.asarray((point * normal).sum(-1))

    def at_axis(f: Of, k: int) -> Of:
        return lambda point, normal: f(point, normal) * point[..., k]

    area = over(size)
    assert got.area == pytest.approx(area, rel=1e-6)
    assert got.volume == pytest.approx(over(flow) / 3, rel=1e-6)
    for k in range(3):
        moment, spread = over(at_axis(flow, k)), over(at_axis(size, k))
        assert got.moments[k] == pytest.approx(moment / 4, rel=1e-6)
        assert got.centre[k] == pytest.approx(spread / area, rel=1e-6)
    back = measured(TopoDS.Face_s(maker.Face().Reversed()))
    assert back is not None
    assert back.volume == -got.volume
    assert back.area == got.area


def tube(sides: int, height: float) -> tuple[Geom_BSplineSurface, Callable[[np.ndarray], Two]]:
    """An upright wall over a smooth closed curve around the axis that looks the same after each of
    ``sides`` parts of a turn, u going from 0 to ``sides``; and its places and slopes along u, by
    the plain cubic formula of four control points each."""
    angles = np.arange(sides) * math.tau / sides
    ring = np.stack((20 * np.cos(angles), 20 * np.sin(angles)), -1)
    poles = TColgp_Array2OfPnt(1, sides, 1, 2)
    for i, (x, y) in enumerate(ring.tolist(), 1):
        poles.SetValue(i, 1, gp_Pnt(x, y, 0))
        poles.SetValue(i, 2, gp_Pnt(x, y, height))
    rows = []
    for values, times in ((range(sides + 1), 1), (range(2), 2)):
        knots = TColStd_Array1OfReal(1, len(values))
        counts = TColStd_Array1OfInteger(1, len(values))
        for k, value in enumerate(values, 1):
            knots.SetValue(k, float(value))
            counts.SetValue(k, times)
        rows.append((knots, counts))
    (u, us), (v, vs) = rows
    made = Geom_BSplineSurface(poles, u, v, us, vs, 3, 1, True, False)
    first = next(k for k in range(sides) if _begins_with(made, ring, k))

    def known(at: np.ndarray) -> Two:
        span, t = np.floor(at).astype(int), (at - np.floor(at))[..., None]
        a, b, c, d = (ring[(span + first + k) % sides] for k in range(4))
        value = (
            (1 - t) ** 3 * a + (3 * t**3 - 6 * t**2 + 4) * b
            + (-3 * t**3 + 3 * t**2 + 3 * t + 1) * c + t**3 * d
        ) / 6  # fmt: skip
        slope = (
            -((1 - t) ** 2) * a + (3 * t**2 - 4 * t) * b + (-3 * t**2 + 2 * t + 1) * c + t**2 * d
        ) / 2
        return value, slope

    return made, known


#: Places (…, 2) and slopes (…, 2) in the plane.
Two = tuple[np.ndarray, np.ndarray]


def _begins_with(surface: Geom_BSplineSurface, ring: np.ndarray, k: int) -> bool:
    """Whether the kernel counts its control points from one on."""
    a, b, c = (ring[(k + j) % len(ring)] for j in range(3))
    p = surface.Value(0.0, 0.0)
    return math.dist((p.X(), p.Y()), (a + 4 * b + c) / 6) < 1e-9


@pytest.mark.parametrize(
    ("at", "turn"), [(0.0, 0), (0.3, 0), (0.3, 1), (3.5, -1), (3.5, 0), (6.8, -1), (6.8, 0)]
)
def test_a_disc_anywhere_on_a_wall_without_ends_comes_to_integrals_over_it(
    at: float, turn: int
) -> None:
    """Also where it lies across the beginning, or is drawn a turn before or after."""
    sides, height, radius = 7, 30.0, 0.4
    surface, known = tube(sides, height)
    ring = ring_in(surface, (at + turn * sides, 0.5), radius)
    got = measured(BRepBuilderAPI_MakeFace(surface, ring, True).Face())
    assert got is not None
    nodes, weights = np.polynomial.legendre.leggauss(400)
    u = at + radius * nodes
    tall = 2 * height * np.sqrt(radius**2 - (u - at) ** 2)
    place, slope = known(u)
    step = weights * radius * tall
    outwards = slope[:, 1] * place[:, 0] - slope[:, 0] * place[:, 1]
    assert got.area == pytest.approx(float((np.hypot(*slope.T) * step).sum()), rel=1e-6)
    assert abs(got.volume) == pytest.approx(float((outwards * step).sum()) / 3, rel=1e-6)
    middle = (place * (np.hypot(*slope.T) * step)[:, None]).sum(0) / got.area
    assert got.centre == pytest.approx((*middle.tolist(), height / 2), rel=1e-6)


def test_surfaces_with_weights_are_left_to_the_kernel() -> None:
    ball = BRepBuilderAPI_NurbsConvert(BRepPrimAPI_MakeSphere(3.0).Shape()).Shape()
    face: TopoDS_Face = TopoDS.Face_s(faces_of(ball)[0])
    assert measured(face) is None


def test_a_vertex_in_a_face_where_something_only_touches_it_is_no_outline() -> None:
    """The kernel leaves such vertices where a wire touches a rod."""
    face = TopoDS.Face_s(
        BRepBuilderAPI_MakeFace(gp_Pln(gp_Pnt(0, 0, 2), gp_Dir(0, 0, 1)), 0, 3, 0, 4).Face()
    )
    touched = BRepBuilderAPI_MakeVertex(gp_Pnt(1, 1, 2)).Vertex().Oriented(TopAbs_INTERNAL)
    BRep_Builder().Add(face, touched)
    assert len(wires_of(face)) == 1
    assert facts_of(face).inner == ()
    again = drawn_with(face, wires_of(face))
    for one in (face, again):
        got = measured(one)
        assert got is not None
        assert got.area == pytest.approx(12)
        assert got.volume == pytest.approx(8)


@pytest.mark.parametrize(("turns", "known"), [(0, True), (1, True), (40, False)])
def test_a_face_many_turns_on_is_left_to_the_kernel(turns: int, known: bool) -> None:
    """Gauss's rule needs to know where it is smooth."""
    round_wall = Geom_CylindricalSurface(gp_Ax3(), 2.0)
    spot = Geom2d_Circle(gp_Ax22d(gp_Pnt2d(turns * math.tau + 1, 3), gp_Dir2d(1, 0)), 0.7)
    edge = BRepBuilderAPI_MakeEdge(spot, round_wall).Edge()
    face = BRepBuilderAPI_MakeFace(round_wall, BRepBuilderAPI_MakeWire(edge).Wire(), True).Face()
    got = measured(face)
    assert (got is not None) == known
    area = 2 * math.pi * 0.49
    assert facts_of(face).area == pytest.approx(area, rel=1e-6)
    if got is not None:
        assert got.area == pytest.approx(area, rel=1e-9)
        assert got.centre[2] == pytest.approx(3)
