"""Sketches with constraints: solved, diagnosed and dragged, against cases worked by hand and made
on purpose."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from schablone.core.sketch.diagnose import conflict, diagnose
from schablone.core.sketch.drag import Drag
from schablone.core.sketch.drawing import Constraint, Dimension, Drawing, Ellipse, Point
from schablone.core.sketch.pen import Pen
from schablone.core.sketch.settled import NotSettled, settle
from schablone.core.sketch.solve import solve
from schablone.core.sketch.system import System, drawing_at


def state(drawing: Drawing, **values: float):
    """The settled drawing and its diagnosis."""
    found = settle(drawing, values, {})
    return found, diagnose(found.system, found.x)


def place(settled, name: str) -> tuple[float, float]:
    return settled.drawing.by_name[name].xy


def rectangle() -> tuple[Pen, list[str]]:
    pen = Pen(Drawing())
    return pen, pen.rectangle((-30, -10), (40, 20))


class TestSolving:
    def test_triangle_of_three_four_and_five_has_an_area_of_six(self):
        pen = Pen(Drawing())
        a, b, c = pen.polyline([(0, 0), (5, 1), (1, 5)], closed=True)
        for line, name in ((a, "three"), (b, "five"), (c, "four")):
            pen.measure("distance", line, formula="1 mm", name=name)
        found, _ = state(pen.drawing, three=3.0, four=4.0, five=5.0)
        corners = np.array([p.xy for p in found.drawing.points])
        (ux, uy), (vx, vy) = corners[1] - corners[0], corners[2] - corners[0]
        assert (ux * vy - uy * vx) / 2 == pytest.approx(6.0, abs=1e-9)

    @pytest.mark.parametrize(
        ("kind", "of", "expected"),
        [
            ("distance", ("a", "b"), 5.0),
            ("across", ("a", "b"), 3.0),
            ("upright", ("a", "b"), 4.0),
            ("distance", ("c", "ab"), 2.4),
            ("angle", ("ab",), math.degrees(math.atan2(4, 3))),
            ("distance", ("ring", "disc"), 5.0 - 2.0 - 1.5),
            ("radius", ("ring",), 2.0),
            ("diameter", ("ring",), 4.0),
            ("arc_length", ("bow",), math.pi / 2 * 3),
        ],
    )
    def test_what_dimensions_read(self, kind, of, expected):
        drawing = Drawing.model_validate(
            {
                "elements": [
                    {"kind": "point", "name": "a", "x": 0, "y": 0},
                    {"kind": "point", "name": "b", "x": 3, "y": 4},
                    {"kind": "point", "name": "c", "x": 3, "y": 0},
                    {"kind": "point", "name": "d", "x": 0, "y": 3},
                    {"kind": "line", "name": "ab", "start": "a", "end": "b"},
                    {"kind": "circle", "name": "ring", "centre": "a", "radius": 2},
                    {"kind": "circle", "name": "disc", "centre": "b", "radius": 1.5},
                    {"kind": "arc", "name": "bow", "centre": "a", "start": "c", "end": "d"},
                ]
            }
        )
        system = System(drawing)
        assert system.read(Dimension(name="x", kind=kind, of=of), system.start) == pytest.approx(
            expected, abs=1e-12
        )

    def test_circle_tangent_to_a_line_keeps_its_distance(self):
        pen = Pen(Drawing())
        line = pen.line("origin", (10, 0))
        pen.hold("horizontal", line)
        circle = pen.circle((4, 3), 2.0)
        pen.hold("tangent", line, circle)
        pen.measure("radius", circle, formula="2 mm", name="r")
        for radius in (0.5, 2.0, 25.0):
            found, _ = state(pen.drawing, r=radius)
            centre = found.drawing.by_name[circle].centre
            assert place(found, centre)[1] == pytest.approx(radius, abs=1e-9)

    def test_two_circles_inside_and_outside_stay_as_drawn(self):
        for at, apart in (((10, 0), 7.0), ((1, 0), 3.0)):
            pen = Pen(Drawing())
            big, small = pen.circle("origin", 5.0), pen.circle(at, 2.0)
            pen.measure("radius", big, formula="5 mm", name="big")
            pen.measure("radius", small, formula="2 mm", name="small")
            pen.hold("tangent", big, small)
            found, _ = state(pen.drawing, big=5.0, small=2.0)
            assert math.hypot(*place(found, found.drawing.by_name[small].centre)) == pytest.approx(
                apart, abs=1e-9
            )

    def test_line_tangent_to_an_ellipse_and_a_point_on_it(self):
        pen = Pen(Drawing())
        centre, vertex = pen.point((0, 0)), pen.point((6, 0))
        line = pen.line((-5, 3.5), (5, 3.7))
        drawing = pen.drawing.with_(
            elements=(
                *pen.drawing.elements,
                Ellipse(name="oval", centre=centre, vertex=vertex, minor=3),
            )
        )
        pen = Pen(drawing)
        on = pen.point((4, 2.5))
        pen.hold("fixed", "oval")
        pen.hold("horizontal", line)
        pen.hold("tangent", line, "oval")
        pen.hold("on", on, "oval")
        found, _ = state(pen.drawing)
        x, y = place(found, on)
        assert (x / 6) ** 2 + (y / 3) ** 2 == pytest.approx(1, abs=1e-9)
        assert place(found, found.drawing.by_name[line].start)[1] == pytest.approx(3, abs=1e-9)

    def test_a_point_on_a_smooth_curve_and_a_tangent_end(self):
        pen = Pen(Drawing())
        curve = pen.spline([(0, 0), (10, 5), (20, 0)])
        on = pen.point((14, 6))
        pen.handle(curve, at_start=True)
        line = pen.line((-10, 2), pen.drawing.by_name[curve].start)
        pen.hold("tangent", line, curve)
        pen.hold("on", on, curve)
        found, _ = state(pen.drawing)
        pieces = np.concatenate([c.points(1e-4) for c in found.curve(curve)])
        assert np.linalg.norm(pieces - np.array(place(found, on)), axis=1).min() < 0.05
        control = found.curve(curve)[0]
        element = found.drawing.by_name[line]
        (ax, ay), (bx, by) = place(found, element.start), place(found, element.end)
        dx, dy = control.first[0] - control.start[0], control.first[1] - control.start[1]
        assert (bx - ax) * dy - (by - ay) * dx == pytest.approx(0, abs=1e-7)

    def test_a_size_swept_never_flips(self):
        """A crank: the far end of a rod of fixed length slides on a line while the crank turns."""
        pen = Pen(Drawing())
        crank = pen.line("origin", (3, 1))
        knee = pen.drawing.by_name[crank].end
        rod = pen.line(knee, (10, 0))
        slide = pen.drawing.by_name[rod].end
        pen.hold("on", slide, "x_axis")
        pen.measure("distance", crank, formula="3 mm", name="throw")
        pen.measure("distance", rod, formula="8 mm", name="rod_length")
        pen.measure("angle", crank, formula="10 deg", name="turned")
        drawing = pen.drawing
        for angle in np.linspace(5, 175, 200):
            found, _ = state(drawing, throw=3.0, rod_length=8.0, turned=float(angle))
            a = math.radians(angle)
            expected = 3 * math.cos(a) + math.sqrt(64 - 9 * math.sin(a) ** 2)
            assert place(found, slide)[0] == pytest.approx(expected, abs=1e-8)
            drawing = found.drawing

    def test_a_large_step_comes_out_as_many_small_ones(self):
        pen = Pen(Drawing())
        a, b, c = pen.polyline([(0, 0), (10, 0), (4, 3)], closed=True)
        pen.hold("fixed", pen.drawing.by_name[a].start)
        pen.hold("horizontal", a)
        for line, name in ((a, "base"), (b, "right"), (c, "left")):
            pen.measure("distance", line, formula="1 mm", name=name)
        far = {"base": 300.0, "right": 200.0, "left": 250.0}
        direct, _ = state(pen.drawing, **far)
        drawing, start = pen.drawing, {"base": 10.0, "right": math.hypot(6, 3), "left": 5.0}
        for share in np.linspace(0, 1, 60):
            found, _ = state(drawing, **{k: start[k] + share * (far[k] - start[k]) for k in far})
            drawing = found.drawing
        for p in direct.drawing.points:
            assert place(direct, p.name) == pytest.approx(place(found, p.name), abs=1e-6)
        apex = place(direct, direct.drawing.by_name[b].end)
        x = (250**2 - 200**2 + 300**2) / 600
        assert apex == pytest.approx((x, math.sqrt(250**2 - x * x)), abs=1e-6)


class TestDiagnosis:
    def test_a_rectangle_loses_its_freedoms_one_by_one(self):
        pen, lines = rectangle()
        assert state(pen.drawing)[1].freedoms == 4  # where it lies, how wide and how high
        pen.measure("distance", lines[0], formula="70 mm", name="width")
        assert state(pen.drawing, width=70.0)[1].freedoms == 3
        pen.measure("distance", lines[1], formula="30 mm", name="height")
        corner = pen.drawing.by_name[lines[0]].start
        pen.hold("on", corner, "x_axis")
        _, found = state(pen.drawing, width=70.0, height=30.0)
        assert found.freedoms == 1
        assert found.directions[corner] == (
            (pytest.approx(1, abs=1e-9), pytest.approx(0, abs=1e-9)),
        )
        assert found.loose >= set(lines)
        pen.hold("on", corner, "y_axis")
        _, found = state(pen.drawing, width=70.0, height=30.0)
        assert (found.freedoms, found.loose, found.redundant) == (0, frozenset(), ())

    def test_said_twice_is_no_conflict_and_conflict_is_not_said_twice(self):
        pen, lines = rectangle()
        pen.measure("distance", lines[0], formula="70 mm", name="width")
        again = pen.hold("parallel", lines[0], lines[2])
        assert state(pen.drawing, width=70.0)[1].redundant == (again,)
        pen.measure("distance", lines[2], formula="60 mm", name="other")
        assert set(conflict(pen.drawing, {"width": 70.0, "other": 60.0}, {})) >= {"width", "other"}
        assert state(pen.drawing, width=70.0, other=70.0)[1].redundant == (again, "other")

    def test_the_conflict_is_the_smallest_and_stands_in_words(self):
        pen, lines = rectangle()
        for k, line in enumerate(lines[:2]):
            pen.measure("distance", line, formula="1 mm", name=f"side_{k}")
        circle = pen.circle((100, 100), 5)
        pen.measure("radius", circle, formula="5 mm", name="r")
        pen.measure("diameter", circle, formula="12 mm", name="d")
        values = {"side_0": 70.0, "side_1": 30.0, "r": 5.0, "d": 12.0}
        assert set(conflict(pen.drawing, values, {})) == {"r", "d"}
        with pytest.raises(NotSettled) as caught:
            settle(pen.drawing, values, {})
        assert "radius of circle 1 is 5 mm" in caught.value.what
        assert "diameter of circle 1 is 12 mm" in caught.value.what
        assert "side" not in caught.value.what

    def test_a_triangle_that_cannot_close(self):
        pen = Pen(Drawing())
        lines = pen.polyline([(0, 0), (10, 0), (5, 5)], closed=True)
        for k, line in enumerate(lines):
            pen.measure("distance", line, formula="1 mm", name=f"s{k}")
        assert set(conflict(pen.drawing, {"s0": 10.0, "s1": 3.0, "s2": 4.0}, {})) == {
            "s0",
            "s1",
            "s2",
        }

    @pytest.mark.parametrize("value", [0.0, -3.0])
    def test_an_impossible_value_is_refused_in_words(self, value):
        pen = Pen(Drawing())
        circle = pen.circle("origin", 4)
        pen.measure("radius", circle, formula="r", name="r")
        with pytest.raises(NotSettled, match="above zero"):
            settle(pen.drawing, {"r": value}, {})

    def test_a_constraint_on_the_wrong_things_says_which(self):
        drawing = Drawing(
            elements=(Point(name="a", x=0, y=0), Point(name="b", x=1, y=0)),
            constraints=(Constraint(name="odd", kind="parallel", of=("a", "b")),),
        )
        with pytest.raises(NotSettled, match="two lines") as caught:
            settle(drawing, {}, {})
        assert caught.value.names == ("odd",)


class TestDragging:
    def test_what_is_settled_stays_and_forth_and_back_is_where_it_was(self):
        pen, lines = rectangle()
        pen.measure("distance", lines[0], formula="70 mm", name="width")
        corner = pen.drawing.by_name[lines[0]].start
        pen.hold("coincident", corner, "origin")
        found, _ = state(pen.drawing, width=70.0)
        top = found.drawing.by_name[lines[2]].start
        drag = Drag(found.system, found.x, [top])
        x = drag.to(25.0, 11.0)
        ix, iy = found.system.xy(top)
        before = place(found, top)
        assert x[iy] == pytest.approx(before[1] + 11, abs=5e-3)
        assert x[ix] == pytest.approx(before[0], abs=1e-3)  # the width holds
        cx, cy = found.system.xy(corner)
        assert (x[cx], x[cy]) == pytest.approx((0, 0), abs=1e-9)
        assert drag.to(0.0, 0.0) == pytest.approx(found.x, abs=5e-3)

    def test_two_links_go_as_far_as_they_reach_and_what_is_apart_stays(self):
        pen, lines = rectangle()
        pen.measure("distance", lines[0], formula="70 mm", name="width")
        upper = pen.line((200, 0), (220, 5))
        elbow, end = pen.drawing.by_name[upper].end, (230.0, -8.0)
        lower = pen.line(elbow, end)
        for link, length in ((upper, "20 mm"), (lower, "15 mm")):
            pen.measure("distance", link, formula=length, name=link + "_long")
        pen.hold("fixed", pen.drawing.by_name[upper].start)
        found, _ = state(pen.drawing, **{"width": 70.0, upper + "_long": 20.0, lower + "_long": 15})
        tip = pen.drawing.by_name[lower].end
        drag = Drag(found.system, found.x, [tip])
        (ax, ay), (tx, ty) = found.system.xy(pen.drawing.by_name[upper].start), found.system.xy(tip)
        rest = [v for line in lines for v in found.system.xy(pen.drawing.by_name[line].start)]
        for way in [(9.0, 3.0), (-60.0, 5.0), (400.0, 300.0), (-35.0, -2.0), (-3.0, 190.0)]:
            x = drag.to(*way)
            assert 5 - 1e-6 <= math.dist((x[ax], x[ay]), (x[tx], x[ty])) <= 35 + 1e-6
            assert x[rest] == pytest.approx(found.x[rest], abs=0)


# Sketches made by building geometry first and reading the rules off it


def slopes_by_differences(system: System, x: np.ndarray) -> np.ndarray:
    """The demands' derivatives, each of length one, worked out by finite differences."""
    numeric = np.zeros((system.rows, len(system.columns)))
    for k, column in enumerate(system.columns):
        step = np.zeros(len(x))
        step[column] = 1e-6 * system.size
        numeric[:, k] = (system.residuals(x + step) - system.residuals(x - step)) / (
            2e-6 * system.size
        )
    norms = np.linalg.norm(numeric, axis=1, keepdims=True)
    return numeric / np.where(norms > 0, norms, 1)


