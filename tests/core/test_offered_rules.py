"""Whatever the drawing panel offers is done to drawings of all kinds of shape; what is said to hold
is measured by plain plane geometry, which shares nothing with the solver."""

from __future__ import annotations

import math
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from schablone.core.design.model import Design
from schablone.core.design.rebuild import rebuild
from schablone.core.process import neutral
from schablone.core.sketch.diagnose import diagnose
from schablone.core.sketch.drawing import Arc, Circle, Dimension, Drawing, Line, Spline
from schablone.core.sketch.offers import offers_for
from schablone.core.sketch.pen import Pen
from schablone.core.sketch.settled import NotSettled, Settled, settle
from schablone.core.steps.extrude import Extrude
from schablone.core.steps.sketch import Sketch
from tests.conftest import examples

SHEET = {
    "origin": (0.0, 0.0),
    "x_axis": ((0.0, 0.0), (1.0, 0.0)),
    "y_axis": ((0.0, 0.0), (0.0, 1.0)),
}


class Ruler:
    """Measures a settled drawing by where its points are."""

    def __init__(self, found: Settled) -> None:
        self.found, self.drawing, self.by_name = found, found.drawing, found.drawing.by_name

    def is_line(self, name: str) -> bool:
        return name.endswith("_axis") or isinstance(self.by_name.get(name), Line)

    def is_point(self, name: str) -> bool:
        return name == "origin" or getattr(self.by_name.get(name), "kind", "") == "point"

    def at(self, name: str) -> np.ndarray:
        return np.array(SHEET.get(name) or self.by_name[name].xy)

    def ends(self, name: str) -> tuple[np.ndarray, np.ndarray]:
        if name in SHEET:
            return np.array(SHEET[name][0]), np.array(SHEET[name][1])
        return self.at(self.by_name[name].start), self.at(self.by_name[name].end)

    def way(self, name: str) -> np.ndarray:
        a, b = self.ends(name)
        return (b - a) / math.dist(a, b)

    def round(self, name: str) -> tuple[np.ndarray, float]:
        one = self.by_name[name]
        centre = self.at(one.centre)
        return centre, one.radius if isinstance(one, Circle) else math.dist(
            centre, self.at(one.end)
        )

    def off_line(self, p: np.ndarray, line: str) -> float:
        (dx, dy), (x, y) = self.way(line), p - self.ends(line)[0]
        return abs(dx * y - dy * x)

    def sweep(self, arc: Arc) -> float:
        (sx, sy), (ex, ey) = (self.at(p) - self.at(arc.centre) for p in (arc.start, arc.end))
        return (math.atan2(ey, ex) - math.atan2(sy, sx)) % math.tau

    def mirrored(self, p: np.ndarray, line: str) -> np.ndarray:
        a, d = self.ends(line)[0], self.way(line)
        return a + 2 * d * ((p - a) @ d) - (p - a)

    def far_from_curve(self, p: np.ndarray, name: str) -> float:
        from scipy.optimize import minimize_scalar

        pieces = self.found.curve(name)
        return min(
            minimize_scalar(
                lambda t, c=c: math.dist(c.point_at(t), p),
                bounds=(k / 20, (k + 1) / 20),
                method="bounded",
                options={"xatol": 1e-12},
            ).fun
            for c in pieces
            for k in range(20)
        )

    def amiss(self, kind: str, of: tuple[str, ...], value: float) -> float:
        """By how much a constraint or dimension does not hold, mm."""
        pair = self.ends(of[0]) if len(of) == 1 and self.is_line(of[0]) else None
        if pair is None and all(map(self.is_point, of[:2])) and len(of) > 1:
            pair = self.at(of[0]), self.at(of[1])
        match kind:
            case "horizontal" | "across" | "vertical" | "upright" if pair:
                axis = 0 if kind in ("vertical", "across") else 1
                return abs(abs(pair[0][axis] - pair[1][axis]) - value)
            case "coincident" if pair:
                return math.dist(*pair)
            case "on":
                return self._off(self.at(of[0]), of[1])
            case "parallel" | "perpendicular" | "angle" | "collinear" | "at_30" | "at_45" | "at_60":
                return self._turned(kind, of, value)
            case "concentric":
                a, b = (self.at(n) if self.is_point(n) else self.round(n)[0] for n in of)
                return math.dist(a, b)
            case "equal":
                a, b = (
                    math.dist(*self.ends(n)) if self.is_line(n) else self.round(n)[1] for n in of
                )
                return abs(a - b)
            case "midpoint":
                a, b = self.ends(of[1]) if len(of) == 2 else (self.at(of[1]), self.at(of[2]))
                return math.dist(self.at(of[0]), (a + b) / 2)
            case "symmetric":
                return self._unlike(of)
            case "tangent":
                return self._gap(of, 0.0)
            case "radius" | "diameter":
                return abs(self.round(of[0])[1] * (1 if kind == "radius" else 2) - value)
            case "arc_length":
                return abs(self.sweep(self.by_name[of[0]]) * self.round(of[0])[1] - value)
            case "distance":
                return abs(math.dist(*pair) - value) if pair else self._gap(of, value)
        return 0.0  # what stays where it is

    def _off(self, p: np.ndarray, curve: str) -> float:
        if self.is_line(curve):
            return self.off_line(p, curve)
        if isinstance(self.by_name[curve], Spline):
            return self.far_from_curve(p, curve)
        centre, radius = self.round(curve)
        return abs(math.dist(centre, p) - radius)

    def _turned(self, kind: str, of: tuple[str, ...], value: float) -> float:
        (ax, ay), (bx, by) = self.way(of[0]), self.way(of[1] if len(of) > 1 else "x_axis")
        angle = math.degrees(math.atan2(ax * by - ay * bx, ax * bx + ay * by)) % 180
        wanted = {"perpendicular": 90.0, "angle": value}.get(
            kind, float(kind[3:]) if "at_" in kind else 0.0
        )
        turned = min(abs(math.remainder(angle - way * wanted, 180)) for way in (1, -1))
        beside = self.off_line(self.ends(of[1])[0], of[0]) if kind == "collinear" else 0.0
        return math.radians(turned) + beside

    def _unlike(self, of: tuple[str, ...]) -> float:
        first, second, about = of
        if self.is_point(about):
            return math.dist((self.at(first) + self.at(second)) / 2, self.at(about))
        if self.is_line(first):
            return sum(self.off_line(self.mirrored(p, about), second) for p in self.ends(first))
        if self.is_point(first):
            return math.dist(self.mirrored(self.at(first), about), self.at(second))
        (a, r), (b, s) = self.round(first), self.round(second)
        return math.dist(self.mirrored(a, about), b) + abs(r - s)

    def _gap(self, of: tuple[str, ...], value: float) -> float:
        """Of two of which at least one is a line or round, from edge to edge."""
        first, second = sorted(of, key=lambda n: (self.is_line(n), not self.is_point(n)))
        if self.is_line(first):
            return max(abs(self.off_line(p, second) - value) for p in self.ends(first))
        a, r = (self.at(first), 0.0) if self.is_point(first) else self.round(first)
        if self.is_line(second):
            return abs(self.off_line(a, second) - r - value)
        b, s = self.round(second)
        d = math.dist(a, b)
        return min(abs(d - r - s - value), abs(abs(abs(r - s) - d) - value))


