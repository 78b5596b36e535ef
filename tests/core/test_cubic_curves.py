"""Cubic curves: area, bounds and gaps in closed form, against fine sampling by other libraries."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad
from scipy.interpolate import BPoly
from shapely.geometry import LineString, Point

from schablone.core.sketch.arrangement import arrange
from schablone.core.sketch.curves import Bezier, Segment
from schablone.core.sketch.loops import Loop

places = st.tuples(st.integers(-400, 400), st.integers(-400, 400)).map(
    lambda p: (p[0] / 8, p[1] / 8)
)
cubics = st.builds(Bezier, places, places, places, places, st.just("c"))


def by_scipy(curve: Bezier) -> BPoly:
    control = np.array([curve.start, curve.first, curve.second, curve.end])
    return BPoly(control[:, None, :], [0.0, 1.0])


@given(cubics)
def test_the_area_below_is_that_of_its_integral(curve: Bezier) -> None:
    path = by_scipy(curve)
    slope = path.derivative()

    def swept(t: float) -> float:
        (x, y), (dx, dy) = path(t), slope(t)
        return (x * dy - y * dx) / 2

    assert curve.area_below() == pytest.approx(quad(swept, 0, 1)[0], rel=1e-9, abs=1e-6)


@given(cubics)
def test_its_box_is_as_large_as_the_curve_and_no_larger(curve: Bezier) -> None:
    path = by_scipy(curve)
    slope = path.derivative()
    ends = [np.array([0.0, 1.0])]
    for axis in (0, 1):
        roots = BPoly(slope.c[:, :, axis], slope.x)
        ends.append(np.roots(np.polyfit((0, 0.5, 1), roots((0, 0.5, 1)), 2)).real)
    t = np.clip(np.concatenate(ends), 0, 1)
    spots = path(np.concatenate([t, np.linspace(0, 1, 201)]))
    low, high = spots.min(axis=0), spots.max(axis=0)
    # The end of the loop is a straight line, which the box of the curve holds already.
    box = Loop((curve, Segment(curve.end, curve.start, "s"))).bounds()
    assert box == pytest.approx((*low, *high), abs=1e-6)


@pytest.mark.parametrize("line", [(0.0, 0.0), (3.0, 1.0)])
def test_a_straight_one_has_no_extremes_but_its_ends(line) -> None:
    (x, y) = line
    thirds = [(x + 9 * k, y + 3 * k) for k in range(4)]
    assert Bezier(*thirds, "s").extremes() == []


@given(
    st.lists(places, min_size=2, max_size=6, unique=True),
    st.tuples(places, places).filter(lambda p: math.dist(*p) > 1),
)
def test_the_nearest_of_all_is_found_beside_a_loose_end(corners, loose) -> None:
    """Boxes that lie farther away than what was found are passed over; nothing else may be."""
    curves = [
        Bezier(a, (a[0] + 5, a[1] + 9), (b[0] - 5, b[1] + 9), b, f"b{k}")
        for k, (a, b) in enumerate(pairwise(corners))
        if math.dist(a, b) > 1
    ]
    drawn = [*curves, Segment(*loose, "loose")]
    try:
        gaps = arrange(drawn).gaps
    except ValueError:
        return  # they lie so close together that nothing can be told
    for gap in gaps:
        if gap.curve != "loose" or not curves:
            continue
        away = [LineString([*c.points(1e-4), c.end]).distance(Point(gap.at)) for c in curves]
        assert gap.away == pytest.approx(min(away), abs=2e-3)
