"""The drawing sheet: what is drawn is what is there, and nothing stands over anything else."""

from __future__ import annotations

import io
import itertools
import math
from itertools import combinations
from pathlib import Path
from xml.etree import ElementTree

import ezdxf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import ImageFont
from shapely import union_all
from shapely.geometry import LineString, Polygon

import schablone.fonts
from schablone.core.design import Design, edit, read_design, sheet_by_hand
from schablone.core.design.evaluate import table_of
from schablone.core.design.model import CutAcross, PutByHand
from schablone.core.design.rebuild import rebuild
from schablone.core.kernel.board_lines import lines_of_board
from schablone.core.kernel.body import Body
from schablone.core.kernel.frame import Frame
from schablone.core.kernel.occ.hidden_lines import lines_of
from schablone.core.kernel.prism import Prism
from schablone.core.problem import SchabloneError
from schablone.core.process import Process, neutral, shipped_processes
from schablone.core.publish.drawing_sheet import Page, drawing_pages, sheet_file
from schablone.core.publish.drawing_sheet.entries import entries_of
from schablone.core.publish.drawing_sheet.measuring import measuring_pictures
from schablone.core.publish.drawing_sheet.page import ADVANCE, Words
from schablone.core.publish.drawing_sheet.sides import FRONT, LEFT, RIGHT, sides_of
from schablone.core.quantity import plain
from schablone.core.sketch import shapes
from schablone.core.sketch.curves import EllipticArc, Segment
from schablone.core.sketch.loops import Loop
from tests.conftest import DEMOS, SLIDE, TOP, examples, plate
from tests.core.plain_parts import as_solid, box, cut, cylinder
from tests.core.test_geometry import prism

TOP_VIEW = Frame((0, 0, 0), (1, 0, 0), (0, 1, 0))
FRONT_VIEW = Frame((0, 0, 0), (1, 0, 0), (0, 0, 1))
#: Parts whose hidden lines take long are drawn by ./check --all.
_HEAVY = {"excluder-panel", "smoker-heat-guard"}


def process_of(design: Design) -> Process:
    known = {process.name: process for process in shipped_processes()}
    return known.get(design.process, neutral())


def pages_of(design: Design) -> list[Page]:
    return drawing_pages(design, rebuild(design, design.seen("wanted", process_of(design))))


def test_lines_stay_while_paper_and_scale_change() -> None:
    design = read_design(SLIDE)
    built = rebuild(design, design.seen("wanted", process_of(design)))
    again = rebuild(design, design.seen("wanted", process_of(design)))
    (part, body), sheet = next(iter(built.bodies.items())), design.publish.sheet
    first = sides_of(body, sheet, built.table)
    other = sides_of(body, sheet.model_copy(update={"paper": "A2"}), built.table)
    assert all(a.seen is b.seen for a, b in zip(first, other, strict=True))
    anew = sides_of(again.bodies[part], sheet, again.table)
    assert all(a.seen is not b.seen for a, b in zip(first, anew, strict=True))
    assert [len(a.seen) for a in first] == [len(b.seen) for b in anew]


# Lines


@st.composite
def boards(draw) -> Prism:
    """A board with notches along its rim, some with a round floor, and holes, in any plane."""
    count = draw(st.integers(3, 9))
    deep = [draw(st.integers(0, 3)) for _ in range(count)]
    curves, at = [], [(0.0, 0.0)]

    def to(x: float, y: float) -> None:
        if math.dist(at[-1], (x, y)) > 1e-9:
            curves.append(Segment(at[-1], (x, y), f"l{len(curves)}"))
            at.append((x, y))

    to(20.0 * count, 0.0)
    for k in range(count - 1, -1, -1):
        to(20.0 * k + 20, 40.0)
        if deep[k] and k not in (0, count - 1):
            x, floor = 20.0 * k, 40.0 - 9 * deep[k]
            to(x + 15, 40.0)
            to(x + 15 + draw(st.integers(-2, 2)), floor)
            if deep[k] == 2:
                right = at[-1][0]
                curves.append(EllipticArc((right - 4, floor), 4, 4, 0, -math.pi, f"a{len(curves)}"))
                at.append((right - 8, floor))
            else:
                to(x + 5, floor)
            to(x + 5, 40.0)
        to(20.0 * k, 40.0)
    to(0.0, 0.0)
    holes = [
        shapes.circle(f"h{k}", 20.0 * k + 10, 4.0, draw(st.sampled_from([3.0, 5.0])))
        for k in range(count)
        if deep[k] < 3 and draw(st.booleans())
    ]
    turn = draw(st.sampled_from([0.0, 0.4, math.pi / 2, 2.5]))
    c, s = math.cos(turn), math.sin(turn)
    x, y = draw(st.sampled_from([((c, s, 0), (-s, c, 0)), ((c, 0, s), (-s, 0, c))]))
    return prism(Loop(tuple(curves)), *holes, frame=Frame((3, -7, 2), x, y))