def drawn(dice: random.Random) -> Pen:
    """Two to four shapes anywhere on the sheet."""
    pen = Pen(Drawing())
    for kind in dice.choices(
        ("line", "rectangle", "circle", "arc", "slot", "polygon", "spline"), k=dice.randint(2, 4)
    ):
        a = dice.uniform(-60, 60), dice.uniform(-60, 60)
        b = tuple(v + dice.choice((-1, 1)) * dice.uniform(8, 40) for v in a)
        match kind:
            case "circle":
                pen.circle(a, dice.uniform(3, 20))
            case "arc":
                pen.arc_through(a, b, (a[0] + 3.0, b[1] - 2.0))
            case "slot":
                pen.slot(a, b, dice.uniform(2, 6))
            case "polygon":
                pen.polygon(a, b, dice.randint(3, 7))
            case "spline":
                pen.spline([a, b, (b[0] + 15, a[1] - 9)])
            case _:
                getattr(pen, kind)(a, b)
    return pen


@examples(24)
@given(st.integers(0, 2**32 - 1))
def test_what_is_said_to_hold_holds(seed) -> None:
    dice = random.Random(seed)
    found, values = settle(drawn(dice).drawing, {}, {}), {}
    for _ in range(8):
        names = [*found.drawing.by_name, *SHEET]
        offers = offers_for(found.drawing, dice.sample(names, dice.choice((1, 2, 2, 3))))
        if not offers:
            continue
        offer, pen, asked = dice.choice(offers), Pen(found.drawing), dict(values)
        if offer.measures:
            draft = Dimension(name="draft", kind=offer.kind, of=offer.of)
            value = round(found.system.would_start_at(draft, found.x) * dice.uniform(0.8, 1.2), 1)
            if value <= 0.3:
                continue
            asked[pen.measure(offer.kind, *offer.of, formula="1 mm")] = value
        else:
            pen.hold(offer.kind, *offer.of)
        try:
            then = settle(pen.drawing, asked, {})
        except NotSettled:
            continue
        ruler = Ruler(then)
        for rule in then.drawing.rules:
            off = ruler.amiss(rule.kind, rule.of, asked.get(rule.name, 0.0))
            assert off < 2e-5, (offer, rule)
        for arc in (one for one in then.drawing.curves if isinstance(one, Arc)):
            assert 1e-6 < ruler.sweep(arc) < math.tau - 1e-6
        before, after = (diagnose(one.system, one.x).freedoms for one in (found, then))
        assert after <= before or diagnose(then.system, then.x).redundant
        found, values = then, asked


