"""Curves that touch: hulls, levers, slots, rosettes, rings, against closed areas; areas put
together, against polygons."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
import shapely
from shapely.geometry import Polygon

from schablone.core.design import Design
from schablone.core.design.rebuild import rebuild
from schablone.core.process import LensView, neutral
from schablone.core.prove import findings
from schablone.core.sketch import shapes
from schablone.core.sketch.arrangement import arrange
from schablone.core.sketch.combining import combined
from schablone.core.sketch.curves import Bezier, Curve, EllipticArc, Segment
from schablone.core.sketch.regions import Region

#: How many random sets of sizes each form is tried with, and with how many by ./check --all.
QUICK, ALL = 30, 1000
COUNTS = [pytest.param(QUICK, id="quick"), pytest.param(ALL, id="all", marks=pytest.mark.nightly)]

Spot = tuple[float, float]


def disc(x: float, y: float, r: float, name: str) -> EllipticArc:
    return EllipticArc((x, y), r, r, 0.0, math.tau, name)


def material(curves: list[Curve]) -> tuple[float, int]:
    """The area of all that is not a hole, and in how many regions."""
    plan = arrange(curves)
    regions = plan.regions(plan.material())
    return sum(region.area for region in regions), len(regions)


def tangents(
    a: Spot, r1: float, b: Spot, r2: float, sides: tuple[int, ...] = (1, -1)
) -> list[Segment]:
    """The outer tangents of two circles, from touching point to touching point."""
    d, phi = math.dist(a, b), math.atan2(b[1] - a[1], b[0] - a[0])
    turn = math.acos((r1 - r2) / d)
    found = []
    for side in sides:
        u = (math.cos(phi + side * turn), math.sin(phi + side * turn))
        found.append(
            Segment(
                (a[0] + r1 * u[0], a[1] + r1 * u[1]),
                (b[0] + r2 * u[0], b[1] + r2 * u[1]),
                f"t{side}",
            )
        )
    return found


def polygon(region: Region) -> Polygon:
    return Polygon(region.outer.points(1e-4), [hole.points(1e-4) for hole in region.holes])


def sizes(dice: random.Random) -> float:
    return 10 ** dice.uniform(-1, 3)


@pytest.mark.parametrize("count", COUNTS)
class TestClosedAreas:
    def test_hull_of_two_circles(self, count: int) -> None:
        dice = random.Random(1)
        for k in range(count):
            size = sizes(dice)
            r1, r2 = dice.uniform(0.1, 1) * size, dice.uniform(0.02, 1) * size
            d = abs(r1 - r2) + dice.choice([dice.uniform(0.01, 3), dice.uniform(1e-3, 0.1)]) * size
            turn = dice.choice([0.0, math.pi / 2, math.pi, dice.uniform(0, math.tau)])
            a = (dice.uniform(-5, 5) * size, dice.uniform(-5, 5) * size)
            b = (a[0] + d * math.cos(turn), a[1] + d * math.sin(turn))
            angle = math.acos((r1 - r2) / d)
            area = (
                math.sqrt(d * d - (r1 - r2) ** 2) * (r1 + r2)
                + (math.pi - angle) * r1**2
                + angle * r2**2
            )
            found, regions = material(
                [disc(*a, r1, "a"), disc(*b, r2, "b"), *tangents(a, r1, b, r2)]
            )
            assert (found, regions) == (pytest.approx(area, rel=1e-9), 1), k

    def test_hull_of_three_equal_circles(self, count: int) -> None:
        """A belt: the triangle of the centres, a strip along each side, and one whole circle."""
        dice = random.Random(2)
        for k in range(count):
            size, spots = sizes(dice), []
            while len(spots) < 3:
                spots = [(dice.uniform(-1, 1) * size, dice.uniform(-1, 1) * size) for _ in range(3)]
                (ax, ay), (bx, by), (cx, cy) = spots
                across = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
                sides = [math.dist(spots[i], spots[i - 1]) for i in range(3)]
                if abs(across) < 0.1 * max(sides) ** 2:
                    spots = []
            if across < 0:
                spots.reverse()
            r = dice.uniform(0.05, 1.0) * size
            lines = []
            for i in range(3):
                (line,) = tangents(spots[i], r, spots[(i + 1) % 3], r, (-1,))
                lines.append(Segment(line.start, line.end, f"side{i}"))
            area = abs(across) / 2 + sum(sides) * r + math.pi * r * r
            found, regions = material(
                [*(disc(*p, r, f"c{i}") for i, p in enumerate(spots)), *lines]
            )
            # Where the circles lie far apart the middle between them is enclosed as well.
            assert (found, regions) == (pytest.approx(area, rel=1e-9), 1), k

    def test_slot_of_lines_and_whole_circles(self, count: int) -> None:
        dice = random.Random(3)
        for k in range(count):
            size = sizes(dice)
            long, wide = dice.uniform(0.1, 5) * size, dice.uniform(0.1, 1) * size
            turn = dice.choice([0.0, math.pi / 2, dice.uniform(0, math.tau)])
            c, s = math.cos(turn), math.sin(turn)

            def at(x: float, y: float, c: float = c, s: float = s, size: float = size) -> Spot:
                return (x * c - y * s + 3.3 * size, x * s + y * c - 1.7 * size)

            ends = (-long / 2, long / 2)
            curves: list[Curve] = [disc(*at(x, 0), wide / 2, f"c{x > 0}") for x in ends]
            curves += [
                Segment(at(ends[0], y), at(ends[1], y), f"l{y > 0}") for y in (wide / 2, -wide / 2)
            ]
            assert material(curves) == (
                pytest.approx(long * wide + math.pi * wide**2 / 4, rel=1e-9),
                1,
            ), k

    def test_lever_with_a_touching_guide_circle_is_still_a_lever(self, count: int) -> None:
        """A third circle that only touches one of the tangents from inside is a hole in the
        hull."""
        dice = random.Random(4)
        for k in range(count):
            size = sizes(dice)
            r = dice.uniform(0.3, 1) * size
            long = dice.uniform(3, 6) * r
            small = dice.uniform(0.1, 0.4) * r
            curves = [disc(0, 0, r, "a"), disc(long, 0, r, "b"), *tangents((0, 0), r, (long, 0), r)]
            # Beyond both circles, where their middle does not matter.
            curves.append(disc(long / 2, r - small, small, "guide"))
            plan = arrange(curves)
            whole = sum(plan.area(face) for face in plan.faces)
            assert whole == pytest.approx(2 * long * r + math.pi * r * r, rel=1e-9), k

    def test_rosettes_of_touching_arcs(self, count: int) -> None:
        dice = random.Random(5)
        for k in range(count):
            size, petals = sizes(dice), dice.randint(3, 12)
            turn = dice.uniform(0, 1)
            spots = [
                (
                    size * math.cos(math.tau * i / petals + turn),
                    size * math.sin(math.tau * i / petals + turn),
                )
                for i in range(petals)
            ]
            side = math.dist(spots[0], spots[1])
            arcs: list[Curve] = []
            for i, p in enumerate(spots):
                q = spots[(i + 1) % petals]
                m = ((p[0] + q[0]) / 2, (p[1] + q[1]) / 2)
                t0 = math.atan2(p[1] - m[1], p[0] - m[0])
                arcs.append(EllipticArc(m, side / 2, side / 2, t0, t0 + math.pi, f"a{i}"))
            area = (
                petals / 2 * size**2 * math.sin(math.tau / petals) + petals * math.pi * side**2 / 8
            )
            assert material(arcs) == (pytest.approx(area, rel=1e-9), 1), k
            # Whole circles about the corners touch each other and stay apart.
            ring = [disc(*p, side / 2, f"c{i}") for i, p in enumerate(spots)]
            assert material(ring) == (
                pytest.approx(petals * math.pi * side**2 / 4, rel=1e-9),
                petals,
            ), k

    def test_what_touches_from_inside_is_a_hole(self, count: int) -> None:
        dice = random.Random(6)
        for k in range(count):
            size, share = sizes(dice), dice.uniform(0.05, 0.95)
            turn = dice.choice([0.0, math.pi, dice.uniform(0, math.tau)])
            away = (1 - share) * size
            inner = disc(away * math.cos(turn), away * math.sin(turn), share * size, "i")
            found = material([disc(0, 0, size, "o"), inner])
            assert found == (pytest.approx(math.pi * size**2 * (1 - share**2), rel=1e-9), 1), k
            spots = [(dice.uniform(-1, 1) * size, dice.uniform(-1, 1) * size) for _ in range(3)]
            a, b, c = (math.dist(spots[(i + 1) % 3], spots[(i + 2) % 3]) for i in range(3))
            across = (spots[1][0] - spots[0][0]) * (spots[2][1] - spots[0][1]) - (
                spots[2][0] - spots[0][0]
            ) * (spots[1][1] - spots[0][1])
            r = abs(across) / (a + b + c)
            if r < 0.02 * size:
                continue
            middle = [
                sum(w * p[i] for w, p in zip((a, b, c), spots, strict=True)) / (a + b + c)
                for i in (0, 1)
            ]
            lines = [Segment(spots[i], spots[(i + 1) % 3], f"s{i}") for i in range(3)]
            area = abs(across) / 2 - math.pi * r * r
            assert material([*lines, disc(*middle, r, "c")])[0] == pytest.approx(area, rel=1e-8), k


@pytest.mark.parametrize(
    "count", [pytest.param(25, id="quick"), pytest.param(300, id="all", marks=pytest.mark.nightly)]
)
def test_any_curves_enclose_what_polygons_enclose(count: int) -> None:
    """Lines, circles, arcs and cubic curves thrown together, many at whole numbers so that they
    meet in corners."""
    for seed in range(count):
        dice = random.Random(seed)

        def at(dice: random.Random = dice) -> float:
            return dice.choice([dice.uniform(-10, 10), float(dice.randint(-5, 5)) * 2])

        curves: list[Curve] = []
        for i in range(dice.randint(2, 8)):
            kind = dice.randint(0, 3)
            if kind == 0:
                p, q = (at(), at()), (at(), at())
                if math.dist(p, q) > 0.1:
                    curves.append(Segment(p, q, f"l{i}"))
            elif kind == 1:
                curves.append(
                    disc(at(), at(), dice.choice([2.0, 4.0, dice.uniform(0.5, 6)]), f"c{i}")
                )
            elif kind == 2:
                t0, r = dice.uniform(0, 6), dice.uniform(1, 6)
                curves.append(
                    EllipticArc((at(), at()), r, r, t0, t0 + dice.uniform(-6, 6), f"a{i}")
                )
            else:
                curves.append(
                    Bezier((at(), at()), (at(), at()), (at(), at()), (at(), at()), f"b{i}")
                )
        plan = arrange(curves)
        mine = sum(plan.area(face) for face in plan.faces)
        lines = []
        for curve in curves:
            points = curve.points(1e-3)
            closed = isinstance(curve, EllipticArc) and curve.is_full
            lines.append(
                shapely.LineString(np.array([*points, points[0] if closed else curve.end]))
            )
        polygons = list(shapely.polygonize([shapely.unary_union(lines)]).geoms)
        assert mine == pytest.approx(sum(p.area for p in polygons), abs=0.1), seed
        assert sum(plan.area(f) > 0.05 for f in plan.faces) == sum(
            p.area > 0.05 for p in polygons
        ), seed


@pytest.mark.parametrize(
    "count", [pytest.param(40, id="quick"), pytest.param(600, id="all", marks=pytest.mark.nightly)]
)
def test_areas_put_together_are_those_of_polygons(count: int) -> None:
    dice = random.Random(3)

    def size(low: float, high: float) -> float:
        return dice.choice([dice.uniform(low, high), float(dice.randint(int(low), int(high)))])

    def form(i: int) -> Region:
        x, y = size(-8, 8), size(-8, 8)
        kind = dice.randint(0, 2)
        if kind == 0:
            return Region(
                shapes.rectangle(
                    f"r{i}", x, y, size(2, 9), size(2, 9), dice.choice([0, 90, 45, 17.3])
                )
            )
        if kind == 1:
            return Region(shapes.circle(f"c{i}", x, y, size(1, 9)))
        wide = size(1, 4)
        return Region(shapes.slot(f"s{i}", x, y, wide + size(1, 6), wide, dice.choice([0, 90, 30])))

    for k in range(count):
        base = Region(shapes.rectangle("b", 0, 0, 20, 14))
        tools = [form(i) for i in range(dice.randint(1, 6))]
        body, both = polygon(base), shapely.union_all([polygon(tool) for tool in tools])
        for operation, wanted in (
            ("add", body | both),
            ("cut", body - both),
            ("common", body & both),
        ):
            found = combined([base], operation, tools)
            assert sum(r.area for r in found.regions) == pytest.approx(
                wanted.area, abs=5e-3 * len(tools)
            ), (k, operation)
            names = [
                curve.name
                for region in found.regions
                for loop in region.loops
                for curve in loop.curves
            ]
            assert len(names) == len(set(names)) or len(found.regions) > 1
        met = [bool(polygon(tool).intersection(body).area > 1e-6) for tool in tools]
        assert list(combined([base], "cut", tools).took_part) == met, k


@pytest.mark.parametrize(
    "count", [pytest.param(8, id="quick"), pytest.param(400, id="all", marks=pytest.mark.nightly)]
)
def test_holes_out_of_reach_stay_whatever_comes_apart(count: int) -> None:
    dice = random.Random(11)

    for k in range(count):
        spots = [(20.0 * a - 70, 20.0 * b - 50) for a in range(8) for b in range(6)]
        holes = [
            shapes.circle(f"h{i}", x, y, dice.uniform(2, 12)) for i, (x, y) in enumerate(spots)
        ]
        plate = Region(shapes.rectangle("plate", 0, 0, 170, 130), tuple(holes))
        # A bar as long as the plate divides it; an island stands in one of the holes.
        island = Region(shapes.circle("island", *spots[7], 1.0))
        bar = Region(shapes.rectangle("bar", dice.uniform(-60, 60), 0, 3, 140))
        dot = Region(shapes.circle("dot", dice.uniform(-60, 60), dice.uniform(-40, 40), 9))
        tools = dice.choice([[bar], [dot], [bar, dot]])
        body = polygon(plate) | polygon(island)
        both = shapely.union_all([polygon(tool) for tool in tools])
        for operation, wanted in (("add", body | both), ("cut", body - both)):
            found = combined([plate, island], operation, tools)
            made = shapely.union_all([polygon(region) for region in found.regions])
            assert made.symmetric_difference(wanted).area < 0.2, (k, operation)
            apart = shapely.get_num_geometries(wanted)
            assert len(found.regions) == apart, (k, operation)


def test_ends_that_miss_by_a_hair_are_told() -> None:
    spots = [(0, 0), (30, 0), (30, 20), (0.004, 20)]
    lines: list[Curve] = [Segment(spots[k], spots[k + 1], f"l{k}") for k in range(3)]
    plan = arrange([*lines, Segment((0, 19.99), (0, 0), "l3")])
    assert not plan.faces
    assert plan.gaps[0].away == pytest.approx(math.hypot(0.004, 0.01), rel=1e-6)
    assert {plan.gaps[0].curve, plan.gaps[0].other} == {"l2", "l3"}
    # What is typed with four decimals is near enough.
    joined = arrange(
        [*lines[:2], Segment((30, 20), (1e-6, 20), "l2"), Segment((0, 20), (0, 0), "l3")]
    )
    assert len(joined.faces) == 1


#: Circles of a plate of 40 mm by 30 mm that touch each other or its edge, and where.
TOUCHING = {
    "each other": ([(-5, 0, 5), (5, 0, 5)], "“c0” and “c1” touch at x 0, y 0 mm"),
    "at their starts": ([(0, 5, 5), (0, -5, 5)], "“c0” and “c1” touch at x 0, y 0 mm"),
    "the edge": ([(-10, 0, 10)], "touch at x -20, y 0 mm"),
    "in a row": ([(-10, 0, 5), (0, 0, 5), (10, 0, 5)], "touch at x -5, y 0 mm"),
}


@pytest.mark.parametrize("which", TOUCHING)
def test_holes_of_circles_that_touch_are_outlines_of_their_own(which: str) -> None:
    circles, _ = TOUCHING[which]
    box = shapes.rectangle("edge", 0, 0, 40, 30).curves
    discs = [disc(x, y, r, f"c{k}") for k, (x, y, r) in enumerate(circles)]
    plan = arrange([*box, *discs])
    (region,) = plan.regions(plan.material())
    assert sorted(hole.area for hole in region.holes) == pytest.approx(
        sorted(math.pi * r * r for _, _, r in circles)
    )
    assert region.outer.area == pytest.approx(1200)
    for hole in region.holes:  # each goes on where it left off
        for before, after in zip(hole.curves, (*hole.curves[1:], hole.curves[0]), strict=True):
            assert math.dist(before.end, after.start) < 1e-9


@pytest.mark.parametrize("which", TOUCHING)
@pytest.mark.parametrize("kind", ["extrude", "leaning", "sheet"])
def test_what_would_hang_by_a_line_is_refused_with_its_place(which: str, kind: str) -> None:
    circles, where = TOUCHING[which]
    shapes_of = [
        {"kind": "rectangle", "name": "edge", "width": "40 mm", "height": "30 mm"},
        *(
            {"kind": "circle", "name": f"c{k}", "x": f"{x} mm", "y": f"{y} mm",
             "diameter": f"{2 * r} mm"}
            for k, (x, y, r) in enumerate(circles)
        ),
    ]  # fmt: skip
    steps = {
        "extrude": {"kind": "extrude", "by": "4 mm"},
        "leaning": {"kind": "extrude", "by": "4 mm", "sides": "leaning", "lean": "5 deg"},
        "sheet": {"kind": "sheet", "thickness": "1 mm"},
    }
    design = Design.model_validate(
        {
            "name": "Touching",
            "steps": [
                {"kind": "sketch", "name": "drawn", "shapes": shapes_of},
                {"name": "plate", "sketch": "drawn", **steps[kind]},
            ],
        }
    )
    found = rebuild(design, LensView("wanted", neutral()))
    (problem,) = [p for p in found.problems if p.severity == "error"]
    assert where in problem.what
    assert "only in a point" in problem.what
    assert (problem.name, problem.field) == ("plate", "sketch")
    assert not found.bodies
    assert findings(design, found)
    # A hundredth of a millimetre more to each side, and there is a web.
    for shape in shapes_of[1:]:
        shape["diameter"] = f"{float(shape['diameter'].split()[0]) - 0.02} mm"
    apart = design.model_copy(
        update={"steps": (type(design.steps[0]).model_validate(
            {**design.steps[0].model_dump(), "shapes": shapes_of}), *design.steps[1:])}
    )  # fmt: skip
    assert rebuild(apart, LensView("wanted", neutral())).whole