@examples(40)
@given(
    boards(), st.sampled_from([FRONT, TOP_VIEW, LEFT, RIGHT]), st.sampled_from([None, 0.3, 0.71])
)
def test_a_board_is_drawn_as_the_kernel_draws_its_solid(board, view, share) -> None:
    body = Body.of([board])
    cut = None
    if share is not None:
        corners = [
            view.coordinates(c)[2] for c in itertools.product(*zip(*body.box(), strict=True))
        ]
        cut = min(corners) + share * (max(corners) - min(corners))
    mine = lines_of_board(board, view, cut)
    across = abs(sum(a * b for a, b in zip(board.frame.normal, view.normal, strict=True)))
    assert (mine is None) == (1e-9 < across < 1 - 1e-9 or (across > 0.5 and cut is not None))
    if mine is None:
        return
    whole = lines_of(body.solid(), view, cut)

    def drawn(curves):
        return union_all([LineString([*c.points(0.002), c.end]) for c in curves])

    sides = [(drawn(mine.seen), drawn(whole.seen))]
    if cut is None:  # what lies behind a cut and is hidden is not drawn
        over = drawn(whole.seen).buffer(0.01)  # nor is what lies under several lines that are seen
        sides.append(tuple(drawn(one.hidden).difference(over) for one in (mine, whole)))
    for one, other in sides:
        assert one.difference(other.buffer(0.01)).length < 0.05
        assert other.difference(one.buffer(0.01)).length < 0.05
    areas = [
        sum(Polygon(rings[0], rings[1:]).area for rings in lines.areas) for lines in (mine, whole)
    ]
    assert areas[0] == pytest.approx(areas[1], abs=0.05)


@given(st.integers(20, 90), st.integers(20, 90), st.integers(3, 30), st.integers(2, 9))
def test_a_bored_block_from_above_and_from_the_front(wide, deep, high, radius) -> None:
    block = as_solid(
        cut(box(0, 0, 0, wide, deep, high), cylinder((10, 10, -1), (0, 0, 1), radius, 99))
    )
    above = lines_of(block, TOP_VIEW)
    assert not above.hidden
    straight = [curve for curve in above.seen if isinstance(curve, Segment)]
    assert math.fsum(line.length for line in straight) == pytest.approx(2 * (wide + deep))
    arcs = [curve for curve in above.seen if isinstance(curve, EllipticArc)]
    assert math.fsum(arc.length for arc in arcs) == pytest.approx(math.tau * radius)
    front = lines_of(block, FRONT_VIEW)
    assert math.fsum(line.length for line in front.seen) == pytest.approx(2 * (wide + high))
    assert sorted(round(line.start[0], 6) for line in front.hidden) == [10 - radius, 10 + radius]
    # Half a circle from its middle, and what is left of the block there.
    opened = lines_of(block, FRONT_VIEW, -10.0)
    area = math.fsum(Polygon(rings[0], rings[1:]).area for rings in opened.areas)
    assert area == pytest.approx((wide - 2 * radius) * high)
    with pytest.raises(ValueError, match="does not meet"):
        lines_of(block, FRONT_VIEW, -deep - 5.0)


# Pages


@pytest.fixture(scope="module")
def drawn() -> dict[str, list[Page]]:
    return {}


def pages_of_demo(stem: str, drawn: dict[str, list[Page]]) -> tuple[Design, list[Page]]:
    design = read_design(TOP / "demo" / f"{stem}.schablone")
    if stem not in drawn:
        drawn[stem] = pages_of(design)
    return design, drawn[stem]


LIGHT = [
    pytest.param(one.values[0], marks=[pytest.mark.nightly] if one.values[0] in _HEAVY else [])
    for one in DEMOS
]