def test_a_circle_does_not_pass_through_nothing() -> None:
    # The centre can only go along the axis: to be 1 mm off it the circle would have to be smaller
    # than nothing.
    pen = Pen(Drawing())
    ring = pen.circle((5, 0.2), 3)
    centre = pen.drawing.by_name[ring].centre
    pen.measure("distance", centre, "x_axis", formula="0.2 mm", name="up")
    pen.measure("distance", ring, "x_axis", formula="1 mm", name="clear")
    with pytest.raises(
        NotSettled, match=r"nothing would be left of circle 1: these cannot hold"
    ) as no:
        settle(pen.drawing, {"up": 0.2, "clear": 1.0}, {})
    assert set(no.value.names) == {"up", "clear"}


def test_a_line_without_length_is_parallel_to_nothing() -> None:
    pen = Pen(Drawing())
    a, b = pen.point((0, 9)), pen.point((-20, 40))
    line, aside = pen.line(a, b), pen.point((7, -60))
    pen.hold("fixed", aside)
    pen.hold("collinear", "x_axis", line)
    pen.measure("distance", aside, line, formula="50 mm", name="off")
    with pytest.raises(NotSettled, match="cannot hold together"):
        settle(pen.drawing, {"off": 50.0}, {})
    settle(pen.drawing, {"off": 60.0}, {})


def test_the_ends_of_an_arc_do_not_pass_each_other() -> None:
    pen = Pen(Drawing())
    arc = pen.arc_through((10, 0), (10, 4), (11, 2))
    one = pen.drawing.by_name[arc]
    pen.hold("fixed", one.start)
    pen.measure("upright", "origin", one.end, formula="4 mm", name="high")
    pen.hold("vertical", one.start, one.end)
    for high in (0.5, 40.0):
        assert 0.01 < Ruler(settle(pen.drawing, {"high": high}, {})).sweep(one) < 5
    with pytest.raises(NotSettled, match="the ends of arc 1 would meet or pass"):
        settle(pen.drawing, {"high": 0.0}, {})


def test_a_shape_goes_as_a_whole_where_it_would_be_torn_apart() -> None:
    pen = Pen(Drawing())
    slot = pen.slot((-0.6, -26.2), (18.2, -49.2), 5.8)
    far = next(pen.drawing.by_name[name].end for name in slot if name.startswith("arc_2"))
    pen.hold("vertical", "origin", far)
    found = settle(pen.drawing, {}, {})
    assert Ruler(found).at(far)[0] == pytest.approx(0, abs=1e-9)
    lengths = [math.dist(*Ruler(found).ends(name)) for name in slot if name.startswith("line")]
    assert min(lengths) > 10


