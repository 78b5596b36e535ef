"""Stencils: put in at an anchor, tied to their host, swapped and unpacked; numbers by hand."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st
from shapely.geometry import Polygon, box

from schablone.core.design import Design, Size, read_design_text, write_design
from schablone.core.design import edit as edits
from schablone.core.design.anchors import anchors_of
from schablone.core.design.built import Memory
from schablone.core.design.lens_table import lens_table
from schablone.core.design.measures import measures_of
from schablone.core.design.opened import all_told, opened
from schablone.core.design.rebuild import Rebuilt, rebuild
from schablone.core.design.stencil_edit import (
    chosen,
    differences,
    forget_stencil,
    put_in,
    put_stencil,
    swap_stencil,
    unpacked,
)
from schablone.core.design.stencil_open import closed_again, is_opened, opened_here
from schablone.core.design.stencil_picture import changed_in, seen_from_above
from schablone.core.design.text import design_text
from schablone.core.formula.errors import FormulaError
from schablone.core.problem import Problem, SchabloneError
from schablone.core.process import LensView, neutral, shipped_processes
from schablone.core.prove.checks import findings
from schablone.core.reuse import Stencil, parse_stencil, stencils_on_the_shelf, write_stencil
from tests.conftest import examples

WANTED = LensView("wanted", neutral())
MEMORY = Memory(4000)
SHELF = {stencil.name: stencil for stencil in stencils_on_the_shelf()}
#: Of which the host is a part and no other; they can be put on any board.
ALONE = [name for name, one in SHELF.items() if not one.parts and not one.faces]


def board(*steps: dict, sizes: dict | None = None, soft: bool = False, **more) -> Design:
    """A board 200 by 120 by 20 mm, its top in the middle of the axes; ``soft`` has an edge rounded
    below, so that it is a solid of the kernel."""
    first = [
        {"kind": "sketch", "name": "outline",
         "shapes": [{"kind": "rectangle", "name": "r", "width": "wide", "height": "120 mm"}]},
        {"kind": "extrude", "name": "board", "sketch": "outline", "by": "20 mm"},
    ]  # fmt: skip
    if soft:
        edge = {"how": "between", "of": ["board/start", "board/side/r.left"]}
        first.append({"kind": "fillet", "name": "soft", "edges": [edge], "radius": "3 mm"})
    known = {"wide": "200 mm", **(sizes or {})}
    return Design.model_validate(
        {
            "sizes": [{"name": name, "formula": formula} for name, formula in known.items()],
            "steps": [*first, *steps],
            **more,
        }
    )


def built(design: Design, view: LensView = WANTED, given: dict | None = None) -> Rebuilt:
    return rebuild(design, view, MEMORY, given)


def volume(design: Design, given: dict | None = None, part: str = "part") -> float:
    found = built(design, given=given)
    assert [p.text for p in found.problems if p.severity == "error"] == []
    return found.figures[part].volume


def with_stencil(name: str, *, on: Design | None = None, given: dict | None = None, **where):
    """The board with a stencil of the shelf at a place, called ``it``."""
    design = put_in(on or board(), SHELF[name], name="it", face="board/end", **where)
    for size, formula in (given or {}).items():
        design = give(design, size, formula)
    return design


def give(design: Design, size: str, formula: str, step: str = "it") -> Design:
    given = [one.size for one in design.step(step).given]
    return edits.change_step(design, step, f"given.{given.index(size)}.formula", formula)


MM = st.integers(-40, 40).map(lambda n: f"{n} mm")
DEG = st.integers(-180, 180).map(lambda n: f"{n} deg")


@examples(12)
@given(x=MM, y=st.integers(-20, 20), turn=DEG, length=st.integers(30, 60), width=st.integers(8, 20),
       image=st.sampled_from(["drawn", "mirrored"]))  # fmt: skip
def test_a_grip_takes_away_what_its_outline_holds(x, y, turn, length, width, image):
    design = with_stencil(
        "hand_grip", x=x, y=f"{y} mm", turn=turn, image=image,
        given={"length": f"{length + 10} mm", "width": f"{width + 2} mm"},
    )  # fmt: skip
    long, wide = length + 10, width + 2
    area = math.pi * wide**2 / 4 + (long - wide) * wide
    assert volume(design) == pytest.approx(20 * (200 * 120 - area), rel=1e-9)


def corner(name: str = "corner", **more) -> Stencil:
    """A hole off its anchor, to see where things come to lie."""
    hole = {"kind": "hole", "name": "hole", "face": "host/here", "diameter": "4 mm",
            "x": "out", "y": "5 mm"}  # fmt: skip
    data = {"name": name, "sizes": [{"name": "out", "formula": "10 mm"}], "steps": [hole], **more}
    return Stencil.model_validate(data)


@examples(20)
@given(x=st.integers(-40, 40), y=st.integers(-25, 25), turn=st.integers(-180, 180),
       mirrored=st.booleans())  # fmt: skip
def test_it_lies_where_the_anchor_says(x, y, turn, mirrored):
    image = "mirrored" if mirrored else "drawn"
    design = put_in(
        board(), corner(), name="it", face="board/end", x=f"{x} mm", y=f"{y} mm",
        turn=f"{turn} deg", image=image,
    )  # fmt: skip
    (prism,) = built(design).bodies["part"].prisms
    (hole,) = prism.region.holes
    x0, y0, x1, y1 = hole.bounds()
    u = -10 if mirrored else 10
    c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
    wanted = (x + c * u - s * 5, y + s * u + c * 5)
    assert ((x0 + x1) / 2, (y0 + y1) / 2) == pytest.approx(wanted, abs=1e-9)
    assert x1 - x0 == pytest.approx(4, abs=1e-9)


def test_its_place_stands_on_the_part_where_it_can_be_dragged():
    design = put_in(board(), corner(), name="it", face="board/end", x="30 mm", y="-8 mm")
    spots = anchors_of(design, built(design))["it"]
    assert spots == [("x", (15.0, -8.0, 20.0)), ("y", (30.0, -4.0, 20.0))]


def test_it_stands_over_a_point_that_is_moved():
    points = {"kind": "sketch", "name": "spots", "plane": "board/start", "drawing": {"elements": [
        {"kind": "point", "name": "a", "x": 30, "y": 12}]}}  # fmt: skip
    design = put_in(
        board(points), corner(), name="it", face="board/end", where="point", sketch="spots",
        point="a",
    )  # fmt: skip
    (prism,) = built(design).bodies["part"].prisms
    x0, y0, x1, y1 = prism.region.holes[0].bounds()
    # The face below is seen from below: its y runs the other way.
    assert ((x0 + x1) / 2, (y0 + y1) / 2) == pytest.approx((40, -7), abs=1e-9)


# What is asked of the host

ASKING = Stencil.model_validate(
    {
        "name": "asking",
        "sizes": [
            {"name": name, "formula": f"host.{name}", "open": False}
            for name in ("along", "across", "left", "right", "near", "far", "thickness")
        ],
        "steps": [{"kind": "hole", "name": "hole", "face": "host/here", "diameter": "1 mm",
                   "extent": "depth", "depth": "1 mm"}],
    }
)  # fmt: skip


def asked(design: Design) -> dict[str, float]:
    found = built(design)
    assert [p.text for p in found.problems if p.severity == "error"] == []
    return {size.name: found.table.cells[f"it.{size.name}"].wanted.value for size in ASKING.sizes}


@pytest.mark.parametrize("soft", [False, True])
def test_the_room_around_the_anchor(soft):
    design = put_in(
        board(soft=soft), ASKING, name="it", face="board/end", x="30 mm", y="-10 mm",
    )  # fmt: skip
    assert asked(design) == pytest.approx(
        {"along": 200, "across": 120, "left": 130, "right": 70, "near": 50, "far": 70,
         "thickness": 20}
    )  # fmt: skip
    turned = edits.change_step(design, "it", "turn", "90 deg")
    assert asked(turned) == pytest.approx(
        {"along": 120, "across": 200, "left": 50, "right": 70, "near": 70, "far": 130,
         "thickness": 20}
    )  # fmt: skip


@pytest.mark.parametrize("soft", [False, True])
def test_an_opening_ends_the_room(soft):
    hole = {"kind": "hole", "name": "bore", "face": "board/end", "diameter": "30 mm", "x": "50 mm"}
    design = put_in(board(hole, soft=soft), ASKING, name="it", face="board/end", y="9 mm")
    # The bore's edge at y = 9: 50 − √(15² − 9²) = 38.
    assert asked(design)["right"] == pytest.approx(38, abs=1e-9)
    slanted = edits.change_step(design, "it", "turn", "45 deg")
    # Straight up at 45° the edge at y = 60 is 51·√2 away.
    assert asked(slanted)["right"] == pytest.approx(51 * math.sqrt(2), abs=1e-9)


def test_beside_the_face_is_said():
    design = put_in(board(), ASKING, name="it", face="board/end", x="101 mm")
    problem = next(p for p in built(design).problems if p.severity == "error")
    assert (problem.area, problem.name, problem.field) == ("step", "it", "x")
    assert "beyond its edge" in problem.what
    bore = {"kind": "hole", "name": "bore", "face": "board/end", "diameter": "30 mm"}
    within = put_in(board(bore), ASKING, name="it", face="board/end")
    assert any("in an opening" in p.what for p in built(within).problems)


@examples(10)
@given(wide=st.integers(120, 320), margin=st.integers(2, 15), web=st.integers(2, 6),
       x=st.integers(-50, 50), y=st.integers(-30, 30))  # fmt: skip
def test_a_field_fills_its_face_and_never_runs_off_it(wide, margin, web, x, y):
    design = with_stencil(
        "vent_field", on=board(sizes={"wide": f"{wide} mm"}), x=f"{x} mm", y=f"{y} mm",
        given={"margin": f"{margin} mm", "web": f"{web} mm"},
    )  # fmt: skip
    found = built(design)
    columns = (wide - 2 * margin + web) // (20 + web)
    rows = (120 - 2 * margin + web) // (3 + web)
    assert found.table.cells["it.count"].wanted.value == columns * rows
    (prism,) = found.bodies["part"].prisms
    assert len(prism.region.holes) == columns * rows
    room = box(-wide / 2 + margin, -60 + margin, wide / 2 - margin, 60 - margin).buffer(1e-6)
    slots = [Polygon(hole.points(0.01)) for hole in prism.region.holes]
    assert all(room.contains(slot) for slot in slots)
    # Nothing more would fit: what is left beside them is less than a slot and its web.
    assert wide - 2 * margin - (columns * (20 + web) - web) < 20 + web


def test_formulas_of_the_design_reach_what_it_works_out():
    design = with_stencil("vent_field")
    design = edits.add_size(design, "slots", "2*it.count")
    assert built(design).table.cells["slots"].wanted.value == 2 * 7 * 15


# On other machines


#: What goes right through, as a laser cuts; and what stands up, which is no part of a board.
THROUGH = ("hand_grip", "keyhole_hanger", "vent_field", "cable_notch")
STANDING = ("gusseted_foot", "screw_post", "grip_ribs")
MADE = [
    (name, process)
    for process in shipped_processes()
    if process.family in ("print", "cut")
    for name in ALONE
    if (name in THROUGH or process.family == "print" or process.kind == "router")
    and (name not in STANDING or process.family == "print")
]


def test_the_others_go_to_a_depth_or_stand_up():
    for name in ALONE:
        areas = seen_from_above(SHELF[name])[0]
        assert all(area.cut and area.depth >= 18 for area in areas) == (name in THROUGH)
        assert any(not area.cut for area in areas) == (name in STANDING)


@pytest.mark.parametrize(("name", "process"), MADE, ids=lambda one: getattr(one, "name", one))
def test_all_that_ship_are_made_on_every_machine(name, process):
    design = with_stencil(name, y="20 mm")
    for lens in ("sent", "expected"):
        found = built(design, design.seen(lens, process))
        cross = name == "clasp_pocket" and process.family == "cut"
        told = [p.text for p in found.problems if p.severity == "error"]
        assert told == [] or cross, told  # its cross hole is drilled from the edge


def test_a_size_that_is_given_is_corrected_as_without_a_stencil():
    plain = board({"kind": "hole", "name": "h", "face": "board/end", "diameter": "bore"},
                  sizes={"bore": "8 mm"})  # fmt: skip
    hole = {"kind": "hole", "name": "h", "face": "host/here", "diameter": "across"}
    stencil = Stencil.model_validate(
        {"name": "s", "sizes": [{"name": "across", "formula": "8 mm"}], "steps": [hole]}
    )
    design = put_in(board(sizes={"bore": "8 mm"}), stencil, name="it", face="board/end")
    design = give(design, "across", "bore")
    one, two = (measures_of(d, built(d)).of["bore"] for d in (plain, design))
    assert [m.correction for m in one] == [m.correction for m in two]
    assert one[0].correction.gains[0].side == "inside"


def test_two_ways_to_a_number_agree_on_a_printer():
    """The hole of a stencil as it is expected off a machine, in the table and in the part."""
    process = next(p for p in shipped_processes() if p.family == "print")
    hole = {"kind": "hole", "name": "h", "face": "host/here", "diameter": "across"}
    stencil = Stencil.model_validate(
        {"name": "s", "sizes": [{"name": "across", "formula": "8 mm"}], "steps": [hole]}
    )
    design = put_in(board(sizes={"bore": "8 mm"}), stencil, name="it", face="board/end")
    design = give(design, "across", "bore")
    found = built(design, design.seen("expected", process))
    (prism,) = found.bodies["part"].prisms
    x0, _, x1, _ = prism.region.holes[0].bounds()
    plain = built(design)
    rows = lens_table(design, measures_of(design, plain), process, found.table)
    row = next(row for row in rows if row.name == "bore")
    assert row.expected.value == pytest.approx(x1 - x0, abs=1e-6)


# Repeated, renamed, moved


@pytest.mark.parametrize(
    ("repeat", "count"),
    [
        ({"kind": "row", "how": "on", "count": "3", "pitch": "30 mm"}, 3),
        ({"kind": "grid", "columns": "2", "column_pitch": "40 mm", "rows": "2",
          "row_pitch": "40 mm"}, 4),
        ({"kind": "ring", "count": "4", "first": "-20 mm"}, 4),
        ({"kind": "mirror", "plane": "side"}, 2),
    ],
)  # fmt: skip
@pytest.mark.parametrize("soft", [False, True])
def test_repeated_as_a_whole(repeat, count, soft):
    stencil = Stencil.model_validate(
        {
            "name": "pit",
            "steps": [
                {"kind": "sketch", "name": "rim",
                 "shapes": [{"kind": "circle", "name": "c", "diameter": "10 mm"}]},
                {"kind": "extrude", "name": "pit", "sketch": "rim", "mode": "cut", "by": "6 mm",
                 "direction": "down", "part": "host"},
                {"kind": "hole", "name": "drain", "face": "pit/end", "diameter": "4 mm"},
            ],
        }
    )  # fmt: skip
    design = put_in(board(soft=soft), stencil, name="it", face="board/end", x="20 mm", y="20 mm")
    many = edits.put_step(design, Design.model_validate(
        {"steps": [{"name": "again", "of": "it", **repeat}]}).steps[0])  # fmt: skip
    away = math.pi * (25 * 6 + 4 * 14)
    bare = volume(board(soft=soft))
    assert volume(design) == pytest.approx(bare - away, rel=1e-9)
    assert volume(many) == pytest.approx(bare - count * away, rel=1e-9)
    # A change inside reaches all of them.
    wider = give_step(many, "pit", "rim", "shapes.0.diameter", "12 mm")
    more = math.pi * (36 * 6 + 4 * 14)
    assert volume(wider) == pytest.approx(bare - count * more, rel=1e-9)


SOFT = Stencil.model_validate(
    {
        "name": "soft_pit",
        "steps": [
            {"kind": "sketch", "name": "rim", "shapes": [
                {"kind": "rectangle", "name": "r", "width": "16 mm", "height": "10 mm",
                 "x": "2 mm"}]},
            {"kind": "extrude", "name": "pit", "sketch": "rim", "mode": "cut", "by": "6 mm",
             "direction": "down", "part": "host"},
            {"kind": "fillet", "name": "round", "radius": "1 mm",
             "edges": [{"how": "around", "of": ["pit/end"]}]},
            {"kind": "chamfer", "name": "lead", "by": "0.5 mm",
             "edges": [{"how": "between", "of": ["pit/side/r.top", "host/here"]}]},
        ],
    }
)  # fmt: skip


@pytest.mark.parametrize(
    ("repeat", "count"),
    [
        ({"kind": "row", "how": "on", "count": "3", "pitch": "30 mm"}, 3),
        ({"kind": "ring", "count": "3", "first": "-30 mm"}, 3),
        ({"kind": "mirror", "plane": "side"}, 2),
    ],
)
@pytest.mark.parametrize("image", ["drawn", "mirrored"])
def test_rounded_and_bevelled_it_is_repeated_and_mirrored_whole(repeat, count, image):
    design = put_in(
        board(), SOFT, name="it", face="board/end", turn="30 deg", x="20 mm", image=image
    )
    one = 200 * 120 * 20 - volume(design)
    pit = 16 * 10 * 6
    # Rounding leaves (1 − π/4) of each square millimetre along the floor, but for its corners, and
    # the bevel takes half of 0.5 mm squared along 16 mm.
    assert pit - (1 - math.pi / 4) * 52 < one < pit + 2
    assert one == pytest.approx(200 * 120 * 20 - volume(
        put_in(board(), SOFT, name="it", face="board/end")), rel=1e-9)  # fmt: skip
    many = edits.put_step(design, Design.model_validate(
        {"steps": [{"name": "again", "of": "it", **repeat}]}).steps[0])  # fmt: skip
    assert 200 * 120 * 20 - volume(many) == pytest.approx(count * one, rel=1e-7)
    plain = unpacked(design, "it") if image == "drawn" else design
    assert volume(plain) == pytest.approx(volume(design), rel=1e-9)


def give_step(design: Design, stencil: str, step: str, path: str, value: str) -> Design:
    """The design with another version of a stencil, one step of it changed."""
    old = design.stencil(stencil)
    inner = Design(steps=old.steps)
    steps = edits.change_step(inner, step, path, value).steps
    return swap_stencil(design, stencil, old.model_copy(update={"steps": steps}))[0]


def test_renaming_and_moving_in_the_host_break_nothing():
    on_floor = {"kind": "hole", "name": "extra", "face": "it.recess/end", "diameter": "it.pilot",
                "x": "-20 mm"}  # fmt: skip
    design = with_stencil(
        "clasp_pocket", given={"length": "span"}, on=board(sizes={"span": "wide/5"})
    )
    design = edits.put_step(design, Design.model_validate({"steps": [on_floor]}).steps[0])
    design = edits.add_size(design, "far_away", "it.host.right + it.plate")
    before = volume(design)
    for old, new in (("board", "plank"), ("outline", "edge"), ("it", "lock")):
        design = edits.rename_step_everywhere(design, old, new)
        assert volume(design) == pytest.approx(before, rel=1e-12)
    for old, new in (("wide", "breadth"), ("span", "room")):
        design = edits.rename_size(design, old, new)
        assert volume(design) == pytest.approx(before, rel=1e-12)
    assert design.step("extra").face == "lock.recess/end"
    assert design.size("far_away").formula == "lock.host.right + lock.plate"
    design = edits.put_step(design, Design.model_validate({"steps": [
        {"kind": "hole", "name": "first", "face": "plank/end", "diameter": "3 mm",
         "x": "-80 mm"}]}).steps[0], 2)  # fmt: skip
    moved = edits.move_step(design, "first", 4)
    assert volume(moved) == pytest.approx(volume(design), rel=1e-9)
    assert edits.would_break(design, "lock", 4)  # what stands on its floor would come before it
    with pytest.raises(FormulaError, match="extra"):
        edits.delete_step(design, "lock")


def test_what_stands_on_a_stencil_goes_with_it():
    design = with_stencil("clasp_pocket")
    design = edits.put_step(design, Design.model_validate({"steps": [
        {"kind": "hole", "name": "extra", "face": "it.recess/end", "diameter": "2 mm",
         "x": "-20 mm"}]}).steps[0])  # fmt: skip
    away = edits.change_step(design, "it", "when", "wide < 100 mm")
    found = built(away)
    assert found.problems == []
    assert {found.steps[n].state for n in ("it", "it.pocket", "extra")} == {"left out"}
    assert found.figures["part"].volume == pytest.approx(200 * 120 * 20)


# Unpacked, swapped


@examples(3)
@given(x=MM, y=st.integers(-15, 15), turn=DEG)
@pytest.mark.parametrize("name", ALONE)
def test_unpacked_it_is_the_same(name, x, y, turn):
    design = with_stencil(name, x=x, y=f"{y} mm", turn=turn)
    found = built(design)
    if any(p.severity == "error" for p in found.problems):
        return  # it does not fit there: then neither does the unpacked one, told elsewhere
    plain = unpacked(design, "it")
    assert plain.stencils == ()
    assert all("." not in step.name for step in plain.steps)
    assert volume(plain) == pytest.approx(found.figures["part"].volume, rel=1e-9)
    # It stays tied to its host.
    for wide in ("150 mm", "260 mm"):
        other = built(design, given={"wide": wide})
        if not any(p.severity == "error" for p in other.problems):
            assert volume(plain, {"wide": wide}) == pytest.approx(
                other.figures["part"].volume, rel=1e-9
            )


def test_what_cannot_be_unpacked_is_said():
    mirrored = with_stencil("hand_grip", image="mirrored")
    with pytest.raises(FormulaError, match="mirrored"):
        unpacked(mirrored, "it")
    row = {"kind": "row", "name": "again", "of": "it", "how": "on", "count": "2",
           "pitch": "40 mm"}  # fmt: skip
    many = edits.put_step(
        with_stencil("hand_grip"), Design.model_validate({"steps": [row]}).steps[0]
    )
    with pytest.raises(FormulaError, match="again"):
        unpacked(many, "it")
    with pytest.raises(FormulaError, match="puts no stencil in"):
        unpacked(many, "board")


def test_swapped_for_another_edition():
    design = with_stencil("hand_grip", given={"length": "wide/3"})
    old = SHELF["hand_grip"]
    width = old.size("width").model_copy(update={"formula": "30 mm"})
    soft = old.sizes[0].model_copy(update={"name": "soft", "formula": "1 mm", "low": ""})
    sizes = (old.sizes[0], width, soft)
    new = old.model_copy(update={"edition": "2", "sizes": sizes})
    found, told = swap_stencil(design, "hand_grip", new)
    assert [stencil.edition for stencil in found.stencils] == ["2"]
    given_now = {one.size: one.formula for one in found.step("it").given}
    assert given_now == {"length": "wide/3", "width": "28 mm", "soft": "1 mm"}
    assert any("width" in line and "30 mm" in line and "28 mm" in line for line in told)
    assert any("asks for “soft”" in line for line in told)
    assert differences(old, old) == []


def test_what_the_design_asks_in_vain_of_another_is_said():
    design = with_stencil("clasp_pocket")
    design = edits.add_size(design, "screws_apart", "it.apart")
    design = edits.put_step(design, Design.model_validate({"steps": [
        {"kind": "hole", "name": "extra", "face": "it.recess/end", "diameter": "2 mm",
         "x": "-20 mm"}]}).steps[0])  # fmt: skip
    _, told = swap_stencil(design, "clasp_pocket", SHELF["hand_grip"])
    assert any("it.apart" in line for line in told)
    assert any("extra stands on its recess" in line for line in told)


def test_the_same_stencil_is_kept_once_and_another_beside_it():
    design, name = put_stencil(board(), SHELF["hand_grip"])
    assert put_stencil(design, SHELF["hand_grip"]) == (design, "hand_grip")
    other = SHELF["hand_grip"].model_copy(update={"edition": "2"})
    wider, second = put_stencil(design, other)
    assert (name, second, len(wider.stencils)) == ("hand_grip", "hand_grip_2", 2)
    assert put_stencil(wider, other)[1] == "hand_grip_2"
    used = put_in(design, SHELF["hand_grip"], name="it", face="board/end")
    with pytest.raises(SchabloneError, match="puts hand grip in"):
        forget_stencil(used, "hand_grip")
    assert forget_stencil(design, "hand_grip").stencils == ()
    with pytest.raises(FormulaError):
        chosen(used, "it", "nosuch")


# How it sits


def sits(design: Design, name: str = "it") -> tuple[bool, str]:
    found = next(f for f in findings(design, built(design)) if f.area == "step" and f.place == name)
    return found.holds, found.why


def test_over_the_edge_by_how_much():
    # 110 mm long about x = 50: it ends at 105, the board at 100.
    holds, why = sits(with_stencil("hand_grip", x="50 mm"))
    assert not holds
    assert "5 mm over the edge" in why
    assert "right side" in why
    assert sits(with_stencil("hand_grip", x="44 mm"))[0]


def test_into_another_opening_by_how_much():
    bore = {"kind": "hole", "name": "bore", "face": "board/end", "diameter": "10 mm",
            "x": "10 mm", "y": "17 mm"}  # fmt: skip
    holds, why = sits(with_stencil("hand_grip", on=board(bore)))
    # The grip is 28 mm wide, up to y = 14; the bore begins at 12.
    assert not holds
    assert "meets the wall of bore, by 2 mm" in why


def test_out_on_the_other_side_by_how_much():
    design = with_stencil("label_slot", given={"depth": "22 mm"})
    holds, why = sits(design)
    assert not holds
    # The notch goes 0.6 mm deeper than the pocket.
    assert "comes out of the" in why
    assert "by 2.6 mm" in why
    held = [f for f in findings(design, built(design)) if f.own and not f.holds]
    assert [f.name for f in held] == ["it: material is left below"]


def test_a_hole_across_below_the_face_is_met():
    across = {"kind": "hole", "name": "across", "face": "board/side/r.bottom", "diameter": "6 mm",
              "y": "10 mm"}  # fmt: skip
    shallow = with_stencil("label_slot", on=board(across))
    assert sits(shallow)[0]
    deep = with_stencil("label_slot", on=board(across), given={"depth": "9 mm"})
    holds, why = sits(deep)
    # The hole lies 7 to 13 mm deep, the pocket goes 9 deep: 2 mm; its notch does not come there.
    assert not holds
    assert "meets the wall of across" in why


def test_what_may_go_over_an_edge_may():
    holds, _ = sits(with_stencil("cable_notch", y="-40 mm"))
    assert holds
    found = built(with_stencil("cable_notch", y="-40 mm"))
    # 7 mm wide, 20 mm long, and half a round at its end.
    assert found.figures["part"].volume == pytest.approx(
        20 * (200 * 120 - 20 * 7 - math.pi * 3.5**2 / 2), rel=1e-9
    )


def test_members_of_a_row_are_looked_at_too():
    row = {"kind": "row", "name": "again", "of": "it", "how": "on", "count": "3",
           "pitch": "60 mm"}  # fmt: skip
    design = with_stencil("keyhole_hanger", x="-20 mm")
    assert sits(design)[0]
    many = edits.put_step(design, Design.model_validate({"steps": [row]}).steps[0])
    holds, why = sits(many, "again")
    # The third is at x = 100, right on the edge: half of its head of 10 mm goes over.
    assert not holds
    assert "5 mm over the edge" in why


def test_its_picture_is_what_it_does_to_a_board(monkeypatch):
    from schablone.core.design import stencil_picture as module

    areas, trouble = seen_from_above(SHELF["hand_grip"])
    assert trouble == ""
    (area,) = areas
    assert (area.cut, area.depth) == (True, 18.0)
    (ring,) = area.rings
    assert Polygon(ring).area == pytest.approx(math.pi * 14**2 + 82 * 28, rel=1e-2)
    post = seen_from_above(SHELF["screw_post"])[0]
    assert [(one.cut, one.depth) for one in post] == [(False, -3.0), (False, -10.0), (True, -1.0)]
    monkeypatch.setattr(module, "_LONGEST", -1.0)
    assert seen_from_above(SHELF["hand_grip"]) == ([], "It takes too long to be pictured.")


# Two boards


def test_a_finger_joint_fills_its_corner():
    design = Design.model_validate({
        "parts": [{"name": "part"}, {"name": "side"}],
        "steps": [
            {"kind": "sketch", "name": "a",
             "shapes": [{"kind": "rectangle", "name": "r", "width": "120 mm", "height": "12 mm"}]},
            {"kind": "extrude", "name": "front", "sketch": "a", "by": "80 mm"},
            {"kind": "sketch", "name": "b", "lift": "68 mm",
             "shapes": [{"kind": "rectangle", "name": "r", "width": "120 mm", "height": "90 mm",
                         "y": "39 mm"}]},
            {"kind": "extrude", "name": "lid", "sketch": "b", "by": "12 mm", "part": "side"},
        ]})  # fmt: skip
    design = put_in(design, SHELF["finger_joint"], name="it", face="front/end")
    design = edits.change_step(design, "it", "parts.0.part", "side")
    design = give(design, "play", "0 mm")
    found = built(design)
    assert [p.text for p in found.problems] == []
    count = found.table.cells["it.count"].wanted.value
    assert count == 9  # 120/14 is 8.57: the odd number next to it
    corner_volume = 120 * 12 * 12
    # Without play the two share the corner out among them: nothing twice, nothing missing.
    whole = 120 * 12 * 80 + 120 * 90 * 12 - corner_volume
    assert sum(f.volume for f in found.figures.values()) == pytest.approx(whole, rel=1e-9)
    fingers = {part: f.volume for part, f in found.figures.items()}
    assert fingers["part"] == pytest.approx(120 * 12 * 80 - corner_volume * 4 / 9, rel=1e-9)


def test_a_further_part_must_be_chosen():
    design = with_stencil("finger_joint")
    (problem,) = [p for p in built(design).problems if p.field == "parts.0.part"]
    assert problem.asks


# Wrong, and from others


@pytest.mark.parametrize(
    ("size", "formula", "word"),
    [
        ("length", "20 mm", "40 mm"),  # below its limit
        ("length", "3", "length"),
        ("length", "nosuch", "nosuch"),
        ("length", "length + 1 mm", "length"),
        ("length", "it.length", "it"),
        ("length", "", ""),
    ],
)
def test_a_bad_size_is_told_at_the_step_where_it_is_given(size, formula, word):
    design = give(with_stencil("hand_grip"), size, formula)
    found = built(design)
    told = [p for p in found.problems if p.severity == "error"]
    assert told
    assert {(p.area, p.name) for p in told} == {("step", "it")}
    assert any(word in p.text for p in told)
    assert any(p.field == "given.0.formula" for p in told)
    assert found.figures["part"].volume == pytest.approx(200 * 120 * 20)


def test_trouble_inside_is_told_of_the_step_that_puts_it_in():
    design = give(with_stencil("label_slot"), "notch", "0.5 mm")
    (problem,) = [p for p in built(design).problems if p.severity == "error"]
    assert (problem.area, problem.name) == ("step", "it")
    deep = give(with_stencil("clasp_pocket"), "plate", "25 mm")
    told = [p for p in built(deep).problems if p.severity == "error"]
    assert told
    assert {p.name for p in told} == {"it"}


STEP = {"kind": "hole", "name": "h", "face": "host/here", "diameter": "4 mm"}


@pytest.mark.parametrize(
    ("changes", "word"),
    [
        ({"steps": []}, "steps"),
        ({"steps": [{"kind": "shell", "name": "s"}]}, "reaches|cannot be in"),
        ({"steps": [{**STEP, "diameter": "across"}]}, "across"),
        ({"steps": [{**STEP, "diameter": "host.colour"}]}, "colour"),
        ({"steps": [{**STEP, "face": "plate/end"}]}, "plate"),
        ({"steps": [{**STEP, "diameter": "column(depth)"}]}, ""),
        ({"steps": [STEP, STEP]}, "two steps"),
        ({"steps": [{**STEP, "name": "host"}]}, "host"),
        ({"steps": [{"kind": "extrude", "name": "e", "sketch": "", "part": "lid"}]}, "lid"),
        ({"sizes": [{"name": "h", "formula": "1 mm"}]}, "both called"),
        ({"sizes": [{"name": "pi", "formula": "1 mm"}]}, "pi"),
        ({"name": "a b"}, "name"),
        ({"version": 2}, "version"),
        ({"nonsense": 1}, "nonsense"),
        ({"steps": [{"kind": "stencil", "name": "s", "stencil": "x"}]}, "cannot be in"),
    ],
)
def test_a_file_that_makes_no_sense_is_said(changes, word):
    import json
    import re

    data = {"format": "schablone stencil", "version": 1, "name": "s", "steps": [STEP], **changes}
    with pytest.raises(SchabloneError) as caught:
        parse_stencil(json.dumps(data), "s.stencil")
    assert re.search(word, str(caught.value))


def test_files_and_designs_are_read_as_they_were_written():
    for stencil in SHELF.values():
        assert parse_stencil(write_stencil(stencil), stencil.name) == stencil
    design = with_stencil("clasp_pocket")
    again = read_design_text(write_design(design))
    assert again == design
    assert opened(again) is opened(again)
    assert "Clasp pocket" in design_text(design, neutral())
    assert opened(opened(design)) is opened(design)


def test_an_unknown_stencil_is_said():
    design = board({"kind": "stencil", "name": "it", "stencil": "nosuch", "face": "board/end"})
    (problem,) = built(design).problems
    assert "no stencil “nosuch”" in problem.what
    other = Design.model_validate(
        {**with_stencil("hand_grip").model_dump(), "parts": [{"name": "part"}, {"name": "lid"}]}
    )
    found = built(edits.change_step(other, "it", "part", "lid"))  # fmt: skip
    assert any("is a face of the part" in p.what for p in found.problems)


def test_sizes_of_the_design_that_are_changed_are_evaluated_without_opening_it_anew():
    design = with_stencil("vent_field")
    first = opened(design)
    changed = edits.put_size(design, Size(name="wide", formula="260 mm"))
    assert opened(changed).steps is first.steps
    assert built(changed).table.cells["it.columns"].wanted.value == 10


# Opened in place


@pytest.mark.parametrize("name", ALONE)
def test_opened_and_closed_it_is_as_it_was(name):
    design = with_stencil(name, x="10 mm", y="10 mm", turn="20 deg")
    design = edits.add_size(design, "room", "it.host.along")
    before = built(design)
    there = opened_here(design, "it")
    assert is_opened(there, "it")
    assert volume(there) == pytest.approx(before.figures["part"].volume, rel=1e-9)
    again = read_design_text(write_design(there))
    assert again == there
    closed, told = closed_again(again, "it", built(again).table)
    assert told == []
    assert volume(closed) == pytest.approx(before.figures["part"].volume, rel=1e-9)
    assert closed.stencils[0].steps == SHELF[name].steps
    assert closed.stencils[0].sizes == SHELF[name].sizes
    assert closed.step("it").given == design.step("it").given
    assert closed.size("room") == design.size("room")


def test_what_is_changed_inside_comes_everywhere():
    design = with_stencil("label_slot", x="-50 mm", y="20 mm")
    design = put_in(design, SHELF["label_slot"], name="second", face="board/end", x="50 mm",
                    y="20 mm")  # fmt: skip
    there = opened_here(design, "it")
    there = edits.change_step(there, "it_notch_outline", "shapes.0.diameter", "it_notch + wide/100")
    hole = {"kind": "hole", "name": "it_peep", "face": "it/here", "diameter": "5 mm",
            "group": "it, opened"}  # fmt: skip
    there = edits.put_step(there, Design.model_validate({"steps": [hole]}).steps[0])
    closed, told = closed_again(there, "it", built(there).table)
    assert closed.stencil("label_slot").edition == "2"
    assert any("asks for “wide”" in line for line in told)
    assert any("peep" in line for line in told)
    assert {one.size: one.formula for one in closed.step("it").given}["wide"] == "wide"
    # The other one has the hole, too, and is asked for the new size: it is what it was when made.
    assert {one.size: one.formula for one in closed.step("second").given}["wide"] == "200 mm"
    found = built(closed)
    assert found.problems == []
    assert volume(closed) < volume(there) - math.pi * 2.5**2 * 15


def test_names_may_change_while_it_is_opened():
    design = with_stencil("label_slot", x="10 mm")
    before = volume(design)
    there = opened_here(design, "it")
    for old, new in (("it", "sign"), ("board", "plank"), ("it_pocket", "it_bed")):
        there = edits.rename_step_everywhere(there, old, new)
    there = edits.rename_size(there, "it_play", "it_gap")
    closed, told = closed_again(there, "sign", built(there).table)
    assert volume(closed) == pytest.approx(before, rel=1e-9)
    assert closed.step("sign").face == "plank/end"
    assert [step.name for step in closed.stencils[0].steps][1] == "bed"
    assert any("gap" in line for line in told)


def test_what_cannot_be_closed_is_said():
    there = opened_here(with_stencil("label_slot"), "it")
    shell = {"kind": "shell", "name": "it_s", "faces": ["board/end"], "group": "it, opened"}
    odd = edits.put_step(there, Design.model_validate({"steps": [shell]}).steps[0])
    with pytest.raises(FormulaError, match="reaches further"):
        closed_again(odd, "it", built(there).table)
    with pytest.raises(FormulaError, match="holds no stencil"):
        closed_again(there, "board", built(there).table)
    outside = edits.change_step(there, "it_notch_outline", "shapes.0.y", "nosuch")
    with pytest.raises(FormulaError, match="no value"):
        closed_again(outside, "it", built(outside).table)


def test_too_many_to_be_opened_are_said_and_none_is_lost_unsaid(monkeypatch):
    from schablone.core.design import opened as module

    monkeypatch.setattr(module, "MOST_OPENED", 12)
    design = board()
    for k in range(5):
        design = put_in(design, SHELF["keyhole_hanger"], name=f"h{k}", face="board/end",
                        x=f"{30 * k - 60} mm")  # fmt: skip
    found = built(design)
    told = {p.name for p in found.problems if "too many steps" in p.what}
    states = {k: found.steps[f"h{k}"].state for k in range(5)}
    assert told
    assert told == {f"h{k}" for k, state in states.items() if state == "failed"}
    assert all(state in ("built", "failed") for state in states.values())


@pytest.mark.parametrize("name", ["vent_field", "clasp_pocket", "cable_notch"])
def test_measured_on_the_way_is_as_measured_again_and_again(name, monkeypatch):
    from schablone.core.design import building

    design = with_stencil(name, x="12 mm", given={})
    design = edits.add_size(design, "deep", "min(it.host.thickness, 30 mm)/4")
    pit = {"kind": "hole", "name": "pit", "face": "board/end", "diameter": "3 mm", "x": "-90 mm",
           "extent": "depth", "depth": "deep"}  # fmt: skip
    design = edits.put_step(design, Design.model_validate({"steps": [pit]}).steps[0])
    once = rebuild(design, WANTED)
    monkeypatch.setattr(building, "looks_back", lambda *_: True)
    often = rebuild(design, WANTED)
    assert once.measured == often.measured
    assert once.problems == often.problems == []
    assert once.figures["part"].volume == often.figures["part"].volume
    wanted = {n: cell.wanted for n, cell in often.table.cells.items()}
    assert {n: cell.wanted for n, cell in once.table.cells.items()} == wanted


def test_what_is_asked_before_it_can_be_measured_is_said():
    """A board as thick as its own stencil asks it to be goes round in a circle."""
    design = with_stencil("label_slot")
    design = edits.change_step(design, "board", "by", "it.host.thickness + 1 mm")
    told = [p for p in built(design).problems if p.severity == "error"]
    assert told


def test_a_repeated_one_that_fails_leaves_nothing_half_done():
    row = {"kind": "row", "name": "again", "of": "it", "how": "on", "count": "2",
           "pitch": "70 mm"}  # fmt: skip
    design = with_stencil("clasp_pocket", given={"bolt": "0 mm"})
    many = edits.put_step(design, Design.model_validate({"steps": [row]}).steps[0])
    for one in (many, edits.change_step(design, "it", "image", "mirrored")):
        found = built(edits.change_step(one, "it", "x", "-20 mm"))
        assert found.steps["it"].state == "failed"
        assert found.figures["part"].volume == pytest.approx(200 * 120 * 20, rel=1e-12)


def test_thousands_of_problems_are_told_without_comparing_each_with_each(monkeypatch) -> None:
    compared = 0
    same = Problem.__eq__

    def counting(one, other):
        nonlocal compared
        compared += 1
        return same(one, other)

    problems = [Problem(area="size", name=f"s{k % 900}", what="It waits.") for k in range(1000)]
    monkeypatch.setattr(Problem, "__eq__", counting)
    told = all_told(problems, Design())
    assert [one.name for one in told] == [f"s{k}" for k in range(900)]
    assert compared < 5 * len(problems)


@pytest.mark.parametrize("name", ["hand_grip", "label_slot", "screw_post", "dovetail_key"])
def test_what_each_open_size_changes_is_seen_from_above(name: str) -> None:
    """On a board of its own one of the changes that are tried can be built, and looks otherwise."""
    stencil = SHELF[name]
    before, trouble = seen_from_above(stencil)
    assert not trouble
    for size in stencil.open_sizes:
        tried = [seen_from_above(other) for other in changed_in(stencil, size.name)]
        assert any(not wrong and areas != before for areas, wrong in tried), size.name
        # Nothing else of it is changed.
        for other in changed_in(stencil, size.name):
            same = [a == b for a, b in zip(stencil.sizes, other.sizes, strict=True)]
            assert same.count(False) == 1