@pytest.mark.parametrize("stem", LIGHT)
def test_every_size_stands_once_and_nothing_over_anything(stem: str, drawn) -> None:
    nothing_over_anything(*pages_of_demo(stem, drawn))


@given(
    st.integers(4, 30), st.integers(4, 30), st.sampled_from([-30, -15, 0, 15, 30]),
    st.booleans(),
)  # fmt: skip
def test_nothing_stands_over_a_cross_beside_the_part(across, deep, x, bored) -> None:
    """A round notch in an edge: half of its cross stands out of the plate."""
    notch = {"kind": "circle", "name": "notch", "diameter": "across", "x": f"{x} mm", "y": "-20 mm"}
    bore = {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "across"}
    plate = {"kind": "rectangle", "name": "edge", "width": "wide", "height": "high"}
    values = {"wide": 60, "high": 40, "thick": deep, "across": across}
    design = Design.model_validate(
        {
            "name": "Notched",
            "sizes": [{"name": name, "formula": f"{value} mm"} for name, value in values.items()],
            "steps": [
                {"kind": "sketch", "name": "outline", "shapes": [plate]},
                {"kind": "extrude", "name": "plate", "sketch": "outline", "by": "thick"},
                {"kind": "sketch", "name": "spot", "plane": "plate/end", "shapes": [notch]},
                {"kind": "extrude", "name": "cut", "sketch": "spot", "mode": "cut",
                 "direction": "down", "extent": "through"},
                *([bore] if bored else []),
            ],
        }
    )  # fmt: skip
    nothing_over_anything(design, pages_of(design))


def nothing_over_anything(design: Design, pages: list[Page]) -> None:
    told = [one.size for page in pages for one in page.dimensions]
    told += [size for page in pages for size in page.listed]
    assert sorted(told) == sorted(size.name for size in design.sizes)
    for page in pages:
        inside = Polygon([(0, 0), (page.wide, 0), (page.wide, page.high), (0, page.high)])
        texts = [(words, words.box()) for words in page.all_words()]
        for words, shape in texts:
            assert inside.contains(shape), words.text
        for (one, first), (other, second) in combinations(texts, 2):
            assert not first.intersects(second), (one.text, other.text)
        for dimension in page.dimensions:
            for stroke in dimension.strokes:
                for curve in stroke.curves:
                    line = LineString((curve.start, curve.end))
                    for words, shape in texts:
                        assert not shape.intersects(line), (dimension.size, words.text)
        for view in page.views:
            for words, shape in texts:
                assert not any(
                    shape.intersects(LineString([*curve.points(0.1), curve.end]))
                    for stroke in view.strokes
                    for curve in stroke.curves
                ), (view.name, words.text)


@pytest.mark.parametrize("stem", LIGHT)
def test_a_dimension_is_as_long_as_it_says(stem: str, drawn) -> None:
    """Read off the arrow heads with a ruler, in true size."""
    design, pages = pages_of_demo(stem, drawn)
    built = rebuild(design, design.seen("wanted", process_of(design)))
    for page in pages:
        for one in page.dimensions:
            tips = [stroke.curves[0].end for stroke in one.strokes if len(stroke.curves) == 3]
            if one.way == (0.0, 0.0):
                continue
            up, down = (int(n) for n in page.scale.split(":"))
            wanted = built.table.cells[one.size].wanted.value
            assert math.dist(*tips) * down / up == pytest.approx(abs(wanted), abs=1e-6), one.size
            # What it leads to is drawn there: some edge ends, or some circle reaches, as far.
            (view,) = [view for view in page.views if view.name == one.view]
            (ax, ay), (bx, by) = tips
            way = ((bx - ax) / math.dist(*tips), (by - ay) / math.dist(*tips))
            known = []
            for stroke in view.strokes:
                for curve in stroke.curves:
                    known += [p[0] * way[0] + p[1] * way[1] for p in (curve.start, curve.end)]
                    x0, y0, x1, y1 = Loop((curve,)).bounds()
                    known += [x0, x1] if abs(way[0]) > 0.999 else []
                    known += [y0, y1] if abs(way[1]) > 0.999 else []
            for tip in tips:
                at = tip[0] * way[0] + tip[1] * way[1]
                assert min(abs(at - one) for one in known) < 2e-3, one.size


