"""The pen, the snaps, the offers, and changes to drawings."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from schablone.core.sketch.arrangement import arrange
from schablone.core.sketch.copying import copied, mirrored, repeated, ringed
from schablone.core.sketch.diagnose import diagnose
from schablone.core.sketch.drawing import Drawing
from schablone.core.sketch.offers import offers_for
from schablone.core.sketch.offset_copy import offset_copy
from schablone.core.sketch.pen import Pen
from schablone.core.sketch.revise import renamed, split, trimmed, without
from schablone.core.sketch.settled import Settled, settle
from schablone.core.sketch.snap import snap


def settled(drawing: Drawing, **values: float) -> Settled:
    return settle(drawing, values, {})


def freedoms(drawing: Drawing) -> int:
    found = settled(drawing)
    return diagnose(found.system, found.x).freedoms


def curves(drawing: Drawing) -> dict:
    found = settled(drawing)
    return {curve.name: found.curve(curve.name) for curve in drawing.curves}


@pytest.mark.parametrize(
    ("draw", "expected"),
    [
        (lambda pen: pen.line((0, 0), (5, 1)), 4),
        (lambda pen: pen.rectangle((0, 0), (5, 3)), 4),  # where, how wide, how high
        (lambda pen: pen.rectangle_about((1, 1), (5, 3)), 4),
        (lambda pen: pen.circle((0, 0), 2), 3),
        (lambda pen: pen.circle_through((0, 0), (4, 0), (0, 3)), 6),
        (lambda pen: pen.arc_through((0, 0), (4, 0), (2, 1)), 5),
        (lambda pen: pen.slot((0, 0), (9, 2), 2), 5),  # two middles and a width
        (lambda pen: pen.polygon((0, 0), (5, 1), 6), 4),  # a middle and a corner
        (lambda pen: pen.spline([(0, 0), (4, 2), (8, 0)]), 6),
    ],
)
def test_shapes_have_the_freedoms_that_they_should(draw, expected):
    pen = Pen(Drawing())
    draw(pen)
    assert freedoms(pen.drawing) == expected


def test_an_arc_goes_on_from_a_line_without_a_corner():
    pen = Pen(Drawing())
    line = pen.line((0, 0), (10, 0))
    arc = pen.arc_on_from(line, pen.drawing.by_name[line].end, (14, 4))
    element = pen.drawing.by_name[arc]
    assert pen.place(element.centre) == pytest.approx((10, 4))
    with pytest.raises(ValueError, match="straight ahead"):
        pen.arc_on_from(line, pen.drawing.by_name[line].end, (20, 0))


def test_what_the_pointer_is_near():
    pen = Pen(Drawing())
    line = pen.line((10, 10), (30, 10))
    drawing = pen.drawing
    there = curves(drawing)
    assert snap(drawing, there, (0.4, -0.3), 1.0).point == "origin"
    assert snap(drawing, there, (30.5, 10.5), 1.0).point == drawing.by_name[line].end
    middle = snap(drawing, there, (20.4, 10.2), 1.0)
    assert (middle.holds, middle.xy) == ((("midpoint", line),), pytest.approx((20, 10)))
    assert snap(drawing, there, (14, 10.4), 1.0).holds == (("on", line),)
    level = snap(drawing, there, (60, 40.5), 1.0, start=(40, 40))
    assert (level.level, level.xy) == ("horizontal", pytest.approx((60, 40)))
    assert snap(drawing, there, (47.3, 33.1), 1.0, grid=5.0).xy == (45.0, 35.0)


def test_offers_fit_what_is_chosen_and_leave_out_what_holds():
    pen = Pen(Drawing())
    a, b = pen.line((0, 0), (10, 0)), pen.line((0, 5), (9, 6))
    ring = pen.circle((30, 0), 5)
    pen.hold("parallel", a, b)
    kinds = [offer.kind for offer in offers_for(pen.drawing, [a, b])]
    assert "equal" in kinds
    assert "parallel" not in kinds
    assert [o.kind for o in offers_for(pen.drawing, [a, ring])] == ["tangent", "distance"]
    assert offers_for(pen.drawing, [a, b, ring, "origin"]) == []
    for chosen in ([a], [a, b], [a, ring], [ring], ["origin", ring]):
        for offer in offers_for(pen.drawing, chosen):
            extended = Pen(pen.drawing)
            if offer.measures:
                extended.measure(offer.kind, *offer.of, reads=True)
            else:
                extended.hold(offer.kind, *offer.of)
            settled(extended.drawing)


def test_taking_out_takes_along_what_hangs_on_it():
    pen = Pen(Drawing())
    lines = pen.rectangle((0, 0), (10, 5))
    pen.measure("distance", lines[0], formula="10 mm")
    left = without(pen.drawing, [pen.drawing.by_name[lines[0]].start])
    assert [c.name for c in left.curves] == [lines[1], lines[2]]
    assert not left.dimensions
    assert without(pen.drawing, lines) == Drawing()


def test_renaming_there_and_back():
    pen = Pen(Drawing())
    lines = pen.rectangle((0, 0), (10, 5))
    pen.measure("distance", lines[0], formula="10 mm")
    there = renamed(pen.drawing, lines[0], "sill")
    assert there.dimensions[0].of == ("sill",)
    assert renamed(there, "sill", lines[0]) == pen.drawing


def test_mirror_row_and_ring_follow_their_first():
    pen = Pen(Drawing())
    circle = pen.circle((10, 4), 2)
    pen.measure("radius", circle, formula="2 mm", name="r")
    both = settled(mirrored(pen.drawing, [circle], "y_axis"), r=3.0).drawing
    second = next(c for c in both.curves if c.name != circle)
    assert second.radius == pytest.approx(3)
    assert both.by_name[second.centre].x == pytest.approx(
        -both.by_name[both.by_name[circle].centre].x
    )
    row = repeated(pen.drawing, [circle], 4, (7.0, 0.0))
    across = next(d for d in row.dimensions if d.kind == "across")
    stretched = settled(row, **{across.name: 9.0, "r": 1.0}).drawing
    xs = sorted(stretched.by_name[c.centre].x for c in stretched.curves)
    assert [b - a for a, b in itertools.pairwise(xs)] == pytest.approx([9, 9, 9])
    assert [c.radius for c in stretched.curves] == pytest.approx([1] * 4)
    ring = ringed(pen.drawing, [circle], 5, "origin")
    round_ = [c for c in settled(ring, r=2.0).drawing.curves if c.kind == "circle"]
    angles = sorted(
        math.degrees(math.atan2(*reversed(settled(ring, r=2.0).drawing.by_name[c.centre].xy))) % 360
        for c in round_
    )
    assert [b - a for a, b in itertools.pairwise(angles)] == pytest.approx([72] * 4)
    assert freedoms(ring) == freedoms(pen.drawing)


def test_splitting_keeps_pieces_in_line_and_trimming_stops_at_crossings():
    pen = Pen(Drawing())
    line = pen.line((0, 0), (30, 0))
    pieces = split(pen.drawing, line, (12, 3))
    assert sorted(round(c[0].length, 9) for c in curves(pieces).values()) == [12, 18]
    assert freedoms(pieces) == 5
    pen = Pen(Drawing())
    line = pen.line((0, 0), (30, 0))
    for x in (10, 20):
        pen.line((x, -5), (x, 5))
    there = curves(pen.drawing)
    trim = trimmed(pen.drawing, there, line, (15, 0))
    level = [c for c in curves(trim).values() if abs(c[0].start[1]) + abs(c[0].end[1]) < 1e-9]
    assert sorted(sorted((c[0].start[0], c[0].end[0])) for c in level) == [[0, 10], [20, 30]]
    assert line not in trimmed(pen.drawing, {line: there[line]}, line, (15, 0)).by_name


def outlined(drawing: Drawing, names: list[str]) -> float:
    """The area that some curves enclose."""
    there = curves(drawing)
    found = arrange([c for name in names for c in there[name]])
    return sum(region.area for region in found.regions(found.faces))


@pytest.mark.parametrize("by", [3.0, -2.0])
def test_an_offset_follows_its_original_and_its_distance(by):
    pen = Pen(Drawing())
    for shape in (pen.rectangle((0, 0), (40, 20)), pen.slot((100, 0), (130, 0), 6)):
        for name in shape:
            pen.hold("fixed", name)
        there = curves(pen.drawing)
        found, new = offset_copy(pen.drawing, there, shape, by, f"{abs(by)} mm")
        assert freedoms(found) == freedoms(pen.drawing)  # the copy is settled by its original
        added = [d.name for d in found.dimensions]
        for distance in (abs(by), 1.0):
            values = dict.fromkeys(added, distance)
            moved = settled(found, **values).drawing
            d = math.copysign(distance, by)
            expected = (
                (40 + 2 * d) * (20 + 2 * d)
                if len(shape) == 4 and "arc" not in shape[0]
                else 60 * (6 + d) + math.pi * (6 + d) ** 2
            )
            assert outlined(moved, new) == pytest.approx(expected, rel=1e-6)


def test_an_offset_of_a_circle_and_what_cannot_be():
    pen = Pen(Drawing())
    circle = pen.circle((5, 5), 4)
    found, (new,) = offset_copy(pen.drawing, curves(pen.drawing), [circle], 2.0, "2 mm")
    assert freedoms(found) == freedoms(pen.drawing)
    name = found.dimensions[0].name
    wider = settled(found, **{name: 3.0}).drawing.by_name
    assert wider[new].radius - wider[circle].radius == pytest.approx(3)
    line = pen.line((0, 0), (10, 0))
    with pytest.raises(ValueError, match="that close"):
        offset_copy(pen.drawing, curves(pen.drawing), [line], 2.0, "2 mm")
    box = pen.rectangle((20, 0), (30, 4))
    with pytest.raises(ValueError, match=r"too small|vanish"):
        offset_copy(pen.drawing, curves(pen.drawing), box, -2.5, "2.5 mm")


@pytest.mark.parametrize(
    ("change", "expected"),
    [
        (lambda d, name: mirrored(d, [name], "y_axis"), [(-4, 1), (4, 1)]),
        (lambda d, name: repeated(d, [name], 3, (10.0, -5.0)), [(4, 1), (14, -4), (24, -9)]),
        (lambda d, name: ringed(d, [name], 4, "origin"), [(-4, -1), (-1, 4), (1, -4), (4, 1)]),
        (lambda d, name: copied(d, [name], [(1, 0, 0, 1, 3, 2)])[0], [(4, 1), (7, 3)]),
    ],
)
def test_copies_of_what_is_drawn_to_the_origin_leave_it(change, expected):
    pen = Pen(Drawing())
    line = pen.line("origin", pen.point((8, 2)))
    pen.hold("fixed", line)
    copies = change(pen.drawing, line)
    # What each formula says, a number and a unit, is what the dimension is to be.
    found = settled(copies, **{d.name: float(d.formula.split()[0]) for d in copies.dimensions})
    lines = [c.name for c in found.drawing.curves if not c.helper]
    ends = [found.curve(name)[0] for name in lines]
    there = sorted(((a.start[0] + a.end[0]) / 2, (a.start[1] + a.end[1]) / 2) for a in ends)
    assert np.array(there) == pytest.approx(np.array(expected), abs=1e-7)


def test_nothing_is_cut_in_two_at_its_end():
    pen = Pen(Drawing())
    line = pen.line((0, 0), (30, 0))
    arc = pen.arc_through((0, 10), (20, 10), (10, 14))
    for name, at in ((line, (31, 1)), (arc, (20.5, 9))):
        with pytest.raises(ValueError, match="ends there: cut it farther in"):
            split(pen.drawing, name, at)
    before = curves(pen.drawing)[arc][0].length
    pieces = [c[0].length for n, c in curves(split(pen.drawing, arc, (4, 13))).items() if n != line]
    assert len(pieces) == 2
    assert sum(pieces) == pytest.approx(before)
