"""Outlines moved in and out, against what a distance is: a spot belongs to the outcome where it is
within, or near enough."""

from __future__ import annotations

import math
import random
from itertools import pairwise

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from shapely import LinearRing, Polygon, contains_xy

from schablone.core.sketch.arrangement import arrange
from schablone.core.sketch.crossing import Span
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.loops import Loop
from schablone.core.sketch.offsetting import moved_outline
from schablone.core.sketch.settled import settle
from tests.conftest import examples
from tests.core.test_offered_rules import drawn


def ring(loop: Loop) -> LinearRing:
    """Points at even parameters, as close as the test needs them."""
    spots = []
    for curve in loop.curves:
        count = 1 if isinstance(curve, Segment) else 500
        spots += [Span(curve).at(k / count) for k in range(count)]
    return LinearRing(spots)


def covers(regions, x, y) -> np.ndarray:
    found = np.zeros(len(x), bool)
    for one in regions:
        found |= contains_xy(Polygon(ring(one.outer), [ring(hole) for hole in one.holes]), x, y)
    return found


@examples(24)
@given(st.integers(0, 2**32 - 1), st.sampled_from((-6.0, -2.5, -0.4, 0.4, 2.5, 6.0)))
def test_a_moved_outline_is_as_far_away_as_it_says(seed, by) -> None:
    drawing = settle(drawn(random.Random(seed)).drawing, {}, {})
    for face in arrange(drawing.curves()).faces[:4]:
        edge = ring(face.outline)
        low_x, low_y, high_x, high_y = edge.bounds
        dice = np.random.default_rng(seed)
        x = dice.uniform(low_x - abs(by), high_x + abs(by), 3000)
        y = dice.uniform(low_y - abs(by), high_y + abs(by), 3000)
        away, within = (
            shapely.distance(shapely.points(x, y), edge),
            contains_xy(Polygon(edge), x, y),
        )
        wanted = within & (away > -by) if by < 0 else within | (away < by)
        sure = np.abs(away - abs(by)) > 5e-3
        for is_round in (True, False):
            try:
                found = covers(moved_outline(face.outline, by, round_corners=is_round), x, y)
            except ValueError as error:
                assert "too small to be moved inwards" in str(error)
                assert not (wanted & sure).any()
                continue
            # Sharp corners lie farther out, and take away more within.
            if is_round or by < 0:
                assert not (found & ~wanted & sure).any()
            if is_round or by > 0:
                assert not (wanted & ~found & sure).any()


def circle(radius: float) -> Loop:
    return Loop((EllipticArc((1, 2), radius, radius, 0.0, math.tau, "rim"),), "rim")


@pytest.mark.parametrize("by", [3.6, 5.0, 6.9, 7.1])
def test_a_circle_moved_inwards_past_its_middle_is_no_circle(by) -> None:
    with pytest.raises(ValueError, match="too small to be moved inwards"):
        moved_outline(circle(3.5), -by)
    (left,) = moved_outline(circle(3.5), -3.0)
    assert left.outer.area == pytest.approx(math.pi * 0.25)


def test_a_spike_keeps_its_wall_and_is_cut_off_where_that_would_go_on_for_ever() -> None:
    half, long = math.radians(4), 40.0
    wide = long * math.tan(half)
    corners = [(0.0, -wide), (long, 0.0), (0.0, wide)]
    sides = [Segment(p, q, f"s{k}") for k, (p, q) in enumerate(pairwise([*corners, corners[0]]))]
    (grown,) = moved_outline(Loop(tuple(sides), "spike"), 1.0)
    spots = np.array(grown.outer.points(0.01))
    # 1 / sin 4° is 14.3: the tip is cut off square at eight times the distance.
    assert spots[:, 0].max() == pytest.approx(long + 8)
    at_end = spots[np.abs(spots[:, 0] - long - 8) < 1e-9]
    assert np.ptp(at_end[:, 1]) == pytest.approx(2 * (1 / math.cos(half) - 8 * math.tan(half)))