def test_lines_to_a_dimension_do_not_run_over_the_edge_that_they_begin_at(drawn) -> None:
    _, (page, *_) = pages_of_demo("hive-box", drawn)
    (grip,) = [one for one in page.dimensions if one.size == "grip_at"]
    right, bottom = next(view.box[2:0:-1] for view in page.views if view.name == grip.view)
    starts = [stroke.curves[0].start for stroke in grip.strokes if len(stroke.curves) == 1]
    assert any(start == pytest.approx((right + 1, bottom)) for start in starts)


def test_a_note_points_at_a_circle_of_its_size(drawn) -> None:
    _, (page, *_) = pages_of_demo("entrance-slide", drawn)
    (note,) = [one for one in page.dimensions if one.size == "passage"]
    up, down = (int(n) for n in page.scale.split(":"))
    (view,) = [view for view in page.views if view.name == note.view]
    radius = 8 / 2 * up / down
    target = note.strokes[0].curves[0].start
    found = [
        curve
        for stroke in view.strokes
        for curve in stroke.curves
        if isinstance(curve, EllipticArc) and curve.rx == pytest.approx(radius)
    ]
    assert min(abs(math.dist(c.centre, target) - radius) for c in found) < 1e-6


def test_letters_are_no_wider_than_their_boxes() -> None:
    font = ImageFont.truetype(
        str(Path(schablone.fonts.__file__).parent / "IBMPlexMono-Regular.ttf"), 1000
    )
    for text in ("inner_width 372", "ø 8 ± 0.2 sliding", "R 12.5°", "–·−"):
        assert font.getlength(text) <= len(text) * ADVANCE * 1000 + 1e-6
        _, above, _, below = font.getbbox(text, anchor="ls")
        assert -above <= 750, text
        assert below <= 220, text


def test_views_lie_as_the_projection_says() -> None:
    design = read_design(TOP / "demo" / "scale-foot.schablone")
    for angle, side in (("first", "left"), ("third", "right")):
        (page,) = pages_of(sheet_by_hand.with_sheet(design, angle=angle))
        boxes = {view.name: view.box for view in page.views}
        front, top, beside = boxes["front"], boxes["top"], boxes[side]
        assert (top[3] < front[1]) == (angle == "first")
        assert (top[1] > front[3]) == (angle == "third")
        assert beside[0] > front[2]
        # They lie over and beside each other, so that edges can be followed.
        assert (front[0] + front[2]) / 2 == pytest.approx((top[0] + top[2]) / 2)
        assert front[1] == pytest.approx(beside[1])


def test_a_cut_is_hatched_follows_sizes_and_says_where_it_misses() -> None:
    design = read_design(TOP / "demo" / "feeder-cap.schablone")
    half = sheet_by_hand.with_sheet(design, cuts=(CutAcross(across="y"),))
    (page, *_) = pages_of(half)
    (view,) = [view for view in page.views if view.name == "cut 1"]
    assert view.title is not None
    assert view.title.text == "A–A"
    assert any(stroke.pen == "hatch" and len(stroke.curves) > 5 for stroke in view.strokes)
    assert [words.text for words in page.words].count("A") == 2
    placed = edit.rename_size(
        sheet_by_hand.with_sheet(design, cuts=(CutAcross(across="y", at="flange/4"),)),
        "flange", "brim",
    )  # fmt: skip
    assert placed.publish.sheet.cuts[0].at == "brim/4"
    (page, *_) = pages_of(placed)
    (view,) = [view for view in page.views if view.name == "cut 1"]
    # A chord of the brim, a quarter of its diameter from the middle.
    up, down = (int(n) for n in page.scale.split(":"))
    scale = up / down
    assert view.box[2] - view.box[0] == pytest.approx(82 * math.sqrt(3) / 2 * scale, rel=1e-3)
    for at, why in (("flange", "meets no material"), ("flnge", "flnge"), ("3 deg", "angle")):
        with pytest.raises(SchabloneError, match=why):
            pages_of(sheet_by_hand.with_sheet(design, cuts=(CutAcross(across="y", at=at),)))