def test_a_point_on_a_curve_is_not_beyond_its_end() -> None:
    pen = Pen(Drawing())
    curve = pen.spline([(0, 0), (20, 10), (40, 0)])
    for through in pen.drawing.by_name[curve].points:
        pen.hold("fixed", through)
    point = pen.point((30, 12))
    pen.hold("on", point, curve)
    pen.measure("across", "origin", point, formula="30 mm", name="out")
    there = Ruler(settle(pen.drawing, {"out": 39.0}, {}))
    assert there.far_from_curve(there.at(point), curve) < 1e-6
    with pytest.raises(NotSettled, match="cannot hold together"):
        settle(pen.drawing, {"out": 44.0}, {})
    # What holds is not moved by being looked at again, even at an end.
    ended = settle(pen.drawing, {"out": 40.0}, {})
    again = settle(ended.drawing, {"out": 40.0}, {})
    before, after = (np.array([p.xy for p in one.drawing.points]) for one in (ended, again))
    assert np.abs(after - before).max() < 1e-8


def test_what_is_drawn_with_no_size_is_told_and_can_be_given_one() -> None:
    for draw in (
        lambda pen: pen.ellipse((3, 2), (3, 2), 1.0),
        lambda pen: pen.circle((3, 2), 0.0),
        lambda pen: pen.arc((3, 2), (3, 2), (3, 2)),
    ):
        pen = Pen(Drawing())
        name = draw(pen)
        with pytest.raises(NotSettled, match="drawn with no size, and nothing gives it one"):
            settle(pen.drawing, {}, {})
        if isinstance(pen.drawing.by_name[name], Circle):
            pen.measure("radius", name, formula="4 mm", name="r")
            assert settle(pen.drawing, {"r": 4.0}, {}).curve(name)[0].rx == pytest.approx(4)


def test_a_smooth_curve_leaves_out_what_is_clicked_twice() -> None:
    places = [(0, 0), (20, 10), (40, 0)]
    twice = [places[0], places[0], places[1], places[1], places[1], places[2], places[2]]
    curves = []
    for through in (places, twice):
        pen = Pen(Drawing())
        name = pen.spline(through)
        curves.append(settle(pen.drawing, {}, {}).curve(name))
    assert curves[0] == curves[1]
    pen = Pen(Drawing())
    name = pen.spline([(5, 5)] * 3)
    assert settle(pen.drawing, {}, {}).curve(name) == []


def test_lines_that_have_a_distance_are_parallel() -> None:
    pen = Pen(Drawing())
    a, b = pen.line((0, 0), (40, 0)), pen.line((0, 10), (40, 12))
    c = pen.line((0, 20), (30, 50))
    assert "distance" in [offer.kind for offer in offers_for(pen.drawing, [a, b])]
    assert "distance" not in [offer.kind for offer in offers_for(pen.drawing, [a, c])]
    pen.measure("distance", a, c, reads=True, name="none")
    with pytest.raises(NotSettled, match="line 1 and line 3 are not parallel"):
        settle(pen.drawing, {}, {}).readings()
    pen = Pen(Drawing())
    a, b = pen.line((0, 0), (40, 0)), pen.line((0, 10), (40, 12))
    pen.measure("distance", a, b, formula="8 mm", name="gap")
    found = Ruler(settle(pen.drawing, {"gap": 8.0}, {}))
    assert [found.off_line(p, a) for p in found.ends(b)] == pytest.approx([8, 8])


def test_nothing_is_offered_between_a_curve_and_its_own_points() -> None:
    pen = Pen(Drawing())
    line, ring = pen.line((0, 0), (10, 0)), pen.circle((30, 0), 5)
    start, end = pen.drawing.by_name[line].uses()
    assert offers_for(pen.drawing, [start, line]) == []
    assert offers_for(pen.drawing, [pen.drawing.by_name[ring].centre, ring]) == []
    assert "coincident" not in [offer.kind for offer in offers_for(pen.drawing, [start, end])]


def test_a_distance_that_is_not_there_is_told_where_it_is_read_off() -> None:
    pen = Pen(Drawing())
    pen.rectangle((0, 0), (40, 20))
    pen.measure("distance", pen.line((0, 30), (40, 30)), pen.line((0, 50), (40, 60)), reads=True)
    steps = (
        Sketch(name="outline", drawing=pen.drawing),
        Extrude(name="body", sketch="outline", by="5 mm"),
    )
    design = Design(name="gap", steps=steps)
    built = rebuild(design, design.seen("wanted", neutral(), []))
    assert "Line 5 and line 6 are not parallel" in str(built.problems[0])
    assert not built.bodies