def rank_by_differences(system: System, x: np.ndarray) -> int:
    return int(np.linalg.matrix_rank(slopes_by_differences(system, x), tol=1e-5))


@st.composite
def solvable(draw) -> tuple[Drawing, dict[str, float]]:
    """A chain of lines with circles about its corners, and rules that hold where it lies."""
    number = st.floats(-50, 50).map(lambda v: round(v, 2))
    places = draw(st.lists(st.tuples(number, number), min_size=3, max_size=6, unique=True))
    assume(all(math.dist(a, b) > 8 for a, b in itertools.combinations(places, 2)))
    pen = Pen(Drawing())
    corners = [pen.point(spot) for spot in places]
    lines = [pen.line(a, b) for a, b in itertools.pairwise(corners)]
    circles = [pen.circle(corner, draw(st.floats(1, 20))) for corner in corners[::2]]
    for circle in draw(st.lists(st.sampled_from(circles), max_size=3)):
        element, turned = pen.drawing.by_name[circle], draw(st.floats(0, 6))
        x, y = pen.place(element.centre)
        on = pen.point(
            (x + element.radius * math.cos(turned), y + element.radius * math.sin(turned))
        )
        pen.hold("on", on, circle)
    points = [p.name for p in pen.drawing.points]
    system = System(pen.drawing)
    values: dict[str, float] = {}
    pools = {
        "angle": (lines, 1),
        "radius": (circles, 1),
        "distance": (points, 2),
        "across": (points, 2),
        "upright": (points, 2),
    }
    for kind in draw(st.lists(st.sampled_from(sorted(pools)), min_size=1, max_size=10)):
        pool, count = pools[kind]
        of = tuple(
            draw(st.lists(st.sampled_from(pool), min_size=count, max_size=count, unique=True))
        )
        value = system.read(Dimension(name="x", kind=kind, of=of), system.start)
        # What is nearly nothing may lie on either side after a push, and is then another sketch.
        if 5 < value < (175 if kind == "angle" else 1000) or kind == "radius":
            values[pen.measure(kind, *of, formula="1 mm")] = value
    made = System(pen.drawing)
    # Where demands only just touch (a chain pulled straight) they are solved less sharply, which is
    # another test.
    aside = made.start + np.random.default_rng(0).normal(0, 0.5, len(made.start)) * made.free
    rank = rank_by_differences(made, aside)
    steep = np.linalg.svd(slopes_by_differences(made, made.start), compute_uv=False)
    assume(rank == 0 or steep[rank - 1] > 0.05)
    return pen.drawing, values


@given(solvable(), st.integers(0, 2**32 - 1))
def test_made_sketches_are_solved_after_a_push(made, seed):
    drawing, values = made
    system = System(drawing)
    pushed = (
        system.start + np.random.default_rng(seed).normal(0, 0.3, len(system.start)) * system.free
    )
    found = solve(System(drawing_at(system, pushed)), values)
    assert found.holds
    assert np.abs(found.residuals).max(initial=0.0) <= 1e-9 * system.size


@given(solvable())
def test_freedoms_are_what_finite_differences_say(made):
    drawing, values = made
    found = settle(drawing, values, {})
    system, x = found.system, found.x
    assert diagnose(system, x).freedoms == len(system.columns) - rank_by_differences(system, x)


@given(solvable(), st.data())
def test_saying_it_again_is_always_found(made, data):
    drawing, values = made
    assume(drawing.dimensions)
    first = data.draw(st.sampled_from(drawing.dimensions))
    again = drawing.with_(
        dimensions=(*drawing.dimensions, first.model_copy(update={"name": "again"}))
    )
    found = settle(again, {**values, "again": values[first.name]}, {})
    assert "again" in diagnose(found.system, found.x).redundant