def test_what_was_put_by_hand_stays_and_the_rest_keeps_clear(drawn) -> None:
    design, (before, *_) = pages_of_demo("scale-foot", drawn)
    (old,) = [one for one in before.dimensions if one.size == "length"]
    where = PutByHand(part="part", size="length", view=old.view, out=-21.0, along=10.0)
    moved = sheet_by_hand.put(design, where)
    (page,) = pages_of(moved)
    (one,) = [one for one in page.dimensions if one.size == "length"]
    assert (one.out, one.along) == (-21.0, 10.0)
    boxes = [words.box() for words in page.all_words()]
    assert not any(a.intersects(b) for a, b in combinations(boxes, 2))
    (page,) = pages_of(sheet_by_hand.put(moved, where.model_copy(update={"view": "list"})))
    assert "length" in page.listed
    assert "length" not in [one.size for one in page.dimensions]
    assert sheet_by_hand.let_go(moved, "part", "length") == design
    shifted = sheet_by_hand.move_view(design, "part", "top", 5.0, -3.0)
    (page,) = pages_of(shifted)
    was, now = (
        next(view.box for view in pages.views if view.name == "top") for pages in (before, page)
    )
    assert (now[0] - was[0], now[1] - was[1]) == pytest.approx((5.0, -3.0))
    assert sheet_by_hand.all_let_go(shifted) == design
    # A size keeps its place under another name, and leaves the sheet with the design.
    named = edit.rename_size(moved, "length", "long")
    assert [one.size for one in named.publish.sheet.dimensions] == ["long"]


def test_a_length_is_never_a_note_at_one_of_its_ends(drawn) -> None:
    """Not where somebody put it into a view that cannot show it, either."""
    design, _ = pages_of_demo("scale-foot", drawn)
    for view in ("front", "top", "left", "picture", "cut 1"):
        where = PutByHand(part="part", size="length", view=view, out=-9.0, along=0.0)
        (page,) = pages_of(sheet_by_hand.put(design, where))
        (one,) = [one for one in page.dimensions if one.size == "length"]
        assert one.way != (0.0, 0.0)
        assert one.view in ("front", "top")


def test_paper_and_scale_are_kept_to_and_what_does_not_fit_is_said() -> None:
    design = read_design(SLIDE)
    large = sheet_by_hand.with_sheet(design, paper="A2", scale="1:1")
    page = pages_of(large)[0]
    assert (page.wide, page.high, page.scale) == (594, 420, "1:1")
    with pytest.raises(SchabloneError, match="does not fit on A4 at 2:1"):
        pages_of(sheet_by_hand.with_sheet(design, scale="2:1"))
    with pytest.raises(SchabloneError, match="no part yet"):
        pages_of(Design(name="empty"))


# Files


def test_files_hold_the_same_sheet(drawn) -> None:
    design, pages = pages_of_demo("feeder-cap", drawn)
    page = pages[0]
    document = ezdxf.read(io.StringIO(sheet_file(pages, "a.dxf").decode()))
    space = document.modelspace()
    assert {"VISIBLE", "HIDDEN", "DIMENSION", "FRAME", "TEXT"} <= {e.dxf.layer for e in space}
    every = [words.text for page in pages for words in page.all_words()]
    dimensions = space.query("DIMENSION")
    blocks = [document.blocks.get(one.dxf.geometry) for one in dimensions]
    texts = [text.dxf.text for part in (space, *blocks) for text in part.query("TEXT")]
    assert sorted(texts) == sorted(every)
    # Twelve vents of 3 mm, seen from above, in true size.
    assert page.scale == "1:1"
    vents = {
        (round(e.dxf.center[0], 3), round(e.dxf.center[1], 3))
        for e in space.query("CIRCLE ARC[layer=='VISIBLE']")
        if abs(e.dxf.radius - 1.5) < 1e-6
    }
    assert len(vents) == 12
    root = ElementTree.fromstring(sheet_file(pages, "a.svg"))
    assert root.get("width") == "297mm"
    texts = [e.text for e in root.iter() if e.tag.endswith("text")]
    assert sorted(texts) == sorted(every)
    pdf = sheet_file(pages, "a.pdf")
    assert pdf.count(b"/Type /Page\n") + pdf.count(b"/Type /Page ") == len(pages)
    assert b"[ 0 0 841.8" in pdf
    for name in ("a.pdf", "a.svg", "a.dxf"):
        assert sheet_file(pages_of(design), name) == sheet_file(pages, name)
    with pytest.raises(SchabloneError, match="PDF, SVG or DXF"):
        sheet_file(pages, "a.png")


@pytest.mark.parametrize("stem", ["scale-foot", "entrance-slide", "hive-box"])
def test_dimensions_in_dxf_measure_what_they_say(stem: str, drawn) -> None:
    """By a library that knows nothing of sizes: what each is drawn between, at its scale."""
    design, pages = pages_of_demo(stem, drawn)
    document = ezdxf.read(io.StringIO(sheet_file(pages, "a.dxf").decode()))
    assert not document.audit().errors
    dimensions = list(document.modelspace().query("DIMENSION"))
    wanted = [one for page in pages for one in page.dimensions if one.between is not None]
    assert len(dimensions) == len(wanted) >= 3
    sizes = table_of(design, process_of(design)).cells
    for mine, entity in zip(wanted, dimensions, strict=True):
        measured = float(entity.get_measurement()) * entity.override().get("dimlfac")
        assert measured == pytest.approx(abs(sizes[mine.size].wanted.value), abs=1e-6)
        assert entity.dxf.text == mine.words.text
        drawn_as = document.blocks.get(entity.dxf.geometry)
        assert len(drawn_as.query("LINE")) >= 7  # the line, two heads of three


def test_foreign_words_are_text_in_the_svg() -> None:
    design = read_design(SLIDE)
    publish = design.publish.model_copy(update={"title": "<script>x</script>&", "author": "$a_b$"})
    pages = pages_of(design.model_copy(update={"publish": publish}))
    svg = sheet_file(pages, "a.svg").decode()
    assert "<script" not in svg
    assert "&lt;script&gt;" in svg
    assert sheet_file(pages, "a.pdf")


# Where to hold the caliper


def test_a_picture_of_one_size_shows_that_and_what_lies_around_it(slide, amsel) -> None:
    built = rebuild(slide, slide.seen("wanted", amsel))
    found = measuring_pictures(slide, built, {"width", "height", "passage", "web"})
    assert set(found) == {"width", "height", "passage"}  # the web is between holes of a row
    for size, page in found.items():
        (one,) = page.dimensions
        assert one.size == size
        # No larger than what is on it, and nothing cut off.
        inside = Polygon([(0, 0), (page.wide, 0), (page.wide, page.high), (0, page.high)])
        assert all(inside.contains(words.box()) for words in page.all_words())
    (near,) = found["passage"].views
    (whole,) = found["width"].views
    assert near.box[2] - near.box[0] < 80
    # As many holes as fit into the box, not all of the row.
    lengths = [
        sum(curve.length for stroke in view.strokes for curve in stroke.curves)
        for view in (near, whole)
    ]
    assert all(lengths)


def test_words_cover_what_they_say() -> None:
    words = Words("abcd", (10.0, 20.0), 5.0, "middle", 90.0)
    x0, y0, x1, y1 = words.box().bounds
    assert (y0, y1) == pytest.approx((20 - 6, 20 + 6))
    assert (x0, x1) == pytest.approx((10 - 0.75 * 5, 10 + 0.22 * 5))


def test_a_fit_that_two_machines_make_otherwise_stands_on_both_pages() -> None:
    """The hole of a part that has a machine of its own is as that machine's gaps make it."""
    amsel, zeisig, *_ = shipped_processes()
    zeisig = zeisig.with_(fits=amsel.fits.with_(sliding=amsel.fits.sliding + 0.13))
    more = [
        {"kind": "hole", "name": "bore", "face": "plate/end", "diameter": "wide"},
        {"kind": "extrude", "name": "lid", "sketch": "outline", "by": "3 mm", "part": "lid"},
        {"kind": "hole", "name": "eye", "face": "lid/end", "diameter": "wide"},
    ]
    design = plate(
        *more, sizes={"wide": "hole_for(8 mm, sliding)", "tall": "9 mm"},
        parts=[{"name": "part"}, {"name": "lid", "process": zeisig.name}],
    )  # fmt: skip
    built = rebuild(design, design.seen("wanted", amsel, [zeisig]))
    assert not built.problems
    gap = amsel.fits.sliding
    told = [(one.size, one.part, one.value) for one in entries_of(design, built)]
    assert told == [
        ("wide", "part", plain(8 + gap)), ("wide", "lid", plain(8 + gap + 0.13)), ("tall", "", "9"),
    ]  # fmt: skip
    assert all(one.span or one.spot for one in entries_of(design, built)[:2])
    same = rebuild(design, design.seen("wanted", amsel, [zeisig.with_(fits=amsel.fits)]))
    assert [one.size for one in entries_of(design, same)] == ["wide", "tall"]
